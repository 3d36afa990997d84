"""Velkin's ICC writer: matrix/TRC display profiles, version 4.4 or 2.4 (ICC.1:2022; ICC.1:2001-04).

The bytes depend on nothing but the space and the version: the creation date is fixed, so that two runs can be compared.
"""

from __future__ import annotations

import hashlib
import struct
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from velkin.core.spaces.adaptation import D50, xy_to_xyz
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.spaces.transfer import AnyTransfer, ByChannel, Sampled, Transfer

Floats = NDArray[np.float64]

_DATE = (2026, 1, 1, 0, 0, 0)
COPYRIGHT = "No copyright, use freely"


def s15f16(values: NDArray[np.floating]) -> bytes:
    """Signed 15.16 fixed-point numbers."""
    numbers = np.round(np.asarray(values, dtype=np.float64).ravel() * 65536.0).astype(">i4")
    return bytes(numbers.tobytes())


def xyz_tag(values: Floats) -> bytes:
    """An XYZ tag."""
    return b"XYZ \0\0\0\0" + s15f16(values)


def matrix_tag(values: Floats) -> bytes:
    """A tag of s15Fixed16 numbers."""
    return b"sf32\0\0\0\0" + s15f16(values)


def text_v4(text: str) -> bytes:
    """A text tag of version 4."""
    data = text.encode("utf-16-be")
    return b"mluc\0\0\0\0" + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(data), 28) + data


def description_v2(text: str) -> bytes:
    """A description tag of version 2."""
    data = text.encode("ascii", "replace") + b"\0"
    return b"desc\0\0\0\0" + struct.pack(">I", len(data)) + data + bytes(4 + 4 + 2 + 1 + 67)


def text_v2(text: str) -> bytes:
    """A text tag of version 2."""
    return b"text\0\0\0\0" + text.encode("ascii", "replace") + b"\0"


def sampled(values: NDArray[np.floating]) -> bytes:
    """A curve tag of samples 0..1 at even steps."""
    codes = np.round(np.clip(values, 0.0, 1.0) * 65535.0).astype(">u2")
    return b"curv\0\0\0\0" + struct.pack(">I", len(codes)) + bytes(codes.tobytes())


def curve_v4(transfer: AnyTransfer) -> bytes:
    """A curve tag of version 4, one channel's."""
    assert not isinstance(transfer, ByChannel)
    if isinstance(transfer, Sampled):
        return sampled(transfer.samples)
    if transfer.is_linear:
        return b"curv\0\0\0\0" + struct.pack(">I", 0)
    if transfer.d == 0.0:
        return b"para\0\0\0\0" + struct.pack(">HH", 0, 0) + s15f16(np.array([transfer.g]))
    parameters = np.array([transfer.g, transfer.a, transfer.b, transfer.c, transfer.d])
    return b"para\0\0\0\0" + struct.pack(">HH", 3, 0) + s15f16(parameters)


def _curve_v2(transfer: Transfer | Sampled) -> bytes:
    if isinstance(transfer, Sampled):
        return sampled(transfer.samples)
    if transfer.is_linear:
        return b"curv\0\0\0\0" + struct.pack(">I", 0)
    if transfer.d == 0.0:
        return b"curv\0\0\0\0" + struct.pack(">IH", 1, round(transfer.g * 256))
    return sampled(transfer.decode(np.linspace(0.0, 1.0, 4096)))


def _curves(transfer: AnyTransfer, version: int) -> list[bytes]:
    channels = (transfer.red, transfer.green, transfer.blue) if isinstance(transfer, ByChannel) else (transfer,) * 3
    return [curve_v4(c) if version == 4 else _curve_v2(c) for c in channels]


def gray_profile(name: str, transfer: Transfer | Sampled, version: Literal[2, 4] = 4) -> bytes:
    """The ICC profile of a gray space: one curve to the Y of the connection space.

    Examples
    --------
    >>> from velkin.core.spaces.transfer import Transfer
    >>> gray_profile("Gray", Transfer(2.2))[16:20]
    b'GRAY'
    """
    tags = [
        (b"desc", text_v4(name) if version == 4 else description_v2(name)),
        (b"cprt", text_v4(COPYRIGHT) if version == 4 else text_v2(COPYRIGHT)),
        (b"wtpt", xyz_tag(D50)),
        (b"kTRC", curve_v4(transfer) if version == 4 else _curve_v2(transfer)),
    ]
    return assemble(tags, version, model=b"GRAY")


def matrix_profile(space: RGBSpace, version: Literal[2, 4] = 4) -> bytes:
    """The ICC profile of an RGB space.

    Parameters
    ----------
    space : RGBSpace
    version : 2 or 4
        4 writes the curve's parameters; 2 writes a gamma number or a 4096-entry table.

    Returns
    -------
    bytes
        A complete display profile with profile ID.

    Examples
    --------
    >>> from velkin.core.spaces.rgb import SRGB
    >>> matrix_profile(SRGB)[36:40], matrix_profile(SRGB, 2)[8]
    (b'acsp', 2)
    """
    columns = space.to_xyz
    red, green, blue = _curves(space.transfer, version)
    tags: list[tuple[bytes, bytes]] = [
        (b"desc", text_v4(space.name) if version == 4 else description_v2(space.name)),
        (b"cprt", text_v4(COPYRIGHT) if version == 4 else text_v2(COPYRIGHT)),
        (b"wtpt", xyz_tag(D50 if version == 4 else xy_to_xyz(space.white))),
        (b"chad", matrix_tag(space.adaptation)),
        (b"rXYZ", xyz_tag(columns[:, 0])),
        (b"gXYZ", xyz_tag(columns[:, 1])),
        (b"bXYZ", xyz_tag(D50 - np.round(columns[:, :2] * 65536.0).sum(axis=1) / 65536.0)),
        (b"rTRC", red),
        (b"gTRC", green),
        (b"bTRC", blue),
    ]
    if version == 2:
        tags = [tag for tag in tags if tag[0] != b"chad"]
    return assemble(tags, version)


def assemble(
    tags: list[tuple[bytes, bytes]],
    version: int,
    *,
    kind: bytes = b"mntr",
    connection: bytes = b"XYZ ",
    model: bytes = b"RGB ",
    intent: int = 0,
) -> bytes:
    """A profile of its tags; `kind` is its class, `connection` its connection space, `model` its colour model, as signatures.

    `intent` is the rendering intent of its header: 0 perceptual, 1 media-relative colorimetric (ICC.1:2022 7.2.15).
    """
    table, body = b"", b""
    start = 128 + 4 + 12 * len(tags)
    placed: dict[bytes, int] = {}
    for signature, data in tags:
        if data not in placed:
            body += bytes(-len(body) % 4)
            placed[data] = start + len(body)
            body += data
        table += struct.pack(">4sII", signature, placed[data], len(data))
    body += bytes(-len(body) % 4)
    size = start + len(body)

    def header(profile_id: bytes, intent: int) -> bytes:
        packed = struct.pack(
            ">I4sI4s4s4s6H4s4sI4s4sQI12s4s16s28s",
            size,
            b"\0\0\0\0",
            0x04400000 if version == 4 else 0x02400000,
            kind,
            model,
            connection,
            *_DATE,
            b"acsp",
            b"\0\0\0\0",
            0,
            b"\0\0\0\0",
            b"\0\0\0\0",
            0,
            intent,
            s15f16(D50),
            b"\0\0\0\0",
            profile_id,
            bytes(28),
        )
        assert len(packed) == 128
        return packed

    rest = struct.pack(">I", len(tags)) + table + body
    # the profile ID is the MD5 of the profile with flags, intent and ID at zero (ICC.1:2022 7.2.18)
    profile_id = hashlib.md5(header(bytes(16), 0) + rest).digest() if version == 4 else bytes(16)
    return header(profile_id, intent) + rest
