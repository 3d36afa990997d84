"""Dialogs, drops, messages and progress: what is asked is done, what is cancelled is not."""

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from velkin.app import theme
from velkin.app.main import make_application, settle
from velkin.app.model.places import Page
from velkin.app.sheets.finder import Finder
from velkin.app.widgets import message_strip
from velkin.app.widgets.status_line import Running, StatusLine
from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart

from ..studio import shoot_chart


def answer(monkeypatch, what, value):
    monkeypatch.setattr(QFileDialog, what, lambda *a, **k: value)


def test_a_new_shoot_is_made_where_it_was_asked_for(qtbot, monkeypatch, window, tmp_path):
    answer(monkeypatch, "getSaveFileName", (str(tmp_path / "Autumn"), ""))
    window.menu.by_name["New shoot…"].trigger()
    qtbot.waitUntil(lambda: window.model.shoot.path.stem == "Autumn", timeout=60000)
    assert window.model.shoot.path == tmp_path / "Autumn.velkin"
    assert window.top.title.text() == "Autumn"
    assert "Drop raw files or pictures here" in window.view.empty_text and not window.view.has_picture
    window.menu.by_name["New shoot…"].trigger()
    qtbot.waitUntil(lambda: "file of that name already" in window.model.messages.latest, timeout=60000)
    assert window.model.shoot.path == tmp_path / "Autumn.velkin"


def test_a_shoot_is_opened_and_a_cancelled_dialog_changes_nothing(qtbot, monkeypatch, window, demo_shoot, tmp_path):
    answer(monkeypatch, "getOpenFileName", ("", ""))
    before = window.model.shoot
    window.menu.by_name["Open a shoot…"].trigger()
    assert window.model.shoot is before
    answer(monkeypatch, "getOpenFileName", (str(demo_shoot), ""))
    window.menu.by_name["Open a shoot…"].trigger()
    qtbot.waitUntil(lambda: window.model.shoot is not before, timeout=60000)
    assert len(window.model.state.frames) == 12
    assert window.settings.value("folder") == str(demo_shoot.parent)


def test_files_and_folders_are_asked_for(qtbot, monkeypatch, window, tmp_path):
    shoot_chart(tmp_path / "a.dng", seed=31)
    answer(monkeypatch, "getOpenFileNames", ([str(tmp_path / "a.dng")], ""))
    window.menu.by_name["Add files…"].trigger()
    qtbot.waitUntil(lambda: len(window.model.state.frames) == 13 and not window.jobs.importing.coming_in, timeout=60000)
    shoot_chart(tmp_path / "b.dng", seed=32)
    answer(monkeypatch, "getExistingDirectory", str(tmp_path))
    window.menu.by_name["Add a folder…"].trigger()
    qtbot.waitUntil(lambda: len(window.model.state.frames) == 14 and not window.jobs.importing.coming_in, timeout=60000)


def test_a_light_gets_the_name_that_was_typed(monkeypatch, window):
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("  Window, noon ", True))
    window.menu.by_name["Rename this light…"].trigger()
    assert window.model.state.light_of(window.model.current).name == "Window, noon"
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Other", False))
    window.menu.by_name["Rename this light…"].trigger()
    assert window.model.state.light_of(window.model.current).name == "Window, noon"


def test_a_missing_source_is_found_again_only_by_its_bytes(qtbot, monkeypatch, window, demo_frames):
    answer(monkeypatch, "getOpenFileName", (str(demo_frames / "north-0413.dng"), ""))
    window.menu.by_name["Find a missing source…"].trigger()
    qtbot.waitUntil(lambda: "not the file that north-0412 was made from" in window.model.messages.latest, timeout=60000)
    before = window.model.shoot.undo_label()
    answer(monkeypatch, "getOpenFileName", (str(demo_frames / "north-0412.dng"), ""))
    window.menu.by_name["Find a missing source…"].trigger()
    qtbot.waitUntil(lambda: window.model.shoot.undo_label() != before, timeout=60000)
    assert window.model.frame.path == demo_frames / "north-0412.dng"


def test_profiles_are_exported_and_imported_by_dialog(qtbot, monkeypatch, window, ids, tmp_path):
    window.menu.by_name["Export this frame's profile…"].trigger()
    assert "built-in profile" in window.model.messages.latest
    frame = window.model.state.frames[ids["north-0401"]]
    kept = read_chart(frame.path, iso24())
    profile = fit(FitRequest(kept.reading, iso24(), frame.facts.unique, built_in(frame.facts), None, "N/W")).of("matrix")
    window.jobs.camera.keep_profile(frame.id, profile, "", True)
    (tmp_path / "n.json").write_text(profile.to_json())
    window.model.select(ids["lamp-0505"])
    answer(monkeypatch, "getOpenFileName", (str(tmp_path / "n.json"), ""))
    window.menu.by_name["Import a profile…"].trigger()
    qtbot.waitUntil(lambda: window.model.frame.profile is not None, timeout=60000)


def test_the_folder_of_a_destination_is_chosen(monkeypatch, window, tmp_path):
    window.actions_.handoff.destinations("web")
    room = window.navigator.made(Page.DESTINATIONS)
    answer(monkeypatch, "getExistingDirectory", str(tmp_path / "out"))
    room._browse()
    assert window.model.state.destinations[0].folder == str(tmp_path / "out")
    assert str(tmp_path / "out") in room.form.names.text()


@pytest.mark.parametrize("kind", ["shoot", "raw", "nothing"])
def test_drops_on_the_window(qtbot, window, demo_shoot, tmp_path, kind):
    before = window.model.shoot
    data = QMimeData()
    if kind == "shoot":
        data.setUrls([QUrl.fromLocalFile(str(demo_shoot))])
    elif kind == "raw":
        shoot_chart(tmp_path / "dropped.dng", seed=41)
        data.setUrls([QUrl.fromLocalFile(str(tmp_path / "dropped.dng"))])
    else:
        data.setUrls([QUrl("https://example.invalid/a.dng")])
    event = QDropEvent(
        QPointF(400, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    window.dropEvent(event)
    if kind == "shoot":
        qtbot.waitUntil(lambda: window.model.shoot is not before, timeout=60000)
    elif kind == "raw":
        qtbot.waitUntil(lambda: len(window.model.state.frames) == 13 and not window.jobs.importing.coming_in, timeout=60000)
    else:
        qtbot.wait(50)
        assert window.model.shoot is before and len(window.model.state.frames) == 12


def test_what_was_done_goes_by_itself_and_problems_stay_until_each_is_read(qtbot, monkeypatch, window):
    monkeypatch.setattr(message_strip, "_SHOWN", 60)
    monkeypatch.setattr(message_strip, "_HURRIED", 30)
    strip, messages = window.messages, window.model.messages
    before = window.view.geometry()
    messages.say("done")
    messages.say("done too")
    assert strip.notice.isVisible() and strip.notice.label.text() == "done"
    qtbot.waitUntil(lambda: strip.notice.label.text() == "done too", timeout=60000)
    qtbot.waitUntil(lambda: not strip.isVisible(), timeout=60000)
    messages.insist("a problem")
    messages.insist("another")
    qtbot.wait(150)
    assert strip.problem.isVisible() and strip.problem.label.text() == "a problem" and strip.more.text() == "and 1 more"
    assert window.view.geometry() == before, "nothing moves when messages come"
    at = strip.mapTo(window, strip.rect().center())
    assert window.view.geometry().contains(window.view.parentWidget().mapFrom(window, at)), "they lie over the picture"
    qtbot.mouseClick(strip.dismiss, Qt.MouseButton.LeftButton)
    assert strip.problem.label.text() == "another"
    qtbot.mouseClick(strip.dismiss, Qt.MouseButton.LeftButton)
    assert not strip.isVisible()
    assert [m.text for m in messages.history][-4:] == ["done", "done too", "a problem", "another"]


def test_the_status_line_shows_work_with_its_own_cancel_and_all_of_it_on_demand(qtbot):
    make_application()
    status = StatusLine()
    qtbot.addWidget(status)
    status.resize(1200, 26)
    status.show()
    stopped = []
    first = Running("Handing off", 1, 8, lambda: stopped.append("first"))
    second = Running("Looking for charts", 3, 40, lambda: stopped.append("second"))
    status.show_running([first])
    assert status.work.words.text() == "Handing off, 1 of 8" and not status.several.isVisible()
    assert (status.work.bar.value(), status.work.bar.maximum()) == (1, 8)
    status.show_running([first, second, Running("Drawing thumbnails", 2, 9)])
    assert status.several.text().startswith("3 jobs")
    qtbot.mouseClick(status.several, Qt.MouseButton.LeftButton)
    rows = status.all.rows
    assert [r.words.text() for r in rows] == [
        "Handing off, 1 of 8",
        "Looking for charts, 3 of 40",
        "Drawing thumbnails, 2 of 9",
    ]
    assert [r.cancel.isVisible() for r in rows] == [True, True, False]
    qtbot.mouseClick(rows[1].cancel, Qt.MouseButton.LeftButton)
    qtbot.mouseClick(status.work.cancel, Qt.MouseButton.LeftButton)
    assert stopped == ["second", "first"]
    status.show_running([])
    assert not status.work.isVisible() and not status.all.isVisible()


def test_numbers_of_another_frame_are_never_left_standing(window, ids):
    settle(window, 90)
    window.flow.point_at((900.0, 700.0))
    first = window.status.here.value.text()
    assert first
    window.model.select(ids["north-0402"])
    assert window.status.here.value.text() == ""
    settle(window, 90)
    assert window.status.here.value.text() not in ("", first)
    window.flow.point_at(None)
    assert window.status.at.value.text() == ""


def test_the_finder_narrows_by_every_word_and_runs_with_the_keys(qtbot, window):
    finder = Finder(list(window.menu.by_name.values()), window)
    qtbot.addWidget(finder)
    everything = finder.list.count()
    assert everything == len(window.menu.by_name)
    finder.field.setText("theme")
    assert finder.list.count() == 2
    finder.field.setText("theme dim")
    assert finder.list.count() == 1
    finder.field.setText("no such thing")
    assert finder.list.count() == 0
    finder._run()
    finder.field.setText("open")
    qtbot.keyClick(finder.field, Qt.Key.Key_Down)
    assert finder.list.currentRow() == 1
    qtbot.keyClick(finder.field, Qt.Key.Key_Up)
    finder.field.setText("open working")
    qtbot.keyClick(finder.field, Qt.Key.Key_Return)
    assert window.model.stop == "working"


@pytest.mark.parametrize("name", sorted(theme.THEMES))
def test_every_view_draws_in_both_themes(window, name):
    window.appearance.set_theme(name)
    settle(window, 90)
    for stop in ("source", "camera", "working", "proof", "handoff"):
        window.actions_.open_stop(stop)
        shot = window.grab().toImage()
        panel = theme.current().colour("panel")
        assert shot.pixelColor(shot.width() - 8, shot.height() - 60).red() == panel.red()
    window.appearance.set_theme("Card")


def test_working_in_another_space_changes_the_readout_and_not_the_look(window):
    settle(window, 90)
    window.flow.point_at((900.0, 700.0))
    look, here, lab = window.flow.rendered.image, window.status.here.value.text(), window.status.lab.value.text()
    window.actions_.open_stop("working")
    bench = window.benches.working
    bench._space.choose("bt2020")
    bench._chosen(bench._space.space())
    settle(window, 90)
    window.flow.point_at((900.0, 700.0))
    assert window.status.here.value.text() != here
    assert window.status.lab.value.text() == lab
    now = window.flow.rendered.image
    worst = max(
        abs(getattr(now.pixelColor(x, y), c)() - getattr(look.pixelColor(x, y), c)())
        for x in range(20, 1200, 60)
        for y in range(20, 800, 60)
        for c in ("red", "green", "blue")
    )
    assert worst <= 1
    assert window.path_bar.buttons["working"].stop().value == "BT.2020"
    assert "BT.2020" in bench.sentence.text()
    window.model.undo()
    assert window.model.state.working.id == "romm"
