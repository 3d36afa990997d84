"""What a file holds beside the pixels of its picture, part by part, and what becomes of each part in another file."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any


class PartKind(StrEnum):
    """What a part of a file is."""

    PROFILE = "profile"
    METADATA = "metadata"
    MAKER_NOTE = "maker's notes"
    TEXT = "text"
    RESOURCE = "image resource"
    PATH = "path"
    PICTURE = "picture"
    PREVIEW = "preview"
    GAIN_MAP = "gain map"
    AUXILIARY = "auxiliary picture"
    LAYERS = "layers"
    LAYER = "layer"
    OTHER = "not understood"


@dataclass(frozen=True)
class Part:
    """One part.

    Attributes
    ----------
    name : str
        In words, with where it lies where that tells more.
    kind : PartKind
    bytes : int
    payload : object
        What a writer can carry of it: an `ExifTree`, an XMP packet, `DataSet`s, a `Resource`, a `Text`; None where it is only listed.
    """

    name: str
    kind: PartKind
    bytes: int
    payload: Any = field(default=None, repr=False, compare=False)


class Fate(StrEnum):
    """What becomes of a part in another file."""

    YES = "yes"
    CHANGED = "changed"
    NO = "no"


@dataclass(frozen=True)
class Carried:
    """A part, what becomes of it, and why, where it is not simply carried; whether it was not to be carried."""

    part: Part
    fate: Fate
    why: str = ""
    by_wish: bool = False


#: Kinds that are told of where a file is described: the rest is in every file, or says nothing to a person.
_TOLD = (
    PartKind.PICTURE,
    PartKind.PREVIEW,
    PartKind.GAIN_MAP,
    PartKind.AUXILIARY,
    PartKind.LAYER,
    PartKind.LAYERS,
    PartKind.MAKER_NOTE,
    PartKind.PATH,
    PartKind.RESOURCE,
    PartKind.TEXT,
    PartKind.OTHER,
)
_PLURAL = {
    PartKind.PICTURE: ("another picture", "other pictures"),
    PartKind.PREVIEW: ("a preview", "previews"),
    PartKind.GAIN_MAP: ("a gain map", "gain maps"),
    PartKind.AUXILIARY: ("an auxiliary picture", "auxiliary pictures"),
    PartKind.LAYER: ("a layer", "layers"),
    PartKind.LAYERS: ("layers of another program", "layers of another program"),
    PartKind.MAKER_NOTE: ("maker's notes", "maker's notes"),
    PartKind.PATH: ("a path", "paths"),
    PartKind.RESOURCE: ("an image resource", "image resources"),
    PartKind.TEXT: ("a text", "texts"),
    PartKind.OTHER: ("a part that is not understood", "parts that are not understood"),
}


def size_words(count: int) -> str:
    """A number of bytes as people say it."""
    if count < 1000:
        return f"{count} bytes"
    return f"{count / 1000:.0f} KB" if count < 1_000_000 else f"{count / 1e6:.1f} MB"


def also_holds(parts: Iterable[Part]) -> str:
    """What else a file holds, in one line: ``2 previews, a gain map, 14 KB of maker's notes``; empty for nothing worth telling."""
    found = list(parts)
    words = []
    for kind in _TOLD:
        these = [p for p in found if p.kind is kind]
        if not these:
            continue
        if kind is PartKind.MAKER_NOTE:
            words.append(f"{size_words(sum(p.bytes for p in these))} of maker's notes")
        elif kind is PartKind.LAYERS:
            words.append(f"{size_words(sum(p.bytes for p in these))} of layers of another program")
        else:
            words.append(_PLURAL[kind][0] if len(these) == 1 else f"{len(these)} {_PLURAL[kind][1]}")
    return ", ".join(words)


def left_behind(account: Iterable[Carried]) -> str:
    """What does not go along though it might have been wanted, in one line; empty where everything does."""
    counted = Counter(c.part.name for c in account if c.fate is Fate.NO and not c.by_wish)
    return ", ".join(name if n == 1 else f"{name} ({n} times)" for name, n in counted.items())
