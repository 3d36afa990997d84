"""The numbers under the pointer: here, in Lab, and there, in words."""

from __future__ import annotations

import numpy as np

from velkin.app.benches.pin_numbers import here_words
from velkin.app.service import Rendered
from velkin.app.words import signed
from velkin.core.conversion.convert import lab_of
from velkin.core.render import numbers_here, to_space
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import RGBSpace


def numbers_under(at: tuple[float, float], r: Rendered, size: tuple[int, int]) -> tuple[str, str, str, str]:
    """Place, numbers of the frame's own space, Lab and 8-bit numbers there, at a point of a picture of `size` pixels."""
    height, width = r.working.shape[:2]
    x = min(int(at[0] * width / size[0]), width - 1)
    y = min(int(at[1] * height / size[1]), height - 1)
    pixel = r.working[y : y + 1, x : x + 1]
    if isinstance(r.path.here, RGBSpace) or r.source is None:
        encoded = r.path.working.encode(pixel.astype(np.float64))[0, 0]
        here = "  ".join(signed(float(v), 3) for v in encoded)
        lab = xyz_to_lab(r.path.working.to_xyz @ pixel[0, 0].astype(np.float64))
    else:
        numbers = numbers_here(r.source[y : y + 1, x : x + 1], r.path)[0, 0]
        here, lab = here_words(numbers.astype(np.float64), r.path), lab_of(numbers, r.path.here)
    there = r.path.destination.encode(to_space(pixel, r.path, r.path.destination).astype(np.float64))[0, 0]
    out = bool(there.min() < -0.5 / 255 or there.max() > 1 + 0.5 / 255)
    codes = "  ".join(str(round(float(v) * 255)) for v in np.clip(there, 0, 1))
    return (
        f"{int(at[0])}, {int(at[1])}",
        here,
        "  ".join(signed(float(v)) for v in lab),
        codes + ("   \u25a8 outside" if out else ""),
    )
