"""Applying a colour path to pixels: the only place where its stages are chained.

Pixels in flight are float32, linear, (H, W, 3) and unclipped. Clipping happens in the last step, on purpose, and is counted.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.path import ColourPath
from velkin.core.spaces.rgb import RGBSpace, between

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
    top = camera_rgb.max(axis=2)
    if float(top.max()) < _SATURATED:
        return out
    at = top >= _SATURATED
    raw, lost = camera_rgb[at], np.minimum(out[at], 1.0)
    second = np.sort(raw, axis=1)[:, 1]
    share = np.clip((second - 0.90) / (_SATURATED - 0.90), 0.0, 1.0)[:, None]
    out[at] = lost + (lost.max(axis=1, keepdims=True) - lost) * share
    return out


def to_working(camera_rgb: Pixels, path: ColourPath) -> Pixels:
    """Linear working RGB (H, W, 3) of linear camera RGB (H, W, 3), unclipped."""
    return np.asarray(cv2.transform(balanced(camera_rgb, path.camera.balance), path.to_working()), dtype=np.float32)


def to_space(working: Pixels, path: ColourPath, space: RGBSpace) -> Pixels:
    """Linear RGB in `space` of linear working RGB, colorimetric and unclipped."""
    if space == path.working:
        return working
    return np.asarray(cv2.transform(working, between(path.working, space)), dtype=np.float32)


def encode_8bit(linear: Pixels, space: RGBSpace, dither: bool = True) -> Bytes:
    """Encoded 8-bit numbers (H, W, 3) of linear RGB, clipped.

    Parameters
    ----------
    dither : bool
        Triangular dither of one code from a fixed seed, the same on every run; off for what is only shown.
    """
    codes: Pixels = np.asarray(space.encode(np.clip(linear, 0.0, 1.0)), dtype=np.float32) * np.float32(255.0)
    if dither:
        codes += _dither(codes.shape[0], codes.shape[1])[..., None]
    return np.asarray(np.clip(codes + 0.5, 0.0, 255.0), dtype=np.uint8)


def encode_16bit(linear: Pixels, space: RGBSpace) -> NDArray[np.uint16]:
    """Encoded 16-bit numbers (H, W, 3) of linear RGB, clipped."""
    codes = np.asarray(space.encode(np.clip(linear, 0.0, 1.0)), dtype=np.float32) * np.float32(65535.0)
    return np.asarray(codes + 0.5, dtype=np.uint16)


def _dither(height: int, width: int) -> Pixels:
    """Triangular noise of ±0.5 code, tiled from one fixed 256 × 256 pattern (fast and repeatable)."""
    rng = np.random.default_rng(1729)
    tile = (rng.random((256, 256), dtype=np.float32) + rng.random((256, 256), dtype=np.float32) - 1.0) * 0.5
    return np.tile(tile, (height // 256 + 1, width // 256 + 1))[:height, :width]


# ---- for the screen -----------------------------------------------------------------------------------------------

_STEPS = 4096


def for_screen(working: Pixels, path: ColourPath, screen: RGBSpace) -> Bytes:
    """What a screen is given, (H, W, 3) uint8: the same colours as `encode_8bit`, through a table in square-root steps."""
    linear = to_space(working, path, screen)
    roots = cv2.sqrt(np.clip(linear, 0.0, 1.0))
    table = screen.encode((np.arange(_STEPS) / (_STEPS - 1)) ** 2) * 255.0 + 0.5
    index = (roots * (_STEPS - 1) + 0.5).astype(np.uint16)
    return np.take(table.astype(np.uint8), index)


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
    return np.asarray((linear.min(axis=2) < low) | (linear.max(axis=2) > high))


def measure_outside(linear: Pixels, space: RGBSpace) -> Outside:
    """Count what is outside, in total and by channel and end, of unclipped linear RGB (H, W, 3) in `space`."""
    low, high = ends_of(space)
    below, above = linear < low, linear > high
    channels = tuple(ChannelEnds(int(np.count_nonzero(below[..., c])), int(np.count_nonzero(above[..., c]))) for c in range(3))
    either = int(np.count_nonzero((below | above).any(axis=2)))
    return Outside(linear.shape[0] * linear.shape[1], either, (channels[0], channels[1], channels[2]))


def histogram(linear: Pixels, space: RGBSpace, bins: int = 128) -> NDArray[np.int64]:
    """Counts (3, bins) of encoded numbers 0..1; what lies outside falls into the first and last bin."""
    roots = np.sqrt(np.clip(linear, 0.0, 1.0))
    fine = space.encode((np.arange(1024) / 1023.0) ** 2)
    to_bin = np.minimum((fine * bins).astype(np.int64), bins - 1)
    counts = np.zeros((3, bins), dtype=np.int64)
    for channel in range(3):
        by_root = np.bincount((roots[..., channel] * 1023.0 + 0.5).astype(np.int32).ravel(), minlength=1024)
        np.add.at(counts[channel], to_bin, by_root)
    return counts
