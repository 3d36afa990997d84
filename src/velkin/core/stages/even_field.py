"""The even field: what a flat frame showed of the light and the lens, taken out of camera numbers before anything else."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from velkin.core.bands import in_bands
from velkin.core.conversion.codes import as_float
from velkin.core.fields import Field
from velkin.core.gamut.masks import Window
from velkin.core.stages.stage import Alters, Flow, Line, Place

#: Rows that are worked on at once.
_ROWS = 64


@dataclass(frozen=True)
class EvenField:
    """A flat frame's field at a strength of 0 to 1.

    Attributes
    ----------
    field : Field
    strength : float
    name : str
        Of the flat frame.
    """

    field: Field
    strength: float
    name: str

    place = Place.FIELD

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        return (Line(f"field evened by {self.name}, {100 * self.strength:.0f} %", Alters.BOTH),)

    def apply(self, flow: Flow) -> Flow:
        """Camera numbers (H, W, 3) as they would be in an even light."""
        source = flow.pixels
        height, width = source.shape[:2]
        window = flow.window or Window(width, height)
        out = np.empty(source.shape, dtype=np.float32)

        def rows(first: int, last: int) -> None:
            part = replace(window, top=window.top + first)
            np.multiply(
                as_float(source[first:last]), self.field.gains(part, last - first, width, self.strength), out=out[first:last]
            )

        in_bands(rows, height, _ROWS)
        return replace(flow, pixels=out)
