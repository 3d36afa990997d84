"""Writing the stand-in camera's raw files: DNG 1.4, uncompressed 14-bit Bayer mosaic, with tifffile; Exif through exiv2."""

from __future__ import annotations

import struct
from dataclasses import dataclass, field
from datetime import datetime
from fractions import Fraction
from pathlib import Path
from typing import Any

import exiv2
import numpy as np
import tifffile
from numpy.typing import NDArray

from velkin.core.spaces.rgb import SRGB
from velkin.core.spectra import daylight, xyz_of_light
from velkin.sim.camera import Camera

Floats = NDArray[np.float64]

_BYTE, _ASCII, _SHORT, _LONG, _RATIONAL, _UNDEFINED, _SRATIONAL = 1, 2, 3, 4, 5, 7, 10


@dataclass(frozen=True)
class Shot:
    """How a frame was taken.

    Attributes
    ----------
    time : datetime
    shutter : Fraction
        Seconds.
    aperture : float
    iso : int
    as_shot_neutral : ndarray (3,)
        Camera RGB of what the camera took for neutral, green 1.
    orientation : int
        Exif orientation, 1 to 8.
    """

    time: datetime
    shutter: Fraction
    aperture: float
    iso: int
    as_shot_neutral: Floats
    orientation: int = 1


@dataclass(frozen=True)
class Body:
    """What a raw file says of the body that made it, beyond the colour matrices of its model.

    Attributes
    ----------
    analog : ndarray (3,)
        By what the channels were amplified before they were digitised; it is in the numbers.
    calibrations : tuple of ndarray (3, 3)
        The model's RGB → this body's, for each light; it is in the numbers.
    signature, profile_signature : str
        Of the calibrations, and of the profile in the file.
    baseline : float
        EV.
    third : tuple of (ndarray (3, 3), (x, y)), optional
        A third colour matrix, and the chromaticity of its light.
    extras : tuple of TIFF tags
        Whatever else is to stand in the file, as tifffile takes it.
    """

    analog: Floats = field(default_factory=lambda: np.ones(3))
    calibrations: tuple[Floats, ...] = ()
    signature: str = ""
    profile_signature: str = ""
    baseline: float = 0.0
    third: tuple[Floats, tuple[float, float]] | None = None
    extras: tuple[tuple[Any, ...], ...] = ()


PLAIN = Body()


def _rationals(values: Floats, denominator: int = 10000) -> tuple[int, ...]:
    return tuple(int(x) for v in np.asarray(values).ravel() for x in (round(float(v) * denominator), denominator))


def _of_body(body: Body) -> list[tuple[Any, ...]]:
    tags: list[tuple[Any, ...]] = list(body.extras)
    if not np.all(body.analog == 1):
        tags.append((50727, _RATIONAL, 3, _rationals(body.analog, 1000000), True))  # AnalogBalance
    for tag, calibration in zip((50723, 50724, 52530), body.calibrations, strict=False):  # CameraCalibration1 to 3
        tags.append((tag, _SRATIONAL, 9, _rationals(calibration, 1000000), True))
    for tag, signature in ((50931, body.signature), (50932, body.profile_signature)):
        if signature:
            data = signature.encode() + b"\0"
            tags.append((tag, _BYTE, len(data), data, True))
    if body.third is not None:
        matrix, (x, y) = body.third
        light = struct.pack("<H4I", 0, round(x * 1e6), 1000000, round(y * 1e6), 1000000)
        tags.append((52531, _SRATIONAL, 9, _rationals(matrix, 1000000), True))  # ColorMatrix3
        tags.append((52529, _SHORT, 1, 255, True))  # CalibrationIlluminant3: as its data say
        tags.append((52535, _UNDEFINED, len(light), light, True))  # IlluminantData3
    return tags


def preview_of(mosaic: NDArray[np.uint16], camera: Camera, shot: Shot) -> NDArray[np.uint8]:
    """The camera's own quick picture of a mosaic, half its size, (H / 2, W / 2, 3), sRGB: one factory matrix for all lights."""
    sites = mosaic.astype(np.float32)
    rgb = np.stack([sites[0::2, 0::2], (sites[0::2, 1::2] + sites[1::2, 0::2]) / 2, sites[1::2, 1::2]], axis=2)
    light = daylight(6504.0)
    to_camera = camera.built_in_matrix(light)
    white = to_camera @ xyz_of_light(light)
    to_srgb = SRGB.from_xyz @ SRGB.adaptation @ np.linalg.inv(to_camera) @ np.diag(white / shot.as_shot_neutral)
    linear = np.clip((rgb - camera.sensor.black) / (camera.sensor.white - camera.sensor.black), 0, 1) @ to_srgb.T.astype(
        np.float32
    )
    return np.round(255 * SRGB.encode(np.clip(linear, 0, 1))).astype(np.uint8)


def write_dng(
    path: Path, mosaic: NDArray[np.uint16], camera: Camera, shot: Shot, body: Body = PLAIN, *, preview: bool = False
) -> None:
    """Write one raw file.

    Parameters
    ----------
    path : Path
        Replaced when it exists.
    mosaic : ndarray (H, W), uint16
        RGGB raw numbers.
    preview : bool
        Whether the camera puts its own quick picture beside them.
    """
    warm, cool = camera.built_in_matrices()
    tags = [
        (50706, _BYTE, 4, b"\1\4\0\0", True),  # DNGVersion
        (50707, _BYTE, 4, b"\1\1\0\0", True),  # DNGBackwardVersion
        (50708, _ASCII, 0, camera.model, True),  # UniqueCameraModel
        (271, _ASCII, 0, camera.make, True),
        (272, _ASCII, 0, camera.model, True),
        (274, _SHORT, 1, shot.orientation, True),
        (33421, _SHORT, 2, (2, 2), True),  # CFARepeatPatternDim
        (33422, _BYTE, 4, b"\0\1\1\2", True),  # CFAPattern RGGB
        (50710, _BYTE, 3, b"\0\1\2", True),  # CFAPlaneColor
        (50711, _SHORT, 1, 1, True),  # CFALayout
        (50713, _SHORT, 2, (1, 1), True),  # BlackLevelRepeatDim
        (50714, _LONG, 1, camera.sensor.black, True),  # BlackLevel
        (50717, _LONG, 1, camera.sensor.white, True),  # WhiteLevel
        (50721, _SRATIONAL, 9, _rationals(warm), True),  # ColorMatrix1
        (50722, _SRATIONAL, 9, _rationals(cool), True),  # ColorMatrix2
        (50778, _SHORT, 1, 17, True),  # CalibrationIlluminant1: standard light A
        (50779, _SHORT, 1, 21, True),  # CalibrationIlluminant2: D65
        (50728, _RATIONAL, 3, _rationals(shot.as_shot_neutral, 1000000), True),  # AsShotNeutral
        (50730, _SRATIONAL, 1, (round(100 * body.baseline), 100), True),  # BaselineExposure
        *_of_body(body),
    ]
    with tifffile.TiffWriter(path) as tif:
        tif.write(
            mosaic,
            photometric=32803,
            metadata=None,
            description="Simulated by Velkin; not a photograph",
            software="Velkin stand-in camera",
            datetime=shot.time,
            extratags=tags,
            rowsperstrip=mosaic.shape[0],
            subifds=1 if preview else None,
        )
        if preview:
            small = preview_of(mosaic, camera, shot)
            tif.write(
                small,
                photometric="rgb",
                compression="jpeg",
                compressionargs={"level": 88},
                subfiletype=1,
                rowsperstrip=small.shape[0],
                metadata=None,
            )
    stamp = shot.time.strftime("%Y:%m:%d %H:%M:%S")
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    exif = image.exifData()
    exif["Exif.Photo.DateTimeOriginal"] = stamp
    exif["Exif.Photo.ExposureTime"] = f"{shot.shutter.numerator}/{shot.shutter.denominator}"
    exif["Exif.Photo.FNumber"] = f"{round(shot.aperture * 10)}/10"
    exif["Exif.Photo.ISOSpeedRatings"] = str(shot.iso)
    exif["Exif.Photo.LensModel"] = camera.lens
    exif["Exif.Photo.FocalLength"] = "60/1"
    image.setExifData(exif)
    image.writeMetadata()
