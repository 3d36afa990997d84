"""Whole pictures converted from one space to another, in the numbers of files: look stays, numbers change."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import BAND, in_bands
from velkin.core.conversion.codes import Numbers, Pixels, codes_of_light, kind_of_bits, quantised
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import converted, encoded, linear_in
from velkin.core.conversion.outside import Outside, measure_outside
from velkin.core.icc.space import CHANNELS, Space
from velkin.core.spaces.rgb import RGBSpace


@dataclass(frozen=True)
class Converted:
    """A converted picture and, where the destination is a space of matrix and curves, what left it."""

    numbers: Numbers
    outside: Outside | None


def convert_picture(numbers: Numbers, c: Conversion, bits: int, dither: bool = True) -> Converted:
    """A whole picture in another space.

    Parameters
    ----------
    numbers : ndarray (H, W, C), uint8, uint16 or float32
    bits : 8, 16 or 32
        Of the result; 32 is float32 and is not clipped between spaces of matrix and curves.
    dither : bool
        Blue noise within half a code when going to 8 bits; the same on every run.

    Raises
    ------
    BadProfile
        When a profile cannot be used that way.
    """

    def band(part: Numbers, first: int) -> Pixels:
        if isinstance(c.destination, RGBSpace):
            return linear_in(part, c.source, c.destination, intent=c.intent, black_point=c.black_point)
        return converted(part, c)

    return by_bands(numbers, c.destination, bits=bits, dither=dither, give=band)


def by_bands(numbers: Numbers, to: Space, *, bits: int, dither: bool, give: Callable[[Numbers, int], Pixels]) -> Converted:
    """A picture's numbers (H, W, C) in a space, made band by band, so that what lies between takes little memory and stays near the processor.

    `give` makes of some rows (h, W, C), from the one that it is told on, their light in a space of matrix and curves, their encoded numbers in any other.
    """
    height, width = numbers.shape[:2]
    out: NDArray[np.generic] = np.empty((height, width, CHANNELS[to.model]), dtype=kind_of_bits(bits))

    def band(first: int, last: int) -> Outside | None:
        found = give(numbers[first:last], first)
        if not isinstance(to, RGBSpace):
            out[first:last] = found if bits == 32 else quantised(found, bits, dither=dither, first_row=first)
            return None
        out[first:last] = encoded(found, to) if bits == 32 else codes_of_light(found, to, bits, dither=dither, first_row=first)
        return measure_outside(found, to)

    counts = in_bands(band, height, max(BAND // max(width, 1), 1))
    return Converted(out, sum(counts[1:], start=counts[0]) if isinstance(to, RGBSpace) else None)
