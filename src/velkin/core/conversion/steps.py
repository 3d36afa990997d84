"""Steps: assignments and conversions one after the other, and the conversions that they amount to."""

from __future__ import annotations

from dataclasses import dataclass

from velkin.core.conversion.conversion import Conversion
from velkin.core.icc.space import Space, same_numbers
from velkin.core.icc.transform import Intent


@dataclass(frozen=True)
class Step:
    """One assignment or conversion.

    Attributes
    ----------
    verb : ``assign`` (numbers stay, look changes) or ``convert`` (look stays, numbers change)
    space : Space
    intent, black_point
        Of a conversion.
    """

    verb: str
    space: Space
    intent: Intent = Intent.RELATIVE
    black_point: bool = True


def chain_of(start: Space, steps: tuple[Step, ...]) -> tuple[tuple[Conversion, ...], Space]:
    """The conversions that steps amount to, each from the space assigned before it, and the space at their end."""
    now, chain = start, []
    for step in steps:
        if step.verb == "convert" and not same_numbers(now, step.space):
            chain.append(Conversion(now, step.space, step.intent, step.black_point))
        now = step.space
    return tuple(chain), now
