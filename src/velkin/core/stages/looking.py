"""Looks from elsewhere: a table between the numbers that are stated for it, or an ICC profile; look and numbers change."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.cache import cached
from velkin.core.conversion.light import encoded, linear_in
from velkin.core.conversion.tables import EVEN, Table, read, table_of_values
from velkin.core.icc.space import LAB, ICCSpace
from velkin.core.icc.transform import Intent, to_lab
from velkin.core.looks.device_link import DeviceLink
from velkin.core.looks.kept import look_words
from velkin.core.match.cube_file import Cube
from velkin.core.spaces.lab import numbers_of_lab
from velkin.core.spaces.pictures import lab
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Alters, Flow, Line, Place

Pixels = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Look:
    """A table of others, a `.cube` or a device link, at a strength of 0 (nothing) over 1 to 1.5.

    Attributes
    ----------
    table : Cube or DeviceLink
    takes, gives : RGBSpace
        What its input and its output mean, as encoded numbers.
    strength : float
    name : str
    """

    table: Cube | DeviceLink
    takes: RGBSpace
    gives: RGBSpace
    strength: float = 1.0
    name: str = ""

    place = Place.LOOK

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        return (Line(look_words(self.name, self.strength), Alters.BOTH),)

    def apply(self, flow: Flow) -> Flow:
        """Light through the table; where its strength is not 1, so much of the way in even lightness."""
        assert flow.linear and isinstance(flow.space, RGBSpace)
        numbers = encoded(flow.light_in(self.takes), self.takes)
        found = self.table.through(numbers.reshape(-1, 3))
        looked = flow.as_numbers(found.reshape(numbers.shape), self.gives).light_in(flow.space)
        return flow.as_light(so_much(flow.pixels, looked, self.strength), flow.space)


@dataclass(frozen=True)
class ProfileLook:
    """An ICC profile put on as a look: an abstract profile on colours, or an input profile on the numbers of a stated space.

    Attributes
    ----------
    icc : bytes
    takes : RGBSpace or None
        What an input profile's numbers are; None for an abstract one.
    strength : float
    name : str
    """

    icc: bytes
    takes: RGBSpace | None = None
    strength: float = 1.0
    name: str = ""

    place = Place.LOOK

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        return (Line(look_words(self.name, self.strength), Alters.BOTH),)

    def apply(self, flow: Flow) -> Flow:
        """Light, as the profile has it. Raises BadProfile."""
        assert flow.linear and isinstance(flow.space, RGBSpace)
        source = ICCSpace(
            f"look-{hashlib.sha256(self.icc).hexdigest()[:16]}",
            self.name,
            "lab" if self.takes is None else "rgb",
            "input",
            self.icc,
        )
        if self.takes is None:
            numbers = numbers_of_lab(lab(flow.pixels, flow.space))
        else:
            numbers = encoded(flow.light_in(self.takes), self.takes)
        looked = _lab_light(read(_lab_of_look(source), numbers.reshape(-1, 3)), flow.space).reshape(flow.pixels.shape)
        return flow.as_light(so_much(flow.pixels, looked, self.strength), flow.space)


@cached(60_000_000)
def _lab_of_look(source: ICCSpace) -> Table:
    """Lab that a look's profile gives, over its encoded input 0..1, as LittleCMS reads it without optimisation. Raises BadProfile."""
    steps = np.linspace(0.0, 1.0, 65)
    nodes = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1)
    return table_of_values(to_lab(nodes.reshape(-1, 3), source.icc, source.model).reshape(nodes.shape), 3, codes=False)


def _lab_light(colours: Pixels, space: RGBSpace) -> Pixels:
    """Linear RGB (N, 3) in a space of Lab (N, 3)."""
    return linear_in(numbers_of_lab(colours), LAB, space, intent=Intent.RELATIVE, black_point=False)


def so_much(before: Pixels, after: Pixels, strength: float) -> Pixels:
    """Light between two, or beyond the second: so much of the way, in even lightness; the second itself at 1."""
    if strength == 1.0:
        return after
    first, second = encoded(before, EVEN), encoded(after, EVEN)
    return linear_in(first + np.float32(strength) * (second - first), EVEN, EVEN)
