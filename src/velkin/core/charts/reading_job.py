"""From a file to a judged reading: decode, find or take the corners, read, judge."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.charts.evenness import evened, light_on
from velkin.core.charts.find import FoundChart, find_all
from velkin.core.charts.judge import Judgement, Verdict, judge
from velkin.core.charts.read import Choices, Reading, read
from velkin.core.errors import ChartNotFound
from velkin.core.files import picture, raw
from velkin.core.files.raw_names import is_raw_name

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]


@dataclass(frozen=True)
class JudgedReading:
    """A chart reading with what was judged of it.

    Attributes
    ----------
    reading : Reading
        As it was read; `for_fit` gives it as it is used.
    judgements : tuple of Judgement
    chart : Chart
        The chart it is a reading of.
    grid_error : float or None
        From finding; None for corners placed by hand.
    """

    reading: Reading
    judgements: tuple[Judgement, ...]
    chart: Chart
    grid_error: float | None = None

    def for_fit(self) -> Reading:
        """The reading as balance and fit use it: evened out where that was chosen."""
        if not self.reading.choices.even_light:
            return self.reading
        return evened(self.reading, light_on(self.reading, self.chart), self.chart)

    @property
    def is_uneven(self) -> bool:
        """Whether the light was judged to fall off over the chart, which can be evened out."""
        return any(j.about == "Light" and j.verdict is Verdict.NOTE for j in self.judgements)

    def even_light(self, on: bool) -> JudgedReading:
        """The same reading with uneven light corrected or not, judged again."""
        return self._judged(replace(self.reading, choices=replace(self.reading.choices, even_light=on)))

    def with_numbers(self, rgb: Floats) -> JudgedReading:
        """The same reading of other linear camera RGB (N, 3), judged again."""
        patches = zip(self.reading.patches, rgb.tolist(), strict=True)
        return self._judged(replace(self.reading, patches=tuple(replace(p, rgb=(r, g, b)) for p, (r, g, b) in patches)))

    def _judged(self, reading: Reading) -> JudgedReading:
        return replace(self, reading=reading, judgements=judge(reading, self.chart, self.grid_error))


def pixels_of(path: Path) -> tuple[Pixels, float]:
    """What a chart is looked for in, and its size against the full picture: a raw file's half-size linear camera RGB, or a
    finished picture's own numbers.

    Raises
    ------
    UnreadableFile
    """
    if is_raw_name(path):
        return raw.decode(path, half=True), 0.5
    return picture.decode(path), 1.0


def charts_in(image: Pixels, chart: Chart, scale: float) -> list[FoundChart]:
    """Every chart in a picture with corners in full-size pixels, the surest first.

    Raises
    ------
    ChartNotFound
    """
    found = [replace(f, corners=f.corners / scale) for f in find_all(image, chart)]
    if not found:
        raise ChartNotFound(f"no {len(chart.ids)}-patch chart found; place its corners by hand")
    return found


def read_found(image: Pixels, found: FoundChart, scale: float, choices: Choices | None = None) -> JudgedReading:
    """Read and judge a chart that was found; its corners are in full-size pixels."""
    reading = read(image, found.corners, found.chart, scale, choices)
    return JudgedReading(reading, judge(reading, found.chart, found.grid_error), found.chart, found.grid_error)


def read_at(
    image: Pixels,
    corners: Floats,
    chart: Chart,
    *,
    scale: float,
    choices: Choices | None = None,
    grid_error: float | None = None,
) -> JudgedReading:
    """Read and judge a chart at corners (4, 2) in full-size pixels.

    Raises
    ------
    ReadingRefused
    """
    reading = read(image, np.asarray(corners, dtype=np.float64), chart, scale, choices)
    return JudgedReading(reading, judge(reading, chart, grid_error), chart, grid_error)


def read_chart(path: Path, chart: Chart, corners: Floats | None = None) -> JudgedReading:
    """Find (unless `corners` (4, 2) in full-size pixels are given), read and judge the chart in a file.

    Raises
    ------
    UnreadableFile, ChartNotFound, ReadingRefused
    """
    image, scale = pixels_of(path)
    if corners is not None:
        return read_at(image, corners, chart, scale=scale)
    return read_found(image, charts_in(image, chart, scale)[0], scale)
