"""A match on pictures: baked into a table of how far colours move, laid out evenly by lightness, and held to the map itself while it is made."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import in_bands
from velkin.core.cache import cached
from velkin.core.conversion.light import encoded, linear_in
from velkin.core.conversion.tables import EVEN, Table, read, table_of_values
from velkin.core.match.match import Match
from velkin.core.match.pair import coordinates, difference, oklab_at
from velkin.core.spaces.oklab import oklab_to_xyz, xyz_to_oklab
from velkin.core.spaces.rgb import RGBSpace

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

_SIDES, _ROUGH = (33, 49, 65), 17
_CLOSE_MEAN, _CLOSE_MAX = 0.05, 0.9
#: Colours worked on at once.
_CHUNK = 2048


@dataclass(frozen=True)
class Amounts:
    """How much of a match is taken, 1 being all: of its change of colour and of lightness, after a flat picture was brought to normal; and of all."""

    colour: float = 1.0
    lightness: float = 1.0
    strength: float = 1.0

    def times(self, strength: float) -> Amounts:
        """All of it at a strength."""
        return replace(self, strength=self.strength * strength)


@dataclass(frozen=True, eq=False)
class _Ways:
    """Colours, evenly encoded RGB (M, 3) of a space, where they lie in coordinates, where they are when brought to normal, and how far all of a match moves them from there."""

    even: Floats
    at: Floats
    normal: Floats
    way: Floats

    def moved(self, amounts: Amounts) -> Floats:
        """Where so much of the match carries them, in coordinates."""
        goal = self.normal + np.array([amounts.lightness, amounts.colour, amounts.colour]) * self.way
        return np.asarray(self.at + amounts.strength * (goal - self.at))

    def by(self, amounts: Amounts, space: RGBSpace) -> Floats:
        """By how much so much of the match moves their evenly encoded RGB."""
        to_linear, goal = space.from_xyz.T, self.moved(amounts)

        def part(a: int, z: int) -> Floats:
            return np.asarray(EVEN.encode(oklab_to_xyz(oklab_at(goal[a:z])) @ to_linear) - self.even[a:z])

        return np.concatenate(in_bands(part, len(goal), _CHUNK))


def carried(match: Match, amounts: Amounts, x: Floats) -> Floats:
    """Where coordinates (M, 3) are carried by so much of a match."""
    return _ways_of(match, x, x).moved(amounts)


def matched(linear: Floats, space: RGBSpace, match: Match, amounts: Amounts) -> Floats:
    """Linear RGB (M, 3) in a space through the map itself; exact, for few colours."""
    x = coordinates(xyz_to_oklab(linear @ space.to_xyz.T))
    return np.asarray(oklab_to_xyz(oklab_at(carried(match, amounts, x))) @ space.from_xyz.T)


@cached(60_000_000)
def table_of_match(match: Match, amounts: Amounts, space: RGBSpace, rough: bool = False) -> Table:
    """By how much evenly encoded RGB of a space moves, at evenly encoded RGB 0..1; a `rough` one is held to nothing, and made at once."""
    return _table_of(match, amounts, space, _ROUGH if rough else _side(match, space))


def _table_of(match: Match, amounts: Amounts, space: RGBSpace, side: int) -> Table:
    return table_of_values(_ways(match, space, side).by(amounts, space).reshape(side, side, side, 3), 3, codes=False)


@cached(1000)
def _side(match: Match, space: RGBSpace) -> int:
    """Nodes along a side of a table that is close enough for all of a match, and so for less of it."""
    probes = _ways(match, space, 0)
    meant = probes.moved(Amounts())
    for side in _SIDES:
        table = _table_of(match, Amounts(), space, side)
        error = difference(_coordinates(probes.even + read(table, probes.even), space), meant)
        if error.mean() <= _CLOSE_MEAN and error.max() <= _CLOSE_MAX:
            break
    return side


@cached(120_000_000)
def _ways(match: Match, space: RGBSpace, side: int) -> _Ways:
    """Those of a table's nodes, or (side 0) of colours in between that it is held to; the costly part, the same for all amounts."""
    if side:
        steps = np.linspace(0.0, 1.0, side)
        even = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    else:
        even = np.random.default_rng(29).random((3000, 3))
    x = _coordinates(even, space)
    return _ways_of(match, even, x)


def _ways_of(match: Match, even: Floats, x: Floats) -> _Ways:
    """The ways of colours, evenly encoded, at coordinates (M, 3)."""
    normal = match.normal(x)
    return _Ways(even, x, normal, np.concatenate(in_bands(lambda a, z: match.at(x[a:z]) - normal[a:z], len(x), _CHUNK)))


def _coordinates(even: Floats, space: RGBSpace) -> Floats:
    return coordinates(xyz_to_oklab(np.asarray(EVEN.decode(even)) @ space.to_xyz.T))


def through_table(linear: Pixels, table: Table) -> Pixels:
    """Linear RGB (..., 3), unclipped, moved by a table; what lies beyond it is moved as the nearest colour within."""
    even = encoded(linear, EVEN)
    flat = even.reshape(-1, 3)
    moved = flat + read(table, flat)
    return linear_in(moved.reshape(linear.shape), EVEN, EVEN)
