"""Exif through exiv2: the facts Velkin shows, and carrying metadata from a source into a written picture."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import UnreadableFile
from velkin.core.files.containers import jpeg_segments
from velkin.core.files.dng_colour import DNGColour, rational, read_dng_colour
from velkin.core.files.safely import is_text_name

Floats = NDArray[np.float64]

#: Exif values of more bytes than this are not looked at.
_LONGEST_TEXT = 16384
# what describes the raw mosaic and must not be said of a finished picture
_RAW_ONLY = ("Exif.SubImage", "Exif.Thumbnail", "Exif.Image2", "Exif.Image3")
_IMAGE_KEPT = frozenset(
    ["Make", "Model", "Artist", "Copyright", "ImageDescription", "DateTime", "ExifTag", "GPSTag", "Rating"]
    + ["XResolution", "YResolution", "ResolutionUnit"]
)
# what XMP repeats of Exif's colour and shape, or says of a profile that is not there any more
_XMP_STALE: tuple[str, ...] = (
    "Xmp.exif.ColorSpace",
    "Xmp.photoshop.ICCProfile",
    "Xmp.tiff.Orientation",
    "Xmp.exif.PixelXDimension",
)
_XMP_STALE += ("Xmp.exif.PixelYDimension", "Xmp.tiff.ImageWidth", "Xmp.tiff.ImageLength", "Xmp.tiff.BitsPerSample")

ALL, RIGHTS, NONE = "all", "rights", "none"
#: What is carried into written files.
KEEPING = {ALL: "all that is true of the file", RIGHTS: "rights and contact only", NONE: "nothing"}
_RIGHTS = (
    *("Exif.Image.Artist", "Exif.Image.Copyright", "Xmp.dc.creator", "Xmp.dc.rights", "Xmp.xmpRights.", "Xmp.plus."),
    *("Xmp.photoshop.Credit", "Xmp.photoshop.AuthorsPosition", "Xmp.iptc.CreatorContactInfo", "Xmp.photoshop.CaptionWriter"),
    *("Iptc.Application2.Byline", "Iptc.Application2.Credit", "Iptc.Application2.Copyright", "Iptc.Application2.Contact"),
)
# where it was taken; a maker's note may tell it too
_PLACE = (
    *("Exif.GPSInfo.", "Exif.Photo.MakerNote", "Exif.MakerNote.", "Xmp.exif.GPS", "Xmp.iptc.Location", "Xmp.iptc.CountryCode"),
    *("Xmp.iptcExt.Location", "Xmp.photoshop.City", "Xmp.photoshop.State", "Xmp.photoshop.Country"),
    *(f"Iptc.Application2.{k}" for k in ("City", "SubLocation", "Province", "Country", "Location")),
)
# what follows from the file itself
_OWN = frozenset(
    ["Exif.Image.Orientation", "Exif.Image.ExifTag", "Exif.Photo.ColorSpace", "Exif.Photo.PixelXDimension"]
    + ["Exif.Photo.PixelYDimension", "Exif.Image.XResolution", "Exif.Image.YResolution", "Exif.Image.ResolutionUnit"]
    + [
        "Exif.Photo.ExifVersion",
        "Exif.Photo.ComponentsConfiguration",
        "Exif.Photo.FlashpixVersion",
        "Exif.Image.YCbCrPositioning",
    ]
)


@dataclass(frozen=True)
class MetadataPolicy:
    """What of a source's metadata goes into a written file.

    Attributes
    ----------
    keep : str
        ``all``, ``rights`` or ``none``.
    location : bool
        Whether the place may be told; only with ``all``.
    """

    keep: str = ALL
    location: bool = True

    def takes(self, key: str) -> bool:
        """Whether a datum of this exiv2 key is carried."""
        if self.keep == NONE:
            return False
        if self.keep == RIGHTS:
            return key.startswith(_RIGHTS)
        return self.location or not key.startswith(_PLACE)

    def words(self) -> str:
        """The policy in words."""
        return KEEPING[self.keep] + (", without the place" if self.keep == ALL and not self.location else "")


EVERYTHING = MetadataPolicy()


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


@lru_cache(maxsize=1)
def _exiv2() -> Any:
    """The library, loaded on first use (it is not needed to open a window) and told to be quiet."""
    import exiv2

    exiv2.LogMsg.setLevel(exiv2.LogMsg.Level.mute)
    return exiv2


def _open(path: Path) -> Any:
    """A file's metadata; by its bytes when its name is no UTF-8, which the library cannot take."""
    factory = _exiv2().ImageFactory
    return factory.open(str(path)) if is_text_name(path) else factory.open(path.read_bytes())


def exif_facts(path: Path) -> ExifFacts:
    """The Exif facts of a file; what is missing or unreadable in it is left empty.

    Raises
    ------
    UnreadableFile
        When exiv2 cannot open the file at all.
    """
    exiv2 = _exiv2()
    try:
        image = _open(path)
        image.readMetadata()
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror})", path) from error
    except exiv2.Exiv2Error as error:
        raise UnreadableFile(f"its metadata cannot be read ({error})", path) from error
    exif = image.exifData()
    # embedded profiles, previews and the like are no words
    values: dict[str, str] = {datum.key(): datum.toString() if datum.size() <= _LONGEST_TEXT else "" for datum in exif}

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
        dng=read_dng_colour(values),
    )


def carry_into(
    picture: bytes | Path,
    source: Path,
    is_srgb: bool,
    size: tuple[int, int],
    policy: MetadataPolicy = EVERYTHING,
    ppi: float | None = None,
) -> bytes:
    """A written picture (JPEG, TIFF, PNG or WebP) with the source's Exif, IPTC and XMP, made true for the picture.

    Camera, lens, time, exposure and rights are kept as far as the policy goes; what describes the raw mosaic is dropped;
    orientation becomes upright, the size the picture's own, and Exif ColorSpace 1 for sRGB and 65535 (uncalibrated) for
    everything else.

    Parameters
    ----------
    picture : bytes or Path
        A file is changed where it lies, and nothing is given back.
    source : Path
        Whatever exiv2 reads; when it reads nothing, only the tags that follow from the picture are set.
    is_srgb : bool
    size : (width, height)
    policy : MetadataPolicy
    ppi : float, optional
        Pixels per inch to write; otherwise what the source says stays.
    """
    exiv2 = _exiv2()
    target = exiv2.ImageFactory.open(str(picture) if isinstance(picture, Path) else picture)
    target.readMetadata()
    exif = target.exifData()
    with contextlib.suppress(exiv2.Exiv2Error, OSError):
        original = _open(source)
        original.readMetadata()
        for datum in original.exifData():
            key = datum.key()
            if key.startswith(_RAW_ONLY) or (key.startswith("Exif.Image.") and key.split(".")[-1] not in _IMAGE_KEPT):
                continue
            if not key.startswith(("Exif.Image.", "Exif.Photo.", "Exif.GPSInfo.")) or datum.key().endswith(
                ("ExifTag", "GPSTag")
            ):
                continue
            if policy.takes(key):
                with contextlib.suppress(exiv2.Exiv2Error):
                    exif.add(exiv2.ExifKey(key), datum.value())
        iptc, xmp = target.iptcData(), target.xmpData()
        for datum in original.iptcData():
            if policy.takes(datum.key()):
                with contextlib.suppress(exiv2.Exiv2Error):
                    iptc.add(exiv2.IptcKey(datum.key()), datum.value())
        for datum in original.xmpData():
            if datum.key() not in _XMP_STALE and policy.takes(datum.key()):
                with contextlib.suppress(exiv2.Exiv2Error):
                    xmp.add(exiv2.XmpKey(datum.key()), datum.value())
        target.setIptcData(iptc)
        target.setXmpData(xmp)
    exif["Exif.Image.Orientation"] = exiv2.UShortValue(1)
    exif["Exif.Photo.ColorSpace"] = exiv2.UShortValue(1 if is_srgb else 65535)
    exif["Exif.Photo.PixelXDimension"] = exiv2.ULongValue(size[0])
    exif["Exif.Photo.PixelYDimension"] = exiv2.ULongValue(size[1])
    if ppi is not None:
        for side in ("X", "Y"):
            exif[f"Exif.Image.{side}Resolution"] = exiv2.URationalValue((round(ppi * 100), 100))
        exif["Exif.Image.ResolutionUnit"] = exiv2.UShortValue(2)
    target.setExifData(exif)
    target.writeMetadata()
    return b"" if isinstance(picture, Path) else bytes(target.io().data())


@dataclass(frozen=True)
class Blocks:
    """Metadata as blocks for formats that exiv2 does not write: a TIFF structure of Exif, and an XMP packet; empty where none."""

    exif: bytes
    xmp: bytes


def blocks(
    source: Path, is_srgb: bool, size: tuple[int, int], policy: MetadataPolicy = EVERYTHING, ppi: float | None = None
) -> Blocks:
    """The Exif and XMP that `carry_into` would write."""
    from PIL import Image

    stream = BytesIO()
    Image.new("L", (8, 8)).save(stream, "JPEG")
    carried = carry_into(stream.getvalue(), source, is_srgb, size, policy, ppi)
    marks = {"exif": b"Exif\0\0", "xmp": b"http://ns.adobe.com/xap/1.0/\0"}
    found = {"exif": b"", "xmp": b""}
    for marker, _, payload in jpeg_segments(BytesIO(carried)):
        for kind, mark in marks.items():
            if marker == 0xE1 and payload.startswith(mark):
                found[kind] = payload[len(mark) :]
    return Blocks(found["exif"], found["xmp"])


def broken_policy(path: Path, policy: MetadataPolicy) -> list[str]:
    """What a written file's metadata hold that the policy leaves out, as exiv2 keys.

    Raises
    ------
    UnreadableFile
    """
    exiv2 = _exiv2()
    try:
        image = _open(path)
        image.readMetadata()
    except (OSError, exiv2.Exiv2Error) as error:
        raise UnreadableFile(f"its metadata cannot be read ({error})", path) from error
    keys = [d.key() for d in (*image.exifData(), *image.iptcData(), *image.xmpData())]
    shared = ("Exif.Photo.", "Exif.GPSInfo.", "Iptc.", "Xmp.", "Exif.Image.Artist", "Exif.Image.Copyright", "Exif.Image.Make")
    return [k for k in keys if k not in _OWN and k.startswith((*shared, "Exif.Image.Model")) and not policy.takes(k)]


def resolution_of(path: Path) -> float | None:
    """Pixels per inch that a file's Exif says, None where it says nothing that can be read."""
    exiv2 = _exiv2()
    try:
        image = _open(path)
        image.readMetadata()
        values = {d.key(): d.toString() for d in image.exifData() if d.key().startswith("Exif.Image.")}
        found = rational(values.get("Exif.Image.XResolution", ""))
    except (OSError, exiv2.Exiv2Error, ValueError, ZeroDivisionError):
        return None
    unit = values.get("Exif.Image.ResolutionUnit", "2")  # 1 says that it is a shape of pixels, no size
    return {"2": found, "3": found * 2.54}.get(unit)
