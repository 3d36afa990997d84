"""How exact conversions are: all pairs of built-in spaces against float64, tables against LittleCMS without optimisation."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import linear_in
from velkin.core.conversion.pictures import convert_picture
from velkin.core.icc.space import Space, profile_of, space_of
from velkin.core.icc.transform import Intent, device_values, to_lab
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import BUILT_IN, OPRGB, P3, ROMM, SRGB, RGBSpace, between
from velkin.sim.press import press_profile

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class PairErrors:
    """The largest errors over all pairs of built-in spaces: ΔE00 in float, codes in 8 and 16 bits, and 16 bits as light."""

    float_error: float
    codes_8: float
    codes_16: float
    light_16: float
    pairs: int


def between_all() -> PairErrors:
    """Every pair of built-in spaces against the closed form in float64, a quarter of the colours near black."""
    rng = np.random.default_rng(4)
    codes = {8: 0.0, 16: 0.0}
    light = worst = 0.0
    pairs = [(a, b) for a in BUILT_IN.values() for b in BUILT_IN.values() if a is not b]
    for a, b in pairs:
        values = rng.random((150, 200, 3))
        values[:40] *= 0.02
        for bits, top, kind in ((8, 255, np.uint8), (16, 65535, np.uint16)):
            numbers: NDArray[Any] = (values * top).astype(kind)
            linear = a.decode(numbers / top) @ between(a, b).T
            found = convert_picture(numbers, Conversion(a, b), bits, False).numbers
            meant = np.round(np.clip(b.encode(linear), 0, 1) * top)
            codes[bits] = max(codes[bits], float(np.abs(meant - found).max()))
            if bits == 16:
                light = max(light, float(np.abs(b.decode(found / top) - np.clip(linear, 0, 1)).max()))
        floats = values.astype(np.float32)
        after = convert_picture(floats, Conversion(a, b), 32).numbers.astype(np.float64)
        worst = max(worst, float(ciede2000(_lab(a, floats.astype(np.float64)), _lab(b, after)).max()))
    return PairErrors(worst, codes[8], codes[16], light, len(pairs))


def _lab(space: RGBSpace, values: NDArray[np.floating]) -> Floats:
    return xyz_to_lab(space.decode(values) @ space.to_xyz.T)


def there_and_back() -> float:
    """Largest difference in 16-bit codes after ROMM RGB → BT.2020 → ROMM RGB, of colours that both hold."""
    numbers = (np.random.default_rng(6).random((400, 500, 3)) * 65535).astype(np.uint16)
    wide, other = Conversion(ROMM, BUILT_IN["bt2020"]), Conversion(BUILT_IN["bt2020"], ROMM)
    unclipped = convert_picture((numbers / 65535).astype(np.float32), wide, 32).numbers
    held = (unclipped.min(axis=2) >= 0) & (unclipped.max(axis=2) <= 1)
    back = convert_picture(convert_picture(numbers, wide, 16).numbers, other, 16).numbers
    return float(np.abs(back.astype(int) - numbers.astype(int))[held].max())


def into_press(source: Space, intent: Intent) -> tuple[float, float]:
    """Mean and largest ΔE00, by the press's profile, of Velkin's tables from LittleCMS's floating-point answers."""
    press = space_of(press_profile(4))
    icc = profile_of(press)
    device = np.random.default_rng(3).random((200, 200, 3))
    meant = device_values(device.reshape(-1, 3), profile_of(source), "rgb", icc, "cmyk", intent=intent, black_point=True)
    found = convert_picture(device.astype(np.float32), Conversion(source, press, intent), 32).numbers.reshape(-1, 4)
    error = ciede2000(to_lab(np.clip(found, 0, 1), icc, "cmyk"), to_lab(np.clip(meant, 0, 1), icc, "cmyk"))
    return float(error.mean()), float(error.max())


def from_press(intent: Intent, black_point: bool) -> tuple[float, float]:
    """Mean and largest ΔE00 of ink in linear ROMM RGB from LittleCMS's floating-point answers in XYZ."""
    press = space_of(press_profile(4))
    ink = np.random.default_rng(8).random((160, 200, 4)).astype(np.float32)
    flat = ink.reshape(-1, 4)
    meant = device_values(
        flat, profile_of(press), "cmyk", imagecodecs.cms_profile("xyz"), "xyz", intent=intent, black_point=black_point
    )
    found = (
        linear_in(ink, press, ROMM, intent=intent, black_point=black_point).reshape(-1, 3).astype(np.float64) @ ROMM.to_xyz.T
    )
    error = ciede2000(xyz_to_lab(found), xyz_to_lab(meant))
    return float(error.mean()), float(error.max())


#: The spaces and intents that tables are tried with.
SOURCES = (SRGB, OPRGB, P3, ROMM)
INTENTS = (Intent.RELATIVE, Intent.PERCEPTUAL)
