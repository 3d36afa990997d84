"""What several tests do with the window."""

import time
from collections.abc import Iterator
from contextlib import contextmanager

from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMessageBox


def open_shoot(window, path) -> bool:
    """Open a shoot as the window does it, and wait until it is there or was refused."""
    answers: list[bool] = []
    window.jobs.shoots.open(path, answers.append)
    end = time.monotonic() + 60
    while not answers and time.monotonic() < end:
        QTest.qWait(5)
    return answers == [True]


def close(window) -> None:
    """Close the window; what a test left running is cancelled or waited for, so that nothing is asked."""
    window.model.places.end()
    for bench in window.benches.asides():
        bench.end_it()
    window.jobs.handoff.cancel()
    end = time.monotonic() + 30
    while window.model.shoot is not None and _at_work(window.jobs) and time.monotonic() < end:
        QTest.qWait(5)
    window.close()
    window.deleteLater()  # else each theme would be put on the windows of all earlier tests
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def _at_work(jobs) -> bool:
    return jobs.handoff.running or jobs.importing.coming_in


def point_at(window, at: QPoint) -> None:
    """Move the pointer over the picture; a move that came while the window was still being laid out is made again."""
    end = time.monotonic() + 60
    while window.flow.pointer is None and time.monotonic() < end:
        QTest.mouseMove(window.view, at + QPoint(1, 1))
        QTest.mouseMove(window.view, at)
        QTest.qWait(5)


def wheel(widget, at: QPointF, turn: int) -> None:
    """Turn the wheel over a widget, by 120 a notch, away from the hand where it is above nought.

    Who does not take it passes it on to what it lies in, as Qt does with one that comes from a hand.
    """
    none = Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False
    where, taken = widget.mapToGlobal(at), False
    while widget is not None and not taken:
        event = QWheelEvent(widget.mapFromGlobal(where), where, QPoint(), QPoint(0, turn), *none)
        taken = QApplication.sendEvent(widget, event) and event.isAccepted()
        widget = widget.parentWidget()


@contextmanager
def answered(button: str, asked: list[str]) -> Iterator[None]:
    """Inside, a question is answered by a click on one of its buttons; its words go to `asked`."""

    def look() -> None:
        box = QApplication.activeModalWidget()
        if isinstance(box, QMessageBox):
            wanted = next(b for b in box.buttons() if b.text().replace("&", "") == button)
            asked.append(box.text())
            QTest.mouseClick(wanted, Qt.MouseButton.LeftButton)

    timer = QTimer()
    timer.timeout.connect(look)
    timer.start(20)
    try:
        yield
    finally:
        timer.stop()


def when_asked(sheet_class, answer, seen):
    """Once a sheet is there, `answer` it."""

    def look():
        sheet = QApplication.activeModalWidget()
        if not isinstance(sheet, sheet_class):
            QTimer.singleShot(20, look)
            return
        seen.append(sheet)
        answer(sheet)

    QTimer.singleShot(20, look)
