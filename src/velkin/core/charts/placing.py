"""Placing a chart on a lattice of regions: the one offset and turn of the reference whose colours agree with the picture."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.charts import marks
from velkin.core.charts.definition import Chart
from velkin.core.charts.plain_camera import expected_camera_rgb
from velkin.core.charts.refining import UNIT, project

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: Placements whose colours disagree by more than this (log2) are no finds.
LARGEST_DISAGREEMENT = 0.65


@dataclass(frozen=True)
class Placement:
    """A chart laid on the picture.

    Attributes
    ----------
    chart : Chart
        The chart, or its transposed reading.
    corners : ndarray (4, 2)
        In pixels of the search picture.
    error : float
        Disagreement of the colours, log2 units.
    runner_up : float
        Disagreement of the best other turn at the same place; infinity when there was none.
    """

    chart: Chart
    corners: Floats
    error: float
    runner_up: float


def colour_error(seen: Floats, expected: Floats, places: Floats | None = None) -> float:
    """Root mean square disagreement (log2) of camera RGB (N, 3) with the expected, after one gain a channel and one gamma.

    With `places` (N, 2), light that changes evenly across the chart is allowed for too.
    """
    return float(_colour_errors(seen[None], expected, places)[0])


def _colour_errors(seen: Floats, expected: Floats, places: Floats | None = None) -> Floats:
    """`colour_error` of many candidates (K, N, 3) at once, (K,)."""
    a, b = np.log2(np.maximum(seen, 1e-4)), np.log2(np.maximum(expected, 1e-4))
    a, b = a - np.median(a, axis=1, keepdims=True), b - np.median(b, axis=0)
    gamma = np.clip((a * b).sum(axis=(1, 2)) / float((b * b).sum()), 0.45, 1.25)
    difference = a / gamma[:, None, None] - b
    if places is not None:
        level = difference.mean(axis=2)
        design = np.column_stack([np.ones(len(places)), places - 0.5])
        off = np.abs(level - np.median(level, axis=1, keepdims=True))
        use = (off <= np.quantile(off, 0.85, axis=1, keepdims=True)).astype(np.float64)
        normal = np.einsum("kn,ni,nj->kij", use, design, design) + 1e-9 * np.eye(3)
        plane = np.linalg.solve(normal, np.einsum("kn,ni,kn->ki", use, design, level)[..., None])[..., 0]
        plane[:, 1:] = np.clip(plane[:, 1:], -1.6, 1.6)
        difference = difference - (plane @ design.T)[..., None]
    residual = np.sort(np.abs(difference).reshape(len(seen), -1), axis=1)
    kept = residual[:, : int(0.92 * residual.shape[1])]  # a glared or buried patch must not hide a chart
    return np.asarray(np.sqrt((kept**2).mean(axis=1)))


def _turns(chart: Chart) -> list[Floats]:
    """Lattice coordinates of the patches, chart rows and columns turned by 0, 90, 180 and 270 degrees, no mirror image."""
    columns, rows = np.meshgrid(np.arange(chart.columns), np.arange(chart.rows))
    grid = np.stack([columns.ravel(), rows.ravel()], axis=1).astype(np.float64)
    turns = []
    for matrix in ((1, 0, 0, 1), (0, -1, 1, 0), (-1, 0, 0, -1), (0, 1, -1, 0)):
        turned = grid @ np.array(matrix, dtype=np.float64).reshape(2, 2).T
        turns.append(turned - turned.min(axis=0))
    return turns


def place(matrix: Floats, inliers: Floats, chart: Chart, linear: Pixels) -> Placement | None:
    """The best placement of a chart on a lattice.

    Parameters
    ----------
    matrix : ndarray (3, 3)
        Lattice → picture.
    inliers : ndarray (N, 2)
        Lattice cells that hold a region.
    linear : ndarray (H, W, 3), float32
        The smoothed search picture, linear, each channel about 0..1.
    """
    height, width = linear.shape[:2]
    expected, centres = expected_camera_rgb(chart), chart.centres()
    low, high = inliers.min(axis=0).astype(int), inliers.max(axis=0).astype(int)
    handed = np.linalg.det(matrix[:2, :2] - np.outer(matrix[:2, 2], matrix[2, :2])) > 0
    reach = max(chart.rows, chart.columns) + 1
    occupied = np.zeros(high - low + 1 + 2 * reach, dtype=np.int32)
    occupied[tuple((inliers.astype(int) - low + reach).T)] = 1
    total = np.pad(occupied.cumsum(axis=0).cumsum(axis=1), ((1, 0), (1, 0)))
    spots, turns = [], []
    for number, turn in enumerate(_turns(chart)):
        if not handed:
            turn = turn * [1, -1] - [0, (turn * [1, -1])[:, 1].min()]
        across, down = (turn.max(axis=0) + 1).astype(int)
        covered = total[across:, down:] - total[:-across, down:] - total[across:, :-down] + total[:-across, :-down]
        likely = np.argwhere(covered >= max(6, 0.4 * len(turn), 0.6 * int(covered.max())))
        for i, j in likely.tolist():
            at = project(matrix, turn + low + [i - reach, j - reach])
            if at.min() >= 1 and at[:, 0].max() <= width - 2 and at[:, 1].max() <= height - 2:
                spots.append(at)
                turns.append(number)
    if not spots:
        return None
    seen = np.stack([linear[at[:, 1].astype(int), at[:, 0].astype(int)] for at in spots]).astype(np.float64)
    errors = _colour_errors(seen, expected)
    doubtful = (errors > 0.25) & (errors < 1.1)
    if doubtful.any():
        errors[doubtful] = np.minimum(errors[doubtful], 1.05 * _colour_errors(seen[doubtful], expected, centres))
    tried = list(zip(errors.tolist(), turns, spots, strict=True))
    best: tuple[float, int, Floats] | None = None
    for error, number, at in sorted(tried, key=lambda t: t[0])[:6]:
        if chart.marks and error < 1.2 * LARGEST_DISAGREEMENT:
            error *= 1.0 - 0.4 * _marks_agree(linear, chart, at)
        if best is None or error < best[0]:
            best = (error, number, at)
    assert best is not None
    error, number, at = best
    to_image, _ = cv2.findHomography(centres, at)
    others = [e for e, n, _ in tried if n != number]
    corners = project(np.asarray(to_image, dtype=np.float64), UNIT)
    return Placement(chart, corners, error, min(others, default=float("inf")))


def _marks_agree(linear: Pixels, chart: Chart, at: Floats) -> float:
    """Agreement of the registration marks for patch centres at `at` (N, 2); 0 where they lie outside the picture."""
    matrix = np.asarray(cv2.findHomography(chart.centres(), at)[0], dtype=np.float64)
    middle = marks.centres(chart)
    angles = np.linspace(0, 2 * np.pi, 8, endpoint=False)
    reach = (marks.RADIUS + marks.HOLE) / 2
    around = np.stack([np.cos(angles) / (chart.columns - chart.gap), np.sin(angles) / (chart.rows - chart.gap)], axis=1) * reach
    ring = middle[:, None, :] + around[None]
    points = project(matrix, np.concatenate([middle, ring.reshape(-1, 2)]))
    height, width = linear.shape[:2]
    if points.min() < 0 or points[:, 0].max() > width - 1 or points[:, 1].max() > height - 1:
        return 0.0
    seen = linear[points[:, 1].astype(int), points[:, 0].astype(int), 1].astype(np.float64)
    return marks.agreement(seen[:4], seen[4:].reshape(4, -1).mean(axis=1))
