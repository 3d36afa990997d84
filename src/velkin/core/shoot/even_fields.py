"""Flat frames of a shoot: which field evens which frame."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from velkin.core.fields import Field
from velkin.core.files.facts import FileFacts
from velkin.core.shoot.frame import Frame, Role


@dataclass(frozen=True)
class KeptField:
    """A flat frame's field, how much of it is taken out, and whether of frames of another aperture or lens too."""

    field: Field
    strength: float = 1.0
    others_too: bool = False


def flat_of(frames: Iterable[Frame], fields: Mapping[int, KeptField]) -> Frame | None:
    """The flat frame that stands for a light: the first of its frames that is marked and was measured."""
    return next((f for f in frames if f.role is Role.FLAT and f.id in fields), None)


def does_not_suit(frame: FileFacts, flat: FileFacts) -> str:
    """Why a flat frame's field is not that of a frame, in words; empty where it is."""
    own, its = frame.exif, flat.exif
    if frame.unique != flat.unique:
        return "another camera"
    if own.lens != its.lens:
        return f"{own.lens or 'an unknown lens'} instead of {its.lens or 'an unknown one'}"
    if own.aperture != its.aperture:
        return f"{own.aperture or 'an unknown aperture'} instead of {its.aperture or 'an unknown one'}"
    if frame.orientation != flat.orientation:
        return "the camera turned"
    return ""
