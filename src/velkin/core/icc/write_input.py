"""ICC input profiles for cameras: matrix with curves, or a table (ICC.1:2022 8.3; ICC.1:2001-04 6.3.1).

Their input is balanced camera RGB, linear or through a transfer curve; for finished pictures, the picture's own numbers
through one curve for each channel. Version 4 tables are lutAToBType (``mAB``), version 2 ones lut16Type (``mft2``).
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from velkin.core.icc.write import assemble, curve_v4, description_v2, sampled, text_v2, text_v4, xyz_tag
from velkin.core.icc.write_table import ENTRIES, GRID, table_v2, table_v4
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.rgb import SRGB

Floats = NDArray[np.float64]
Version = Literal[2, 4]

#: Private tag in which Velkin's own profiles say what input they take: ``linear``, ``srgb`` or ``picture``.
INPUT_TAG = b"vkIn"
#: Exponent by which linear input is spread over the table, so that it is fine near black.
_SPREAD = 1.0 / 2.4
#: Media-relative colorimetric, as the intent of a header.
_RELATIVE = 1
#: Black of the perceptual reference medium, as a share of its white's luminance: 1 / 287.9 (ICC.1:2022 6.3.3).
_REFERENCE_BLACK = 0.0034731


def _common(name: str, copyright_text: str, takes: str, version: Version) -> list[tuple[bytes, bytes]]:
    if version == 4:
        head = [(b"desc", text_v4(name)), (b"cprt", text_v4(copyright_text))]
    else:
        head = [(b"desc", description_v2(name)), (b"cprt", text_v2(copyright_text))]
    return [*head, (b"wtpt", xyz_tag(D50)), (INPUT_TAG, text_v2(takes))]


def curve_of(takes: str) -> Floats | None:
    """What input of a kind is in linear light, at even steps 0..1; None for ``linear``."""
    if takes == "linear":
        return None
    return np.asarray(SRGB.decode(np.linspace(0.0, 1.0, ENTRIES)))


def input_matrix_profile(
    name: str,
    matrix: Floats,
    *,
    takes: str = "linear",
    curves: tuple[Floats, ...] = (),
    copyright_text: str = "No copyright, use freely",
    version: Version = 4,
) -> bytes:
    """An input profile of a 3×3 matrix from linear balanced camera RGB to XYZ D50.

    Parameters
    ----------
    takes : ``linear``, ``srgb`` or ``picture``
        What its input is; `curves` (three arrays, linear light at even steps of input) go with the last.
    """
    tags = _common(name, copyright_text, takes, version)
    tags += [(sign, xyz_tag(matrix[:, i])) for i, sign in enumerate((b"rXYZ", b"gXYZ", b"bXYZ"))]
    one = curve_of(takes)
    for i, sign in enumerate((b"rTRC", b"gTRC", b"bTRC")):
        if curves:
            data = sampled(curves[i])
        else:
            data = b"curv\0\0\0\0" + struct.pack(">I", 0) if one is None else _srgb_curve(version)
        tags.append((sign, data))
    return assemble(tags, version, kind=b"scnr")


def _srgb_curve(version: Version) -> bytes:
    if version == 4:
        return curve_v4(SRGB.transfer)
    curve = curve_of("srgb")
    assert curve is not None
    return sampled(curve)


def input_table_profile(
    name: str,
    lab_of: Callable[[Floats], Floats],
    *,
    takes: str = "linear",
    curves: tuple[Floats, ...] = (),
    copyright_text: str = "No copyright, use freely",
    version: Version = 4,
) -> bytes:
    """An input profile of a table of 53 × 53 × 53.

    Parameters
    ----------
    lab_of : function
        Lab D50 (N, 3) of linear balanced camera RGB (N, 3) 0..1.
    takes, curves
        As for `input_matrix_profile`.
    """
    even = np.linspace(0.0, 1.0, ENTRIES)
    linear = [np.asarray(c) for c in curves] if curves else [even if (one := curve_of(takes)) is None else one] * 3
    spread = [np.clip(np.interp(even, np.linspace(0.0, 1.0, len(c)), c), 0.0, 1.0) ** _SPREAD for c in linear]
    axis = np.linspace(0.0, 1.0, GRID) ** (1.0 / _SPREAD)
    nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    lab = lab_of(nodes)
    if version == 4:
        tables = [(b"A2B0", table_v4(_perceptual(lab), spread)), (b"A2B1", table_v4(lab, spread))]
    else:
        tables = [(b"A2B0", table_v2(lab, spread))]  # which stands for all intents; version 2 has no common perceptual black
    return assemble(
        [*_common(name, copyright_text, takes, version), *tables], version, kind=b"scnr", connection=b"Lab ", intent=_RELATIVE
    )


def _perceptual(lab: Floats) -> Floats:
    """Lab (N, 3) on the perceptual reference medium of version 4, whose black is no zero (ICC.1:2022 6.3.3, annex D).

    Who renders perceptually takes that black for the darkest there is and brings it to the destination's. XYZ is scaled in a straight
    line from zero to the reference black, so that this takes back just what was added.
    """
    xyz = lab_to_xyz(lab)
    return np.asarray(xyz_to_lab(xyz * (1.0 - _REFERENCE_BLACK) + _REFERENCE_BLACK * D50))
