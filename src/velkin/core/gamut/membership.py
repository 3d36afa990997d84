"""Out of gamut: which pixels a destination cannot hold, whatever kind of space it is, and how they are counted (COLOUR.md section 5).

Everything works on linear RGB (H, W, 3) float32, unclipped, in a space of matrix and curves (`Conversion.source`).
"""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.cache import cached
from velkin.core.conversion.conversion import Conversion, is_destination
from velkin.core.conversion.light import carried, from_linear
from velkin.core.conversion.outside import ChannelEnds, Outside, outside_and_mask, outside_mask
from velkin.core.disk_cache import kept_on_disk
from velkin.core.gamut.boundary import boundary_of
from velkin.core.gamut.roundtrip import judged_by_hull, outside_by_profile
from velkin.core.gamut.solid import solid_of
from velkin.core.icc.space import CHANNELS, ICCSpace, Space
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.oklab import oklab_to_xyz
from velkin.core.spaces.pictures import lab
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]
Mask = NDArray[np.bool_]

_BLOCK = 1 << 21
_END = 0.5 / 255.0


def outside(linear: Pixels, c: Conversion) -> Mask:
    """Which pixels (H, W) the destination cannot hold.

    Raises
    ------
    BadProfile
        When the destination has no way from colours to device values.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.spaces.rgb import P3, SRGB
    >>> linear = np.array([[[1.0, 0.0, 0.0], [0.5, 0.5, 0.5]]], np.float32)
    >>> outside(linear, Conversion(P3, SRGB)).tolist()
    [[True, False]]
    """
    if isinstance(c.destination, ICCSpace):
        return outside_by_profile(lab(linear, c.light).reshape(-1, 3), c.destination).reshape(linear.shape[:2])
    return count_and_mask(linear, c)[1]


def outside_of(colours: NDArray[np.floating], space: Space) -> Mask:
    """Which media-relative Lab (N, 3) a space cannot hold; a profile without a way back is asked by its solid.

    Raises
    ------
    BadProfile

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.spaces.rgb import SRGB
    >>> outside_of(np.array([[50.0, 0.0, 0.0], [50.0, 120.0, 0.0]]), SRGB).tolist()
    [False, True]
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

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.spaces.rgb import P3, SRGB
    >>> found, mask = measure(np.array([[[1.0, 0.0, 0.0], [0.5, 0.5, 0.5]]], np.float32), Conversion(P3, SRGB))
    >>> found.share, found.largest
    (0.5, 1)
    """
    counts, mask = count_and_mask(linear, c)
    return replace(counts, largest=largest_patch(mask)), mask


def largest_patch(mask: Mask) -> int:
    """Pixels of the largest contiguous patch of a mask (H, W); 0 where nothing is marked.

    Examples
    --------
    >>> import numpy as np
    >>> largest_patch(np.array([[True, False, True], [True, False, False]]))
    2
    """
    if not mask.any():
        return 0
    _, _, stats, _ = cv2.connectedComponentsWithStats(mask.view(np.uint8), connectivity=8)
    return int(stats[1:, cv2.CC_STAT_AREA].max())


def count_outside(linear: Pixels, c: Conversion) -> Outside:
    """As `measure`, of a part of a picture: counts only, without the largest patch. Raises BadProfile.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.spaces.rgb import P3, SRGB
    >>> count_outside(np.array([[[1.0, 0.0, 0.0]]], np.float32), Conversion(P3, SRGB)).outside
    1
    """
    return count_and_mask(linear, c)[0]


def count_and_mask(linear: Pixels, c: Conversion) -> tuple[Outside, Mask]:
    """As `count_outside`, and which pixels (H, W) they are. Raises BadProfile."""
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
    counts, mask = outside_and_mask(carried(flat[None], c.light, c.destination), c.destination)
    found[:] = mask[0]
    return counts


@cached(1_000_000)
@kept_on_disk(tuple)
def _greys_held(space: ICCSpace) -> tuple[float, float]:
    """L* of the darkest and the lightest grey that a space known by its profile holds."""
    b = boundary_of(space)
    ends = xyz_to_lab(oklab_to_xyz(np.array([[b.low, 0, 0], [b.high, 0, 0]])))[:, 0]
    return float(ends[0]), float(ends[1])


def _by_profile(flat: Pixels, c: Conversion, found: NDArray[np.uint8]) -> Outside:
    """Out of gamut by what the profile tells (`roundtrip`); a channel is driven where it stands at an end of a pixel that is outside."""
    space = c.destination
    assert isinstance(space, ICCSpace)
    colours = lab(flat[None], c.light)[0]
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
