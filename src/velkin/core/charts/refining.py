"""Snapping a chart's corners to the real edges of its patches."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

UNIT: Floats = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=np.float64)


def homography(corners: Floats) -> Floats:
    """Chart coordinates → picture (3, 3) for corners (4, 2) in pixels.

    Examples
    --------
    >>> import numpy as np
    >>> square = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])
    >>> homography(10.0 * square + 5.0).shape
    (3, 3)
    """
    return np.asarray(
        cv2.getPerspectiveTransform(UNIT.astype(np.float32), np.asarray(corners, dtype=np.float32)), dtype=np.float64
    )


def project(matrix: Floats, points: Floats) -> Floats:
    """Points (N, 2) through a homography (3, 3).

    Examples
    --------
    >>> import numpy as np
    >>> project(np.diag([2.0, 2.0, 1.0]), np.array([[1.0, 3.0]])).tolist()
    [[2.0, 6.0]]
    """
    projected = points @ matrix[:, :2].T + matrix[:, 2]
    return np.asarray(projected[:, :2] / projected[:, 2:3])


def sample_at(image: Pixels, points: Floats) -> Pixels:
    """Bilinear samples (N, C) at points (N, 2) in pixel coordinates whose (0, 0) is the first pixel's corner."""
    at = (points - 0.5).astype(np.float32)
    rows = -(-len(at) // 1024)  # OpenCV maps are limited to 32767 on a side
    padded = np.zeros((rows * 1024, 2), dtype=np.float32)
    padded[: len(at)] = at
    maps = padded.reshape(rows, 1024, 2)
    sampled = cv2.remap(image, maps[..., 0], maps[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(sampled.reshape(rows * 1024, -1)[: len(at)], dtype=np.float32)


def snap(image: Pixels, corners: Floats, chart: Chart) -> tuple[Floats, float]:
    """As `refine`, from corners that may lie a quarter of a patch off: each patch's outline is looked for round its place first."""
    best = (corners, float("inf"))
    for _ in range(3):  # each round begins where the last one ended, as long as that brings the edges nearer
        placed = refine(image, project(_by_outlines(image, homography(corners), chart), UNIT), chart)
        if not placed[1] < best[1]:
            break
        best = placed
        corners = placed[0]
        if best[1] < 0.005:
            break
    return best


def _by_outlines(image: Pixels, matrix: Floats, chart: Chart) -> Floats:
    """Chart coordinates → picture (3, 3) from the places where patches' outlines fit the picture's gradient best."""
    step, reach = 0.03, 10  # in pitches; the search goes to 0.3 on every side
    half = round((1.0 - chart.gap) / 2 / step)
    size = half + reach + 2
    offsets = step * np.arange(-size, size + 1)
    grid = np.stack(np.meshgrid(offsets, offsets), axis=-1).reshape(-1, 2) / [chart.columns - chart.gap, chart.rows - chart.gap]
    outline = np.zeros((2 * half + 3, 2 * half + 3), dtype=np.float32)
    outline[[0, 1, -2, -1], :] = 1.0
    outline[:, [0, 1, -2, -1]] = 1.0
    outline -= outline.mean()
    centres = chart.centres()
    found = np.empty_like(centres)
    for i, centre in enumerate(centres):
        side = 2 * size + 1
        window = np.sqrt(np.maximum(sample_at(image, project(matrix, centre + grid)), 0)).reshape(side, side, 3)
        steps = cv2.morphologyEx(window, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)).max(axis=2)
        score = cv2.matchTemplate(steps, outline, cv2.TM_CCORR)
        middle = (np.array(score.shape) - 1) // 2
        near = score[middle[0] - reach : middle[0] + reach + 1, middle[1] - reach : middle[1] + reach + 1]
        row, column = np.unravel_index(int(np.argmax(near)), near.shape)
        found[i] = centre + step * np.array([column - reach, row - reach]) / [chart.columns - chart.gap, chart.rows - chart.gap]
    fitted, inliers = cv2.findHomography(centres, project(matrix, found), cv2.RANSAC, 0.08 * patch_pitch(matrix, chart))
    if fitted is None or inliers.sum() < max(6, 0.3 * len(centres)):
        return matrix
    return np.asarray(fitted, dtype=np.float64)


def refine(image: Pixels, corners: Floats, chart: Chart) -> tuple[Floats, float]:
    """Corners snapped to the real edges of the patches.

    Parameters
    ----------
    image : ndarray (H, W, 3), float32
        Linear camera RGB.
    corners : ndarray (4, 2)
        Within half a gap of the truth (`snap` begins farther away).
    chart : Chart

    Returns
    -------
    corners : ndarray (4, 2)
    error : float
        Root mean square distance of the edges used from the fitted grid, as a share of a patch; infinity when there were
        too few edges to say.
    """
    matrix = homography(corners)
    side = 1.0 - chart.gap
    unit_u, unit_v = 1.0 / (chart.columns - chart.gap), 1.0 / (chart.rows - chart.gap)
    boxes = chart.boxes()
    along = np.linspace(0.2, 0.8, 7)
    edges, outward = [], []
    for left, top, right, bottom in boxes:
        for t in along:
            edges += [(left, top + t * (bottom - top)), (right, top + t * (bottom - top))]
            outward += [(-unit_u, 0.0), (unit_u, 0.0)]
            edges += [(left + t * (right - left), top), (left + t * (right - left), bottom)]
            outward += [(0.0, -unit_v), (0.0, unit_v)]
    at, normal = np.array(edges), np.array(outward)
    error = float("inf")
    # beyond a narrow gap the next patch's edge begins; where there is next to none, both edges are one
    widest = 0.14 if chart.gap < 0.05 else min(0.14, 0.8 * chart.gap)
    for reach in (widest, widest / 2, widest / 2):
        steps = np.linspace(-reach, reach, 21)
        points = at[:, None, :] + steps[None, :, None] * normal[:, None, :]
        profile = np.sqrt(np.maximum(sample_at(image, project(matrix, points.reshape(-1, 2))), 0)).reshape(len(at), 21, 3)
        slope = np.abs(np.diff(cv2.blur(profile.reshape(len(at), 63), (1, 1)).reshape(profile.shape), axis=1)).sum(axis=2)
        total = slope.sum(axis=1)
        weight = np.clip(slope - 0.35 * slope.max(axis=1, keepdims=True), 0, None)
        mass = weight.sum(axis=1)
        middle = (steps[:-1] + steps[1:]) / 2.0
        place = (weight * middle).sum(axis=1) / np.maximum(mass, 1e-12)
        width = np.sqrt((weight * (middle - place[:, None]) ** 2).sum(axis=1) / np.maximum(mass, 1e-12))
        good = (total > 0.25 * np.median(total)) & (total > 0.01) & (width < 0.5 * reach)
        if good.sum() < 40:
            break
        measured = project(matrix, at + place[:, None] * normal)
        fitted, inliers = cv2.findHomography(at[good], measured[good], cv2.RANSAC, 0.05 * patch_pitch(matrix, chart))
        if fitted is None or inliers.sum() < 40:
            break
        matrix = np.asarray(fitted, dtype=np.float64)
        residual = np.hypot(*(project(matrix, at[good]) - measured[good]).T)[inliers.ravel() > 0]
        error = float(np.sqrt((residual**2).mean()) / (side * patch_pitch(matrix, chart)))
        if inliers.sum() < 0.5 * good.sum():  # few edges agree: they may be the wrong ones
            error = max(error, 0.05)
    return project(matrix, UNIT), error


def patch_pitch(matrix: Floats, chart: Chart) -> float:
    """Mean pitch of the patches in pixels."""
    corners = project(matrix, UNIT)
    sides = np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)
    return float((sides[0] + sides[2]) / 2 / chart.columns + (sides[1] + sides[3]) / 2 / chart.rows) / 2
