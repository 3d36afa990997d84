"""Even fields: what an even white board in place of the work shows of the light and the lens, and the gains that take it out.

The field of each channel is a smooth surface, a polynomial of low order in the logarithm, fitted so that dust, texture and the board's edges do
not count. It acts on linear camera numbers before any balance, and is 1 where the board is brightest.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.read import CLIPPED_AT, patch_places
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.errors import FitRefused
from velkin.core.gamut.masks import Window

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: Powers of x and y together; and cells of the picture that the surface is fitted to, along its longer side.
_DEGREE, _CELLS = 4, 96
#: Cells that lie nearer to the surface than this are never dust, but what a surface of low order does not follow to the end.
_NEAR = 0.02
#: Spots along a side of a cell, of which the middle one counts.
_SPOTS = 4
_POWERS = [(i, j) for i in range(_DEGREE + 1) for j in range(_DEGREE + 1 - i)]
#: A board whose cells lie further from a smooth surface than this, in natural logarithms, is no even surface.
_ROUGHEST = 0.05
#: More cells than this share that lie so far off are no dust, but something on the board, or its edge.
_MOST_STRANGE = 0.08
#: Darker than this share of the white level, noise and black level tell as much as the board.
_DARKEST = 0.01


@dataclass(frozen=True)
class Field:
    """The light on an even surface.

    Attributes
    ----------
    surfaces : 3 × 25 floats
        Of each channel: natural logarithm of the level as powers of y (rows) and x (columns), −1..1 over the picture.
    falloff : 3 floats
        Of each channel: how much less light there is where there is least, as a share of the most.
    """

    surfaces: tuple[tuple[float, ...], ...]
    falloff: tuple[float, float, float]

    def gains(self, window: Window, height: int, width: int, strength: float = 1.0) -> Pixels:
        """Gains (height, width, 3), float32, at least 1, of the part of the picture that `window` says, seen at that size."""
        x, y = _places(window.left, width, window.width), _places(window.top, height, window.height)
        out = np.empty((height, width, 3), dtype=np.float32)
        for c, surface in enumerate(self.surfaces):
            out[..., c] = _surface(np.array(surface), x, y)
        tops = np.array([_top(np.array(s)) for s in self.surfaces], dtype=np.float32)
        return np.asarray(np.exp(np.float32(strength) * (tops - out)), dtype=np.float32)

    def gains_at(self, places: Floats, strength: float = 1.0) -> Floats:
        """Gains (N, 3), at least 1, at places (N, 2), x and y as shares of the picture's width and height."""
        x, y = 2.0 * np.asarray(places, dtype=np.float64).T - 1.0
        side = _DEGREE + 1
        from numpy.polynomial.polynomial import polyval2d  # a part of NumPy that is loaded apart

        levels = [polyval2d(y, x, np.array(s).reshape(side, side)) - _top(np.array(s)) for s in self.surfaces]
        return np.asarray(np.exp(-strength * np.stack(levels, axis=1)))


def _places(first: int, count: int, whole: int) -> Floats:
    """Where pixels lie along a side, −1..1 over the whole of it."""
    return np.asarray((first + np.arange(count) + 0.5) / whole * 2.0 - 1.0)


def _surface(surface: Floats, x: Floats, y: Floats) -> Pixels:
    """A surface over all pairs of places (len(y), len(x)); two small products, exact."""
    side = _DEGREE + 1
    rows = np.vander(y, side, increasing=True) @ surface.reshape(side, side)
    return np.asarray(rows.astype(np.float32) @ np.vander(x, side, increasing=True).T.astype(np.float32), dtype=np.float32)


def _top(surface: Floats) -> float:
    axis = np.linspace(-1.0, 1.0, 97)
    return float(_surface(surface, axis, axis).max())


def evened_reading(kept: JudgedReading, field: Field, size: tuple[int, int], strength: float = 1.0) -> JudgedReading:
    """A chart's reading as it would be in an even light, judged again: each patch by the gains where it lies.

    Parameters
    ----------
    kept : JudgedReading
        As it was read in the light that `field` tells of.
    field : Field
    size : (int, int)
        Width and height of the full-size upright picture that was read.
    strength : float
        How much of the field is taken out, 0 to 1.
    """
    gains = field.gains_at(patch_places(kept.reading, kept.chart) / np.array(size), strength)
    return kept.with_numbers(kept.reading.rgb() * gains)


def fit_field(image: Pixels) -> Field:
    """The field that a flat frame shows.

    Parameters
    ----------
    image : ndarray (H, W, 3), float32
        Linear camera RGB of an even white board that fills the picture, at any size.

    Raises
    ------
    FitRefused
        When it is clipped, too dark, or shows something else than an even surface.
    """
    by = min(_CELLS / max(image.shape[:2]), 1.0)
    size = max(round(image.shape[1] * by), 8), max(round(image.shape[0] * by), 8)
    if float((image >= CLIPPED_AT).any(axis=2).mean()) > 0.005:
        raise FitRefused("the flat frame is clipped; expose it less")
    fine = cv2.resize(image, (_SPOTS * size[0], _SPOTS * size[1]), interpolation=cv2.INTER_AREA)
    spots = np.asarray(fine, dtype=np.float64).reshape(size[1], _SPOTS, size[0], _SPOTS, 3)
    cells = np.median(spots, axis=(1, 3))  # what a grain of dust covers part of is not its mean
    if float(np.median(cells.min(axis=2))) < _DARKEST:
        raise FitRefused("the flat frame is too dark; expose it more")
    levels = np.log(np.maximum(cells, 1e-4))
    y, x = np.mgrid[0 : size[1], 0 : size[0]]
    xs, ys = (x.ravel() + 0.5) / size[0] * 2 - 1, (y.ravel() + 0.5) / size[1] * 2 - 1
    terms = np.stack([ys**i * xs**j for i, j in _POWERS], axis=1)
    surfaces, falloff = [], []
    for c in range(3):
        found, rough, strange = _robust(terms, levels[..., c].ravel())
        if rough > _ROUGHEST or strange > _MOST_STRANGE:
            raise FitRefused("the flat frame shows no even surface; fill it with a plain white board, out of focus if need be")
        whole = np.zeros((_DEGREE + 1, _DEGREE + 1))
        for (i, j), value in zip(_POWERS, found, strict=True):
            whole[i, j] = value
        fitted = terms @ found
        surfaces.append(tuple(float(v) for v in whole.ravel()))
        falloff.append(float(1.0 - np.exp(fitted.min() - fitted.max())))
    return Field(tuple(surfaces), (falloff[0], falloff[1], falloff[2]))


def _robust(terms: Floats, levels: Floats) -> tuple[Floats, float, float]:
    """Coefficients of a surface in which cells that lie off it lose their weight (Tukey's biweight), how far cells lie off at the median,
    and the share of cells that lie further off than a board's may.
    """
    weights = np.ones(len(levels))
    found: Floats = np.zeros(terms.shape[1])
    scale = strange = 0.0
    for _ in range(12):
        root = np.sqrt(weights)
        found = np.asarray(np.linalg.lstsq(terms * root[:, None], levels * root, rcond=None)[0])
        off = levels - terms @ found
        scale = 1.4826 * float(np.median(np.abs(off)))
        strange = float((np.abs(off) > _ROUGHEST).mean())
        weights = np.clip(1.0 - (off / max(4.7 * scale, _NEAR)) ** 2, 0.0, None) ** 2
    return found, scale, strange
