"""The match room in the real window: pairs added by mouse and by key, seen at once, put on, adjusted, kept and undone."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np
import pytest
import tifffile
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMenu

from tests.app.doing import answered, when_asked
from velkin.app.flow.stops import DOUBLE
from velkin.app.main import settle
from velkin.app.model.places import Page
from velkin.app.sheets.look_sheet import LookSheet
from velkin.app.sheets.match_export_sheet import MatchExportSheet
from velkin.core.icc.write import matrix_profile
from velkin.core.match.cube_file import load_cube
from velkin.core.match.export import As
from velkin.core.match.match_file import match_from_json
from velkin.core.match.pair import Origin, chroma, coordinates, difference
from velkin.core.shoot.arrivals import look_at
from velkin.core.spaces.rgb import ROMM, SRGB
from velkin.core.stages.matching import Matched
from velkin.core.stages.stage import Place
from velkin.core.tags.pins import Pin, Target
from velkin.sim.treatments import treated

LEFT = Qt.MouseButton.LeftButton


def choose(button, words):
    """Open a button's menu with the mouse and click an entry; a click that came while the menu was being laid out is made again."""
    done = []
    action = next(a for a in button.menu().actions() if words in a.text().replace("&", ""))
    action.triggered.connect(lambda: done.append(words))
    end = time.monotonic() + 60

    def look():
        menu = QApplication.activePopupWidget()
        if isinstance(menu, QMenu):
            place = menu.actionGeometry(action).center()
            for step in range(10):  # a menu pays no heed to a click of a pointer that did not move since it opened
                QTest.mouseMove(menu, place + QPoint(step, 0))
            QTest.mouseClick(menu, LEFT, pos=place)
        elif not done and time.monotonic() < end:
            QTimer.singleShot(20, look)

    while not done and time.monotonic() < end:
        QTimer.singleShot(20, look)
        QTest.mouseClick(button, LEFT)
        QTest.qWait(50)
    assert done


def enter(qtbot, window, frame, reference=None):
    """Go to the match room by its key; a second selected frame is the reference."""
    window.model.select(frame, (frame,) if reference is None else (frame, reference))
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=60000)
    window.view.setFocus()
    QTest.keyClick(window.view, Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
    assert window.model.places.now.page is Page.MATCH
    room = window.navigator.room
    qtbot.waitUntil(lambda: room.view.has_picture, timeout=60000)
    if reference is not None:
        qtbot.waitUntil(lambda: not room.view.reference.isNull(), timeout=60000)
    assert settle(window, 90)
    return room


@pytest.fixture
def plates(window, tmp_path):
    """A picture before and after a treatment, tagged; ids of both."""
    rng = np.random.default_rng(3)
    coarse = rng.random((12, 18, 3)).astype(np.float32)
    linear = np.kron(0.2 + 0.5 * coarse, np.ones((40, 40, 1), np.float32)) ** 2.0
    linear = np.clip(linear * (0.9 + 0.2 * np.kron(rng.random((120, 180, 1)), np.ones((4, 4, 1)))), 0.0, 1.0).astype(np.float32)
    came = []
    for name, light in (("before", linear), ("after", treated(linear, "faded"))):
        codes = np.round(ROMM.encode(light) * 65535).astype(np.uint16)
        path = tmp_path / f"{name}.tif"
        tifffile.imwrite(path, codes, photometric="rgb", iccprofile=matrix_profile(ROMM))
        window.jobs.command(lambda s, p=path: came.extend(s.frames.add_frames([look_at(p)])))
    return came


def test_two_lights_are_matched_by_their_charts_and_it_is_undone(qtbot, window, ids):
    frame, reference = ids["lamp-0505"], ids["north-0412"]
    room = enter(qtbot, window, frame, reference)
    assert room.pairs.rows == [] and not room.bench.give.isEnabled()
    assert room.references.currentText() == "like north-0412"
    choose(room.evidence.add, "From the charts")
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    assert "24 pairs of the charts in lamp-0501 and north-0401" in window.model.messages.latest
    errors = [r.error for r in room.pairs.rows]
    assert len(errors) == 24 and errors == sorted(errors, reverse=True)
    assert np.mean(errors) < 1.0 < room.learnt.figures.before
    assert settle(window, 90)
    stop = window.flow.stops()[2]
    assert stop.detail.startswith("if put on: matched to north-0412") and stop.link == DOUBLE
    (stage,) = window.flow.rendered.path.at(Place.LOOK)
    assert isinstance(stage, Matched) and stage.match == room.learnt.match
    assert window.model.state.given_looks == {}
    # lightness stays, by a key on its slider
    QTest.keyClick(room.bench.lightness.slider, Qt.Key.Key_Home)
    assert room.draft.amounts.lightness == 0.0
    assert "lightness by 0\u00a0%" in room.bench.sentence.text().replace("0 %", "0\u00a0%")
    QTest.mouseClick(room.bench.give, LEFT)
    light = window.model.state.light_of(frame).frames
    qtbot.waitUntil(lambda: bool(window.model.state.given_looks), timeout=60000)
    assert set(window.model.state.given_looks) == set(light) and len(light) == 6
    assert window.model.places.at_picture and window.model.tried_look is None
    assert settle(window, 90)
    assert window.flow.stops()[2].detail == "matched to north-0412, 100\u202f%"
    window.view.setFocus()
    QTest.keyClick(window.view, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.model.state.given_looks == {}


def test_pins_with_the_same_number_are_a_pair_the_moment_the_second_is_set(qtbot, window, ids):
    frame, reference = ids["lamp-0505"], ids["north-0412"]
    room = enter(qtbot, window, frame, reference)
    QTest.mouseClick(room.set_pins, LEFT)
    view, rect = room.view, room.view.picture_rect()
    middle = int(rect.center().y())
    for number, (here, there) in enumerate(((0.25, 0.75), (0.35, 0.9), (0.1, 0.6)), start=1):
        QTest.mouseClick(view, LEFT, pos=QPoint(int(rect.left() + here * rect.width()), middle))
        assert len(window.model.state.frames[frame].pins) == number
        assert f"pin {number} is wanted in the reference" in view.captions[0]
        QTest.mouseClick(view, LEFT, pos=QPoint(int(rect.left() + there * rect.width()), middle))
        qtbot.waitUntil(lambda n=number: len(room.pairs.rows) == n, timeout=60000)
    assert {r.origin for r in room.pairs.rows} == {Origin.PINS} and {r.words for r in room.pairs.rows} == {
        "pin 1",
        "pin 2",
        "pin 3",
    }
    qtbot.waitUntil(lambda: room.learnt is not None and len(room.learnt.match.pairs) == 3, timeout=60000)
    assert room.learnt.figures.mean < 0.5 < 3.0 < room.learnt.figures.before
    # a pair is chosen, left out by Del, and taken in again by the button
    QTest.mouseClick(room.pairs.viewport(), LEFT, pos=room.pairs.visualRect(room.pairs.model().index(0, 1)).center())
    chosen = room.pairs.chosen()
    assert view.chosen_pin == int(chosen[1])
    QTest.keyClick(room.pairs, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: len(room.learnt.match.pairs) == 2, timeout=60000)
    assert room.pairs.rows[-1].left_out and room.pairs.chosen() == chosen and room.evidence.out.text() == "Take in"
    QTest.mouseClick(room.evidence.out, LEFT)
    qtbot.waitUntil(lambda: len(room.learnt.match.pairs) == 3, timeout=60000)
    # undoing takes the last pin away, and with it the pair
    view.setFocus()
    QTest.keyClick(view, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: len(room.pairs.rows) == 2, timeout=60000)
    asked = []
    with answered("Go back without it", asked):
        QTest.keyClick(view, Qt.Key.Key_Escape)
        assert not room.set_pins.isChecked() and asked == []
        QTest.keyClick(view, Qt.Key.Key_Escape)
    assert "the match of 2 pairs" in asked[0] and window.model.places.at_picture


def test_a_treatment_is_learnt_from_a_plate_and_put_on_another_light(qtbot, window, ids, plates):
    before, after = plates
    room = enter(qtbot, window, before, after)
    choose(room.evidence.add, "aligned picture")
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    assert {r.origin for r in room.pairs.rows} == {Origin.ALIGNED}
    first = room.draft.pairs
    assert room.learnt.figures.mean < 0.5 < room.learnt.figures.before
    # what was not used is hatched when asked for, and an area is left out by dragging over it
    choose(room.evidence.add, "Show what of it was left out")
    assert room.view.show_hatch
    choose(room.evidence.add, "Leave an area out")
    rect = room.view.picture_rect().toRect()
    QTest.mousePress(room.view, LEFT, pos=rect.topLeft() + QPoint(2, 2))
    QTest.mouseMove(room.view, rect.center())
    QTest.mouseRelease(room.view, LEFT, pos=QPoint(rect.center().x(), rect.bottom() - 2))
    qtbot.waitUntil(lambda: room.draft.pairs != first, timeout=60000)
    assert len(room.view.areas) == 1
    # looked at on a frame of another light, and put on that
    window.model.select(ids["north-0414"])
    assert window.model.places.now.page is Page.MATCH and room.frame == before
    assert settle(window, 90)
    assert window.flow.rendered.frame == ids["north-0414"] and window.flow.rendered.path.at(Place.LOOK)
    assert room.bench.give.text() == "Match the 6 frames of this light"
    QTest.mouseClick(room.bench.give, LEFT)
    light = window.model.state.light_of(ids["north-0414"]).frames
    qtbot.waitUntil(lambda: set(window.model.state.given_looks) == set(light), timeout=60000)
    window.model.open_bench("working")
    section = window.benches.working.look
    window.jobs.looks.set_strength(light, 0.7, False)
    assert settle(window, 90)
    assert window.flow.stops()[2].detail == "matched to after, 70\u202f%"
    assert section.match.text() == "Adjust match…"
    # adjusted where it was left: the same pairs, nothing unsaved
    QTest.mouseClick(section.match, LEFT)
    room = window.navigator.room
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    kept = match_from_json(window.model.state.look_of(ids["north-0414"]).look.content.decode())
    assert room.draft.pairs == kept.pairs and room.unsaved() == ""


def test_a_match_on_the_shelf_serves_another_frame_of_the_same_chart(qtbot, window, ids, monkeypatch):
    room = enter(qtbot, window, ids["lamp-0505"], ids["north-0412"])
    choose(room.evidence.add, "From the charts")
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    QTest.mouseClick(room.bench.keep, LEFT)
    qtbot.waitUntil(lambda: len(window.jobs.looks.on_shelf) == 1, timeout=60000)
    assert room.unsaved() == ""
    wanted = {p.name: p.wanted for p in room.draft.pairs}
    QTest.keyClick(room.view, Qt.Key.Key_Escape)
    assert window.model.places.at_picture
    room = enter(qtbot, window, ids["lamp-0507"])
    room.references.setFocus()
    QTest.keyClick(room.references, Qt.Key.Key_Down)
    assert room.references.currentText() == "like north-0412, from the shelf"
    choose(room.evidence.add, "From the charts")
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    assert {p.name: p.wanted for p in room.draft.pairs} == wanted
    with answered("Go back without it", []):
        QTest.keyClick(room.view, Qt.Key.Key_Escape)
    # and is put on any frames, by its name
    offered = []
    monkeypatch.setattr(QInputDialog, "getItem", lambda p, t, w, names, *rest: (offered.extend(names), (names[0], True))[1])
    when_asked(LookSheet, lambda sheet: QTest.keyClick(sheet, Qt.Key.Key_Return), [])
    window.actions_.look.put_on()
    assert offered == ["north-0412, 24 pairs, from the shelf", "from a file…"]
    qtbot.waitUntil(lambda: list(window.model.state.given_looks) == [ids["lamp-0507"]], timeout=60000)


def test_a_match_is_exported_as_a_table_from_the_room(qtbot, window, ids, tmp_path, monkeypatch):
    room = enter(qtbot, window, ids["lamp-0505"], ids["north-0412"])
    choose(room.evidence.add, "From the charts")
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    asked = []

    def save(parent, title, name, kinds):
        asked.append(name)
        return str(tmp_path / "out"), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", save)
    seen = []

    def by_keys(sheet):
        seen.append((sheet._rows["Steps"].isEnabled(), sheet.words.text()))
        QTest.keyClick(sheet.kind, Qt.Key.Key_Home)
        seen.append((sheet._rows["Numbers"].isEnabled(), sheet.wish().kind))
        QTest.keyClick(sheet.kind, Qt.Key.Key_Down)
        QTest.keyClick(sheet.steps, Qt.Key.Key_Home)
        sheet.space.choose("srgb")
        QTest.keyClick(sheet, Qt.Key.Key_Return)

    when_asked(MatchExportSheet, by_keys, [])
    QTest.mouseClick(room.bench.export, LEFT)
    qtbot.waitUntil((tmp_path / "out.cube").exists, timeout=60000)
    assert seen[0][0] and "ROMM RGB, encoded, 0..1" in seen[0][1] and seen[1] == (False, As.OWN)
    assert asked[0].endswith("north-0412.cube")
    cube = load_cube(tmp_path / "out.cube")
    assert cube.values.shape == (17, 17, 17, 3) and "space: srgb" in cube.comments
    assert settle(window, 90)
    assert "out.cube was written" in window.model.messages.latest
    # a name that gets its suffix after the dialog is not replaced without a question
    written, questions = (tmp_path / "out.cube").read_bytes(), []
    (tmp_path / "out.cube").write_bytes(b"somebody's")
    for answer, left in (("Stay here", b"somebody's"), ("Replace it", written)):
        when_asked(MatchExportSheet, by_keys, [])
        with answered(answer, questions):
            QTest.mouseClick(room.bench.export, LEFT)
        qtbot.waitUntil(lambda b=left: (tmp_path / "out.cube").read_bytes() == b, timeout=20000)
    assert questions == ["out.cube, which is there already, would be lost."] * 2
    # without a match the menu's command says how to get one
    with answered("Go back without it", []):
        QTest.keyClick(room.view, Qt.Key.Key_Escape)
    window.actions_.look.export()
    assert "has no match on" in window.model.messages.latest


def test_a_match_that_could_not_be_kept_is_not_taken_for_kept(qtbot, window, ids, tmp_path):
    room = enter(qtbot, window, ids["lamp-0505"], ids["north-0412"])
    choose(room.evidence.add, "From the charts")
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    (tmp_path / "matches").write_text("a file where the shelf would be")
    QTest.mouseClick(room.bench.keep, LEFT)
    qtbot.waitUntil(lambda: "shelf of matches cannot be written to" in window.model.messages.latest, timeout=60000)
    assert room.unsaved() == "the match of 24 pairs"
    # its own command begins nothing anew
    QTest.keyClick(room.view, Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
    assert window.navigator.room is room and len(room.draft.pairs) == 24


def test_greys_evenness_and_amounts_change_what_is_seen(qtbot, window, ids):
    room = enter(qtbot, window, ids["lamp-0505"], ids["north-0412"])
    choose(room.evidence.add, "From the charts")
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    first = room.learnt
    QTest.mouseClick(room.bench.greys.button(1), LEFT)
    qtbot.waitUntil(lambda: room.learnt is not first and not room.making.learning, timeout=60000)
    greys = room.making.found(used=False).got[[p.name in ("D2", "D3", "D4", "D5") for p in room.draft.pairs]]
    assert chroma(greys).max() < 1.0
    assert first.figures.exact != 0.0
    QTest.keyClick(room.bench.exact.slider, Qt.Key.Key_Home)
    qtbot.waitUntil(lambda: room.learnt.figures.exact == 0.0 and not room.making.learning, timeout=60000)
    assert not room.bench.by_itself.isChecked()
    assert room.learnt.figures.mean > first.figures.mean
    qtbot.waitUntil(lambda: "Exact:" in room.bench.price.text(), timeout=60000)
    QTest.mouseClick(room.bench.by_itself, LEFT)
    qtbot.waitUntil(lambda: room.learnt.figures.exact > 0.0, timeout=60000)
    QTest.mouseClick(room.change.on_lattice, LEFT)
    assert room.change.lattice.isVisible() and not room.change.course.isVisible()
    drawn = room.change.lattice.grab().toImage()
    QTest.keyClick(room.change.lattice, Qt.Key.Key_Left)
    assert room.change.lattice.grab().toImage() != drawn
    # before, held
    room.view.setFocus()
    QTest.keyPress(room.view, Qt.Key.Key_Space)
    assert window.model.before and room.view.names[0].endswith("before")
    QTest.keyRelease(room.view, Qt.Key.Key_Space)
    assert not window.model.before


def test_a_pin_with_a_target_is_a_pair_by_number_and_weighs_what_is_said(qtbot, window, ids):
    frame = ids["north-0412"]
    window.jobs.command(lambda s: s.colour.set_pins(frame, (Pin(0.1, 0.5, Target("skin")), Pin(0.6, 0.5))))
    room = enter(qtbot, window, frame)
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    (row,) = room.pairs.rows
    assert (row.origin, row.words) == (Origin.NUMBER, "pin 1")
    assert room.unsaved() == ""  # pins that were there are kept with their frame
    assert "One pair says little" in room.bench.cannot.text()
    QTest.mouseClick(room.pairs.viewport(), LEFT, pos=room.pairs.visualRect(room.pairs.model().index(0, 1)).center())
    room.evidence.weight.setFocus()
    QTest.keyClick(room.evidence.weight, Qt.Key.Key_Down)
    qtbot.waitUntil(lambda: room.pairs.rows[0].weight == 2.0, timeout=60000)
    assert room.unsaved() == "the match of 1 pair"
    pair = room.draft.pairs[0]
    got = room.learnt.match.at(coordinates([pair.here]))
    assert difference(got, coordinates([pair.wanted])).max() < 0.5


def test_what_cannot_be_matched_is_said_and_nothing_is_lost(qtbot, window, ids, tmp_path):
    noise = np.random.default_rng(5).integers(0, 65536, (80, 120, 3), dtype=np.uint16)
    tifffile.imwrite(tmp_path / "bare.tif", noise, photometric="rgb")
    tifffile.imwrite(tmp_path / "small.tif", noise[:20, :20], photometric="rgb", iccprofile=matrix_profile(SRGB))
    came = []
    for name in ("bare", "small"):
        window.jobs.command(lambda s, n=name: came.extend(s.frames.add_frames([look_at(tmp_path / f"{n}.tif")])))
    bare, small = came
    room = enter(qtbot, window, ids["north-0412"], bare)
    for words in ("From the charts", "aligned picture"):
        window.model.messages.clear()
        choose(room.evidence.add, words)
        qtbot.waitUntil(lambda: "bare: nothing says what its numbers mean" in window.model.messages.latest, timeout=60000)
    room.use_reference(small)
    choose(room.evidence.add, "aligned picture")
    qtbot.waitUntil(lambda: "set pins in both pictures instead" in window.model.messages.latest, timeout=60000)
    assert "north-0412 and small" in window.model.messages.latest
    choose(room.evidence.add, "From the charts")
    qtbot.waitUntil(lambda: "no chart was found in small" in window.model.messages.latest, timeout=60000)
    assert room.draft.pairs == () and not room.bench.give.isEnabled() and room.unsaved() == ""
    # the reference leaves the shoot: the room does not stay with what is gone
    window.jobs.command(lambda s: s.frames.remove_frames([small]))
    qtbot.waitUntil(lambda: window.model.places.at_picture, timeout=60000)


def test_the_picture_is_as_large_as_its_viewer_again_after_the_room(qtbot, window, ids):
    window.model.select(ids["north-0412"])
    assert settle(window, 90)
    before = window.flow.rendered.image.width()
    room = enter(qtbot, window, ids["north-0412"])
    qtbot.waitUntil(lambda: window.flow.rendered.image.width() < before, timeout=60000)
    QTest.mouseClick(room.map, LEFT)
    QTest.keyClick(room.view, Qt.Key.Key_Escape)
    assert window.model.places.at_picture
    qtbot.waitUntil(lambda: window.flow.rendered.image.width() == before, timeout=60000)
    assert window.flow.rendered.seen.mark == ""


def test_the_map_shows_how_far_each_place_is_changed(qtbot, window, ids):
    room = enter(qtbot, window, ids["lamp-0505"], ids["north-0412"])
    choose(room.evidence.add, "From the charts")
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    assert settle(window, 90)
    plain = window.flow.rendered.image
    QTest.mouseClick(room.map, LEFT)
    qtbot.waitUntil(lambda: window.flow.rendered.seen.mark == "change", timeout=60000)
    assert "ΔE map" in room.view.captions[0] and window.flow.rendered.image != plain
    for slide in (room.bench.colour, room.bench.lightness):
        slide.slider.setFocus()
        QTest.keyClick(slide.slider, Qt.Key.Key_Home)
    assert settle(window, 90)
    nothing = window.flow.rendered.image
    colours = {nothing.pixel(x, y) for x in range(0, nothing.width(), 7) for y in range(0, nothing.height(), 7)}
    assert len(colours) == 1  # dark everywhere
    QTest.mouseClick(room.map, LEFT)
    qtbot.waitUntil(lambda: window.flow.rendered.seen.mark == "", timeout=60000)


def test_pairs_that_contradict_are_named(qtbot, window, ids):
    frame, reference = ids["north-0412"], ids["north-0415"]
    spots = (Pin(0.1, 0.5), Pin(0.1005, 0.5))
    window.jobs.command(lambda s: s.colour.set_pins(frame, tuple(replace(p) for p in spots)))
    window.jobs.command(lambda s: s.colour.set_pins(reference, (Pin(0.24, 0.5), Pin(0.77, 0.5))))
    room = enter(qtbot, window, frame, reference)
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    assert "no smooth change gives both" in room.bench.cannot.text()
