"""The file of a DNG camera profile: a TIFF directory of its own (DNG 1.4, "Camera Profiles": magic number CR).

Reading believes nothing: counts, types, sizes and offsets are checked before anything is made from them.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.huesat import LARGEST, HueSatMap
from velkin.core.cameraprofiles.matrices import ColourMatrices, kelvin_of
from velkin.core.cameraprofiles.tone import ToneCurve
from velkin.core.errors import BadProfile, UnreadableFile
from velkin.core.files.dng_colour import OTHER, illuminant_white
from velkin.core.spaces.temperature import cct_duv

Floats = NDArray[np.float64]

_MAGIC = 0x4352
_LARGEST_FILE = 64 * 1024 * 1024

_UNIQUE, _SIGNATURE = 50708, 50932
# of each of up to three lights; the third came with DNG 1.6
_MATRICES, _ILLUMINANTS, _FORWARDS = (50721, 50722, 52531), (50778, 50779, 52529), (50964, 50965, 52532)
_DATA, _LIGHTS = (50938, 50939, 52537), (52533, 52534, 52535)
_NAME, _DIMS, _TONE, _POLICY, _COPYRIGHT = 50936, 50937, 50940, 50941, 50942
_LOOK_DIMS, _LOOK_DATA = 50981, 50982
_ENCODING, _LOOK_ENCODING, _EXPOSURE, _BLACK = 51107, 51108, 51109, 51110

# TIFF field types: size and struct letter
_TYPES = {1: (1, "B"), 2: (1, "c"), 3: (2, "H"), 4: (4, "I"), 5: (8, "II"), 6: (1, "b"), 8: (2, "h"), 9: (4, "i")}
_TYPES |= {7: (1, "B"), 10: (8, "ii"), 11: (4, "f"), 12: (8, "d")}


# ---- reading ------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Directory:
    """The fields of the file's only directory: type, count, raw bytes."""

    order: str
    fields: dict[int, tuple[int, int, bytes]]

    def numbers(self, tag: int, count: int | None = None) -> Floats | None:
        """A field's numbers, rationals divided out; None when it is not there. Raises BadProfile."""
        if tag not in self.fields:
            return None
        kind, length, data = self.fields[tag]
        if count is not None and length != count:
            raise BadProfile(f"the profile's field {tag} has {length} numbers in place of {count}")
        if kind in (5, 10):
            pairs = np.frombuffer(data, self.order + ("u4" if kind == 5 else "i4")).reshape(-1, 2).astype(np.float64)
            if np.any(pairs[:, 1] == 0):
                raise BadProfile(f"the profile's field {tag} divides by nothing")
            values = pairs[:, 0] / pairs[:, 1]
        elif kind == 2:
            raise BadProfile(f"the profile's field {tag} is text where numbers belong")
        else:
            letter = {1: "u1", 7: "u1", 3: "u2", 4: "u4", 6: "i1", 8: "i2", 9: "i4", 11: "f4", 12: "f8"}[kind]
            with np.errstate(invalid="ignore"):  # what is no number is refused below
                values = np.frombuffer(data, self.order + letter).astype(np.float64)
        if not np.all(np.isfinite(values)):
            raise BadProfile(f"the profile's field {tag} holds what is not a number")
        return np.asarray(values)

    def number(self, tag: int, default: float) -> float:
        """A field's single number."""
        found = self.numbers(tag, 1)
        return default if found is None else float(found[0])

    def text(self, tag: int) -> str:
        """A field's text, UTF-8."""
        if tag not in self.fields or self.fields[tag][0] not in (1, 2):
            return ""
        return self.fields[tag][2].split(b"\0")[0].decode("utf-8", "replace").strip()


def _directory(data: bytes) -> _Directory:
    if len(data) < 14 or data[:2] not in (b"II", b"MM"):
        raise BadProfile("this is not a DNG camera profile")
    order = "<" if data[:2] == b"II" else ">"
    magic, offset = struct.unpack_from(order + "HI", data, 2)
    if magic != _MAGIC:
        raise BadProfile("this is not a DNG camera profile")
    if offset + 2 > len(data):
        raise BadProfile("the profile is cut short before its directory")
    count = struct.unpack_from(order + "H", data, offset)[0]
    if offset + 2 + 12 * count > len(data):
        raise BadProfile(f"the profile is cut short: a directory of {count} fields does not fit into it")
    fields = {}
    for i in range(count):
        at = offset + 2 + 12 * i
        tag, kind, length = struct.unpack_from(order + "HHI", data, at)
        if kind not in _TYPES:
            continue
        size = _TYPES[kind][0] * length
        start = at + 8 if size <= 4 else struct.unpack_from(order + "I", data, at + 8)[0]
        if start + size > len(data):
            raise BadProfile(f"the profile is cut short: its field {tag} points past the end")
        fields[tag] = (kind, length, data[start : start + size])
    return _Directory(order, fields)


def _matrix(fields: _Directory, tag: int) -> tuple[float, ...] | None:
    if tag in fields.fields and fields.fields[tag][1] == 12:
        raise BadProfile("the profile is for a sensor of four colours, which Velkin does not read")
    values = fields.numbers(tag, 9)
    if values is None:
        return None
    if abs(np.linalg.det(values.reshape(3, 3))) < 1e-6 or np.abs(values).max() > 100.0:
        raise BadProfile("one of the profile's matrices cannot be meant: it has no inverse or enormous numbers")
    return tuple(float(v) for v in values)


def _table(fields: _Directory, dims_tag: int, data_tag: int, encoding_tag: int) -> HueSatMap | None:
    dims, values = fields.numbers(dims_tag), fields.numbers(data_tag)
    if values is None:
        return None
    if dims is None or len(dims) not in (2, 3):
        raise BadProfile("the profile has a hue and saturation table without its size")
    hues, saturations, levels = (int(d) for d in (*dims, 1)[:3])
    if min(hues, levels) < 1 or saturations < 2 or hues * saturations * levels > LARGEST:
        raise BadProfile(f"a hue and saturation table of {hues}×{saturations}×{levels} cannot be used")
    if len(values) != 3 * hues * saturations * levels:
        raise BadProfile(f"the profile's table of {hues}×{saturations}×{levels} holds {len(values)} numbers")
    code = int(fields.number(encoding_tag, 0))
    if code not in (0, 1):
        raise BadProfile(f"the profile's table is encoded in a way that is not known ({code})")
    encoding: Literal["linear", "srgb"] = "srgb" if code else "linear"
    return HueSatMap(values.reshape(levels, hues, saturations, 3).astype(np.float32), encoding)


def dng_from_bytes(data: bytes) -> DNGProfile:
    """The profile in a file's bytes.

    Raises
    ------
    BadProfile
        When it is none, cut short, or its numbers cannot be a profile.
    """
    fields = _directory(data)
    lights = [_light(fields, number) for number in range(3)]
    if lights[0] is None:
        raise BadProfile("the profile has no colour matrix")
    used: list[_Light] = []
    for light in lights:  # two of the same temperature tell nothing of the lights between them
        if light is not None and all(light.kelvin != other.kelvin for other in used):
            used.append(light)
    forward = [light.forward for light in used if light.forward is not None]
    tables = [light.table for light in used if light.table is not None]
    tone = fields.numbers(_TONE)
    curve = None
    if tone is not None:
        if len(tone) % 2 or len(tone) < 4:
            raise BadProfile("the profile's tone curve is not made of pairs")
        curve = ToneCurve(tuple((float(x), float(y)) for x, y in tone.reshape(-1, 2)))
    exposure = fields.number(_EXPOSURE, 0.0)
    if abs(exposure) > 20:
        raise BadProfile(f"the profile shifts exposure by {exposure:g} EV, which cannot be meant")
    return DNGProfile(
        name=fields.text(_NAME) or "unnamed profile",
        camera=fields.text(_UNIQUE),
        illuminants=tuple(light.code for light in used),
        matrices=ColourMatrices(
            tuple(light.matrix for light in used),
            tuple(light.kelvin for light in used),
            tuple(forward) if len(forward) == len(used) else (),
            whites=tuple(light.white for light in used) if any(light.white for light in used) else (),
        ),
        tables=tuple(tables) if len(tables) == len(used) else tuple(tables[:1]),
        look=_table(fields, _LOOK_DIMS, _LOOK_DATA, _LOOK_ENCODING),
        tone=curve,
        exposure=exposure,
        black=fields.number(_BLACK, 0) == 0,
        copyright=fields.text(_COPYRIGHT),
        policy=int(fields.number(_POLICY, 0)),
        signature=fields.text(_SIGNATURE),
    )


@dataclass(frozen=True)
class _Light:
    """One of the lights that a profile knows."""

    matrix: tuple[float, ...]
    forward: tuple[float, ...] | None
    code: int
    white: tuple[float, float] | None
    kelvin: float
    table: HueSatMap | None


def _light(fields: _Directory, number: int) -> _Light | None:
    matrix = _matrix(fields, _MATRICES[number])
    if matrix is None:
        return None
    alone = all(tag not in fields.fields for tag in _MATRICES[1:])
    code = int(fields.number(_ILLUMINANTS[number], 21 if number or alone else 17))
    white = illuminant_white(fields.fields[_LIGHTS[number]][2]) if code == OTHER and _LIGHTS[number] in fields.fields else None
    kelvin = kelvin_of(code) if white is None else cct_duv(np.array(white))[0]
    table = _table(fields, _DIMS, _DATA[number], _ENCODING)
    return _Light(matrix, _forward(fields, _FORWARDS[number]), code, white, kelvin, table)


def _forward(fields: _Directory, tag: int) -> tuple[float, ...] | None:
    values = _matrix(fields, tag)
    if values is not None and np.array(values).reshape(3, 3).sum(axis=1).min() <= 0:
        raise BadProfile("one of the profile's forward matrices gives no white")
    return values


def load_dng(path: Path) -> DNGProfile:
    """The DNG camera profile in a file. Raises UnreadableFile, BadProfile."""
    try:
        if path.stat().st_size > _LARGEST_FILE:
            raise BadProfile("the file is far larger than a camera profile", path)
        return dng_from_bytes(path.read_bytes())
    except OSError as error:
        raise UnreadableFile(f"the profile cannot be read ({error.strerror})", path) from error
    except BadProfile as error:
        raise BadProfile(error.message, path) from error


# ---- writing ------------------------------------------------------------------------------------------------------


def dng_to_bytes(profile: DNGProfile) -> bytes:
    """The file of a profile, little-endian."""
    fields: list[tuple[int, int, int, bytes]] = []

    def add(tag: int, kind: int, values: Any) -> None:
        if kind == 2:
            data = str(values).encode() + b"\0"
            fields.append((tag, kind, len(data), data))
            return
        array = np.asarray(values, dtype=np.float64).ravel()
        if kind == 10:
            pairs = np.stack([np.round(array * 1e6), np.full_like(array, 1e6)], axis=1)
            fields.append((tag, kind, len(array), pairs.astype("<i4").tobytes()))
        else:
            letter = {1: "u1", 7: "u1", 3: "<u2", 4: "<u4", 11: "<f4"}[kind]
            fields.append((tag, kind, len(array), array.astype(letter).tobytes()))

    if profile.camera:
        add(_UNIQUE, 2, profile.camera)
    for tag, matrix in zip(_MATRICES, profile.matrices.matrices, strict=False):
        add(tag, 10, matrix)
    for tag, code in zip(_ILLUMINANTS, profile.illuminants, strict=False):
        add(tag, 3, code)
    for tag, white in zip(_LIGHTS, profile.matrices.whites, strict=False):
        if white is not None:
            x, y = (round(v * 1e6) for v in white)
            add(tag, 7, list(struct.pack("<H4I", 0, x, 1_000_000, y, 1_000_000)))
    if profile.signature:
        add(_SIGNATURE, 2, profile.signature)
    add(_NAME, 2, profile.name)
    if profile.tables:
        levels, hues, saturations = profile.tables[0].data.shape[:3]
        add(_DIMS, 4, (hues, saturations, levels))
        for tag, table in zip(_DATA, profile.tables, strict=False):
            add(tag, 11, table.data)
        if profile.tables[0].encoding == "srgb":
            add(_ENCODING, 4, 1)
    if profile.tone is not None:
        add(_TONE, 11, profile.tone.points)
    add(_POLICY, 4, profile.policy)
    if profile.copyright:
        add(_COPYRIGHT, 2, profile.copyright)
    for tag, matrix in zip(_FORWARDS, profile.matrices.forward, strict=False):
        add(tag, 10, matrix)
    if profile.look is not None:
        levels, hues, saturations = profile.look.data.shape[:3]
        add(_LOOK_DIMS, 4, (hues, saturations, levels))
        add(_LOOK_DATA, 11, profile.look.data)
        if profile.look.encoding == "srgb":
            add(_LOOK_ENCODING, 4, 1)
    if profile.exposure:
        add(_EXPOSURE, 10, profile.exposure)
    if not profile.black:
        add(_BLACK, 4, 1)
    return _assembled(sorted(fields))


def _assembled(fields: list[tuple[int, int, int, bytes]]) -> bytes:
    directory = struct.pack("<H", len(fields))
    body = b""
    start = 8 + 2 + 12 * len(fields) + 4
    for tag, kind, count, data in fields:
        if len(data) <= 4:
            value = data.ljust(4, b"\0")
        else:
            body += b"\0" * (len(body) % 2)
            value = struct.pack("<I", start + len(body))
            body += data
        directory += struct.pack("<HHI", tag, kind, count) + value
    return b"II" + struct.pack("<HI", _MAGIC, 8) + directory + bytes(4) + body
