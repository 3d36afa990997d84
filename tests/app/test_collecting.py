"""What holds itself in a circle and holds parts of a window is collected on the window's thread, whichever thread allocates."""

import gc
import threading
import weakref

from PyQt6.QtCore import QObject, QTimer

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
