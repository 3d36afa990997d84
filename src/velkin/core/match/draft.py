"""A match in the making: evidence that was added, what of it is left out, and how it is to be learnt."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace

from velkin.core.errors import FitRefused
from velkin.core.match.baked import Amounts
from velkin.core.match.match_file import KeptMatch
from velkin.core.match.pair import Origin, Pair
from velkin.core.match.solver import Wish

#: Which pair it is: where it comes from, and its name there.
Key = tuple[Origin, str]


def key(pair: Pair) -> Key:
    """Which pair it is, among those of one match."""
    return pair.origin, pair.name


@dataclass(frozen=True)
class Draft:
    """What a match is to be learnt from, and how.

    Attributes
    ----------
    name : str
    pairs : tuple of Pair
        All that there are, one of each key.
    left_out : frozenset of Key
    weights : dict
        Of pairs that count otherwise than they came.
    wish : Wish
    amounts : Amounts
    """

    name: str = ""
    pairs: tuple[Pair, ...] = ()
    left_out: frozenset[Key] = frozenset()
    weights: dict[Key, float] = field(default_factory=dict)
    wish: Wish = field(default_factory=Wish)
    amounts: Amounts = field(default_factory=Amounts)

    def with_pairs(self, pairs: Sequence[Pair], instead: Callable[[Pair], bool]) -> Draft:
        """With more pairs, in the place of those that `instead` says; one of the same key keeps its place, its weight, and stays left out."""
        new = {key(p): p for p in pairs}
        there = [new.pop(key(p), p) for p in self.pairs if key(p) in new or not instead(p)]
        return replace(self, pairs=(*there, *new.values()))

    def named(self, name: str) -> Draft:
        """Under another name."""
        return replace(self, name=name)

    def leaving_out(self, keys: Iterable[Key], out: bool) -> Draft:
        """With pairs left out, or taken in again."""
        return replace(self, left_out=self.left_out | set(keys) if out else self.left_out - set(keys))

    def weighing(self, which: Key, weight: float) -> Draft:
        """With a pair that counts so much."""
        return replace(self, weights={**self.weights, which: weight})

    def weight(self, pair: Pair) -> float:
        """How much a pair counts."""
        return self.weights.get(key(pair), pair.weight)

    @property
    def used(self) -> tuple[Pair, ...]:
        """The pairs that count, with their weights."""
        return tuple(replace(p, weight=self.weight(p)) for p in self.pairs if key(p) not in self.left_out)

    def kept(self) -> KeptMatch:
        """What is kept of it. Raises FitRefused where no pair is left."""
        if not self.used:
            raise FitRefused("there is no pair to learn from")
        return KeptMatch(self.name, self.used, self.wish, self.amounts)


def draft_of(kept: KeptMatch) -> Draft:
    """A draft that goes on with a kept match."""
    return Draft(kept.name, kept.pairs, wish=kept.wish, amounts=kept.amounts)
