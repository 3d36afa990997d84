"""Finished files that arrived at Madderfold from elsewhere, with the usual tag troubles; made from the simulated raw frames."""

from __future__ import annotations

from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import Any

import cv2
import exiv2
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from velkin.core.conversion.codes import codes_of_light
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import carried
from velkin.core.conversion.pictures import convert_picture
from velkin.core.files import raw
from velkin.core.files.safely import write_whole
from velkin.core.icc.space import space_of
from velkin.core.icc.transform import Intent
from velkin.core.icc.write import matrix_profile
from velkin.core.path import path_of
from velkin.core.render import to_working
from velkin.core.spaces.rgb import OPRGB, P3, ROMM, SRGB, RGBSpace
from velkin.core.stages.camera import built_in_stage
from velkin.sim import press
from velkin.sim.poster import poster

Pixels = NDArray[np.float32]

MILL, OTHERS = "the mill", "elsewhere"
RECIPE = "3"
#: How many files there are.
COUNT = 10


def linear_part(frames: Path, name: str, crop: tuple[float, float, float, float], width: int, space: RGBSpace) -> Pixels:
    """Part of a simulated frame (shares of its size) in linear light."""
    path = frames / f"{name}.dng"
    colour = path_of(built_in_stage(raw.read_facts(path)), ROMM, ROMM, exposure=0.45)
    linear = carried(to_working(raw.decode(path), colour), ROMM, space)
    height_full, width_full = linear.shape[:2]
    x0, y0, x1, y1 = (round(v * s) for v, s in zip(crop, (width_full, height_full) * 2, strict=True))
    part = linear[y0:y1, x0:x1]
    size = (width, round(width * part.shape[0] / part.shape[1]))
    return np.asarray(cv2.resize(part, size, interpolation=cv2.INTER_AREA), dtype=np.float32)


def as_jpeg(pixels: NDArray[np.uint8], icc: bytes | None = None, mode: str = "RGB") -> bytes:
    """A JPEG of encoded pixels (H, W, 3), tagged or not."""
    stream = BytesIO()
    Image.fromarray(pixels, mode).save(stream, "JPEG", quality=93, subsampling=0, icc_profile=icc)
    return stream.getvalue()


def _with_exif(data: bytes, colour_space: int, index: str = "", make: str = "", model: str = "") -> bytes:
    image = exiv2.ImageFactory.open(data)
    image.readMetadata()
    exif = image.exifData()
    if make:
        exif["Exif.Image.Make"], exif["Exif.Image.Model"] = make, model
    exif["Exif.Photo.ColorSpace"] = exiv2.UShortValue(colour_space)
    if index:
        exif["Exif.Iop.InteroperabilityIndex"] = index
    image.setExifData(exif)
    image.writeMetadata()
    return bytes(image.io().data())


def _with_all_that_a_file_holds(data: bytes) -> bytes:
    """A JPEG with a place, a caption, keywords, rights, a rating, somebody's own notes, a small picture and a comment in it."""
    image = exiv2.ImageFactory.open(data)
    image.readMetadata()
    exif, iptc, xmp = image.exifData(), image.iptcData(), image.xmpData()
    for key, value in (
        ("Exif.Image.Make", "Velkin"),
        ("Exif.Image.Model", "Pocket Three"),
        ("Exif.Image.Artist", "Visitor to Madderfold"),
        ("Exif.Image.Copyright", "simulated, not a photograph"),
        ("Exif.Photo.DateTimeOriginal", "2026:03:17 11:32:05"),
        ("Exif.Photo.OffsetTimeOriginal", "+00:00"),
        ("Exif.GPSInfo.GPSLatitudeRef", "N"),
        ("Exif.GPSInfo.GPSLatitude", "54/1 12/1 0/1"),
        ("Exif.GPSInfo.GPSLongitudeRef", "W"),
        ("Exif.GPSInfo.GPSLongitude", "2/1 31/1 0/1"),
    ):
        exif[key] = value
    small = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
    small = cv2.resize(small, (160, 107), interpolation=cv2.INTER_AREA)
    exiv2.ExifThumb(exif).setJpegThumbnail(cv2.imencode(".jpg", small)[1].tobytes())
    iptc["Iptc.Application2.Caption"] = "Three skeins on the drying rail"
    iptc["Iptc.Application2.Keywords"] = "wool"
    exiv2.XmpProperties.registerNs("http://madderfold.example/notes/1/", "madder")
    xmp["Xmp.dc.description"] = "lang=x-default Three skeins on the drying rail"
    xmp["Xmp.dc.subject"] = "wool, ochre, rust, moss"
    xmp["Xmp.xmp.Rating"] = "4"
    xmp["Xmp.madder.vat"] = "7"
    image.setExifData(exif)
    image.setIptcData(iptc)
    image.setXmpData(xmp)
    image.setComment("sent from the yard")
    image.writeMetadata()
    return bytes(image.io().data())


def _tiff(pixels: NDArray[np.generic], icc: bytes | None, photometric: str = "rgb") -> bytes:
    stream = BytesIO()
    tifffile.imwrite(stream, pixels, photometric=photometric, iccprofile=icc, metadata=None, software="simulated scanner")
    return stream.getvalue()


def is_made(folder: Path) -> bool:
    """Whether a folder holds the files as this version makes them."""
    mark = folder / "recipe.txt"
    return mark.is_file() and mark.read_text().strip() == RECIPE


def make(
    folder: Path,
    frames: Path,
    made: Callable[[int], None] = lambda done: None,
    stopped: Callable[[], bool] = lambda: False,
) -> list[Path]:
    """Make the files in two folders, `MILL` and `OTHERS`; what is there already from this version is kept.

    `stopped` is asked before each file; when it says so the rest is left out.

    The mill writes opRGB numbers and leaves the tag out; one of its files has half a profile. From elsewhere come a telephone's
    P3 picture with all that a file can hold beside it, a scan that says two things at once, a claim without a profile, an advertisement in ink, a gray scan, and a poster in layers.
    """
    jobs: dict[Path, Callable[[], bytes]] = {}

    def untagged(name: str, crop: tuple[float, float, float, float]) -> Callable[[], bytes]:
        return lambda: as_jpeg(_codes(linear_part(frames, name, crop, 1500, OPRGB), OPRGB, 8))

    mill, others = folder / MILL, folder / OTHERS
    jobs[mill / "weave-card-1.jpg"] = untagged("north-0412", (0.02, 0.02, 0.98, 0.98))
    jobs[mill / "weave-card-2.jpg"] = untagged("north-0413", (0.05, 0.05, 0.95, 0.95))
    jobs[mill / "weave-card-3.jpg"] = untagged("north-0414", (0.0, 0.1, 0.9, 1.0))
    jobs[mill / "plum-proof.jpg"] = lambda: as_jpeg(
        _codes(linear_part(frames, "north-0415", (0.1, 0.0, 0.95, 0.9), 1500, SRGB), SRGB, 8), matrix_profile(SRGB)[:260]
    )
    jobs[others / "telephone.jpg"] = lambda: _with_all_that_a_file_holds(
        as_jpeg(_codes(linear_part(frames, "north-0415", (0, 0, 1, 1), 1600, P3), P3, 8), matrix_profile(P3))
    )
    jobs[others / "scan.tif"] = lambda: _with_exif(
        _tiff(_codes(linear_part(frames, "lamp-0507", (0, 0, 1, 1), 1600, ROMM), ROMM, 16), matrix_profile(ROMM, 2)), 1
    )
    jobs[others / "visitor.jpg"] = lambda: _with_exif(
        as_jpeg(_codes(linear_part(frames, "lamp-0508", (0, 0, 1, 1), 1500, SRGB), SRGB, 8)), 1, "R98", "Velkin", "Pocket Three"
    )
    jobs[others / "shade-card.tif"] = lambda: _shade_card(frames)
    jobs[others / "ledger-page.tif"] = lambda: _tiff(
        cv2.cvtColor(_codes(linear_part(frames, "lamp-0505", (0, 0, 1, 1), 1400, SRGB), SRGB, 8), cv2.COLOR_RGB2GRAY),
        None,
        "minisblack",
    )
    jobs[others / "poster.ora"] = lambda: poster(linear_part(frames, "north-0413", (0.1, 0.1, 0.9, 0.9), 1500, SRGB))
    profile = folder / f"{press.NAME}.icc"
    return make_once(folder, RECIPE, jobs, made, stopped, lambda: write_whole(profile, press.press_profile(4), True))


def make_once(
    folder: Path,
    recipe: str,
    jobs: dict[Path, Callable[[], bytes]],
    made: Callable[[int], None],
    stopped: Callable[[], bool],
    then: Callable[[], None] = lambda: None,
) -> list[Path]:
    """Make files in a folder, which remembers by which recipe; those of the same one are kept, and `then` follows the last that is made."""
    files, mark = list(jobs), folder / "recipe.txt"
    if mark.is_file() and mark.read_text().strip() == recipe and all(f.is_file() for f in files):
        return files
    for done, (path, build) in enumerate(jobs.items(), start=1):
        if stopped():
            return files
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, build(), True)
        made(done)
    then()
    mark.write_text(recipe + "\n")
    return files


def _codes(linear: NDArray[np.float32], space: RGBSpace, bits: int) -> NDArray[Any]:
    return codes_of_light(linear, space, bits, dither=True)


def _shade_card(frames: Path) -> bytes:
    codes = _codes(linear_part(frames, "north-0412", (0, 0, 1, 1), 1600, ROMM), ROMM, 16)
    ink = convert_picture(codes, Conversion(ROMM, space_of(press.press_profile(4)), Intent.PERCEPTUAL), 8).numbers
    return _tiff(ink, press.press_profile(4), "separated")
