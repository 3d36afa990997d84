"""Applying a colour path to pixels: the only place where its stages are chained.

Pixels in flight are float32, linear, (H, W, 3) and unclipped. Clipping happens in the last step, on purpose, and is counted.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.models import Matrix
from velkin.core.compiled import in_bands
from velkin.core.conversion.convert import (
    Conversion,
    Numbers,
    as_float,
    converted,
    from_linear,
    is_codes,
    linear_in,
    linear_of_codes,
)
from velkin.core.conversion.dither import dither_tile
from velkin.core.gamut.ease import ease
from velkin.core.gamut.masks import Window
from velkin.core.gamut.proof import PLAIN, Paper, linear_there
from velkin.core.icc.space import Space
from velkin.core.path import CameraStage, ColourPath, PictureStage, chain_of
from velkin.core.spaces.rgb import ROMM, RGBSpace, between

Pixels = NDArray[np.float32]
Bytes = NDArray[np.uint8]

# from here on a sensor's numbers say only "at least this much"
_SATURATED = 0.985


def balanced(camera_rgb: Pixels, multipliers: tuple[float, ...]) -> Pixels:
    """Camera RGB times white balance (green 1), same shape; 1 stays the white level.

    Where the sensor is saturated the colour is unknown: such pixels move to neutral as their second channel saturates too, so
    that blown highlights do not turn magenta.
    """
    gains = np.array(multipliers, dtype=np.float32)
    out: Pixels = camera_rgb * gains
    if float(camera_rgb.max()) < _SATURATED:
        return out
    at = _largest(camera_rgb) >= _SATURATED
    raw, lost = camera_rgb[at], np.minimum(out[at], 1.0)
    second = np.sort(raw, axis=1)[:, 1]
    share = np.clip((second - 0.90) / (_SATURATED - 0.90), 0.0, 1.0)[:, None]
    out[at] = lost + (lost.max(axis=1, keepdims=True) - lost) * share
    return out


def _largest(pixels: Pixels) -> Pixels:
    """Largest channel of each pixel, (H, W); much faster than a reduction over the last axis."""
    return np.maximum(np.maximum(pixels[..., 0], pixels[..., 1]), pixels[..., 2])


def to_working(source: Pixels | Numbers, path: ColourPath) -> Pixels:
    """Linear working RGB (H, W, 3), unclipped, of linear camera RGB (H, W, 3), or of a finished picture's numbers (H, W, C)."""
    if isinstance(path.camera, PictureStage) and not path.steps and path.here == path.working and is_codes(source):
        return linear_of_codes(source, path.working)
    if isinstance(path.camera, PictureStage) or path.steps:
        return linear_in(numbers_here(source, path), path.here, path.working)
    return _arrived(np.asarray(source, dtype=np.float32), path)


def numbers_here(source: Pixels | Numbers, path: ColourPath) -> Pixels:
    """Encoded numbers (H, W, C) after the last step of the path, 0..1 of full scale, unclipped where the space is of curves."""
    if isinstance(path.camera, PictureStage):
        numbers: Pixels = as_float(source)
    else:
        numbers = np.asarray(path.arrives_in.encode(_arrived(np.asarray(source, dtype=np.float32), path)), dtype=np.float32)
    return _through_steps(numbers, path)


def _through_steps(numbers: NDArray[Any], path: ColourPath) -> Pixels:
    for conversion in chain_of(path.start, path.steps)[0]:
        numbers = converted(np.asarray(numbers, dtype=np.float32), conversion)
    return np.asarray(numbers, dtype=np.float32)


def _arrived(camera_rgb: Pixels, path: ColourPath) -> Pixels:
    """Linear RGB in the space of arrival of linear camera RGB."""
    camera = path.raw_stage
    if camera.tone is None:
        return _coloured(camera_rgb, camera, path.from_xyz())
    from velkin.core.cameraprofiles.kernels import apply_tone

    romm = _coloured(camera_rgb, camera, ROMM.from_xyz * path.gain)
    return apply_tone(romm, camera.tone, between(ROMM, path.arrives_in))


def _coloured(pixels: Pixels, camera: CameraStage, to_output: NDArray[np.float64]) -> Pixels:
    """Linear output RGB of raw camera RGB; a matrix is one pass of OpenCV's, the rest are compiled loops."""
    if not isinstance(camera.colours, Matrix):
        from velkin.core.cameraprofiles.kernels import apply_colours  # loaded where needed: the compiler takes a moment

        return apply_colours(pixels, camera.colours, to_output, camera.balance)
    matrix = to_output @ np.array(camera.colours.matrix)
    if float(pixels.max()) < _SATURATED:  # nothing to mend between balance and matrix: one pass does both
        return np.asarray(cv2.transform(pixels, matrix * np.array(camera.balance)), dtype=np.float32)
    return np.asarray(cv2.transform(balanced(pixels, camera.balance), matrix), dtype=np.float32)


def eased(working: Pixels, path: ColourPath, window: Window | None = None) -> Pixels:
    """Linear working RGB with the path's easings; the very array where there are none.

    `window` says which part of the picture it is. Raises BadProfile.
    """
    return ease(working, path.working, path.destination, path.easings, window) if path.easings else working


def to_space(working: Pixels, path: ColourPath, space: RGBSpace) -> Pixels:
    """Linear RGB in `space` of linear working RGB, colorimetric and unclipped."""
    if space == path.working:
        return working
    return np.asarray(cv2.transform(working, between(path.working, space)), dtype=np.float32)


_STEPS = 65536


@lru_cache(maxsize=16)
def _curve(space: RGBSpace) -> Pixels:
    """Encoded numbers (65536, 3) of the squares of 0..1 in even steps: at most one 16-bit code from the exact curve."""
    squares = (np.arange(_STEPS) / (_STEPS - 1.0)) ** 2
    return space.encode(np.repeat(squares[:, None], 3, axis=1)).astype(np.float32)


@lru_cache(maxsize=32)
def _scaled_curve(space: RGBSpace, top: int, kind: type[np.generic]) -> tuple[NDArray[Any], ...]:
    """`_curve` in codes up to `top` and a half, a table a channel; the same for all where the curves are."""
    curves = (_curve(space) * np.float32(top) + np.float32(0.5)).astype(kind)
    tables = [np.ascontiguousarray(curves[:, c]) for c in range(3)]
    return tuple(tables[0] if np.array_equal(t, tables[0]) else t for t in tables)


def encode_8bit(linear: Pixels, space: RGBSpace, dither: bool = True) -> Bytes:
    """Encoded 8-bit numbers (H, W, 3) of linear RGB, clipped.

    Parameters
    ----------
    dither : bool
        Blue-noise dither within half a code, the same on every run; off for what is only shown.
    """
    from velkin.core.spaces import kernels  # loaded where needed: the compiler takes a moment

    pixels, out = np.ascontiguousarray(linear, dtype=np.float32), np.empty(linear.shape, np.uint8)
    if dither:
        kernels.dithered_by_root(pixels, *_scaled_curve(space, 255, np.float32), dither_tile(), out)
    else:
        kernels.codes_by_root(pixels.reshape(-1, 3), *_scaled_curve(space, 255, np.uint8), out.reshape(-1, 3))
    return out


def encode_16bit(linear: Pixels, space: RGBSpace) -> NDArray[np.uint16]:
    """Encoded 16-bit numbers (H, W, 3) of linear RGB, clipped."""
    from velkin.core.spaces import kernels

    pixels, out = np.ascontiguousarray(linear, dtype=np.float32), np.empty(linear.shape, np.uint16)
    kernels.codes_by_root(pixels.reshape(-1, 3), *_scaled_curve(space, 65535, np.uint16), out.reshape(-1, 3))
    return out


def for_screen(working: Pixels, path: ColourPath, screen: Space, proofed: bool = False, paper: Paper = PLAIN) -> Bytes:
    """What a screen is given, (H, W, 3) uint8, without dither.

    Parameters
    ----------
    working : ndarray (H, W, 3), float32
        Linear working RGB, eased where the path eases.
    proofed : bool
        Show the colours that the destination has in place of those meant.
    paper : Paper
        What of the destination's medium is simulated.

    Raises
    ------
    BadProfile
        When destination or screen is a profile that cannot be used that way.
    """
    return shown(linear_there(working, path.proof, paper) if proofed else working, path.working, screen)


def shown(linear: Pixels, space: RGBSpace, screen: Space) -> Bytes:
    """What a screen is given, (H, W, 3) uint8, for linear RGB (H, W, 3) in `space`. Raises BadProfile."""
    if isinstance(screen, RGBSpace):
        there = linear if space == screen else np.asarray(cv2.transform(linear, between(space, screen)), dtype=np.float32)
        return encode_8bit(there, screen, dither=False)
    numbers = from_linear(linear, Conversion(space, screen))
    return np.asarray(numbers * np.float32(255.0) + np.float32(0.5), dtype=np.uint8)


def histogram(linear: Pixels, space: RGBSpace, bins: int = 128) -> NDArray[np.int64]:
    """Counts (3, bins) of encoded numbers 0..1; what lies outside falls into the first and last bin."""
    from velkin.core.spaces.kernels import count_by_root  # loaded where needed: the compiler takes a moment

    to_bin = np.minimum((_curve(space) * bins).astype(np.int64), bins - 1)
    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)

    def band(first: int, last: int) -> NDArray[np.int64]:
        counts = np.zeros((3, bins), dtype=np.int64)
        count_by_root(flat[first:last], to_bin, counts)
        return counts

    return np.asarray(sum(in_bands(band, len(flat))), dtype=np.int64)
