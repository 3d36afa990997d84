"""Working: the space in which a picture is seen and measured as linear light."""

from __future__ import annotations

from dataclasses import dataclass

from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Flow, Line, Place


@dataclass(frozen=True)
class Working:
    """Linear light in the space of a picture's numbers, or where that is none of matrix and curves, in the shoot's."""

    space: RGBSpace

    place = Place.WORKING

    def describe(self) -> tuple[Line, ...]:
        """Nothing: numbers and look are what they were."""
        return ()

    def apply(self, flow: Flow) -> Flow:
        """Light in its space. Raises BadProfile."""
        return flow.as_light(flow.light_in(self.space), self.space)
