"""The curves of a space as tables, for pictures: from light to encoded numbers and back, fast and close at any size of number."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]
Floats = NDArray[np.float64]

#: Bits of the mantissa by which a table steps, tried in turn until it is close enough: for codes, and for numbers that stay floats.
_FOR_CODES, _FOR_FLOATS = (8, 10, 12), (11, 12)
#: What is close enough: a quarter of a 16-bit code between 0 and 1, and this share of the number everywhere.
_CODE, _SHARE = 0.25 / 65535.0, 1e-5
#: Tables end here; no picture's number, nor its light, is larger and means anything.
_LARGEST = 2.0**40


@dataclass(frozen=True, eq=False)
class Curves:
    """An odd function of a number for each channel, as tables over even steps of float32's own bits: 2ⁿ steps in each octave.

    So its error is the same share of the number everywhere, whatever the function: near black the root of a gamma of 10 is as steep as no
    table over even steps of light, or of its root, could follow.

    Attributes
    ----------
    tables : three ndarray (N,), float32
        The same array three times where the channels' curves are.
    shift, base : int
        A number's place is ``(bits >> shift) - base``.
    """

    tables: tuple[Pixels, Pixels, Pixels]
    shift: int
    base: int

    def read(self, channel: int, numbers: Pixels) -> Floats:
        """What the loops read for numbers (N,) from 2⁻¹²⁶ up to the table's end."""
        table, bits = self.tables[channel].astype(np.float64), numbers.view(np.int32)
        at = (bits >> self.shift) - self.base
        within = (bits & ((1 << self.shift) - 1)) / float(1 << self.shift)
        return np.asarray(table[at] + within * (table[at + 1] - table[at]))


@lru_cache(maxsize=24)
def encoder_of(space: RGBSpace) -> Curves:
    """A space's curves from light to encoded numbers that become codes."""
    return _close(space.encode, _FOR_CODES)


@lru_cache(maxsize=16)
def fine_encoder_of(space: RGBSpace) -> Curves:
    """A space's curves from light to encoded numbers that stay floats."""
    return _close(space.encode, _FOR_FLOATS)


@lru_cache(maxsize=16)
def decoder_of(space: RGBSpace) -> Curves:
    """A space's curves from encoded numbers to light."""
    return _close(space.decode, _FOR_FLOATS)


def _close(function: Callable[[Floats], NDArray[np.floating]], steps: tuple[int, ...]) -> Curves:
    rng = np.random.default_rng(23)
    probes = np.concatenate([rng.random(20000), 2.0 ** rng.uniform(-60.0, 0.0, 20000)]).astype(np.float32)
    meant = np.asarray(function(np.repeat(probes[:, None].astype(np.float64), 3, axis=1)))
    for fine in steps:
        curves = _tabulated(function, 23 - fine)
        found = np.stack([curves.read(channel, probes) for channel in range(3)], axis=1)
        if np.all(np.abs(found - meant) <= np.minimum(_CODE, _SHARE * np.maximum(np.abs(meant), 1e-3))):
            break
    return curves


def _tabulated(function: Callable[[Floats], NDArray[np.floating]], shift: int) -> Curves:
    first, last = np.array([2.0**-126, _LARGEST], dtype=np.float32).view(np.int32) >> shift
    steps = (np.arange(first, last + 1, dtype=np.int32) << shift).view(np.float32).astype(np.float64)
    values = np.minimum(function(np.repeat(steps[:, None], 3, axis=1)), _LARGEST).astype(np.float32)
    values[0] = 0.0  # the least number that floats tell from none is none
    values = np.concatenate([values, values[-1:]])
    channels = [np.ascontiguousarray(values[:, c]) for c in range(3)]
    red, green, blue = (channels[0] if np.array_equal(c, channels[0]) else c for c in channels)
    return Curves((red, green, blue), shift, int(first))


@lru_cache(maxsize=32)
def light_of_each_code(space: RGBSpace, kind: str) -> tuple[Pixels, Pixels, Pixels]:
    """Linear light of every code of a type (``uint8`` or ``uint16``) for each channel; equal channels share one table."""
    codes = np.linspace(0.0, 1.0, 256 if kind == "uint8" else 65536)
    curves: NDArray[Any] = space.decode(np.repeat(codes[:, None], 3, axis=1))
    tables = [np.ascontiguousarray(curves[:, i], dtype=np.float32) for i in range(3)]
    red, green, blue = (tables[0] if np.array_equal(t, tables[0]) else t for t in tables)
    return red, green, blue
