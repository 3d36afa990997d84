"""What each rendering intent, with and without black point compensation, does to one picture, in figures."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import converted, lab_of
from velkin.core.errors import BadProfile
from velkin.core.icc.space import ICCSpace, Space
from velkin.core.icc.transform import Intent
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.rgb import RGBSpace

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

_NAMES = {
    Intent.PERCEPTUAL: "perceptual",
    Intent.RELATIVE: "media-relative colorimetric",
    Intent.SATURATION: "saturation",
    Intent.ABSOLUTE: "ICC-absolute colorimetric",
}


def intent_name(intent: Intent) -> str:
    """An intent by its ICC name."""
    return _NAMES[intent]


@dataclass(frozen=True)
class Effect:
    """What one way of converting does.

    Attributes
    ----------
    intent : Intent
    black_point : bool
    mean, p95 : float
        ΔE00 between the picture before and after.
    darkest : float
        L* that the darkest hundredth of the picture comes to lie at.
    """

    intent: Intent
    black_point: bool
    mean: float
    p95: float
    darkest: float


def effect_of(sample: Pixels, source: Space, destination: Space) -> tuple[Effect, ...]:
    """The ways of converting encoded numbers (N, C), each with its effect; one where they all do the same.

    Ways that the profiles do not serve are left out.
    """
    before = lab_of(sample, source)
    alike = isinstance(source, RGBSpace) and isinstance(destination, RGBSpace)
    ways = [(Intent.RELATIVE, True)]
    if not alike:
        ways += [(Intent.RELATIVE, False), (Intent.PERCEPTUAL, False), (Intent.SATURATION, False), (Intent.ABSOLUTE, False)]
    found = []
    for intent, black_point in ways:
        try:
            numbers = np.clip(converted(sample, Conversion(source, destination, intent, black_point)), 0.0, 1.0)
            after = lab_of(numbers, destination)
        except BadProfile:
            continue
        if intent is Intent.ABSOLUTE and isinstance(destination, ICCSpace):
            after = _on_paper(numbers, destination)
        error = ciede2000(before, after)
        found.append(
            Effect(
                intent, black_point, float(error.mean()), float(np.percentile(error, 95)), float(np.percentile(after[:, 0], 1))
            )
        )
    return tuple(found)


def _on_paper(numbers: Pixels, destination: ICCSpace) -> Floats:
    """Lab with the paper's own white kept."""
    from velkin.core.icc.transform import to_lab

    return to_lab(numbers, destination.icc, destination.model, Intent.ABSOLUTE)


def in_words(effects: tuple[Effect, ...], destination: Space) -> list[str]:
    """What the effects mean for this picture, a sentence each."""
    if not effects:
        return ["No way of converting is served by these profiles."]
    if len(effects) == 1:
        return [
            f"{destination.name} is a space of curves: the four intents give the same. "
            f"What it holds stays; the rest is cut (ΔE {effects[0].p95:.1f} at the 95th percentile)."
        ]
    by = {(e.intent, e.black_point): e for e in effects}
    words = []
    relative, plain = by.get((Intent.RELATIVE, True)), by.get((Intent.RELATIVE, False))
    if relative and plain:
        moved = relative.darkest - plain.darkest
        if abs(moved) < 0.5 and abs(relative.mean - plain.mean) < 0.2:
            words.append("Black point compensation changes next to nothing here: the picture has no deep blacks to keep apart.")
        else:
            words.append(
                f"Black point compensation fits this picture's blacks into the ink's: its darkest tones come to L* "
                f"{relative.darkest:.0f} and stay apart, where without it they end at L* {plain.darkest:.0f}."
            )
    # the absolute intent shows paper on paper and is compared on another white; it is no candidate for a picture
    least = min((e for e in effects if e.intent is not Intent.ABSOLUTE), key=lambda e: e.mean)
    point = " with black point compensation" if least.black_point else ""
    words.append(f"{_NAMES[least.intent].capitalize()}{point} changes this picture least: ΔE {least.mean:.1f} mean.")
    return words
