"""Small differences of colour as CIEDE2000 sees them: a linear form for fitting, which needs slopes.

Near a reference colour CIEDE2000 is a quadratic form of the Lab difference (CIE 142-2001 with its weights taken at the
reference); `metric` gives the matrix whose product with a Lab difference has the length of that form.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.spaces.adaptation import D50

Floats = NDArray[np.float64]


def metric(lab: Floats) -> Floats:
    """Matrices (N, 3, 3): |metric · ΔLab| is CIEDE2000 for small ΔLab round reference colours `lab` (N, 3)."""
    lightness, a, b = lab.T
    seventh = np.hypot(a, b) ** 7
    stretch = 1.5 - 0.5 * np.sqrt(seventh / (seventh + 25.0**7))
    a = a * stretch
    chroma, hue = np.hypot(a, b), np.arctan2(b, a)
    degrees = np.degrees(hue) % 360.0
    tone = (
        1.0
        - 0.17 * np.cos(np.radians(degrees - 30.0))
        + 0.24 * np.cos(np.radians(2.0 * degrees))
        + 0.32 * np.cos(np.radians(3.0 * degrees + 6.0))
        - 0.20 * np.cos(np.radians(4.0 * degrees - 63.0))
    )
    middle = (lightness - 50.0) ** 2
    s_l = 1.0 + 0.015 * middle / np.sqrt(20.0 + middle)
    s_c, s_h = 1.0 + 0.045 * chroma, 1.0 + 0.015 * chroma * tone
    seventh = chroma**7
    turn = 2.0 * np.sqrt(seventh / (seventh + 25.0**7)) * np.sin(np.radians(60.0 * np.exp(-(((degrees - 275.0) / 25.0) ** 2))))
    along = np.stack([np.zeros_like(a), np.cos(hue) * stretch, np.sin(hue)], axis=-1) / s_c[:, None]
    across = np.stack([np.zeros_like(a), -np.sin(hue) * stretch, np.cos(hue)], axis=-1) / s_h[:, None]
    # C² + H² − turn·C·H = (C − turn·H/2)² + (1 − turn²/4)·H²
    out = np.zeros((len(lab), 3, 3))
    out[:, 0, 0] = 1.0 / s_l
    out[:, 1] = along - 0.5 * turn[:, None] * across
    out[:, 2] = np.sqrt(1.0 - turn**2 / 4.0)[:, None] * across
    return out


def lab_slope(xyz: Floats) -> Floats:
    """dLab/dXYZ (..., 3, 3) at XYZ D50 (..., 3) (CIE 015:2018 8.2.1)."""
    ratio = xyz / D50
    linear = 841.0 / 108.0
    slope = np.where(ratio > (6.0 / 29.0) ** 3, np.cbrt(np.maximum(ratio, 1e-9)) ** -2.0 / 3.0, linear) / D50
    out = np.zeros((*xyz.shape, 3))
    out[..., 0, 1] = 116.0 * slope[..., 1]
    out[..., 1, 0], out[..., 1, 1] = 500.0 * slope[..., 0], -500.0 * slope[..., 1]
    out[..., 2, 1], out[..., 2, 2] = 200.0 * slope[..., 1], -200.0 * slope[..., 2]
    return out
