"""The window under the hand: what waits for what, and what a step, a change and a drag cost."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

from figures import Report, at_least, at_most

from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.frame import Role
from velkin.core.shoot.shoot import Shoot
from velkin.sim.crowd import make_crowd
from velkin.sim.demo import write_demo_shoot

HEAD = """
import sys, time
from pathlib import Path
from PyQt6.QtCore import QEventLoop, QSettings, QTimer
from velkin.app.jobs.lanes import Lane
from velkin.app.main import leave, look_ahead, make_application, settle
from velkin.app.model.places import Page
from velkin.app.window import Window
app = make_application()
folder = Path(sys.argv[1])
settings = QSettings(str(folder / "w.ini"), QSettings.Format.IniFormat)
settings.setValue("shelf", str(folder / "shelf"))
settings.setValue("icc_folders", [str(folder / "icc")])
window = Window(settings)
window.resize(1280, 800)
window.show()
def until(ready, seconds=120):
    end = time.perf_counter() + seconds
    loop = QEventLoop()
    while not ready() and time.perf_counter() < end:
        QTimer.singleShot(2, loop.quit)
        loop.exec()
    assert ready(), "it did not come"
"""

_WAITING = (
    HEAD
    + """
window.jobs.shoots.open(folder / "crowd.velkin")
until(lambda: window.flow.measured is not None and window.flow.measured.exact)
state = window.model.state
charts = [f for f in state.order() if state.frames[f].role == "chart"]
room = window.navigator.made(Page.CHART)
def read(frame):
    begun = time.perf_counter()
    window.model.places.go(Page.CHART, frame)
    until(lambda: frame in window.model.state.readings)
    taken = time.perf_counter() - begun
    window.model.places.back()
    return taken
read(charts[6])  # the first time loads what is needed
alone = [read(f) for f in charts[:3]]
subjects = tuple(f for f in state.order() if state.frames[f].role == "subject")
window.jobs.importing.spot(subjects)
until(lambda: window.lanes.running(Lane.BACKGROUND))
while_looking = [read(f) for f in charts[3:6]]
assert window.lanes.running(Lane.BACKGROUND), "the looking was over too soon"
window.lanes.cancel_all()
print(sorted(alone)[1], sorted(while_looking)[1], len(subjects))
leave(window)
"""
)

_STEPS = (
    HEAD
    + """
window.jobs.shoots.open(folder / sys.argv[2])
until(lambda: window.flow.measured is not None and window.flow.measured.exact)
times = []
for _ in range(40):
    begun = time.perf_counter()
    window.model.step(1)
    times.append(time.perf_counter() - begun)
    app.processEvents()
print(sorted(times)[len(times) // 2], sorted(times)[-3], len(window.model.written()))
leave(window)
"""
)

_DRAGS = (
    HEAD
    + """
window.jobs.shoots.open(folder / "matched.velkin")
until(lambda: window.flow.measured is not None and window.flow.measured.exact)
ids = {f.name: f.id for f in window.model.state.frames.values()}
window.model.select(ids["lamp-0505"], (ids["lamp-0505"], ids["north-0412"]))
until(lambda: window.flow.measured is not None and window.flow.measured.exact)
window.actions_.look.match()
room = window.navigator.room
room.add_from_charts()
until(lambda: room.learnt is not None)
assert settle(window, 90)
shown = []
window.flow.shown.connect(shown.append)
def rate(slider):
    moments = iter(range(10_000))
    timer, loop = QTimer(), QEventLoop()
    timer.timeout.connect(lambda: slider.setValue(95 - next(moments) % 60))
    slider.setSliderDown(True)
    timer.start(10)
    QTimer.singleShot(3000, loop.quit)
    before = len(shown)
    loop.exec()
    timer.stop()
    slider.setSliderDown(False)
    drawn = len(shown) - before
    assert settle(window, 90)
    return drawn / 3.0
rate(room.bench.colour.slider)  # the first time loads what is needed
rates = [(rate(room.bench.colour.slider), rate(room.bench.exact.slider)) for _ in range(2)]
print(*(sum(r) / len(rates) for r in zip(*rates)))
window.model.places.end()
leave(window)
"""
)


def last_line(script: str, *words: str) -> str:
    done = subprocess.run(
        [sys.executable, "-c", script, *words], capture_output=True, text=True, env=dict(os.environ), check=False
    )
    if done.returncode:
        raise RuntimeError(done.stderr.strip().splitlines()[-1] if done.stderr.strip() else f"status {done.returncode}")
    return done.stdout.strip().splitlines()[-1]


def _run(script: str, *words: str) -> list[float]:
    return [float(v) for v in last_line(script, *words).split()]


def _crowd(folder: Path, count: int) -> None:
    shoot = Shoot.create(folder / "crowd.velkin", "crowd")
    arrivals = [look_at(p) for p in make_crowd(folder / "crowd", count, lights=8)]
    ids = shoot.frames.add_frames(arrivals)
    each = -(-count // 8)
    shoot.frames.set_role([f for n, f in enumerate(ids) if n % each == 0], Role.CHART)
    shoot.close()


def large_shoot(folder: Path, name: str, count: int, written: bool, lights: int = 4) -> None:
    """A shoot of many frames that share a few files on the disk, as if all were handed off as they are."""
    files = make_crowd(folder / "few", 40, lights=4)
    arrivals = [look_at(p) for p in files]
    shoot = Shoot.create(folder / name, name)
    many = [replace(arrivals[n % len(arrivals)], digest=f"{n:064d}") for n in range(count)]
    ids = []
    for light in range(lights):
        ids += shoot.frames.add_frames(many[light * count // lights : (light + 1) * count // lights], f"light {light + 1}")
    if written:
        state = shoot.state
        web = next(d for d in state.destinations if d.id == "web")
        with shoot._store.plain():
            shoot._store.many(
                "INSERT INTO written(frame, destination, path, at, ok, finding, state) VALUES (?, 'web', ?, '2026-05-04', 1, 'checked', ?)",
                [(f, str(folder / "web" / f"{f}.jpg"), state.fingerprint(f, web)) for f in ids],
            )
    shoot.close()


def bench_waiting(report: Report, folder: Path) -> None:
    """A chart read by hand while a thousand frames are looked through."""
    _crowd(folder, 1000)
    rounds = [_run(_WAITING, str(folder)) for _ in range(3)]
    alone, busy = (statistics.median(r[i] for r in rounds) for i in range(2))
    report.line(
        f"chart read while {rounds[0][2]:.0f} frames are looked through",
        f"{1000 * busy:.0f} ms = {busy / alone:.2f} x",
        f"alone {1000 * alone:.0f} ms",
        at_most(busy / alone, 2, "x"),
    )


def bench_steps(report: Report, folder: Path) -> None:
    """A step to the next frame in a shoot of ten thousand frames, with none and with all of them written."""
    for name, written in (("none", False), ("all", True)):
        large_shoot(folder, f"{name}.velkin", 10_000, written)
        median, high, count = _run(_STEPS, str(folder), f"{name}.velkin")
        report.line(
            f"step to the next of 10,000 frames, {count:.0f} files written",
            f"{1000 * median:.1f} ms, high {1000 * high:.1f}",
            "on the GUI thread",
            at_most(1000 * median, 16, "ms"),
        )


def bench_changes(report: Report, folder: Path) -> None:
    """What a decision about one frame costs in a large shoot, and what a drag over a hundred frames leaves behind."""
    large_shoot(folder, "large.velkin", 5000, False)
    shoot = Shoot.open(folder / "large.velkin")
    order = shoot.state.order()
    times = []
    for number, frame in enumerate(order[:40]):
        begun = time.perf_counter()
        shoot.camera.set_exposure([frame], 0.1 * number + 0.05)
        shoot.state  # noqa: B018  read anew, as the window does after every change
        times.append(time.perf_counter() - begun)
    report.line(
        "a one-frame change in a shoot of 5,000 frames",
        f"{1000 * statistics.median(times):.1f} ms",
        "written and read again",
        at_most(1000 * statistics.median(times), 5, "ms"),
    )
    before = folder.joinpath("large.velkin-wal").stat().st_size
    begun = time.perf_counter()
    for moment in range(100):
        shoot.camera.set_balance(order[:100], (1.5 + moment / 100, 1.0, 1.25), "temperature", joins=True)
    dragged = time.perf_counter() - begun
    grown = folder.joinpath("large.velkin-wal").stat().st_size - before
    begun = time.perf_counter()
    shoot.undo()
    shoot.state  # noqa: B018
    undone = time.perf_counter() - begun
    report.line("a drag of 100 moments over 100 frames", f"{10 * dragged:.1f} ms a moment", f"{grown / 1e6:.1f} MB in the log")
    report.line("  undone at once", f"{1000 * undone:.0f} ms")
    shoot.close()


def bench_drags(report: Report, folder: Path, frames: Path) -> None:
    """How often the picture in the match room follows a slider that is dragged."""
    write_demo_shoot(folder / "matched.velkin", frames)
    amount, evenness = _run(_DRAGS, str(folder))
    report.line("match room, an amount dragged", f"{amount:.0f} updates a second", at_least(amount, 20))
    report.line("  evenness dragged, learnt anew each time", f"{evenness:.0f} updates a second", at_least(evenness, 20))
