"""Never down, never silent, never on another frame than the one that is named: the window under the hand."""

import os
import re
import shutil
import subprocess
import sys
import threading
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QSettings, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel, QPushButton, QWidget

from tests.app.doing import answered, close, open_shoot
from tests.app.test_whole_job import click_frame
from velkin.app import theme, words
from velkin.app.main import look_ahead, make_application, settle
from velkin.app.model.places import Page
from velkin.app.widgets.focus_ring import WIDTH, _on_ink, _Ring
from velkin.app.window import Window
from velkin.core.errors import ShootError
from velkin.core.handoff.jobs import plan_for
from velkin.core.handoff.journal import Journal
from velkin.core.shoot.hold import hold_path
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.store import backup

LEFT = Qt.MouseButton.LeftButton
K = Qt.Key

_FALL = """
import faulthandler, sys, threading
faulthandler.dump_traceback_later(80, exit=True)  # were it ever to stand still, what stands where is told
from pathlib import Path
from PyQt6.QtCore import QSettings, QTimer
from velkin.app import log
from velkin.app.main import leave, make_application
from velkin.app.window import Window
app = make_application()
log.begin()
window = Window(QSettings(sys.argv[1], QSettings.Format.IniFormat))
log.tell(window.model.report)
window.show()
def in_a_slot():
    raise KeyError("in a slot")
def in_a_thread():
    raise ValueError("in a thread")
QTimer.singleShot(0, in_a_slot)
QTimer.singleShot(50, lambda: threading.Thread(target=in_a_thread).start())
QTimer.singleShot(400, app.quit)
app.exec()
print([m.text for m in window.model.messages.history])
print(not window.messages.problem.isHidden())
leave(window)
"""


def test_an_exception_in_a_slot_or_a_thread_is_logged_and_told_and_ends_nothing(tmp_path):
    variables = os.environ | {"XDG_STATE_HOME": str(tmp_path / "state")}
    done = subprocess.run(
        [sys.executable, "-c", _FALL, str(tmp_path / "s.ini")], capture_output=True, text=True, env=variables, timeout=120
    )
    assert done.returncode == 0, done.stderr
    said, shown = done.stdout.strip().splitlines()[-2:]
    assert "KeyError: 'in a slot'" in said and "ValueError: in a thread" in said
    assert "Help ▸ Open the log" in said and shown == "True"
    log = (tmp_path / "state" / "velkin" / "velkin.log").read_text()
    assert "in_a_slot" in log and "in_a_thread" in log and "Traceback" in log


def test_a_shoot_that_cannot_be_changed_any_more_is_said_and_what_is_seen_stays(qtbot, window, ids):
    settle(window, 90)
    window.model.shoot._store._connection.close()
    window.jobs.camera.set_exposure((ids["north-0412"],), 1.0)
    said = [m.text for m in window.model.messages.history if m.problem]
    assert any("could not be changed" in t and "Madderfold spring skeins.velkin" in t for t in said)
    assert window.model.frame.exposure == 0
    click_frame(qtbot, window, "north-0413")
    assert settle(window, 90)
    window.model.undo()
    assert window.model.frame.name == "north-0413"


# ---- one frame, the one that is named --------------------------------------------------------------------------------


def test_the_chart_room_goes_with_the_frame_that_is_selected(qtbot, window, ids):
    window.model.select(ids["north-0401"])
    qtbot.keyClick(window.view, K.Key_K)
    room = window.navigator.made(Page.CHART)
    qtbot.waitUntil(lambda: room.kept is not None, timeout=60000)
    click_frame(qtbot, window, "lamp-0501")
    assert window.navigator.room is room
    assert room.frame == ids["lamp-0501"] and room._subtitle.text() == "lamp-0501"
    qtbot.waitUntil(lambda: room.kept is not None and room.view.has_picture, timeout=60000)
    assert ids["lamp-0501"] in window.model.state.readings
    qtbot.mouseClick(room.bench.fit_button, LEFT)
    qtbot.waitUntil(lambda: room.profile is not None, timeout=60000)
    assert "lamp-0501" in room.profile.chart_frame


def test_a_room_that_cannot_be_about_a_frame_gives_way_to_the_picture(qtbot, window, ids, demo_frames):
    window.model.select(ids["north-0412"])
    window.actions_.open_stop("proof")
    qtbot.keyClick(window.view, K.Key_I)
    room = window.navigator.made(Page.INTENTS)
    assert window.navigator.room is room
    click_frame(qtbot, window, "north-0413")
    assert window.navigator.room is room and window.model.places.now.frame == ids["north-0413"]
    window.model.places.go(Page.CHART, ids["north-0401"])
    chart = window.navigator.made(Page.CHART)
    qtbot.waitUntil(lambda: ids["north-0401"] in window.model.state.readings, timeout=60000)
    qtbot.keyClick(chart, K.Key_R, Qt.KeyboardModifier.ControlModifier)
    assert window.navigator.room is window.navigator.made(Page.FIT)
    click_frame(qtbot, window, "north-0413")
    assert window.model.places.at_picture and window.model.frame.name == "north-0413", "no chart was read in it"


def test_what_is_typed_goes_to_the_frame_it_was_typed_for(qtbot, window, ids):
    window.model.select(ids["north-0412"])
    field = window.benches.camera._exposure
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "1.5")
    click_frame(qtbot, window, "north-0413")
    frames = window.model.state.frames
    assert frames[ids["north-0412"]].exposure == 1.5
    assert frames[ids["north-0413"]].exposure == 0
    assert field.value() == 0


def test_a_chart_that_was_read_after_another_frame_was_selected_changes_only_its_own(qtbot, window, ids):
    window.model.places.go(Page.CHART, ids["north-0401"])
    window.model.select(ids["lamp-0501"])  # before the search is over
    room = window.navigator.made(Page.CHART)
    qtbot.waitUntil(lambda: room.kept is not None, timeout=60000)
    assert room.frame == ids["lamp-0501"]
    assert window.model.state.readings[ids["lamp-0501"]].reading.corners == room.kept.reading.corners
    assert ids["north-0401"] not in window.model.state.readings


# ---- keys ------------------------------------------------------------------------------------------------------------


def test_keys_of_the_picture_do_nothing_in_a_room_and_letters_are_typed_where_one_types(qtbot, window, ids):
    window.actions_.profile.open_shelf()
    room = window.navigator.room
    for key in (K.Key_X, K.Key_D, K.Key_K, K.Key_T, K.Key_N, K.Key_Period, K.Key_G, K.Key_Space):
        qtbot.keyClick(room, key)
    assert window.navigator.room is room
    assert not window.model.hatching and not window.model.proof.shown and not window.model.picking and not window.model.before
    qtbot.keyClick(room, K.Key_Escape)
    assert window.model.places.at_picture
    qtbot.keyClick(window.view, K.Key_X)
    assert window.model.hatching
    box = window.benches.camera._profile
    box.setFocus()
    qtbot.keyClick(box, K.Key_K)
    assert window.model.places.at_picture, "a list of choices looks for what begins with a letter"
    qtbot.keyClick(box, K.Key_Escape)
    assert window.view.hasFocus()


def test_digits_open_stops_and_are_typed_into_fields(qtbot, window):
    qtbot.keyClick(window.view, "4")
    assert window.model.stop == "proof"
    qtbot.keyClick(window.view, "2")
    field = window.benches.camera._exposure
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "1")
    qtbot.keyClick(field, K.Key_Return)
    assert window.model.stop == "camera" and window.model.frame.exposure == 1.0


def test_space_presses_a_button_that_has_the_keys_and_shows_before_on_the_picture(qtbot, window):
    settle(window, 90)
    button = window.benches.camera.balance.card
    window.benches.camera._shelf.setFocus()
    qtbot.keyClick(window.benches.camera._shelf, K.Key_Space)
    assert window.navigator.room is window.navigator.made(Page.SHELF) and not window.model.before
    qtbot.keyClick(window.navigator.room, K.Key_Escape)
    assert button.isEnabled()
    window.view.setFocus()
    qtbot.keyPress(window.view, K.Key_Space)
    assert window.model.before
    qtbot.keyRelease(window.view, K.Key_Space)
    assert not window.model.before


def test_what_was_typed_is_not_lost_by_esc_without_asking(qtbot, window):
    window.actions_.camera.edit_chart()
    room = window.navigator.room
    asked = []
    room.name.setFocus()
    room.name.selectAll()
    qtbot.keyClicks(room.name, "Another name")
    with answered("Stay here", asked):
        qtbot.keyClick(room.name, K.Key_Escape)
    assert window.navigator.room is room and "would be lost" in asked[0]
    window.activateWindow()  # a virtual screen has no window manager that would do it
    qtbot.waitUntil(window.isActiveWindow, timeout=60000)
    room.name.setFocus()
    with answered("Go back without it", asked):
        qtbot.keyClick(room.name, K.Key_Escape)
    assert window.model.places.at_picture


def test_what_was_typed_is_not_lost_by_another_stop_or_another_shoot_without_asking(qtbot, window, demo_shoot, tmp_path, ids):
    window.model.select(ids["north-0412"])
    window.actions_.camera.edit_chart()
    room = window.navigator.room
    qtbot.keyClicks(room.name, "x")
    asked = []
    stop = window.path_bar.buttons["proof"]
    before = window.model.stop
    with answered("Stay here", asked):
        qtbot.mouseClick(stop, LEFT)
    assert window.navigator.room is room and window.model.stop == before and len(asked) == 1
    with answered("Go back without it", asked):
        qtbot.mouseClick(stop, LEFT)
    assert window.model.places.at_picture and window.model.stop == "proof" and len(asked) == 2
    window.actions_.space.custom_space()
    bench = window.benches.asides()[0]
    bench.name.setFocus()
    qtbot.keyClicks(bench.name, "mine")
    backup(window.model.shoot.path)
    other = tmp_path / "other.velkin"
    shutil.copy(demo_shoot, other)
    asked.clear()
    for leaving in (
        lambda: window.actions_.dropped.take([other]),
        window.actions_.shoot.close,
        window.jobs.shoots.restore,
    ):
        with answered("Stay here", asked):
            leaving()
        assert window.benches.asides() == [bench] and window.model.shoot.path != other
    assert asked == ["The space would be lost."] * 3
    with answered("Give it up", asked):
        assert open_shoot(window, other)
    assert window.benches.asides() == [] and window.model.shoot.path == other


def test_a_chart_whose_saving_was_called_off_is_still_to_be_saved(qtbot, window, monkeypatch):
    window.actions_.camera.edit_chart()
    room = window.navigator.room
    qtbot.keyClicks(room.name, "x")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: ("", ""))
    save = next(b for b in room.findChildren(QPushButton) if b.text().startswith("Save as"))
    qtbot.mouseClick(save, LEFT)
    assert room.unsaved() == "What was changed in this definition"


def test_no_menu_has_two_commands_with_one_mnemonic(window):
    for head in window.menus.actions():
        texts = [a.text() for a in head.menu().actions() if a.text()]
        letters = [t[t.index("&") + 1].lower() for t in texts if "&" in t]
        assert len(letters) == len(set(letters)), (head.text(), sorted(x for x in letters if letters.count(x) > 1))


def test_a_command_that_cannot_act_is_disabled_and_says_why(qtbot, tmp_path):
    make_application()
    empty = Window(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    empty.show()
    chart = empty.menu.by_name["Read the chart in this frame"]
    assert not chart.isEnabled() and "make or open a shoot first" in chart.toolTip()
    assert empty.menu.by_name["New shoot…"].isEnabled()
    empty.close()


# ---- focus -----------------------------------------------------------------------------------------------------------


def focusable(root):
    for widget in root.findChildren(QWidget):
        inside = widget.objectName().startswith("qt_")
        if widget.isVisible() and widget.isEnabled() and widget.focusPolicy() & Qt.FocusPolicy.TabFocus and not inside:
            yield widget


@pytest.mark.parametrize("name", list(theme.THEMES))
def test_whatever_has_the_keys_shows_a_ring_of_two_pixels(qtbot, window, name):
    settle(window, 90)
    window.appearance.set_theme(name)
    qtbot.keyClick(window.view, K.Key_Tab)
    seen = 0
    for stop in ("source", "camera", "working", "proof", "handoff"):
        window.actions_.open_stop(stop)
        qtbot.wait(10)
        for widget in list(focusable(window)):
            window.benches.currentWidget().scroller.ensureWidgetVisible(widget)  # as Tab does
            widget.setFocus(Qt.FocusReason.TabFocusReason)
            if QApplication.focusWidget() is not widget or widget.visibleRegion().isEmpty():
                continue
            qtbot.wait(1)
            ring = window.findChild(_Ring)
            assert ring is not None and ring.isVisible(), widget
            image = window.grab(ring.geometry()).toImage()
            ratio = image.devicePixelRatio()
            wanted = theme.current().colour("chosen_ink" if _on_ink(widget) else "ink").rgb()
            inset = WIDTH if _on_ink(widget) else 0
            for step in range(WIDTH):
                y = round((inset + step + 0.5) * ratio - 0.5)
                assert image.pixel(image.width() // 2, y) == wanted, (type(widget), widget.accessibleName())
            seen += 1
    assert seen > 50
    qtbot.mouseClick(window.scope, LEFT)
    qtbot.wait(1)
    assert not window.findChild(_Ring).isVisible(), "it goes when the mouse is used"
    window.appearance.set_theme("Card")


# ---- one window changes a shoot --------------------------------------------------------------------------------------


def test_an_open_shoot_can_be_looked_at_in_a_second_window_and_not_changed(qtbot, window, demo_shoot, ids, tmp_path):
    second = Window(QSettings(str(tmp_path / "second.ini"), QSettings.Format.IniFormat))
    second.show()
    assert open_shoot(second, demo_shoot)
    assert "open in another window" in second.model.messages.latest and "spring skeins.velkin" in second.model.messages.latest
    qtbot.waitUntil(lambda: second.flow.rendered is not None, timeout=60000)
    second.jobs.camera.set_exposure((ids["north-0412"],), 1.0)
    assert "open in another window" in second.model.messages.latest
    window.jobs.camera.set_exposure((ids["north-0412"],), 0.5)
    assert window.model.state.frames[ids["north-0412"]].exposure == 0.5
    close(second)
    assert hold_path(demo_shoot).exists()
    window.menu.by_name["Close the shoot"].trigger()
    assert window.model.shoot is None and not hold_path(demo_shoot).exists()
    assert window.benches.currentWidget() is window.benches.start
    assert open_shoot(window, demo_shoot)
    window.jobs.camera.set_exposure((ids["north-0412"],), 0.0)
    assert window.model.state.frames[ids["north-0412"]].exposure == 0


def test_a_hold_ends_with_the_program_that_has_it(tmp_path, demo_shoot):
    code = "import sys, os; from pathlib import Path; from velkin.core.shoot.hold import Hold; h = Hold.take(Path(sys.argv[1])); os._exit(0 if h else 1)"
    assert subprocess.run([sys.executable, "-c", code, str(demo_shoot)]).returncode == 0
    assert hold_path(demo_shoot).exists()  # left by a crash
    make_application()
    window = Window(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    window.show()
    assert open_shoot(window, demo_shoot)
    assert not window.model.shoot.look_only
    close(window)
    kept = Shoot.open(Path(demo_shoot))
    kept.close()


# ---- sheets and names ------------------------------------------------------------------------------------------------


def test_return_in_a_sheet_is_its_black_button(qtbot, window, ids):
    from velkin.app.sheets.giving_sheet import GivingSheet
    from velkin.app.sheets.purpose_sheet import PurposeSheet
    from velkin.app.sheets.rules_sheet import RulesSheet

    for sheet in (GivingSheet(window.model, window), RulesSheet(window.context, window), PurposeSheet(window)):
        sheet.show()
        ended = []
        sheet.finished.connect(ended.append)
        black = [b for b in sheet.findChildren(QPushButton) if b.property("primary")]
        assert len(black) == 1 and black[0].isDefault()
        others = [b for b in sheet.findChildren(QPushButton) if not b.property("primary")]
        assert others and not any(b.isDefault() or b.autoDefault() for b in others)
        if black[0].isEnabled():
            qtbot.keyClick(sheet, K.Key_Return)
            assert ended == [1], type(sheet)
        sheet.close()


LONG = (
    "Velkin Studio One with a very long model designation · Stand-in 60 mm macro, tilt and shift · Weaving lamp, second set-up"
)


@pytest.mark.parametrize("size", [(1024, 640), (1280, 800)])
def test_with_the_longest_names_every_control_can_be_reached(qtbot, window, ids, size):
    window.resize(*size)
    window.jobs.command(lambda s: s.frames.rename_light(window.model.frame.light, LONG))
    settle(window, 90)
    for stop in ("source", "camera", "working", "proof", "handoff"):
        window.actions_.open_stop(stop)
        qtbot.wait(10)
        bench = window.benches.currentWidget()
        room = bench.scroller.viewport().width()
        for control in bench.findChildren(QWidget):
            if control.isVisible() and control.focusPolicy() & Qt.FocusPolicy.TabFocus and bench.scroller.isAncestorOf(control):
                right = control.mapTo(bench.scroller.viewport(), control.rect().topRight()).x()
                assert right < room, (stop, type(control), control.accessibleName())
    assert LONG in window.benches.camera._light_heading.toolTip()


def test_the_main_button_stays_where_it_is_when_its_meaning_moves_on(qtbot, window, ids):
    def place(widget):
        return widget.mapTo(window, widget.rect().topLeft()).y()

    window.model.places.go(Page.CHART, ids["north-0401"])
    room = window.navigator.made(Page.CHART)
    qtbot.waitUntil(lambda: room.kept is not None and room.view.has_picture, timeout=60000)
    bench = room.bench
    fit_at, only_at = place(bench.fit_button), place(bench.only_button)
    qtbot.mouseClick(bench.fit_button, LEFT)
    qtbot.waitUntil(lambda: room.profile is not None, timeout=60000)
    qtbot.wait(20)
    assert place(bench.give_button) == fit_at
    assert place(bench.only_button) == only_at and bench.only_button.isEnabled()
    window.model.places.back()
    camera = window.benches.camera
    before = place(camera._give)
    window.jobs.camera.keep_profile(ids["north-0401"], room.profile, "", True)
    qtbot.wait(20)
    assert place(camera._give) == before
    window.actions_.open_stop("handoff")
    run = window.benches.handoff.run_button
    qtbot.wait(20)
    before = place(run)
    window.benches.handoff._which.button(2).setChecked(True)
    with qtbot.waitSignal(window.jobs.handoff.ended, timeout=120000):
        window.actions_.handoff.start()
    settle(window, 90)
    assert window.benches.handoff.receipt_button.isVisible()
    assert place(run) == before


def test_on_a_german_desktop_every_number_on_the_benches_is_written_the_german_way(qtbot, window, ids):
    words.use_decimal(",")
    try:
        window.jobs.colour.add_pin(ids["north-0412"], 0.5, 0.5)
        settle(window, 90)
        seen = 0
        for stop in ("source", "camera", "working", "proof", "handoff"):
            window.actions_.open_stop(stop)
            settle(window, 90)
            for label in window.benches.currentWidget().findChildren(QLabel):
                if label.isVisible():
                    text = QLabel.text(label)  # as it is painted
                    assert not re.search(r"(?<![\w./-])\d+\.\d+(?![\w/-])", text), text
                    seen += bool(re.search(r"\d,\d", text))
        assert seen > 8
        assert "," in QLabel.text(window.benches.proof._figure.number)
    finally:
        words.use_decimal(".")


@pytest.mark.parametrize("size", [(1024, 640), (853, 533)])
def test_rooms_fit_a_small_window_with_their_main_button_in_sight(qtbot, window, ids, size):
    window.resize(*size)
    window.actions_.profile.open_shelf()
    shelf = window.navigator.room
    assert not shelf._side.isVisible()  # nothing on the shelf, nothing to say of it
    for page, frame in ((Page.CHART, "north-0401"), (Page.GAMUT, "north-0412"), (Page.INTENTS, "north-0412")):
        window.model.select(ids[frame])
        window.model.places.go(page, ids[frame])
        assert settle(window, 90)
        room = window.navigator.room
        holder = window.navigator.stack.currentWidget()
        qtbot.waitUntil(lambda holder=holder: holder.horizontalScrollBar().maximum() == 0, timeout=60000)
        for black in (b for b in room.findChildren(QPushButton) if b.property("primary") and b.isVisible()):
            seen = black.visibleRegion().boundingRect()
            assert seen.size() == black.size(), (page, black.text())
    window.resize(1280, 800)
    window.model.places.go(Page.CHART, ids["north-0401"])
    room = window.navigator.room
    qtbot.waitUntil(lambda: room.bench.mapTo(room, QPoint(0, 0)).y() == 0, timeout=60000)  # the bench beside the bar again


def test_rooms_are_made_ahead_in_idle_moments_and_none_is_shown(qtbot, window, ids):
    settle(window, 90)
    window.model.places.go(Page.SHELF)
    window.model.places.back()
    shelf = window.navigator.made(Page.SHELF)
    look_ahead(window)
    qtbot.waitUntil(lambda: window.navigator.all_made, timeout=60000)
    assert window.model.places.at_picture and window.navigator.stack.currentIndex() == 0
    assert window.navigator.made(Page.SHELF) is shelf
    qtbot.wait(200)
    window.model.places.go(Page.CHART, ids["north-0401"])
    room = window.navigator.room
    qtbot.waitUntil(lambda: room.kept is not None and room.view.has_picture, timeout=60000)


def test_what_a_command_changed_goes_onto_the_disk_aside(qtbot, window, ids, monkeypatch):
    """The hand does not wait for the disk; a disk that refuses is told of."""
    told = threading.Event()

    def refuse(shoot):
        told.wait(20)
        raise ShootError("its last changes may not be on the disk (No space left on device)", shoot.path)

    monkeypatch.setattr(Shoot, "settle", refuse)
    window.jobs.camera.set_exposure((ids["north-0412"],), 0.5)
    assert window.model.state.frames[ids["north-0412"]].exposure == 0.5
    told.set()
    qtbot.waitUntil(lambda: "may not be on the disk" in window.model.messages.latest, timeout=60000)


def test_what_was_undone_goes_onto_the_disk_too(qtbot, window, ids, monkeypatch):
    brought = []
    window.jobs.camera.set_exposure((ids["north-0412"],), 0.5)
    monkeypatch.setattr(Shoot, "settle", lambda shoot: brought.append(shoot.state.frames[ids["north-0412"]].exposure))
    qtbot.keyClick(window.view, K.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.model.state.frames[ids["north-0412"]].exposure == 0
    qtbot.waitUntil(lambda: bool(brought), timeout=60000)
    assert brought[-1] == 0


def test_a_second_press_on_give_does_not_give_again(qtbot, window, ids):
    window.model.places.go(Page.CHART, ids["north-0401"])
    room = window.navigator.made(Page.CHART)
    qtbot.waitUntil(lambda: room.kept is not None, timeout=60000)
    qtbot.mouseClick(room.bench.fit_button, LEFT)
    qtbot.waitUntil(room.bench.give_button.isVisible, timeout=60000)
    before = len(window.model.state.profiles)
    QTest.mouseClick(room.bench.give_button, LEFT)
    QTest.mouseClick(room.bench.give_button, LEFT)
    qtbot.waitUntil(lambda: window.model.places.at_picture, timeout=60000)
    assert len(window.model.state.profiles) == before + 1
    qtbot.keyClick(window.view, K.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(window.model.state.profiles) == before, "one step back undoes all of it"


def test_a_retry_waits_for_the_answer_about_what_was_typed(qtbot, window):
    """Staying with what was typed leaves the hand-off alone."""
    shoot = window.model.shoot
    Journal.begin(shoot.path, plan_for(shoot, shoot.state.order()[2:4], shoot.state.ticked()).jobs)
    assert open_shoot(window, shoot.path)
    window.actions_.camera.edit_chart()
    room = window.navigator.room
    qtbot.keyClicks(room.name, "x")
    with answered("Stay here", []):
        window.menu.by_name["Retry or resume the last hand-off"].trigger()
    assert window.navigator.room is room
    assert not window.jobs.handoff.running
    assert window.jobs.handoff.interrupted() is not None
