"""An aligned pair: the same picture before and after a treatment, brought to lie on each other, and its colours gathered.

Registration works on what a change of colour leaves: the sign and shape of local contrast, not brightness itself. Coarse to fine by enhanced
correlation (Evangelidis and Psarakis 2008), translation first, then a slight perspective. Where the two disagree in structure, they are left out.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import FitRefused
from velkin.core.match.pair import Origin, Pair, coordinates, oklab_at
from velkin.core.spaces.oklab import xyz_to_oklab
from velkin.core.spaces.rgb import ROMM

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]
Mask = NDArray[np.bool_]
Box = tuple[int, int, int, int]

#: Longest edge at which pictures are laid on each other, and below which colours are gathered.
_EDGE = 1000
#: Pictures agree when their local contrast does so far (correlation), over all and in each block.
_AGREE, _BLOCK_AGREE, _BLOCK = 0.35, 0.2, 24
#: Side of the cells that colours are gathered in, in coordinates, and pixels that a cell needs.
_CELL, _FEWEST = 8.0, 6
#: More cells than this add nothing but time.
_MOST = 200
#: Wanted colours further from the rest of their cell than this many deviations are left out.
_STRAY = 3.0


@dataclass(frozen=True, eq=False)
class Aligned:
    """Pairs gathered from an aligned pair of pictures.

    Attributes
    ----------
    pairs : tuple of Pair
    left_out : float
        Share of the picture that was left out.
    used : ndarray (H, W), bool
        What was used, at the size it was looked at.
    moved : float
        How far the reference had to be moved, largest, in pixels of the picture.
    """

    pairs: tuple[Pair, ...]
    left_out: float
    used: Mask
    moved: float


def pairs_of_aligned(here: Pixels, reference: Pixels, leave_out: Sequence[Box] = ()) -> Aligned:
    """Pairs of two pictures of the same content, linear ROMM RGB (H, W, 3); the reference may be of another size.

    Parameters
    ----------
    leave_out : sequence of (x, y, width, height)
        In pixels of `here`.

    Raises
    ------
    FitRefused
        When they do not show the same.
    """
    by = min(1.0, _EDGE / max(here.shape[:2]))
    size = (max(round(here.shape[1] * by), 1), max(round(here.shape[0] * by), 1))
    mine = _resized(here, size)
    theirs = _resized(reference, size)
    warp = registration(mine, theirs)
    first, second = _structure(mine), _structure(theirs)
    laid, inside = warped(theirs, warp)
    structure = cv2.warpPerspective(second, warp, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    used = inside & _blocks_that_agree(first, structure)
    for x, y, width, height in leave_out:
        used[int(y * by) : int(np.ceil((y + height) * by)), int(x * by) : int(np.ceil((x + width) * by))] = False
    used &= cv2.erode(used.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(np.bool_)
    if np.count_nonzero(used) < 0.02 * used.size:
        raise FitRefused("the two pictures do not show the same: hardly a place agrees in structure")
    used &= _calm(mine) & _calm(laid)
    pairs = _gathered(mine[used], laid[used])
    corners = np.array([[[0, 0], [size[0], 0], [size[0], size[1]], [0, size[1]]]], dtype=np.float32)
    moved = float(np.abs(cv2.perspectiveTransform(corners, warp.astype(np.float32)) - corners).max() / by)
    return Aligned(tuple(pairs), 1.0 - float(used.mean()), used, moved)


def registration(mine: Pixels, theirs: Pixels) -> NDArray[np.float32]:
    """The perspective (3, 3) from places of a picture to places of another one of the same content, both linear ROMM RGB of one size.

    Raises
    ------
    FitRefused
        When they do not show the same, or are too small to tell.
    """
    if min(mine.shape[:2]) < 32:
        raise FitRefused("the pictures are too small to be laid on each other")
    return _registered(_structure(mine), _structure(theirs))


def warped(picture: Pixels, warp: NDArray[np.float32]) -> tuple[Pixels, Mask]:
    """A picture laid by a perspective on one of its own size, and where it has something to show there."""
    size = (picture.shape[1], picture.shape[0])
    laid = cv2.warpPerspective(
        picture, warp, size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderValue=(-1.0, -1.0, -1.0)
    )
    whole = np.ones(picture.shape[:2], np.uint8)
    inside = cv2.warpPerspective(whole, warp, size, flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP)
    return np.asarray(laid, dtype=np.float32), inside > 0


def _resized(picture: Pixels, size: tuple[int, int]) -> Pixels:
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), dtype=np.float32).reshape(size[1], size[0], 3)


def _lightness(picture: Pixels) -> Pixels:
    return np.cbrt(np.maximum(picture @ ROMM.to_xyz[1].astype(np.float32), 0.0))


def _structure(picture: Pixels) -> Pixels:
    """Local contrast: lightness less its surroundings, over how much it varies there; what a change of colour and tone leaves."""
    light = _lightness(picture)
    wide = max(picture.shape[:2]) / 60.0
    off = light - cv2.GaussianBlur(light, (0, 0), wide)
    spread = np.sqrt(cv2.GaussianBlur(off * off, (0, 0), wide)) + 0.004
    return np.asarray(np.clip(off / spread, -3.0, 3.0), dtype=np.float32)


def _registered(first: Pixels, second: Pixels) -> NDArray[np.float32]:
    """The perspective (3, 3) from places of the first to places of the second. Raises FitRefused."""
    shift, _ = cv2.phaseCorrelate(
        first.astype(np.float64), second.astype(np.float64), cv2.createHanningWindow(first.shape[::-1], cv2.CV_64F)
    )
    warp = np.eye(3, dtype=np.float32)
    if np.hypot(*shift) < 0.25 * max(first.shape):
        warp[0, 2], warp[1, 2] = shift
    agreed = -1.0
    stop = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-5)
    for level in (4, 2):
        if min(first.shape) // level < 48 and level > 1:
            continue
        size = (first.shape[1] // level, first.shape[0] // level)
        small, other = (cv2.resize(p, size, interpolation=cv2.INTER_AREA) for p in (first, second))
        scale = np.diag([1.0 / level, 1.0 / level, 1.0]).astype(np.float32)
        begun = (scale @ warp @ np.linalg.inv(scale)).astype(np.float32)
        try:
            agreed, found = cv2.findTransformECC(small, other, begun, cv2.MOTION_HOMOGRAPHY, stop, None, 3)
        except cv2.error:
            continue
        warp = (np.linalg.inv(scale) @ found @ scale).astype(np.float32)
    corners = np.array([[[0, 0], [first.shape[1], 0], [first.shape[1], first.shape[0]], [0, first.shape[0]]]], dtype=np.float32)
    far = np.abs(cv2.perspectiveTransform(corners, warp) - corners).max() / max(first.shape)
    if agreed < _AGREE or far > 0.3:
        raise FitRefused("the two pictures do not show the same, or lie too differently: they cannot be laid on each other")
    return warp


def _blocks_that_agree(first: Pixels, second: Pixels) -> Mask:
    """Where (H, W) two structures agree block by block; blocks without any structure agree."""
    side = (0, 0), _BLOCK / 2.0

    def mean(values: Pixels) -> Pixels:
        return np.asarray(cv2.GaussianBlur(values, *side), dtype=np.float32)

    a, b = first - mean(first), second - mean(second)
    power = np.sqrt(mean(a * a) * mean(b * b))
    plain = (mean(a * a) < 0.02) & (mean(b * b) < 0.02)
    return np.asarray(plain | (mean(a * b) > _BLOCK_AGREE * power))


def _calm(picture: Pixels) -> Mask:
    """Where (H, W) a picture has no edge, so that half a pixel makes no other colour."""
    light = _lightness(picture)
    slope = np.hypot(cv2.Sobel(light, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(light, cv2.CV_32F, 0, 1, scale=0.125))
    return np.asarray(slope <= max(float(np.quantile(slope, 0.6)), 0.002))


def _gathered(here: Pixels, wanted: Pixels) -> list[Pair]:
    """A pair for each cell of colours that occurs, so that rare colours count; strays within a cell are left out."""
    x, y = (coordinates(xyz_to_oklab(np.maximum(p.astype(np.float64), 0.0) @ ROMM.to_xyz.T)) for p in (here, wanted))
    cell = np.floor(x / _CELL).astype(np.int32) + 512  # one number for each cell: sorting these is quick
    index = (cell[:, 0] << 20) + (cell[:, 1] << 10) + cell[:, 2]
    order = np.argsort(index, kind="stable")
    starts = np.flatnonzero(np.diff(index[order], prepend=-1))
    groups = np.split(order, starts[1:])
    groups = sorted((g for g in groups if len(g) >= _FEWEST), key=len, reverse=True)[:_MOST]
    pairs = []
    for number, g in enumerate(groups, start=1):
        way = y[g] - x[g]
        off = np.linalg.norm(way - np.median(way, axis=0), axis=1)
        near = g[off <= _STRAY * max(float(np.median(off)), 0.3)]
        mine, theirs = x[near].mean(axis=0), y[near].mean(axis=0)
        deviation = float(np.linalg.norm((y[near] - x[near]).std(axis=0)))
        a, b = oklab_at(mine), oklab_at(theirs)
        pairs.append(
            Pair(
                (float(a[0]), float(a[1]), float(a[2])),
                (float(b[0]), float(b[1]), float(b[2])),
                Origin.ALIGNED,
                f"cell {number}",
                max(deviation / 2.0, 0.2),  # what is off in a cell is off for neighbours too: it does not average out
                float(np.clip(np.sqrt(len(near) / 50.0), 0.3, 3.0)),
            )
        )
    if not pairs:
        raise FitRefused("the two pictures share no place that is even enough to take a colour from")
    return pairs
