"""Lights of a shoot: proposed from camera, lens, time and balance as files arrive, and named by a pattern."""

from __future__ import annotations

import re

from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.errors import NotSupported
from velkin.core.files.camera_names import same_body
from velkin.core.files.raw import RawFacts
from velkin.core.shoot.arrivals import Arrival
from velkin.core.tags.facts import PictureFacts

#: A pause after which the light is taken to have changed, in seconds.
PAUSE = 45 * 60
#: A change of the camera's balance (log2 of a channel ratio) after which it is taken to have changed.
CHANGE = 0.35
#: The same as a ratio, either way.
_MOST = 2.0**CHANGE
PATTERN = "{camera} · {lens} · {light}"
FIELDS = ("camera", "lens", "light", "date")


def propose_lights(arrivals: list[Arrival]) -> list[list[Arrival]]:
    """Group arrivals (in shooting order) into lights: a new one with another camera, lens or balance, or after a long pause.

    Frames of several cameras that shoot at the same time are kept apart, each with its own.
    """
    groups: list[list[Arrival]] = []
    for arrival in arrivals:
        home = next((g for g in reversed(groups) if under_one_light(g[-1].facts, arrival.facts)), None)
        if home is None:
            groups.append([arrival])
        else:
            home.append(arrival)
    return groups


def under_one_light(a: RawFacts | PictureFacts, b: RawFacts | PictureFacts) -> bool:
    """Whether two frames seem to be of one camera and lens under one light; finished pictures go by the folder they come from."""
    if isinstance(a, PictureFacts) or isinstance(b, PictureFacts):
        return isinstance(a, PictureFacts) and isinstance(b, PictureFacts) and a.path.parent == b.path.parent
    if not same_body(a, b) or a.exif.lens != b.exif.lens:
        return False
    if a.exif.taken and b.exif.taken and abs((b.exif.taken - a.exif.taken).total_seconds()) > PAUSE:
        return False
    return all(a.as_shot[c] <= _MOST * b.as_shot[c] and b.as_shot[c] <= _MOST * a.as_shot[c] for c in (0, 2))


def light_words(kelvin: float) -> str:
    """A plain name for light of a temperature, to start from."""
    return f"{round(kelvin, -2):.0f} K"


def check_pattern(pattern: str) -> None:
    """Refuse a pattern with unknown fields.

    Raises
    ------
    NotSupported
    """
    unknown = [f for f in re.findall(r"\{([^{}]*)\}", pattern) if f not in FIELDS]
    if unknown or "{" in re.sub(r"\{[^{}]*\}", "", pattern) or not pattern.strip():
        named = f"{{{unknown[0]}}} is no field; " if unknown else ""
        raise NotSupported(f"{named}a light's name is made of text and " + ", ".join(f"{{{f}}}" for f in FIELDS))


def light_name(pattern: str, facts: RawFacts | PictureFacts, light: str = "") -> str:
    """A light's name from the pattern; `light` is the photographer's word for the lighting, by default its temperature.

    Finished pictures know no light; they are named by their folder.
    """
    if isinstance(facts, PictureFacts):
        return f"From {facts.path.parent.name or facts.path.parent}"
    if not light:
        kelvin, _ = built_in(facts).temperature(facts.as_shot)
        light = light_words(kelvin)
    values = {
        "camera": facts.model or "Camera",
        "lens": facts.exif.lens,
        "light": light,
        "date": facts.exif.taken.strftime("%Y-%m-%d") if facts.exif.taken else "",
    }
    name = re.sub(r"\{([^{}]*)\}", lambda m: values.get(m.group(1), ""), pattern)
    # an empty field takes its separator with it
    parts = [p.strip() for p in re.split(r"\s·\s", f" {name} ")]
    return " · ".join(p for p in parts if p).strip() or light
