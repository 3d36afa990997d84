"""Each room entered, gone through and left without a mouse; two jobs at once beside what the hand does."""

import shutil

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QApplication, QRadioButton, QWidget

from tests.app.doing import open_shoot
from velkin.app.jobs.lanes import Lane
from velkin.app.main import settle
from velkin.app.model.places import Page
from velkin.core.shoot.store import backup
from velkin.sim.crowd import make_crowd

K = Qt.Key
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
NONE = Qt.KeyboardModifier.NoModifier


def reachable(room):
    """What Tab has to come to: of a group of which one is chosen, Qt comes to that one."""
    for widget in room.findChildren(QWidget):
        if not widget.isVisible() or not widget.isEnabled() or not widget.focusPolicy() & Qt.FocusPolicy.TabFocus:
            continue
        if widget.objectName().startswith("qt_") or widget.focusProxy() is not None or isinstance(widget, QRadioButton):
            continue
        if isinstance(widget, QAbstractButton) and widget.group() is not None and widget.group().exclusive():
            continue
        yield widget


def tour(qtbot, window, room):
    """Tab until the focus is where it began; where it came to."""
    seen = []
    for _ in range(120):
        focus = QApplication.focusWidget()
        assert focus is not None
        if focus in seen:
            return seen
        seen.append(focus)
        qtbot.keyClick(focus, K.Key_Tab)
        assert QApplication.focusWidget() is not focus, f"Tab stays in {type(focus).__name__} {focus.accessibleName()}"
    raise AssertionError("Tab comes to no end: " + ", ".join(f"{type(w).__name__} {w.accessibleName()}" for w in seen))


ENTERED = {
    Page.CHART: (K.Key_K, NONE),
    Page.FIT: (K.Key_R, CTRL),
    Page.SHELF: (K.Key_P, CTRL),
    Page.GAMUT: (K.Key_G, NONE),
    Page.INTENTS: (K.Key_I, NONE),
    Page.DESTINATIONS: (K.Key_D, CTRL | SHIFT),
    Page.RECEIVERS: (K.Key_E, NONE),
}


def test_every_room_is_entered_gone_through_and_left_by_keys(qtbot, window, ids):
    qtbot.waitUntil(window.isActiveWindow, timeout=60000)
    window.model.select(ids["north-0401"])
    assert settle(window, 90)
    for page, (key, modifiers) in ENTERED.items():
        window.view.setFocus()
        qtbot.keyClick(window.view, key, modifiers)
        room = window.navigator.room
        assert room is not None, (page, window.model.messages.latest)
        assert room.page is page
        qtbot.waitUntil(lambda: not window.lanes.running(Lane.HAND) and not window.lanes.running(Lane.ROOM), timeout=60000)
        qtbot.wait(20)
        if QApplication.focusWidget() is None or not room.isAncestorOf(QApplication.focusWidget()):
            next(iter(reachable(room))).setFocus(Qt.FocusReason.TabFocusReason)
        seen = tour(qtbot, window, room)
        missing = [w for w in reachable(room) if w not in seen]
        assert not missing, (page, [(type(w).__name__, w.accessibleName()) for w in missing])
        inside = next(w for w in seen if room.isAncestorOf(w))
        inside.setFocus()
        qtbot.keyClick(inside, K.Key_Escape)
        assert window.model.places.at_picture, page
        assert window.view.hasFocus()


def test_every_bench_is_gone_through_by_keys(qtbot, window, ids):
    qtbot.waitUntil(window.isActiveWindow, timeout=60000)
    assert settle(window, 90)
    for number in range(1, 6):
        window.view.setFocus()
        qtbot.keyClick(window.view, str(number))
        qtbot.wait(20)
        bench = window.benches.currentWidget()
        seen = tour(qtbot, window, bench)
        missing = [w for w in reachable(bench) if w not in seen]
        assert not missing, (number, [(type(w).__name__, w.accessibleName()) for w in missing])
        assert window.frames.list in seen and window.path_bar.buttons["source"] in seen


def test_a_chart_is_read_and_given_by_hand_while_files_come_in_and_others_are_written(qtbot, window, ids, tmp_path):
    """Neither waits for the other, each has its own line and its own cancel, and each ends in one step of the shoot."""
    assert settle(window, 90)
    files = make_crowd(tmp_path / "card", 60, lights=2)
    window.actions_.open_stop("handoff")
    window.actions_.handoff.start()
    qtbot.waitUntil(lambda: window.jobs.handoff.running, timeout=60000)
    window.actions_.dropped.take([files[0].parent])
    qtbot.waitUntil(lambda: len(window.lanes.shown()) >= 2, timeout=60000)
    window.model.places.go(Page.CHART, ids["north-0401"])
    room = window.navigator.made(Page.CHART)
    qtbot.waitUntil(lambda: room.kept is not None, timeout=60000)
    assert window.jobs.handoff.running, "the chart did not wait for the hand-off"
    room.fit()
    qtbot.waitUntil(lambda: room.profile is not None, timeout=60000)
    room._give(True)
    said = [m.text for m in window.model.messages.history]
    assert window.model.state.frames[ids["north-0412"]].profile is not None, said
    qtbot.waitUntil(lambda: not window.jobs.handoff.running, timeout=120000)
    qtbot.waitUntil(lambda: len(window.model.state.frames) == 72 and not window.jobs.importing.coming_in, timeout=120000)
    qtbot.waitUntil(lambda: not window.lanes.shown(), timeout=120000)
    assert [d.ok for d in window.jobs.handoff.results] == [True] * 8
    charts = [f for f in window.model.state.frames.values() if f.role == "chart"]
    assert len(charts) == 4, "two of the shoot, and one recognised in each light of the card"


def test_another_shoot_is_opened_while_frames_are_looked_through(qtbot, window, demo_shoot, ids, tmp_path):
    """What was being found out about the shoot before is not written into the next one."""
    files = make_crowd(tmp_path / "card", 40, lights=2)
    window.actions_.dropped.take([files[0].parent])
    qtbot.waitUntil(lambda: window.model.messages.latest.startswith("40 frames added"), timeout=60000)
    assert window.lanes.running(Lane.BACKGROUND)
    other = tmp_path / "other.velkin"
    backup(window.model.shoot.path)
    shutil.copy(demo_shoot, other)
    assert open_shoot(window, other)
    before = {f.id: f.role for f in window.model.state.frames.values()}
    qtbot.waitUntil(lambda: not window.lanes.shown(), timeout=60000)
    assert {f.id: f.role for f in window.model.state.frames.values()} == before


@pytest.mark.parametrize("modifiers", [NONE, SHIFT])
def test_page_keys_step_frames_and_scroll_where_the_focus_can_be_scrolled(qtbot, window, ids, modifiers):
    window.model.select(ids["north-0412"])
    if modifiers is NONE:
        qtbot.keyClick(window.view, K.Key_PageDown)
        assert window.model.frame.name == "north-0413"
        window.frames.list.setFocus()
        qtbot.keyClick(window.frames.list, K.Key_End)
        assert window.model.frame.name == "lamp-0508"
    else:
        window.frames.list.setFocus()
        qtbot.keyClick(window.frames.list, K.Key_End, SHIFT)
        assert len(window.model.selected) > 5
