"""From a raw file to a judged reading: decode at half size, find or take the corners, read, judge."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.charts.find import find
from velkin.core.charts.judge import Judgement, judge
from velkin.core.charts.read import Reading, read
from velkin.core.files import raw

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]


@dataclass(frozen=True)
class JudgedReading:
    """A chart reading with what was judged of it."""

    reading: Reading
    judgements: tuple[Judgement, ...]


def read_chart(path: Path, chart: Chart, corners: Floats | None = None) -> JudgedReading:
    """Find (unless `corners` (4, 2) in full-size pixels are given), read and judge the chart in a raw file.

    Raises
    ------
    UnreadableFile, ChartNotFound, ReadingRefused
    """
    return read_chart_in(raw.decode(path, half=True), chart, corners)


def read_chart_in(half: Pixels, chart: Chart, corners: Floats | None = None) -> JudgedReading:
    """As `read_chart`, in a half-size decode that is there already."""
    grid_error = None
    if corners is None:
        found = find(half, chart)
        corners, grid_error = found.corners * 2.0, found.grid_error
    reading = read(half, np.asarray(corners, dtype=np.float64), chart, scale=0.5)
    return JudgedReading(reading, judge(reading, chart, grid_error))
