"""The charts that ship with Velkin, and finding a chart by the name that the command line's CHART gives."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from velkin.core.charts.chart_file import chart_from_json, load_chart
from velkin.core.charts.definition import Chart
from velkin.core.errors import BadChart

BUILT_IN = ("iso24", "velkin48")


@lru_cache(maxsize=8)
def _shipped(name: str) -> Chart:
    return chart_from_json((Path(__file__).with_name("data") / f"{name}.json").read_text(), Path(f"{name}.json"))


def iso24() -> Chart:
    """The 24-patch chart of ISO 17321-1, six columns by four rows.

    Examples
    --------
    >>> iso24().neutrals
    ('D1', 'D2', 'D3', 'D4', 'D5', 'D6')
    """
    return _shipped("iso24")


def velkin48() -> Chart:
    """Velkin's own printable chart of 48 patches, eight columns by six rows, with registration marks.

    Its reference is nominal: what the stand-in printer makes of it. A print from another printer is measured first.
    """
    return _shipped("velkin48")


def chart_named(name: str, grid: tuple[int, int] | None = None) -> Chart:
    """The chart that the command line's CHART names: a built-in one, or a CGATS, CSV or JSON file.

    Parameters
    ----------
    grid : (columns, rows), optional
        For files that do not say it.

    Raises
    ------
    BadChart, UnreadableFile

    Examples
    --------
    >>> from velkin.core.charts.built_in import chart_named
    >>> chart = chart_named("iso24")
    >>> chart.rows, chart.columns, len(chart.ids)
    (4, 6, 24)
    """
    if name.lower() in BUILT_IN:
        return _shipped(name.lower())
    path = Path(name)
    if not path.exists() and "/" not in name and "." not in name:
        raise BadChart(f"there is no chart {name!r}; built in are {' and '.join(BUILT_IN)}; others are given as a file")
    return load_chart(path, grid)
