"""Transfer functions: how encoded numbers become light, and back.

Parametric ones have the form of ICC.1:2022 parametric curve type 3: with encoded v and linear y, ``y = (a v + b) ** g``
from ``d`` on and ``y = c v`` below. Sampled ones are read by linear interpolation, as ICC asks for curves. Outside 0..1
every curve is continued, as an odd function below 0, so that colours outside a space keep distinct numbers until the last
step clips them.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def _power(values: NDArray[np.floating], exponent: float) -> NDArray[np.floating]:
    """values ** exponent for values ≥ 0; float32 pictures go through OpenCV, which is about five times as fast."""
    if values.dtype == np.float32 and values.size > 4096:
        return np.asarray(cv2.pow(values.reshape(1, -1), exponent)).reshape(values.shape)
    return np.asarray(values**exponent)


@dataclass(frozen=True)
class Transfer:
    """A parametric transfer function (see the module's first lines). Linear is ``g = 1, a = 1, c = 1``."""

    g: float
    a: float = 1.0
    b: float = 0.0
    c: float = 1.0
    d: float = 0.0

    @property
    def is_linear(self) -> bool:
        """Whether encoded and linear numbers are the same."""
        return self.g == 1.0 and self.a == 1.0

    def decode(self, encoded: NDArray[np.floating]) -> NDArray[np.floating]:
        """Linear numbers of encoded ones; any shape, float32 or float64 as given."""
        if self.is_linear:
            return encoded.copy()
        size = np.abs(encoded)
        curve = _power(np.asarray(self.a * size + self.b, dtype=encoded.dtype), self.g)
        return np.copysign(np.where(size >= self.d, curve, self.c * size).astype(encoded.dtype, copy=False), encoded)

    def encode(self, linear: NDArray[np.floating]) -> NDArray[np.floating]:
        """Encoded numbers of linear ones; any shape, float32 or float64 as given."""
        if self.is_linear:
            return linear.copy()
        size = np.abs(linear)
        knee = (self.a * self.d + self.b) ** self.g
        curve = (_power(size, 1.0 / self.g) - self.b) / self.a
        if self.d > 0.0:
            curve = np.where(size >= knee, curve, size / self.c)
        return np.copysign(curve.astype(linear.dtype, copy=False), linear)


@dataclass(frozen=True, eq=False)
class Sampled:
    """A transfer function given as linear numbers at even steps of the encoded ones, 0..1; two of the same samples are equal.

    Attributes
    ----------
    samples : ndarray (N,), float64
        Not falling; falling ones are held level, so that there is a way back.
    """

    samples: Floats
    digest: str = field(init=False, repr=False)

    def __post_init__(self) -> None:
        held = np.maximum.accumulate(np.asarray(self.samples, dtype=np.float64))
        object.__setattr__(self, "samples", held)
        object.__setattr__(self, "digest", hashlib.sha256(held.tobytes()).hexdigest())

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sampled) and other.digest == self.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    def __repr__(self) -> str:
        return f"Sampled({len(self.samples)}, {self.digest[:12]})"

    @property
    def is_linear(self) -> bool:
        """Whether encoded and linear numbers are the same."""
        return False

    def decode(self, encoded: NDArray[np.floating]) -> NDArray[np.floating]:
        """Linear numbers of encoded ones; any shape, float32 or float64 as given."""
        size = np.abs(encoded)
        steps = np.linspace(0.0, 1.0, len(self.samples))
        slope = (self.samples[-1] - self.samples[-2]) * (len(self.samples) - 1)
        out = np.interp(size, steps, self.samples) + np.maximum(size - 1.0, 0.0) * slope
        return np.copysign(out.astype(encoded.dtype, copy=False), encoded)

    def encode(self, linear: NDArray[np.floating]) -> NDArray[np.floating]:
        """Encoded numbers of linear ones; any shape, float32 or float64 as given."""
        size = np.abs(linear)
        steps = np.linspace(0.0, 1.0, len(self.samples))
        samples, first = np.unique(self.samples, return_index=True)
        # a curve that begins level, as one of a space beyond 0..1 does, has its black where that ends, next to the rest
        first[0] = np.searchsorted(self.samples, self.samples[0], "right") - 1
        top = self.samples[-1]
        slope = (top - self.samples[-2]) * (len(self.samples) - 1)
        out = np.interp(size, samples, steps[first])
        if slope > 0:
            out = out + np.maximum(size - top, 0.0) / slope
        return np.copysign(out.astype(linear.dtype, copy=False), linear)


@dataclass(frozen=True)
class ByChannel:
    """A transfer function for each of red, green and blue; arrays end in an axis of three."""

    red: Transfer | Sampled
    green: Transfer | Sampled
    blue: Transfer | Sampled

    @property
    def is_linear(self) -> bool:
        """Whether encoded and linear numbers are the same in all channels."""
        return self.red.is_linear and self.green.is_linear and self.blue.is_linear

    def decode(self, encoded: NDArray[np.floating]) -> NDArray[np.floating]:
        """Linear numbers (..., 3) of encoded ones."""
        curves = (self.red, self.green, self.blue)
        return np.stack([curve.decode(encoded[..., c]) for c, curve in enumerate(curves)], axis=-1)

    def encode(self, linear: NDArray[np.floating]) -> NDArray[np.floating]:
        """Encoded numbers (..., 3) of linear ones."""
        curves = (self.red, self.green, self.blue)
        return np.stack([curve.encode(linear[..., c]) for c, curve in enumerate(curves)], axis=-1)


AnyTransfer = Transfer | Sampled | ByChannel
