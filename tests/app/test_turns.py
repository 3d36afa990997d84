"""Turns of the event loop: what is put off comes after what the hand did meanwhile, and never for what is gone."""

import time
from itertools import pairwise

import pytest
from PyQt6.QtCore import QEvent, QObject, QTimer
from PyQt6.QtWidgets import QApplication, QWidget

from velkin.app.main import make_application
from velkin.app.turns import next_turn, paint_next_turn


@pytest.fixture(autouse=True)
def application():
    make_application()


def test_between_two_steps_the_hand_has_its_turn(qtbot):
    """Steps of 10 ms beside a timer of 2 ms: queued calls come two by two."""
    of, log = QObject(), []
    beat = QTimer(of)
    beat.timeout.connect(lambda: log.append("hand"))

    def step():
        time.sleep(0.01)
        log.append("step")
        if log.count("step") < 6:
            next_turn(of, step)

    beat.start(2)
    next_turn(of, step)
    qtbot.waitUntil(lambda: log.count("step") == 6)
    beat.stop()
    assert not any(pair == ("step", "step") for pair in pairwise(log)), log


def test_what_is_gone_by_then_is_not_called(qtbot):
    of, called = QObject(), []
    next_turn(of, lambda: called.append("gone"))
    of.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    stays = QObject()
    next_turn(stays, lambda: called.append("there"))
    qtbot.waitUntil(lambda: bool(called))
    qtbot.wait(20)
    assert called == ["there"] and not stays.findChildren(QTimer)


class _Counting(QWidget):
    def __init__(self, parent):
        super().__init__(parent)
        self.painted = 0

    def paintEvent(self, event):
        self.painted += 1


def test_what_changes_as_a_whole_is_painted_in_the_next_turn_and_all_of_it(qtbot):
    window = QWidget()
    qtbot.addWidget(window)
    window.resize(300, 200)
    part = QWidget(window)
    one, other = _Counting(part), _Counting(part)
    for number, widget in enumerate((one, other)):
        widget.setGeometry(10 + 100 * number, 10, 80, 80)
    part.setGeometry(0, 0, 300, 200)
    window.show()
    qtbot.waitUntil(lambda: one.painted > 0)
    before = one.painted, other.painted
    paint_next_turn(part)
    paint_next_turn(part)
    one.update()
    QApplication.sendPostedEvents()
    assert (one.painted, other.painted) == before, "not in this turn"
    qtbot.waitUntil(lambda: one.painted > before[0])
    assert other.painted > before[1] and part.updatesEnabled()
