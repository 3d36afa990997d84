"""Out of gamut, for spaces of matrix and curves (COLOUR.md section 5): the one test, counted by channel and end, by colour and tone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import in_bands
from velkin.core.conversion import kernels
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]
Mask = NDArray[np.bool_]


@dataclass(frozen=True)
class ChannelEnds:
    """Counts of pixels of one channel driven to either end, and how many of them by their tone: a grey as light would be too."""

    low: int
    high: int
    low_tone: int = 0
    high_tone: int = 0


@dataclass(frozen=True)
class Outside:
    """How many pixels a space cannot hold (COLOUR.md section 5). Shares are always counts over `pixels`.

    Attributes
    ----------
    pixels, outside : int
    channels : tuple of ChannelEnds
        One for each channel of the destination.
    tone : int
        Pixels outside by their tone: a grey of their lightness is not held either. The rest is outside by colour.
    largest : int
        Pixels of the largest contiguous patch, where it was looked for.
    by_hull : bool
        Whether the hull of the destination's colours decided, because its profile's tables invert too badly to say.
    """

    pixels: int
    outside: int
    channels: tuple[ChannelEnds, ...]
    tone: int = 0
    largest: int = 0
    by_hull: bool = False

    def __add__(self, other: Outside) -> Outside:
        """The counts of two parts of a picture together."""
        ends = [
            ChannelEnds(a.low + b.low, a.high + b.high, a.low_tone + b.low_tone, a.high_tone + b.high_tone)
            for a, b in zip(self.channels, other.channels, strict=True)
        ]
        largest = max(self.largest, other.largest)
        counts = self.pixels + other.pixels, self.outside + other.outside
        return Outside(*counts, tuple(ends), self.tone + other.tone, largest, self.by_hull or other.by_hull)

    @property
    def share(self) -> float:
        """Share of pixels with at least one channel outside."""
        return self.outside / self.pixels if self.pixels else 0.0

    def shares(self) -> tuple[tuple[float, float], ...]:
        """Share low, share high of each channel."""
        total = max(self.pixels, 1)
        return tuple((c.low / total, c.high / total) for c in self.channels)


def added(parts: Sequence[Outside]) -> Outside:
    """The counts of the parts of a picture together; there is one at least."""
    return sum(parts[1:], start=parts[0])


def ends_of(space: RGBSpace) -> tuple[Pixels, Pixels]:
    """The linear values (3,) below and above which a channel is outside: 0.5/255 encoded and 1e-4 linear past the ends."""
    past = 0.5 / 255.0
    low, high = space.decode(np.array([[-past] * 3, [1.0 + past] * 3]))
    return np.minimum(low, -1e-4).astype(np.float32), np.maximum(high, 1.0 + 1e-4).astype(np.float32)


def outside_and_mask(linear: Pixels, space: RGBSpace) -> tuple[Outside, Mask]:
    """What a space of curves cannot hold of unclipped linear RGB (H, W, 3) in it: counted, and which pixels (H, W)."""
    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    found = np.empty(len(flat), dtype=np.uint8)
    light = space.to_xyz[1].astype(np.float32)
    low, high = ends_of(space)

    def band(a: int, z: int) -> NDArray[np.int64]:
        counts = np.zeros(14, dtype=np.int64)
        kernels.count_outside(flat[a:z], light, low, high, found[a:z], counts)
        return counts

    n, tone, *ends = (int(v) for v in sum(in_bands(band, len(flat))))
    counted = Outside(len(flat), n, tuple(ChannelEnds(*ends[4 * k : 4 * k + 4]) for k in range(3)), tone)
    return counted, found.reshape(linear.shape[:2]).view(np.bool_)


def outside_mask(linear: Pixels, space: RGBSpace) -> Mask:
    """Which pixels (H, W) a space of curves cannot hold, of unclipped linear RGB in it."""
    return outside_and_mask(linear, space)[1]


def measure_outside(linear: Pixels, space: RGBSpace) -> Outside:
    """Count what a space of curves cannot hold of unclipped linear RGB (H, W, 3) in it."""
    return outside_and_mask(linear, space)[0]
