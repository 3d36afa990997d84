"""A look as it is kept: the file it came from, and what its numbers are."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from enum import StrEnum

from velkin.core.spaces.rgb import RGBSpace

#: Files that hold one.
SUFFIXES = (".json", ".cube", ".icc", ".icm")
#: The strongest that a look is put on; 1 is as it was made.
STRONGEST = 1.5


class LookKind(StrEnum):
    """What a look is; the values stand in shoot files."""

    MATCH = "match"
    TABLE = "table"
    #: An ICC profile that takes the numbers of an RGB space.
    PROFILE = "profile"
    #: An ICC device link: from the numbers of an RGB space to those of one.
    LINK = "link"
    #: An ICC profile that takes colours.
    ABSTRACT = "abstract"


#: Kinds that take numbers and give numbers, and say nothing of either.
GIVING = (LookKind.TABLE, LookKind.LINK)


@dataclass(frozen=True)
class KeptLook:
    """A look.

    Attributes
    ----------
    name : str
    kind : LookKind
    content : bytes
        The file.
    takes, gives : RGBSpace or None
        What the numbers are that it takes and gives; None where that does not matter, or is not said.
    digest : str
        Of the content; it is taken where none is given, and goes with copies that say other numbers, as a table can be large.
    """

    name: str
    kind: LookKind
    content: bytes = field(repr=False, compare=False)
    takes: RGBSpace | None = None
    gives: RGBSpace | None = None
    digest: str = ""

    def __post_init__(self) -> None:
        if not self.digest:
            object.__setattr__(self, "digest", hashlib.sha256(self.content).hexdigest()[:32])

    @property
    def asks(self) -> bool:
        """Whether somebody must say what numbers it takes before it can be put on."""
        return self.kind in (*GIVING, LookKind.PROFILE) and self.takes is None

    def words(self, strength: float) -> str:
        """What the path says of it.

        Examples
        --------
        >>> KeptLook("Dusk", LookKind.TABLE, b"").words(0.7)
        'look Dusk, 70\\u202f%'
        """
        return look_words(self.name, strength, self.kind is LookKind.MATCH)


def look_words(name: str, strength: float, matched: bool = False) -> str:
    """What the path says of a look, or of a match, at a strength."""
    return f"{'matched to' if matched else 'look'} {name}, {100 * strength:.0f}\u202f%"
