"""Destination: the last conversion, from working light to the numbers that are written."""

from __future__ import annotations

from dataclasses import dataclass

from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import from_linear
from velkin.core.icc.space import Space
from velkin.core.icc.transform import Intent
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Alters, Flow, Line, Place


@dataclass(frozen=True)
class ToDestination:
    """Converted to the destination's space.

    Attributes
    ----------
    space : Space
    intent : Intent
    black_point : bool
    """

    space: Space
    intent: Intent = Intent.RELATIVE
    black_point: bool = True

    place = Place.DESTINATION

    def from_working(self, working: RGBSpace) -> Conversion:
        """The conversion that it is of light in a working space."""
        return Conversion(working, self.space, self.intent, self.black_point)

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        return (Line(f"converted to {self.space.name}", Alters.NUMBERS),)

    def apply(self, flow: Flow) -> Flow:
        """Light in a space of matrix and curves, encoded numbers in any other. Raises BadProfile."""
        assert flow.linear and isinstance(flow.space, RGBSpace)
        if isinstance(self.space, RGBSpace):
            return flow.as_light(flow.light_in(self.space), self.space)
        return flow.as_numbers(from_linear(flow.pixels, self.from_working(flow.space)), self.space)
