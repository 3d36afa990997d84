"""CIEDE2000 (CIE 142-2001; formulae as in Sharma, Wu and Dalal 2005)."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Floats = NDArray[np.float64]


def ciede2000(first: ArrayLike, second: ArrayLike) -> Floats:
    """ΔE00 (...) between two arrays of Lab (..., 3), which broadcast; parametric factors 1.

    Examples
    --------
    >>> import numpy as np
    >>> first, second = np.array([50.0, 2.6772, -79.7751]), np.array([50.0, 0.0, -82.7485])
    >>> round(float(ciede2000(first, second)), 4)  # the first pair of Sharma, Wu and Dalal (2005)
    2.0425
    """
    lab1, lab2 = np.asarray(first, dtype=np.float64), np.asarray(second, dtype=np.float64)
    l1, a1, b1 = lab1[..., 0], lab1[..., 1], lab1[..., 2]
    l2, a2, b2 = lab2[..., 0], lab2[..., 1], lab2[..., 2]
    mean_chroma7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2.0) ** 7
    stretch = 1.5 - 0.5 * np.sqrt(mean_chroma7 / (mean_chroma7 + 25.0**7))
    a1, a2 = a1 * stretch, a2 * stretch
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360.0, np.degrees(np.arctan2(b2, a2)) % 360.0

    grey = c1 * c2 == 0.0
    turn = h2 - h1
    turn = np.where(turn > 180.0, turn - 360.0, np.where(turn < -180.0, turn + 360.0, turn))
    turn = np.where(grey, 0.0, turn)
    d_l, d_c = l2 - l1, c2 - c1
    d_h = 2.0 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2.0))

    l_m, c_m = (l1 + l2) / 2.0, (c1 + c2) / 2.0
    total = h1 + h2
    h_m = np.where(np.abs(h1 - h2) <= 180.0, total / 2.0, np.where(total < 360.0, (total + 360.0) / 2.0, (total - 360.0) / 2.0))
    h_m = np.where(grey, total, h_m)
    t = (
        1.0
        - 0.17 * np.cos(np.radians(h_m - 30.0))
        + 0.24 * np.cos(np.radians(2.0 * h_m))
        + 0.32 * np.cos(np.radians(3.0 * h_m + 6.0))
        - 0.20 * np.cos(np.radians(4.0 * h_m - 63.0))
    )
    s_l = 1.0 + 0.015 * (l_m - 50.0) ** 2 / np.sqrt(20.0 + (l_m - 50.0) ** 2)
    s_c = 1.0 + 0.045 * c_m
    s_h = 1.0 + 0.015 * c_m * t
    c_m7 = c_m**7
    rotation = -2.0 * np.sqrt(c_m7 / (c_m7 + 25.0**7)) * np.sin(np.radians(60.0 * np.exp(-(((h_m - 275.0) / 25.0) ** 2))))
    l_term, c_term, h_term = d_l / s_l, d_c / s_c, d_h / s_h
    return np.sqrt(np.maximum(l_term**2 + c_term**2 + h_term**2 + rotation * c_term * h_term, 0.0))
