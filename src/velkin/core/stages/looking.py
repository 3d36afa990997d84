"""A look from elsewhere: a `.cube` between the numbers it states; look and numbers change."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.light import encoded, linear_in
from velkin.core.conversion.tables import EVEN, Table, read, table_of_values
from velkin.core.match.cube_file import Cube
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Alters, Flow, Line, Place

Pixels = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Look:
    """A table of others, at a strength of 0 (nothing) over 1 to 1.5.

    Attributes
    ----------
    cube : Cube
    takes, gives : RGBSpace
        What its input and its output mean, as encoded numbers.
    strength : float
    name : str
    """

    cube: Cube
    takes: RGBSpace
    gives: RGBSpace
    strength: float = 1.0
    name: str = ""

    place = Place.LOOK

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        return (Line(f"look {self.name}, {100 * self.strength:.0f}\u202f%", Alters.BOTH),)

    def apply(self, flow: Flow) -> Flow:
        """Light through the table; where its strength is not 1, so much of the way in even lightness."""
        assert flow.linear and isinstance(flow.space, RGBSpace)
        numbers = encoded(flow.light_in(self.takes), self.takes)
        low, high = self.cube.low.astype(np.float32), self.cube.high.astype(np.float32)
        places = ((numbers - low) / (high - low)).reshape(-1, 3)
        table = _table(self.cube)
        if self.cube.is_curves:
            steps = np.linspace(0.0, 1.0, table.side)
            columns = self.cube.values
            found = np.stack([np.interp(places[:, c], steps, columns[:, c]) for c in range(3)], axis=1).astype(np.float32)
        else:
            found = read(table, places)
        looked = flow.as_numbers(found.reshape(numbers.shape), self.gives).light_in(flow.space)
        if self.strength != 1.0:
            before, after = encoded(flow.pixels, EVEN), encoded(looked, EVEN)
            looked = linear_in(before + np.float32(self.strength) * (after - before), EVEN, EVEN)
        return flow.as_light(looked, flow.space)


def _table(cube: Cube) -> Table:
    values = cube.values if not cube.is_curves else np.zeros((len(cube.values), 3))
    return table_of_values(values, 1 if cube.is_curves else 3, codes=False)
