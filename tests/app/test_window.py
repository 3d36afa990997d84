"""The window's parts: what they say is what the core says; nothing crashes on bad input."""

import threading
from dataclasses import replace

import cv2
import numpy as np
import pytest
from PyQt6.QtCore import QPointF, QSettings, Qt
from PyQt6.QtWidgets import QAbstractButton, QLabel, QLineEdit, QMenuBar, QWidget

from velkin.app import theme
from velkin.app.jobs.handoff import Ended
from velkin.app.main import make_application, settle
from velkin.app.model.places import Page
from velkin.app.widgets.frames_model import Filter
from velkin.app.window import Window
from velkin.core.conversion.codes import codes_of_light
from velkin.core.conversion.light import carried
from velkin.core.conversion.outside import measure_outside
from velkin.core.files.raw import decode
from velkin.core.render import to_working
from velkin.core.shoot.alternatives import BUILT_IN
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import ROMM, SRGB

from ..studio import shoot_chart
from .test_whole_job import click, click_frame, ids_of


def rgb_at(image, x, y):
    colour = image.pixelColor(x, y)
    return np.array([colour.red(), colour.green(), colour.blue()])


def test_what_is_shown_measured_and_read_out_is_what_the_core_computes(qtbot, window):
    assert settle(window, 90)
    frame, path = window.model.frame, window.model.path()
    half, full = decode(frame.path, half=True), decode(frame.path)
    there = carried(to_working(full, path), path.working, SRGB)
    exact = measure_outside(there, SRGB)
    assert window.flow.measured.there_outside.outside == exact.outside
    assert window.flow.measured.there_outside.shares() == exact.shares()
    window.actions_.open_stop("proof")
    assert window.benches.proof._figure.number.text() == f"{100 * window.flow.measured.there_outside.share:.1f}\u00a0%"
    bold = {cell.text(): cell.font().bold() for row in window.benches.proof._table._cells for cell in row if cell.text()}
    assert bold == {number: float(number) > 0 for number in bold}, "also on a bench that was made after the window"
    assert len(bold) > 2
    image = window.flow.rendered.image
    size = (image.width(), image.height())
    assert size[0] <= window.view.fitted()[0] + 1 and size[0] > 0.9 * window.view.fitted()[0]  # no more than the screen shows
    reduced = cv2.resize(to_working(half, path), size, interpolation=cv2.INTER_AREA)  # in linear light
    shown = codes_of_light(carried(reduced, path.working, SRGB), SRGB, 8)
    for x, y in ((100, 200), (340, 300), (600, 400)):
        assert np.array_equal(rgb_at(image, x, y), shown[y, x])
    window.flow.point_at((640.0, 401.0))
    working = to_working(half, path)[200, 320].astype(float)
    expected = "  ".join(f"{v:.3f}" for v in ROMM.encode(working)).replace("-", "−")
    assert window.status.here.value.text() == expected
    lab = xyz_to_lab(ROMM.to_xyz @ working)
    assert window.status.lab.value.text().replace("−", "-").split() == [f"{v:.1f}" for v in lab]


def test_space_shows_the_built_in_rendering_while_held(qtbot, window):
    settle(window, 90)
    qtbot.waitUntil(window.isActiveWindow, timeout=60000)
    window.view.setFocus()
    qtbot.keyPress(window.view, Qt.Key.Key_Space)
    assert window.model.before
    assert window.model.path() == BUILT_IN.path(window.model.state, window.model.current)
    qtbot.waitUntil(lambda: "before" in window.view.captions[0], timeout=60000)
    qtbot.keyRelease(window.view, Qt.Key.Key_Space)
    assert not window.model.before


def test_zoom_keeps_the_point_under_the_pointer(qtbot, window):
    settle(window, 90)
    view = window.view
    at = QPointF(300, 250)
    before = view.to_picture(at)
    view.zoom_by(3, at)
    assert (view.to_picture(at) - before).manhattanLength() < 1.0
    view.actual(at)
    assert view.scale * view.devicePixelRatioF() == pytest.approx(1.0)
    qtbot.waitUntil(lambda: window.flow.rendered.now.part is not None, timeout=60000)
    part, at = window.flow.rendered.now.part, window.flow.rendered.now.part_at
    frame, path = window.model.frame, window.model.path()
    qtbot.waitUntil(lambda: window.flow.rendered.now.part.width() == round(at[2] * frame.facts.width), timeout=60000)
    part, at = window.flow.rendered.now.part, window.flow.rendered.now.part_at
    left, top = round(at[0] * frame.facts.width), round(at[1] * frame.facts.height)
    full = decode(frame.path)[top : top + 60, left : left + 60]
    sharp = codes_of_light(carried(to_working(full, path), path.working, SRGB), SRGB, 8)
    for x, y in ((5, 5), (40, 50)):
        assert np.array_equal(rgb_at(part, x, y), sharp[y, x])
    view.fit()
    assert view.is_fit


def test_stops_open_benches_by_mouse_and_by_key(qtbot, window):
    for number, (key, button) in enumerate(window.path_bar.buttons.items(), start=1):
        click(qtbot, button)
        assert window.benches.currentWidget() is getattr(window.benches, key)
        qtbot.keyClick(window.view, str(3))
        qtbot.keyClick(window.view, str(number))
        assert window.model.stop == key


def test_every_action_is_in_a_menu_and_every_control_has_a_name(window):
    in_menus = {a for m in window.menus.actions() for a in m.menu().actions()}
    assert set(window.menu.by_name.values()) <= in_menus
    for widget in window.findChildren(QWidget):
        if widget.focusPolicy() != Qt.FocusPolicy.NoFocus and not widget.objectName().startswith("qt_") and widget.isVisible():
            text = widget.text() if isinstance(widget, (QAbstractButton, QLabel)) else ""
            known = widget.accessibleName() or text or isinstance(widget, (QLineEdit, QMenuBar))
            assert known, type(widget)


def test_commands_are_found_by_name(qtbot, window):
    from velkin.app.sheets.finder import Finder

    finder = Finder(list(window.menu.by_name.values()), window)
    finder.field.setText("open proof")
    assert finder.list.count() == 1
    finder._run()
    assert window.model.stop == "proof"


def test_chrome_is_neutral_in_both_themes():
    for t in theme.THEMES.values():
        for token in ("surround", "panel", "raised", "field", "edge", "line", "ink", "soft", "chosen", "chosen_ink"):
            c = t.colour(token)
            assert c.red() == c.green() == c.blue()

        def luminance(token, t=t):
            return float(SRGB.decode(np.array(t.colour(token).red() / 255)))

        for ground in ("panel", "raised", "field"):
            for ink in ("ink", "soft"):
                high, low = sorted((luminance(ink), luminance(ground)), reverse=True)
                assert (high + 0.05) / (low + 0.05) >= 4.4, (t.name, ink, ground)


def test_files_that_are_no_raw_files_are_named_and_the_rest_comes_in(qtbot, window, tmp_path):
    shoot_chart(tmp_path / "new.dng", seed=7)
    (tmp_path / "notes.txt").write_text("x")
    (tmp_path / "broken.dng").write_bytes(b"II*\0nothing")
    window.actions_.dropped.take([tmp_path / "new.dng", tmp_path / "notes.txt", tmp_path / "broken.dng"])
    qtbot.waitUntil(lambda: len(window.model.state.frames) == 13 and not window.jobs.importing.coming_in, timeout=60000)
    words = window.model.messages.latest
    assert "1 frame added" in words and "notes.txt" in words and "broken.dng" in words
    assert window.model.frame.name == "new"
    window.model.undo()
    assert len(window.model.state.frames) == 12


def test_a_source_that_is_gone_is_said_and_the_shoot_stays(qtbot, window, tmp_path, demo_frames):
    window.actions_.open_stop("proof")
    settle(window, 90)
    assert window.benches.proof._figure.number.text() != ""
    copy = tmp_path / "copy.dng"
    shoot_chart(copy, seed=9)
    window.actions_.dropped.take([copy])
    qtbot.waitUntil(lambda: len(window.model.state.frames) == 13 and not window.jobs.importing.coming_in, timeout=60000)
    settle(window, 90)
    copy.unlink()
    window.model.select(ids_of(window)["north-0412"])
    window.service._decoded._kept.clear()
    window.model.select(ids_of(window)["copy"])
    qtbot.waitUntil(lambda: "copy.dng" in window.view.empty_text, timeout=60000)
    assert "not there any more" in window.view.empty_text
    assert "Frame ▸ Find a missing source" in window.view.empty_text
    assert not window.view.has_picture
    assert window.scope._measured is None
    assert window.benches.proof._figure.number.text() == ""


def test_no_chart_and_a_clipped_chart_are_said_in_the_room(qtbot, window, tmp_path):
    room = window.navigator.made(Page.CHART)
    window.model.places.go(Page.CHART, ids_of(window)["north-0413"])
    qtbot.waitUntil(lambda: "no 24-patch chart found" in room.bench.figure.words.text(), timeout=60000)
    assert not room.bench.fit_button.isEnabled()
    room.place_by_hand()
    qtbot.waitUntil(lambda: room.kept is not None, timeout=60000)
    assert not room.bench.fit_button.isEnabled()
    room.leave()
    shoot_chart(tmp_path / "bright.dng", level=1.3, seed=11)
    window.actions_.dropped.take([tmp_path / "bright.dng"])
    qtbot.waitUntil(lambda: "bright" in ids_of(window), timeout=60000)
    window.model.places.go(Page.CHART, ids_of(window)["bright"])
    qtbot.waitUntil(lambda: room.kept is not None, timeout=60000)
    assert "less exposure" in room.bench.advice.text()
    assert not room.bench.fit_button.isEnabled()
    room.leave()


def test_hand_off_into_a_folder_that_cannot_be_is_said_for_every_file(qtbot, window):
    bench = window.benches.handoff
    window.actions_.open_stop("handoff")
    nowhere = str(window.model.state.frames[window.model.current].path / "no")
    assert window.jobs.handoff.set_destination(replace(window.model.state.destinations[0], folder=nowhere))
    qtbot.waitUntil(lambda: any(c.kind == "folder" for c in window.jobs.handoff.concerns or ()), timeout=60000)
    with qtbot.waitSignal(window.jobs.handoff.ended, timeout=60000) as ended:
        bench.start()
    assert ended.args == [Ended(0, 8, False)]
    assert bench.retry_button.isVisible()
    assert "failed" in bench._state.text()


def test_a_run_can_be_cancelled_and_keeps_what_is_finished(qtbot, window):
    window.actions_.open_stop("handoff")
    window.jobs.handoff.file.connect(lambda _: window.lanes.cancel_all())
    with qtbot.waitSignal(window.jobs.handoff.ended, timeout=60000) as ended:
        window.benches.handoff.start()
    (how,) = ended.args
    assert how.cancelled and how.failed == 0 and 1 <= how.good < 8
    assert len(list((window.model.shoot.path.parent / "web").iterdir())) == how.good
    assert window.jobs.handoff.interrupted() is None, "what was cancelled is not offered again"


def test_exposure_is_per_frame_and_undone(qtbot, window):
    bench = window.benches.camera
    bench._exposure.setValue(0.5)
    assert window.model.frame.exposure == 0.5
    window.model.undo()
    assert bench._exposure.value() == 0
    click_frame(qtbot, window, "north-0413")
    assert window.model.frame.exposure == 0


def test_frames_are_dragged_to_another_light(window):
    moving = ids_of(window)["north-0415"]
    rows = window.frames.rows
    onto = rows.index(rows.row_of(ids_of(window)["lamp-0501"]))
    data = rows.mimeData([rows.index(rows.row_of(moving))])
    assert rows.canDropMimeData(data, Qt.DropAction.MoveAction, -1, -1, onto)
    rows.dropMimeData(data, Qt.DropAction.MoveAction, -1, -1, onto)
    assert window.model.state.light_of(moving).name == "Weaving lamp"
    window.model.undo()
    assert window.model.state.light_of(moving).name == "North window"


def test_filters_show_what_they_say(window):
    box, rows = window.frames.filter, window.frames.rows
    box.setCurrentIndex(box.findData(Filter.MARKED))
    assert sorted(window.model.state.frames[f].name for f in rows.listed()) == [
        "lamp-0501",
        "lamp-0502",
        "north-0401",
        "north-0402",
    ]
    box.setCurrentIndex(box.findData(Filter.KNOWN))
    assert rows.listed() == []


def test_an_empty_window_and_bad_shoots_say_what_to_do(qtbot, tmp_path):
    make_application()
    empty = Window(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    empty.show()
    assert empty.benches.currentWidget() is empty.benches.start
    assert "Make or open a shoot" in empty.view.empty_text
    empty.actions_.dropped.take([tmp_path / "x.dng"])
    assert "Make or open a shoot first" in empty.model.messages.latest
    (tmp_path / "bad.velkin").write_bytes(b"nothing")
    empty.actions_.dropped.take([tmp_path / "bad.velkin"])
    qtbot.waitUntil(lambda: "not a Velkin shoot" in empty.model.messages.latest, timeout=60000)
    empty.jobs.shoots.new(tmp_path / "fresh")
    qtbot.waitUntil(lambda: empty.model.shoot is not None, timeout=60000)
    assert empty.model.shoot.path.name == "fresh.velkin"
    assert empty.benches.currentWidget() is empty.benches.camera
    for stop in ("source", "camera", "working", "proof", "handoff"):
        empty.actions_.open_stop(stop)
    empty.actions_.handoff.start()
    empty.appearance.set_theme("Dim room")
    empty.close()


@pytest.fixture
def slow_demo(tmp_path, demo_frames, monkeypatch):
    """A demo folder of three parts; the second waits until it is let on, the third cannot be written."""
    from velkin.sim import demo, sittings

    first, rest = ("north-0401", "north-0402", "north-0412"), ("north-0413", "north-0414")
    let_on = threading.Event()

    def made(names):
        def make(folder, progress, stopped):
            progress(1, len(names))
            while names == rest and not let_on.wait(0.01):
                if stopped():
                    return []
            return [demo_frames / f"{n}.dng" for n in names]

        return make

    def full(folder, progress, stopped):
        raise OSError(28, "No space left on device")

    parts = (
        demo.Part("first", "the first pictures", made(first), demo._as_shot(sittings.NORTH)),
        demo.Part("rest", "the rest", made(rest), demo._as_shot(sittings.NORTH)),
        demo.Part("full", "what has no room", full, lambda shoot, arrivals: None),
    )
    monkeypatch.setattr(demo, "_parts", lambda: parts)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    return let_on


def test_the_demo_is_looked_at_while_the_rest_of_it_is_made(qtbot, tmp_path, slow_demo):
    make_application()
    empty = Window(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    empty.show()
    told = []
    empty.lanes.changed.connect(lambda: told.append(empty.view.empty_text))
    click(qtbot, empty.benches.start.demo_button)
    qtbot.waitUntil(lambda: empty.model.shoot is not None and len(empty.model.state.frames) == 3, timeout=60000)
    assert "The simulator makes the first pictures, 1 of 3" in told
    qtbot.waitUntil(lambda: empty.flow.rendered is not None, timeout=60000)
    assert {f.name: f.role for f in empty.model.state.frames.values()} == {
        "north-0401": "chart",
        "north-0402": "neutral",
        "north-0412": "subject",
    }
    empty.close()  # in the middle of the second part

    again = Window(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    again.show()
    slow_demo.set()
    click(qtbot, again.benches.start.demo_button)
    qtbot.waitUntil(lambda: again.model.shoot is not None and len(again.model.state.frames) == 5, timeout=60000)
    qtbot.waitUntil(lambda: "No space left on device" in again.model.messages.latest, timeout=60000)
    assert "set XDG_DATA_HOME" in again.model.messages.latest
    assert again.jobs.demo.making == ""
    again.jobs.demo.open()  # what is there is opened all the same, and nothing comes in twice
    qtbot.waitUntil(lambda: again.jobs.demo.making == "", timeout=60000)
    assert len(again.model.state.frames) == 5
    again.close()
