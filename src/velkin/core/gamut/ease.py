"""Applying easings to pixels (COLOUR.md section 5): hue is held, in Oklab; what needs no change is not touched to the bit."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import in_bands
from velkin.core.conversion.conversion import Conversion
from velkin.core.gamut import kernels
from velkin.core.gamut.boundary import Boundary, boundary_of
from velkin.core.gamut.easing import BRUSHED, DETAIL, HUE, OVERALL, WHERE_OUT, Easing
from velkin.core.gamut.masks import Window, feathered, painted
from velkin.core.gamut.simulation import linear_there
from velkin.core.icc.space import Space
from velkin.core.planes import planes
from velkin.core.spaces.oklab import FROM_CONES, FROM_OPPONENT, TO_CONES, TO_OPPONENT
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]

F = np.float32
_EVERYWHERE = np.ones(1, dtype=np.float32)
_EVERY_HUE = np.zeros(4, dtype=np.float32)


def ease(
    linear: Pixels, space: RGBSpace, destination: Space, easings: Sequence[Easing], *, window: Window | None = None
) -> Pixels:
    """A picture eased towards a destination.

    Parameters
    ----------
    linear : ndarray (H, W, 3), float32
        Linear RGB in `space`, unclipped.
    easings : sequence of Easing
        Applied in order; those that do not act on this destination or do not fit the picture (`set_aside`) are passed over.
    window : Window, optional
        Which part of a larger picture `linear` is.

    Returns
    -------
    ndarray (H, W, 3), float32
        Linear RGB in `space`; the very array where nothing acts.

    Raises
    ------
    BadProfile
        When the destination is a profile without a way from colours to device values.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.gamut.easing import full_strength
    >>> from velkin.core.spaces.rgb import P3, SRGB
    >>> green = np.array([[[0.0, 0.8, 0.0], [0.2, 0.2, 0.2]]], np.float32)
    >>> eased = ease(green, P3, SRGB, full_strength())
    >>> bool((eased[0, 1] == green[0, 1]).all()), bool(eased[0, 0, 0] > green[0, 0, 0])
    (True, True)
    """
    whole = window or Window(linear.shape[1], linear.shape[0])
    now = linear
    for easing in easings:
        if easing.acts(destination.id) and easing.place.fits(whole.width, whole.height):
            now = _stage(now, linear, space, destination, easing, whole)
    return now


def set_aside(easings: Sequence[Easing], width: int, height: int) -> list[int]:
    """Which easings (places in the list) were painted on a picture of another shape and are not applied.

    Examples
    --------
    >>> set_aside([], 600, 400)
    []
    """
    return [i for i, e in enumerate(easings) if not e.place.fits(width, height)]


def _stage(now: Pixels, first: Pixels, space: RGBSpace, destination: Space, easing: Easing, window: Window) -> Pixels:
    boundary = boundary_of(destination)
    if easing.kind == DETAIL:
        return _detail(now, first, space, destination, boundary, easing, window)
    flat = np.ascontiguousarray(now).reshape(-1, 3)
    out = np.empty_like(flat)
    mask = _mask(now, space, boundary, easing, window)
    knee = F(1.0 - easing.reach) if easing.kind != HUE else F(0.9)
    scale = F(easing.strength if easing.kind == OVERALL else 0.0)
    strength = F(1.0 if easing.kind == OVERALL else easing.strength)
    hues = _range(easing) if easing.kind == HUE else _EVERY_HUE
    to, opponent = _matrices(space)
    back, rgb = _flat(FROM_OPPONENT), _flat(space.from_xyz @ FROM_CONES)

    def band(a: int, z: int) -> None:
        part = mask if len(mask) == 1 else mask[a:z]
        kernels.eased(
            flat[a:z], to, opponent, back, rgb, boundary.chroma, F(boundary.low), F(boundary.high), knee, scale, strength,
            hues, part, planes(kernels.PLANES), out[a:z],
        )  # fmt: skip

    in_bands(band, len(flat))
    return out.reshape(now.shape)


def _flat(matrix: NDArray[np.float64]) -> Pixels:
    return np.ascontiguousarray(matrix, dtype=np.float32).ravel()


def _matrices(space: RGBSpace) -> tuple[Pixels, Pixels]:
    return _flat(TO_CONES @ space.to_xyz), _flat(TO_OPPONENT)


def _range(easing: Easing) -> Pixels:
    """The axes of the middle of a range of hues, and the cosines where it begins to fall off and where it ends."""
    half = min(easing.reach / 2.0, 180.0)
    middle = np.radians(easing.hue)
    return np.array(
        [np.cos(middle), np.sin(middle), np.cos(np.radians(0.6 * half)), np.cos(np.radians(half))], dtype=np.float32
    )


def _mask(now: Pixels, space: RGBSpace, boundary: Boundary, easing: Easing, window: Window) -> Pixels:
    """Where an easing acts, flat, or one 1 for everywhere."""
    height, width = now.shape[:2]
    if easing.place.kind == BRUSHED:
        return np.ascontiguousarray(painted(easing.place.strokes, height, width, window)).ravel()
    if easing.place.kind == WHERE_OUT or easing.kind == DETAIL:
        edge = easing.place.feather * max(window.width, window.height)
        return np.ascontiguousarray(feathered(beyond(now, space, boundary), edge)).ravel()
    return _EVERYWHERE


def beyond(linear: Pixels, space: RGBSpace, boundary: Boundary) -> NDArray[np.bool_]:
    """Which pixels (H, W) of linear RGB lie beyond a boundary."""
    flat = np.ascontiguousarray(linear).reshape(-1, 3)
    out = np.empty(len(flat), dtype=np.uint8)
    to, opponent = _matrices(space)
    in_bands(
        lambda a, z: kernels.beyond(
            flat[a:z], to, opponent, boundary.chroma, F(boundary.low), F(boundary.high), planes(kernels.PLANES), out[a:z]
        ),
        len(flat),
    )
    return out.reshape(linear.shape[:2]).astype(np.bool_)


def oklab_of(linear: Pixels, space: RGBSpace) -> Pixels:
    """Oklab (H, W, 3) of linear RGB (H, W, 3), float32.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.spaces.rgb import SRGB
    >>> round(float(oklab_of(np.ones((1, 1, 3), np.float32), SRGB)[0, 0, 0]), 3)
    1.0
    """
    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    to, opponent = _matrices(space)
    in_bands(lambda a, z: kernels.to_oklab(flat[a:z], to, opponent, planes(kernels.PLANES), out[a:z]), len(flat))
    return out.reshape(linear.shape)


def _texture(lightness: Pixels, size: float) -> Pixels:
    height, width = lightness.shape
    by = 4 if size > 8 and min(height, width) > 64 else 1  # a wide blur is the same in a quarter of the size
    small = cv2.resize(lightness, (width // by, height // by), interpolation=cv2.INTER_AREA) if by > 1 else lightness
    blurred = cv2.GaussianBlur(small, (0, 0), max(size / by, 0.6), borderType=cv2.BORDER_REFLECT)
    if by > 1:
        blurred = cv2.resize(blurred, (width, height), interpolation=cv2.INTER_LINEAR)
    return np.asarray(lightness - blurred, dtype=np.float32)


def _detail(
    now: Pixels,
    first: Pixels,
    space: RGBSpace,
    destination: Space,
    boundary: Boundary,
    easing: Easing,
    window: Window,
) -> Pixels:
    """Where something is cut off: what the destination makes of it, with the lightness texture of the picture before easing.

    What the cut channel lost is found in the lightness that all channels together had; it is given back along the boundary, so
    that the channels that have room carry it.
    """
    mask = _mask(now, space, boundary, easing, window).reshape(now.shape[:2]) * F(easing.strength)
    if not mask.any():
        return now
    there = oklab_of(linear_there(now, Conversion(space, destination)), space)
    meant = oklab_of(first, space)[..., 0]
    size = easing.reach * max(window.width, window.height)
    light = there[..., 0] + _texture(meant, size) - _texture(there[..., 0], size)
    flat, out = np.ascontiguousarray(now).reshape(-1, 3), np.empty((now.size // 3, 3), dtype=np.float32)
    lights, colours, weights = light.ravel(), there.reshape(-1, 3), np.ascontiguousarray(mask).ravel()
    back, rgb = _flat(FROM_OPPONENT), _flat(space.from_xyz @ FROM_CONES)
    in_bands(
        lambda a, z: kernels.along_boundary(
            flat[a:z], lights[a:z], colours[a:z], weights[a:z], boundary.chroma, F(boundary.low), F(boundary.high), back, rgb,
            out[a:z],
        ),
        len(flat),
    )  # fmt: skip
    return out.reshape(now.shape)
