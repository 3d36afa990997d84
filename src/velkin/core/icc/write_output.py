"""ICC output profiles of tables: device to Lab and back for each intent, as lut16Type (ICC.1:2022 10.10; ICC.1:2001-04 6.5.7).

Version 4 allows lut16Type too; its Lab numbers are in the encoding of version 2 in either (ICC.1:2022 6.3.4.2, note).
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from velkin.core.icc.write import COPYRIGHT, assemble, description_v2, text_v2, text_v4, xyz_tag

Floats = NDArray[np.float64]

_SIGNATURES = {3: b"RGB ", 4: b"CMYK", 1: b"GRAY"}


@dataclass(frozen=True)
class OutputTables:
    """One intent of an output profile.

    Attributes
    ----------
    to_lab : ndarray (n,)*C + (3,)
        Lab D50, media-relative, at even steps of every device channel.
    from_lab : ndarray (m, m, m, C)
        Device values 0..1 at even steps of encoded Lab (`lab_grid`).
    """

    to_lab: Floats
    from_lab: Floats


def lab_grid(side: int) -> Floats:
    """Lab (side³, 3) at the nodes of a table: even steps of the 16-bit encoding of version 2."""
    steps = np.linspace(0.0, 65535.0, side)
    axes = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    return axes / np.array([652.8, 256.0, 256.0]) - np.array([0.0, 128.0, 128.0])


def _codes(lab: Floats) -> Floats:
    return (lab + np.array([0.0, 128.0, 128.0])) * np.array([652.8, 256.0, 256.0])


def _lut16(codes: Floats, inputs: int) -> bytes:
    """A lut16Type of straight curves round a table of codes 0..65535, (n,)*inputs + (outputs,)."""
    n, outputs = codes.shape[0], codes.shape[-1]
    straight = struct.pack(">HH", 0, 65535)
    identity = b"".join(struct.pack(">i", 65536 if i % 4 == 0 else 0) for i in range(9))
    body = np.round(np.clip(codes, 0.0, 65535.0)).astype(">u2").tobytes()
    head = b"mft2\0\0\0\0" + struct.pack(">BBBB", inputs, outputs, n, 0) + identity + struct.pack(">HH", 2, 2)
    return head + straight * inputs + body + straight * outputs


def output_profile(
    name: str,
    perceptual: OutputTables,
    colorimetric: OutputTables,
    *,
    white: Floats,
    version: Literal[2, 4] = 4,
) -> bytes:
    """A printer's profile; saturation takes the perceptual tables.

    Parameters
    ----------
    white : ndarray (3,)
        XYZ of the paper, D50, Y of the perfect diffuser = 1.
    """
    channels = colorimetric.from_lab.shape[-1]
    text = text_v4 if version == 4 else text_v2
    tags: list[tuple[bytes, bytes]] = [
        (b"desc", text_v4(name) if version == 4 else description_v2(name)),
        (b"cprt", text(COPYRIGHT)),
        (b"wtpt", xyz_tag(white)),
    ]
    for signature, tables in ((b"0", perceptual), (b"1", colorimetric), (b"2", perceptual)):
        tags.append((b"A2B" + signature, _lut16(_codes(tables.to_lab), channels)))
        tags.append((b"B2A" + signature, _lut16(tables.from_lab * 65535.0, 3)))
    return assemble(tags, version, kind=b"prtr", connection=b"Lab ", model=_SIGNATURES[channels])
