"""The course of a change: what it does to greys and to ramps of six hues, and where along each it is steepest."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.match.pair import Colour, coordinates
from velkin.core.spaces.oklab import xyz_to_oklab
from velkin.core.spaces.rgb import SRGB, RGBSpace

Floats = NDArray[np.float64]
Map = Callable[[Floats], Floats]

#: The full colours that ramps lead to, linear RGB.
_ENDS = {
    "red": (1.0, 0.0, 0.0), "yellow": (1.0, 1.0, 0.0), "green": (0.0, 1.0, 0.0),
    "cyan": (0.0, 1.0, 1.0), "blue": (0.0, 0.0, 1.0), "magenta": (1.0, 0.0, 1.0),
}  # fmt: skip
#: Ramps of hues begin at a dark grey of this linear light.
_DARK = 0.05
#: Colours of less chroma than this, in coordinates, are called greys; lightness from and to which one is called dark and light.
_GREYS, _DARKS, _LIGHTS = 8.0, 45.0, 75.0


@dataclass(frozen=True, eq=False)
class Ramp:
    """One ramp.

    Attributes
    ----------
    name : str
    before, after : ndarray (N, 3)
        Coordinates along it.
    stretch : float
        The largest stretch of a small step along it, as a multiple of the largest along the greys; of the greys themselves, of none.
    steepest : float
        Where that is, 0 at the dark end to 1.
    turns_back : bool
        Whether it anywhere goes against its own course.
    """

    name: str
    before: Floats
    after: Floats
    stretch: float
    steepest: float
    turns_back: bool


def ramps(change: Map, space: RGBSpace = SRGB, steps: int = 97) -> tuple[Ramp, ...]:
    """The grey ramp and six of hues under a map of coordinates (N, 3); the hues are those of a space's primaries and their sums."""
    t = np.linspace(0.0, 1.0, steps)[:, None]
    made = [("grey", coordinates(np.concatenate([t, np.zeros((steps, 2))], axis=1)))]
    dark = _oklab(np.full(3, _DARK), space)
    made += [(name, coordinates(dark + t * (_oklab(np.array(end), space) - dark))) for name, end in _ENDS.items()]
    carried = change(np.concatenate([x for _, x in made])).reshape(len(made), steps, 3)
    found: list[Ramp] = []
    greys = 1.0
    for (name, x), y in zip(made, carried, strict=True):
        step, moved = np.diff(x, axis=0), np.diff(y, axis=0)
        gain = np.linalg.norm(moved, axis=1) / np.linalg.norm(step, axis=1)
        if name == "grey":
            greys = max(float(gain.max()), 1e-6)
        at = int(np.argmax(gain))
        base = 1.0 if name == "grey" else greys
        back = bool(((moved * step).sum(axis=1) < 0.0).any())
        found.append(Ramp(name, x, y, float(gain.max()) / base, (at + 0.5) / (steps - 1), back))
    return tuple(found)


def _oklab(linear: Floats, space: RGBSpace) -> Floats:
    return np.asarray(xyz_to_oklab(linear @ space.to_xyz.T))


def colour_words(oklab: Colour) -> str:
    """Where a colour lies, in words.

    Examples
    --------
    >>> colour_words((0.3, -0.02, -0.12))
    'dark blues'
    >>> colour_words((0.6, 0.0, 0.0))
    'greys'
    """
    light, a, b = coordinates(oklab)
    shade = "dark " if light < _DARKS else "light " if light > _LIGHTS else ""
    if np.hypot(a, b) < _GREYS:
        return f"{shade}greys"
    hues = {name: _oklab(np.array(end), SRGB)[1:] for name, end in _ENDS.items()}
    near = max(hues, key=lambda n: float(hues[n] @ (a, b) / np.linalg.norm(hues[n])))
    return f"{shade}{near}{'' if near.endswith('s') else 's'}"


@dataclass(frozen=True, eq=False)
class Lattice:
    """A lattice of colours before and after a change, for drawing.

    Attributes
    ----------
    before, after : ndarray (side, side, side, 3)
        Coordinates, by red, green and blue of a space.
    """

    before: Floats
    after: Floats


def lattice(change: Map, space: RGBSpace = SRGB, side: int = 7) -> Lattice:
    """A lattice of a space's colours, even in its encoded numbers, under a map of coordinates (N, 3)."""
    steps = np.linspace(0.0, 1.0, side)
    numbers = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1)
    before = coordinates(xyz_to_oklab(np.asarray(space.decode(numbers.reshape(-1, 3))) @ space.to_xyz.T))
    shape = (side, side, side, 3)
    return Lattice(before.reshape(shape), change(before).reshape(shape))
