"""Work in turns of the event loop, so that what the hand does comes between.

A call that is only queued (`QTimer.singleShot(0, …)`) comes in the same turn as what else waits, the painting and the next such call
among it, and the hand waits for all of them together; a timer that has to run out begins a turn of its own.
"""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QWidget


def next_turn(of: QObject, call: Callable[[], object]) -> None:
    """Call in the next turn; never where `of` is gone by then."""
    timer = QTimer(of)
    timer.setSingleShot(True)
    timer.setInterval(1)
    timer.timeout.connect(call)
    timer.timeout.connect(timer.deleteLater)
    timer.start()


def paint_next_turn(widget: QWidget) -> None:
    """Have a widget that changes as a whole painted in the next turn, not in the one that changes it.

    Not for a top-level window: Qt paints nothing in one that it was once told not to paint, until it is uncovered.
    """
    if widget.updatesEnabled():
        widget.setUpdatesEnabled(False)
        next_turn(widget, lambda: widget.setUpdatesEnabled(True))
