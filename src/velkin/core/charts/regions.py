"""Flat quadrilateral regions of a picture, and the lattices they form: the raw material of finding a chart."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]
Cells = dict[tuple[int, int], int]


@dataclass(frozen=True)
class Blob:
    """A flat region: its centre, two side vectors and area, in pixels; the level of its middle, 0..255."""

    centre: Floats
    first: Floats
    second: Floats
    area: float
    level: float


def prepare(image: Pixels, edge: int) -> tuple[NDArray[np.uint8], float]:
    """The picture at search size, channels evened out and square-root encoded, and its scale against the original."""
    scale = min(1.0, edge / max(image.shape[:2]))
    small = cv2.resize(image, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else image
    top = np.array([np.percentile(small[::3, ::3, c], 99.5) for c in range(3)], dtype=np.float32)
    return (np.sqrt(np.clip(small / np.maximum(top, 1e-6), 0, 1)) * 255).astype(np.uint8), scale


def flat_regions(encoded: NDArray[np.uint8], threshold: int) -> list[Blob]:
    """Regions whose gradient stays below a threshold and whose outline is nearly a quadrilateral."""
    kernel = np.ones((3, 3), np.uint8)
    steps = cv2.split(cv2.morphologyEx(cv2.GaussianBlur(encoded, (3, 3), 0), cv2.MORPH_GRADIENT, kernel))
    gradient = cv2.max(cv2.max(steps[0], steps[1]), steps[2])
    flat = (gradient < threshold).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(flat, connectivity=4)
    height, width = flat.shape
    smallest, largest = 20.0, height * width * 0.05
    result = []
    wide, high, areas = stats[:, 2], stats[:, 3], stats[:, 4]
    fitting = (areas >= smallest) & (areas <= largest) & (wide <= 5 * high + 8) & (high <= 5 * wide + 8)
    fitting[0] = False
    for index in np.flatnonzero(fitting).tolist():
        x, y, w, h, area = stats[index].tolist()
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
        centre = quad.mean(axis=0) + [x + 0.5, y + 0.5]
        level = float(encoded[min(int(centre[1]), height - 1), min(int(centre[0]), width - 1)].mean())
        result.append(Blob(centre, first, second, float(area), level))
    return result


class Neighbourhood:
    """Regions by place, so that the one nearest to a point is found without looking at all."""

    def __init__(self, blobs: list[Blob]) -> None:
        self._cell = max(8.0, 1.5 * float(np.sqrt(np.median([b.area for b in blobs]))))
        self.blobs = blobs
        self.centres = np.array([b.centre for b in blobs]).reshape(-1, 2)
        self._places: list[list[float]] = self.centres.tolist()
        self._buckets: dict[tuple[int, int], list[int]] = {}
        for index, (x, y) in enumerate(self._places):
            self._buckets.setdefault((int(x // self._cell), int(y // self._cell)), []).append(index)

    def nearest(self, x: float, y: float, reach: float) -> int | None:
        """The region whose centre lies nearest to a point, within a reach; None without any."""
        best, least = None, reach
        for i in range(int((x - reach) // self._cell), int((x + reach) // self._cell) + 1):
            for j in range(int((y - reach) // self._cell), int((y + reach) // self._cell) + 1):
                for index in self._buckets.get((i, j), ()):
                    cx, cy = self._places[index]
                    distance = math.hypot(cx - x, cy - y)
                    if distance <= least:
                        best, least = index, distance
        return best


def grow(near: Neighbourhood, seed: int, pitch: float, largest: int) -> Cells:
    """Lattice cells → region, grown from a seed region along its own sides to at most `largest` cells."""
    blobs = near.blobs
    start = blobs[seed]
    cells = {(0, 0): seed}
    basis = {(0, 0): (start.first * pitch, start.second * pitch)}
    taken = {seed}
    queue = deque([(0, 0)])
    while queue and len(cells) < largest:
        cell = queue.popleft()
        here, (e1, e2) = blobs[cells[cell]], basis[cell]
        reach = 0.24 * min(float(np.hypot(*e1)), float(np.hypot(*e2)))
        for di, dj in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            goal = (cell[0] + di, cell[1] + dj)
            if goal in cells:
                continue
            x, y = here.centre + di * e1 + dj * e2
            found = near.nearest(float(x), float(y), reach)
            if found is None or found in taken or not 0.45 < blobs[found].area / here.area < 2.2:
                continue
            moved = (blobs[found].centre - here.centre) * (di + dj)
            basis[goal] = (moved, e2) if di else (e1, moved)
            cells[goal] = found
            taken.add(found)
            queue.append(goal)
    return cells


def lattice_homographies(cells: Cells, centres: Floats) -> list[tuple[Floats, Floats]]:
    """Planes in a lattice: for each, lattice → picture (3, 3) and the cells that agree (N, 2).

    A lattice grown over a chart may go on over what lies beside it, so that what does not agree with the first is tried again.
    """
    lattice = np.array(list(cells), dtype=np.float64)
    points = centres[list(cells.values())]
    planes: list[tuple[Floats, Floats]] = []
    while len(lattice) >= 6 and min(np.ptp(lattice, axis=0)) >= 1 and len(planes) < 3:
        matrix, inliers = cv2.findHomography(lattice, points, cv2.RANSAC, 0.2 * _typical_step(lattice, points))
        if matrix is None or inliers is None or inliers.sum() < 6:
            break
        agree = inliers.ravel() > 0
        planes.append((np.asarray(matrix, dtype=np.float64), lattice[agree]))
        lattice, points = lattice[~agree], points[~agree]
    return planes


def _typical_step(lattice: Floats, points: Floats) -> float:
    affine, *_ = np.linalg.lstsq(np.column_stack([lattice, np.ones(len(lattice))]), points, rcond=None)
    return float(np.sqrt(abs(np.linalg.det(affine[:2])))) or 1.0
