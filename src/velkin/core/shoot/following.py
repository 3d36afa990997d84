"""Following a source file that changed elsewhere: what changed, and whether the decisions that were taken still fit."""

from __future__ import annotations

from dataclasses import dataclass

from velkin.core.files.facts import FileFacts
from velkin.core.shoot.frame import Frame
from velkin.core.tags.facts import MODELS, PictureFacts


@dataclass(frozen=True)
class Followed:
    """What became of a frame whose source changed.

    Attributes
    ----------
    differs : str
        What differs, in words; empty where neither size nor tag, bits, colour model or layers do.
    held : str
        Why its decisions do not fit any more, so that one waits; empty where they stay.
    refused : str
        Why it was not followed at all; empty where it was.
    """

    differs: str = ""
    held: str = ""
    refused: str = ""


def differences(old: FileFacts, new: FileFacts) -> str:
    """What differs between the facts of a file before and after, in words."""
    found = []
    if (old.width, old.height) != (new.width, new.height):
        found.append(f"{new.width} × {new.height} instead of {old.width} × {old.height}")
    if isinstance(old, PictureFacts) and isinstance(new, PictureFacts):
        if old.colour_model != new.colour_model:
            found.append(f"{MODELS[new.colour_model]} instead of {MODELS[old.colour_model]}")
        if _tag(old) != _tag(new):
            found.append(f"{_tag(new)} instead of {_tag(old)}")
        if len(old.layers) != len(new.layers):
            found.append(f"{len(new.layers)} layer{'s' * (len(new.layers) != 1)} instead of {len(old.layers)}")
        if old.pages != new.pages:
            found.append(f"{new.pages} picture{'s' * (new.pages != 1)} in it instead of {old.pages}")
    if old.bits != new.bits:
        found.append(f"{new.bits}-bit instead of {old.bits}-bit")
    return ", ".join(found)


def _tag(facts: PictureFacts) -> str:
    return f"{facts.tag.state} {facts.tag.description}".strip()


def no_longer_fits(frame: Frame, new: FileFacts) -> str:
    """Why what was decided of a finished picture does not fit its file as it is now; empty where it does."""
    old = frame.facts
    if not isinstance(old, PictureFacts) or not isinstance(new, PictureFacts):
        return ""
    if new.page != old.page:
        return f"picture {old.page + 1} is not in it any more"
    if new.colour_model != old.colour_model:
        return f"it is {MODELS[new.colour_model]} now"
    if frame.ledger and (new.said != old.said or new.tag.state != old.tag.state):
        return "its tag is another, and its ledger was decided for the one before"
    return ""


def cannot_follow(frame: Frame, new: FileFacts) -> str:
    """Why a changed file cannot take the place of what it was; empty where it can."""
    if isinstance(new, PictureFacts) == frame.is_raw:
        return "it is a finished picture now" if frame.is_raw else "it is a raw file now"
    if frame.is_raw and new.unique != frame.facts.unique:
        return f"it is of another camera, {new.unique or 'which it does not name'}"
    return ""
