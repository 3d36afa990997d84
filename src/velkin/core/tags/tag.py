"""What a file says of its colour, as plain values."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

TagState = Literal["tagged", "claimed", "untagged", "damaged", "raw"]
TagSource = Literal["icc", "cicp", "png-srgb", "png-gama", "exif", "dng", "none"]


@dataclass(frozen=True)
class Tag:
    """What a file says of its colour.

    Attributes
    ----------
    state : TagState
    source : TagSource
    description : str
        The profile's own words, or what the claim says.
    space : str or None
        Id of the built-in space that the profile equals or the claim names.
    """

    state: TagState
    source: TagSource
    description: str = ""
    space: str | None = None


@dataclass(frozen=True)
class Statement:
    """One thing that a file says of its colour: about what, where it stands, what it says."""

    about: str
    where: str
    says: str
