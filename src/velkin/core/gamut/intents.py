"""What each rendering intent loses of one picture: colour, texture, greys and contrast, side by side, and which loses least."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.effect import intent_name
from velkin.core.errors import BadProfile
from velkin.core.gamut.ease import ease
from velkin.core.gamut.easing import full_strength
from velkin.core.gamut.simulation import Paper, linear_there
from velkin.core.icc.space import Space
from velkin.core.icc.transform import Intent
from velkin.core.spaces.pictures import difference, lab
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]

#: How much a hundredth of texture, and one of chroma in the greys, weigh against one ΔE00 in the mean.
_TEXTURE, _GREYS = 0.1, 0.7


@dataclass(frozen=True)
class Rendering:
    """One way to the destination.

    Attributes
    ----------
    name : str
    intent : Intent
    black_point : bool
    eased : bool
        Whether it is eased by a knee at full strength first.
    mean, p95 : float
        ΔE00 between the colours meant and those shown.
    texture_lost : float
        Share of the differences between neighbouring pixels (ΔE*76) that is gone.
    neutral_shift : float
        Mean distance in a*, b* by which greys move; 0 where there are none.
    contrast : float
        Range of L* (0.5th to 99.5th percentile) that is kept, as a share of the picture's.
    """

    name: str
    intent: Intent
    black_point: bool
    eased: bool
    mean: float
    p95: float
    texture_lost: float
    neutral_shift: float
    contrast: float

    @property
    def loss(self) -> float:
        """All of it as one number, for the recommendation."""
        return self.mean + _TEXTURE * 100 * self.texture_lost + _GREYS * self.neutral_shift

    def picture(self, working: Pixels, space: RGBSpace, destination: Space) -> Pixels:
        """A picture (H, W, 3; linear RGB in `space`) at the destination in this way; raises BadProfile."""
        return _there(working, space, destination, self.intent, self.black_point, self.eased)


def renderings(working: Pixels, space: RGBSpace, destination: Space) -> tuple[tuple[Rendering, ...], tuple[Pixels, ...]]:
    """The ways to a destination with their figures, and the pictures (linear RGB in `space`) that they give.

    Profiles have up to four intents; ways that a profile does not serve are left out. Between spaces of curves the four
    intents are one, and easing is the other way.

    Parameters
    ----------
    working : ndarray (H, W, 3), float32
        Linear RGB in `space`.

    Raises
    ------
    BadProfile
        When nothing can be converted to the destination at all.
    """
    if isinstance(destination, RGBSpace):
        ways = [("any intent: cut off", Intent.RELATIVE, False, False), ("eased by a knee", Intent.RELATIVE, False, True)]
    else:
        order = (Intent.RELATIVE, Intent.PERCEPTUAL, Intent.SATURATION, Intent.ABSOLUTE)
        ways = [(intent_name(i), i, i is Intent.RELATIVE, False) for i in order]
    before = lab(working, space)
    found, pictures = [], []
    problem: BadProfile | None = None
    for name, intent, black_point, eased in ways:
        try:
            there = _there(working, space, destination, intent, black_point, eased)
        except BadProfile as error:
            problem = error
            continue
        pictures.append(there)
        found.append(_measured(before, lab(there, space), name, intent, black_point, eased))
    if not found and problem is not None:
        raise problem
    return tuple(found), tuple(pictures)


def _there(working: Pixels, space: RGBSpace, destination: Space, intent: Intent, black_point: bool, eased: bool) -> Pixels:
    now = ease(working, space, destination, full_strength()) if eased else working
    return linear_there(now, Conversion(space, destination, intent, black_point), Paper(black=True))


def _measured(before: Pixels, after: Pixels, name: str, intent: Intent, black_point: bool, eased: bool) -> Rendering:
    error = difference(before, after)
    greys = (np.hypot(before[..., 1], before[..., 2]) < 5.0) & (before[..., 0] > 10.0)
    moved = np.hypot(after[..., 1] - before[..., 1], after[..., 2] - before[..., 2])[greys]
    meant, kept = _steps(before), _steps(after)
    total = float(meant.sum())
    span = _range(before)
    return Rendering(
        name,
        intent,
        black_point,
        eased,
        float(error.mean()),
        float(np.percentile(error, 95)),
        float(np.maximum(meant - kept, 0.0).sum()) / total if total > 0 else 0.0,
        float(moved.mean()) if greys.any() else 0.0,
        _range(after) / span if span > 0 else 1.0,
    )


def _steps(colours: Pixels) -> Pixels:
    """ΔE*76 between neighbours across and down, flat."""
    across = np.linalg.norm(np.diff(colours, axis=1), axis=-1).ravel()
    down = np.linalg.norm(np.diff(colours, axis=0), axis=-1).ravel()
    return np.asarray(np.concatenate([across, down]), dtype=np.float32)


def _range(colours: Pixels) -> float:
    low, high = np.percentile(colours[..., 0], (0.5, 99.5))
    return float(high - low)


def best_of(found: tuple[Rendering, ...]) -> Rendering:
    """The rendering that loses least; the absolute intent keeps the paper's tint for a proof on other paper and is no candidate."""
    candidates = [r for r in found if r.intent is not Intent.ABSOLUTE] or list(found)
    return min(candidates, key=lambda r: r.loss)


def advice(found: tuple[Rendering, ...]) -> str:
    """Which rendering loses least of this picture, and why, in one sentence."""
    best = best_of(found)
    others = [r for r in found if r is not best and r.intent is not Intent.ABSOLUTE]
    point = " with black point compensation" if best.black_point else ""
    name = f"{best.name[:1].upper()}{best.name[1:]}{point}"
    if not others:
        return f"{name} is the only way that this profile serves."
    other = min(others, key=lambda r: r.loss)
    if abs(other.loss - best.loss) < 0.05:
        return f"{name} and {other.name} lose the same here: ΔE {best.mean:.1f} mean."
    gains = {
        f"colours move by ΔE {best.mean:.1f} in the mean, not {other.mean:.1f}": other.mean - best.mean,
        f"{100 * best.texture_lost:.0f} % of the texture goes, not {100 * other.texture_lost:.0f} %": _TEXTURE
        * 100
        * (other.texture_lost - best.texture_lost),
        f"greys move by {best.neutral_shift:.1f}, not {other.neutral_shift:.1f}": _GREYS
        * (other.neutral_shift - best.neutral_shift),
    }
    why = max(gains, key=lambda k: gains[k])
    return f"{name} loses least here: against {other.name}, {why}." + _of_absolute(found, best)


def _of_absolute(found: tuple[Rendering, ...], best: Rendering) -> str:
    """Why the absolute intent is not named although its figures may be smaller."""
    absolute = next((r for r in found if r.intent is Intent.ABSOLUTE and r is not best), None)
    if absolute is None or absolute.mean >= best.mean:
        return ""
    return (
        f" {absolute.name[:1].upper()}{absolute.name[1:]} has the smaller ΔE ({absolute.mean:.2f}) because it carries the paper's own "
        "white; it is for a proof on other paper."
    )
