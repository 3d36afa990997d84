"""`make bench`: how good and how fast, as ratios against the libraries' own raw speed in the same run.

Every figure printed here is measured now, on this machine, on the demo's frames.
"""

from __future__ import annotations

import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from fractions import Fraction
from functools import partial
from pathlib import Path

import cv2
import numpy as np
import rawpy
from numpy.typing import NDArray

from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.dng_export import dng_profile
from velkin.core.cameraprofiles.dng_file import dng_from_bytes, dng_to_bytes
from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.huesat import HueSatMap
from velkin.core.cameraprofiles.matrices import ColourMatrices, built_in
from velkin.core.charts.built_in import iso24
from velkin.core.charts.definition import Chart
from velkin.core.charts.reading_job import JudgedReading, charts_in, read_chart, read_found
from velkin.core.files import raw
from velkin.core.files.dng_colour import DNGColour
from velkin.core.handoff.jobs import plan_for
from velkin.core.handoff.run import run
from velkin.core.path import path_of
from velkin.core.render import to_working
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.spaces.rgb import ROMM, SRGB
from velkin.core.spectra import Illuminant
from velkin.core.stages.camera import CameraStage
from velkin.sim.arrangements import tilted_corners
from velkin.sim.camera import Camera
from velkin.sim.crowd import make_crowd
from velkin.sim.demo import demo_folder, prepare_demo, write_demo_shoot
from velkin.sim.dng import Shot, write_dng
from velkin.sim.fit_trials import chart_rgb, reading_of, unseen_reflectances
from velkin.sim.lights import north_window
from velkin.sim.scenes import Scene

sys.path.insert(0, str(Path(__file__).parent))
from days import bench_stalls, bench_thousand
from figures import Report, at_most
from gestures import bench_gestures
from handing_off import bench_kills, bench_large, large_frames, large_shoot, most_memory
from huge import bench_huge
from kernels import bench_kernels
from layers import bench_layers
from matching import bench_match
from proofing import bench_shares, bench_solids, bench_toggling
from season import bench_season
from shell import bench_shell
from spaces import bench_conversions, bench_inspecting, bench_try_on
from under_the_hand import bench_changes, bench_drags, bench_steps, bench_waiting


def median_time(work: Callable[[], object], rounds: int = 5) -> float:
    """Median seconds of a piece of work, after one round to warm up."""
    work()
    times = []
    for _ in range(rounds):
        begun = time.perf_counter()
        work()
        times.append(time.perf_counter() - begun)
    return statistics.median(times)


WINDOW = """
import sys, time
begun = time.perf_counter()
import gc
gc.disable()  # as the command does
from pathlib import Path
from PyQt6.QtCore import QEventLoop, QSettings, QTimer
from velkin.app.main import leave, make_application, open_window
app = make_application()
window = open_window(Path(sys.argv[1]), QSettings(sys.argv[2], QSettings.Format.IniFormat))
seen = []
window.flow.glimpsed.connect(lambda _: QTimer.singleShot(0, lambda: seen.append(time.perf_counter() - begun)))
window.show()
loop = QEventLoop()
window.service.rendered.connect(lambda _: QTimer.singleShot(0, loop.quit))
loop.exec()
app.processEvents()
assert window.view.has_picture
took = time.perf_counter() - begun
print(seen[0] if seen else took, took)
leave(window)
"""

BASE = """
import sys, time
begun = time.perf_counter()
import PyQt6.QtWidgets
import rawpy
with rawpy.imread(sys.argv[1]) as frame:
    frame.postprocess(half_size=True)
print(time.perf_counter() - begun)
"""


def bench_window(report: Report, shoot: Path, frame: Path, folder: Path) -> None:
    """Window up with something to look at, then with the first picture: a demo frame, and one of the size that cameras make."""
    large, of_large = folder / "large.velkin", large_frames(folder / "large", frame, 1)
    large_shoot(large, of_large)
    for of, opened, source in (("a demo frame", shoot, frame), ("a raw frame of 24 MP", large, of_large[0])):
        rounds = []
        for _ in range(6):  # base and window in turns, so that a busy machine slows both
            base = float(_alone(BASE, str(source)))
            first, ours = (float(v) for v in _alone(WINDOW, str(opened), str(folder / "settings.ini")).split())
            rounds.append((ours / base, ours, base, first / base, first))
        ratio, ours, base, first_ratio, first = (statistics.median(r[i] for r in rounds[1:]) for i in range(5))
        told = f"base, Qt and a half-size decode: {base:.2f} s"
        report.line(
            f"window up with something to look at, {of}",
            f"{first:.2f} s = {first_ratio:.2f} x",
            told,
            at_most(first_ratio, 1, "x"),
        )
        report.line(f"  with the first picture, {of}", f"{ours:.2f} s = {ratio:.2f} x", at_most(ratio, 2, "x"))


def bench_chart(report: Report, frames: Path) -> None:
    """Finding, reading and fitting, and how good the fits are."""
    chart = iso24()
    for name in ("north-0401", "lamp-0501"):
        path = frames / f"{name}.dng"

        def library(path: Path = path) -> None:
            with rawpy.imread(str(path)) as opened:
                opened.postprocess(half_size=True)

        base = median_time(library)
        half = raw.decode(path, half=True)
        ours = median_time(partial(_found_and_read, half, chart))
        report.line(
            f"chart found and read, {name}",
            f"{1000 * ours:.0f} ms = {ours / base:.2f} x",
            f"half-size decode {1000 * base:.0f} ms",
            at_most(ours / base, 1, "x"),
        )
        facts = raw.read_facts(path)
        request = FitRequest(read_chart(path, chart).reading, chart, facts.unique, built_in(facts))
        seconds = median_time(partial(fit, request))
        report.line("  all models with leave-one-out, 24 patches", f"{seconds:.2f} s", at_most(seconds, 1, "s"))
        f = fit(request).of("auto").figures
        report.line(
            "  chart, mean / worst dE00", f"{f.mean:.2f} / {f.worst:.2f}", f"built-in mean {f.before:.2f}", at_most(f.mean, 1.3)
        )
        report.line("  chart, 95 % / leave-one-out / neutrals", f"{f.p95:.2f} / {f.leave_one_out:.2f} / {f.neutral:.2f}")


def _found_and_read(half: NDArray[np.float32], chart: Chart) -> JudgedReading:
    return read_found(half, charts_in(half, chart, 0.5)[0], 0.5)


def bench_profiles(report: Report) -> None:
    """Fitting a large chart, and rendering 24 megapixels through each kind of profile against a bare 3×3 on the same array."""
    camera, light = Camera(), north_window()
    known = iso24().reflectances
    assert known is not None
    surfaces = np.vstack([known, unseen_reflectances()[:116]])
    ids = tuple(f"P{i}" for i in range(len(surfaces)))
    large = replace(iso24(), id="large", rows=10, columns=14, ids=ids, names=ids, reflectances=surfaces, neutrals=ids[18:24])
    matrices = ColourMatrices.of(DNGColour(camera.built_in_matrices(), (17, 21)))

    def request(chart: Chart) -> FitRequest:
        reading = reading_of(chart, chart_rgb(camera, light.power, chart))
        return FitRequest(reading, chart, camera.model, matrices, Illuminant("north", light.power))

    seconds = median_time(lambda: fit(request(large)), 1)
    report.line("all models with leave-one-out, 140 patches", f"{seconds:.2f} s", at_most(seconds, 4, "s"))
    fitted = fit(request(iso24()))
    rng = np.random.default_rng(1)
    picture = cv2.resize(rng.random((60, 90, 3)).astype(np.float32), (6000, 4000), interpolation=cv2.INTER_CUBIC)
    picture = np.clip(picture + 0.01 * rng.standard_normal(picture.shape, dtype=np.float32), 0.0, 0.98)
    bare = np.eye(3, dtype=np.float32) + 0.1
    look = HueSatMap(np.tile(np.array([2.0, 1.0, 1.0], np.float32), (16, 36, 16, 1)), "srgb")
    foreign = dng_from_bytes(dng_to_bytes(dng_profile(fitted.of("table"))))
    kinds: dict[str, AnyProfile] = {
        "matrix": fitted.of("matrix"),
        "root-polynomial": fitted.of("rootpoly"),
        "matrix with table, Velkin's richest": fitted.of("table"),
        "a DNG profile with a table": foreign,
        "a DNG profile with tables by value and a look": replace(foreign, look=look),
    }
    for name, profile in kinds.items():
        path = path_of(CameraStage((2.0, 1.0, 1.5), "", profile.colours(np.array([2.0, 1.0, 1.5]))), ROMM, SRGB)
        to_working(picture[:8], path)
        rounds = []
        for _ in range(5):  # in turns, so that a busy machine slows all
            times = []
            for work in (lambda: picture @ bare, lambda: cv2.transform(picture, bare), lambda p=path: to_working(picture, p)):
                begun = time.perf_counter()
                work()
                times.append(time.perf_counter() - begun)
            rounds.append((times[2], times[2] / times[0], times[2] / times[1]))
        ours, numpy, opencv = (statistics.median(r[i] for r in rounds) for i in range(3))
        report.line(
            f"24 MP through {name}",
            f"{ours:.2f} s = {numpy:.2f} x, {opencv:.2f} x",
            "of NumPy's, OpenCV's 3x3",
            at_most(numpy, 2, "x of NumPy's"),
        )


def bench_large_chart(report: Report, folder: Path) -> None:
    """Finding and reading in a frame of 24 megapixels."""
    path = folder / "large.dng"
    camera, light = Camera(), north_window()
    scene = Scene(camera, light.power, 6000, 4000, seed=1, level=0.7)
    scene.paper(0.4)
    scene.shelf(3, 5, 8)
    scene.chart(iso24(), tilted_corners((3100, 1900), 2200, iso24().aspect, 7, 12, 5))
    neutral = camera.neutral(light.power)
    mosaic = camera.sensor.expose(scene.rgb, np.random.default_rng(1))
    write_dng(path, mosaic, camera, Shot(datetime(2026, 5, 4), Fraction(1, 60), 8.0, 100, neutral / neutral[1]))

    def library() -> None:
        with rawpy.imread(str(path)) as opened:
            opened.postprocess(half_size=True)

    half = raw.decode(path, half=True)
    rounds = [
        (median_time(library, 1), median_time(lambda: read_found(half, charts_in(half, iso24(), 0.5)[0], 0.5), 1))
        for _ in range(5)
    ]
    base, ours = statistics.median(r[0] for r in rounds), statistics.median(r[1] for r in rounds)
    report.line(
        "chart found, read and judged, 24 megapixels",
        f"{1000 * ours:.0f} ms = {ours / base:.2f} x",
        f"half-size decode {1000 * base:.0f} ms",
        at_most(ours / base, 1, "x"),
    )


DAY = """
import sys, time
from pathlib import Path
from PyQt6.QtCore import QEventLoop, QSettings, QTimer
from velkin.app.main import leave, make_application, settle
from velkin.app.window import Window
from velkin.core.shoot.giving import Giving, plan_giving
app = make_application()
window = Window(QSettings(sys.argv[2], QSettings.Format.IniFormat))
window.resize(1280, 800)
window.show()
settle(window, 10)
beats, last = [], [time.perf_counter()]
def beat():
    now = time.perf_counter()
    beats.append(now - last[0])
    last[0] = now
timer = QTimer()
timer.setInterval(2)
timer.timeout.connect(beat)
timer.start()
def work(seconds):
    loop = QEventLoop()
    QTimer.singleShot(int(1000 * seconds), loop.quit)
    loop.exec()
begun = time.perf_counter()
window.jobs.shoots.open(Path(sys.argv[1]))
while window.flow.rendered is None:
    work(0.005)
opened = time.perf_counter() - begun
work(2)
beats.clear()
bar = window.frames.list.verticalScrollBar()
for place in range(0, bar.maximum(), 180):
    bar.setValue(place)
    work(0.016)
scrolled = max(beats)
order = window.model.state.order()
window.jobs.camera.set_balance((order[0],), (1.7, 1.0, 1.5), "typed")
work(1)
begun = time.perf_counter()
window.jobs.camera.give(plan_giving(window.model.state, order[0], order, Giving()))
print(opened, scrolled, time.perf_counter() - begun, len(order))
leave(window)
"""


def bench_day(report: Report, folder: Path) -> None:
    """A shoot of a thousand small frames: opening, scrolling with a heartbeat on the GUI thread, giving to all."""
    shoot = Shoot.create(folder / "day.velkin", "day")
    shoot.frames.add_frames([look_at(p) for p in make_crowd(folder / "day", 1000)])
    shoot.close()
    runs = [[float(v) for v in _alone(DAY, str(folder / "day.velkin"), str(folder / "s.ini")).split()] for _ in range(2)]
    for words, (opened, scrolled, gave, count) in zip(("first", "again"), runs, strict=True):
        report.line(f"{count:.0f} frames, opened {words} to its first picture", f"{opened:.2f} s", at_most(opened, 2, "s"))
        report.line(
            "  longest stall of the GUI thread while scrolling", f"{1000 * scrolled:.0f} ms", at_most(1000 * scrolled, 50, "ms")
        )
        report.line("  profile and balance given to all", f"{gave:.2f} s", at_most(gave, 1, "s"))


LIBRARY = """
import os, sys, time
os.sched_setaffinity(0, {0})
from io import BytesIO
import cv2, numpy as np, rawpy
from PIL import Image
from velkin.core.icc.transform import convert
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.rgb import ROMM, SRGB
source, target = matrix_profile(ROMM), matrix_profile(SRGB)
def library(path):
    with rawpy.imread(path) as opened:
        pixels = opened.postprocess(output_bps=16, use_camera_wb=True, no_auto_bright=True)
    small = cv2.resize(pixels, (2048, 1365), interpolation=cv2.INTER_AREA)
    codes = np.asarray(convert(small, source, target, optimise=True))
    Image.fromarray((codes >> 8).astype(np.uint8)).save(BytesIO(), "JPEG", quality=92, subsampling=0, icc_profile=target)
library(sys.argv[1])
begun = time.perf_counter()
for path in sys.argv[1:]:
    library(path)
print(time.perf_counter() - begun)
"""


def _alone(script: str, *words: str, **variables: str) -> str:
    done = subprocess.run(
        [sys.executable, "-c", script, *words], capture_output=True, text=True, check=True, env=os.environ | variables
    )
    return done.stdout.strip().splitlines()[-1]


def bench_handoff(report: Report, shoot_path: Path, folder: Path) -> None:
    """Hand-off of all frames against decode + LittleCMS + encode alone on one core."""
    shoot = Shoot.open(shoot_path)
    frames = shoot.state.order()
    sources = [shoot.state.frames[f].path for f in frames]
    rounds = []
    for attempt in range(2):
        base = float(_alone(LIBRARY, *(str(p) for p in sources)))
        destination = replace(shoot.state.destinations[0], folder=str(folder / f"out{attempt}"))
        jobs = plan_for(shoot, frames, (destination,)).jobs
        begun = time.perf_counter()
        results = list(run(jobs))
        ours = time.perf_counter() - begun
        assert all(d.ok for d in results), [d.finding for d in results if not d.ok]
        rounds.append((ours / base, ours, base))
    ratio, ours, base = (statistics.median(r[i] for r in rounds) for i in range(3))
    report.line(
        f"hand-off of {len(frames)} frames, written and checked",
        f"{ours:.2f} s = {ratio:.2f} x",
        f"decode + convert + encode, one core {base:.2f} s",
        at_most(ratio, 0.7, "x"),
    )
    shoot.close()
    words = ["handoff", str(shoot_path), "--to", "web", "--out", str(folder / "peak")]
    code = f"import sys; from velkin.cli import main; sys.exit(main({words!r}))"
    process = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    peak = most_memory(process)
    assert process.wait() == 0
    report.line("  peak memory of the hand-off on the command line", f"{peak / 1024:.0f} MB")


DEMO = """
import sys, time
begun = time.perf_counter()
import gc
gc.disable()  # as the command does
from pathlib import Path
from PyQt6.QtCore import QEventLoop, QSettings, QTimer
from velkin.app.main import leave, make_application, open_window, settle
app = make_application()
window = open_window(None, QSettings(sys.argv[1], QSettings.Format.IniFormat))
window.show()
window.jobs.demo.open()
loop = QEventLoop()
window.service.rendered.connect(lambda _: QTimer.singleShot(0, loop.quit))
loop.exec()
app.processEvents()
assert window.view.has_picture
there = time.perf_counter() - begun
settled = len(sys.argv) > 2 and settle(window, 60)
print(there, time.perf_counter() - begun if settled else 0)
leave(window)
"""


def bench_demo(report: Report, folder: Path) -> None:
    """`make demo`: the first time until there is a picture to look at, and the second time, with all of it."""
    first, _ = map(float, _alone(DEMO, str(folder / "s.ini"), XDG_DATA_HOME=str(folder / "fresh")).split())
    report.line("demo, first time, window with its first picture", f"{first:.1f} s", at_most(first, 20, "s"))
    shutil.copytree(demo_folder(), folder / "again" / "velkin" / "demo")
    environment = {"XDG_DATA_HOME": str(folder / "again")}
    runs = [_alone(DEMO, str(folder / "s.ini"), "settled", **environment) for _ in range(5)]
    again, whole = (statistics.median(column) for column in zip(*(map(float, r.split()) for r in runs), strict=True))
    cold = {**environment, "XDG_CACHE_HOME": str(folder / "caches")}
    _, whole_cold = map(float, _alone(DEMO, str(folder / "s.ini"), "settled", **cold).split())
    base = statistics.median(float(_alone(BASE, str(demo_folder() / "frames/north-0412.dng"))) for _ in range(5))
    report.line(
        "demo, second time, window with its first picture", f"{again:.2f} s = {again / base:.2f} x", f"base {base:.2f} s"
    )
    told = f"where nothing of it is kept in the caches {whole_cold:.2f} s"
    report.line("  all its figures and thumbnails", f"{whole:.2f} s", told, at_most(whole, 3, "s"))


#: Parts that are run when they are named only: what they hold has nothing to do with speed, or is in the longer day too.
_WHEN_NAMED = ("kills", "shares", "match", "day", "stalls")
#: Parts that are run beside a busy core too; that of the gestures tells both by itself.
_BESIDE_BUSY = ("window", "waiting", "steps", "toggling", "solids", "try-on", "shell")

_PAGE = f"""# Performance

Written by `make performance` (benchmarks/run.py) on {os.cpu_count()} cores, each part in one run; no number here was typed. What can be told as a ratio is one, to
a library's own work on the same data in the same run or to the same thing without Velkin; times are of the machine of that day, which other work may
have shared, so that parts of different days are not to be held against each other. What aims were missed stands at the end. `make bench PARTS=season`
prints a single part, `make performance PARTS=season` writes it into the page; {" and ".join((", ".join(_WHEN_NAMED[:-1]), _WHEN_NAMED[-1]))} are run when they are
named. Beside a busy core means: while another process keeps one of the cores busy.
"""


def main() -> None:
    """Print all figures, or those of the parts named; ``--page=FILE`` writes them into a page too."""
    print(f"Velkin bench, Python {sys.version.split()[0]}", flush=True)
    prepare_demo(progress=lambda done, total: print(f"making the demo, {done} of {total}", file=sys.stderr, flush=True))
    frames = demo_folder() / "frames"
    frame = frames / "north-0412.dng"
    report = Report()
    with tempfile.TemporaryDirectory(prefix="velkin-bench-") as name:
        shoot = Path(name) / "bench.velkin"
        write_demo_shoot(shoot, frames)
        parts: dict[str, Callable[[Path], object]] = {
            "demo": lambda f: bench_demo(report, f),
            "hand-off": lambda f: bench_handoff(report, shoot, f),
            "kills": lambda f: bench_kills(report, f, shoot),
            "chart": lambda f: bench_chart(report, frames),
            "profiles": lambda f: bench_profiles(report),
            "kernels": lambda f: bench_kernels(report),
            "large chart": lambda f: bench_large_chart(report, f),
            "day": lambda f: bench_day(report, f),
            "window": lambda f: bench_window(report, shoot, frame, f),
            "waiting": lambda f: bench_waiting(report, f),
            "steps": lambda f: bench_steps(report, f),
            "season": lambda f: bench_season(report, f),
            "changes": lambda f: bench_changes(report, f),
            "drags": lambda f: bench_drags(report, f, frames),
            "gestures": lambda f: bench_gestures(report, f, frame),
            "stalls": lambda f: bench_stalls(report, f, frames),
            "a thousand frames": lambda f: bench_thousand(report, f),
            "toggling": lambda f: bench_toggling(report, f, frame),
            "shares": lambda f: bench_shares(report, frames),
            "match": lambda f: bench_match(report, frame),
            "solids": lambda f: bench_solids(report),
            "conversions": lambda f: bench_conversions(report),
            "inspecting": lambda f: bench_inspecting(report, f),
            "layers": lambda f: bench_layers(report, f),
            "shell": lambda f: bench_shell(report, f),
            "try-on": lambda f: bench_try_on(report, f),
            "150 MP": lambda f: bench_huge(report, f, frame),
            "large hand-off": lambda f: bench_large(report, f, frame),
        }
        page = [w for w in sys.argv[1:] if w.startswith("--page=")]
        named = [w for w in sys.argv[1:] if w not in page]
        wanted = [p for p in parts if p in named or (not named and p not in _WHEN_NAMED)]
        if not wanted:
            sys.exit("bench: the parts are " + ", ".join(parts))
        for number, part in enumerate(wanted, start=1):
            own, again = (Path(name) / f"{part.replace(' ', '-')}{more}" for more in ("", "-busy"))
            own.mkdir()  # each run has a folder of its own, so that none meets another's files
            again.mkdir()
            busy = partial(parts[part], again) if part in _BESIDE_BUSY else None
            report.part(part, number, len(wanted), partial(parts[part], own), busy)
            for folder in (own, again):
                shutil.rmtree(folder, ignore_errors=True)
    report.end()
    if page:
        out = Path(page[0].partition("=")[2])
        before = out.read_text(encoding="utf-8") if out.exists() else ""
        out.write_text(report.page(_PAGE, before, tuple(parts)), encoding="utf-8")


if __name__ == "__main__":
    main()
