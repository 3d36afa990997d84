"""A match on pictures: baked into a table of how far colours move, laid out evenly by lightness, and held to the map itself while it is made."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.cache import cached
from velkin.core.compiled import in_bands
from velkin.core.conversion.light import encoded, linear_in
from velkin.core.conversion.tables import EVEN, Table, read, table_of_values
from velkin.core.match.match import Match
from velkin.core.match.pair import coordinates, difference, oklab_at
from velkin.core.spaces.oklab import oklab_to_xyz, xyz_to_oklab
from velkin.core.spaces.rgb import RGBSpace

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

_SIDES = (33, 49, 65)
_CLOSE_MEAN, _CLOSE_MAX = 0.05, 0.9
#: Colours worked on at once.
_CHUNK = 2048


@dataclass(frozen=True)
class Amounts:
    """How much of a match is taken: of its change of colour, and of lightness; 1 is all."""

    colour: float = 1.0
    lightness: float = 1.0

    def times(self, strength: float) -> Amounts:
        """All of it at a strength."""
        return Amounts(self.colour * strength, self.lightness * strength)


def carried(match: Match, amounts: Amounts, x: Floats) -> Floats:
    """Where coordinates (M, 3) are carried by so much of a match."""
    by = np.array([amounts.lightness, amounts.colour, amounts.colour])
    parts = in_bands(lambda a, z: x[a:z] + by * (match.at(x[a:z]) - x[a:z]), len(x), _CHUNK)
    return np.concatenate(parts)


def matched(linear: Floats, space: RGBSpace, match: Match, amounts: Amounts) -> Floats:
    """Linear RGB (M, 3) in a space through the map itself; exact, for few colours."""
    x = coordinates(xyz_to_oklab(linear @ space.to_xyz.T))
    return np.asarray(oklab_to_xyz(oklab_at(carried(match, amounts, x))) @ space.from_xyz.T)


@cached(60_000_000)
def table_of_match(match: Match, amounts: Amounts, space: RGBSpace) -> Table:
    """By how much evenly encoded RGB of a space moves, at evenly encoded RGB 0..1."""

    def way(even: Floats) -> Floats:
        there = matched(np.asarray(EVEN.decode(even)), space, match, amounts)
        return np.asarray(EVEN.encode(there) - even)

    rng = np.random.default_rng(29)
    probes = rng.random((3000, 3))
    meant = _coordinates(probes + way(probes), space)
    for side in _SIDES:
        steps = np.linspace(0.0, 1.0, side)
        nodes = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1)
        table = table_of_values(way(nodes.reshape(-1, 3)).reshape(nodes.shape), 3, codes=False)
        error = difference(_coordinates(probes + read(table, probes), space), meant)
        if error.mean() <= _CLOSE_MEAN and error.max() <= _CLOSE_MAX:
            break
    return table


def _coordinates(even: Floats, space: RGBSpace) -> Floats:
    return coordinates(xyz_to_oklab(np.asarray(EVEN.decode(even)) @ space.to_xyz.T))


def through_table(linear: Pixels, table: Table) -> Pixels:
    """Linear RGB (..., 3), unclipped, moved by a table; what lies beyond it is moved as the nearest colour within."""
    even = encoded(linear, EVEN)
    flat = even.reshape(-1, 3)
    moved = flat + read(table, flat)
    return linear_in(moved.reshape(linear.shape), EVEN, EVEN)
