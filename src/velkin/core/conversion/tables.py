"""Tables baked from LittleCMS's unoptimised floating-point answers, and checked against them while they are made.

Between spaces of matrix and curves none are needed; everything else (tables, gray, CMYK, Lab) is read from them, many times as fast.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import in_bands
from velkin.core.cache import cached
from velkin.core.conversion import kernels
from velkin.core.conversion.codes import Pixels
from velkin.core.conversion.conversion import Conversion
from velkin.core.disk_cache import kept_on_disk
from velkin.core.icc.read import table_side
from velkin.core.icc.space import CHANNELS, ICCSpace, Space, profile_of
from velkin.core.icc.transform import Intent, device_values, to_lab
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.rgb import ECIRGB, RGBSpace

Floats = NDArray[np.float64]

#: Sides of three-dimensional tables tried, from coarse to fine, until one is close enough; then of four-dimensional ones.
_SIDES = (97, 129)
_SIDES_FOUR = (25, 33, 41)
#: What is close enough to LittleCMS's own answer, mean and largest ΔE00 of random colours.
_CLOSE_MEAN, _CLOSE_MAX = 0.01, 0.3
_PROBES = 6000


#: The space by whose curve, that of L*, light is laid out evenly by lightness.
EVEN = ECIRGB
#: Bytes that tables may take together.
_BUDGET = 300_000_000


@dataclass(frozen=True, eq=False)
class Table:
    """Values over 0..1 in each of one, three or four channels, at even steps.

    Attributes
    ----------
    grid : ndarray (side ** axes · channels,), float32 or uint16
        Flat; device values as 16-bit codes, half the memory of floats, so that more of them stays near the processor.
    side, axes, channels : int
    scale : float
        What the grid's values are multiplied by.
    """

    grid: NDArray[Any]
    side: int
    axes: int
    channels: int
    scale: float = 1.0

    @property
    def nbytes(self) -> int:
        """Bytes of the grid."""
        return int(self.grid.nbytes)


def table_of_values(values: NDArray[np.floating], axes: int, codes: bool) -> Table:
    """A table of values (side, …, channels), as codes where they are device values."""
    side, channels = values.shape[0], values.shape[-1]
    if codes:
        grid = np.round(np.clip(values, 0.0, 1.0) * 65535.0).astype(np.uint16)
        return Table(grid.ravel(), side, axes, channels, 1.0 / 65535.0)
    return Table(np.ascontiguousarray(values, dtype=np.float32).ravel(), side, axes, channels)


def read(table: Table, places: NDArray[np.floating], out: Pixels | None = None) -> Pixels:
    """Values (N, channels) float32 of a table at places (N, axes), held to 0..1: straight lines along one axis, tetrahedra in three."""
    places = np.ascontiguousarray(places, dtype=np.float32)
    if out is None:
        out = np.empty((len(places), table.channels), dtype=np.float32)
    if table.axes == 1:
        columns = table.grid.reshape(table.side, -1) * np.float32(table.scale)
        steps = np.linspace(0.0, 1.0, table.side)
        for channel in range(table.channels):
            out[:, channel] = np.interp(places[:, 0], steps, columns[:, channel])
        return out
    loop = kernels.through_cube if table.axes == 3 else kernels.through_four
    scale = np.float32(table.scale)
    in_bands(lambda a, z: loop(places[a:z], table.grid, table.side, scale, out[a:z]), len(places))
    return out


def _device_at(space: Space, places: Floats) -> Floats:
    """The device values (N, C) that stand at places of a table: RGB spaces of curves are laid out evenly by lightness."""
    return np.asarray(space.encode(EVEN.decode(places))) if isinstance(space, RGBSpace) else places


def _values(c: Conversion, device: NDArray[np.floating]) -> Floats:
    """LittleCMS's own answer for device values (N, C)."""
    return device_values(
        device,
        profile_of(c.source),
        c.source.model,
        profile_of(c.destination),
        c.destination.model,
        intent=c.intent,
        black_point=c.black_point,
    )


def _nodes(side: int, axes: int) -> Floats:
    steps = np.linspace(0.0, 1.0, side)
    return np.stack(np.meshgrid(*([steps] * axes), indexing="ij"), axis=-1).reshape(-1, axes)


def _baked(
    give: Callable[[Floats], Floats], axes: int, lab: Callable[[Floats], Floats], codes: bool, own_side: int | None = None
) -> Table:
    """A table of what `give` gives over 0..1 in each channel, as coarse as keeps it close by `lab` of random places."""
    if axes == 1:
        return table_of_values(give(np.linspace(0.0, 1.0, 4096)[:, None]), 1, codes)
    probes = np.random.default_rng(11).random((_PROBES, axes))
    meant = lab(give(probes))
    sides: tuple[int, ...] = _SIDES if axes == 3 else _SIDES_FOUR
    if own_side is not None:  # the profile's own nodes, where straight lines between them are what it says
        sides = (own_side, 2 * own_side - 1, *(s for s in sides if s > own_side))
    for side in sides:
        nodes = _nodes(side, axes)
        parts = in_bands(lambda first, last, nodes=nodes: give(nodes[first:last]), len(nodes))  # type: ignore[misc]
        table = table_of_values(np.concatenate(parts).reshape(*([side] * axes), -1), axes, codes)
        error = ciede2000(lab(read(table, probes).astype(np.float64)), meant)
        if error.mean() <= _CLOSE_MEAN and error.max() <= _CLOSE_MAX:
            break
    return table


@cached(_BUDGET)
@kept_on_disk(Table)
def table_of(c: Conversion) -> Table:
    """The table of a conversion into a space that is known by its profile; places lie evenly by lightness where the source is of curves.

    Raises
    ------
    BadProfile
        When the profiles cannot be combined.
    """
    icc, model = profile_of(c.destination), c.destination.model
    return _baked(
        lambda places: _values(c, _device_at(c.source, places)),
        CHANNELS[c.source.model],
        lambda device: to_lab(np.clip(device, 0.0, 1.0), icc, model),
        codes=True,
    )


_XYZ = imagecodecs.cms_profile("xyz")


@cached(_BUDGET)
@kept_on_disk(Table)
def lab_table(space: ICCSpace, intent: Intent) -> Table:
    """The table from device values to Lab, without black point compensation. Raises BadProfile."""
    return _baked(
        lambda device: to_lab(device, space.icc, space.model, intent),
        CHANNELS[space.model],
        lambda lab: lab,
        codes=False,
        own_side=table_side(space.icc, intent),
    )


@lru_cache(maxsize=32)
def compensation(space: ICCSpace, intent: Intent) -> tuple[Floats, Floats]:
    """What black point compensation makes of XYZ when colours of a space go into one without a black point: a·XYZ + b."""
    device = np.random.default_rng(5).random((64, CHANNELS[space.model]))
    before = device_values(device, space.icc, space.model, _XYZ, "xyz", intent=intent, black_point=False)
    after = device_values(device, space.icc, space.model, _XYZ, "xyz", intent=intent, black_point=True)
    lines = [np.polyfit(before[:, i], after[:, i], 1) for i in range(3)]
    return np.array([line[0] for line in lines]), np.array([line[1] for line in lines])
