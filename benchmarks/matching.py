"""The figures of matches for `make bench`: cameras by a chart, treatments by a picture before and after, free pairs, and their time."""

from __future__ import annotations

import os
import struct
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import imagecodecs
import numpy as np
from figures import Report, at_most
from spaces import picture, timed

from velkin.core.icc.write import assemble, s15f16, text_v4
from velkin.core.match.aligned import pairs_of_aligned
from velkin.core.match.baked import Amounts, table_of_match, through_table
from velkin.core.match.judging import cube_of
from velkin.core.match.pair import Origin, Pair, coordinates, oklab_at
from velkin.core.match.solver import Learnt, Wish, learn
from velkin.core.match.support import distances
from velkin.core.spaces.oklab import xyz_to_oklab
from velkin.core.spaces.rgb import ROMM, SRGB
from velkin.sim.match_trials import camera_trials, export_errors, plate_of, treatment_trials
from velkin.sim.treatments import treated


def bench_match(report: Report, frame: Path) -> None:
    """All of it; `frame` is the raw frame that treatments are tried on."""
    _cameras(report)
    _treatments(report, frame)
    _free_pairs(report)
    _written(report)
    _speed(report)


def _cameras(report: Report) -> None:
    trials = list(camera_trials())
    worst = max(t.mean / t.best for t in trials)
    report.line(
        f"camera to camera by a chart, {len(trials)} pairings, 500 unseen colours, over the best fitted to them",
        f"worst {worst:.2f} ×, mean ΔE00 {np.mean([t.mean for t in trials]):.2f}",
        at_most(worst, 1.2, "×"),
    )


def _treatments(report: Report, frame: Path) -> None:
    for t in treatment_trials(plate_of(frame)):
        mean, p95 = (0.75, 2.25) if t.spoilt else (0.5, 1.5)
        report.line(
            f"{'  2 px and 1 % off, noisy, JPEG 80' if t.spoilt else '2 MP before and after'}, treatment “{t.treatment}”, ΔE00",
            f"mean {t.mean:.2f}, p95 {t.p95:.2f}",
            at_most(t.mean, mean),
            at_most(t.p95, p95),
        )


def _written(report: Report) -> None:
    learnt, *_ = learnt_of_pairs(24, 3)
    for name, (mean, largest) in export_errors(learnt.match).items():
        report.line(
            f"{name}, against the map itself",
            f"mean {mean:.3f}, largest {largest:.2f}",
            at_most(mean, 0.3),
            at_most(largest, 1.0),
        )


def learnt_of_pairs(count: int, seed: int) -> tuple[Learnt, np.ndarray, np.ndarray]:
    """What was learnt of so many free pairs, and where they are and are to go."""
    rng = np.random.default_rng(seed)
    here = coordinates(xyz_to_oklab(rng.random((count, 3)) ** 2.2 @ SRGB.to_xyz.T))
    way = rng.normal(size=here.shape)
    wanted = here + way / np.linalg.norm(way, axis=1, keepdims=True) * rng.uniform(3.0, 18.0, (count, 1))
    rows = zip(oklab_at(here), oklab_at(wanted), strict=True)
    pairs = [Pair(tuple(h), tuple(w), Origin.PINS, str(n)) for n, (h, w) in enumerate(rows)]
    return learn(pairs, Wish(exact=1.0)), here, wanted


def _free_pairs(report: Report) -> None:
    worst = folds = steep = far = 0.0
    for seed in range(120):
        learnt, here, wanted = learnt_of_pairs(3 + seed % 22, seed)
        figures = learnt.figures
        odd = {int(n) for c in figures.contradictions for n in (c.first, c.second)}
        crowded = {i for i in range(len(here)) if np.count_nonzero(distances(here[i : i + 1], here) < 1.0) > 1}
        worst = max([worst, *(e for i, e in enumerate(figures.errors) if i not in odd | crowded)])
        folds = max(folds, figures.steepness.folds)
        steep = max(steep, figures.steepness.largest_gain / figures.steepness.grey_gain)
        x = cube_of(ROMM, 9)
        away = distances(x, here).min(axis=1) > 60.0
        if away.any():
            shift = np.linalg.norm(wanted - here, axis=1).max()
            far = max(far, float(np.linalg.norm(learnt.match.at(x[away]) - x[away], axis=1).max() / shift))
    report.line("120 sets of 3 to 24 free pairs, exact: largest ΔE00 at a pair", f"{worst:.2f}", at_most(worst, 0.5))
    report.line(
        "  folds; largest gain over the grey axis's", f"{folds:.4f}; {steep:.1f} ×", at_most(folds, 0), at_most(steep, 4, "×")
    )
    report.line(
        "  moved over 60 ΔE*76 from every pair, of the largest shift", f"{100 * far:.0f} %", at_most(100 * far, 15, "%")
    )


def _speed(report: Report) -> None:
    learnt, *_ = learnt_of_pairs(24, 3)
    report.line(
        "learning from 24 pairs",
        f"{timed(lambda: learnt_of_pairs(24, 3), 3):.2f} s",
        at_most(timed(lambda: learnt_of_pairs(24, 3), 3), 0.3, "s"),
    )
    large = picture().astype(np.float32) / np.float32(65535)
    begun = time.perf_counter()
    learn(pairs_of_aligned(large, treated(large[::4, ::4], "turned")).pairs)
    took = time.perf_counter() - begun
    report.line("an aligned pair of 24 MP, laid on each other and learnt", f"{took:.2f} s", at_most(took, 2, "s"))
    own = timed(lambda: through_table(large, table_of_match(learnt.match, Amounts(), ROMM)), 3)
    library = _by_littlecms(large)
    report.line(
        "24 MP through the stage, over a tetrahedral look-up of 33 steps by LittleCMS on as many threads",
        f"{own / library:.2f} ×",
        at_most(own / library, 1.0, "×"),
    )


def _by_littlecms(picture: np.ndarray) -> float:
    """Seconds of one such look-up: half of what two of them in one chain take, since its gateway takes profiles in pairs."""
    steps = np.linspace(0.0, 1.0, 33)
    nodes = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1) ** 1.1
    straight = 3 * np.array([0, 65535], dtype=">u2").tobytes()
    head = b"mft2" + bytes(4) + bytes([3, 3, 33, 0]) + s15f16(np.eye(3)) + struct.pack(">HH", 2, 2)
    table = head + straight + np.round(nodes * 65535.0).astype(">u2").tobytes() + straight
    tags = [(b"desc", text_v4("bench")), (b"cprt", text_v4("none")), (b"A2B0", table)]
    link = assemble(tags, 4, kind=b"link", connection=b"RGB ", model=b"RGB ", intent=0)
    bands = np.array_split(picture, os.cpu_count() or 1)
    flags = int(imagecodecs.CMS.FLAGS.NOOPTIMIZE)

    def look_up(band: np.ndarray) -> None:
        imagecodecs.cms_transform(np.ascontiguousarray(band), link, link, colorspace="rgb", outcolorspace="rgb", flags=flags)

    with ThreadPoolExecutor(len(bands)) as pool:
        return timed(lambda: list(pool.map(look_up, bands)), 3) / 2.0
