"""Writing a picture as a file of any format, with the metadata of its source made true of it, and an account of what became of each part."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import VelkinError
from velkin.core.files.carrying import Target, carriage
from velkin.core.files.coding import PLAIN, Coding
from velkin.core.files.contents import Carried, Part, PartKind, left_behind
from velkin.core.files.formats import format_named
from velkin.core.files.kinds import check_format
from velkin.core.files.metadata import Metadata, Resolution
from velkin.core.files.picture import Picture
from velkin.core.files.safely import being_written, publish
from velkin.core.files.source_contents import SourceContents, contents_of


@dataclass(frozen=True)
class Encoded:
    """A file's bytes, and what became of each part of its source."""

    data: bytes
    account: tuple[Carried, ...]


def jpeg_bytes(pixels: NDArray[np.uint8], profile: bytes | None, coding: Coding = PLAIN) -> bytes:
    """A JPEG (H, W, 3) or (H, W) of no source, with an embedded profile."""
    numbers: NDArray[Any] = pixels[..., None] if pixels.ndim == 2 else pixels
    said = Resolution(coding.ppi, coding.ppi) if coding.ppi is not None else None
    model = {1: "gray", 3: "rgb", 4: "cmyk"}[numbers.shape[2]]
    return format_named("jpeg").encode(Picture(numbers, None, model), profile, Metadata(resolution=said), coding)


def encode_numbers(
    picture: Picture,
    kind: str,
    icc: bytes | None,
    *,
    family: str,
    source: Path | None,
    page: int = 0,
    coding: Coding = PLAIN,
    whole: bool = True,
) -> Encoded:
    """A picture's numbers as they are in a file, with a profile and the source's metadata made to agree with it.

    Parameters
    ----------
    picture : Picture
    kind : str
        Id of a format that is written.
    icc : bytes or None
        None writes no tag, as for Lab and for pictures that are to stay untagged.
    family : str
        Id of the built-in space that the profile equals.
    source : Path or None
        Whose metadata are carried over.
    page : int
        Which picture of the source.
    coding : Coding
    whole : bool
        Whether the picture shows all of its source.

    Raises
    ------
    NotSupported
        When the format cannot hold the picture.
    """
    metadata, account = _prepared(picture, kind, family, source, page, coding, whole)
    return Encoded(format_named(kind).encode(picture, icc, metadata, coding), account)


def write_numbers(
    out: Path,
    picture: Picture,
    kind: str,
    icc: bytes | None,
    *,
    family: str,
    source: Path | None,
    page: int = 0,
    coding: Coding = PLAIN,
    whole: bool = True,
) -> tuple[Carried, ...]:
    """As `encode_numbers`, into a file that is not there yet or may be overwritten; TIFF is not held in memory as a whole.

    Raises
    ------
    NotSupported
    OSError
    """
    metadata, account = _prepared(picture, kind, family, source, page, coding, whole)
    format_named(kind).write(out, picture, icc, metadata, coding)
    return account


def write_picture(
    out: Path,
    picture: Picture,
    kind: str,
    icc: bytes | None,
    *,
    family: str,
    source: Path | None,
    page: int = 0,
    coding: Coding = PLAIN,
    replace: bool = False,
) -> tuple[Carried, ...]:
    """As `write_numbers`, under its final name only once all of it is on the disk.

    Raises
    ------
    NotSupported
    OutputRefused, OutputFailed
        See `safely.write_whole`.
    """
    with being_written(out) as temporary:
        account = write_numbers(temporary, picture, kind, icc, family=family, source=source, page=page, coding=coding)
        publish(temporary, out, replace)
    return account


def _prepared(
    picture: Picture, kind: str, family: str, source: Path | None, page: int, coding: Coding, whole: bool
) -> tuple[Metadata, tuple[Carried, ...]]:
    height, width = picture.numbers.shape[:2]
    check_format(kind, 8 * picture.numbers.dtype.itemsize, picture.model, source)
    return account_of(_held_by(source, page), kind, family=family, size=(width, height), coding=coding, whole=whole)


def _held_by(source: Path | None, page: int) -> SourceContents:
    if source is None:
        return SourceContents(Path())
    try:
        return contents_of(source, page)
    except VelkinError as error:
        part = Part(f"metadata, which cannot be read ({error.message})", PartKind.METADATA, 0)
        return SourceContents(source, (part,))


def account_of(
    contents: SourceContents, kind: str, *, family: str, size: tuple[int, int], coding: Coding = PLAIN, whole: bool = True
) -> tuple[Metadata, tuple[Carried, ...]]:
    """What of a source goes into a file of a format, and what becomes of each part; nothing is written."""
    known = format_named(kind)
    target = Target(
        known.holds,
        known.kind.name,
        family,
        size,
        contents.orientation,
        whole,
        Resolution(coding.ppi, coding.ppi) if coding.ppi is not None else None,
        known.most_exif,
        known.keywords,
    )
    metadata, account = carriage(contents.path, contents.parts, target, coding.policy, contents.resolution)
    return metadata, tuple(account)


def lost_in(source: Path, page: int, kind: str) -> str:
    """What of a source a new file of a format does not hold, in words; empty where it holds all, or the source cannot be read."""
    account = account_of(_held_by(source, page), kind, family="", size=(1, 1))[1]
    return left_behind(account)
