"""The gamut room and the intents sheet in the real window: what they plot, how they are used, what they save."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest

from velkin.app.main import make_application, settle
from velkin.app.model.places import Page
from velkin.app.widgets.gamut_plot import FULL, GLASS, LINE, SLICE, SOLIDS, UV, XY, GamutPlot, Points, Shown, codes_of
from velkin.app.widgets.solid_raster import dots, fill
from velkin.core.gamut.solid import solid_of
from velkin.core.icc.space import grays, space_of
from velkin.core.icc.transform import Intent
from velkin.core.spaces.rgb import OPRGB, P3, SRGB
from velkin.sim.press import press_profile


@pytest.fixture
def press(window):
    space = space_of(press_profile(4))
    window.jobs.command(lambda s: s.colour.keep_space(space))
    return space


@pytest.fixture
def room(qtbot, window, ids):
    window.model.select(ids["north-0412"])
    assert settle(window, 90)
    qtbot.keyClick(window.view, Qt.Key.Key_G)
    found = window.navigator.made(Page.GAMUT)
    qtbot.waitUntil(lambda: bool(found.plot.shown), timeout=60000)
    return found


def grab(plot):
    image = plot.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits().asstring(image.sizeInBytes()), np.uint8).reshape(
        image.height(), image.bytesPerLine()
    )
    return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).astype(int)


def test_the_room_shows_spaces_volumes_and_the_pictures_colours(qtbot, window, room):
    names = [room.table.item(row, 1).text() for row in range(room.table.rowCount())]
    assert names == ["sRGB", "ROMM RGB"]  # the screen is sRGB too and is shown once
    assert room.table.item(0, 2).text() == "0.83" and room.table.item(1, 3).text() == "29"
    held = float(room.table.item(0, 4).text())
    assert held == pytest.approx(100 * (1 - window.flow.measured.there_outside.share), abs=1.0)
    assert "is held by sRGB" in room._figure.words.text() and 500 < len(room.plot.points.lab) < 5000
    room.add.choose("p3")
    room.add_button.click()
    qtbot.waitUntil(lambda: room.table.rowCount() == 3, timeout=60000)
    room.table.setCurrentCell(2, 1)
    room.first.click()
    assert room.plot.shown[0].solid.space == P3 and room.table.item(1, 3).text() in ("99", "100")
    room.style_.setCurrentText(GLASS)
    room.style_.activated.emit(1)
    assert room.plot.shown[0].style == GLASS
    room.table.item(0, 0).setCheckState(Qt.CheckState.Unchecked)
    assert P3 not in [s.solid.space for s in room.plot.shown]
    room.table.setCurrentCell(0, 1)
    room.remove.click()
    assert room.table.rowCount() == 2
    room.points.click()
    assert not room.plot.show_points
    QTest.keyClick(room, Qt.Key.Key_Escape)
    assert window.navigator.stack.currentIndex() == 0


def test_every_view_plots_and_saves(qtbot, room, tmp_path, press):
    room.show_space(press)
    room.show_space(grays()["gray-22"])
    qtbot.waitUntil(lambda: room.table.rowCount() == 4, timeout=60000)
    seen = []
    for number, view in enumerate((XY, UV, SLICE, SOLIDS)):
        room.views.button(number).click()
        assert room.plot.view == view and room.lightness.isVisibleTo(room) == (view == SLICE)
        seen.append(grab(room.plot))
        assert seen[-1].std() > 5
        room.save(tmp_path / f"{view}.png")
        room.save(tmp_path / f"{view}.svg")
        assert QImage(str(tmp_path / f"{view}.png")).width() == 2 * room.plot.width()
        svg = (tmp_path / f"{view}.svg").read_text()
        assert svg.startswith("<?xml") and "</svg>" in svg and ("polyline" in svg or "polygon" in svg or "path" in svg)
    assert all(np.abs(a - b).mean() > 1 for a, b in itertools.pairwise(seen) if a.shape == b.shape)


def test_solids_turn_by_mouse_and_by_key_and_the_slice_moves(qtbot):
    make_application()
    plot = GamutPlot()
    qtbot.addWidget(plot)
    plot.resize(500, 420)
    plot.show()
    lab = np.array([[50.0, 20, 20], [60, -30, 10], [40, 90, -90]])
    inside = np.array([True, True, False])
    plot.set_shown((Shown("A", solid_of(SRGB), FULL), Shown("B", solid_of(OPRGB), LINE)), Points(lab, codes_of(lab), inside))
    plot.set_view(SOLIDS)
    still = grab(plot)
    assert np.array_equal(grab(plot), still)
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Plus):
        before = grab(plot)
        qtbot.keyClick(plot, key)
        assert np.abs(grab(plot) - before).mean() > 0.5
    QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=QPoint(200, 200))
    QTest.mouseMove(plot, QPoint(260, 230))
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=QPoint(260, 230))
    assert np.abs(grab(plot) - before).mean() > 0.5
    qtbot.keyClick(plot, Qt.Key.Key_0)
    assert np.array_equal(grab(plot), still)
    plot.set_view(SLICE)
    before = grab(plot)
    plot.set_lightness(75.0)
    assert np.abs(grab(plot) - before).mean() > 0.5
    plot.set_shown((), Points())
    for view in (XY, UV, SLICE, SOLIDS):
        plot.set_view(view)
        assert grab(plot).shape[0] == 420


def test_quadrilaterals_are_filled_to_their_edges_in_either_direction():
    square = np.array([[[2, 2], [8, 2], [8, 8], [2, 8]]], dtype=np.float32)
    for quads in (square, square[:, ::-1]):
        image = np.zeros((12, 12, 3), np.uint8)
        fill(image, np.ascontiguousarray(quads), np.array([[200, 100, 50]], np.uint8), np.array([0.5], np.float32))
        assert (image[..., 0] > 0).sum() == 36 and image[4, 4].tolist() == [100, 50, 25]
    image = np.zeros((12, 12, 3), np.uint8)
    dots(image, np.array([[6, 6]], np.float32), np.array([[9, 200, 9]], np.uint8), np.array([True]), np.uint8(255))
    assert image[6, 6].tolist() == [9, 200, 9] and (image == 255).any()


# ---- intents ------------------------------------------------------------------------------------------------------


def test_intents_side_by_side_with_figures_and_one_is_used(qtbot, window, ids, press):
    window.model.select(ids["north-0412"])
    window.jobs.proof.set_goal(press, Intent.RELATIVE, True)
    assert settle(window, 60)
    qtbot.keyClick(window.view, Qt.Key.Key_I)
    room = window.navigator.made(Page.INTENTS)
    qtbot.waitUntil(lambda: len(room.sheet.images) == 4, timeout=60000)
    assert "loses least here" in room.advice.text() and room.use.isEnabled()
    assert (
        len({bytes(i.constBits().asstring(i.sizeInBytes())) for i in room.sheet.images}) >= 3
    )  # saturation may equal perceptual
    best = room.sheet.current
    qtbot.keyClick(room.sheet, Qt.Key.Key_Right)
    assert room.sheet.current == (best + 1) % 4
    cell = room.sheet._cells()[1].center().toPoint()
    QTest.mouseClick(room.sheet, Qt.MouseButton.LeftButton, pos=cell)
    assert room.sheet.current == 1
    room.use.click()
    assert window.model.state.goal.intent is Intent.PERCEPTUAL and window.navigator.stack.currentIndex() == 0
    window.model.undo()
    assert window.model.state.goal.intent is Intent.RELATIVE


def test_for_a_space_of_curves_easing_is_offered_instead(qtbot, window, ids):
    window.model.select(ids["north-0412"])
    assert settle(window, 90)
    window.actions_.proof.intents()
    room = window.navigator.made(Page.INTENTS)
    qtbot.waitUntil(lambda: len(room.sheet.images) == 2, timeout=60000)
    room.sheet.choose(0)
    assert not room.use.isEnabled()
    room.sheet.choose(1)
    assert room.use.text() == "Ease like this"
    QTest.keyClick(room, Qt.Key.Key_Return)
    assert len(window.model.easings()) == 1 and window.navigator.stack.currentIndex() == 0


def test_del_takes_a_frame_away_in_the_panel_and_nowhere_else(qtbot, window, room):
    frames = len(window.model.state.frames)
    room.table.setFocus()
    qtbot.keyClick(room.table, Qt.Key.Key_Delete)
    assert len(window.model.state.frames) == frames
    room.leave()
    window.activateWindow()
    window.frames.list.setFocus()
    qtbot.keyClick(window.frames.list, Qt.Key.Key_Delete)
    assert len(window.model.state.frames) == frames - 1
    window.model.undo()
    assert len(window.model.state.frames) == frames
