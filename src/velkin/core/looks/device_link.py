"""Device links of RGB: what stands in their A2B0 is read and applied here, since LittleCMS's gateway takes profiles in pairs only.

Tables of lut8Type, lut16Type and lutAToBType (ICC.1:2022 10.10 to 10.12); tables are read tetrahedrally, curves linearly.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.tables import Table, read, table_of_values
from velkin.core.errors import BadProfile
from velkin.core.icc.read import parse

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]
Curve = Callable[[Pixels], Pixels]


@dataclass(frozen=True, eq=False)
class DeviceLink:
    """Curves, a table, and curves with a matrix between them; each may be missing.

    Attributes
    ----------
    before : tuple of curves
    table : Table or None
    middle : tuple of curves
    matrix : ndarray (3, 4) or None
    after : tuple of curves
    """

    before: tuple[Curve, ...] = ()
    table: Table | None = None
    middle: tuple[Curve, ...] = ()
    matrix: Floats | None = None
    after: tuple[Curve, ...] = ()

    def through(self, numbers: Pixels) -> Pixels:
        """Encoded RGB (N, 3) of the second device, for that of the first, cut to 0..1."""
        found = _each(self.before, np.clip(numbers, 0.0, 1.0))
        if self.table is not None:
            found = read(self.table, np.ascontiguousarray(found, dtype=np.float32))
        found = _each(self.middle, found)
        if self.matrix is not None:
            found = np.clip(found @ self.matrix[:, :3].T + self.matrix[:, 3], 0.0, 1.0)
        return np.ascontiguousarray(_each(self.after, found), dtype=np.float32)


def _each(curves: tuple[Curve, ...], numbers: Pixels) -> Pixels:
    return np.stack([c(numbers[:, k]) for k, c in enumerate(curves)], axis=1) if curves else numbers


def device_link(data: bytes) -> DeviceLink:
    """The link that a profile holds.

    Raises
    ------
    BadProfile
        When it is no device link from RGB to RGB, or its table is damaged or of a kind that is not read.
    """
    profile = parse(data)
    goal = data[20:24]
    if profile.kind != "link" or profile.model != "rgb" or goal != b"RGB ":
        words = goal.decode("latin-1").strip()
        raise BadProfile(f"a profile of the class {profile.kind} from {profile.model} to {words} is no device link of RGB")
    tag = profile.tags.get(b"A2B0", b"")
    kinds = {b"mft1": _lut, b"mft2": _lut, b"mAB ": _a_to_b}
    if tag[:4] not in kinds:
        raise BadProfile("the device link holds no table that is read: lut8Type, lut16Type or lutAToBType in A2B0")
    try:
        if (tag[8], tag[9]) != (3, 3):
            raise BadProfile(f"the device link's table has {tag[8]} channels in and {tag[9]} out")
        return kinds[tag[:4]](tag)
    except (struct.error, IndexError, ValueError) as error:
        raise BadProfile("the device link's table ends before all of it is there") from error


def _numbers(tag: bytes, at: int, count: int, wide: int) -> Floats:
    """Codes of 1 or 2 bytes as 0..1."""
    kind = ">u2" if wide == 2 else "u1"
    return np.frombuffer(tag, kind, count, at).astype(np.float64) / (65535.0 if wide == 2 else 255.0)


def _sampled(values: Floats) -> Curve:
    places = np.linspace(0.0, 1.0, len(values))
    return lambda x: np.interp(x, places, values).astype(np.float32)


def _table(tag: bytes, at: int, side: int, wide: int) -> Table:
    if not 2 <= side <= 129:
        raise BadProfile(f"the device link's table has {side} nodes a side")
    return table_of_values(_numbers(tag, at, side**3 * 3, wide).reshape(side, side, side, 3), 3, codes=False)


def _lut(tag: bytes) -> DeviceLink:
    """lut8Type and lut16Type; their matrix is for XYZ alone."""
    wide = 2 if tag[:4] == b"mft2" else 1
    entries, last, at = (*struct.unpack_from(">HH", tag, 48), 52) if wide == 2 else (256, 256, 48)
    if min(entries, last) < 2:
        raise BadProfile("the device link's curves have fewer than two entries")
    side, step = tag[10], entries * wide
    before = tuple(_sampled(_numbers(tag, at + k * step, entries, wide)) for k in range(3))
    at += 3 * step
    table = _table(tag, at, side, wide)
    at += side**3 * 3 * wide
    return DeviceLink(before, table, after=tuple(_sampled(_numbers(tag, at + k * last * wide, last, wide)) for k in range(3)))


def _a_to_b(tag: bytes) -> DeviceLink:
    b, matrix, m, clut, a = struct.unpack_from(">5I", tag, 12)
    table = None
    if clut:
        sides = tag[clut], tag[clut + 1], tag[clut + 2]
        if len(set(sides)) != 1:
            raise BadProfile("the device link's table has axes of different lengths, which is not read")
        table = _table(tag, clut + 20, sides[0], tag[clut + 16])
    rows = None
    if matrix:
        values = np.frombuffer(tag, ">i4", 12, matrix).astype(np.float64) / 65536.0
        rows = np.concatenate([values[:9].reshape(3, 3), values[9:, None]], axis=1)
    return DeviceLink(_curves(tag, a), table, _curves(tag, m), rows, _curves(tag, b))


def _curves(tag: bytes, at: int) -> tuple[Curve, ...]:
    """Three curves that follow each other on multiples of four bytes; none where there is no offset."""
    if not at:
        return ()
    found = []
    for _ in range(3):
        curve, size = _curve(tag, at)
        found.append(curve)
        at += size + -size % 4
    return tuple(found)


#: How many parameters each function of a parametricCurveType has.
_PARAMETERS = (1, 3, 4, 5, 7)


def _curve(tag: bytes, at: int) -> tuple[Curve, int]:
    """A curveType or parametricCurveType and its bytes (ICC.1:2022 10.6, 10.18)."""
    if tag[at : at + 4] == b"curv":
        count = struct.unpack_from(">I", tag, at + 8)[0]
        if count == 0:
            return (lambda x: x), 12
        if count == 1:
            gamma = struct.unpack_from(">H", tag, at + 12)[0] / 256.0
            return (lambda x: np.power(np.clip(x, 0.0, 1.0), gamma).astype(np.float32)), 14
        return _sampled(_numbers(tag, at + 12, count, 2)), 12 + 2 * count
    if tag[at : at + 4] != b"para":
        raise BadProfile("the device link holds a curve of a kind that is not read")
    function = struct.unpack_from(">H", tag, at + 8)[0]
    if function >= len(_PARAMETERS):
        raise BadProfile(f"the device link holds a parametric curve of the unknown function {function}")
    count = _PARAMETERS[function]
    p = [v / 65536.0 for v in struct.unpack_from(f">{count}i", tag, at + 12)]
    return _parametric(function, p), 12 + 4 * count


def _parametric(function: int, p: list[float]) -> Curve:
    g = p[0]
    a, b = (p[1], p[2]) if function else (1.0, 0.0)
    c = p[3] if function >= 2 else 0.0
    d = p[4] if function >= 3 else (-b / a if function and a else 0.0)
    e, f = (p[5], p[6]) if function == 4 else (c if function == 2 else 0.0, c if function == 2 else 0.0)
    slope = c if function >= 3 else 0.0

    def curve(x: Pixels) -> Pixels:
        high = np.power(np.maximum(a * x + b, 0.0), g) + (e if function in (2, 4) else 0.0)
        low = slope * x + (f if function in (2, 4) else 0.0)
        return np.clip(np.where(x >= d, high, low), 0.0, 1.0).astype(np.float32)

    return curve
