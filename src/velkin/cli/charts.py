"""`velkin chart`: finding and reading a chart."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velkin.cli.saying import Wrong, print_json, say
from velkin.core.errors import VelkinError

if TYPE_CHECKING:
    from velkin.core.charts.reading_job import JudgedReading


def parse_corners(text: str) -> Any:
    """Corners (4, 2) of eight numbers."""
    import numpy as np

    try:
        values = [float(v) for v in text.split(",")]
    except ValueError:
        values = []
    if len(values) != 8:
        raise Wrong("--corners takes eight numbers: X,Y of the four corners, from the first patch's clockwise")
    return np.array(values).reshape(4, 2)


def parse_grid(text: str | None) -> tuple[int, int] | None:
    """Columns and rows of ``6x4``."""
    if text is None:
        return None
    parts = text.lower().replace("×", "x").split("x")
    if len(parts) != 2 or not all(p.isdigit() and 1 < int(p) <= 200 for p in parts):
        raise Wrong("--grid takes columns x rows, such as 6x4")
    return int(parts[0]), int(parts[1])


def read_chart(file: Path, chart_name: str, grid: str | None = None, corners_text: str | None = None) -> JudgedReading:
    """The judged reading of a chart frame; where several charts lie in it, of the surest, which is said."""
    from velkin.core.charts.built_in import chart_named
    from velkin.core.charts.reading_job import charts_in, pixels_of, read_at, read_found

    corners = parse_corners(corners_text) if corners_text else None
    chart = chart_named(chart_name, parse_grid(grid))
    try:
        image, scale = pixels_of(file)
        if corners is not None:
            return read_at(image, corners, chart, scale=scale)
        found = charts_in(image, chart, scale)
        if len(found) > 1:
            say(f"{file.name}: {len(found)} charts found; the surest is read. Others are read with --corners:")
            for other in found[1:]:
                say("  --corners " + ",".join(f"{v:.1f}" for v in other.corners.ravel()))
        return read_found(image, found[0], scale)
    except VelkinError as error:
        error.file = error.file or file
        raise


def chart(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    from velkin.core.errors import ChartNotFound

    try:
        kept = read_chart(arguments.file, arguments.chart, arguments.grid, arguments.corners)
    except ChartNotFound as error:
        if arguments.json:
            print_json({"found": False, "error": error.message, "file": str(arguments.file)})
        say(str(error))
        return 1
    flags: dict[str, list[str]] = {p.id: [] for p in kept.reading.patches}
    for judgement in kept.judgements:
        for patch in judgement.patches:
            flags[patch].append(judgement.about.lower())
    if arguments.json:
        print_json(
            {
                "found": True,
                "chart": kept.chart.id,
                "grid": f"{kept.chart.columns}x{kept.chart.rows}",
                "corners": [list(c) for c in kept.reading.corners],
                "patches": [
                    {"id": p.id, "rgb": list(p.rgb), "spread": p.spread, "clipped": p.clipped, "flags": flags[p.id]}
                    for p in kept.reading.patches
                ],
                "judgements": [
                    {
                        "about": j.about,
                        "finding": j.finding,
                        "verdict": j.verdict.value,
                        "patches": list(j.patches),
                        "advice": j.advice,
                    }
                    for j in kept.judgements
                ],
            }
        )
    else:
        print("corners  " + "  ".join(f"{x:.1f},{y:.1f}" for x, y in kept.reading.corners))
        for j in kept.judgements:
            print(f"{j.about:10s} {j.finding} ({j.verdict.value}) {j.advice}".rstrip())
        for p in kept.reading.patches:
            print(
                f"{p.id:4s} {p.rgb[0]:.5f} {p.rgb[1]:.5f} {p.rgb[2]:.5f}  spread {p.spread:.3f}  {' '.join(flags[p.id])}".rstrip()
            )
    return 0
