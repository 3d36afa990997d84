"""Days of work in one window from a new shoot to its hand-off, and the longest times that the GUI thread stood still in them."""

from __future__ import annotations

import json
from io import BytesIO
from pathlib import Path

import numpy as np
import tifffile
from figures import Report, at_most
from under_the_hand import HEAD, last_line

from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.rgb import OPRGB
from velkin.sim.crowd import make_crowd

WATCH = (
    HEAD
    + """
import faulthandler, threading
settle(window, 60)  # from here on the window stands; what its start takes is measured elsewhere
beat, stalls, busy, taken_away = [time.perf_counter(), time.thread_time()], [], [True], [0]
ended = {}  # when the first beat came after one that was late, and what the thread itself worked meanwhile; whoever watches is not there then
def stolen():
    # hundredths of a second in which the host ran something else in the place of this machine, proc(5); 0 where it is a real one
    return int(Path("/proc/stat").read_text().splitlines()[0].split()[8])
def tick():
    now, own = time.perf_counter(), time.thread_time()
    if now - beat[0] > 0.02:
        ended[beat[0]] = now, own - beat[1]
    beat[:] = now, own
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
            stalls.append((ended[seen][0] - seen, ended[seen][1], f"{doing[0]}: {cause}"))
doing, phases = ["start"], []
watcher = threading.Thread(target=watch, daemon=True)  # a day that fails ends
watcher.start()
def at(what):
    doing[0] = what
    phases.append((what, time.perf_counter()))
def told():
    # what was left out, the longest stalls, and how long each part of the work took and its longest stall
    at("")
    busy[0] = False
    watcher.join()
    parts = {}
    for (name, begun), (_, ended) in zip(phases, phases[1:]):
        parts[name] = parts.get(name, 0.0) + ended - begun
    worst = {name: max((s for s, _, cause in stalls if cause.startswith(name + ": ")), default=0.0) for name in parts}
    return [taken_away[0], sorted(stalls, reverse=True)[:3], [(n, parts[n], worst[n]) for n in parts]]
"""
)

_JOB = (
    WATCH
    + """at("the start")
look_ahead(window)  # as the program does when its window is there
until(lambda: window.navigator.all_made)
at("a new shoot")
window.jobs.shoots.new(folder / "day.velkin")
until(lambda: window.model.shoot is not None)
at("importing")
window.jobs.importing.add_files([Path(sys.argv[2])])
until(lambda: len(window.model.state.frames) == 12 and not window.jobs.importing.coming_in)
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
import json
print(json.dumps(told()))
"""
)

_THOUSAND = (
    WATCH
    + """
from velkin.core.destinations.starters import STARTERS
from velkin.core.icc.transform import Intent
from velkin.core.spaces.rgb import SRGB
at("the start")
look_ahead(window)
until(lambda: window.navigator.all_made)
at("importing")
window.jobs.shoots.new(folder / "day.velkin")
until(lambda: window.model.shoot is not None)
window.jobs.importing.add_files([folder / "raw", folder / "finished"])
until(lambda: len(window.model.state.frames) == 1000 and not window.jobs.importing.coming_in, 600)
until(lambda: not window.lanes.running(Lane.BACKGROUND), 600)
settle(window, 300)
state = window.model.state
charts = [f for f in state.order() if state.frames[f].role == "chart"]
finished = [f for f in state.order() if state.frames[f].name.startswith("print")]
subjects = [f for f in state.order() if state.frames[f].role == "subject" and f not in finished]
assert len(charts) == 8 and len(finished) == 40, (len(charts), len(finished))
at("charts, fits and giving")
for chart in charts:
    window.model.select(chart)
    settle(window, 60)  # a frame is chosen, and then the key is pressed
    room = window.navigator.made(Page.CHART)
    window.model.places.go(Page.CHART, chart)
    until(lambda: room.kept is not None and room.view.has_picture)
    room.fit()
    until(lambda: room.profile is not None)
    room._give(True)
    until(lambda: window.model.state.frames[chart].profile is not None)
    settle(window, 60)
at("easings")
window.model.open_stop("proof")
window.model.show_hatching(True)
eased = 0
for frame in subjects[:: len(subjects) // 60][:60]:
    window.model.select(frame)
    settle(window, 60)
    bench = window.benches.proof
    bench.easing.solve()
    until(lambda: bench.easing.found.isVisibleTo(bench))
    bench.easing.use_found.click()
    settle(window, 60)
    eased += bool(window.model.state.easings.get(frame))
window.model.show_hatching(False)
settle(window, 60)
at("conversions")
window.model.open_stop("working")
settle(window, 60)
for frame in finished:
    window.model.select(frame)
    settle(window, 60)
    window.jobs.colour.convert((frame,), SRGB, Intent.RELATIVE, True)
    settle(window, 60)
converted = sum(bool(window.model.state.frames[f].ledger) for f in finished)
at("handing off to three")
window.model.open_stop("handoff")
window.jobs.handoff.add([(STARTERS["client"], None), (STARTERS["archive"], None)])
assert len(window.model.state.ticked()) == 3
window.model.select(subjects[0], ())
settle(window, 60)  # a frame is chosen, and then the button is pressed
window.benches.handoff.start()
until(lambda: not window.jobs.handoff.running and bool(window.jobs.handoff.results), 1800)
written = sum(d.ok for d in window.jobs.handoff.results)
settle(window, 60)
at("closing and opening")
window.jobs.shoots.close()
settle(window, 60)
window.jobs.shoots.open(folder / "day.velkin")
settle(window, 60)
at("leaving")
leave(window)
import json
print(json.dumps([told(), eased, converted, written]))
"""
)


def bench_stalls(report: Report, folder: Path, frames: Path) -> None:
    """The longest times that the GUI thread stood still from a new shoot to its hand-off, and what it did then.

    Of three such days the middle one counts. A virtual machine that its host takes away for a moment looks like a stall; where the
    kernel tells of it, that one is left out and counted.
    """
    days, left_out = [], 0
    for number in range(3):
        (folder / str(number)).mkdir()
        away, stalls, _ = json.loads(last_line(_JOB, str(folder / str(number)), str(frames)))
        days.append(stalls)
        left_out += away
    longest = sorted(days, key=lambda day: day[0][0] if day else 0)[1]
    _tell_longest(report, "longest stall in a whole job", longest)
    if not longest:
        report.line("longest stall in a whole job", "below 20 ms")
    report.line("  left out", f"{left_out}", "stalls over 20 ms in three days while the host took this machine away")


def bench_thousand(report: Report, folder: Path) -> None:
    """A thousand frames imported, their charts read, given, sixty eased, forty converted, handed off to three destinations, opened again."""
    make_crowd(folder / "raw", 960, lights=8)
    (folder / "finished").mkdir()
    rng, icc = np.random.default_rng(3), matrix_profile(OPRGB)
    tones = np.linspace(20, 235, 600)[None, :, None]
    for number in range(40):
        codes = np.clip(tones + 40 * rng.normal(size=3) + rng.normal(0, 6, (400, 600, 3)), 0, 255).astype(np.uint8)
        (folder / "finished" / f"print-{number:02d}.tif").write_bytes(_tagged(codes, icc))
    (away, longest, trace), eased, converted, written = json.loads(last_line(_THOUSAND, str(folder)))
    _tell_longest(report, "longest stall in the day", longest)
    report.line("  left out", f"{away}", "stalls over 20 ms while the host took this machine away")
    for name, seconds, stall in trace:
        report.line(f"  {name}", f"{seconds:.1f} s", f"longest stall {1000 * stall:.0f} ms" if stall else "no stall over 20 ms")
    report.line("  done", f"{eased} eased, {converted} converted, {written} files written and checked")


def _tell_longest(report: Report, name: str, longest: list[tuple[float, float, str]]) -> None:
    for number, (seconds, own, cause) in enumerate(longest):
        aims = (at_most(1000 * seconds, 50, "ms"),) if number == 0 else ()
        told = f"{cause}; {1000 * own:.0f} ms of it the thread's own work"
        report.line(name if number == 0 else "  then", f"{1000 * seconds:.0f} ms", told, *aims)


def _tagged(codes: np.ndarray, icc: bytes) -> bytes:
    """A TIFF of 8 bits with a profile."""
    out = BytesIO()
    tifffile.imwrite(out, codes, photometric="rgb", iccprofile=icc)
    return out.getvalue()
