"""The ledger: every assignment and conversion of one frame, in order."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from velkin.core.conversion.steps import Step
from velkin.core.icc.space import Space
from velkin.core.icc.transform import Intent

ASSIGN, CONVERT, LEAVE = "assign", "convert", "leave"

#: What each entry does, in the words used everywhere.
MEANING = {
    ASSIGN: "numbers stay, look changes",
    CONVERT: "look stays, numbers change",
    LEAVE: "nothing changes",
}


@dataclass(frozen=True)
class Entry:
    """One decision.

    Attributes
    ----------
    verb : ``assign``, ``convert`` or ``leave``
        The last keeps a frame as it came, decided.
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

    verb: str
    space: str = ""
    intent: Intent = Intent.RELATIVE
    black_point: bool = True
    at: str = ""
    why: str = ""

    def words(self, name: str) -> str:
        """The entry in words, given its space's name."""
        if self.verb == ASSIGN:
            return f"{name} assigned"
        if self.verb == CONVERT:
            return f"converted to {name}"
        return "left as it came"


def steps_of(ledger: tuple[Entry, ...], space: Callable[[str], Space]) -> tuple[Step, ...]:
    """The steps of a path that a ledger amounts to."""
    return tuple(Step(e.verb, space(e.space), e.intent, e.black_point) for e in ledger if e.verb != LEAVE)
