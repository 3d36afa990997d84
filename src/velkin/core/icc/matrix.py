"""RGB profiles of three curves and a matrix (ICC.1:2022 8.3.3, 8.4.3), read as spaces that Velkin computes itself.

A profile that has tables too is not read here: readers prefer its tables, and so does Velkin (`transform.py`).
"""

from __future__ import annotations

import hashlib
import struct

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import BadProfile
from velkin.core.icc.read import ICCProfile
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.spaces.transfer import AnyTransfer, ByChannel, Sampled, Transfer

Floats = NDArray[np.float64]

_TABLES = (b"A2B0", b"A2B1", b"A2B2", b"B2A0", b"B2A1", b"B2A2", b"D2B0", b"D2B1", b"D2B2", b"D2B3")
#: Samples that stand for parametric curves without a closed form here.
_STEPS = 65536


def matrix_space(profile: ICCProfile, name: str, family: str) -> RGBSpace | None:
    """The space of an RGB profile of matrix and curves; None for other profiles, or curves that do not start at black.

    Raises
    ------
    BadProfile
        When its matrix or a curve is damaged.
    """
    tags = profile.tags
    needed = (b"rXYZ", b"gXYZ", b"bXYZ", b"rTRC", b"gTRC", b"bTRC")
    if profile.model != "rgb" or any(t in tags for t in _TABLES) or any(t not in tags for t in needed):
        return None
    columns = np.stack([_xyz(tags[t]) for t in needed[:3]], axis=1)
    if not np.all(np.isfinite(columns)) or abs(np.linalg.det(columns)) < 1e-6:
        raise BadProfile("the ICC profile's matrix leads nowhere")
    curves = [curve(tags[t]) for t in needed[3:]]
    if any(abs(float(c.decode(np.zeros(1))[0])) > 1e-5 for c in curves):
        return None
    transfer: AnyTransfer = curves[0] if curves[0] == curves[1] == curves[2] else ByChannel(*curves)
    native: Floats = columns
    white: Floats = D50
    if b"chad" in tags and len(tags[b"chad"]) >= 44:
        chad = _fixed(tags[b"chad"], 8, 9).reshape(3, 3)
        if abs(np.linalg.det(chad)) > 1e-3:
            native, white = np.asarray(np.linalg.solve(chad, columns)), np.asarray(np.linalg.solve(chad, D50))
    primaries = tuple(_chromaticity(native[:, c]) for c in range(3))
    rows = tuple((float(r[0]), float(r[1]), float(r[2])) for r in columns)
    identifier = "icc-" + hashlib.sha256(profile.data).hexdigest()[:16]
    try:
        return RGBSpace(
            identifier,
            name,
            "",
            (primaries[0], primaries[1], primaries[2]),
            _chromaticity(white),
            transfer,
            given=rows,
            family=family,
            icc=profile.data,
        )
    except np.linalg.LinAlgError as error:
        raise BadProfile("the ICC profile's matrix leads nowhere") from error


def curve(tag: bytes) -> Transfer | Sampled:
    """A curve of type ``curv`` or ``para``.

    Raises
    ------
    BadProfile
        When it is of another type, cut short, or rises nowhere.
    """
    try:
        if tag[:4] == b"curv":
            count = struct.unpack_from(">I", tag, 8)[0]
            if count == 0:
                return Transfer(1.0)
            if count == 1:
                return _gamma(struct.unpack_from(">H", tag, 12)[0] / 256.0)
            samples = np.frombuffer(tag, ">u2", count, 12).astype(np.float64) / 65535.0
            if samples.max() <= samples.min():
                raise BadProfile("a curve of the ICC profile is flat")
            return Sampled(samples)
        if tag[:4] == b"para":
            return _parametric(tag)
    except (struct.error, ValueError) as error:
        raise BadProfile("a curve of the ICC profile is cut short") from error
    raise BadProfile("a curve of the ICC profile is of no known type")


def _gamma(g: float) -> Transfer:
    if not 0.05 <= g <= 50:
        raise BadProfile(f"a curve of the ICC profile has the exponent {g:g}")
    return Transfer(g)


def _parametric(tag: bytes) -> Transfer | Sampled:
    """ICC.1:2022 10.18, table 68."""
    kind = struct.unpack_from(">H", tag, 8)[0]
    if kind > 4:
        raise BadProfile("a curve of the ICC profile is of no known type")
    g, a, b, c, d, e, f = (*_fixed(tag, 12, (1, 3, 4, 5, 7)[kind]), *([0.0] * 7))[:7]
    if kind == 0:
        return _gamma(g)
    if kind == 3 and a > 0 and c > 0:
        return Transfer(g, a, b, c, d)
    x = np.linspace(0.0, 1.0, _STEPS)
    if kind in (1, 2):
        if a == 0:
            raise BadProfile("a curve of the ICC profile is flat")
        above = x >= -b / a
        y = np.where(above, np.power(np.maximum(a * x + b, 0.0), g), 0.0) + (c if kind == 2 else 0.0)
    elif kind == 3:
        y = np.where(x >= d, np.power(np.maximum(a * x + b, 0.0), g), c * x)
    else:
        y = np.where(x >= d, np.power(np.maximum(a * x + b, 0.0), g) + e, c * x + f)
    if not np.all(np.isfinite(y)) or y.max() <= y.min():
        raise BadProfile("a curve of the ICC profile is flat")
    return Sampled(np.clip(y, 0.0, 1.0))


def _fixed(data: bytes, offset: int, count: int) -> Floats:
    return np.frombuffer(data, ">i4", count, offset).astype(np.float64) / 65536.0


def _xyz(tag: bytes) -> Floats:
    try:
        return _fixed(tag, 8, 3)
    except ValueError as error:
        raise BadProfile("the ICC profile's matrix is cut short") from error


def _chromaticity(xyz: Floats) -> tuple[float, float]:
    total = float(xyz.sum())
    return (float(xyz[0] / total), float(xyz[1] / total)) if abs(total) > 1e-9 else (0.0, 0.0)
