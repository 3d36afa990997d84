"""Flat quadrilateral regions of a picture, and the lattices they form: the raw material of finding a chart."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]
Cells = dict[tuple[int, int], int]


@dataclass(frozen=True)
class Blob:
    """A flat region: its centre, two side vectors and area, in pixels."""

    centre: Floats
    first: Floats
    second: Floats
    area: float


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
        result.append(Blob(quad.mean(axis=0) + [x + 0.5, y + 0.5], first, second, float(area)))
    return result


def grow(blobs: list[Blob], centres: Floats, seed: int, pitch: float) -> Cells:
    """Lattice cells → blob index, grown from a seed blob along its own sides."""
    start = blobs[seed]
    cells = {(0, 0): seed}
    basis = {(0, 0): (start.first * pitch, start.second * pitch)}
    taken = {seed}
    queue = [(0, 0)]
    while queue and len(cells) < 1500:
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


def lattice_homography(cells: Cells, centres: Floats) -> tuple[Floats, Floats] | None:
    """Lattice → picture (3, 3) with the cells that agree (N, 2); None where the cells do not span a plane."""
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
