"""What a plain camera would see of a chart: enough to tell its patches apart before any profile is there."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.built_in import iso24
from velkin.core.charts.definition import Chart
from velkin.core.spectra import WAVELENGTHS

Floats = NDArray[np.float64]


def expected_camera_rgb(chart: Chart) -> Floats:
    """What a plain camera would see of the chart under equal energy, (N, 3), white 1: enough to tell patches apart.

    Examples
    --------
    >>> from velkin.core.charts.built_in import iso24
    >>> expected_camera_rgb(iso24()).shape
    (24, 3)
    """
    if chart.reflectances is not None:
        return _bands(chart.reflectances)
    assert chart.colours is not None
    return np.maximum(chart.colours @ _plain_camera(), 1e-3)


def _bands(reflectances: Floats) -> Floats:
    bands = np.stack([np.exp(-0.5 * ((WAVELENGTHS - c) / w) ** 2) for c, w in ((603, 32), (538, 34), (458, 26))], axis=1)
    return np.asarray(reflectances @ bands / bands.sum(axis=0))


@lru_cache(maxsize=1)
def _plain_camera() -> Floats:
    """XYZ D50 → the plain camera's RGB, (3, 3) for row vectors: least squares over the ISO chart."""
    chart = iso24()
    assert chart.reflectances is not None
    return np.asarray(np.linalg.lstsq(chart.reference_d50(), _bands(chart.reflectances), rcond=None)[0])
