"""What each gesture of the hand costs in the real window, on an idle machine and beside a process that keeps one core busy."""

from __future__ import annotations

import json
import shutil
import statistics
from pathlib import Path

from busy import one_core_busy
from figures import Report, at_least, at_most
from handing_off import large_frames
from under_the_hand import HEAD, last_line

from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot

#: What may pass between a gesture and what it shows, milliseconds: at most a quarter of a blink where one acts, a blink where pixels are new.
BUDGETS = {
    "next frame, looked at for a second each": 100,
    "next frame, at once again: its preview or its picture": 100,
    "another stop": 50,
    "hatching on or off": 60,
    "the proof on or off": 60,
    "one notch of zoom: what is there, larger": 33,
    "  until it is sharp": 250,
    "the numbers under the pointer": 16,
    "a letter in the search for commands": 50,
    "undo of an exposure": 150,
}

_GESTURES = (
    HEAD
    + """
import json, statistics
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from velkin.app.sheets.finder import Finder
from velkin.core.gamut.easing import KNEE
window.jobs.shoots.open(folder / sys.argv[2])
look_ahead(window)
until(lambda: window.navigator.all_made)
assert settle(window, 120)
window.activateWindow()
view, flow, model = window.view, window.flow, window.model
view.setFocus()
found = {}
def took(name, act, ready, rest=0.0, times=8, whole=False):
    spent = []
    for number in range(times + 1):
        begun = time.perf_counter()
        act(number)
        until(ready)
        (window if whole else view).repaint()
        if number:  # the first time brings up what is needed
            spent.append(1000 * (time.perf_counter() - begun))
        if rest:
            settle(window, rest)
    found[name] = statistics.median(spent)
def key(k, *mods):
    return lambda _: QTest.keyClick(view, k, *mods)
def there_and_back(k, l, every=3):
    return lambda n: QTest.keyClick(view, k if n // every % 2 == 0 else l)
right, left = Qt.Key.Key_Right, Qt.Key.Key_Left
took("next frame, looked at for a second each", there_and_back(right, left), lambda: flow.current is not None, 20)
took("next frame, at once again: its preview or its picture", there_and_back(right, left, 6), lambda: flow.glimpse or flow.current is not None)
settle(window, 60)
took("another stop", lambda n: QTest.keyClick(view, (Qt.Key.Key_4, Qt.Key.Key_2)[n % 2]), lambda: True, whole=True)
drawn = lambda: flow.rendered is not None and flow.rendered.seen == flow.seen()
took("hatching on or off", key(Qt.Key.Key_X), drawn, 20)
took("the proof on or off", key(Qt.Key.Key_D), drawn, 20)
middle = QPoint(view.width() // 2, view.height() // 2)
def notch(n):
    up = 120 if n // 5 % 2 == 0 else -120
    app.sendEvent(view, QWheelEvent(QPointF(middle), QPointF(view.mapToGlobal(middle)), QPoint(), QPoint(0, up), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False))
took("one notch of zoom: what is there, larger", notch, lambda: True, times=9)
took("  until it is sharp", notch, drawn, times=9)
view.fit()
settle(window, 60)
def point(n):
    window.status.lab.value.setText("")
    QTest.mouseMove(view, middle + QPoint(3 * n + 1, n))
took("the numbers under the pointer", point, lambda: window.status.lab.value.text() != "", times=20)
finder = Finder(list(window.menu.by_name.values()), window)
finder.show()
took("a letter in the search for commands", lambda n: QTest.keyClick(finder.field, "gamut room"[n]), lambda: finder.list.count() > 0, times=8)
finder.close()
view.setFocus()
for n in range(9):
    window.jobs.camera.set_exposure((model.current,), 0.1 * n + 0.1)
    settle(window, 20)
window.activateWindow()
until(window.isActiveWindow)
view.setFocus()
was = [None]
def undo(n):
    was[0] = model.path()
    QTest.keyClick(view, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
took("undo of an exposure", undo, lambda: model.path() != was[0] and flow.current is not None, 20, 7)
model.open_stop("proof")
bench = window.benches.proof.easing
bench.add_stage(KNEE)
settle(window, 120)
slider = bench.strength.slider
slider.setSliderDown(True)
begun = time.perf_counter()
for n in range(60):
    old = flow.rendered
    slider.setValue(99 - n)
    until(lambda: flow.rendered is not old)
    view.repaint()
found["drag"] = 60 / (time.perf_counter() - begun)
begun = time.perf_counter()
slider.setSliderDown(False)
until(lambda: flow.measured is not None and flow.measured.exact and flow.measured.path == model.path())
found["exact"] = time.perf_counter() - begun
most = next(r for r in Path("/proc/self/status").read_text().splitlines() if r.startswith("VmHWM"))
found["memory"] = int(most.split()[1]) / 1024
print(json.dumps(found))
leave(window)
"""
)


def _day(folder: Path, name: str) -> str:
    """All gestures on a copy of the shoot; what each took."""
    shutil.copy(folder / "large.velkin", folder / f"{name}.velkin")
    return last_line(_GESTURES, str(folder), f"{name}.velkin")


def bench_gestures(report: Report, folder: Path, frame: Path) -> None:
    """Each gesture against its budget, on six raw frames of 24 MP."""
    frames = large_frames(folder / "large", frame, 6)
    shoot = Shoot.create(folder / "large.velkin", "large")
    shoot.frames.add_frames([look_at(p) for p in frames], "light")
    shoot.close()
    runs = []
    for busy in (False, True):
        with one_core_busy(busy):
            runs.append([json.loads(_day(folder, f"{busy}{number}")) for number in range(1)])
    idle, beside = ({name: statistics.median(r[name] for r in run) for name in run[0]} for run in runs)
    for name, budget in BUDGETS.items():
        report.line(
            name, f"{idle[name]:.0f} ms", f"beside a busy core {beside[name]:.0f} ms", at_most(idle[name], budget, "ms")
        )
    report.line(
        "an easing's strength dragged, 24 MP", f"{idle['drag']:.0f} updates/s",
        f"beside a busy core {beside['drag']:.0f}", at_least(idle["drag"], 30), at_least(beside["drag"], 20, "busy"),
    )  # fmt: skip
    report.line(
        "  its exact share after letting go", f"{idle['exact']:.2f} s", f"beside a busy core {beside['exact']:.2f} s",
        at_most(idle["exact"], 2, "s"),
    )  # fmt: skip
    report.line("  most memory meanwhile", f"{idle['memory']:.0f} MB")
