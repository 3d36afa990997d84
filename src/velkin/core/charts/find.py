"""Finding a chart in linear camera RGB, at any rotation and moderate tilt, without any profile.

The way: flat quadrilateral regions → a lattice grown from neighbour to neighbour → a homography → the one placement and
turn of the reference whose colours agree, up to one gain per channel → the corners refined on the patches' real edges.
All that is found can be explained: how well the grid fits and how well the colours agree.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.errors import ChartNotFound
from velkin.core.spectra import WAVELENGTHS

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

_SEARCH_EDGES = (600, 1500)
_THRESHOLDS = (10, 18, 30)
_LARGEST_RESIDUAL = 0.42
_UNIT = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=np.float64)


@dataclass(frozen=True)
class FoundChart:
    """Where a chart was found.

    Attributes
    ----------
    corners : ndarray (4, 2)
        Outer corners of the corner patches in pixels, from the first patch clockwise; (0, 0) is the top-left pixel's corner.
    grid_error : float
        Root mean square distance of patch edges from the fitted grid, as a share of a patch.
    colour_error : float
        Root mean square disagreement with the reference in log2 units after one gain per channel.
    """

    corners: Floats
    grid_error: float
    colour_error: float


@dataclass(frozen=True)
class _Blob:
    centre: Floats
    first: Floats
    second: Floats
    area: float


def expected_camera_rgb(chart: Chart) -> Floats:
    """What a plain camera would see of the chart under equal energy, (N, 3), white 1: enough to tell patches apart."""
    bands = np.stack([np.exp(-0.5 * ((WAVELENGTHS - c) / w) ** 2) for c, w in ((603, 32), (538, 34), (458, 26))], axis=1)
    return np.asarray(chart.reflectances @ bands / bands.sum(axis=0))


def _prepare(image: Pixels, edge: int) -> tuple[NDArray[np.uint8], float]:
    """The picture at search size, channels evened out and square-root encoded, and its scale against the original."""
    scale = min(1.0, edge / max(image.shape[:2]))
    small = cv2.resize(image, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else image
    top = np.array([np.percentile(small[::3, ::3, c], 99.5) for c in range(3)], dtype=np.float32)
    return (np.sqrt(np.clip(small / np.maximum(top, 1e-6), 0, 1)) * 255).astype(np.uint8), scale


def _blobs(encoded: NDArray[np.uint8], threshold: int) -> list[_Blob]:
    kernel = np.ones((3, 3), np.uint8)
    steps = cv2.split(cv2.morphologyEx(cv2.GaussianBlur(encoded, (3, 3), 0), cv2.MORPH_GRADIENT, kernel))
    gradient = cv2.max(cv2.max(steps[0], steps[1]), steps[2])
    flat = (gradient < threshold).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(flat, connectivity=4)
    height, width = flat.shape
    smallest, largest = 20.0, height * width * 0.05
    result = []
    for index in range(1, count):
        x, y, w, h, area = (int(v) for v in stats[index])
        if not smallest <= area <= largest or w > 5 * h + 8 or h > 5 * w + 8:
            continue
        part = (labels[y : y + h, x : x + w] == index).astype(np.uint8)
        contours, _ = cv2.findContours(part, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        contour = max(contours, key=len)
        if len(contour) < 12:
            continue
        hull = cv2.convexHull(contour)
        hull_area = cv2.contourArea(hull)
        if hull_area < 12 or area < 0.72 * hull_area:
            continue
        _, (side_a, side_b), _ = rectangle = cv2.minAreaRect(hull)
        if min(side_a, side_b) < 3 or max(side_a, side_b) > 3.2 * min(side_a, side_b) or hull_area < 0.60 * side_a * side_b:
            continue
        quad = cv2.approxPolyDP(hull, 0.07 * cv2.arcLength(hull, True), True).reshape(-1, 2).astype(np.float64)
        if len(quad) != 4:
            quad = cv2.boxPoints(rectangle).astype(np.float64)
        # the flat inside of a patch is its outline less the gradient's reach on every side
        first = (quad[1] - quad[0] + quad[2] - quad[3]) / 2.0
        second = (quad[3] - quad[0] + quad[2] - quad[1]) / 2.0
        first *= 1.0 + 3.0 / max(float(np.linalg.norm(first)), 1.0)
        second *= 1.0 + 3.0 / max(float(np.linalg.norm(second)), 1.0)
        if cv2.contourArea(quad.astype(np.float32)) < 0.7 * hull_area:
            continue
        result.append(_Blob(quad.mean(axis=0) + [x + 0.5, y + 0.5], first, second, float(area)))
    return result


def _grow(blobs: list[_Blob], centres: Floats, seed: int, pitch: float) -> dict[tuple[int, int], int]:
    """Lattice cells → blob index, grown from a seed blob along its own sides."""
    start = blobs[seed]
    cells = {(0, 0): seed}
    basis = {(0, 0): (start.first * pitch, start.second * pitch)}
    taken = {seed}
    queue = [(0, 0)]
    while queue and len(cells) < 300:
        cell = queue.pop(0)
        here, (e1, e2) = blobs[cells[cell]], basis[cell]
        for di, dj in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            goal = (cell[0] + di, cell[1] + dj)
            if goal in cells:
                continue
            step = di * e1 + dj * e2
            distance = np.hypot(*(centres - here.centre - step).T)
            nearest = int(np.argmin(distance))
            reach = 0.28 * min(float(np.linalg.norm(e1)), float(np.linalg.norm(e2)))
            if nearest in taken or distance[nearest] > reach or not 0.35 < blobs[nearest].area / here.area < 2.9:
                continue
            moved = (blobs[nearest].centre - here.centre) * (di + dj)
            basis[goal] = (moved, e2) if di else (e1, moved)
            cells[goal] = nearest
            taken.add(nearest)
            queue.append(goal)
    return cells


def _chart_homography(cells: dict[tuple[int, int], int], centres: Floats) -> tuple[Floats, Floats] | None:
    lattice = np.array(list(cells), dtype=np.float64)
    points = centres[list(cells.values())]
    spread = np.ptp(lattice, axis=0)
    if min(spread) < 1:
        return None
    matrix, inliers = cv2.findHomography(lattice, points, cv2.RANSAC, 0.2 * _typical_step(lattice, points))
    if matrix is None or inliers is None or inliers.sum() < 6:
        return None
    return np.asarray(matrix, dtype=np.float64), lattice[inliers.ravel() > 0]


def _typical_step(lattice: Floats, points: Floats) -> float:
    affine, *_ = np.linalg.lstsq(np.column_stack([lattice, np.ones(len(lattice))]), points, rcond=None)
    return float(np.sqrt(abs(np.linalg.det(affine[:2])))) or 1.0


def _project(matrix: Floats, points: Floats) -> Floats:
    projected = np.column_stack([points, np.ones(len(points))]) @ matrix.T
    return np.asarray(projected[:, :2] / projected[:, 2:3])


def _lattice_turns(chart: Chart) -> list[Floats]:
    """Lattice coordinates of the patches, chart rows and columns turned by 0, 90, 180 and 270 degrees, no mirror image."""
    columns, rows = np.meshgrid(np.arange(chart.columns), np.arange(chart.rows))
    grid = np.stack([columns.ravel(), rows.ravel()], axis=1).astype(np.float64)
    turns = []
    for matrix in ((1, 0, 0, 1), (0, -1, 1, 0), (-1, 0, 0, -1), (0, 1, -1, 0)):
        turned = grid @ np.array(matrix, dtype=np.float64).reshape(2, 2).T
        turns.append(turned - turned.min(axis=0))
    return turns


def colour_error(seen: Floats, expected: Floats) -> float:
    """Root mean square disagreement (log2) of camera RGB (N, 3) with the expected, after one gain a channel and one gamma."""
    a, b = np.log2(np.maximum(seen, 1e-4)), np.log2(np.maximum(expected, 1e-4))
    a, b = a - np.median(a, axis=0), b - np.median(b, axis=0)
    spread = float((b * b).sum())
    gamma = float(np.clip((a * b).sum() / spread, 0.45, 1.25))
    residual = np.sort(np.abs(a / gamma - b), axis=None)
    kept = residual[: int(0.92 * len(residual))]  # a glared or buried patch must not hide a chart
    return float(np.sqrt((kept**2).mean()))


def _place(matrix: Floats, inliers: Floats, chart: Chart, encoded: NDArray[np.uint8]) -> tuple[float, Floats] | None:
    """The best placement of the chart on a lattice: its colour error and its homography from chart coordinates."""
    height, width = encoded.shape[:2]
    expected = expected_camera_rgb(chart)
    linear = cv2.blur(encoded, (3, 3)).astype(np.float32) ** 2
    best: tuple[float, Floats] | None = None
    low, high = inliers.min(axis=0), inliers.max(axis=0)
    handed = np.linalg.det(matrix[:2, :2] - np.outer(matrix[:2, 2], matrix[2, :2])) > 0
    cells = {(int(i), int(j)) for i, j in inliers}
    for turn in _lattice_turns(chart):
        if not handed:
            turn = turn * [1, -1] - [0, (turn * [1, -1])[:, 1].min()]
        size = turn.max(axis=0)
        for oi in range(int(high[0] - size[0]) - 1, int(low[0]) + 2):
            for oj in range(int(high[1] - size[1]) - 1, int(low[1]) + 2):
                lattice = turn + [oi, oj]
                covered = sum((int(i), int(j)) in cells for i, j in lattice)
                if covered < max(6, 0.4 * len(lattice)):
                    continue
                at = _project(matrix, lattice)
                if at.min() < 1 or at[:, 0].max() > width - 2 or at[:, 1].max() > height - 2:
                    continue
                seen = linear[at[:, 1].astype(int), at[:, 0].astype(int)]
                error = colour_error(seen.astype(np.float64), expected)
                if best is None or error < best[0]:
                    to_image, _ = cv2.findHomography(chart.centres(), at)
                    best = (error, np.asarray(to_image, dtype=np.float64))
    return best


def _sample(image: Pixels, points: Floats) -> Pixels:
    """Bilinear samples (N, C) at points (N, 2) in pixel coordinates whose (0, 0) is the first pixel's corner."""
    at = (points - 0.5).astype(np.float32)
    rows = -(-len(at) // 1024)  # OpenCV maps are limited to 32767 on a side
    padded = np.zeros((rows * 1024, 2), dtype=np.float32)
    padded[: len(at)] = at
    maps = padded.reshape(rows, 1024, 2)
    sampled = cv2.remap(image, maps[..., 0], maps[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(sampled.reshape(rows * 1024, -1)[: len(at)], dtype=np.float32)


def refine(image: Pixels, corners: Floats, chart: Chart) -> tuple[Floats, float]:
    """Corners snapped to the real edges of the patches.

    Parameters
    ----------
    image : ndarray (H, W, 3), float32
        Linear camera RGB.
    corners : ndarray (4, 2)
        Within a quarter of a patch of the truth.
    chart : Chart

    Returns
    -------
    corners : ndarray (4, 2)
    error : float
        Root mean square distance of the edges used from the fitted grid, as a share of a patch; infinity when there were
        too few edges to say.
    """
    matrix = np.asarray(cv2.getPerspectiveTransform(_UNIT.astype(np.float32), corners.astype(np.float32)), dtype=np.float64)
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
    for reach in (0.14, 0.07, 0.07):
        steps = np.linspace(-reach, reach, 21)
        points = at[:, None, :] + steps[None, :, None] * normal[:, None, :]
        profile = np.sqrt(np.maximum(_sample(image, _project(matrix, points.reshape(-1, 2))), 0)).reshape(len(at), 21, 3)
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
        measured = _project(matrix, at + place[:, None] * normal)
        fitted, inliers = cv2.findHomography(at[good], measured[good], cv2.RANSAC, 0.05 * _patch_pixels(matrix, chart))
        if fitted is None or inliers.sum() < 40:
            break
        matrix = np.asarray(fitted, dtype=np.float64)
        residual = np.hypot(*(_project(matrix, at[good]) - measured[good]).T)[inliers.ravel() > 0]
        error = float(np.sqrt((residual**2).mean()) / (side * _patch_pixels(matrix, chart)))
    return _project(matrix, _UNIT), error


def _patch_pixels(matrix: Floats, chart: Chart) -> float:
    """Mean pitch of the patches in pixels."""
    corners = _project(matrix, _UNIT)
    sides = np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)
    return float((sides[0] + sides[2]) / 2 / chart.columns + (sides[1] + sides[3]) / 2 / chart.rows) / 2


def find(image: Pixels, chart: Chart) -> FoundChart:
    """Find a chart.

    Parameters
    ----------
    image : ndarray (H, W, 3), float32
        Linear camera RGB, upright; half-size decodes are enough.
    chart : Chart

    Raises
    ------
    ChartNotFound
        When nothing in the picture agrees with the chart in both grid and colours.
    """
    for edge in _SEARCH_EDGES:
        encoded, scale = _prepare(image, edge)
        best = _search(encoded, chart)
        if best is not None or max(image.shape[:2]) <= edge:
            break
    if best is None:
        raise ChartNotFound(f"no {len(chart.ids)}-patch chart found; place its corners by hand")
    corners, error = refine(image, _project(best[1], _UNIT) / scale, chart)
    return FoundChart(corners, error, best[0])


def _search(encoded: NDArray[np.uint8], chart: Chart) -> tuple[float, Floats] | None:
    best: tuple[float, Floats] | None = None
    for threshold in _THRESHOLDS:
        blobs = _blobs(encoded, threshold)
        if len(blobs) < 8:
            continue
        centres = np.array([b.centre for b in blobs])
        used: set[int] = set()
        for seed in np.argsort([-b.area for b in blobs]):
            if int(seed) in used:
                continue
            for pitch in (1.17, 1.35):
                cells = _grow(blobs, centres, int(seed), pitch)
                if len(cells) >= 0.4 * len(chart.ids):
                    break
            if len(cells) < 0.4 * len(chart.ids):
                continue
            used.update(cells.values())
            fitted = _chart_homography(cells, centres)
            if fitted is None:
                continue
            placed = _place(*fitted, chart, encoded)
            if placed is not None and placed[0] < _LARGEST_RESIDUAL and (best is None or placed[0] < best[0]):
                best = placed
                if placed[0] < 0.75 * _LARGEST_RESIDUAL:
                    return best
    return best
