"""The steps of a ledger: assigning and converting, one after the other."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass

from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import converted, from_linear
from velkin.core.icc.space import Space, same_numbers
from velkin.core.icc.transform import Intent
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Alters, Flow, Line, Place
from velkin.core.tags.ledger import Entry, Verb


@dataclass(frozen=True)
class Assign:
    """Numbers stay, look changes: they mean another space from here on."""

    space: Space

    place = Place.LEDGER

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        return (Line(f"{self.space.name} assigned", Alters.LOOK),)

    def apply(self, flow: Flow) -> Flow:
        """The same numbers in its space."""
        return flow.as_numbers(flow.numbers(), self.space)


@dataclass(frozen=True)
class Convert:
    """Look stays, numbers change: the same colours as numbers of another space.

    Attributes
    ----------
    space : Space
    intent : Intent
    black_point : bool
    """

    space: Space
    intent: Intent = Intent.RELATIVE
    black_point: bool = True

    place = Place.LEDGER

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        return (Line(f"converted to {self.space.name}", Alters.NUMBERS),)

    def apply(self, flow: Flow) -> Flow:
        """The same colours in its space; light in spaces of matrix and curves, of which nothing is rounded or clipped. Raises BadProfile."""
        assert flow.space is not None
        if same_numbers(flow.space, self.space):
            return flow.as_numbers(flow.numbers(), self.space)
        if isinstance(self.space, RGBSpace):
            return flow.as_light(flow.light_in(self.space, self.intent, self.black_point), self.space)
        way = Conversion(flow.space, self.space, self.intent, self.black_point)
        found = from_linear(flow.pixels, way) if flow.linear else converted(flow.pixels, way)
        return flow.as_numbers(found, self.space)


Step = Assign | Convert


def steps_of(ledger: tuple[Entry, ...], space: Callable[[str], Space]) -> tuple[Step, ...]:
    """The steps that a ledger amounts to; `space` gives a space by its id."""
    steps: list[Step] = []
    for entry in ledger:
        if entry.verb is Verb.ASSIGN:
            steps.append(Assign(space(entry.space)))
        elif entry.verb is Verb.CONVERT:
            steps.append(Convert(space(entry.space), entry.intent, entry.black_point))
    return tuple(steps)


def after(start: Space, steps: tuple[Step, ...]) -> Space:
    """What numbers mean after the last of some steps."""
    return steps[-1].space if steps else start


def read_as(start: Space, steps: tuple[Step, ...]) -> Space:
    """The space that a file's own numbers are read in before anything converts them."""
    return after(start, tuple(itertools.takewhile(lambda s: isinstance(s, Assign), steps)))


def convert_anything(start: Space, steps: tuple[Step, ...]) -> bool:
    """Whether any step changes numbers: converting to a space in which every colour has the same ones does not."""
    spaces = (start, *(s.space for s in steps))
    return any(isinstance(s, Convert) and not same_numbers(spaces[n], s.space) for n, s in enumerate(steps))
