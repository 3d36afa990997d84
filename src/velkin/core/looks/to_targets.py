"""Bringing pinned colours to their targets: a match of as many pairs as there are pins with a target, limited to colours near them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import FitRefused
from velkin.core.looks.kept import KeptLook, LookKind
from velkin.core.looks.reading import look_of_match
from velkin.core.match.match_file import KeptMatch, match_from_json
from velkin.core.match.pair import Colour, Origin, Pair
from velkin.core.match.solver import Figures, Wish
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.oklab import oklab_to_xyz, xyz_to_oklab
from velkin.core.tags.pins import Pin, Target, nearest

Floats = NDArray[np.float64]

#: What pairs of pins with a target are called, before their number.
PIN = "pin "


@dataclass(frozen=True)
class Brought:
    """The look that brings pins to their targets, and how near it comes."""

    look: KeptLook
    figures: Figures


def bring(read: Sequence[Floats], pins: Sequence[Pin], name: str, lightness: bool = False) -> Brought:
    """Learn what brings pins that have a target to it.

    Greys stay as they are, unless one of the targets is to be neutral; then all greys are made so.

    Parameters
    ----------
    read : sequence of ndarray (3,)
        Lab D50 at each pin, as it is without a look.
    lightness : bool
        Whether a target given as Lab is met in its lightness too; else a\\* and b\\* alone are.

    Raises
    ------
    FitRefused
        When no pin has a target.
    """
    pairs = []
    for number, (pin, lab) in enumerate(zip(pins, read, strict=True), start=1):
        if pin.target is None:
            continue
        pairs.append(pair_to_target(number, _oklab(lab), pin.target, lightness))
    if not pairs:
        raise FitRefused("no pin has a target; choose one on the Working bench")
    neutral = any(pin.target is not None and pin.target.kind == "neutral" for pin in pins)
    wish = Wish("neutral" if neutral else "keep", exact=1.0, fixed_ends=True)
    kept = KeptMatch(name, tuple(pairs), wish)
    return Brought(look_of_match(kept), kept.learnt().figures)


def pair_to_target(number: int, here: Colour, target: Target, lightness: bool = True) -> Pair:
    """The pair of a pin, by its number, whose colour here is given in Oklab, and its target; `lightness` as for `bring`."""
    lab = xyz_to_lab(oklab_to_xyz(np.array(here)))
    goal = nearest(lab, target)
    if not lightness:
        goal[0] = lab[0]
    return Pair(here, _oklab(goal), Origin.NUMBER, f"{PIN}{number}")


def brings_to_targets(look: KeptLook) -> bool:
    """Whether `bring` made a look, so that it may be made anew."""
    if look.kind is not LookKind.MATCH:
        return False
    return all(p.origin is Origin.NUMBER and p.name.startswith(PIN) for p in match_from_json(look.content.decode()).pairs)


def _oklab(lab: Floats) -> Colour:
    light, a, b = (float(v) for v in xyz_to_oklab(lab_to_xyz(lab)))
    return light, a, b
