"""Fit report, shelf, export and variants, in the real window."""

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog

from tests.app.doing import answered
from velkin.app.model.places import Page
from velkin.app.sheets.export_sheet import ExportSheet
from velkin.core.cameraprofiles.anyprofile import load_any
from velkin.core.cameraprofiles.export import exported
from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.cameraprofiles.profile import load_profile
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart


@pytest.fixture(scope="session")
def north_fit(demo_frames):
    from velkin.core.files.raw import read_facts

    path = demo_frames / "north-0401.dng"
    facts = read_facts(path)
    return fit(FitRequest(read_chart(path, iso24()).reading, iso24(), facts.unique, built_in(facts), None, "North", path.name))


@pytest.fixture
def readings(window, ids, demo_frames):
    """Both chart frames read."""
    for name in ("north-0401", "lamp-0501"):
        window.jobs.camera.keep_reading(ids[name], read_chart(demo_frames / f"{name}.dng", iso24()))


@pytest.fixture
def room(window, ids, readings, qtbot):
    window.model.select(ids["north-0412"])
    QTest.keyClick(window.view, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    window.actions_.profile.report()
    qtbot.waitUntil(lambda: window.navigator.made(Page.FIT).report is not None, timeout=60000)
    return window.navigator.made(Page.FIT)


def refit(qtbot, room, change):
    """Make a choice and wait for the fit that it brings."""
    before = room.report
    change()
    qtbot.waitUntil(lambda: room.report is not before, timeout=60000)


def test_the_report_needs_a_reading(window, ids):
    window.model.select(ids["north-0412"])
    window.actions_.profile.report()
    assert "No chart has been read" in window.model.messages.latest and window.navigator.stack.currentIndex() == 0


def test_the_report_shows_the_models_and_the_verdict(window, room, ids):
    assert window.navigator.room is room and room.frame == ids["north-0401"]
    shown = {name: card.accessibleName() for name, card in room.cards.cards.items()}
    assert sum("recommended" in words for words in shown.values()) == 1
    assert "very good" in room._figure.words.text() and room._reason.text().endswith(".")
    assert "towards" in room._changes.text() or "darker" in room._changes.text() or "lighter" in room._changes.text()
    room.choose_model("matrix")
    assert room.profile.model == "matrix"
    assert f"{room.profile.figures.mean:.2f}" in room._figure.number.text()
    QTest.mouseClick(room.patches, Qt.MouseButton.LeftButton, pos=room.patches._cell(14).center().toPoint())
    assert room.vectors.patch == 14 and room.table.selectedItems()[0].text() == "C3"
    assert not room.grab().isNull()


def test_every_choice_refits(room, qtbot, tmp_path):
    plain = room.profile.figures.mean
    refit(qtbot, room, lambda: room.keep.setChecked(False))
    assert not room.profile.keep_exposure
    refit(qtbot, room, lambda: room.tone.setChecked(True))
    assert room.profile.tone == "standard"
    refit(qtbot, room, lambda: (room.light.setCurrentIndex(room.light.findData("A")), room.light.activated.emit(1)))
    assert room.profile.light == "A" and room.profile.figures.mean > 2 * plain
    room.light.setCurrentIndex(room.light.findData("kelvin"))
    room.light.activated.emit(room.light.currentIndex())
    room.kelvin.setText("6100 K")
    refit(qtbot, room, room.kelvin.editingFinished.emit)
    assert room.profile.light == "6100 K" and room.profile.figures.mean < 1.2 * plain
    room.kelvin.setText("warm")
    room.kelvin.editingFinished.emit()
    assert "no temperature" in room._figure.words.text()
    spectrum = tmp_path / "window.csv"
    spectrum.write_text("".join(f"{nm},{1 + nm / 1000}\n" for nm in range(380, 781, 10)))
    refit(qtbot, room, lambda: room.use_spectrum(spectrum))
    assert room.profile.light == "window"


def test_a_patch_is_left_out_and_taken_in(room, qtbot):
    room._choose_patch(5)
    refit(qtbot, room, lambda: QTest.keyClick(room, Qt.Key.Key_L))
    assert "A6" not in [p.id for p in room.profile.patches] and room.all_in.isEnabled()
    refit(qtbot, room, lambda: (room.weight.setCurrentIndex(4), room.weight.activated.emit(4)))
    assert room.wish.weights == (("A6", 10.0),) and len(room.profile.patches) == 24
    refit(qtbot, room, room.all_in.click)
    assert len(room.profile.patches) == 24


def test_two_lights_become_one_profile(window, room, qtbot, ids):
    at = room.second.findData(ids["lamp-0501"])
    assert at > 0
    room.second.setCurrentIndex(at)
    refit(qtbot, room, lambda: room.second.activated.emit(at))
    assert len(room.profile.fits) == 2 and "between the two" in room._sentence.text()
    tables = []  # the warmer light comes first in the profile, and the table is that of the frame which is looked at
    room.csv_wanted.disconnect()
    room.csv_wanted.connect(lambda _, text: tables.append(text))
    room.save_csv()
    assert float(tables[0].splitlines()[15].split(",")[-1]) == pytest.approx(
        room._own(room.profile).patches[14].after, abs=2e-3
    )
    assert room._own(room.profile) is room.profile.fits[1]
    room._name.setText("Any light in the studio")
    room.give(True)
    frame = window.model.state.frames[ids["north-0412"]]
    assert window.model.state.profiles[frame.profile].name == "Any light in the studio"
    assert window.model.state.path(frame.id).camera.balance_from == "as shot"  # each frame has its own between two lights
    qtbot.waitUntil(
        lambda: window.flow.rendered is not None and window.flow.rendered.path == window.model.path(), timeout=60000
    )


def test_compared_with_another_profile_instead_of_the_built_in_one(window, room, qtbot):
    window.jobs.command(lambda s: s.camera.add_profile(replace(room.profile, name="Same again"), []))
    window.model.places.go(Page.FIT, room.frame)
    qtbot.waitUntil(lambda: room.report is not None, timeout=60000)
    assert room._changes.text() != "nothing that could be seen"
    room.against.setCurrentIndex(room.against.findText("Same again"))
    room.against.activated.emit(room.against.currentIndex())
    assert room._changes.text() == "nothing that could be seen"


def test_the_report_is_saved_as_csv(room, monkeypatch, tmp_path, window):
    out = tmp_path / "report.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(out), ""))
    room.save_csv()
    lines = out.read_text().splitlines()
    assert len(lines) == 25 and lines[0].startswith("patch,name,reference_L")
    assert "was written" in window.model.messages.latest


def test_giving_puts_the_profile_on_the_shelf_and_esc_leaves(window, room, ids):
    QTest.keyClick(room, Qt.Key.Key_Escape)
    assert window.navigator.stack.currentIndex() == 0
    window.actions_.profile.report()
    assert window.navigator.room is room


# ---- shelf --------------------------------------------------------------------------------------------------------


@pytest.fixture
def given(window, room, ids):
    """The recommended profile given to the north window's frames."""
    room._name.setText("North, spring")
    room.give(True)
    return window.model.state.profiles[window.model.state.frames[ids["north-0412"]].profile]


def test_a_fitted_profile_is_on_the_shelf_with_where_it_came_from(window, given, ids):
    window.actions_.profile.open_shelf()
    shelf = window.navigator.made(Page.SHELF)
    assert shelf.entry.name == "North, spring" and shelf.entry.path.parent.name == "shelf"
    facts = {row[0].text(): row[1].text() for row in shelf._facts._rows}
    assert "north-0401.dng" in facts["Chart"] and facts["Camera"] == "Velkin Studio One"
    assert "north-0412" in shelf._used.text() and not shelf.grab().isNull()
    QTest.keyClick(shelf, Qt.Key.Key_Escape)
    assert window.navigator.stack.currentIndex() == 0


def test_switched_off_the_frames_keep_rendering_and_say_so(window, given, ids, qtbot):
    window.actions_.profile.open_shelf()
    window.navigator.made(Page.SHELF).on.setChecked(False)
    qtbot.waitUntil(lambda: "Switched off" in window.navigator.made(Page.SHELF).sentence.text(), timeout=60000)
    assert not window.navigator.made(Page.SHELF).give_button.isEnabled()
    window.navigator.made(Page.SHELF).leave()
    window.model.select(ids["north-0412"])
    window.model.open_stop("camera")
    assert "switched off on the shelf" in window.benches.camera._profile_words.text()
    assert window.model.path().camera.profile == "North, spring"
    qtbot.waitUntil(
        lambda: window.flow.rendered is not None and window.flow.rendered.path == window.model.path(), timeout=60000
    )
    window.actions_.profile.open_shelf()
    window.navigator.made(Page.SHELF)._remove()
    qtbot.waitUntil(window.navigator.made(Page.SHELF).empty.isVisible, timeout=60000)
    window.navigator.made(Page.SHELF).leave()
    window.benches.camera.refresh()
    assert "not on the shelf" in window.benches.camera._profile_words.text()


def test_new_and_changed_files_appear_at_once(window, given, north_fit, ids, qtbot):
    folder = window.jobs.shelf.shelf.folder
    window.actions_.profile.open_shelf()
    (folder / "from elsewhere.dcp").write_bytes(exported(replace(north_fit.of("table"), name="Foreign"), ".dcp").data)
    qtbot.waitUntil(lambda: any(e.name == "Foreign" for e in window.jobs.shelf.shelf.entries), timeout=60000)
    qtbot.waitUntil(lambda: window.navigator.made(Page.SHELF).tree.topLevelItem(0).childCount() == 2, timeout=60000)
    window.navigator.made(Page.SHELF).leave()
    window.model.select(ids["lamp-0505"])
    window.model.open_stop("camera")
    at = next(
        i for i in range(window.benches.camera._profile.count()) if "Foreign" in window.benches.camera._profile.itemText(i)
    )
    window.benches.camera._profile.setCurrentIndex(at)
    window.benches.camera._profile_chosen(at)
    assert window.model.path().camera.profile == "Foreign" and window.model.path().camera.balance_from == "as shot"
    qtbot.waitUntil(
        lambda: window.flow.rendered is not None and window.flow.rendered.path == window.model.path(), timeout=60000
    )
    window.model.undo()
    assert window.model.path().camera.profile == ""


def test_names_and_notes_are_kept_and_a_twin_is_named(window, given, qtbot):
    folder = window.jobs.shelf.shelf.folder
    window.actions_.profile.open_shelf()
    shelf = window.navigator.made(Page.SHELF)
    shelf.name.setText("Spring, window")
    shelf.name.editingFinished.emit()
    shelf.notes.setPlainText("chart was clean")
    shelf.keep_notes.click()
    qtbot.waitUntil(lambda: (shelf.entry.name, shelf.entry.kept.notes) == ("Spring, window", "chart was clean"), timeout=60000)
    (folder / "twin.json").write_text(replace(given, name="Twin").to_json())
    qtbot.waitUntil(lambda: len(window.jobs.shelf.shelf.entries) == 2, timeout=60000)
    qtbot.waitUntil(lambda: "Twin" in shelf._same.text(), timeout=60000)


def test_profiles_are_dropped_onto_the_window_and_broken_ones_refused(qtbot, window, north_fit, tmp_path):
    good, bad = tmp_path / "good.icc", tmp_path / "bad.dcp"
    good.write_bytes(exported(north_fit.of("rootpoly"), ".icc").data)
    bad.write_bytes(b"II no profile")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in (good, bad)])
    event = QDropEvent(QPointF(5, 5), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    window.dropEvent(event)
    qtbot.waitUntil(lambda: [e.path.name for e in window.jobs.shelf.shelf.entries] == ["good.icc"], timeout=60000)
    qtbot.waitUntil(lambda: "bad.dcp" in str([m.text for m in window.model.messages.history]), timeout=60000)
    window.actions_.profile.open_shelf()
    assert window.navigator.made(Page.SHELF).tree.topLevelItem(0).text(0) == "Any camera"
    window.navigator.made(Page.SHELF)._give()
    assert window.model.path().camera.profile == "North"


def test_an_unreadable_file_on_the_shelf_says_why(qtbot, window, given):
    (window.jobs.shelf.shelf.folder / "broken.dcp").write_bytes(b"II nothing")
    window.actions_.profile.open_shelf()
    tree = window.navigator.made(Page.SHELF).tree
    qtbot.waitUntil(lambda: tree.topLevelItemCount() == 2, timeout=60000)
    last = tree.topLevelItem(tree.topLevelItemCount() - 1)
    assert last.text(0) == "Cannot be read" and "DNG" in last.child(0).text(0)
    tree.setCurrentItem(last.child(0))
    assert not window.navigator.made(Page.SHELF).give_button.isEnabled()


# ---- export and variants ------------------------------------------------------------------------------------------


def test_export_writes_what_was_ticked_and_remembers_the_folder(window, given, ids, tmp_path, qtbot):
    window.model.select(ids["north-0412"])
    sheet = ExportSheet(given, window.model.frame, window.settings, window)
    sheet.show()
    for tick in sheet.ticks.values():
        tick.setChecked(True)
    sheet.use_folder(str(tmp_path / "out"))
    sheet.pattern.setText("{camera} {light}")
    sheet.copyright.setText("Madderfold")
    sheet.camera.setText("Another body")
    assert sheet.warning.isVisible()
    sheet.picture.setChecked(True)
    sheet._accept()
    plan = sheet.plan
    window.jobs.fits.export(plan.profile, plan.folder, plan.pattern, plan.suffixes, plan.choices, window.model.frame, False)
    qtbot.waitUntil(lambda: "Written to" in window.model.messages.latest, timeout=60000)
    names = sorted(p.suffix for p in (tmp_path / "out").iterdir())
    assert names == [".cube", ".dcp", ".icc", ".json", ".tif", ".tif"]
    written = load_any(next((tmp_path / "out").glob("*.dcp")))
    assert (written.camera, written.copyright) == ("Another body", "Madderfold")
    again = ExportSheet(given, window.model.frame, window.settings, window)
    assert again.folder.currentText() == str(tmp_path / "out") and again.pattern.text() == "{camera} {light}"
    again.pattern.setText("{nonsense}")
    assert not again.write.isEnabled() and "name pattern" in again.summary.text()
    window.jobs.fits.export(plan.profile, plan.folder, plan.pattern, [".dcp"], plan.choices, None, False)
    qtbot.waitUntil(lambda: "nothing was written" in window.model.messages.latest, timeout=60000)


def test_formats_that_cannot_carry_a_profile_say_why(window, room, qtbot, ids):
    room.second.setCurrentIndex(room.second.findData(ids["lamp-0501"]))
    refit(qtbot, room, lambda: room.second.activated.emit(room.second.currentIndex()))
    sheet = ExportSheet(room.profile, None, window.settings, window)
    assert not sheet.ticks[".icc"].isEnabled() and "one light only" in sheet.ticks[".icc"].toolTip()
    assert sheet.ticks[".dcp"].isEnabled()


def test_a_variant_is_seen_while_it_is_made_kept_and_given(window, given, ids, qtbot):
    window.model.select(ids["north-0412"])
    window.menu.by_name["Variant of this frame's profile…"].trigger()
    bench = window.benches.asides()[0]
    assert window.benches.currentWidget() is bench and bench.isAncestorOf(QApplication.focusWidget())
    assert not bench.keep.isEnabled() and not window.model.trying
    rendered = lambda: window.flow.rendered is not None and window.flow.rendered.path == window.model.path()  # noqa: E731
    qtbot.waitUntil(rendered, timeout=60000)
    bench.saturation.setFocus()
    qtbot.keyClick(bench.saturation, Qt.Key.Key_Home)
    assert window.model.tried_profile is not None and "monochrome" in bench.name.text()
    qtbot.waitUntil(rendered, timeout=60000)
    assert np.ptp(window.flow.rendered.working[::50, ::50].reshape(-1, 3), axis=1).max() < 2e-3  # no colour is left
    assert window.model.comparison == "wipe" and window.view._names(window.flow.rendered)[1] == "now"
    assert window.path_bar.buttons["camera"].stop().detail == "if given"
    window.view.setFocus()
    qtbot.keyPress(window.view, Qt.Key.Key_Space)
    qtbot.waitUntil(rendered, timeout=60000)
    assert window.flow.rendered.path == window.model.state.path(ids["north-0412"])  # before is a key away
    assert np.ptp(window.flow.rendered.working[::50, ::50].reshape(-1, 3), axis=1).max() > 0.1
    qtbot.keyRelease(window.view, Qt.Key.Key_Space)
    assert window.model.state.frames[ids["north-0412"]].profile is not None
    bench.reach.click()
    assert "reach" in bench.sentence.text()
    window.model.open_stop("proof")
    assert not window.model.trying
    window.model.open_stop("camera")  # what was set waited
    assert window.benches.currentWidget() is bench and window.model.tried_profile is not None
    qtbot.mouseClick(bench.keep, Qt.MouseButton.LeftButton)
    camera = window.model.path().camera
    assert "monochrome" in camera.profile and camera.mean_error is None and not window.model.trying
    assert window.benches.currentWidget() is window.benches.camera and not window.benches.asides()
    assert "ΔE" not in window.benches.camera._figure.number.text()  # what the fit reached says nothing of a variant
    assert "monochrome" in window.benches.camera._profile_words.text()


def test_a_mixer_of_ones_own_keeps_white_and_a_set_variant_is_not_lost_by_a_key(window, given, ids, qtbot):
    window.model.select(ids["north-0412"])
    window.actions_.profile.vary_frame()
    bench = window.benches.asides()[0]
    bench.mixer.setCurrentIndex(bench.mixer.findData("own"))
    bench.mixer.activated.emit(bench.mixer.currentIndex())
    bench._cells[0][0].setValue(0.5)
    assert not bench.keep.isEnabled() and "sum to 1" in bench.sentence.text()
    bench._cells[0][1].setValue(0.5)
    assert bench.keep.isEnabled() and window.model.tried_profile is not None
    window.jobs.camera.set_exposure((ids["north-0412"],), 0.5)  # the frame changed: what is tried stands on it anew
    assert window.model.tried_profile is not None and window.model.path().camera.exposure == 0.5
    asked = []
    bench._cells[0][0].setFocus()
    with answered("Stay here", asked):
        qtbot.keyClick(bench._cells[0][0], Qt.Key.Key_Escape)
    assert asked == ["The variant would be lost."] and window.benches.asides() == [bench]
    window.model.select(ids["lamp-0505"])  # another light of the same camera is tried too
    assert window.model.tried_profile is not None and window.model.path().camera.profile == bench.name.text()
    window.activateWindow()  # a virtual screen has no window manager that would do it after a dialog
    bench._cells[0][0].setFocus()
    qtbot.waitUntil(bench._cells[0][0].hasFocus)
    with answered("Give it up", asked):
        qtbot.keyClick(bench._cells[0][0], Qt.Key.Key_Escape)
    assert not window.benches.asides() and not window.model.trying


def test_a_variants_reach_puts_the_frames_balance_mid_scale(window, given, ids, qtbot):
    window.jobs.camera.set_balance((ids["north-0412"],), (0.4, 1.0, 3.5), "picked")
    window.model.select(ids["north-0412"])
    window.actions_.profile.vary_frame()
    bench = window.benches.asides()[0]
    bench.reach.click()
    bench.keep.click()
    made = window.model.state.profiles[window.model.frame.profile]
    assert made.matrices().temperature(np.array([0.4, 1.0, 3.5]))[0] == pytest.approx(5000, rel=0.01)
    window.jobs.camera.set_balance(window.model.selected, (0.4, 1.0, 3.5), "picked")
    assert window.benches.camera.balance.kelvin.value() == pytest.approx(5000, rel=0.01)  # mid-scale, not at its end


def test_a_finished_picture_is_fitted_onto_the_shelf(window, given, tmp_path, monkeypatch, qtbot, demo_frames):
    from velkin.cli import main

    picture = tmp_path / "chart.tif"
    assert (
        main(["render", str(demo_frames / "north-0401.dng"), "--camera-rgb", "--encoding", "srgb", "--out", str(picture)]) == 0
    )
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(picture), ""))
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: (iso24().name, True))
    window.actions_.chart.fit_picture()
    qtbot.waitUntil(lambda: "is on the shelf" in window.model.messages.latest, timeout=60000)
    qtbot.waitUntil(lambda: any(e.path.stem.startswith("chart") for e in window.jobs.shelf.shelf.entries), timeout=60000)
    entry = next(e for e in window.jobs.shelf.shelf.entries if e.path.stem.startswith("chart"))
    assert load_profile(entry.path).for_pictures
    window.actions_.profile.open_shelf()
    window.navigator.made(Page.SHELF).refresh()
    assert entry not in window.jobs.shelf.shelf.usable("Velkin Studio One")


def test_a_variant_or_export_of_the_built_in_profile_is_explained(window, ids):
    window.model.select(ids["lamp-0505"])
    for act in (window.actions_.profile.export_of_frame, window.actions_.profile.vary_frame):
        act()
        assert "built-in profile" in window.model.messages.latest
