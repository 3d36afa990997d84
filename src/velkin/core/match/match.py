"""A match: a smooth map of colours, learnt from pairs, in three steps of which each may be none.

Normalise brings a flat picture to the reference's contrast; the grey axis follows the reference's greys, makes them neutral or leaves them; the
residual carries the pairs that remain. Far from all evidence nothing moves.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from velkin.core.match.curve import Curve
from velkin.core.match.flow import Flow
from velkin.core.match.pair import Pair, chroma
from velkin.core.match.support import Support

Floats = NDArray[np.float64]

#: Where greys stay as they are, colours nearer to them than this move less and less.
_NEAR_GREY = 8.0


class Part(StrEnum):
    """What of a match is meant; the values are those of the command line."""

    BOTH = "both"
    #: Bringing a flat picture to normal.
    NORMAL = "normalise"
    #: The rest, for pictures that are normal already.
    MATCH = "match"


@dataclass(frozen=True)
class Normalising:
    """A curve of lightness and a factor of chroma for the whole picture."""

    curve: Curve = field(default_factory=Curve)
    chroma: float = 1.0

    @property
    def changes(self) -> bool:
        """Whether it does anything."""
        return self != Normalising()

    def at(self, x: Floats) -> Floats:
        """Coordinates (M, 3) brought to normal."""
        if not self.changes:
            return x
        return np.stack([self.curve.at(x[:, 0]), x[:, 1] * self.chroma, x[:, 2] * self.chroma], axis=1)


@dataclass(frozen=True)
class GreyAxis:
    """A curve of lightness, and what is added to the opponent axes along it: at each knot of lightness, in coordinates."""

    curve: Curve = field(default_factory=Curve)
    tints: tuple[tuple[float, float, float], ...] = ()

    def way(self, x: Floats) -> Floats:
        """How far (M, 3) coordinates (M, 3) are moved."""
        way = np.zeros_like(x)
        way[:, 0] = self.curve.at(x[:, 0]) - x[:, 0]
        if self.tints:
            at, a, b = np.array(self.tints).T
            way[:, 1], way[:, 2] = np.interp(x[:, 0], at, a), np.interp(x[:, 0], at, b)
        return way


@dataclass(frozen=True, eq=False)
class Trend:
    """What pairs have in common: a linear way, nowhere longer than it is at any of them.

    Attributes
    ----------
    rows : ndarray (4, 3)
        The way at coordinates c is (1, c) · rows.
    most : float
        Its largest length.
    """

    rows: Floats
    most: float = 0.0

    def way(self, x: Floats) -> Floats:
        """How far (M, 3) coordinates (M, 3) are moved."""
        way = self.rows[0] + x @ self.rows[1:]
        size = np.linalg.norm(way, axis=1, keepdims=True)
        # in full up to half the most, and then more and more slowly, so that lengths stay in their order
        half = 0.5 * self.most
        held = half + half * np.tanh((size - half) / max(half, 1e-9))
        return np.asarray(np.where(size <= half, way, way * (held / np.maximum(size, 1e-9))))


@dataclass(frozen=True, eq=False)
class Match:
    """A learnt map of colours; two of the same numbers are equal.

    Attributes
    ----------
    normalising : Normalising
    grey : GreyAxis
    trend : Trend
    flow : Flow
    support : Support
    keeps_greys : bool
        Whether greys stay as they are.
    pairs : tuple of Pair
        What it was learnt from, kept so that it can be learnt anew.
    name : str
    """

    normalising: Normalising
    grey: GreyAxis
    trend: Trend
    flow: Flow
    support: Support
    keeps_greys: bool = False
    pairs: tuple[Pair, ...] = ()
    name: str = ""
    digest: str = field(init=False, repr=False)

    def __post_init__(self) -> None:
        arrays = (self.trend.rows, self.flow.places, self.flow.weights, self.support.points)
        words = repr((self.normalising, self.grey, self.flow.length, self.trend.most, self.keeps_greys, self.name)).encode()
        digest = hashlib.sha256(words + b"".join(np.ascontiguousarray(a).tobytes() for a in arrays)).hexdigest()
        object.__setattr__(self, "digest", digest[:24])

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Match) and other.digest == self.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    def __repr__(self) -> str:
        return f"Match({self.name!r}, {self.digest})"

    def named(self, name: str) -> Match:
        """The same match under another name."""
        return replace(self, name=name)

    def part(self, part: Part) -> Match:
        """A part of it, as a match; the second after the first is the whole."""
        if part is Part.BOTH:
            return self
        if part is Part.MATCH:
            return replace(self, normalising=Normalising())
        nothing = Flow(self.flow.length, np.zeros((0, 0, 3)), np.zeros((0, 0, 3)))
        return replace(self, grey=GreyAxis(), trend=Trend(np.zeros((4, 3))), flow=nothing, keeps_greys=False)

    def normal(self, x: Floats) -> Floats:
        """Coordinates (M, 3) after the first step."""
        return self.normalising.at(x)

    def at(self, x: Floats) -> Floats:
        """Where coordinates (M, 3) are carried by all steps."""
        normal = self.normalising.at(x)
        share = self.support.share(normal)[:, None]
        begun = normal + share * (self.grey.way(normal) + self.trend.way(normal))
        moved = begun + share * (self.flow.at(begun) - begun)
        if not self.keeps_greys:
            return moved
        reach = 1.0 - np.exp(-((chroma(normal) / _NEAR_GREY) ** 2))[:, None]
        return np.asarray(normal + reach * (moved - normal))
