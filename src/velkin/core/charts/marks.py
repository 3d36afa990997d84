"""The registration marks of Velkin's printable chart: a full disc beyond the first patch, rings beyond the other corners.

They make the chart's way up certain. Each mark is centred `OUT` of a patch's pitch beyond the outer corner of its corner patch,
along both axes; its outer radius is `RADIUS`, that of a ring's white hole `HOLE`, in pitches.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart

Floats = NDArray[np.float64]

OUT, RADIUS, HOLE = 0.70, 0.40, 0.22
#: The dark panel under the patches reaches this far beyond them, in pitches.
PANEL = 0.28


def centres(chart: Chart) -> Floats:
    """Centres of the four marks in chart coordinates, (4, 2), from the first patch's clockwise."""
    across, down = OUT / (chart.columns - chart.gap), OUT / (chart.rows - chart.gap)
    return np.array([[-across, -down], [1 + across, -down], [1 + across, 1 + down], [-across, 1 + down]])


def agreement(middle: Floats, body: Floats) -> float:
    """How surely the marks say that the chart lies this way, −1..1.

    Parameters
    ----------
    middle, body : ndarray (4,)
        Brightness in the middle of each mark and on its ring, from the first corner clockwise.
    """
    contrast = (middle - body) / np.maximum(middle + body, 1e-6)
    others = float(np.sort(contrast[1:])[1])  # one mark may be covered
    return float(np.clip((others - contrast[0]) / 0.3, -1.0, 1.0))
