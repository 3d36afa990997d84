"""Which space a file's own words mean: code points of ISO/IEC 23091-2, PNG's gAMA and cHRM, Exif claims."""

from __future__ import annotations

import numpy as np

from velkin.core.icc.recognise import alike
from velkin.core.spaces.rgb import BT2020, BUILT_IN, P3, SRGB, RGBSpace
from velkin.core.spaces.transfer import Transfer

Primaries = tuple[tuple[float, float], tuple[float, float], tuple[float, float]]

_D65 = (0.3127, 0.3290)
_PRIMARIES: dict[int, tuple[Primaries, tuple[float, float]]] = {
    1: (SRGB.primaries, _D65),
    5: (((0.64, 0.33), (0.29, 0.60), (0.15, 0.06)), _D65),
    6: (((0.63, 0.34), (0.31, 0.595), (0.155, 0.07)), _D65),
    9: (BT2020.primaries, _D65),
    11: (P3.primaries, (0.314, 0.351)),
    12: (P3.primaries, _D65),
}
_BT709 = Transfer(1 / 0.45, 1 / 1.099, 0.099 / 1.099, 1 / 4.5, 4.5 * 0.018)
_TRANSFERS = {
    1: _BT709,
    4: Transfer(2.2),
    5: Transfer(2.8),
    6: _BT709,
    8: Transfer(1.0),
    13: SRGB.transfer,
    14: BT2020.transfer,
    15: BT2020.transfer,
}
_EXACT = {(1, 13): SRGB, (12, 13): P3, (9, 14): BT2020, (9, 15): BT2020}


def space_of_cicp(code: tuple[int, int, int, int]) -> RGBSpace | None:
    """The space of code points (primaries, transfer, matrix, full range); None for those that Velkin does not read."""
    pair = code[0], code[1]
    if pair in _EXACT:
        return _EXACT[pair]
    if code[0] not in _PRIMARIES or code[1] not in _TRANSFERS:
        return None
    primaries, white = _PRIMARIES[code[0]]
    return RGBSpace(f"cicp-{pair[0]}-{pair[1]}", f"cICP {pair[0]}, {pair[1]}", "", primaries, white, _TRANSFERS[code[1]])


def space_of_png(gamma: float, chromaticities: tuple[float, ...]) -> RGBSpace | None:
    """The space of PNG's gAMA and cHRM (white, red, green, blue); None where they lead nowhere.

    Where it does what a built-in space does, to within 1.0 ΔE00, it is that one.
    """
    if not 0.1 < gamma < 10.0:
        return None
    white, *primaries = ((chromaticities[i], chromaticities[i + 1]) for i in range(0, 8, 2))
    if not all(0.0 < v < 1.0 for v in white) or min(x + y for x, y in primaries) <= 0 or white[1] <= 0:
        return None
    exponent = 1.0 / gamma
    try:
        r, g, b = primaries
        found = RGBSpace(f"png-{gamma:.5f}", f"gamma {exponent:.2f}, own primaries", "", (r, g, b), white, Transfer(exponent))
    except np.linalg.LinAlgError:  # three primaries on one line
        return None
    return alike(found) or found


def space_of_exif(colour_space: int | None, interoperability: str) -> RGBSpace | None:
    """The space that Exif claims: ColorSpace 1 or R98 is sRGB, R03 is opRGB; "uncalibrated" alone claims nothing."""
    if interoperability == "R03":
        return BUILT_IN["oprgb"]
    if colour_space == 1 or interoperability == "R98":
        return BUILT_IN["srgb"]
    return None
