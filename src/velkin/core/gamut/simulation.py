"""The colours that a destination shows in place of those meant, and how far off they are: what a soft proof is drawn from.

Everything works on linear RGB (H, W, 3) float32, unclipped, in a space of matrix and curves (`Conversion.source`).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import carried, from_linear, linear_in
from velkin.core.icc.space import CHANNELS, Space
from velkin.core.icc.transform import Intent, to_lab
from velkin.core.spaces.pictures import difference, lab
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]

_BLOCK = 1 << 21


@dataclass(frozen=True)
class Paper:
    """What of the medium is simulated: its white as it is, and its black as light as it is (which white always brings along)."""

    white: bool = False
    black: bool = False


PLAIN = Paper()


def linear_there(linear: Pixels, c: Conversion, paper: Paper = PLAIN) -> Pixels:
    """The colours that the destination shows, as linear RGB in `c.source`.

    A medium's white is seen as white and its black as black unless `paper` says otherwise.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.spaces.rgb import P3, SRGB
    >>> red = np.array([[[1.0, 0.0, 0.0]]], np.float32)
    >>> [round(float(v), 2) for v in linear_there(red, Conversion(P3, SRGB))[0, 0]]
    [0.82, 0.03, 0.02]
    """
    source = c.light
    if isinstance(c.destination, RGBSpace):
        return carried(np.clip(carried(linear, source, c.destination), 0.0, 1.0), c.destination, source)
    if linear.shape[0] * linear.shape[1] > _BLOCK:
        rows = max(_BLOCK // linear.shape[1], 1)
        parts = [linear_there(linear[r : r + rows], c, paper) for r in range(0, len(linear), rows)]
        return np.concatenate(parts)
    device = from_linear(linear, c)
    intent = Intent.ABSOLUTE if paper.white or c.intent is Intent.ABSOLUTE else Intent.RELATIVE
    black_point = not paper.black and intent is Intent.RELATIVE and c.black_point
    return linear_in(device, c.destination, source, intent=intent, black_point=black_point)


def lost_there(linear: Pixels, c: Conversion) -> Pixels:
    """ΔE00 (H, W) between the colours meant and those the destination shows, media-relative; the medium's black is not wished away.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.spaces.rgb import P3, SRGB
    >>> lost_there(np.full((1, 1, 3), 0.5, np.float32), Conversion(P3, SRGB)).tolist()
    [[0.0]]
    """
    space = c.light
    return difference(lab(linear, space), lab(linear_there(linear, c, Paper(black=True)), space))


@lru_cache(maxsize=32)
def white_seen(space: Space) -> tuple[float, float, float]:
    """Lab of a destination's white as it is: the paper's colour.

    Examples
    --------
    >>> from velkin.core.spaces.rgb import SRGB
    >>> white_seen(SRGB)
    (100.0, 0.0, 0.0)
    """
    if isinstance(space, RGBSpace):
        return (100.0, 0.0, 0.0)
    white = np.zeros((1, CHANNELS[space.model])) if space.model == "cmyk" else np.ones((1, CHANNELS[space.model]))
    found = to_lab(white, space.icc, space.model, Intent.ABSOLUTE)[0]
    return float(found[0]), float(found[1]), float(found[2])
