"""What holds itself in a circle and holds parts of a window is collected on the window's thread, whichever thread allocates."""

import gc
import threading
import weakref

from PyQt6.QtCore import QObject, QTimer

from velkin.app import collecting
from velkin.app.main import make_application


class _Part(QObject):
    """A part of a window as they are: it holds itself through a function that is connected to its own timer."""

    def __init__(self) -> None:
        super().__init__()
        self.ticks = 0
        self.timer = QTimer(self)
        self.timer.timeout.connect(lambda: self.tick())
        self.timer.start(1)
        self.held = self

    def tick(self) -> None:
        self.ticks += 1


def _leave_a_part(qtbot, gone: list[int]) -> None:
    """Make a part, see it work, and forget it; on which thread it goes is told."""
    part = _Part()
    weakref.finalize(part, lambda: gone.append(threading.get_ident()))
    qtbot.waitUntil(lambda: part.ticks > 0, timeout=5000)


def _allocate(waste: list[object]) -> None:
    """More than enough to have Python collect all its generations on this thread, were it left to itself."""
    for _ in range(300_000):
        waste.append([])


def test_garbage_of_the_window_is_never_collected_by_a_worker(qtbot):
    make_application()
    usual = gc.get_threshold()
    gone: list[int] = []
    _leave_a_part(qtbot, gone)
    worker = threading.Thread(target=_allocate, args=([],))
    worker.start()
    worker.join()
    assert gone == []
    gc.set_threshold(1, 0, 0)  # as deep as it goes, soon: the part may be of any generation by now
    try:
        qtbot.waitUntil(lambda: gone != [], timeout=20000)
    finally:
        gc.set_threshold(*usual)
    assert gone == [threading.get_ident()]


class _Frame:
    """Something that a shoot is full of."""


def _collect_deep(qtbot, until) -> None:
    """Have the window's thread collect as deep as it goes until something is so."""
    usual = gc.get_threshold()
    gc.set_threshold(1, 0, 0)
    try:
        qtbot.waitUntil(until, timeout=20000)
    finally:
        gc.set_threshold(*usual)


def test_what_a_long_collection_leaves_is_not_looked_through_again_and_goes_when_it_is_let_go_of(qtbot, monkeypatch):
    make_application()
    monkeypatch.setattr(collecting, "_LONG", 0.0)
    frames = [_Frame() for _ in range(1000)]
    gone = weakref.ref(frames[0])
    before = gc.get_freeze_count()
    _collect_deep(qtbot, lambda: gc.get_freeze_count() >= before + 1000)
    assert not any(isinstance(o, _Frame) for o in gc.get_objects())
    frames.clear()
    assert gone() is None


def test_what_a_short_collection_leaves_is_looked_through_again(qtbot, monkeypatch):
    make_application()
    monkeypatch.setattr(collecting, "_LONG", float("inf"))
    gone: list[int] = []
    before = gc.get_freeze_count()
    _leave_a_part(qtbot, gone)
    _collect_deep(qtbot, lambda: gone != [])
    assert gc.get_freeze_count() <= before


def test_all_is_looked_through_as_soon_as_much_came(qtbot, monkeypatch):
    make_application()
    monkeypatch.setattr(collecting, "_MUCH", 2000)
    gone: list[int] = []
    part = _Part()
    weakref.finalize(part, lambda: gone.append(1))
    gc.collect()
    del part  # which is of the oldest generation now
    gc.collect(1)
    assert gone == []
    there = [[] for _ in range(4000)]
    qtbot.waitUntil(lambda: gone != [], timeout=20000)
    assert len(there) == 4000
