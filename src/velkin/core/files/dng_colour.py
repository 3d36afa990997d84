"""What a DNG file says of its camera's colours (DNG 1.6, "Camera Profiles" and "Mapping Camera Color Space to CIE XYZ Space").

Up to three lights, each with its colour matrix and, where there are any, its forward matrix and the calibration of this very body; what the
sensor's channels were amplified by before they were digitised; the exposure that goes with all of it.
"""

from __future__ import annotations

import contextlib
import struct
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

#: Exif LightSource code for a light that is described by its own data.
OTHER = 255
_LIGHTS = ("1", "2", "3")
#: What a file may bring that is not applied here, by the ends of exiv2's keys.
_NOT_APPLIED = {
    "ProfileGainTableMap": "a gain table map",
    "ProfileGainTableMap2": "a gain table map",
    "ProfileHueSatMapData1": "the hue and saturation map of its embedded profile",
    "ProfileLookTableData": "the look table of its embedded profile",
    "ProfileToneCurve": "the tone curve of its embedded profile",
    "RGBTables": "local colour tables",
    "OpcodeList2": "corrections to be made to the mosaic",
    "OpcodeList3": "corrections to be made to the finished picture",
}


@dataclass(frozen=True, eq=False)
class DNGColour:
    """The colour tags of a DNG file, or LibRaw's matrix for the camera.

    Attributes
    ----------
    matrices : tuple of ndarray (3, 3)
        ColorMatrix1 to 3: XYZ (of the illuminant) → the reference camera's RGB.
    illuminants : tuple of int
        Exif LightSource code of each matrix.
    forward : tuple of ndarray (3, 3)
        ForwardMatrix1 to 3: balanced camera RGB → XYZ D50, one for each matrix, where the file has them.
    calibrations : tuple of ndarray (3, 3)
        CameraCalibration1 to 3: the reference camera's RGB → this body's; empty, or one for each matrix.
    analog : 3 floats
        AnalogBalance: by what the channels were amplified before they were digitised.
    camera_signature, profile_signature : str
        The calibrations hold only for profiles whose signature is the camera's; that of the embedded profile.
    whites : tuple of (x, y) or None
        Chromaticity of each light that is described by its own data (IlluminantData1 to 3).
    baseline : float
        EV: BaselineExposure of the file and BaselineExposureOffset of its embedded profile.
    not_applied : tuple of str
        What else the file brings, in words.
    """

    matrices: tuple[Floats, ...]
    illuminants: tuple[int, ...]
    forward: tuple[Floats, ...] = ()
    calibrations: tuple[Floats, ...] = ()
    analog: tuple[float, float, float] = (1.0, 1.0, 1.0)
    camera_signature: str = ""
    profile_signature: str = ""
    whites: tuple[tuple[float, float] | None, ...] = ()
    baseline: float = 0.0
    not_applied: tuple[str, ...] = ()


def read_dng_colour(values: Mapping[str, str]) -> DNGColour | None:
    """The colour tags among a file's metadata, by exiv2's keys; None where it names no usable colour matrix."""
    matrices, illuminants, forward, calibrations, whites = [], [], [], [], []
    for light in _LIGHTS:
        colour = _matrix(values, f"ColorMatrix{light}")
        if colour is None or abs(np.linalg.det(colour)) <= 1e-6:
            continue
        matrices.append(colour)
        code = values.get(f"Exif.Image.CalibrationIlluminant{light}", "").strip()
        illuminants.append(int(code) if code.isdigit() else 0)
        whites.append(illuminant_white(_bytes(values.get(f"Exif.Image.IlluminantData{light}", ""))))
        ahead = _matrix(values, f"ForwardMatrix{light}")
        if ahead is not None and ahead.sum(axis=1).min() > 0 and abs(np.linalg.det(ahead)) > 1e-6:
            forward.append(ahead)
        body = _matrix(values, f"CameraCalibration{light}")
        calibrations.append(np.eye(3) if body is None or abs(np.linalg.det(body)) <= 1e-6 else body)
    if not matrices:
        return None
    analog = _numbers(values, "AnalogBalance")
    amplified = analog is not None and len(analog) == 3 and analog.min() > 0
    baseline = sum(
        float(v[0]) for n in ("BaselineExposure", "BaselineExposureOffset") if (v := _numbers(values, n)) is not None
    )
    return DNGColour(
        tuple(matrices),
        tuple(illuminants),
        tuple(forward) if len(forward) == len(matrices) else (),
        tuple(calibrations) if any(not np.array_equal(c, np.eye(3)) for c in calibrations) else (),
        (float(analog[0]), float(analog[1]), float(analog[2])) if amplified and analog is not None else (1.0, 1.0, 1.0),
        _text(values, "CameraCalibrationSignature"),
        _text(values, "ProfileCalibrationSignature"),
        tuple(whites) if any(w is not None for w in whites) else (),
        baseline if abs(baseline) <= 20 else 0.0,
        tuple(dict.fromkeys(_NOT_APPLIED[end] for key in values if (end := key.split(".")[-1]) in _NOT_APPLIED)),
    )


def illuminant_white(data: bytes) -> tuple[float, float] | None:
    """Chromaticity of the light that an IlluminantData tag describes; None for what is none.

    It holds x and y, or a spectrum in even steps, of which the chromaticity is reckoned; numbers stand in either byte order.
    """
    for order in ("<", ">"):
        with contextlib.suppress(struct.error, ValueError, ZeroDivisionError):
            kind = struct.unpack_from(order + "H", data)[0]
            if kind == 0 and len(data) >= 18:
                a, b, c, d = struct.unpack_from(order + "4I", data, 2)
                white = (a / b, c / d)
            elif kind == 1:
                white = _of_spectrum(data, order)
            else:
                continue
            if 0.05 < white[0] < 0.8 and 0.05 < white[1] < 0.8 and sum(white) < 1.0:
                return white
    return None


def _of_spectrum(data: bytes, order: str) -> tuple[float, float]:
    from velkin.core.spaces.adaptation import xyz_to_xy
    from velkin.core.spectra import WAVELENGTHS, observer

    count, low, under_low, step, under_step = struct.unpack_from(order + "5I", data, 2)
    if not 2 <= count <= 1000:
        raise ValueError("no spectrum")
    pairs = np.array(struct.unpack_from(f"{order}{2 * count}I", data, 22), dtype=np.float64).reshape(-1, 2)
    if np.any(pairs[:, 1] == 0):
        raise ValueError("no spectrum")
    at = low / under_low + step / under_step * np.arange(count)
    power = np.interp(WAVELENGTHS, at, pairs[:, 0] / pairs[:, 1])
    x, y = xyz_to_xy(power @ observer())
    return float(x), float(y)


def _numbers(values: Mapping[str, str], name: str) -> Floats | None:
    try:
        cells = np.array([rational(v) for v in values.get(f"Exif.Image.{name}", "").split()])
    except (ValueError, ZeroDivisionError):
        return None
    return cells if len(cells) and np.all(np.isfinite(cells)) else None


def rational(text: str) -> float:
    """A number as exiv2 writes it, whole or as a fraction. Raises ValueError, ZeroDivisionError."""
    head, _, tail = text.partition("/")
    return float(head) / float(tail) if tail else float(head)


def _matrix(values: Mapping[str, str], name: str) -> Floats | None:
    cells = _numbers(values, name)
    return cells.reshape(3, 3) if cells is not None and cells.shape == (9,) else None


def _text(values: Mapping[str, str], name: str) -> str:
    """A text tag, which may be written as text or as its bytes."""
    said = values.get(f"Exif.Image.{name}", "")
    data = _bytes(said)
    return (data.split(b"\0")[0].decode("utf-8", "replace") if data else said).strip()


def _bytes(text: str) -> bytes:
    """The bytes that exiv2 spells as numbers; empty where it is not that."""
    words = text.split()
    if not words or not all(w.isascii() and w.isdigit() and int(w) < 256 for w in words):
        return b""
    return bytes(int(w) for w in words)
