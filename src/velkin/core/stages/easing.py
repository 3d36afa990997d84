"""Ease: what brings colours in on the way to a destination."""

from __future__ import annotations

from dataclasses import dataclass

from velkin.core.gamut.ease import ease
from velkin.core.gamut.easing import Easing
from velkin.core.icc.space import Space
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Alters, Flow, Line, Place


@dataclass(frozen=True)
class Ease:
    """Easings, applied in order; detail that is given back comes from the light as it was before the first."""

    easings: tuple[Easing, ...]
    goal: Space

    place = Place.EASING

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        return (Line(f"eased for {self.goal.name}", Alters.BOTH),)

    def apply(self, flow: Flow) -> Flow:
        """Light, eased; the very pixels where nothing acts. Raises BadProfile."""
        assert flow.linear and isinstance(flow.space, RGBSpace)
        return flow.as_light(ease(flow.pixels, flow.space, self.goal, self.easings, window=flow.window), flow.space)
