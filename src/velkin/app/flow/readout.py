"""Numbers of decoded pixels along a path: here, Lab and there; at a pin, under the pointer, and in words."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.app.flow.drawing import Rendered
from velkin.app.words import signed
from velkin.core.conversion.light import from_linear, lab_of
from velkin.core.gamut.masks import Window
from velkin.core.gamut.membership import outside
from velkin.core.icc.space import Space
from velkin.core.path import ColourPath
from velkin.core.render import eased, numbers_here, to_working
from velkin.core.tags.pins import Pin

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class PinNumbers:
    """What a pin reads along a path: encoded numbers here, Lab, encoded numbers there."""

    here: Floats
    lab: Floats
    there: Floats
    outside: bool = False


def read_pin(source: NDArray[Any], path: ColourPath, pin: Pin) -> PinNumbers:
    """The mean of 3 × 3 decoded pixels round a pin, along a path."""
    height, width = source.shape[:2]
    x, y = min(int(pin.x * width), width - 1), min(int(pin.y * height), height - 1)
    return read_at(source, path, slice(max(y - 1, 0), y + 2), slice(max(x - 1, 0), x + 2))


def read_at(source: NDArray[Any], path: ColourPath, rows: slice, columns: slice) -> PinNumbers:
    """The mean of some decoded pixels along a path, eased on the way there."""
    patch = source[rows, columns]
    window = Window(source.shape[1], source.shape[0], columns.start, rows.start)
    numbers = numbers_here(patch, path, window)
    here = numbers.reshape(-1, numbers.shape[-1]).mean(axis=0, keepdims=True)
    linear = to_working(patch, path, window).reshape(-1, 3).mean(axis=0)[None, None, :].astype(np.float32)
    now = eased(linear, path, window)
    there = from_linear(now, path.proof)[0, 0].astype(np.float64)
    lab = lab_of(here, path.here)[0]
    return PinNumbers(here[0].astype(np.float64), lab, there, bool(outside(now, path.proof)[0, 0]))


def there_words(there: Floats, space: Space) -> str:
    """Numbers at a destination: 8-bit codes, or per cent of ink."""
    if space.model == "cmyk":
        return " ".join(f"{100 * v:.0f}" for v in there) + " %"
    return "  ".join(str(round(float(v) * 255)) for v in np.clip(there, 0.0, 1.0))


def here_words(here: Floats, path: ColourPath) -> str:
    """Numbers of the frame's own space: encoded 0..1 for RGB and gray, per cent of ink, or Lab."""
    model = path.here.model
    if model == "cmyk":
        return " ".join(f"{100 * v:.0f}" for v in here) + " %"
    if model == "lab":
        return "Lab"
    return "  ".join(signed(float(v), 3) for v in here)


def numbers_under(at: tuple[float, float], r: Rendered, size: tuple[int, int]) -> tuple[str, str, str, str]:
    """Place, numbers of the frame's own space, Lab and numbers there, at a point of a picture of `size` pixels."""
    assert r.source is not None
    height, width = r.source.shape[:2]
    x = min(int(at[0] * width / size[0]), width - 1)
    y = min(int(at[1] * height / size[1]), height - 1)
    found = read_at(r.source, r.path, slice(y, y + 1), slice(x, x + 1))
    mark = "   \u25a8 out of gamut" if found.outside else ""
    return (
        f"{int(at[0])}, {int(at[1])}",
        here_words(np.asarray(found.here, dtype=np.float64), r.path),
        "  ".join(signed(float(v)) for v in found.lab),
        there_words(found.there, r.path.destination) + mark,
    )
