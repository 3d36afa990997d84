"""What a file is and what it says of its colour; no pixel is decoded (JPEG XL's profile excepted)."""

from __future__ import annotations

import struct
import warnings
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal

from velkin.core.errors import UnreadableFile, VelkinError
from velkin.core.files.dng_colour import DNGColour
from velkin.core.files.exif import ExifFacts, facts_in
from velkin.core.files.formats import format_at
from velkin.core.files.formats.base import Format
from velkin.core.files.layers.stack import LayerFacts
from velkin.core.files.limits import check_size
from velkin.core.files.metadata import Resolution
from velkin.core.files.raw_names import is_raw_name
from velkin.core.icc.space import Space
from velkin.core.tags.holding import tag_of
from velkin.core.tags.statements import statements_of
from velkin.core.tags.tag import Statement, Tag


@dataclass(frozen=True)
class Inspection:
    """What a file is.

    Attributes
    ----------
    kind : ``raw`` or ``picture``
    channels : int
        Alpha counted.
    said : Space or None
        What its tag or claim gives its numbers for a meaning; None for raw, untagged and damaged files.
    icc : bytes or None
        The embedded profile as it is, sound or not.
    statements : tuple of Statement
        Everything it says of its colour.
    pages : int
        Full-size pictures in it.
    page : int
        The one that is looked at, counted from 0.
    orientation : int
        What stands between the stored picture and the upright one, 1 to 8 as Exif numbers it.
    resolution : Resolution or None
    layers : tuple of LayerFacts
        Of a layered picture, the topmost first.
    """

    path: Path
    kind: Literal["raw", "picture"]
    format: str
    width: int
    height: int
    channels: int
    bits: int
    model: str
    tag: Tag
    make: str = ""
    camera: str = ""
    unique: str = ""
    notes: tuple[str, ...] = ()
    said: Space | None = field(default=None, repr=False)
    icc: bytes | None = field(default=None, repr=False)
    statements: tuple[Statement, ...] = field(default=(), repr=False)
    alpha: bool = False
    pages: int = 1
    page: int = 0
    exif: ExifFacts = field(default_factory=ExifFacts, repr=False)
    orientation: int = 1
    resolution: Resolution | None = None
    layers: tuple[LayerFacts, ...] = ()


def inspect(path: Path, page: int = 0) -> Inspection:
    """Look at one file; `page` is the picture of a file that holds several.

    Raises
    ------
    UnreadableFile
        When it is missing, empty, damaged, too large, or neither a raw file nor a picture that Velkin reads.
    """
    if is_raw_name(path):
        return _raw(path)
    try:
        known = format_at(path)
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror})", path) from error
    return _picture(path, known, page)


def _raw(path: Path) -> Inspection:
    from velkin.core.files.raw import read_facts  # its library loads when there is a raw file

    facts = read_facts(path)
    name = facts.unique or "unknown camera"
    return Inspection(
        path=path,
        kind="raw",
        format="dng" if facts.is_dng else "raw",
        width=facts.width,
        height=facts.height,
        channels=3,
        bits=facts.bits,
        model="rgb",
        tag=Tag("raw", "dng" if facts.colour is not None and facts.is_dng else "none", f"camera numbers of {name}"),
        make=facts.make,
        camera=facts.model,
        unique=facts.unique,
        notes=_raw_notes(facts.colour),
        exif=facts.exif,
    )


def _picture(path: Path, known: Format, page: int) -> Inspection:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            head = known.head(path, page)
    except VelkinError:
        raise
    except OSError as error:
        if error.errno is not None:
            raise UnreadableFile(f"the file cannot be read ({error.strerror or error})", path) from error
        raise UnreadableFile("the picture is damaged", path) from error
    except (struct.error, IndexError):
        raise UnreadableFile("the picture is damaged or cut short", path) from None
    except Exception as error:  # readers raise what they like on damaged files
        raise UnreadableFile(f"the picture is damaged ({error})", path) from error
    check_size(head.width, head.height, path)
    notes = list(head.damage)
    exif = facts_in(head.exif)
    tag, said = tag_of(head, exif, notes)
    width, height = (head.height, head.width) if head.orientation >= 5 else (head.width, head.height)
    return Inspection(
        path,
        "picture",
        head.format,
        width,
        height,
        head.channels,
        head.bits,
        head.model,
        tag,
        exif.make,
        exif.model,
        exif.unique_model,
        tuple(notes),
        said,
        head.colour.icc,
        tuple(statements_of(head, exif)),
        head.alpha,
        head.pages,
        page,
        exif,
        head.orientation,
        head.resolution,
        head.layers,
    )


def _raw_notes(colour: DNGColour | None) -> tuple[str, ...]:
    if colour is None:
        return ("the file names no colour matrix for this camera",)
    return tuple(f"{what} is in the file and is not applied" for what in colour.not_applied)
