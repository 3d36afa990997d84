"""How Velkin writes numbers and sentences: true minus, thin units, one rounding rule."""

from __future__ import annotations

import re

from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.models import WORDS
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.shoot.state import State
from velkin.core.stages.stage import Alters

_UNITS = re.compile(r"(?<=\d) (%|px|cm|mm|K|ppi|MB|GB|EV)(?![\w])")
_LONG, _SEAMS = re.compile(r"\S{25,}"), re.compile(r"([/_.\-])(?=\w)")
_DECIMAL = re.compile(r"(?<![\w./-])(\d+)\.(\d+)(?![\w/-]|\.\w)")
_decimal = "."
MINUS = "\u2212"
CONVERT, ASSIGN = Alters.NUMBERS.value, Alters.LOOK.value


def signed(value: float, digits: int = 1) -> str:
    """A number with a true minus and no negative zero."""
    text = f"{value:.{digits}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    return text.replace("-", MINUS)


def share(value: float) -> str:
    """A share 0..1 in per cent with one decimal; what is there but rounds to nothing is said to be below 0.1."""
    if 0 < value < 0.0005:
        return "<\u202f0.1"
    return f"{100 * value:.1f}"


def percent(value: float) -> str:
    """A share 0..1 with its sign, which is never parted from the number."""
    return f"{share(value)}\u00a0%"


def whole_percent(value: float) -> str:
    """A share 0..1 in whole per cent, for a figure that stands alone; what is there but less than one is said to be."""
    return "0 %" if value == 0 else f"{100 * value:.0f} %" if value >= 0.01 else "< 1 %"


def use_decimal(sign: str) -> None:
    """Write decimals with this sign from now on, as the desktop's language does."""
    global _decimal
    _decimal = sign


def localised(text: str) -> str:
    """A text with its decimal numbers as the desktop's language writes them; names and versions that hold dots are left."""
    return text if _decimal == "." else _DECIMAL.sub(rf"\1{_decimal}\2", text)


def as_shown(text: str) -> str:
    """A text as it is shown: numbers as the desktop's language writes them, units never parted from their numbers."""
    return unbroken(localised(text))


def unbroken(text: str) -> str:
    """A text in which no unit is parted from its number, nor a width from its height, by the end of a line."""
    return _UNITS.sub("\u00a0\\1", text).replace(" × ", "\u00a0×\u00a0").replace("ΔE ", "ΔE\u00a0")


def breakable(text: str) -> str:
    """A text whose long names may be parted at the end of a line, after a stroke, a dot or a slash."""
    return _LONG.sub(lambda word: _SEAMS.sub("\\1\u200b", word.group()), text)


def count(number: int, thing: str) -> str:
    """A number and its noun."""
    return f"{number} {thing}" if number == 1 else f"{number} {thing}s"


def light_line(state: State, light_id: int) -> str:
    """What a light's header says under its name."""
    light = next(k for k in state.lights if k.id == light_id)
    if light.profile is None:
        finished = light.frames and not any(state.frames[f].is_raw for f in light.frames)
        return "finished pictures" if finished else "no profile yet"
    profile = state.profiles[light.profile]
    quality = f"ΔE {profile.quality.mean:.1f}" if profile.quality is not None else model_words(profile)
    return "   ".join(p for p in (temperature_words(profile), quality) if p)


def temperature_words(profile: AnyProfile) -> str:
    """The temperature of the light a profile was fitted in, or of its two; empty where none is known."""
    if isinstance(profile, CameraProfile):
        return "–".join(f"{f.cct:.0f}" for f in profile.fits) + " K"
    if isinstance(profile, DNGProfile) and len(profile.matrices.kelvins) == 2:
        return "–".join(f"{k:.0f}" for k in sorted(profile.matrices.kelvins)) + " K"
    return ""


def model_words(profile: AnyProfile) -> str:
    """What kind of profile it is."""
    return WORDS.get(profile.model, profile.model)


def profile_line(profile: AnyProfile) -> str:
    """A profile in a list: its name and, where known, its mean error."""
    return f"{profile.name}   ΔE {profile.quality.mean:.1f}" if profile.quality is not None else profile.name


def time_left(seconds: float) -> str:
    """A time to wait, as coarse as it is known."""
    if seconds < 55:
        return count(max(5 * round(seconds / 5), 5), "second")
    if seconds < 3600:
        return count(round(seconds / 60), "minute")
    hours, minutes = divmod(round(seconds / 60), 60)
    return f"{count(hours, 'hour')} {minutes} min"
