"""White balance from the greys of a chart: three multipliers of camera RGB, green 1."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.charts.read import Reading
from velkin.core.errors import FitRefused

Floats = NDArray[np.float64]


def from_greys(reading: Reading, chart: Chart) -> Floats:
    """White balance (3,) that makes the chart's whole grey row neutral together, from highlights to shadows.

    Every usable neutral patch counts by how well its ratios are known (its noise, and how near it lies to black); one that
    disagrees with the others (glare, dirt) loses its weight.

    Raises
    ------
    FitRefused
        When no neutral patch can be used.
    """
    rgb = reading.rgb()
    usable = [
        i
        for i in chart.neutral_rows()
        if reading.patches[i].clipped == 0 and rgb[i].min() > 0.0005 and chart.ids[i] not in reading.choices.left_out
    ]
    if not usable:
        raise FitRefused("none of the chart's neutral patches can be used for white balance: clipped, or buried in black")
    ratios = np.log(rgb[usable][:, [0, 2]] / rgb[usable][:, 1:2])
    spread = np.array([reading.patches[i].spread for i in usable])
    doubt = 0.003 + spread / 12.0 + 0.0006 / rgb[usable].min(axis=1)
    weight = 1.0 / doubt**2
    middle = np.average(ratios, axis=0, weights=weight)
    for _ in range(10):
        off = np.abs(ratios - middle).max(axis=1) / doubt
        robust = weight / np.maximum(1.0, off / 2.0) ** 2
        middle = np.average(ratios, axis=0, weights=robust)
    return np.array([np.exp(-middle[0]), 1.0, np.exp(-middle[1])])
