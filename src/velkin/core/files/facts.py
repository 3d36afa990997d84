"""What is known of any source file, raw or finished, without its pixels."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from velkin.core.files.exif import ExifFacts


@dataclass(frozen=True, kw_only=True)
class FileFacts:
    """Facts of a source file.

    Attributes
    ----------
    path : Path
    width, height : int
        Of the upright picture.
    orientation : int
        Exif orientation as found.
    bits : int
    make, model, unique : str
        Camera; `unique` is DNG's unique camera model, else make and model.
    exif : ExifFacts
    also : str
        What else the file holds, in words (`contents.also_holds`); empty where there is nothing to tell.
    stamp : str
        Size and time of the file when it was looked at, by which a change of it is noticed; empty where that is not known.
    """

    path: Path
    width: int
    height: int
    orientation: int
    bits: int
    make: str
    model: str
    unique: str
    exif: ExifFacts
    also: str = ""
    stamp: str = ""
