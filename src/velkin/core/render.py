"""Applying a colour path to pixels: the only place where its stages are chained.

Pixels in flight are float32, linear, (H, W, 3) and unclipped. Clipping happens in the last step, on purpose, and is counted.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.models import Matrix
from velkin.core.conversion.codes import Numbers, as_float, codes_of_light, is_codes, linear_of_codes, quantised
from velkin.core.conversion.colours import converted, from_linear, linear_in
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.steps import chain_of
from velkin.core.gamut.ease import ease
from velkin.core.gamut.masks import Window
from velkin.core.gamut.proof import PLAIN, Paper, linear_there
from velkin.core.icc.space import Space
from velkin.core.path import CameraStage, ColourPath, PictureStage
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
        return np.asarray(codes_of_light(linear, space, screen, 8), dtype=np.uint8)
    numbers = from_linear(linear, Conversion(space, screen))
    return np.asarray(quantised(numbers.reshape(-1, numbers.shape[-1]), 8, False), dtype=np.uint8).reshape(numbers.shape)
