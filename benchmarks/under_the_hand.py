"""The window under the hand: what waits for what, what a step costs, and how long the GUI thread stands still in an hour of work."""

from __future__ import annotations

import json
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

_DAY = (
    HEAD
    + """
import faulthandler, threading
settle(window, 60)  # from here on the window stands; what its start takes is measured elsewhere
beat, stalls, busy, taken_away = [time.perf_counter()], [], [True], [0]
ended = {}  # when the first beat came after one that was late; whoever watches is not there at that moment
def stolen():
    # hundredths of a second in which the host ran something else in the place of this machine, proc(5); 0 where it is a real one
    return int(Path("/proc/stat").read_text().splitlines()[0].split()[8])
def tick():
    now = time.perf_counter()
    if now - beat[0] > 0.02:
        ended[beat[0]] = now
    beat[0] = now
timer = QTimer()
timer.setInterval(2)
timer.timeout.connect(tick)
timer.start()
main = f"{threading.get_ident():016x}"
notes = open(folder / "stack.txt", "w+")
def where_main_is():
    # told by the interpreter's own fault handler: frames of a thread that runs are not to be touched by another
    notes.seek(0)
    notes.truncate()
    faulthandler.dump_traceback(notes, all_threads=True)
    notes.seek(0)
    mine = notes.read().partition(main)[2].partition("\\nThread")[0]
    for line in mine.splitlines():
        if "/velkin/" in line:
            file, _, place = line.strip().partition(", line ")
            return f"{Path(file.split(chr(34))[1]).stem}.{place.split(' in ')[1]}"
    return "Qt"
def watch():
    before = stolen()
    while busy[0]:
        time.sleep(0.004)
        seen = beat[0]
        if time.perf_counter() - seen < 0.02:
            before = stolen()
            continue
        where = {}
        while beat[0] == seen and busy[0]:
            name = where_main_is()
            where[name] = where.get(name, 0) + 1
            time.sleep(0.02)  # to ask more often would itself keep the thread waiting that is watched
        cause = max(where, key=where.get) if where else "?"
        if stolen() > before:
            taken_away[0] += 1
        elif seen in ended:
            stalls.append((ended[seen] - seen, f"{doing[0]}: {cause}"))
doing = ["start"]
watcher = threading.Thread(target=watch)
watcher.start()
def at(what):
    doing[0] = what
at("the start")
look_ahead(window)  # as the program does when its window is there
until(lambda: window.navigator.all_made)
at("a new shoot")
window.jobs.shoots.new(folder / "day.velkin")
until(lambda: window.model.shoot is not None)
at("importing")
window.jobs.importing.add_files([Path(sys.argv[2])])
until(lambda: len(window.model.state.frames) == 12)
until(lambda: not window.lanes.running(Lane.BACKGROUND))
ids = {f.name: f.id for f in window.model.state.frames.values()}
settle(window, 60)
for chart in ("north-0401", "lamp-0501"):
    at("reading a chart")
    room = window.navigator.made(Page.CHART)
    window.model.places.go(Page.CHART, ids[chart])
    until(lambda: room.kept is not None and room.view.has_picture)
    at("fitting")
    room.fit()
    until(lambda: room.profile is not None)
    at("giving")
    room._give(True)
    until(lambda: window.model.state.frames[ids[chart]].profile is not None)
    settle(window, 60)
at("stepping through frames")
for _ in range(11):
    window.model.step(1)
    settle(window, 60)
at("stepping back")
for _ in range(11):
    window.model.step(-1)
    until(lambda: window.flow.current is not None)
at("comparing")
window.model.select(ids["north-0412"])
for way in ("wipe", "side", "grid", "off"):
    window.model.compare(way)
    settle(window, 60)
at("proofing")
window.model.open_stop("proof")
window.model.show_hatching(True)
window.model.proof.show(True)
settle(window, 60)
at("easing")
window.benches.proof.easing.solve()
until(lambda: window.benches.proof.easing.found.isVisibleTo(window.benches.proof))
window.benches.proof.easing.use_found.click()
settle(window, 60)
for page in (Page.INTENTS, Page.GAMUT):
    at(f"the {page.value} room")
    window.model.places.go(page, ids["north-0412"])
    until(lambda: not window.lanes.running(Lane.ROOM))
    window.model.places.back()
    settle(window, 60)
at("handing off")
window.model.open_stop("handoff")
window.benches.handoff.start()
until(lambda: not window.jobs.handoff.running and bool(window.jobs.handoff.results), 300)
settle(window, 60)
at("undoing")
for _ in range(4):
    window.model.undo()
    settle(window, 60)
at("opening again")
window.jobs.shoots.open(folder / "day.velkin")
settle(window, 60)
at("closing")
leave(window)
busy[0] = False
watcher.join()
import json
print(json.dumps([taken_away[0], sorted(stalls, reverse=True)[:3]]))
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
rates = [(rate(room.bench.colour.slider), rate(room.bench.exact.slider)) for _ in range(3)]
print(*(sorted(r)[1] for r in zip(*rates)))
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


def bench_stalls(report: Report, folder: Path, frames: Path) -> None:
    """The longest times that the GUI thread stood still from a new shoot to its hand-off, and what it did then.

    Of three such days the middle one counts. A virtual machine that its host takes away for a moment looks like a stall; where the
    kernel tells of it, that one is left out and counted.
    """
    days, left_out = [], 0
    for number in range(3):
        (folder / str(number)).mkdir()
        away, stalls = json.loads(last_line(_DAY, str(folder / str(number)), str(frames)))
        days.append(stalls)
        left_out += away
    longest = sorted(days, key=lambda day: day[0][0] if day else 0)[1]
    for number, (seconds, cause) in enumerate(longest):
        aims = (at_most(1000 * seconds, 50, "ms"),) if number == 0 else ()
        report.line("longest stall in a whole job" if number == 0 else "  then", f"{1000 * seconds:.0f} ms", cause, *aims)
    if not longest:
        report.line("longest stall in a whole job", "below 20 ms")
    report.line("  left out", f"{left_out}", "stalls over 20 ms in three days while the host took this machine away")
