"""Applying a colour path to pixels: the only place where its stages are chained.

Pixels in flight are float32, linear, (H, W, 3) and unclipped. Clipping happens in the last step, on purpose, and is counted.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.models import Matrix
from velkin.core.path import CameraStage, ColourPath
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


def to_working(camera_rgb: Pixels, path: ColourPath) -> Pixels:
    """Linear working RGB (H, W, 3) of linear camera RGB (H, W, 3), unclipped."""
    camera = path.camera
    if camera.tone is None:
        return _coloured(camera_rgb, camera, path.from_xyz())
    from velkin.core.cameraprofiles.kernels import apply_tone

    romm = _coloured(camera_rgb, camera, ROMM.from_xyz * 2.0**path.exposure)
    return apply_tone(romm, camera.tone, between(ROMM, path.working))


def _coloured(pixels: Pixels, camera: CameraStage, to_output: NDArray[np.float64]) -> Pixels:
    """Linear output RGB of raw camera RGB; a matrix is one pass of OpenCV's, the rest are compiled loops."""
    if not isinstance(camera.colours, Matrix):
        from velkin.core.cameraprofiles.kernels import apply_colours  # loaded where needed: the compiler takes a moment

        return apply_colours(pixels, camera.colours, to_output, camera.balance)
    matrix = to_output @ np.array(camera.colours.matrix)
    if float(pixels.max()) < _SATURATED:  # nothing to mend between balance and matrix: one pass does both
        return np.asarray(cv2.transform(pixels, matrix * np.array(camera.balance)), dtype=np.float32)
    return np.asarray(cv2.transform(balanced(pixels, camera.balance), matrix), dtype=np.float32)


def to_space(working: Pixels, path: ColourPath, space: RGBSpace) -> Pixels:
    """Linear RGB in `space` of linear working RGB, colorimetric and unclipped."""
    if space == path.working:
        return working
    return np.asarray(cv2.transform(working, between(path.working, space)), dtype=np.float32)


_STEPS = 65536


@lru_cache(maxsize=16)
def _curve(space: RGBSpace) -> Pixels:
    """Encoded numbers of the squares of 0..1 in 65536 steps: at most one 16-bit code from the exact curve."""
    return space.encode((np.arange(_STEPS) / (_STEPS - 1.0)) ** 2).astype(np.float32)


def _by_root(linear: Pixels) -> NDArray[np.uint16]:
    """Square roots of clipped linear numbers in 65536 steps, fine where curves are steep."""
    roots: Pixels = np.asarray(cv2.sqrt(np.clip(linear, 0.0, 1.0)), dtype=np.float32)
    roots *= np.float32(_STEPS - 1)
    roots += np.float32(0.5)
    return roots.astype(np.uint16)


def encode_8bit(linear: Pixels, space: RGBSpace, dither: bool = True) -> Bytes:
    """Encoded 8-bit numbers (H, W, 3) of linear RGB, clipped.

    Parameters
    ----------
    dither : bool
        Blue-noise dither within half a code, the same on every run; off for what is only shown.
    """
    if not dither:
        table = (_curve(space) * np.float32(255.0) + np.float32(0.5)).astype(np.uint8)
        return np.asarray(cv2.LUT(_by_root(linear), table), dtype=np.uint8)
    codes: Pixels = np.asarray(cv2.LUT(_by_root(linear), _curve(space) * np.float32(255.0) + np.float32(0.5)), dtype=np.float32)
    codes += _dither(codes.shape[0], codes.shape[1])[..., None]
    return np.asarray(np.clip(codes, 0.0, 255.0, out=codes), dtype=np.uint8)


def encode_16bit(linear: Pixels, space: RGBSpace) -> NDArray[np.uint16]:
    """Encoded 16-bit numbers (H, W, 3) of linear RGB, clipped."""
    table = (_curve(space) * np.float32(65535.0) + np.float32(0.5)).astype(np.uint16)
    return np.asarray(cv2.LUT(_by_root(linear), table), dtype=np.uint16)


@lru_cache(maxsize=1)
def _dither_tile() -> Pixels:
    """One 256 × 256 tile of blue noise, uniform in ±0.5 code, from a fixed seed.

    White noise is high-passed and ranked a few times over: what is left is fine grain without clumps, and because it is
    uniform the mean of an area is kept while no code moves by more than one.
    """
    noise = np.random.default_rng(1729).random((256, 256), dtype=np.float32)
    for _ in range(8):
        wrapped = np.pad(noise, 16, mode="wrap")
        noise = noise - np.asarray(cv2.GaussianBlur(wrapped, (0, 0), 1.6), dtype=np.float32)[16:-16, 16:-16]
        ranks = np.empty(noise.size, dtype=np.float32)
        ranks[np.argsort(noise, axis=None)] = (np.arange(noise.size) + 0.5) / noise.size
        noise = ranks.reshape(noise.shape)
    return noise - np.float32(0.5)


def _dither(height: int, width: int) -> Pixels:
    return np.tile(_dither_tile(), (height // 256 + 1, width // 256 + 1))[:height, :width]


def for_screen(working: Pixels, path: ColourPath, screen: RGBSpace) -> Bytes:
    """What a screen is given, (H, W, 3) uint8: the colours that `encode_8bit` writes, without dither."""
    return encode_8bit(to_space(working, path, screen), screen, dither=False)


# ---- what a destination cannot hold -------------------------------------------------------------------------------


@dataclass(frozen=True)
class ChannelEnds:
    """Counts of pixels of one channel driven to either end."""

    low: int
    high: int


@dataclass(frozen=True)
class Outside:
    """How many pixels a space cannot hold (COLOUR.md section 5). Shares are always counts over `pixels`."""

    pixels: int
    outside: int
    channels: tuple[ChannelEnds, ChannelEnds, ChannelEnds]

    @property
    def share(self) -> float:
        """Share of pixels with at least one channel outside."""
        return self.outside / self.pixels if self.pixels else 0.0

    def shares(self) -> tuple[tuple[float, float], ...]:
        """Share low, share high of each channel."""
        total = max(self.pixels, 1)
        return tuple((c.low / total, c.high / total) for c in self.channels)


def ends_of(space: RGBSpace) -> tuple[float, float]:
    """The linear values below and above which a channel is outside: 0.5/255 encoded and 1e-4 linear past the ends."""
    tolerance = np.array([-0.5 / 255.0, 1.0 + 0.5 / 255.0])
    low, high = space.decode(tolerance)
    return min(float(low), -1e-4), max(float(high), 1.0 + 1e-4)


def outside_mask(linear: Pixels, space: RGBSpace) -> NDArray[np.bool_]:
    """Which pixels (H, W) a matrix space cannot hold, of unclipped linear RGB in that space."""
    low, high = ends_of(space)
    smallest = np.minimum(np.minimum(linear[..., 0], linear[..., 1]), linear[..., 2])
    return np.asarray((smallest < low) | (_largest(linear) > high))


def measure_outside(linear: Pixels, space: RGBSpace) -> Outside:
    """Count what is outside, in total and by channel and end, of unclipped linear RGB (H, W, 3) in `space`."""
    low, high = ends_of(space)
    channels = []
    for c in range(3):
        plane = np.ascontiguousarray(linear[..., c])
        channels.append(ChannelEnds(int(np.count_nonzero(plane < low)), int(np.count_nonzero(plane > high))))
    either = int(np.count_nonzero(outside_mask(linear, space)))
    return Outside(linear.shape[0] * linear.shape[1], either, (channels[0], channels[1], channels[2]))


def histogram(linear: Pixels, space: RGBSpace, bins: int = 128) -> NDArray[np.int64]:
    """Counts (3, bins) of encoded numbers 0..1; what lies outside falls into the first and last bin."""
    to_bin = np.minimum((_curve(space) * bins).astype(np.int64), bins - 1)
    roots = _by_root(linear)
    counts = np.zeros((3, bins), dtype=np.int64)
    for channel in range(3):
        np.add.at(counts[channel], to_bin, np.bincount(roots[..., channel].ravel(), minlength=_STEPS))
    return counts
