"""What Exif and DNG tags say of a file: the facts that Velkin shows."""

from __future__ import annotations

import contextlib
import struct
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from velkin.core.errors import UnreadableFile
from velkin.core.files.dng_colour import DNGColour, rational, read_dng_colour
from velkin.core.files.exif_block import ExifTree, Value
from velkin.core.files.exiv2_files import exiv2_library, open_metadata

#: Exif values of more bytes than this are not looked at.
_LONGEST_TEXT = 16384


@dataclass(frozen=True)
class ExifFacts:
    """What Exif and DNG tags say, as plain values; empty or None where a file is silent.

    Attributes
    ----------
    make, model, unique_model, lens, software : str
    taken : datetime or None
    shutter, aperture, iso : str
        As a photographer writes them: ``1/60 s``, ``f/8``, ``ISO 100``.
    orientation : int
        1 to 8.
    colour_space : int or None
        Exif ColorSpace.
    interoperability : str
        ``R98``, ``R03`` or empty.
    dng : DNGColour or None
        The colour tags of a DNG file.
    """

    make: str = ""
    model: str = ""
    unique_model: str = ""
    lens: str = ""
    software: str = ""
    taken: datetime | None = None
    shutter: str = ""
    aperture: str = ""
    iso: str = ""
    orientation: int = 1
    colour_space: int | None = None
    interoperability: str = ""
    dng: DNGColour | None = None


#: Exif's tags by the names that exiv2 has for them, as far as facts are told from them.
_NAMES = {
    "image": {271: "Make", 272: "Model", 274: "Orientation", 305: "Software", 306: "DateTime"},
    "photo": {
        33434: "ExposureTime", 33437: "FNumber", 34855: "ISOSpeedRatings", 36867: "DateTimeOriginal", 40961: "ColorSpace", 42036: "LensModel",
    },
}  # fmt: skip


def facts_in(tree: ExifTree) -> ExifFacts:
    """The Exif facts of a picture; what is missing or unreadable in it is left empty."""
    values: dict[str, str] = {}
    for group, place, found in (("image", "Image", tree.image), ("photo", "Photo", tree.photo)):
        for tag, name in _NAMES[group].items():
            if tag in found:
                values[f"Exif.{place}.{name}"] = _spelled(found[tag], tree.order)
    if 1 in tree.interop:
        values["Exif.Iop.InteroperabilityIndex"] = tree.interop[1].text()
    return _facts(values, None)


def _spelled(value: Value, order: str) -> str:
    """A value as exiv2 spells it."""
    if value.type == 2:
        return value.text()
    if value.type in (5, 10) and len(value.data) >= 8:
        a, b = struct.unpack_from(order + ("II" if value.type == 5 else "ii"), value.data)
        return f"{a}/{b}"
    return " ".join(f"{n:g}" for n in value.numbers(order)[:4])


def exif_facts(path: Path) -> ExifFacts:
    """The Exif facts of a file of any kind; what is missing or unreadable in it is left empty. Raises UnreadableFile, see `exif_values`."""
    return facts_of_values(exif_values(path))


def exif_values(path: Path) -> dict[str, str]:
    """The Exif of a file of any kind, in words by exiv2's keys; what is too long to be words is empty.

    Raises
    ------
    UnreadableFile
        When exiv2 cannot open the file at all.
    """
    exiv2 = exiv2_library()
    try:
        image = open_metadata(path)
        image.readMetadata()
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror})", path) from error
    except exiv2.Exiv2Error as error:
        raise UnreadableFile(f"its metadata cannot be read ({error})", path) from error
    exif = image.exifData()
    # embedded profiles, previews and the like are no words
    return {datum.key(): datum.toString() if datum.size() <= _LONGEST_TEXT else "" for datum in exif}


def facts_of_values(values: Mapping[str, str]) -> ExifFacts:
    """The Exif facts, and DNG's colour tags, among values by exiv2's keys."""
    return _facts(values, read_dng_colour(values))


def _facts(values: Mapping[str, str], dng: DNGColour | None) -> ExifFacts:
    """Facts from values by exiv2's keys."""

    def first(*keys: str) -> str:
        return next((values[k].strip() for k in keys if values.get(k, "").strip()), "")

    taken = None
    with contextlib.suppress(ValueError):
        taken = datetime.strptime(
            first("Exif.Photo.DateTimeOriginal", "Exif.Image.DateTimeOriginal", "Exif.Image.DateTime"),
            "%Y:%m:%d %H:%M:%S",
        )
    shutter = aperture = iso = ""
    with contextlib.suppress(ValueError, ZeroDivisionError):
        seconds = rational(first("Exif.Photo.ExposureTime", "Exif.Image.ExposureTime"))
        shutter = f"{seconds:g} s" if seconds >= 0.3 else f"1/{round(1 / seconds)} s"
    with contextlib.suppress(ValueError, ZeroDivisionError):
        aperture = f"f/{rational(first('Exif.Photo.FNumber', 'Exif.Image.FNumber')):g}"
    sensitivity = first("Exif.Photo.ISOSpeedRatings", "Exif.Image.ISOSpeedRatings")
    if sensitivity.split(" ")[0].isdigit():
        iso = f"ISO {sensitivity.split(' ')[0]}"
    orientation = first("Exif.Image.Orientation")
    colour_space = first("Exif.Photo.ColorSpace")
    return ExifFacts(
        make=first("Exif.Image.Make"),
        model=first("Exif.Image.Model"),
        unique_model=first("Exif.Image.UniqueCameraModel"),
        lens=first("Exif.Photo.LensModel", "Exif.Image.LensInfo"),
        software=first("Exif.Image.Software"),
        taken=taken,
        shutter=shutter,
        aperture=aperture,
        iso=iso,
        orientation=int(orientation) if orientation in set("12345678") else 1,
        colour_space=int(colour_space) if colour_space.isdigit() else None,
        interoperability=first("Exif.Iop.InteroperabilityIndex"),
        dng=dng,
    )


def resolution_of(path: Path) -> float | None:
    """Pixels per inch that a file's Exif says, None where it says nothing that can be read."""
    exiv2 = exiv2_library()
    try:
        image = open_metadata(path)
        image.readMetadata()
        values = {d.key(): d.toString() for d in image.exifData() if d.key().startswith("Exif.Image.")}
        found = rational(values.get("Exif.Image.XResolution", ""))
    except (OSError, exiv2.Exiv2Error, ValueError, ZeroDivisionError):
        return None
    unit = values.get("Exif.Image.ResolutionUnit", "2")  # 1 says that it is a shape of pixels, no size
    return {"2": found, "3": found * 2.54}.get(unit)
