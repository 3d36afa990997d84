"""`make trials`: finds, reads and judges charts in simulated frames with known faults, and writes docs/chart-trials.md."""

from __future__ import annotations

import multiprocessing
import os
import sys
import time
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from progress import counted

from velkin.core.charts.built_in import chart_named
from velkin.core.charts.find import find_all
from velkin.core.charts.judge import Verdict, judge
from velkin.core.charts.read import read
from velkin.core.errors import ReadingRefused
from velkin.sim.trials import FAULTS, empty_trial, make_trial

OUT = Path(__file__).parent.parent / "docs" / "chart-trials.md"
CHARTS = ("iso24", "velkin48")
SIZES = ((0.08, 0.12), (0.12, 0.25), (0.25, 0.5), (0.5, 0.91))
#: Which judgement has to speak up for which fault.
ABOUT = {
    "glare": "Glare", "shadow": "Shadow", "uneven": "Light", "clipped": "Clipping", "buried": "Noise", "blurred": "Focus",
    "small": "Size", "wrong chart": "Order", "turned": "Order",
}  # fmt: skip
#: Faults read at known corners, because finding such frames is not asked for.
PLACED = ("wrong chart", "turned", "small", "blurred", "buried")


@dataclass(frozen=True)
class Result:
    """What became of one trial."""

    chart: str
    fault: str
    seed: int
    share: float
    tilt: float
    found: bool
    error: float
    extra: int
    spoke: tuple[str, ...]
    named: float  # share of the touched patches that were named; NaN where the fault touches no single patches


def one(job: tuple[str, str, int, float]) -> Result:
    """Make, find, read and judge one trial."""
    cv2.setNumThreads(1)
    name, fault, seed, share = job
    chart = chart_named(name)
    if fault == "empty":
        found = find_all(empty_trial(seed, chart).image, chart)
        return Result(name, fault, seed, 0, 0, bool(found), 0, len(found), (), float("nan"))
    shown = chart_named("velkin48" if name == "iso24" else "iso24") if fault == "wrong chart" else chart
    trial = make_trial(seed, shown, fault, share or None)
    assert trial.corners is not None
    grid_error = None
    error, extra = float("nan"), 0
    if fault in PLACED:
        corners = np.roll(trial.corners, 2, axis=0) if fault == "turned" else trial.corners
    else:
        charts = find_all(trial.image, chart)
        if not charts:
            return Result(name, fault, seed, trial.share, trial.tilt, False, error, 0, (), float("nan"))
        corners, grid_error, extra = charts[0].corners, charts[0].grid_error, len(charts) - 1
        pitch = float(np.linalg.norm(trial.corners[1] - trial.corners[0])) / chart.columns
        error = float(np.hypot(*(corners - trial.corners).T).max()) / pitch
    try:
        judgements = judge(read(trial.image, corners * 2, chart, 0.5), chart, grid_error)
    except ReadingRefused:
        judgements = ()
    spoke = tuple(j.about for j in judgements if j.verdict is not Verdict.GOOD)
    patches = {p for j in judgements if j.about == ABOUT.get(fault) for p in j.patches}
    named = len(patches & set(trial.patches)) / len(trial.patches) if trial.patches else float("nan")
    return Result(name, fault, seed, trial.share, trial.tilt, True, error, extra, spoke, named)


def jobs(scale: float) -> list[tuple[str, str, int, float]]:
    """The trials: sizes evenly, then every fault, then frames without a chart."""
    rng = np.random.default_rng(2026)
    work = []
    for name in CHARTS:
        for low, high in SIZES:
            work += [
                (name, "none", 5000 + i + int(1000 * low), float(rng.uniform(low, high))) for i in range(round(40 * scale))
            ]
        for fault in FAULTS[1:]:
            work += [(name, fault, 20000 + i, 0.0) for i in range(round(20 * scale))]
        work += [(name, "empty", 40000 + i, 0.0) for i in range(round(40 * scale))]
    return work


def report(results: list[Result], seconds: float) -> str:
    """The tables."""
    clean = [r for r in results if r.fault == "none"]
    lines = [
        "# Finding and judging charts: trials on simulated frames",
        "",
        "Written by `make trials`; every figure comes from that run. Frames of 1500 × 1000 pixels, as a half-size decode gives them: any "
        "turn, tilt up to 45° (25° with a fault), clutter of coloured rectangles, wood or paper, two lights, cameras of different "
        "batches, sensor noise, lens blur.",
        "",
        f"{len(results)} frames, {seconds:.0f} s on {os.cpu_count()} cores.",
        "",
        "## Finding",
        "",
        "| chart | width of the frame | frames | found | worst corner, patches | 95 %, patches | second finds |",
        "|---|---|---:|---:|---:|---:|---:|",
    ]
    for name in CHARTS:
        for low, high in SIZES:
            mine = [r for r in clean if r.chart == name and low <= r.share < high]
            if not mine:
                continue
            errors = [r.error for r in mine if r.found]
            lines.append(
                f"| {name} | {100 * low:.0f} to {100 * min(high, 0.9):.0f} % | {len(mine)} | {sum(r.found for r in mine)} | "
                f"{max(errors):.3f} | {np.percentile(errors, 95):.3f} | {sum(r.extra for r in mine)} |"
            )
        empty = [r for r in results if r.fault == "empty" and r.chart == name]
        lines.append(f"| {name} | no chart in the frame | {len(empty)} | {sum(r.found for r in empty)} false | | | |")
    lines += [
        "",
        "## Judging",
        "",
        "Hit: the judgement speaks up where its fault is. False alarm: it speaks up on frames without any fault. Named: of the patches "
        "that the fault touches, the mean share that is named.",
        "",
        "| fault | frames | not found | hit | patches named | judgement | false alarms on clean frames |",
        "|---|---:|---:|---:|---:|---|---:|",
    ]
    found_clean = [r for r in clean if r.found]
    for fault in FAULTS[1:]:
        mine = [r for r in results if r.fault == fault]
        found = [r for r in mine if r.found]
        about = ABOUT[fault]
        named = [r.named for r in found if not np.isnan(r.named)]
        false = sum(about in r.spoke for r in found_clean)
        lines.append(
            f"| {fault} | {len(mine)} | {len(mine) - len(found)} | {100 * np.mean([about in r.spoke for r in found]):.1f} % | "
            f"{f'{100 * np.mean(named):.0f} %' if named else ''} | {about} | {100 * false / len(found_clean):.1f} % |"
        )
    crossed: dict[str, dict[str, int]] = defaultdict(lambda: defaultdict(int))
    for r in results:
        for about in r.spoke:
            if r.found and r.fault in ABOUT and about != ABOUT[r.fault]:
                crossed[r.fault][about] += 1
    lines += ["", "Judgements that spoke up beside the one meant: "]
    lines[-1] += "; ".join(f"{f}: " + ", ".join(f"{a} {n}" for a, n in sorted(c.items())) for f, c in crossed.items()) + "."
    missed = [
        r for r in results if r.fault != "empty" and (not r.found or (r.fault in ABOUT and ABOUT[r.fault] not in r.spoke))
    ]
    lines += ["", "## Where it fails", ""]
    lines += [
        f"- {r.chart}, {r.fault}, seed {r.seed}: {'not found' if not r.found else 'not spoken up'} at {100 * r.share:.0f} % of the width, tilt {r.tilt:.0f}°"
        for r in missed
    ]
    lines += [
        f"- {r.chart}, no fault, seed {r.seed}: corners {r.error:.2f} of a patch off at {100 * r.share:.0f} % of the width, tilt {r.tilt:.0f}°"
        for r in clean
        if r.found and r.error > 0.25
    ]
    return "\n".join([*lines, ""])


def main() -> None:
    """Run all trials on all cores and write the report; an argument scales their number."""
    scale = float(sys.argv[1]) if len(sys.argv) > 1 else 1.0
    start = time.monotonic()
    with ProcessPoolExecutor(mp_context=multiprocessing.get_context("spawn")) as pool:
        wanted = jobs(scale)
        results = list(counted(pool.map(one, wanted, chunksize=4), len(wanted), "chart trials, frames"))
    text = report(results, time.monotonic() - start)
    print(text)
    if scale >= 1.0:
        OUT.write_text(text)


if __name__ == "__main__":
    main()
