"""What a match makes of pairs, when so much of it is taken: here, wanted and got, and how far these lie apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.match.baked import Amounts, carried
from velkin.core.match.pair import Pair, difference, evidence_of
from velkin.core.match.solver import Learnt, Wish, nearness, wished

Floats = NDArray[np.float64]

#: Where between even and exact prices are told.
_STEPS = (0.0, 0.25, 0.5, 0.75, 1.0)


@dataclass(frozen=True, eq=False)
class Outcome:
    """Pairs under a match.

    Attributes
    ----------
    here, wanted, got : ndarray (N, 3)
        Coordinates; wanted is as far from here, brought to normal, as the amounts ask for.
    before, errors : ndarray (N,)
        ΔE00 from here, and from what was got, to what is wanted.
    """

    here: Floats
    wanted: Floats
    got: Floats
    before: Floats
    errors: Floats


def outcome(learnt: Learnt, wish: Wish, amounts: Amounts, pairs: Sequence[Pair]) -> Outcome:
    """What so much of a match makes of pairs, those left out of it too. Raises FitRefused where there is none."""
    evidence = evidence_of(pairs)
    share = np.array([amounts.lightness, amounts.colour, amounts.colour])
    normal = learnt.match.normal(evidence.here)
    wanted = normal + share * (wished(evidence, wish, normal) - normal)
    got = carried(learnt.match, amounts, evidence.here)
    return Outcome(evidence.here, wanted, got, difference(evidence.here, wanted), difference(got, wanted))


@dataclass(frozen=True)
class Price:
    """What an exactness costs: mean ΔE00 at the pairs, and at pairs left out in turn."""

    exact: float
    mean: float
    left_out: float


def prices(pairs: Sequence[Pair], wish: Wish) -> tuple[Price, ...]:
    """The prices from even to exact. Raises FitRefused."""
    return tuple(Price(exact, *nearness(pairs, wish, exact)) for exact in _STEPS)
