"""Several readings, or several measurements, of one chart made into one: noise and dirt go down, what is common stays."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.charts.read import PatchReading, Reading
from velkin.core.errors import BadChart, ReadingRefused

Floats = NDArray[np.float64]


def average_readings(readings: list[Reading]) -> Reading:
    """The mean of readings of one chart under one light, each first brought to the exposure of the first.

    Corners and size are the first one's. A patch left out of one reading is averaged over the others.

    Raises
    ------
    ReadingRefused
        When they are not readings of the same chart.
    """
    first = readings[0]
    if any(r.chart != first.chart or len(r.patches) != len(first.patches) for r in readings):
        raise ReadingRefused("readings of different charts cannot be averaged")
    rgb = np.stack([r.rgb() for r in readings])
    gains = [float(np.median(rgb[0] / np.maximum(one, 1e-6))) for one in rgb]
    rgb = rgb * np.array(gains)[:, None, None]
    patches = []
    for i, patch in enumerate(first.patches):
        use = [k for k, r in enumerate(readings) if patch.id not in r.choices.left_out] or list(range(len(readings)))
        mean = rgb[use, i].mean(axis=0)
        of = [readings[k].patches[i] for k in use]
        patches.append(
            PatchReading(
                patch.id,
                (float(mean[0]), float(mean[1]), float(mean[2])),
                spread=float(np.sqrt(np.mean([p.spread**2 for p in of]) / len(of))),
                clipped=max(p.clipped for p in of),
                buried=max(p.buried for p in of),
                slope=float(np.mean([p.slope for p in of])),
            )
        )
    everywhere = set(first.choices.left_out).intersection(*(r.choices.left_out for r in readings))
    choices = replace(first.choices, left_out=tuple(sorted(everywhere)))
    return replace(first, patches=tuple(patches), choices=choices)


def reading_between(first: tuple[Reading, Floats], second: tuple[Reading, Floats], share: float, white: Floats) -> Reading:
    """What a chart would have shown between two readings of it in a light that moves.

    The colours are mixed as they are after white balance, at the exposure of the first, and seen under the light's white at that moment.

    Parameters
    ----------
    first, second : (Reading, ndarray (3,))
        Each with the balance of its own white.
    share : float
        How much of the second there is in it, 0 to 1.
    white : ndarray (3,)
        The balance at that moment.

    Raises
    ------
    ReadingRefused
        When they are not readings of the same chart.
    """
    (a, of_a), (b, of_b) = first, second
    if a.chart != b.chart or len(a.patches) != len(b.patches):
        raise ReadingRefused("the charts are different ones; between them nothing can be told")
    there = b.rgb() * of_b
    there *= np.median(a.rgb()[:, 1]) / np.median(there[:, 1])
    rgb = ((1.0 - share) * a.rgb() * of_a + share * there) / white
    patches = tuple(
        PatchReading(
            one.id,
            (float(mixed[0]), float(mixed[1]), float(mixed[2])),
            spread=max(one.spread, other.spread),
            clipped=max(one.clipped, other.clipped),
            buried=max(one.buried, other.buried),
            slope=max(one.slope, other.slope),
        )
        for one, other, mixed in zip(a.patches, b.patches, rgb, strict=True)
    )
    left_out = tuple(sorted({*a.choices.left_out, *b.choices.left_out}))
    return replace(a, patches=patches, choices=replace(a.choices, left_out=left_out))


def average_references(charts: list[Chart]) -> Chart:
    """One chart from several measurements of it: the mean of their references.

    Raises
    ------
    BadChart
        When they do not have the same patches, or only some know reflectances.
    """
    first = charts[0]
    if any(c.ids != first.ids or (c.reflectances is None) != (first.reflectances is None) for c in charts):
        raise BadChart("the measurements are not of the same patches")
    source = f"{first.source}, mean of {len(charts)}"
    if first.reflectances is not None:
        return replace(
            first, source=source, reflectances=np.mean([c.reflectances for c in charts if c.reflectances is not None], axis=0)
        )
    return replace(first, source=source, colours=np.mean([c.colours for c in charts if c.colours is not None], axis=0))
