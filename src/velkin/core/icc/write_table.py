"""Tables to Lab as profiles hold them: lutAToBType (``mAB``) of version 4, lut16Type (``mft2``) of version 2."""

from __future__ import annotations

import struct

import numpy as np
from numpy.typing import NDArray

from velkin.core.icc.write import s15f16, sampled

Floats = NDArray[np.float64]

#: Nodes along each axis, and entries of curves.
GRID, ENTRIES = 53, 4096


def table_v4(lab: Floats, curves: list[Floats]) -> bytes:
    """lutAToBType: A curves, table, identity M curves and matrix left out, B curves (ICC.1:2022 10.12)."""
    identity = b"curv\0\0\0\0" + struct.pack(">I", 0)
    b_curves = identity * 3
    a_curves = b"".join(c + bytes(-len(c) % 4) for c in (sampled(c) for c in curves))
    codes = np.stack([lab[:, 0] / 100.0, (lab[:, 1] + 128.0) / 255.0, (lab[:, 2] + 128.0) / 255.0], axis=1)
    table = np.round(np.clip(codes, 0.0, 1.0) * 65535.0).astype(">u2").tobytes()
    clut = bytes([GRID] * 3 + [0] * 13) + b"\2\0\0\0" + table
    clut += bytes(-len(clut) % 4)
    at_b = 32
    at_clut = at_b + len(b_curves)
    at_a = at_clut + len(clut)
    head = b"mAB \0\0\0\0" + bytes([3, 3, 0, 0]) + struct.pack(">5I", at_b, 0, 0, at_clut, at_a)
    return head + b_curves + clut + a_curves


def table_v2(lab: Floats, curves: list[Floats]) -> bytes:
    """lut16Type with the legacy encoding of Lab, in which L* 100 is FF00h (ICC.1:2001-04 6.5.9, annex A)."""
    codes = np.stack([lab[:, 0] * 652.80, (lab[:, 1] + 128.0) * 256.0, (lab[:, 2] + 128.0) * 256.0], axis=1)
    table = np.round(np.clip(codes, 0.0, 65535.0)).astype(">u2").tobytes()
    inputs = b"".join(np.round(c * 65535.0).astype(">u2").tobytes() for c in curves)
    straight = np.array([0, 65535], dtype=">u2").tobytes() * 3
    head = b"mft2\0\0\0\0" + bytes([3, 3, GRID, 0]) + s15f16(np.eye(3)) + struct.pack(">HH", ENTRIES, 2)
    return head + inputs + table + straight
