"""A picture at its destination: its numbers there, what of it is outside, the colours that are seen there and how far they are off.

Everything works on linear RGB (H, W, 3) float32, unclipped, in a space of matrix and curves (`Conversion.source`).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.compiled import in_bands
from velkin.core.conversion.conversion import Conversion, is_destination
from velkin.core.conversion.light import carried, from_linear, linear_in
from velkin.core.conversion.outside import ChannelEnds, Outside, outside_and_mask, outside_mask
from velkin.core.gamut.boundary import boundary_of
from velkin.core.gamut.roundtrip import judged_by_hull, outside_by_profile
from velkin.core.gamut.solid import solid_of
from velkin.core.icc.space import CHANNELS, ICCSpace, Space
from velkin.core.icc.transform import Intent, to_lab
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.oklab import oklab_to_xyz
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]
Mask = NDArray[np.bool_]

_BLOCK = 1 << 21
_END = 0.5 / 255.0


@dataclass(frozen=True)
class Paper:
    """What of the medium is simulated: its white as it is, and its black as light as it is (which white always brings along)."""

    white: bool = False
    black: bool = False


PLAIN = Paper()


def _source(c: Conversion) -> RGBSpace:
    assert isinstance(c.source, RGBSpace)
    return c.source


def linear_there(linear: Pixels, c: Conversion, paper: Paper = PLAIN) -> Pixels:
    """The colours that the destination shows, as linear RGB in `c.source`.

    A medium's white is seen as white and its black as black unless `paper` says otherwise.
    """
    source = _source(c)
    if isinstance(c.destination, RGBSpace):
        return carried(np.clip(carried(linear, source, c.destination), 0.0, 1.0), c.destination, source)
    if linear.shape[0] * linear.shape[1] > _BLOCK:
        rows = max(_BLOCK // linear.shape[1], 1)
        parts = [linear_there(linear[r : r + rows], c, paper) for r in range(0, len(linear), rows)]
        return np.concatenate(parts)
    device = from_linear(linear, c)
    intent = Intent.ABSOLUTE if paper.white or c.intent is Intent.ABSOLUTE else Intent.RELATIVE
    black_point = not paper.black and intent is Intent.RELATIVE and c.black_point
    return linear_in(device, c.destination, source, intent, black_point)


def lab(linear: Pixels, space: RGBSpace) -> Pixels:
    """Lab D50 (H, W, 3), float32, of linear RGB."""
    from velkin.core.spaces import kernels  # loaded where needed: the compiler takes a moment

    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    matrix = (space.to_xyz / D50[:, None]).astype(np.float32).ravel()
    in_bands(lambda a, z: kernels.to_lab(flat[a:z], matrix, out[a:z]), len(flat))
    return out.reshape(linear.shape)


def difference(first: Pixels, second: Pixels) -> Pixels:
    """ΔE00 (H, W) between two arrays of Lab (H, W, 3), float32."""
    from velkin.core.spaces import kernels

    a, b = (np.ascontiguousarray(v, dtype=np.float32).reshape(-1, 3) for v in (first, second))
    out = np.empty(len(a), dtype=np.float32)
    in_bands(lambda i, j: kernels.delta_e(a[i:j], b[i:j], out[i:j]), len(a))
    return out.reshape(first.shape[:-1])


def lost_there(linear: Pixels, c: Conversion) -> Pixels:
    """ΔE00 (H, W) between the colours meant and those the destination shows, media-relative; the medium's black is not wished away."""
    space = _source(c)
    return difference(lab(linear, space), lab(linear_there(linear, c, Paper(black=True)), space))


# ---- what is outside --------------------------------------------------------------------------------------------------


def outside(linear: Pixels, c: Conversion) -> Mask:
    """Which pixels (H, W) the destination cannot hold.

    Raises
    ------
    BadProfile
        When the destination has no way from colours to device values.
    """
    if isinstance(c.destination, ICCSpace):
        return outside_by_profile(lab(linear, _source(c)).reshape(-1, 3), c.destination).reshape(linear.shape[:2])
    return _look(linear, c)[1]


def outside_of(colours: NDArray[np.floating], space: Space) -> Mask:
    """Which media-relative Lab (N, 3) a space cannot hold; a profile without a way back is asked by its solid.

    Raises
    ------
    BadProfile
    """
    if isinstance(space, RGBSpace):
        return outside_mask((lab_to_xyz(colours) @ space.from_xyz.T).astype(np.float32)[None], space)[0]
    if not is_destination(space):
        return ~solid_of(space).holds(np.asarray(colours, dtype=np.float64))
    return outside_by_profile(colours, space)


def measure(linear: Pixels, c: Conversion) -> tuple[Outside, Mask]:
    """What is outside, counted in total, by channel and end, by tone and colour, with the largest patch; and the mask (H, W).

    Raises
    ------
    BadProfile
    """
    counts, mask = _look(linear, c)
    largest = 0
    if counts.outside:
        _, _, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
        largest = int(stats[1:, cv2.CC_STAT_AREA].max())
    return replace(counts, largest=largest), mask


def count_outside(linear: Pixels, c: Conversion) -> Outside:
    """As `measure`, of a part of a picture: counts only, without the largest patch. Raises BadProfile."""
    return _look(linear, c)[0]


def _look(linear: Pixels, c: Conversion) -> tuple[Outside, Mask]:
    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    found = np.empty(len(flat), dtype=np.uint8)
    look = _by_curves if isinstance(c.destination, RGBSpace) else _by_profile
    total: Outside | None = None
    for first in range(0, len(flat), _BLOCK):
        counts = look(flat[first : first + _BLOCK], c, found[first : first + _BLOCK])
        total = counts if total is None else total + counts
    if total is None:
        total = Outside(0, 0, tuple(ChannelEnds(0, 0) for _ in range(CHANNELS[c.destination.model])))
    return total, found.reshape(linear.shape[:2]).view(np.bool_)


def _by_curves(flat: Pixels, c: Conversion, found: NDArray[np.uint8]) -> Outside:
    assert isinstance(c.destination, RGBSpace)
    counts, mask = outside_and_mask(carried(flat[None], _source(c), c.destination), c.destination)
    found[:] = mask[0]
    return counts


@lru_cache(maxsize=16)
def _greys_held(space: ICCSpace) -> tuple[float, float]:
    """L* of the darkest and the lightest grey that a space known by its profile holds."""
    b = boundary_of(space)
    ends = xyz_to_lab(oklab_to_xyz(np.array([[b.low, 0, 0], [b.high, 0, 0]])))[:, 0]
    return float(ends[0]), float(ends[1])


def _by_profile(flat: Pixels, c: Conversion, found: NDArray[np.uint8]) -> Outside:
    """Out of gamut by what the profile tells (`roundtrip`); a channel is driven where it stands at an end of a pixel that is outside."""
    space = c.destination
    assert isinstance(space, ICCSpace)
    colours = lab(flat[None], _source(c))[0]
    out = outside_by_profile(colours, space)
    found[:] = out
    if not out.any():
        none = tuple(ChannelEnds(0, 0) for _ in range(CHANNELS[space.model]))
        return Outside(len(flat), 0, none, by_hull=judged_by_hull(space))
    low, high = _greys_held(space)
    lightness = colours[out][:, 0]
    dark, bright = lightness < low, lightness > high
    device = from_linear(np.ascontiguousarray(flat[out])[None], c)[0]
    ends = []
    for channel in range(device.shape[1]):
        at_low, at_high = device[:, channel] <= _END, device[:, channel] >= 1.0 - _END
        tone = dark | bright
        ends.append(ChannelEnds(*(int(np.count_nonzero(v)) for v in (at_low, at_high, at_low & tone, at_high & tone))))
    tone = int(np.count_nonzero(dark | bright))
    return Outside(len(flat), int(np.count_nonzero(out)), tuple(ends), tone, by_hull=judged_by_hull(space))


def histogram(numbers: NDArray[Any], bins: int = 128) -> NDArray[np.int64]:
    """Counts (channels, bins) of encoded numbers (H, W, channels); what lies outside falls into the first and last bin."""
    places = np.clip(numbers * np.float32(bins), 0, bins - 1).astype(np.uint8 if bins <= 256 else np.int64)
    flat = places.reshape(-1, places.shape[-1])
    return np.stack([np.bincount(flat[:, k], minlength=bins) for k in range(flat.shape[1])])


@lru_cache(maxsize=32)
def white_seen(space: Space) -> tuple[float, float, float]:
    """Lab of a destination's white as it is: the paper's colour."""
    if isinstance(space, RGBSpace):
        return (100.0, 0.0, 0.0)
    white = np.zeros((1, CHANNELS[space.model])) if space.model == "cmyk" else np.ones((1, CHANNELS[space.model]))
    found = to_lab(white, space.icc, space.model, Intent.ABSOLUTE)[0]
    return float(found[0]), float(found[1]), float(found[2])
