"""Recent shoots, closing, backups, sources found again, folders of profiles, tables on the clipboard, what Help opens."""

import shutil
import threading
import time
from pathlib import Path

from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QApplication, QFileDialog, QPushButton

from tests.app.doing import answered, close, open_shoot, point_at
from velkin.app.jobs.lanes import Lane
from velkin.app.main import make_application, settle
from velkin.app.model.places import Page
from velkin.app.sheets.folders_sheet import FoldersSheet
from velkin.app.sheets.guide_sheet import GuideSheet
from velkin.app.sheets.keys_sheet import KeysSheet
from velkin.app.sheets.text_sheet import TextSheet
from velkin.app.widgets.frames_model import Filter
from velkin.app.window import Window
from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.store import backup, backup_path

LEFT = Qt.MouseButton.LeftButton
CTRL = Qt.KeyboardModifier.ControlModifier


def test_recent_shoots_are_offered_in_the_menu_and_at_the_start(qtbot, window, demo_shoot, tmp_path):
    other = tmp_path / "other.velkin"
    shutil.copy(demo_shoot, other)
    assert open_shoot(window, other)
    qtbot.waitUntil(lambda: window.recent.offered == [other, demo_shoot], timeout=60000)
    window.menu.recent.aboutToShow.emit()
    texts = [a.text() for a in window.menu.recent.actions()]
    assert [t.split("   ")[0] for t in texts] == ["other", demo_shoot.stem]
    window.menu.recent.actions()[1].trigger()
    qtbot.waitUntil(lambda: window.model.shoot.path == demo_shoot, timeout=60000)
    other.rename(tmp_path / "unplugged.velkin")
    window.menu.by_name["Close the shoot"].trigger()
    qtbot.waitUntil(lambda: window.recent.offered == [demo_shoot], timeout=60000)
    (tmp_path / "unplugged.velkin").rename(other)
    window.menu.recent.aboutToShow.emit()
    qtbot.waitUntil(lambda: window.recent.offered == [demo_shoot, other], timeout=60000)
    offered = [b for b in window.benches.start.findChildren(QPushButton) if b.text() == demo_shoot.stem]
    qtbot.mouseClick(offered[-1], LEFT)
    qtbot.waitUntil(lambda: window.model.shoot is not None, timeout=60000)


def test_a_window_does_not_wait_for_the_disks_that_recent_shoots_lie_on(qtbot, window, tmp_path, monkeypatch):
    lookers, is_file = [], Path.is_file

    def slow(path):
        if path.parent == tmp_path / "share":
            lookers.append(threading.current_thread() is threading.main_thread())
            time.sleep(0.2)
        return is_file(path)

    monkeypatch.setattr(Path, "is_file", slow)
    window.settings.setValue("recent", [str(tmp_path / "share" / f"{n}.velkin") for n in range(5)])
    again = Window(QSettings(window.settings.fileName(), QSettings.Format.IniFormat))
    again.show()
    assert lookers.count(True) == 0
    qtbot.waitUntil(lambda: len(lookers) >= 5, timeout=60000)
    assert set(lookers) == {False}
    close(again)


def test_a_backup_is_restored_and_what_was_open_is_kept(qtbot, window, demo_shoot, ids):
    window.menu.by_name["Restore the backup…"].trigger()
    assert "no backup of this shoot yet" in window.model.messages.latest
    backup(window.model.shoot.path)
    window.jobs.camera.set_exposure((ids["north-0412"],), 1.0)
    asked = []
    with answered("Cancel", asked):
        window.menu.by_name["Restore the backup…"].trigger()
    assert window.model.state.frames[ids["north-0412"]].exposure == 1.0
    with answered("Restore the backup", asked):
        window.menu.by_name["Restore the backup…"].trigger()
    qtbot.waitUntil(lambda: "backup was restored" in window.model.messages.latest, timeout=60000)
    assert window.model.shoot.path == demo_shoot and not window.model.shoot.look_only
    assert window.model.state.frames[ids["north-0412"]].exposure == 0
    kept = demo_shoot.with_name(f"{demo_shoot.stem} (before restoring).velkin")
    assert open_shoot(window, kept)
    assert window.model.state.frames[ids["north-0412"]].exposure == 1.0


def frames_in(copy):
    shoot = Shoot.open(copy)
    try:
        return len(shoot.state.frames)
    finally:
        shoot.close()


def test_closing_the_shoot_leaves_a_backup_that_the_hand_does_not_wait_for(qtbot, window, demo_shoot):
    qtbot.keyClick(window, Qt.Key.Key_W, Qt.KeyboardModifier.ControlModifier)
    assert window.model.shoot is None
    qtbot.waitUntil(lambda: not window.lanes.running(Lane.AWAY), timeout=60000)
    assert frames_in(backup_path(demo_shoot)) == 12


def test_a_program_that_ends_at_once_after_closing_has_written_the_backup(window, demo_shoot):
    window.jobs.shoots.close()
    window.close()
    assert frames_in(backup_path(demo_shoot)) == 12


def test_a_program_that_ends_with_its_shoot_open_has_written_the_backup(window, demo_shoot):
    window.close()
    assert frames_in(backup_path(demo_shoot)) == 12


def test_a_backup_that_cannot_be_written_does_not_keep_another_from_being_written(window, demo_shoot, tmp_path):
    window.jobs.shoots._to_back_up.update(tmp_path / "gone" / f"{n}.velkin" for n in range(8))
    window.close()
    assert frames_in(backup_path(demo_shoot)) == 12
    assert "backup copy could not be written" in window.model.messages.latest


def test_a_shoot_that_another_takes_the_place_of_is_backed_up(qtbot, window, demo_shoot, tmp_path):
    window.jobs.shoots.new(tmp_path / "next")
    qtbot.waitUntil(lambda: window.model.shoot.path != demo_shoot, timeout=60000)
    qtbot.waitUntil(lambda: not window.lanes.running(Lane.AWAY), timeout=60000)
    assert frames_in(backup_path(demo_shoot)) == 12


def test_a_shoot_whose_file_is_gone_leaves_its_older_backup_as_it_was(qtbot, window, demo_shoot):
    backup(demo_shoot)
    demo_shoot.rename(demo_shoot.with_name("carried off.velkin"))
    window.jobs.shoots.close()
    qtbot.waitUntil(lambda: "backup copy could not be written" in window.model.messages.latest, timeout=60000)
    assert frames_in(backup_path(demo_shoot)) == 12
    assert not demo_shoot.exists()


def test_a_damaged_backup_is_refused_and_the_shoot_is_open_as_before(qtbot, window, demo_shoot):
    backup_path(demo_shoot).write_bytes(b"nothing")
    with answered("Restore the backup", []):
        window.menu.by_name["Restore the backup…"].trigger()
    qtbot.waitUntil(lambda: "not a Velkin shoot" in window.model.messages.latest, timeout=60000)
    assert window.model.shoot.path == demo_shoot and len(window.model.state.frames) == 12


def test_all_missing_sources_are_found_in_a_folder_by_their_bytes(qtbot, monkeypatch, window, ids, demo_frames, tmp_path):
    names = ("north-0413", "north-0414", "lamp-0505")
    gone = tmp_path / "gone"
    window.jobs.command(lambda s: s.frames.relocate_all({ids[n]: gone / f"{n}.dng" for n in names}))
    there = tmp_path / "moved" / "deeper"
    there.mkdir(parents=True)
    shutil.copy(demo_frames / "north-0413.dng", there / "NORTH-0413.DNG")
    shutil.copy(demo_frames / "north-0414.dng", there)
    (there / "lamp-0505.dng").write_bytes(b"another file of that name")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "moved"))
    window.menu.by_name["Find all missing sources in a folder…"].trigger()
    qtbot.waitUntil(lambda: "2 missing sources found in moved. 1 are still" in window.model.messages.latest, timeout=60000)
    frames = window.model.state.frames
    assert frames[ids["north-0413"]].path == there / "NORTH-0413.DNG"
    assert frames[ids["lamp-0505"]].path.parent == gone
    window.model.undo()
    assert window.model.state.frames[ids["north-0414"]].path.parent == gone


def test_a_source_is_shown_in_its_folder(monkeypatch, window, ids):
    opened = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()))
    window.menu.by_name["Show in its folder"].trigger()
    assert opened == [str(window.model.frame.path.parent)]
    window.menu.by_name["Copy the path of its file"].trigger()
    assert QApplication.clipboard().text() == str(window.model.frame.path)


def test_frames_out_of_gamut_are_filtered(qtbot, window, ids):
    box = window.frames.filter
    box.setCurrentIndex(box.findData(Filter.OUT_OF_GAMUT))
    qtbot.waitUntil(lambda: bool(window.frames.rows.listed()), timeout=60000)
    qtbot.waitUntil(lambda: not window.lanes.shown(), timeout=60000)
    listed = {window.model.state.frames[f].name for f in window.frames.rows.listed()}
    assert "north-0412" in listed and "north-0402" not in listed, "skeins are, the grey card is not"
    assert settle(window, 90)


def test_what_is_out_of_gamut_is_looked_for_only_while_it_is_asked_for(qtbot, monkeypatch, window):
    assert settle(window, 90)
    looked, may_go_on = [], threading.Event()

    def share(sources, frame, path):
        looked.append(frame.id)
        assert may_go_on.wait(60)
        return 0.5

    monkeypatch.setattr("velkin.app.jobs.survey.share_outside", share)
    box = window.frames.filter
    box.setCurrentIndex(box.findData(Filter.OUT_OF_GAMUT))
    qtbot.waitUntil(lambda: len(looked) == 1, timeout=60000)
    box.setCurrentIndex(box.findData(Filter.ALL))
    laid_out = []
    window.frames.rows.modelReset.connect(lambda: laid_out.append(1))
    may_go_on.set()
    qtbot.waitUntil(lambda: not window.lanes.shown(), timeout=60000)
    assert (len(looked), laid_out) == (1, []), "what was found does not lay all frames out again"
    assert window.jobs.survey.is_out(looked[0]), "and is not lost"


def test_profile_folders_are_chosen_and_remembered(qtbot, monkeypatch, window, tmp_path):
    from velkin.core.icc.write import matrix_profile
    from velkin.core.spaces.rgb import P3

    (tmp_path / "mine").mkdir()
    (tmp_path / "mine" / "p.icc").write_bytes(matrix_profile(P3).replace(b"P3 (D65)", b"My own  "))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "mine"))

    def use(sheet):
        sheet._add()
        return 1

    monkeypatch.setattr(FoldersSheet, "exec", use)
    window.menu.by_name["Profile folders…"].trigger()
    assert tmp_path / "mine" in window.jobs.spaces.collection.folders
    qtbot.waitUntil(lambda: bool(window.jobs.spaces.collection.found()), timeout=60000)
    again = Window(QSettings(window.settings.fileName(), QSettings.Format.IniFormat))
    assert tmp_path / "mine" in again.jobs.spaces.collection.folders
    close(again)


def test_tables_are_copied_as_text(qtbot, window, ids):
    assert settle(window, 90)
    window.jobs.colour.add_pin(ids["north-0412"], 0.5, 0.5)
    window.jobs.colour.add_pin(ids["north-0412"], 0.2, 0.5)
    window.actions_.open_stop("working")
    pins = window.benches.working.pins
    qtbot.waitUntil(lambda: len(pins.cells()) == 2, timeout=60000)
    pins.setFocus()
    qtbot.keyClick(pins, Qt.Key.Key_C, CTRL)
    lines = QApplication.clipboard().text().split("\n")
    assert lines[0].split("\t") == ["Pin", "here", "Lab", "there", "ΔE"] and len(lines) == 3
    assert lines[1].split("\t")[2] == pins.cells()[0][2]
    assert "pin 2:" in pins.accessibleDescription()
    window.model.places.go(Page.CHART, ids["north-0401"])
    room = window.navigator.made(Page.CHART)
    qtbot.waitUntil(lambda: room.kept is not None, timeout=60000)
    table = room.bench.table
    table.setFocus()
    qtbot.keyClick(table, Qt.Key.Key_C, CTRL)
    assert len(QApplication.clipboard().text().split("\n")) == table.model().rowCount() + 1


def test_help_opens_the_guide_the_keys_the_messages_and_the_log(qtbot, window):
    window.model.report("something to remember")
    for name in ("Guide", "Keys", "Messages", "Open the log"):
        window.menu.by_name[name].trigger()
    guide = window.findChild(GuideSheet)
    assert guide.isVisible() and "On location" in guide.page.toPlainText()
    keys = window.findChild(KeysSheet)
    shown = [keys.table.topLevelItem(n).text(0) for n in range(keys.table.topLevelItemCount())]
    assert shown == ["Shoot", "Frame", "Chart", "Colour", "View", "Help", "Everywhere"]
    texts = window.findChildren(TextSheet)
    assert any("problem: something to remember" in t.body.toPlainText() for t in texts)
    assert any("velkin.log" in t.body.toPlainText() for t in texts)


def test_a_dropped_folder_name_with_a_colon_can_hold_profiles(tmp_path):
    make_application()
    settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    settings.setValue("icc_folders", [str(tmp_path / "a:b"), str(tmp_path / "c")])
    window = Window(settings)
    assert [Path(f).name for f in window.jobs.spaces.collection.folders] == ["a:b", "c"]
    close(window)


def test_changes_of_the_shelf_are_undone_one_after_the_other(qtbot, window, ids, demo_frames):
    frame = window.model.state.frames[ids["north-0401"]]
    kept = read_chart(frame.path, iso24())
    profile = fit(FitRequest(kept.reading, iso24(), frame.facts.unique, built_in(frame.facts), None, "Mine")).of("matrix")
    window.jobs.shelf.add(profile)
    window.actions_.profile.open_shelf()
    room = window.navigator.made(Page.SHELF)
    qtbot.waitUntil(lambda: room.entry is not None, timeout=60000)
    assert not room.undo.isVisible()
    room.name.setFocus()
    room.name.selectAll()
    qtbot.keyClicks(room.name, "Renamed")
    qtbot.keyClick(room.name, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: room.entry is not None and room.entry.name == "Renamed", timeout=60000)
    qtbot.mouseClick(room.off, LEFT)
    qtbot.waitUntil(lambda: room.empty.isVisible(), timeout=60000)
    qtbot.waitUntil(lambda: room.undo.text() == "Undo: remove Renamed", timeout=60000)
    qtbot.mouseClick(room.undo, LEFT)
    qtbot.waitUntil(lambda: [e.name for e in window.jobs.shelf.shelf.entries] == ["Renamed"], timeout=60000)
    qtbot.waitUntil(lambda: room.undo.text() == "Undo: rename Mine", timeout=60000)
    qtbot.mouseClick(room.undo, LEFT)
    qtbot.waitUntil(lambda: [e.name for e in window.jobs.shelf.shelf.entries] == ["Mine"], timeout=60000)
    qtbot.waitUntil(lambda: not room.undo.isVisible(), timeout=60000)


def test_the_loupe_shows_the_pixels_under_the_pointer(qtbot, window, ids):
    window.model.select(ids["north-0412"])
    assert settle(window, 90)
    at = window.view.to_widget(700, 800).toPoint()
    point_at(window, at)
    before = window.view.grab().toImage()
    qtbot.keyClick(window.view, Qt.Key.Key_M)
    assert window.model.loupe and window.menu.by_name["Loupe"].isChecked()
    image = window.flow.close_up(27)
    assert (image.width(), image.height()) == (27, 27)
    seen = window.view.grab().toImage()
    assert seen != before
    middle = seen.pixelColor(at.x() + 20 + 13 * 7 + 3, at.y() + 20 + 13 * 7 + 3)
    pointer = window.flow.pointer
    source = window.flow.rendered.source
    height, width = source.shape[:2]
    x, y = int(pointer[0] * width / 2400), int(pointer[1] * height / 1600)
    from velkin.core.render import for_screen, to_working

    path = window.model.path()
    expected = for_screen(to_working(source[y : y + 1, x : x + 1], path), path, window.model.screen)[0, 0]
    assert (middle.red(), middle.green(), middle.blue()) == tuple(int(v) for v in expected)
    qtbot.keyClick(window.view, Qt.Key.Key_M)
    assert not window.model.loupe and window.view.grab().toImage() == before
