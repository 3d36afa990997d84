"""Carrying Exif, IPTC and XMP from a source into a written picture, made true for it."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path

from velkin.core.files.containers import jpeg_segments
from velkin.core.files.exiv2_files import exiv2_library, open_metadata
from velkin.core.files.metadata_policy import EVERYTHING, MetadataPolicy

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


def carry_into(
    picture: bytes | Path,
    source: Path,
    *,
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
    exiv2 = exiv2_library()
    target = exiv2.ImageFactory.open(str(picture) if isinstance(picture, Path) else picture)
    target.readMetadata()
    exif = target.exifData()
    with contextlib.suppress(exiv2.Exiv2Error, OSError):
        original = open_metadata(source)
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
    carried = carry_into(stream.getvalue(), source, is_srgb=is_srgb, size=size, policy=policy, ppi=ppi)
    marks = {"exif": b"Exif\0\0", "xmp": b"http://ns.adobe.com/xap/1.0/\0"}
    found = {"exif": b"", "xmp": b""}
    for marker, _, payload in jpeg_segments(BytesIO(carried)):
        for kind, mark in marks.items():
            if marker == 0xE1 and payload.startswith(mark):
                found[kind] = payload[len(mark) :]
    return Blocks(found["exif"], found["xmp"])
