"""What a space known only by its profile cannot hold: colours that come back changed from device values (COLOUR.md section 5).

A colour is out of gamut when there and back differs by more than 1.0 ΔE00 beyond the 95th percentile of the profile's own round-trip
error, of colours that its own separation produces. Where a profile's tables invert so badly that this says little, the hull of its
colours decides.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import in_bands
from velkin.core.cache import cached
from velkin.core.conversion.tables import Table, read, table_of_values
from velkin.core.disk_cache import kept_on_disk
from velkin.core.gamut.solid import solid_of
from velkin.core.icc.space import LAB, ICCSpace
from velkin.core.icc.transform import Intent, device_values, to_lab
from velkin.core.spaces.difference import ciede2000

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: Steps a side of the table of what lies beyond: those looked at everywhere, and how often they are halved where its surface passes.
_SIDE, _HALVED = 41, 2
#: ΔE within which a neighbour of that surface is looked at more closely.
_NEAR = 1.0
#: Lab at the ends of the tables here.
_LOW, _HIGH = np.array([0.0, -128.0, -128.0]), np.array([100.0, 128.0, 128.0])
#: Steps a side of the Lab grid that is separated to find a profile's own error.
_OWN_SIDE = 33
#: ΔE00 that a colour may come back changed beyond the profile's own error; own error from which the hull decides.
_ALLOWED, _BAD = 1.0, 3.0


def there_and_back(lab: Floats, space: ICCSpace) -> Floats:
    """ΔE00 (N,) between media-relative Lab (N, 3) and what device values of the space make of it, relative colorimetric."""
    return ciede2000(lab, to_lab(_separated(lab, space), space.icc, space.model))


def _separated(lab: Floats, space: ICCSpace) -> Floats:
    return np.clip(
        device_values(lab, LAB.icc, "lab", space.icc, space.model, intent=Intent.RELATIVE, black_point=False), 0.0, 1.0
    )


def _grid(side: int) -> Floats:
    axes = [np.linspace(low, high, side) for low, high in zip(_LOW, _HIGH, strict=True)]
    return np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)


@cached(1_000_000)
@kept_on_disk(float)
def own_error(space: ICCSpace) -> float:
    """The 95th percentile of a profile's own round-trip error, ΔE00, of the colours that its own separation produces.

    Device values come from its table for a Lab grid; random ones would hold ink sums that no press prints and raise the figure.

    Raises
    ------
    BadProfile
        When the profile has no way from colours to device values.
    """
    printed = to_lab(_separated(_grid(_OWN_SIDE), space), space.icc, space.model)
    return float(np.percentile(there_and_back(printed, space), 95))


def judged_by_hull(space: ICCSpace) -> bool:
    """Whether the hull of a profile's colours decides what it holds, because its tables invert too badly. Raises BadProfile."""
    return own_error(space) > _BAD


def beyond(lab: Floats, space: ICCSpace) -> Floats:
    """How far (N,) media-relative Lab (N, 3) lies beyond what a profile holds, in about ΔE; 0 or less within.

    Raises
    ------
    BadProfile
        When the profile has no way from colours to device values.
    """
    if not judged_by_hull(space):
        return there_and_back(lab, space) - _ALLOWED - own_error(space)
    return solid_of(space).beyond(lab)


def _twice_as_fine(values: Floats) -> Floats:
    """Values (n, n, n) at twice as many steps, in the middle of two where there was none."""
    for axis in range(3):
        first = np.moveaxis(values, axis, 0)
        fine = np.empty((2 * len(first) - 1, *first.shape[1:]))
        fine[::2], fine[1::2] = first, 0.5 * (first[:-1] + first[1:])
        values = np.moveaxis(fine, 0, axis)
    return np.ascontiguousarray(values)


def _largest_round(values: Floats) -> Floats:
    """The largest of each value (n, n, n) and its 26 neighbours."""
    for axis in range(3):
        first = np.moveaxis(values, axis, 0)
        wide = first.copy()
        np.maximum(wide[1:], first[:-1], out=wide[1:])
        np.maximum(wide[:-1], first[1:], out=wide[:-1])
        values = np.moveaxis(wide, 0, axis)
    return values


@cached(80_000_000)
@kept_on_disk(Table)
def _beyond_table(space: ICCSpace) -> Table:
    """`beyond` over Lab: to the finest step where it is about 0, which is all that is asked of it, and from wider ones elsewhere."""

    def at(lab: Floats) -> Floats:
        return np.concatenate(in_bands(lambda first, last: beyond(lab[first:last], space), len(lab)))

    side = _SIDE
    values = at(_grid(side)).reshape(side, side, side)
    for _ in range(_HALVED):
        near = (_largest_round(values) > -_NEAR) & (_largest_round(-values) > -_NEAR)
        values, side = _twice_as_fine(values), 2 * side - 1
        looked = _twice_as_fine(near.astype(np.float64)) > 0.0
        looked[::2, ::2, ::2] = False  # these were looked at before
        values[looked] = at(_grid(side)[looked.ravel()])
    return table_of_values(values[..., None], 3, codes=False)


def outside_by_profile(lab: NDArray[np.floating], space: ICCSpace) -> NDArray[np.bool_]:
    """Which media-relative Lab (N, 3) a space known by its profile cannot hold; read from a table, which is made on first use.

    Raises
    ------
    BadProfile
        When the profile has no way from colours to device values.
    """
    places = lab.astype(np.float32)
    places -= _LOW.astype(np.float32)
    places /= (_HIGH - _LOW).astype(np.float32)
    return np.asarray(read(_beyond_table(space), places)[:, 0] > 0)
