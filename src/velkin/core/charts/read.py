"""Reading a placed chart: per patch the linear camera RGB, its spread, and how much of it is clipped or buried."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.errors import ReadingRefused

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: A sample at or above this share of the white level counts as clipped.
CLIPPED_AT = 0.985
#: A sample at or below this share of the white level counts as buried in the black.
BURIED_AT = 0.0004


@dataclass(frozen=True)
class PatchReading:
    """What one patch says.

    Attributes
    ----------
    id : str
    rgb : tuple of 3 floats
        Linear camera RGB before white balance, 0..1 of the white level (10 % trimmed mean).
    spread : float
        Standard deviation of the samples over their mean, largest channel.
    clipped, buried : float
        Share of samples with a channel at the top, at the bottom.
    """

    id: str
    rgb: tuple[float, float, float]
    spread: float
    clipped: float
    buried: float


@dataclass(frozen=True)
class Reading:
    """The patches of one chart in one frame.

    Attributes
    ----------
    chart : str
        Chart id.
    corners : tuple of 4 (x, y)
        In pixels of the full-size upright picture.
    patches : tuple of PatchReading
        In the chart's order.
    sample : float
        Side of the sampled square as a share of the patch.
    patch_pixels : float
        Mean side of a patch in pixels of the full-size picture.
    """

    chart: str
    corners: tuple[tuple[float, float], ...]
    patches: tuple[PatchReading, ...]
    sample: float
    patch_pixels: float

    def rgb(self) -> Floats:
        """Linear camera RGB of all patches, (N, 3)."""
        return np.array([p.rgb for p in self.patches])


def read(image: Pixels, corners: Floats, chart: Chart, scale: float = 1.0, sample: float = 0.5) -> Reading:
    """Read a chart whose corners are known.

    Parameters
    ----------
    image : ndarray (H, W, 3), float32
        Linear camera RGB.
    corners : ndarray (4, 2)
        In pixels of the full-size picture.
    chart : Chart
    scale : float
        Size of `image` against the full-size picture (0.5 for a half-size decode).
    sample : float
        Side of the sampled square as a share of the patch, 0.1 to 0.9.

    Raises
    ------
    ReadingRefused
        When the corners are no convex quadrilateral in clockwise order, or do not lie on the picture.
    """
    check_corners(corners, (round(image.shape[1] / scale), round(image.shape[0] / scale)))
    unit = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=np.float32)
    matrix = np.asarray(cv2.getPerspectiveTransform(unit, (corners * scale).astype(np.float32)), dtype=np.float64)
    sides = np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)
    side = (1 - chart.gap) * float((sides[0] + sides[2]) / 2 / chart.columns + (sides[1] + sides[3]) / 2 / chart.rows) / 2
    steps = int(np.clip(side * scale * sample, 6, 28))
    offsets = (np.arange(steps) + 0.5) / steps
    share = 0.5 - sample / 2 + sample * offsets
    grid_u, grid_v = np.meshgrid(share, share)
    patches = []
    for patch_id, (left, top, right, bottom) in zip(chart.ids, chart.boxes(), strict=True):
        u, v = left + grid_u * (right - left), top + grid_v * (bottom - top)
        w = matrix[2, 0] * u + matrix[2, 1] * v + matrix[2, 2]
        x = (matrix[0, 0] * u + matrix[0, 1] * v + matrix[0, 2]) / w - 0.5
        y = (matrix[1, 0] * u + matrix[1, 1] * v + matrix[1, 2]) / w - 0.5
        sampled = cv2.remap(
            image, x.astype(np.float32), y.astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )
        values = sampled.reshape(-1, 3).astype(np.float64)
        ordered = np.sort(values, axis=0)
        trim = len(ordered) // 10
        mean = ordered[trim : len(ordered) - trim].mean(axis=0)
        patches.append(
            PatchReading(
                id=patch_id,
                rgb=(float(mean[0]), float(mean[1]), float(mean[2])),
                spread=float((values.std(axis=0) / np.maximum(mean, 1e-6)).max()),
                clipped=float((values >= CLIPPED_AT).any(axis=1).mean()),
                buried=float((values <= BURIED_AT).any(axis=1).mean()),
            )
        )
    as_pairs = tuple((float(x), float(y)) for x, y in corners)
    return Reading(chart.id, as_pairs, tuple(patches), sample, side)


def check_corners(corners: Floats, size: tuple[int, int]) -> None:
    """Refuse corners that cannot be a chart's.

    Raises
    ------
    ReadingRefused
    """
    if corners.shape != (4, 2) or not np.all(np.isfinite(corners)):
        raise ReadingRefused("four corners of two finite numbers each are needed")
    if corners.min() < -1 or np.any(corners.max(axis=0) > np.array(size) + 1):
        raise ReadingRefused(f"a corner lies outside the picture of {size[0]} × {size[1]} pixels")
    sides = np.roll(corners, -1, axis=0) - corners
    following = np.roll(sides, -1, axis=0)
    turns = sides[:, 0] * following[:, 1] - sides[:, 1] * following[:, 0]
    if np.any(turns <= 0):
        raise ReadingRefused("the corners must go clockwise round the chart from its first patch, without crossing")
    if np.min(np.linalg.norm(sides, axis=1)) < 12:
        raise ReadingRefused("the corners are so close together that no patch can be read")
