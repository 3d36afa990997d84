"""Converting pictures from one space to another: look stays, numbers change.

Between spaces of matrix and curves it is computed exactly; such spaces have no black point and no paper to be kept, so that
all four intents give the same. Everything else (tables, gray, CMYK, Lab) goes through tables that are baked from
LittleCMS's unoptimised floating-point answers and checked against them while they are made; few pixels are given to it
directly.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from velkin.core.compiled import in_bands
from velkin.core.conversion.codes import Numbers, Pixels, as_float, channel_tables, encoder_of, quantised
from velkin.core.conversion.dither import dither_tile
from velkin.core.gamut.outside import ChannelEnds, Outside, ends_of, measure_outside
from velkin.core.icc.read import table_side
from velkin.core.icc.space import CHANNELS, LAB, ICCSpace, Space, profile_of
from velkin.core.icc.transform import Intent, device_values, to_lab
from velkin.core.sampling import spread
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.rgb import ECIRGB, RGBSpace, between

Floats = NDArray[np.float64]

#: Up to so many pixels LittleCMS is asked directly.
_FEW = 4096
#: Sides of three-dimensional tables tried, from coarse to fine, until one is close enough; then of four-dimensional ones.
_SIDES = (97, 129)
_SIDES_FOUR = (25, 33, 41)
#: What is close enough to LittleCMS's own answer, mean and largest ΔE00 of random colours.
_CLOSE_MEAN, _CLOSE_MAX = 0.01, 0.3
_PROBES = 6000
_BLOCK = 1 << 20


@dataclass(frozen=True)
class Conversion:
    """From one space to another.

    Attributes
    ----------
    source, destination : Space
    intent : Intent
    black_point : bool
        Black point compensation; never used with the absolute intent.
    """

    source: Space
    destination: Space
    intent: Intent = Intent.RELATIVE
    black_point: bool = True

    @property
    def exact(self) -> bool:
        """Whether it is curve, matrix and curve."""
        return isinstance(self.source, RGBSpace) and isinstance(self.destination, RGBSpace)


# ---- tables -------------------------------------------------------------------------------------------------------


def _placed(space: Space, device: NDArray[np.floating]) -> NDArray[np.floating]:
    """Where device values (..., C) lie in a table: evenly by lightness for RGB spaces of curves, as they are for others."""
    if isinstance(space, RGBSpace):
        return np.asarray(ECIRGB.encode(np.clip(space.decode(np.clip(device, 0.0, 1.0)), 0.0, 1.0)))
    return np.clip(device, 0.0, 1.0)


def _unplaced(space: Space, places: Floats) -> Floats:
    return np.asarray(space.encode(ECIRGB.decode(places))) if isinstance(space, RGBSpace) else places


def _values(c: Conversion, device: NDArray[np.floating]) -> Floats:
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
def _as_codes(c: Conversion) -> NDArray[np.uint16]:
    """The table of a conversion as 16-bit codes, flat."""
    return np.round(np.clip(_table(c), 0.0, 1.0) * 65535.0).astype(np.uint16).ravel()


def _baked(
    values: Callable[[Floats], Floats], channels: int, lab: Callable[[Floats], Floats], own_side: int | None = None
) -> Pixels:
    """A table of `values` over 0..1 in each channel, as coarse as keeps it close by `lab` of random places."""
    if channels == 1:
        return values(np.linspace(0.0, 1.0, 4096)[:, None]).astype(np.float32)
    probes = np.random.default_rng(11).random((_PROBES, channels))
    meant = lab(values(probes))
    sides: tuple[int, ...] = _SIDES if channels == 3 else _SIDES_FOUR
    if own_side is not None:  # the profile's own nodes, where straight lines between them are what it says
        sides = (own_side, 2 * own_side - 1, *(s for s in sides if s > own_side))
    table: Pixels | None = None
    for side in sides:
        grid = _grid(side, channels)
        parts = in_bands(lambda first, last, grid=grid: values(grid[first:last]), len(grid))  # type: ignore[misc]
        table = np.concatenate(parts).astype(np.float32).reshape(*([side] * channels), -1)
        error = ciede2000(lab(_read(table, probes.astype(np.float32)).astype(np.float64)), meant)
        if error.mean() <= _CLOSE_MEAN and error.max() <= _CLOSE_MAX:
            break
    assert table is not None
    return table


@lru_cache(maxsize=12)
def _table(c: Conversion) -> Pixels:
    """The table of a conversion into a space that is known by its profile, (n,)*C + (channels,)."""
    icc, model = profile_of(c.destination), c.destination.model
    return _baked(
        lambda places: _values(c, _unplaced(c.source, places)),
        CHANNELS[c.source.model],
        lambda device: to_lab(np.clip(device, 0.0, 1.0), icc, model),
    )


def _read(table: Pixels, places: Pixels) -> Pixels:
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
def _lab_table(space: ICCSpace, intent: Intent) -> Pixels:
    """The table from device values to Lab, without black point compensation, (n,)*C + (3,)."""
    return _baked(
        lambda device: to_lab(device, space.icc, space.model, intent),
        CHANNELS[space.model],
        lambda lab: lab,
        own_side=table_side(space.icc, intent),
    )


@lru_cache(maxsize=32)
def _compensation(space: ICCSpace, intent: Intent) -> tuple[Floats, Floats]:
    """What black point compensation makes of XYZ when colours of a space go into one without a black point: a·XYZ + b."""
    device = np.random.default_rng(5).random((64, CHANNELS[space.model]))
    before = device_values(device, space.icc, space.model, _XYZ, "xyz", intent, False)
    after = device_values(device, space.icc, space.model, _XYZ, "xyz", intent, True)
    lines = [np.polyfit(before[:, i], after[:, i], 1) for i in range(3)]
    return np.array([line[0] for line in lines]), np.array([line[1] for line in lines])


# ---- single steps on float pixels ---------------------------------------------------------------------------------


def _xyz_of(numbers: Pixels, space: ICCSpace, intent: Intent, black_point: bool) -> Floats:
    """XYZ D50 (N, 3) of device values (N, C)."""
    if space.model == "lab":
        return lab_to_xyz(numbers.astype(np.float64) * np.array([100.0, 255.0, 255.0]) - np.array([0.0, 128.0, 128.0]))
    device = np.clip(numbers, 0.0, 1.0)
    if len(device) <= _FEW:
        lab = to_lab(device, space.icc, space.model, intent)
    else:
        lab = _read(_lab_table(space, intent), device).astype(np.float64)
    xyz = lab_to_xyz(lab)
    if black_point and intent is not Intent.ABSOLUTE:
        gain, offset = _compensation(space, intent)
        xyz = xyz * gain + offset
    return xyz


def linear_in(
    numbers: Pixels,
    space: Space,
    working: RGBSpace,
    intent: Intent = Intent.RELATIVE,
    black_point: bool = True,
) -> Pixels:
    """Linear RGB (..., 3) in `working`, unclipped, of encoded numbers (..., C) float32 in any space."""
    if isinstance(space, RGBSpace):
        linear = space.decode(numbers)
        if space == working:
            return np.asarray(linear, dtype=np.float32)
        return np.asarray(linear @ between(space, working).T.astype(np.float32), dtype=np.float32)
    flat = numbers.reshape(-1, numbers.shape[-1])
    if len(flat) > _FEW and space.model != "lab":
        return _linear_by_table(flat, space, working, intent, black_point).reshape(*numbers.shape[:-1], 3)
    xyz = _xyz_of(flat, space, intent, black_point)
    return np.asarray(xyz @ working.from_xyz.T, dtype=np.float32).reshape(*numbers.shape[:-1], 3)


def _linear_by_table(flat: Pixels, space: ICCSpace, working: RGBSpace, intent: Intent, black_point: bool) -> Pixels:
    """Linear RGB (N, 3) of many device values (N, C), through the profile's table of Lab."""
    from velkin.core.spaces import kernels  # loaded where needed: the compiler takes a moment

    lab = _read(_lab_table(space, intent), np.clip(flat, 0.0, 1.0))
    compensated = black_point and intent is not Intent.ABSOLUTE
    gain, offset = _compensation(space, intent) if compensated else (np.ones(3), np.zeros(3))
    matrix = (working.from_xyz * D50).astype(np.float32).ravel()
    out = np.empty((len(lab), 3), dtype=np.float32)
    g, o = gain.astype(np.float32), (offset / D50).astype(np.float32)
    in_bands(lambda first, last: kernels.lab_to_linear(lab[first:last], g, o, matrix, out[first:last]), len(lab))
    return out


def from_linear(linear: Pixels, c: Conversion) -> Pixels:
    """Encoded numbers (..., channels) at a conversion's destination of linear RGB (..., 3) in its source, a space of curves.

    Between spaces of curves nothing is clipped; tables end at 0 and 1.

    Raises
    ------
    BadProfile
    """
    assert isinstance(c.source, RGBSpace)
    if isinstance(c.destination, RGBSpace):
        there = linear @ between(c.source, c.destination).T.astype(np.float32)
        return np.asarray(c.destination.encode(there), dtype=np.float32)
    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    if len(flat) <= _FEW:
        return converted(np.asarray(c.source.encode(linear), dtype=np.float32), c)
    from velkin.core.spaces import kernels

    places = np.empty_like(flat)
    in_bands(lambda first, last: kernels.even_lightness(flat[first:last], places[first:last]), len(flat))
    out = _read(_table(c), places)
    return np.clip(out, 0.0, 1.0, out=out).reshape(*linear.shape[:-1], out.shape[-1])


def converted(numbers: Pixels, c: Conversion) -> Pixels:
    """Encoded numbers (..., channels) float32 of encoded numbers (..., C) float32.

    Between spaces of matrix and curves nothing is clipped; tables end at 0 and 1.

    Raises
    ------
    BadProfile
        When a profile cannot be used that way.
    """
    if c.source == c.destination:
        return numbers
    if isinstance(c.destination, RGBSpace):
        linear = linear_in(numbers, c.source, c.destination, c.intent, c.black_point)
        return np.asarray(c.destination.encode(linear), dtype=np.float32)
    flat = numbers.reshape(-1, numbers.shape[-1])
    if len(flat) <= _FEW:
        out = _values(c, np.clip(flat, 0.0, 1.0)).astype(np.float32)
    else:
        out = _read(_table(c), np.asarray(_placed(c.source, flat), dtype=np.float32))
    return np.clip(out, 0.0, 1.0).reshape(*numbers.shape[:-1], out.shape[-1])


# ---- whole pictures -----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Converted:
    """A converted picture and, where the destination is a space of matrix and curves, what left it."""

    numbers: Numbers
    outside: Outside | None


def convert_picture(numbers: Numbers, c: Conversion, bits: int, dither: bool = True) -> Converted:
    """A whole picture in another space.

    Parameters
    ----------
    numbers : ndarray (H, W, C), uint8, uint16 or float32
    bits : 8, 16 or 32
        Of the result; 32 is float32 and is not clipped between spaces of matrix and curves.
    dither : bool
        Blue noise within half a code when going to 8 bits; the same on every run.

    Raises
    ------
    BadProfile
        When a profile cannot be used that way.
    """
    height, width = numbers.shape[:2]
    flat = np.ascontiguousarray(numbers).reshape(height * width, -1)
    kind = {8: np.uint8, 16: np.uint16, 32: np.float32}[bits]
    out = np.empty((len(flat), CHANNELS[c.destination.model]), dtype=kind)
    integers = flat.dtype in (np.uint8, np.uint16) and bits != 32
    if c.source == c.destination:  # other bits only
        outside = _by_blocks(flat, c, bits, dither, width, out)
    elif integers and c.exact:
        outside = _codes_exactly(flat, c, dither and bits == 8, width, out)
    elif integers and CHANNELS[c.source.model] == 3 and not isinstance(c.destination, RGBSpace) and len(flat) > _FEW:
        outside = None
        _codes_by_table(flat, c, dither and bits == 8, width, out)
    else:
        outside = _by_blocks(flat, c, bits, dither, width, out)
    return Converted(out.reshape(height, width, -1), outside)


def _codes_exactly(flat: NDArray[np.generic], c: Conversion, dither: bool, width: int, out: NDArray[Any]) -> Outside:
    from velkin.core.conversion import code_kernels

    assert isinstance(c.source, RGBSpace) and isinstance(c.destination, RGBSpace)
    light = channel_tables(c.source, flat.dtype)
    matrix = between(c.source, c.destination).astype(np.float32).ravel()
    encoder = encoder_of(c.destination)
    low, high = ends_of(c.destination)
    noise = dither_tile() if dither else np.zeros((1, 1), dtype=np.float32)

    def band(first: int, last: int) -> NDArray[np.int64]:
        counts = np.zeros(7, dtype=np.int64)
        code_kernels.codes_of_codes(
            flat[first:last], *light, matrix, *encoder.tables, encoder.shift, encoder.base, low, high, noise, first, width,
            out[first:last], counts,
        )  # fmt: skip
        return counts

    n, *ends = (int(v) for v in sum(in_bands(band, len(flat))))
    return Outside(len(flat), n, (ChannelEnds(*ends[0:2]), ChannelEnds(*ends[2:4]), ChannelEnds(*ends[4:6])))


def _codes_by_table(flat: NDArray[np.generic], c: Conversion, dither: bool, width: int, out: NDArray[Any]) -> None:
    from velkin.core.conversion import kernels

    table = _table(c)
    side = table.shape[0]
    grid, steps = _as_codes(c), np.float32(side - 1)
    scale = np.float32(255.0 / 65535.0 if out.dtype == np.uint8 else 1.0)
    if isinstance(c.source, RGBSpace):
        places = channel_tables(c.source, flat.dtype, lambda linear: ECIRGB.encode(np.clip(linear, 0.0, 1.0)))
    else:
        places = [np.linspace(0.0, 1.0, 256 if flat.dtype == np.uint8 else 65536, dtype=np.float32)] * 3
    red = places[0] * steps
    green, blue = (red, red) if places[1] is places[0] else (places[1] * steps, places[2] * steps)
    noise = dither_tile() if dither else np.zeros((1, 1), dtype=np.float32)
    in_bands(
        lambda first, last: kernels.codes_through_cube(
            flat[first:last], red, green, blue, grid, side, scale, noise, width, first, out[first:last]
        ),
        len(flat),
    )


def _by_blocks(flat: NDArray[Any], c: Conversion, bits: int, dither: bool, width: int, out: NDArray[Any]) -> Outside | None:
    """The general way, in blocks so that memory stays bounded."""
    total: Outside | None = None
    for first in range(0, len(flat), _BLOCK):
        block = as_float(flat[first : first + _BLOCK])
        if isinstance(c.destination, RGBSpace):
            linear = linear_in(block, c.source, c.destination, c.intent, c.black_point)
            found = measure_outside(linear[None], c.destination)
            total = found if total is None else total + found
            numbers = np.asarray(c.destination.encode(linear), dtype=np.float32)
        else:
            numbers = converted(block, c)
        last = first + len(block)
        out[first:last] = numbers if bits == 32 else quantised(numbers, bits, dither, first, width)
    return total


def lab_of(numbers: Pixels, space: Space) -> Floats:
    """Lab D50 (..., 3) of encoded numbers (..., C), media-relative; for pins and readouts."""
    flat = np.asarray(numbers, dtype=np.float32).reshape(-1, numbers.shape[-1])
    if isinstance(space, RGBSpace):
        xyz = space.decode(flat.astype(np.float64)) @ space.to_xyz.T
    else:
        xyz = np.asarray(_xyz_of(flat, space, Intent.RELATIVE, False), dtype=np.float64)
    return xyz_to_lab(xyz).reshape(*numbers.shape[:-1], 3)


def is_destination(space: Space) -> bool:
    """Whether pictures can be converted to a space: RGB of curves, or a profile with a way back from colours."""
    if isinstance(space, RGBSpace):
        return True
    if space is LAB or space.model == "lab":
        return False
    try:
        device_values(np.zeros((1, 3)), LAB.icc, "lab", space.icc, space.model)
    except Exception:
        return False
    return True


def convert_chain(numbers: Numbers, chain: tuple[Conversion, ...], bits: int, dither: bool = True) -> Converted:
    """A whole picture through several conversions in turn, nothing rounded between them; see `convert_picture`."""
    if len(chain) == 1:
        return convert_picture(numbers, chain[0], bits, dither)
    height, width = numbers.shape[:2]
    flat = np.ascontiguousarray(numbers).reshape(height * width, -1)
    last = chain[-1]
    kind = {8: np.uint8, 16: np.uint16, 32: np.float32}[bits]
    out = np.empty((len(flat), CHANNELS[last.destination.model]), dtype=kind)
    total: Outside | None = None
    for first in range(0, len(flat), _BLOCK):
        block = as_float(flat[first : first + _BLOCK])
        for c in chain:
            block = converted(block, c)
        if isinstance(last.destination, RGBSpace):
            found = measure_outside(np.asarray(last.destination.decode(block), dtype=np.float32)[None], last.destination)
            total = found if total is None else total + found
        end = first + len(block)
        out[first:end] = block if bits == 32 else quantised(block, bits, dither, first, width)
    return Converted(out.reshape(height, width, -1), total)


def share_outside(numbers: Numbers, source: Space, destination: Space) -> float:
    """Share of pixels that a destination cannot hold; of spaces known by their profile, an even sample of up to 2 million.

    Raises
    ------
    BadProfile
        When the destination has no way from colours to device values.
    """
    from velkin.core.gamut.roundtrip import outside_by_profile

    flat = numbers.reshape(-1, numbers.shape[-1])
    sample = as_float(spread(flat, 2_000_000))
    if isinstance(destination, RGBSpace):
        return measure_outside(linear_in(sample, source, destination)[None], destination).share
    assert isinstance(destination, ICCSpace)
    return float(np.mean(outside_by_profile(lab_of(sample, source), destination)))
