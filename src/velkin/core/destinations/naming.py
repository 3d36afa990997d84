"""What a written file is called: patterns of plain text and words in braces, and names that every receiver's folder can hold."""

from __future__ import annotations

import os
import re
import unicodedata
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from velkin.core.errors import NotSupported

#: The words that a pattern knows, and what they stand for.
WORDS = {
    "name": "the frame's name",
    "n": "its number in the run; nn and nnn are padded with zeros",
    "light": "its light",
    "date": "the day it was taken",
    "shoot": "the shoot's name",
    "destination": "the destination's name",
    "space": "the space it is written in",
}
_WORD = re.compile(r"\{(name|n{1,6}|light|date|shoot|destination|space)\}")
_ILLEGAL = re.compile(r'[/\\:*?"<>|\x00-\x1f\x7f]')
# names that another system's folders keep for devices, whatever follows the first dot
_DEVICES = re.compile(r"(?i)(con|prn|aux|nul|com[0-9]|lpt[0-9])(\..*)?")
#: Bytes of a name without its suffix; folders hold 255 of the whole.
_LONGEST = 200


@dataclass(frozen=True)
class NameFacts:
    """What the words of a pattern stand for, for one frame at one destination; `taken` is None where it is not known."""

    name: str
    number: int
    light: str = ""
    taken: datetime | None = None
    shoot: str = ""
    destination: str = ""
    space: str = ""


def stem_of(pattern: str, facts: NameFacts) -> str:
    """The name without its suffix that a pattern makes for a frame.

    What stands in for a word is made harmless: a light called *North / window* gives *North - window*.

    Raises
    ------
    NotSupported
        When the pattern has a word in braces that means nothing, or makes a name that no folder can hold.
    """
    if re.search(r"[{}]", _WORD.sub("", pattern)):
        known = ", ".join(f"{{{w}}}" for w in WORDS)
        raise NotSupported(f"the name pattern {pattern!r} is wrong; it knows {known}")
    own = _WORD.sub("", pattern)
    if _ILLEGAL.search(own):
        raise NotSupported(f"the name pattern {pattern!r} holds a character that no folder takes")
    stem = _WORD.sub(lambda word: _stand_in(word.group(1), facts), pattern).strip()
    stem = stem.rstrip(". ")
    if _DEVICES.fullmatch(stem):
        stem += "-"
    if not stem or stem.startswith(".") or len(os.fsencode(stem)) > _LONGEST or "\ufffd" in stem:
        raise NotSupported(f"the name pattern {pattern!r} makes the name {stem!r}, which no folder can hold")
    try:
        stem.encode()
    except UnicodeEncodeError as error:
        raise NotSupported(f"the name {stem!r} is not valid text") from error
    return stem


def _stand_in(word: str, facts: NameFacts) -> str:
    if set(word) == {"n"}:
        return str(facts.number).zfill(len(word))
    if word == "date":
        return facts.taken.strftime("%Y-%m-%d") if facts.taken is not None else "undated"
    return _ILLEGAL.sub("-", str(getattr(facts, word)))


def folded(path: Path) -> str:
    """A path as a receiver sees it who does not tell capitals apart: names alike in this are the same file there."""
    return str(path.parent) + "/" + unicodedata.normalize("NFC", path.name).casefold()


def free_name(wanted: Path, taken: set[str]) -> Path:
    """A path that neither exists nor is taken (`folded`) by another file of the run: the wanted one, else with -2, -3 …"""
    number, candidate = 1, wanted
    while folded(candidate) in taken or os.path.lexists(candidate):
        number += 1
        candidate = wanted.with_name(f"{wanted.stem}-{number}{wanted.suffix}")
    taken.add(folded(candidate))
    return candidate
