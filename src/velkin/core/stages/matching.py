"""Matched: look and numbers change, by what was learnt from pairs."""

from __future__ import annotations

from dataclasses import dataclass, field

from velkin.core.looks.kept import look_words
from velkin.core.match.baked import Amounts, table_of_match, through_table
from velkin.core.match.match import Match
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Alters, Flow, Line, Place


@dataclass(frozen=True)
class Matched:
    """A match, at a strength of 0 (nothing) over 1 (as learnt) to 1.5.

    Attributes
    ----------
    match : Match
    amounts : Amounts
        How much of its change of colour and of lightness is taken.
    strength : float
    rough : bool
        By a table that is made at once, while the match is being dragged.
    """

    match: Match
    amounts: Amounts = field(default_factory=Amounts)
    strength: float = 1.0
    rough: bool = False

    place = Place.LOOK

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        return (Line(look_words(self.match.name or "pairs", self.strength, matched=True), Alters.BOTH),)

    def apply(self, flow: Flow) -> Flow:
        """Light, carried; in the space of matrix and curves it came in."""
        assert flow.linear and isinstance(flow.space, RGBSpace)
        if self.strength == 0.0:
            return flow
        table = table_of_match(self.match, self.amounts.times(self.strength), flow.space, self.rough)
        return flow.as_light(through_table(flow.pixels, table), flow.space)
