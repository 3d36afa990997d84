"""How the light lies on a chart: what the patches' numbers say once their colours are explained.

A patch's camera RGB is modelled as light × (matrix · what a plain camera expects), the logarithm of the light being a plane or a
low-order surface over the chart. Matrix and surface are fitted in turns, patches that do not follow (glare, shadow, dirt) losing
their weight. What is left over tells glare from shadow; the surface is what uneven light can be corrected by.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.charts.plain_camera import expected_camera_rgb
from velkin.core.charts.read import Reading

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class LightOnChart:
    """The light over a chart and what it does not explain.

    Attributes
    ----------
    surface : ndarray (6,)
        Coefficients of 1, u, v, u², uv, v² of log light, u and v from −0.5 to 0.5 over the chart.
    level : ndarray (N,)
        Log light of every patch by itself (natural logarithm, 0 on the whole).
    colour : ndarray (N, 3)
        What is left in each channel, log, once light and matrix are taken away.
    predicted : ndarray (N, 3)
        Camera RGB that the matrix expects of every patch under the middle's light.
    white : ndarray (3,)
        Camera RGB of a perfect white there.
    """

    surface: Floats
    level: Floats
    colour: Floats
    predicted: Floats
    white: Floats

    def at(self, places: Floats) -> Floats:
        """Light (N,) at chart coordinates (N, 2), 1 on the middle of the chart."""
        return np.asarray(np.exp(_design(places) @ np.concatenate([[0.0], self.surface[1:]])))

    def fall(self) -> float:
        """How much the light changes over the patches' area, as a share of its mean."""
        u = np.stack(np.meshgrid(np.linspace(0, 1, 13), np.linspace(0, 1, 13)), axis=-1).reshape(-1, 2)
        light = self.at(u)
        return float((light.max() - light.min()) / light.mean())


def _design(places: Floats) -> Floats:
    u, v = places[:, 0] - 0.5, places[:, 1] - 0.5
    return np.stack([np.ones_like(u), u, v, u * u, u * v, v * v], axis=1)


#: Pull on the curved part of the surface, in log light: small charts must not explain colours by bends of light.
_STIFF = np.array([0.0, 0.05, 0.05, 0.6, 0.6, 0.6])


@lru_cache(maxsize=16)  # who judges a reading, who shows it and who evens it out ask for the same
def light_on(reading: Reading, chart: Chart) -> LightOnChart:
    """Explain a reading by a camera matrix and a smooth light."""
    measured = np.maximum(reading.rgb(), 1e-5)
    expected = expected_camera_rgb(chart)
    design, count = _design(chart.centres()), len(measured)
    usable = np.array([p.clipped < 0.01 and p.buried < 0.25 and p.id not in reading.choices.left_out for p in reading.patches])
    if usable.sum() < 8:
        usable = np.ones(count, dtype=bool)
    logs = np.log(measured)
    surface, weight = np.zeros(6), usable.astype(np.float64)
    matrix = np.diag(np.median(measured[usable] / expected[usable], axis=0))
    # a matrix near the diagonal is likelier than one far from it: a pull that 24 patches outweigh easily
    pull = 0.02 * np.sqrt(count)
    for step in range(25):
        light = np.exp(design @ surface)
        predicted = np.maximum(expected @ matrix.T, 1e-3 * measured)
        for c in range(3):
            row = np.sqrt(weight) / np.maximum(predicted[:, c], 0.3 * measured[:, c] / light)
            gain = np.median(measured[usable, c] / expected[usable, c] / light[usable])
            start = np.zeros(3)
            start[c] = gain
            scale = pull / gain
            matrix[c] = np.linalg.lstsq(
                np.vstack([expected * row[:, None], scale * np.eye(3)]),
                np.concatenate([measured[:, c] / light * row, scale * start]),
                rcond=None,
            )[0]
        predicted = np.maximum(expected @ matrix.T, 0.02 * expected @ np.abs(matrix.T))
        left = logs - np.log(predicted)
        level = left.mean(axis=1)
        colour = left - level[:, None]
        rooted = np.sqrt(weight)
        surface = np.linalg.lstsq(
            np.vstack([design * rooted[:, None], np.diag(_STIFF)]), np.concatenate([level * rooted, np.zeros(6)]), rcond=None
        )[0]
        off = np.hypot(level - design @ surface, 1.5 * np.sqrt((colour**2).mean(axis=1)))
        spread = max(1.4826 * float(np.median(off[usable])), 0.012)
        weight = usable / (1.0 + (off / (2.0 * spread)) ** 2) ** (2 if step > 8 else 1)
    middle = float(surface[0])
    return LightOnChart(surface, level - middle, colour, predicted * np.exp(middle), matrix.sum(axis=1) * np.exp(middle))


def evened(reading: Reading, light: LightOnChart, chart: Chart) -> Reading:
    """The reading as it would be had the light been that of the chart's middle everywhere."""
    gain = light.at(chart.centres())
    patches = tuple(
        replace(p, rgb=(p.rgb[0] / g, p.rgb[1] / g, p.rgb[2] / g)) for p, g in zip(reading.patches, gain.tolist(), strict=True)
    )
    return replace(reading, patches=patches, choices=replace(reading.choices, even_light=True))
