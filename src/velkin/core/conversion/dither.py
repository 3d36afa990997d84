"""Blue-noise dither for 8 bits, the same on every run."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.float32]

#: Side of the tile.
SIDE = 256


@lru_cache(maxsize=1)
def dither_tile() -> Pixels:
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
