"""Correlated colour temperature and Duv (CIE 015:2018 section 9.5; table and parabolic refinement after Ohno 2014)."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from velkin.core.spaces.adaptation import xyz_to_xy
from velkin.core.spectra import daylight_xy, observer, planckian, xyz_of_light

Floats = NDArray[np.float64]


def xy_to_uv(xy: Floats) -> Floats:
    """CIE 1960 u, v (..., 2) of chromaticities (..., 2).

    Examples
    --------
    >>> import numpy as np
    >>> xy_to_uv(np.array([0.3127, 0.3290])).round(4).tolist()
    [0.1978, 0.3122]
    """
    x, y = xy[..., 0], xy[..., 1]
    scale = -2.0 * x + 12.0 * y + 3.0
    return np.stack([4.0 * x / scale, 6.0 * y / scale], axis=-1)


@lru_cache(maxsize=1)
def _locus() -> tuple[Floats, Floats]:
    kelvins: Floats = np.asarray(1000.0 * 1.01 ** np.arange(0, 470), dtype=np.float64)
    xyz = planckian(kelvins[:, None]) @ observer()
    return kelvins, xy_to_uv(xyz_to_xy(xyz))


def cct_duv(xy: Floats) -> tuple[float, float]:
    """Correlated colour temperature in kelvin (about 1000 to 100000) and signed Duv of a chromaticity (2,).

    Examples
    --------
    >>> import numpy as np
    >>> kelvin, duv = cct_duv(np.array([0.3127, 0.3290]))
    >>> round(kelvin), round(duv, 4)
    (6506, 0.0032)
    """
    kelvins, locus = _locus()
    point = xy_to_uv(np.asarray(xy, dtype=np.float64))
    distance = np.hypot(*(locus - point).T)
    i = int(np.clip(np.argmin(distance), 1, len(kelvins) - 2))
    # the lowest point of the parabola through three squared distances, evenly spaced in log temperature
    low, middle, high = distance[i - 1 : i + 2] ** 2
    bend = low - 2.0 * middle + high
    shift = float(np.clip(0.5 * (low - high) / bend, -1.0, 1.0)) if bend > 0 else 0.0
    kelvin = float(kelvins[i] * 1.01**shift)
    nearest = xy_to_uv(xyz_to_xy(xyz_of_light(planckian(kelvin))))
    sign = 1.0 if point[1] >= nearest[1] else -1.0
    return kelvin, sign * float(np.hypot(*(point - nearest)))


def xy_of_cct(kelvin: float) -> Floats:
    """Chromaticity (2,) of the usual light at a temperature: Planckian below 4000 K, CIE daylight from there on.

    Examples
    --------
    >>> xy_of_cct(2856.0).round(4).tolist()
    [0.4475, 0.4074]
    """
    if kelvin < 4000.0:
        return xyz_to_xy(xyz_of_light(planckian(kelvin)))
    return np.array(daylight_xy(min(kelvin, 25000.0)))


def xy_of_temperature(kelvin: float, duv: float) -> Floats:
    """Chromaticity (2,) at a distance Duv from the Planckian locus, on the line of one correlated temperature; undoes `cct_duv`.

    Examples
    --------
    >>> xy_of_temperature(5000.0, 0.003).round(4).tolist()
    [0.3457, 0.3581]
    """
    kelvins = np.array([kelvin * 0.999, kelvin, kelvin * 1.001])
    before, here, after = xy_to_uv(xyz_to_xy(planckian(kelvins[:, None]) @ observer()))
    along = (after - before) / np.hypot(*(after - before))
    across = np.array([-along[1], along[0]])
    if across[1] < 0:
        across = -across
    u, v = here + duv * across
    return np.array([3.0 * u, 2.0 * v]) / (2.0 * u - 8.0 * v + 4.0)
