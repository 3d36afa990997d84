"""Reading a placed chart: per patch the linear camera RGB, its spread, and how much of it is clipped or buried."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.charts.refining import homography, patch_pitch, project, sample_at
from velkin.core.errors import ReadingRefused

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: A sample at or above this share of the white level counts as clipped.
CLIPPED_AT = 0.985
#: A sample at or below this share of the white level counts as buried in the black.
BURIED_AT = 0.0004


@dataclass(frozen=True)
class Choices:
    """What a person decided about a reading.

    Attributes
    ----------
    sample : float
        Side of the sampled square as a share of the patch, 0.1 to 0.9.
    moved : tuple of (id, x, y)
        Patches whose sample was moved, by shares of a patch's pitch.
    left_out : tuple of str
        Patches that no fit uses.
    even_light : bool
        Whether uneven light was divided out of the numbers.
    """

    sample: float = 0.5
    moved: tuple[tuple[str, float, float], ...] = ()
    left_out: tuple[str, ...] = ()
    even_light: bool = False


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
    slope : float
        Change of brightness from one side of the sample to the other, as a share of its mean, in the steepest direction.
    """

    id: str
    rgb: tuple[float, float, float]
    spread: float
    clipped: float
    buried: float
    slope: float = 0.0


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
    choices : Choices
    patch_pixels : float
        Mean side of a patch in pixels of the full-size picture.
    edge_blur : float
        Standard deviation of the patches' edges as a share of a patch; 0 when no edge was strong enough to say.
    """

    chart: str
    corners: tuple[tuple[float, float], ...]
    patches: tuple[PatchReading, ...]
    choices: Choices
    patch_pixels: float
    edge_blur: float = 0.0

    def rgb(self) -> Floats:
        """Linear camera RGB of all patches, (N, 3)."""
        return np.array([p.rgb for p in self.patches])


def read(image: Pixels, corners: Floats, chart: Chart, scale: float = 1.0, choices: Choices | None = None) -> Reading:
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
    choices : Choices, optional

    Raises
    ------
    ReadingRefused
        When the corners are no convex quadrilateral in clockwise order, or do not lie on the picture.
    """
    choices = choices or Choices()
    check_corners(corners, (round(image.shape[1] / scale), round(image.shape[0] / scale)))
    matrix = homography(corners * scale)
    side = (1 - chart.gap) * patch_pitch(homography(corners), chart)
    steps = int(np.clip(side * scale * choices.sample, 6, 28))
    share = 0.5 + choices.sample * ((np.arange(steps) + 0.5) / steps - 0.5)
    grid = np.stack(np.meshgrid(share, share), axis=-1).reshape(-1, 2)
    moved = _moved(choices, chart)
    patches = []
    for patch_id, box in zip(chart.ids, chart.boxes(), strict=True):
        places = box[:2] + grid * (box[2:] - box[:2]) + moved.get(patch_id, np.zeros(2))
        values = sample_at(image, project(matrix, places)).astype(np.float64)
        patches.append(_patch(patch_id, values, grid - 0.5))
    as_pairs = tuple((float(x), float(y)) for x, y in corners)
    return Reading(chart.id, as_pairs, tuple(patches), choices, side, _edge_blur(image, matrix, chart))


def _moved(choices: Choices, chart: Chart) -> dict[str, Floats]:
    """By how much samples were moved, in shares of the chart's width and height."""
    return {name: np.array([x / (chart.columns - chart.gap), y / (chart.rows - chart.gap)]) for name, x, y in choices.moved}


def patch_places(reading: Reading, chart: Chart) -> Floats:
    """Where the samples of a reading's patches were taken, (N, 2) in pixels of the full-size upright picture."""
    moved = _moved(reading.choices, chart)
    middles = np.array([(b[:2] + b[2:]) / 2 + moved.get(i, np.zeros(2)) for i, b in zip(chart.ids, chart.boxes(), strict=True)])
    return project(homography(np.array(reading.corners)), middles)


def _patch(patch_id: str, values: Floats, grid: Floats) -> PatchReading:
    """What samples (S, 3) at places (S, 2) in a patch say."""
    ordered = np.sort(values, axis=0)
    trim = len(ordered) // 10
    mean = ordered[trim : len(ordered) - trim].mean(axis=0)
    brightness = values.sum(axis=1) / max(float(values.sum(axis=1).mean()), 1e-6)
    slope = np.linalg.lstsq(np.column_stack([np.ones(len(grid)), grid]), brightness, rcond=None)[0][1:]
    return PatchReading(
        id=patch_id,
        rgb=(float(mean[0]), float(mean[1]), float(mean[2])),
        spread=float((values.std(axis=0) / np.maximum(mean, 1e-6)).max()),
        clipped=float((values >= CLIPPED_AT).any(axis=1).mean()),
        buried=float((values <= BURIED_AT).any(axis=1).mean()),
        slope=float(np.hypot(*slope) * np.ptp(grid[:, 0])),
    )


_BLURS = np.geomspace(0.01, 0.6, 40)


def _edge_blur(image: Pixels, matrix: Floats, chart: Chart) -> float:
    """Standard deviation of the blur as a share of a patch, from what neighbouring patches and the gap between them became.

    Across each gap the brightness is modelled as two steps, both blurred by the same Gaussian; the blur that explains all gaps
    best is returned. A chart without gaps gives 0.
    """
    if chart.gap < 0.02:
        return 0.0
    centres = chart.centres().reshape(chart.rows, chart.columns, 2)
    pairs = [
        (centres[:, :-1].reshape(-1, 2), centres[:, 1:].reshape(-1, 2)),
        (centres[:-1].reshape(-1, 2), centres[1:].reshape(-1, 2)),
    ]
    ends = np.concatenate([np.stack(p, axis=1) for p in pairs])
    along = np.linspace(0.0, 1.0, 41)
    points = ends[:, :1] + along[None, :, None] * (ends[:, 1:] - ends[:, :1])
    lines = (
        sample_at(image, project(matrix, points.reshape(-1, 2)))
        .reshape(len(ends), len(along), 3)
        .sum(axis=2)
        .astype(np.float64)
    )
    bright = np.minimum(lines[:, 0], lines[:, -1])
    lines = lines[bright >= 0.15 * np.quantile(bright, 0.9)]
    lines = lines / lines.mean(axis=1, keepdims=True)
    distance = along - 0.5
    misfits = []
    for sigma in _BLURS:
        edge = chart.gap / 2
        basis = np.stack([_step((-edge - distance) / sigma), _step((distance - edge) / sigma)], axis=1)
        answer = np.linalg.lstsq(basis, lines.T, rcond=None)[0]
        misfits.append(float(np.abs(lines.T - basis @ answer).mean()))
    return float(_BLURS[int(np.argmin(misfits))] / (1.0 - chart.gap))


def _step(x: Floats) -> Floats:
    """The normal distribution's cumulative function, to 1e-3 (logistic approximation of Bowling et al. 2009)."""
    return np.asarray(1.0 / (1.0 + np.exp(-np.clip(1.5976 * x + 0.07056 * x**3, -50, 50))))


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
