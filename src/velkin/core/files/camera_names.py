"""Cameras by name: the same camera is called a little differently by its own raw files, by files converted from them, and by profiles."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

from velkin.core.files.facts import FileFacts

#: Words of a maker's name that say what kind of company it is.
_COMPANY = frozenset(
    [
        "corporation",
        "corp",
        "company",
        "co",
        "ltd",
        "limited",
        "inc",
        "incorporated",
        "gmbh",
        "ag",
        "imaging",
        "optical",
        "camera",
        "ab",
        "as",
    ]
)


@lru_cache(maxsize=4096)
def normal(name: str) -> str:
    """A camera's name as it is compared: without capitals, spaces and dashes, without words for a company, the maker named once.

    Examples
    --------
    >>> normal("MADDERFOLD CORPORATION MADDERFOLD VAT-ONE") == normal("Madderfold Vat One")
    True
    >>> normal("Vat One") == normal("Vat One II")
    False
    """
    words = re.findall(r"\w+", unicodedata.normalize("NFKC", name).casefold().replace("_", " "))
    kept: list[str] = []
    for word in words:
        if word in _COMPANY and kept:
            continue
        if kept and word == kept[0]:
            continue
        kept.append(word)
    return "".join(kept)


def same_camera(a: str, b: str) -> bool:
    """Whether two names are those of one camera."""
    return a == b or normal(a) == normal(b)


def is_shot_with(facts: FileFacts, camera: str) -> bool:
    """Whether a file was shot with a camera: by the name that it has for it, or by maker and model, which another converter went by."""
    return same_camera(camera, facts.unique) or same_camera(camera, f"{facts.make} {facts.model}")


def same_body(a: FileFacts, b: FileFacts) -> bool:
    """Whether two files were shot with one camera model."""
    return is_shot_with(a, b.unique) or is_shot_with(b, a.unique)
