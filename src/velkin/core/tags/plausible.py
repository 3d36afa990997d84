"""How plausible each space is for an untagged picture: a ranking with reasons, never a decision.

Surfaces and people do not come in every colour: most of a picture's colours lie well inside what surfaces can be (real
surface colours: Pointer 1980), some near neutral, and skin near one hue. Numbers read in too wide a space leave that range, in
too narrow a one they hardly use it. Colours cut off at the ends of single channels were cut by a small space. What else is
known (bits, a name by the DCF standard, a camera) counts too.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.light import lab_of
from velkin.core.icc.space import ICCSpace, Space
from velkin.core.sampling import spread
from velkin.core.spaces.rgb import RGBSpace, family_of
from velkin.core.spaces.volume import lab_volume
from velkin.core.tags.pins import SKIN_RANGE

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: Chroma of the most colourful twentieth of ordinary pictures: its usual middle and width, in C*ab.
_USUAL_CHROMA, _CHROMA_WIDTH = 46.0, 22.0
#: Chroma that real surfaces hardly exceed at middle lightness (Pointer 1980).
_SURFACES = 95.0
_SMALL = {"srgb", "oprgb", "p3", "ecirgb"}


@dataclass(frozen=True)
class Hints:
    """What is known besides the numbers: bits of a sample, the file's name, whether a camera is named, Exif ColorSpace."""

    bits: int = 8
    name: str = ""
    camera: str = ""
    colour_space: int | None = None


@dataclass(frozen=True)
class Plausible:
    """One space and how plausible it is.

    Attributes
    ----------
    space : Space
    score : float
        Higher is more plausible; only differences mean anything.
    reasons : tuple of str
    """

    space: Space
    score: float
    reasons: tuple[str, ...]


def sample_of(numbers: Pixels, count: int = 60_000) -> Pixels:
    """An even sample (N, C) of a picture's numbers (H, W, C)."""
    flat = numbers.reshape(-1, numbers.shape[-1])
    return spread(flat, count)


def ranked(sample: Pixels, spaces: Iterable[Space], hints: Hints) -> list[Plausible]:
    """Spaces for encoded numbers (N, C) in 0..1, the most plausible first."""
    found = [_judged(np.clip(sample, 0.0, 1.0), space, hints) for space in spaces]
    return sorted(found, key=lambda p: -p.score)


def _judged(sample: Pixels, space: Space, hints: Hints) -> Plausible:
    lab = lab_of(sample, space)
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    reasons: list[str] = []
    score = 0.0
    top = float(np.percentile(chroma, 95))
    score -= ((top - _USUAL_CHROMA) / _CHROMA_WIDTH) ** 2
    if top > _USUAL_CHROMA + 1.5 * _CHROMA_WIDTH:
        reasons.append(f"its strongest colours would be very strong (chroma {top:.0f})")
    elif top < _USUAL_CHROMA - 1.3 * _CHROMA_WIDTH:
        reasons.append(f"its strongest colours would be dull (chroma {top:.0f})")
    else:
        reasons.append("its colours are as strong as surfaces usually are")
    beyond = float(np.mean(chroma > _SURFACES))
    if beyond > 0.002:
        score -= min(4.0, 60.0 * beyond)
        reasons.append(f"{100 * beyond:.1f} % would be stronger than surfaces can be")
    score += _neutrals(sample, lab, reasons)
    score += _skin(lab, reasons)
    score += _cut(sample, space, reasons)
    score += _sides(sample, space, reasons)
    score += _hints(space, hints, reasons)
    return Plausible(space, score, tuple(reasons))


def _neutrals(sample: Pixels, lab: Floats, reasons: list[str]) -> float:
    """Equal numbers ought to be neutral."""
    if sample.shape[1] != 3:
        return 0.0
    equal = np.ptp(sample, axis=1) < 0.012
    if equal.mean() < 0.002:
        return 0.0
    cast = float(np.median(np.hypot(lab[equal, 1], lab[equal, 2])))
    if cast > 2.5:
        reasons.append(f"its equal numbers would have a cast (chroma {cast:.1f})")
        return -min(4.0, cast / 2.0)
    reasons.append("equal numbers stay neutral")
    return 0.0


def _skin(lab: Floats, reasons: list[str]) -> float:
    """Where there may be skin (warm, middling), its chroma has a narrow range."""
    hue = np.degrees(np.arctan2(lab[:, 2], lab[:, 1]))
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    warm = (hue > SKIN_RANGE[0] - 12) & (hue < SKIN_RANGE[1] + 8) & (lab[:, 0] > 30) & (lab[:, 0] < 85) & (chroma > 7)
    if warm.mean() < 0.04:
        return 0.0
    typical = float(np.median(chroma[warm]))
    if 13.0 <= typical <= 32.0:
        reasons.append("warm tones lie where skin and wood do")
        return 0.6
    reasons.append(f"warm tones would be {'too strong' if typical > 32 else 'too pale'} for skin or wood")
    return -0.4


def _cut(sample: Pixels, space: Space, reasons: list[str]) -> float:
    """Colours cut off in one or two channels, not in all, come from a small space."""
    if sample.shape[1] != 3 or not isinstance(space, RGBSpace):
        return 0.0
    low, high = sample <= 0.001, sample >= 0.999
    cut = (low.any(axis=1) & (sample.max(axis=1) > 0.12)) | (high.any(axis=1) & (sample.min(axis=1) < 0.88))
    share = float(np.mean(cut))
    if share < 0.003:
        return 0.0
    wide = lab_volume(space) / 832_000.0
    if wide > 1.25:
        reasons.append(f"{100 * share:.1f} % is cut off in single channels, which so wide a space seldom does")
        return -min(2.0, 0.4 + 20.0 * share) * min(wide - 1.0, 1.5)
    reasons.append(f"{100 * share:.1f} % is cut off in single channels, as a small space does")
    return 0.5


def _sides(sample: Pixels, space: Space, reasons: list[str]) -> float:
    """A wide space is hardly used to its sides: its strongest numbers keep well off them. A small one is used up."""
    if sample.shape[1] != 3 or not isinstance(space, RGBSpace):
        return 0.0
    top = sample.max(axis=1)
    bright = top > 0.15
    if bright.mean() < 0.02:
        return 0.0
    used = float(np.percentile(1.0 - sample[bright].min(axis=1) / top[bright], 99.5))
    wide = lab_volume(space) / 832_000.0
    if used > 0.96 and wide > 2.0:
        reasons.append("its numbers go to the sides of the space, which colours seldom do in so wide a one")
        return -0.6
    if 0.35 < used < 0.86:
        if wide > 2.0:
            reasons.append("its numbers keep off the sides, as in a wide space")
            return 2.5
        return 0.8 if wide > 1.3 else -0.8
    return 0.0


def _hints(space: Space, hints: Hints, reasons: list[str]) -> float:
    if isinstance(space, ICCSpace):
        return -0.3
    family = family_of(space)
    score = {"srgb": 0.5, "oprgb": 0.0, "p3": -0.3, "romm": -0.3, "ecirgb": -0.5, "bt2020": -0.9}.get(family, -0.9)
    if hints.bits <= 8 and family not in _SMALL:
        score -= 1.0
        reasons.append("8 bits are too few for so wide a space")
    elif hints.bits > 8 and family == "srgb":
        score -= 0.3
    if hints.name.startswith("_") and hints.camera:
        if family == "oprgb":
            score += 2.0
            reasons.append("a camera's file name beginning with _ stands for opRGB (DCF)")
    elif hints.colour_space == 65535 and hints.camera and family == "oprgb":
        score += 0.8
        reasons.append("Exif says it is not sRGB")
    if hints.colour_space == 65535 and family == "srgb":
        score -= 0.6
    return score


#: The built-in spaces that an untagged RGB picture is tried in, and their number with gray ones.
TRIED = ("srgb", "oprgb", "p3", "romm", "ecirgb", "bt2020")
