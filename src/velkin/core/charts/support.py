"""Support: which colours of a picture lie among those that a chart showed, and which no patch vouches for.

Colours are held beside each other by what does not change with the amount of light: the logarithms of red and of blue over green, in camera
numbers. What lies within the convex hull of the patches is vouched for by those round it; its very edge is held up from one side only.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.charts.read import Reading
from velkin.core.errors import FitRefused

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: Longest edge at which a picture is looked at, in pixels, wherever that is told.
EDGE = 1200
#: So far within the edge, in powers of two of a ratio, a colour is no longer held from all sides: about 3 %.
_EDGE = 0.04
#: Numbers below this share of the white level tell more of noise than of colour; what is so dark is not judged.
_DARK = 0.004
#: Side of the cells that missing colours are gathered in, in powers of two.
_CELL = 0.3


@dataclass(frozen=True)
class Missing:
    """Colours that no patch vouches for and that lie near each other: their mean camera numbers, and their share of the picture."""

    rgb: tuple[float, float, float]
    share: float


@dataclass(frozen=True)
class Support:
    """The colours that a chart, or several, showed under a light.

    Attributes
    ----------
    edges : tuple of (a, b, c)
        Of the hull: a · log2(R / G) + b · log2(B / G) + c is above 0 outside.
    """

    edges: tuple[tuple[float, float, float], ...]

    def beyond(self, rgb: Pixels | Floats) -> Pixels:
        """How far colours (..., 3), camera RGB, lie beyond what is vouched for, in powers of two; 0 where they do not, or are too dark to tell."""
        numbers = np.asarray(rgb, dtype=np.float32)
        ratios = np.log2(np.maximum(numbers, 1e-5))
        u, v = ratios[..., 0] - ratios[..., 1], ratios[..., 2] - ratios[..., 1]
        far = np.full(u.shape, -np.inf, dtype=np.float32)
        for a, b, c in self.edges:
            np.maximum(far, np.float32(a) * u + np.float32(b) * v + np.float32(c), out=far)
        far = np.where(numbers.max(axis=-1) > _DARK, far + np.float32(_EDGE), np.float32(0))
        return np.asarray(np.maximum(far, 0), dtype=np.float32)


def support_of(readings: Iterable[tuple[Reading, Chart]]) -> Support:
    """What readings of one light vouch for; patches that are clipped or left out do not.

    Raises
    ------
    FitRefused
        When there are fewer than three colours that can be told apart.
    """
    from scipy.spatial import ConvexHull, QhullError  # loaded where needed: it takes a moment

    points = []
    for reading, chart in readings:
        rgb = reading.rgb()
        out = set(reading.choices.left_out)
        used = [i for i, p in enumerate(reading.patches) if not p.clipped and rgb[i].min() > 1e-4 and chart.ids[i] not in out]
        logs = np.log2(rgb[used])
        points.append(logs[:, [0, 2]] - logs[:, 1:2])
    try:
        hull = ConvexHull(np.vstack(points))
    except (QhullError, ValueError) as error:
        raise FitRefused("the chart shows too few colours to vouch for any") from error
    return Support(tuple((float(a), float(b), float(c)) for a, b, c in hull.equations))


def missing_in(rgb: Pixels, beyond: Pixels, most: int = 6) -> tuple[Missing, ...]:
    """What colours a picture (N, 3), camera RGB, has that are not vouched for, those that it has most of first.

    Parameters
    ----------
    beyond : ndarray (N,)
        As `Support.beyond` has it.
    """
    out = rgb[beyond > 0].astype(np.float64)
    if not len(out):
        return ()
    logs = np.log2(np.maximum(out, 1e-5))
    cells = np.floor((logs[:, [0, 2]] - logs[:, 1:2]) / _CELL).astype(np.int64)
    _, which, counts = np.unique(cells, axis=0, return_inverse=True, return_counts=True)
    sums = np.stack([np.bincount(which.ravel(), weights=out[:, c]) for c in range(3)], axis=1) / counts[:, None]
    order = np.argsort(-counts)[:most]
    return tuple(Missing((float(r), float(g), float(b)), float(counts[i] / len(rgb))) for i in order for r, g, b in (sums[i],))
