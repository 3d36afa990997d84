"""Garbage is collected on the window's thread only.

Python collects what holds itself in a circle on whichever thread happens to allocate just then. Where that is a worker's and the
circle holds parts of a window, Qt lives on with them until its own thread comes round to deleting them, while the functions
connected to their signals are emptied already: the next signal then calls one, and the process ends. So nothing is collected by
itself; it is done between two events, where no such part is in use.
"""

from __future__ import annotations

import gc
import time

from PyQt6.QtCore import QObject, QTimer

#: How often it is looked whether there is enough to collect, and how often while it rests, milliseconds.
_EVERY, _SELDOM = 500, 60_000
#: What is still there after a collection that took longer, seconds, is not looked through again: the frames of a large shoot, and what was written
#: of them. They hold themselves in no circle, so that they go when they are let go of, all the same.
_LONG = 0.01
#: All is looked through when so many objects came since it last was, so that each time is short.
_MUCH = 50_000


class Collector(QObject):
    """Collects garbage between the events of the thread it is made on, as soon and as deep as Python's own thresholds say, or sooner."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._came = 0
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._look)
        self._timer.start(_EVERY)

    def rest(self) -> None:
        """Hardly collect until `keep`: much is being loaded that stays, and would be looked through meanwhile."""
        self._timer.start(_SELDOM)

    def keep(self) -> None:
        """Take all there is for good, so that it is not looked through again and again, and go on."""
        gc.freeze()
        self._timer.start(_EVERY)

    def _look(self) -> None:
        counts = gc.get_count()
        due = [generation for generation, most in enumerate(gc.get_threshold()) if counts[generation] > most]
        if not due:
            return
        self._came += counts[0]
        if due[-1] < 2 and self._came <= _MUCH:
            gc.collect(due[-1])
            return
        begun = time.perf_counter()
        gc.collect()
        self._came = 0
        if time.perf_counter() - begun > _LONG:
            gc.freeze()
