"""Destinations: where files go and how they are written."""

from __future__ import annotations

import re
from dataclasses import dataclass

from velkin.core.errors import NotSupported
from velkin.core.icc.transform import Intent
from velkin.core.spaces.rgb import BUILT_IN, RGBSpace

_WORD = re.compile(r"\{(name|n)\}")
_ILLEGAL = re.compile(r'[/\\:*?"<>|\x00-\x1f]')


@dataclass(frozen=True)
class Destination:
    """How files are written for one receiver.

    Attributes
    ----------
    id : str
    name : str
    space_id : str
        A built-in space.
    folder : str
        Absolute, or relative to the shoot file's folder.
    long_edge : int
        Longest side in pixels; pictures are never enlarged. 0 keeps the full size.
    quality : int
        JPEG quality 1 to 100.
    pattern : str
        File name without suffix; ``{name}`` is the frame's name, ``{n}`` its number in the run.
    ticked : bool
        Whether the next hand-off writes it.
    """

    id: str
    name: str
    space_id: str = "srgb"
    folder: str = "handed off"
    long_edge: int = 2048
    quality: int = 92
    pattern: str = "{name}"
    ticked: bool = True

    @property
    def space(self) -> RGBSpace:
        """The space the files are written in."""
        return BUILT_IN[self.space_id]

    def check(self) -> None:
        """Refuse a destination that could not be written.

        Raises
        ------
        NotSupported
            Saying which value is wrong.
        """
        if self.space_id not in BUILT_IN:
            raise NotSupported(f"the space {self.space_id!r} is not known")
        if not 1 <= self.quality <= 100:
            raise NotSupported(f"JPEG quality {self.quality} is not within 1 to 100")
        if self.long_edge and not 16 <= self.long_edge <= 65000:
            raise NotSupported(f"a long edge of {self.long_edge} pixels is not within 16 to 65000")
        if not self.folder.strip():
            raise NotSupported("the destination has no folder")
        self.file_name("x", 1)

    def file_name(self, frame: str, number: int) -> str:
        """The written file's name for a frame.

        Raises
        ------
        NotSupported
            When the pattern makes an empty or illegal name, or has a word in braces that means nothing.
        """
        if re.search(r"[{}]", _WORD.sub("", self.pattern)):
            raise NotSupported(f"the name pattern {self.pattern!r} is wrong; it knows {{name}} and {{n}}")
        stem = _WORD.sub(lambda word: frame if word.group(1) == "name" else str(number), self.pattern).strip()
        if not stem or stem.startswith(".") or _ILLEGAL.search(stem) or len(stem.encode()) > 200:
            raise NotSupported(f"the name pattern {self.pattern!r} makes the name {stem!r}, which no folder can hold")
        return f"{stem}.jpg"


@dataclass(frozen=True)
class ProofGoal:
    """What is proofed for.

    Attributes
    ----------
    space : str
        Id of a space that the shoot knows; empty for that of the first destination that is ticked.
    intent : Intent
    black_point : bool
        Black point compensation.
    """

    space: str = ""
    intent: Intent = Intent.RELATIVE
    black_point: bool = True


def web_srgb() -> Destination:
    """The destination every shoot starts with."""
    return Destination("web", "Web sRGB", "srgb", "web", 2048, 92)
