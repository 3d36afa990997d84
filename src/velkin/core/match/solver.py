"""Learning a match from pairs: one list, one solver, one set of figures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from velkin.core.match.curve import Curve, rising_through
from velkin.core.match.flow import carrying, left_out
from velkin.core.match.judging import SIDE, Contradiction, Steepness, contradictions, steepness
from velkin.core.match.match import GreyAxis, Match, Normalising, Trend
from velkin.core.match.pair import Evidence, Origin, Pair, chroma, difference, evidence_of
from velkin.core.match.support import Support, distances

Floats = NDArray[np.float64]

Greys = Literal["reference", "neutral", "keep"]
Normalise = Literal["none", "auto"]

#: Lengths of the residual's functions that are tried, in coordinates.
_LENGTHS = (5.0, 7.0, 10.0, 14.0, 20.0, 28.0, 40.0, 56.0)
#: Fewer pairs say nothing of the length, nor of how exact to be; then the length is this, and each is met.
_FOR_LENGTH, _FEW_LENGTH = 6, 28.0
#: Evenness tried where none is asked for: from exact to even.
_EXACTNESS = (1.0, 0.85, 0.7, 0.5, 0.25)
#: Pairs of less spread than this are sure.
_SURE = 0.5
#: Of the evenest match: how far pairs may be missed, in coordinates.
_EVENEST = 10.0
#: A linear trend needs so many pairs, and is held to nothing by this many units.
_FOR_TREND, _HOLD = 10, 6.0
#: Nodes along the cube that is looked through for folds where that is to be quick.
_QUICK_SIDE = 6
#: So many of the best are looked through for folds.
_TRIED = 8
#: A small difference may become so many times as large as the largest along the grey axis.
_STEEPEST = 4.0
#: Pairs nearer than this that ask for different things are met in their middle.
_SAME = 1.0
#: Contrast or chroma that differ by more than this make a picture flat.
_FLAT = 1.3


@dataclass(frozen=True)
class Wish:
    """How a match is to be learnt.

    Attributes
    ----------
    greys : ``reference``, ``neutral`` or ``keep``
    normalise : ``none`` or ``auto``
    exact : float or None
        0 evenest, 1 exact; None what leave-one-out likes best.
    fixed_ends : bool
        Whether black and white stay.
    """

    greys: Greys = "reference"
    normalise: Normalise = "none"
    exact: float | None = None
    fixed_ends: bool = False


@dataclass(frozen=True)
class Figures:
    """How good a match is: ΔE00 at its pairs before and after, and what it does in between.

    Attributes
    ----------
    before, mean, p95, worst : float
    leave_one_out : float
        Mean at pairs that a match made without them predicts.
    errors : tuple of float
        At each pair.
    exact : float
        How exact it is, as `Wish.exact`.
    steepness : Steepness
    contradictions : tuple of Contradiction
    """

    before: float
    mean: float
    p95: float
    worst: float
    leave_one_out: float
    errors: tuple[float, ...]
    exact: float
    steepness: Steepness
    contradictions: tuple[Contradiction, ...]


@dataclass(frozen=True)
class Learnt:
    """A match and its figures."""

    match: Match
    figures: Figures

    def origins(self) -> dict[Origin, int]:
        """How many pairs of each origin."""
        return {o: sum(p.origin is o for p in self.match.pairs) for o in Origin}


def wished(evidence: Evidence, wish: Wish, normal: Floats) -> Floats:
    """What pairs want (N, 3), with their greys as they are wished for; `normal` is what is here, brought to normal."""
    wanted = evidence.wanted.copy()
    if wish.greys == "neutral":
        wanted[evidence.grey, 1:] = 0.0
    elif wish.greys == "keep":
        wanted[evidence.grey] = normal[evidence.grey]
    return wanted


def learn(pairs: Sequence[Pair], wish: Wish = Wish(), name: str = "", quick: bool = False) -> Learnt:
    """The match that pairs ask for; a `quick` one is looked through for folds in fewer places, as while something is dragged.

    Raises
    ------
    FitRefused
        When there is no pair, or one is no colour.
    """
    evidence = evidence_of(pairs)
    # what is uncertain is not met exactly unless that is asked for; but of few pairs those left out say nothing of the others
    few = len(evidence.pairs) < _FOR_LENGTH
    offered = _EXACTNESS[:1] if few else _EXACTNESS if float(np.median(evidence.spread)) < _SURE else _EXACTNESS[1:]
    exactness = (wish.exact,) if wish.exact is not None else offered
    side = _QUICK_SIDE if quick else SIDE
    found = _best(evidence, wish, exactness, name, side, trend=True)
    if not _is_gentle(found.figures.steepness):  # what pairs have in common may be chance, and lead too far where they end
        found = min(found, _best(evidence, wish, exactness, name, side, trend=False), key=_roughness)
    return found


def _is_gentle(steep: Steepness) -> bool:
    """Whether nothing folds, and no small difference becomes much larger than along the greys."""
    return steep.folds == 0.0 and steep.largest_gain <= _STEEPEST * steep.grey_gain


def _roughness(found: Learnt) -> tuple[float, float]:
    steep = found.figures.steepness
    return steep.folds, steep.largest_gain / max(steep.grey_gain, 1e-6)


def nearness(pairs: Sequence[Pair], wish: Wish, exact: float) -> tuple[float, float]:
    """Mean ΔE00 at pairs, and at pairs left out in turn, of the match of an exactness, which is not looked through for folds.

    Raises
    ------
    FitRefused
        As `learn`.
    """
    evidence = evidence_of(pairs)
    prepared = _prepared(evidence, wish, exact, True)
    _, length = min(prepared.lengths)
    match = prepared.match(length, evidence, "")
    errors = difference(match.at(evidence.here), wished(evidence, wish, match.normal(evidence.here)))
    return float(errors.mean()), prepared.left_out(length)


def _best(evidence: Evidence, wish: Wish, exactness: tuple[float, ...], name: str, side: int, trend: bool) -> Learnt:
    """The match that leave-one-out likes best among those that neither fold nor tear colours apart; else the gentlest."""
    prepared = [_prepared(evidence, wish, e, trend) for e in exactness]
    tried = sorted(((error, p, length) for p in prepared for error, length in p.lengths), key=lambda t: t[0])[:_TRIED]
    learnt: list[Learnt] = []
    for _, p, length in tried:
        match = p.match(length, evidence, name)
        steep = steepness(match.at, side=side)
        wanted = wished(evidence, wish, match.normal(evidence.here))
        learnt.append(Learnt(match, _figures(match, evidence, wanted, p.left_out(length), p.exact, steep)))
        if _is_gentle(steep):
            return learnt[-1]
    return min(learnt, key=_roughness)


@dataclass(frozen=True, eq=False)
class _Prepared:
    """Everything but the residual, of an exactness; `lengths` are those that may be taken for it, with their error at left-out pairs.

    Of its colours the first `apart` are pairs; the others hold greys where they are.
    """

    exact: float
    normalising: Normalising
    grey: GreyAxis
    trend: Trend
    support: Support
    keeps_greys: bool
    here: Floats
    goal: Floats
    noise: Floats
    lengths: tuple[tuple[float, float], ...]
    apart: int

    def left_out(self, length: float) -> float:
        """Mean ΔE00 at pairs, those that nearly coincide taken together, that a residual made without them predicts."""
        errors = left_out(self.here, self.goal - self.here, self.noise, length)[: self.apart]
        goal = self.goal[: self.apart]
        return float(difference(goal - errors, goal).mean())

    def match(self, length: float, evidence: Evidence, name: str) -> Match:
        """The match with a residual of a length."""
        flow = carrying(self.here, self.goal, self.noise, length)
        return Match(self.normalising, self.grey, self.trend, flow, self.support, self.keeps_greys, evidence.pairs, name)


def _prepared(evidence: Evidence, wish: Wish, exact: float, with_trend: bool) -> _Prepared:
    normalising = _normalising(evidence) if wish.normalise == "auto" else Normalising()
    normal = normalising.at(evidence.here)
    wanted = wished(evidence, wish, normal)
    grey = GreyAxis() if wish.greys == "keep" else _grey_axis(evidence, normal, wanted, wish.fixed_ends)
    support = Support(normal)
    share = support.share(normal)[:, None]
    after_grey = wanted - normal - share * grey.way(normal)
    trend = _trend(normal, after_grey, share, evidence.weight) if with_trend else Trend(np.zeros((4, 3)))
    moved = normal + share * (grey.way(normal) + trend.way(normal))
    odds = np.zeros(len(moved))  # pairs that contradict each other are met in their middle, and hold nothing else back
    for c in contradictions(evidence):
        odds[list(c.places)] = np.maximum(odds[list(c.places)], c.asked)
    here, goal, spread, weight, odds = _met_in_the_middle(moved, wanted, evidence.spread, evidence.weight, odds)
    even = _EVENEST * (1.0 - exact) ** 2
    noise = (even**2 + min(1.0, 4.0 * (1.0 - exact)) * spread**2) / weight + 1e-4 + odds**2
    if wish.greys == "keep":
        here, goal, noise = _with_greys_kept(here, goal, noise)
    lengths = _LENGTHS if len(spread) >= _FOR_LENGTH else (_FEW_LENGTH,)
    found = tuple((_mean_left_out(here, goal, noise, length, len(spread)), length) for length in lengths)
    return _Prepared(exact, normalising, grey, trend, support, wish.greys == "keep", here, goal, noise, found, len(spread))


def _mean_left_out(here: Floats, goal: Floats, noise: Floats, length: float, first: int) -> float:
    errors = left_out(here, goal - here, noise, length)[:first]
    return float(np.linalg.norm(errors, axis=1).mean())


def _normalising(evidence: Evidence) -> Normalising:
    """What brings a flat picture to the contrast and chroma that are wanted; nothing where it is not flat."""
    here, wanted, weight = evidence.here, evidence.wanted, evidence.weight
    middle = np.average(here[:, 0], weights=weight)
    spread = float(np.average((here[:, 0] - middle) ** 2, weights=weight))
    rise = float(np.average((here[:, 0] - middle) * wanted[:, 0], weights=weight) / spread) if spread > 25.0 else 1.0
    strong = float(np.average(chroma(here) ** 2, weights=weight))
    factor = float(np.average(chroma(here) * chroma(wanted), weights=weight)) / strong if strong > 4.0 else 1.0
    factor = float(np.clip(factor, 0.25, 4.0))
    if max(rise, 1.0 / max(rise, 1e-3), factor, 1.0 / factor) < _FLAT:
        return Normalising()
    at = np.quantile(here[:, 0], [0.02, 0.5, 0.98])
    meant = np.average(wanted[:, 0], weights=weight) + rise * (at - middle)
    return Normalising(rising_through(at, np.clip(meant, 0.0, 100.0), np.ones(3), ends=False), factor)


def _grey_axis(evidence: Evidence, normal: Floats, wanted: Floats, ends: bool) -> GreyAxis:
    """Curve and tints of the greys among the pairs; none where there are fewer than two."""
    grey = evidence.grey
    if np.count_nonzero(grey) < 2:
        return GreyAxis()
    x, y, weight = normal[grey], wanted[grey], evidence.weight[grey]
    curve = rising_through(x[:, 0], y[:, 0], weight, ends) if np.ptp(x[:, 0]) > 10.0 else Curve()
    at = np.linspace(0.0, 100.0, 11)
    near = np.exp(-0.5 * ((at[:, None] - x[None, :, 0]) / 12.0) ** 2) * weight
    hold = 0.05  # towards nothing where no grey lies near
    tints = (near @ (y[:, 1:] - x[:, 1:])) / (near.sum(axis=1, keepdims=True) + hold)
    return GreyAxis(curve, tuple((float(k), float(a), float(b)) for k, (a, b) in zip(at, tints, strict=True)))


def _trend(normal: Floats, way: Floats, share: Floats, weight: Floats) -> Trend:
    """The linear trend of what is left, held towards none; none for few pairs."""
    if len(normal) < _FOR_TREND:
        return Trend(np.zeros((4, 3)))
    middle = np.average(normal, axis=0, weights=weight)
    wide = np.concatenate([np.ones((len(normal), 1)), (normal - middle) / 50.0], axis=1) * share
    root = np.sqrt(weight)[:, None]
    held = np.diag([0.5, *([1.0 / _HOLD] * 3)])
    left = np.concatenate([wide * root, held])
    right = np.concatenate([way * root, np.zeros((4, 3))])
    found = np.linalg.lstsq(left, right, rcond=None)[0]
    rows = np.zeros((4, 3))
    rows[1:] = found[1:] / 50.0
    rows[0] = found[0] - middle @ rows[1:]
    return Trend(rows, 1.25 * float(np.linalg.norm(rows[0] + normal @ rows[1:], axis=1).max()))


def _met_in_the_middle(
    here: Floats, goal: Floats, spread: Floats, weight: Floats, odds: Floats
) -> tuple[Floats, Floats, Floats, Floats, Floats]:
    """Pairs of the same colour here taken together, with what they disagree in as their spread."""
    near = distances(here, here) < _SAME
    free, groups = np.ones(len(here), dtype=bool), []
    for i in range(len(here)):
        if free[i]:
            group = np.flatnonzero(near[i] & free)
            free[group] = False
            groups.append(group)
    rows = []
    for g in groups:
        w = weight[g] / weight[g].sum()
        middle = w @ goal[g]
        apart = float(np.sqrt(w @ ((goal[g] - middle) ** 2).sum(axis=1)))
        rows.append((w @ here[g], middle, max(float(w @ spread[g]), apart), float(weight[g].sum()), float(odds[g].max())))
    first, second, third, fourth, fifth = (np.array(column) for column in zip(*rows, strict=True))
    return first, second, third, fourth, fifth


def _with_greys_kept(here: Floats, goal: Floats, noise: Floats) -> tuple[Floats, Floats, Floats]:
    greys = np.stack([np.linspace(0.0, 100.0, 11), np.zeros(11), np.zeros(11)], axis=1)
    return np.concatenate([here, greys]), np.concatenate([goal, greys]), np.concatenate([noise, np.full(11, 1e-2)])


def _figures(match: Match, evidence: Evidence, wanted: Floats, left: float, exact: float, steep: Steepness) -> Figures:
    errors = difference(match.at(evidence.here), wanted)
    return Figures(
        float(difference(evidence.here, wanted).mean()),
        float(errors.mean()),
        float(np.percentile(errors, 95)),
        float(errors.max()),
        left,
        tuple(float(e) for e in errors),
        exact,
        steep,
        contradictions(evidence),
    )
