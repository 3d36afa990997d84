"""Writes core/charts/data/velkin48.json: the layout of Velkin's own chart and what the stand-in printer makes of it."""

from pathlib import Path

import numpy as np

from velkin.core.charts.chart_file import chart_to_json
from velkin.core.charts.definition import Chart
from velkin.core.spaces.lab import lab_to_xyz
from velkin.core.spaces.rgb import SRGB
from velkin.sim.printing import Printer

OUT = Path(__file__).parent.parent / "src/velkin/core/charts/data/velkin48.json"


def design() -> tuple[np.ndarray, list[str]]:
    """sRGB numbers (48, 3) and names, row by row: five rows of colours with their neighbours far apart, one row of greys."""
    hues = ("red", "orange", "yellow", "green", "blue-green", "blue", "violet", "pink")
    angles = np.deg2rad([35, 62, 92, 142, 196, 268, 305, 355])
    rows = (("vivid", 55, 62), ("deep", 34, 38), ("light", 76, 30), ("muted", 52, 24))
    shift = (0, 3, 5, 2)
    labs, names = [], []
    for (tone, lightness, chroma), by in zip(rows, shift, strict=True):
        for k in range(8):
            h = (k + by) % 8
            lift = {2: 18, 1: 8, 5: -8, 6: -6}.get(h, 0) if tone in ("vivid", "deep") else 0
            labs.append([lightness + lift, chroma * np.cos(angles[h]), chroma * np.sin(angles[h])])
            names.append(f"{tone} {hues[h]}")
    for tone, lab in (
        ("palest skin", (80, 12, 16)), ("light skin", (67, 17, 19)), ("brown skin", (46, 17, 22)), ("dark skin", (31, 11, 13)),
        ("leaf", (43, -17, 27)), ("sky", (60, -5, -24)), ("wood", (55, 12, 30)), ("wine", (29, 34, 8)),
    ):  # fmt: skip
        labs.append(list(lab))
        names.append(tone)
    for k, lightness in enumerate((97, 84, 71, 59, 47, 35, 23, 8)):
        labs.append([lightness, 0, 0])
        names.append(f"grey {k + 1}" if 0 < k < 7 else ("paper white" if k == 0 else "black"))
    linear = lab_to_xyz(np.array(labs, dtype=float)) @ SRGB.from_xyz.T
    return SRGB.encode(np.clip(linear, 0, 1)), names


def main() -> None:
    codes, names = design()
    ids = tuple(f"{row}{column}" for row in "ABCDEF" for column in range(1, 9))
    chart = Chart(
        id="velkin48", name="Velkin, 48 patches", source="nominal: sRGB numbers on Velkin's stand-in printer", rows=6, columns=8,
        gap=0.12, ids=ids, names=tuple(names), neutrals=ids[40:], reflectances=Printer().print(codes), marks=True,
    )  # fmt: skip
    OUT.write_text(chart_to_json(chart))
    print(f"{OUT.name} written")


if __name__ == "__main__":
    main()
