"""The ledger: every assignment and conversion of one frame, in order."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from velkin.core.icc.transform import Intent


class Verb(StrEnum):
    """What an entry does; the values are those of the shoot file."""

    ASSIGN = "assign"
    CONVERT = "convert"
    LEAVE = "leave"

    @property
    def meaning(self) -> str:
        """In the words used everywhere."""
        return _MEANING[self]


_MEANING = {
    Verb.ASSIGN: "numbers stay, look changes",
    Verb.CONVERT: "look stays, numbers change",
    Verb.LEAVE: "nothing changes",
}


@dataclass(frozen=True)
class Entry:
    """One decision.

    Attributes
    ----------
    verb : Verb
        `LEAVE` keeps a frame as it came, decided.
    space : str
        Id of the space; empty for ``leave``.
    intent : Intent
    black_point : bool
        Both of conversions.
    at : str
        When, ISO 8601.
    why : str
        What decided: ``by hand``, the rule, ``copied from …``.
    """

    verb: Verb
    space: str = ""
    intent: Intent = Intent.RELATIVE
    black_point: bool = True
    at: str = ""
    why: str = ""

    def words(self, name: str) -> str:
        """The entry in words, given its space's name."""
        if self.verb is Verb.ASSIGN:
            return f"{name} assigned"
        if self.verb is Verb.CONVERT:
            return f"converted to {name}"
        return "left as it came"
