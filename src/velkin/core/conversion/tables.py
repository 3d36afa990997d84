"""Tables baked from LittleCMS's unoptimised floating-point answers, and checked against them while they are made.

Between spaces of matrix and curves none are needed; everything else (tables, gray, CMYK, Lab) is read from them, many times as fast.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from velkin.core.compiled import in_bands
from velkin.core.conversion.codes import Pixels
from velkin.core.conversion.conversion import Conversion
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


def placed(space: Space, device: NDArray[np.floating]) -> NDArray[np.floating]:
    """Where device values (..., C) lie in a table: evenly by lightness for RGB spaces of curves, as they are for others."""
    if isinstance(space, RGBSpace):
        return np.asarray(ECIRGB.encode(np.clip(space.decode(np.clip(device, 0.0, 1.0)), 0.0, 1.0)))
    return np.clip(device, 0.0, 1.0)


def unplaced(space: Space, places: Floats) -> Floats:
    return np.asarray(space.encode(ECIRGB.decode(places))) if isinstance(space, RGBSpace) else places


def values(c: Conversion, device: NDArray[np.floating]) -> Floats:
    """LittleCMS's own answer for device values (N, C)."""
    return device_values(
        device,
        profile_of(c.source),
        c.source.model,
        profile_of(c.destination),
        c.destination.model,
        c.intent,
        c.black_point,
    )


def _grid(side: int, channels: int) -> Floats:
    steps = np.linspace(0.0, 1.0, side)
    axes = np.meshgrid(*([steps] * channels), indexing="ij")
    return np.stack(axes, axis=-1).reshape(-1, channels)


@lru_cache(maxsize=12)
def as_codes(c: Conversion) -> NDArray[np.uint16]:
    """The table of a conversion as 16-bit codes, flat."""
    return np.round(np.clip(table_of(c), 0.0, 1.0) * 65535.0).astype(np.uint16).ravel()


def _baked(
    give: Callable[[Floats], Floats], channels: int, lab: Callable[[Floats], Floats], own_side: int | None = None
) -> Pixels:
    """A table of what `give` gives over 0..1 in each channel, as coarse as keeps it close by `lab` of random places."""
    if channels == 1:
        return give(np.linspace(0.0, 1.0, 4096)[:, None]).astype(np.float32)
    probes = np.random.default_rng(11).random((_PROBES, channels))
    meant = lab(give(probes))
    sides: tuple[int, ...] = _SIDES if channels == 3 else _SIDES_FOUR
    if own_side is not None:  # the profile's own nodes, where straight lines between them are what it says
        sides = (own_side, 2 * own_side - 1, *(s for s in sides if s > own_side))
    table: Pixels | None = None
    for side in sides:
        grid = _grid(side, channels)
        parts = in_bands(lambda first, last, grid=grid: give(grid[first:last]), len(grid))  # type: ignore[misc]
        table = np.concatenate(parts).astype(np.float32).reshape(*([side] * channels), -1)
        error = ciede2000(lab(read(table, probes.astype(np.float32)).astype(np.float64)), meant)
        if error.mean() <= _CLOSE_MEAN and error.max() <= _CLOSE_MAX:
            break
    assert table is not None
    return table


@lru_cache(maxsize=12)
def table_of(c: Conversion) -> Pixels:
    """The table of a conversion into a space that is known by its profile, (n,)*C + (channels,)."""
    icc, model = profile_of(c.destination), c.destination.model
    return _baked(
        lambda places: values(c, unplaced(c.source, places)),
        CHANNELS[c.source.model],
        lambda device: to_lab(np.clip(device, 0.0, 1.0), icc, model),
    )


def read(table: Pixels, places: Pixels) -> Pixels:
    """Values (N, channels) of a table at places (N, C) in 0..1."""
    from velkin.core.conversion import kernels  # loaded where needed: the compiler takes a moment

    places = np.ascontiguousarray(places, dtype=np.float32)
    if table.ndim == 2:
        steps = np.linspace(0.0, 1.0, len(table))
        return np.stack([np.interp(places[:, 0], steps, table[:, c]) for c in range(table.shape[1])], axis=-1).astype(
            np.float32
        )
    out = np.empty((len(places), table.shape[-1]), dtype=np.float32)
    loop = kernels.through_cube if table.ndim == 4 else kernels.through_four
    flat, side = table.reshape(-1, table.shape[-1]), table.shape[0]
    in_bands(lambda first, last: loop(places[first:last], flat, side, out[first:last]), len(places))
    return out


_XYZ = imagecodecs.cms_profile("xyz")


@lru_cache(maxsize=12)
def lab_table(space: ICCSpace, intent: Intent) -> Pixels:
    """The table from device values to Lab, without black point compensation, (n,)*C + (3,)."""
    return _baked(
        lambda device: to_lab(device, space.icc, space.model, intent),
        CHANNELS[space.model],
        lambda lab: lab,
        own_side=table_side(space.icc, intent),
    )


@lru_cache(maxsize=32)
def compensation(space: ICCSpace, intent: Intent) -> tuple[Floats, Floats]:
    """What black point compensation makes of XYZ when colours of a space go into one without a black point: a·XYZ + b."""
    device = np.random.default_rng(5).random((64, CHANNELS[space.model]))
    before = device_values(device, space.icc, space.model, _XYZ, "xyz", intent, False)
    after = device_values(device, space.icc, space.model, _XYZ, "xyz", intent, True)
    lines = [np.polyfit(before[:, i], after[:, i], 1) for i in range(3)]
    return np.array([line[0] for line in lines]), np.array([line[1] for line in lines])
