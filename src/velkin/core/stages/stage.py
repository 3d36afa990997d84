"""A stage of a colour path, and the pixels that flow through it.

A new kind of stage is one class with a place in the path, what it says of itself and what it does; nothing else knows it by name.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum, IntEnum
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.codes import Numbers, as_float
from velkin.core.conversion.light import carried, encoded, linear_in
from velkin.core.gamut.masks import Window
from velkin.core.icc.space import Space
from velkin.core.icc.transform import Intent
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.tags.ledger import Verb

Pixels = NDArray[np.float32]


class Place(IntEnum):
    """Where a kind of stage stands in every path."""

    SOURCE = 0
    FIELD = 1
    CAMERA = 2
    LEDGER = 3
    WORKING = 4
    LOOK = 5
    EASING = 6
    DESTINATION = 7


class Alters(Enum):
    """What a stage alters, in the words used everywhere."""

    NOTHING = "nothing happens"
    LOOK = Verb.ASSIGN.meaning
    NUMBERS = Verb.CONVERT.meaning
    BOTH = "look and numbers change"


@dataclass(frozen=True)
class Line:
    """One line of what a stage says of itself."""

    words: str
    alters: Alters = Alters.NOTHING


@dataclass(frozen=True, eq=False)
class Flow:
    """Pixels on their way, and what their numbers mean: camera numbers, encoded numbers in a space, or linear light in one.

    Attributes
    ----------
    pixels : ndarray (H, W, C)
        Linear camera RGB: float32, unclipped, or 16-bit levels. Linear light: float32, unclipped. Encoded numbers: codes as decoded, or float32.
    space : Space or None
        None for camera numbers.
    linear : bool
        Whether they are linear light in the space, which then is one of matrix and curves.
    window : Window or None
        Which part of the picture they are; None for all of it.
    """

    pixels: NDArray[Any]
    space: Space | None = None
    linear: bool = False
    window: Window | None = None

    def light_in(self, space: RGBSpace, intent: Intent = Intent.RELATIVE, black_point: bool = True) -> Pixels:
        """Linear RGB (H, W, 3) in a space of matrix and curves, unclipped. Raises BadProfile."""
        assert self.space is not None
        if not self.linear:
            return linear_in(self.pixels, self.space, space, intent=intent, black_point=black_point)
        assert isinstance(self.space, RGBSpace)
        return carried(self.pixels, self.space, space)

    def numbers(self) -> Numbers:
        """Encoded numbers (H, W, C) in its space: codes as they were decoded, else float32, unclipped where the space is of curves."""
        if not self.linear:
            return self.pixels
        assert isinstance(self.space, RGBSpace)
        return encoded(self.pixels, self.space)

    def floats(self) -> Pixels:
        """As `numbers`, 0..1 of full scale."""
        return as_float(self.numbers())

    def as_light(self, pixels: Pixels, space: RGBSpace) -> Flow:
        """The same place in the picture with other light."""
        return replace(self, pixels=pixels, space=space, linear=True)

    def as_numbers(self, pixels: Numbers, space: Space) -> Flow:
        """The same place in the picture with other encoded numbers."""
        return replace(self, pixels=pixels, space=space, linear=False)


class Stage(Protocol):
    """A frozen description of one thing that happens to a picture's colour."""

    @property
    def place(self) -> Place:
        """Where it stands in the path."""

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself, in the ledger's words."""

    def apply(self, flow: Flow) -> Flow:
        """What it does. Raises BadProfile."""
