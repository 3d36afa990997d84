"""Matches and looks in the real window: dropped, asked about, put on a light, made weaker, taken off and undone; by mouse and by key."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import tifffile
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from tests.app.doing import when_asked
from velkin.app.flow.stops import DOUBLE
from velkin.app.main import settle
from velkin.app.sheets.copy_sheet import CopySheet
from velkin.app.sheets.look_sheet import LookSheet
from velkin.core.looks.reading import read_look
from velkin.core.match.cube_file import cube_text
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.spaces.rgb import SRGB
from velkin.core.stages.stage import Place
from velkin.core.tags.pins import Pin, Target, distance

SKEINS = "north-0412"


@pytest.fixture
def table(tmp_path):
    steps = np.linspace(0.0, 1.0, 5)
    nodes = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1)
    path = tmp_path / "swapped.cube"
    path.write_text(cube_text(nodes[..., ::-1], "Swapped", ()))
    return path


def drop(window, path):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    where, move = QPointF(400, 300), Qt.DropAction.CopyAction
    window.dropEvent(QDropEvent(where, move, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier))


def by_keyboard(sheet):
    """Choose sRGB, the whole light, and 60 % by keys alone."""
    before = (sheet.put_on.isEnabled(), sheet.words.text())
    assert before == (False, "Choose what numbers it takes.")
    QTest.keyClicks(sheet.takes, "sRGB")
    assert sheet.put_on.isEnabled() and sheet.gives.space() is SRGB
    QTest.keyClick(sheet.frames, Qt.Key.Key_Down)
    for _ in range(4):
        QTest.keyClick(sheet.strength.slider, Qt.Key.Key_PageDown)
    QTest.keyClick(sheet, Qt.Key.Key_Return)


def test_a_dropped_table_is_asked_about_put_on_the_light_and_undone(qtbot, window, ids, table):
    window.model.select(ids[SKEINS])
    seen = []
    when_asked(LookSheet, by_keyboard, seen)
    drop(window, table)
    state = lambda: window.model.state  # noqa: E731
    qtbot.waitUntil(lambda: bool(state().given_looks), timeout=60000)
    light = state().light_of(ids[SKEINS]).frames
    assert set(state().given_looks) == set(light) and len(light) > 3
    assert state().given_looks[ids[SKEINS]] == (1, 0.4)
    assert (state().looks[1].takes, state().looks[1].gives) == (SRGB, SRGB)
    assert settle(window, 90)
    stop = window.flow.stops()[2]
    assert (stop.detail, stop.link) == ("look Swapped, 40\u202f%", DOUBLE)
    assert window.benches.working.isVisible()
    section = window.benches.working.look
    assert section.strength.isVisible() and not section.none.isVisible()
    QTest.keyClick(section.strength.slider, Qt.Key.Key_End)
    assert state().given_looks == {ids[SKEINS]: (1, 1.5), **dict.fromkeys([f for f in light if f != ids[SKEINS]], (1, 0.4))}
    QTest.mouseClick(section.take_off, Qt.MouseButton.LeftButton)
    assert ids[SKEINS] not in state().given_looks and section.none.isVisible()
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=60000)
    window.view.setFocus()
    for expected in (1.5, 0.4, None):
        qtbot.keyClick(window.view, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        assert state().given_looks.get(ids[SKEINS], (1, None))[1] == expected
    assert state().looks == {}


def test_a_look_that_is_damaged_is_told_and_nothing_changes(qtbot, window, ids, tmp_path, monkeypatch):
    window.model.select(ids[SKEINS])
    (tmp_path / "bad.cube").write_text("LUT_3D_SIZE 2\n0 0 nan\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / "bad.cube"), ""))
    window.model.open_bench("working")
    QTest.mouseClick(window.benches.working.look.put_on, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "bad.cube" in window.model.messages.latest, timeout=60000)
    assert window.model.state.given_looks == {}


def test_a_saved_copy_has_the_look_and_the_source_is_not_tagged(qtbot, window, table, tmp_path, monkeypatch):
    noise = np.random.default_rng(5).integers(0, 65536, (40, 60, 3), dtype=np.uint16)
    tifffile.imwrite(tmp_path / "card.tif", noise, photometric="rgb")
    came = []
    window.jobs.command(lambda s: came.extend(s.frames.add_frames([look_at(tmp_path / "card.tif")])))
    window.jobs.colour.assign(tuple(came), SRGB)
    look = read_look(table)
    window.model.select(came[0])
    when_asked(LookSheet, lambda s: (s.takes.choose("srgb"), s.takes.picked.emit(SRGB), s.put_on.click()), [])
    drop(window, table)
    qtbot.waitUntil(lambda: bool(window.model.state.given_looks), timeout=60000)
    assert window.model.state.looks[1].digest == look.digest
    path = window.model.state.path(came[0])
    assert path.at(Place.LOOK) and not path.keeps_numbers
    said = []

    def write(sheet):
        said.append(sheet.words.text())
        sheet.out.setText(str(tmp_path / "copy.tif"))
        QTest.keyClick(sheet, Qt.Key.Key_Return)

    when_asked(CopySheet, write, [])
    window.actions_.space.save_copy()
    qtbot.waitUntil(lambda: (tmp_path / "copy.tif").exists(), timeout=60000)
    assert "with its look, sRGB embedded (look and numbers change)" in said[0]
    assert settle(window, 90)
    # red and blue change places in the very space that is written
    assert np.abs(tifffile.imread(tmp_path / "copy.tif")[..., ::-1].astype(int) - noise).max() <= 40
    before = (tmp_path / "card.tif").read_bytes()
    window.actions_.space.retag_source()
    assert "its look changes its numbers" in window.model.messages.latest
    assert (tmp_path / "card.tif").read_bytes() == before


def test_a_pin_is_brought_to_its_target_by_a_button(qtbot, window, ids, table):
    frame = ids[SKEINS]
    window.model.select(frame)
    window.model.open_bench("working")
    bench = window.benches.working
    window.jobs.colour.add_pin(frame, 0.1, 0.5)
    qtbot.waitUntil(lambda: bench.lab_at_pin(0) is not None, timeout=60000)
    assert not bench.bring.isVisible()
    bench.pins.chosen.emit(0)
    bench.target.setFocus()
    QTest.keyClick(bench.target, Qt.Key.Key_End)  # skin balance; letters typed soon after one another are one search
    qtbot.waitUntil(bench.bring.isVisible, timeout=60000)
    before = bench.lab_at_pin(0)
    assert not bench.with_lightness.isVisible()
    QTest.mouseClick(bench.bring, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: frame in window.model.state.given_looks, timeout=60000)
    assert window.model.messages.latest.startswith("1 pin brought there: ΔE ")
    pin = window.model.frame.pins[0]
    qtbot.waitUntil(lambda: bench.lab_at_pin(0) is not None and bench.lab_at_pin(0) != before, timeout=60000)
    assert distance(np.array(before), pin.target) > 2 * distance(np.array(bench.lab_at_pin(0)), pin.target)
    assert window.flow.stops()[2].detail == "matched to north-0412's pins, 100\u202f%"
    # numbers as they were measured, lightness too
    bench.target.setFocus()
    QTest.keyClick(bench.target, Qt.Key.Key_Up)
    qtbot.waitUntil(bench.lab.isVisible, timeout=60000)
    for typed in ("45 50", "45 5O 30", "101 0 0", "45,5 50 30"):
        bench.lab.setFocus()
        bench.lab.selectAll()
        QTest.keyClicks(bench.lab, typed)
        QTest.keyClick(bench.lab, Qt.Key.Key_Return)
        assert (f"'{typed}' is no Lab" in window.model.messages.latest) == (typed != "45,5 50 30")
    assert window.model.frame.pins[0].target == Target("lab", (45.5, 50.0, 30.0))
    bench.with_lightness.setFocus()
    QTest.keyClick(bench.with_lightness, Qt.Key.Key_Space)
    QTest.mouseClick(bench.bring, Qt.MouseButton.LeftButton)
    goal = Target("lab", (45.5, 50.0, 30.0))
    qtbot.waitUntil(
        lambda: bench.lab_at_pin(0) is not None and distance(np.array(bench.lab_at_pin(0)), goal) < 2, timeout=60000
    )
    # another look is never replaced without a word
    look = replace(read_look(table), takes=SRGB, gives=SRGB)
    window.jobs.looks.give((frame,), look, 1.0)
    qtbot.waitUntil(lambda: window.model.state.look_of(frame).look == look, timeout=60000)
    QTest.mouseClick(bench.bring, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "north-0412 has Swapped on" in window.model.messages.latest, timeout=60000)
    assert window.model.state.look_of(frame).look == look


def test_a_look_of_numbers_that_mean_nothing_known_is_not_written(qtbot, window, table, tmp_path):
    tifffile.imwrite(tmp_path / "bare.tif", np.full((20, 30, 3), 30000, np.uint16), photometric="rgb")
    came = []
    window.jobs.command(lambda s: came.extend(s.frames.add_frames([look_at(tmp_path / "bare.tif")])))
    window.model.select(came[0])
    window.jobs.looks.give(tuple(came), replace(read_look(table), takes=SRGB, gives=SRGB), 1.0)
    qtbot.waitUntil(lambda: bool(window.model.state.given_looks), timeout=60000)
    window.actions_.space.save_copy()
    assert "nothing says what its numbers mean" in window.model.messages.latest
    window.jobs.command(lambda s: s.colour.set_pins(came[0], (Pin(0.5, 0.5, Target("neutral")),)))
    window.jobs.looks.bring(came[0], tuple(came), False)
    assert "nor what its pins are" in window.model.messages.latest


def test_a_look_that_was_read_for_another_shoot_is_dropped(qtbot, window, ids, table, tmp_path):
    frame = ids[SKEINS]
    window.model.select(frame)
    other = tmp_path / "other.velkin"
    Shoot.create(other, "other").close()
    window.jobs.looks.give((frame,), replace(read_look(table), takes=SRGB, gives=SRGB), 1.0)
    window.jobs.shoots.show(Shoot.open(other))
    assert settle(window, 90)
    assert window.model.state.name == "other" and window.model.state.looks == {}


def test_several_looks_at_once_are_not_taken_for_one(window, ids, table, tmp_path):
    window.model.select(ids[SKEINS])
    second = tmp_path / "second.cube"
    second.write_bytes(table.read_bytes())
    window.actions_.dropped.take([table, second])
    assert "one match or look" in window.model.messages.latest and window.model.state.given_looks == {}


def test_a_look_acts_where_it_is_brushed_by_mouse(qtbot, window, ids, table):
    frame = ids[SKEINS]
    window.model.select(frame)
    window.jobs.looks.give((frame,), replace(read_look(table), takes=SRGB, gives=SRGB), 1.0)
    qtbot.waitUntil(lambda: frame in window.model.state.given_looks, timeout=60000)
    window.model.open_bench("working")
    section = window.benches.working.look
    assert settle(window, 90)
    everywhere = window.flow.rendered.image
    assert section.place.isVisible() and not section.brush.isVisible()
    section.place.setFocus()
    QTest.keyClick(section.place, Qt.Key.Key_Down)
    assert section.brush.isVisible() and section.brush.brush.isChecked()
    assert settle(window, 90)
    nowhere = window.flow.rendered.image
    assert nowhere != everywhere
    rect = window.view.picture_rect()
    middle = int(rect.center().y())
    first, last = (QPoint(int(rect.left() + x * rect.width()), middle) for x in (0.3, 0.5))
    QTest.mousePress(window.view, Qt.MouseButton.LeftButton, pos=first)
    for x in range(first.x(), last.x(), 6):
        QTest.mouseMove(window.view, QPoint(x, middle))
    QTest.mouseRelease(window.view, Qt.MouseButton.LeftButton, pos=last)
    assert len(window.model.state.look_places[frame].strokes) == 1
    assert settle(window, 90)
    brushed = window.flow.rendered.image

    def colour(image, x):
        return image.pixelColor(int(x * image.width()), image.height() // 2).getRgb()

    assert colour(brushed, 0.4) == colour(everywhere, 0.4) != colour(nowhere, 0.4)
    assert colour(brushed, 0.8) == colour(nowhere, 0.8) != colour(everywhere, 0.8)
    assert window.flow.stops()[2].detail == "look Swapped, 100\u202f%, brushed"
    assert "1 stroke" in section.brush.aside.text()
    # Esc lays the brush down; undoing takes the stroke away, and then the brush
    window.view.setFocus()
    QTest.keyClick(window.view, Qt.Key.Key_Escape)
    assert not section.brush.brush.isChecked() and not window.model.proof.brushing
    for strokes in (0, None):
        QTest.keyClick(window.view, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        place = window.model.state.look_places.get(frame)
        assert (None if place is None else len(place.strokes)) == strokes
    assert not section.brush.isVisible()
