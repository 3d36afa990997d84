"""Proof and easing in the real window: seen, marked, eased by sliders, picked, painted, found, undone; by mouse and by key."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from velkin.app.benches.proof import diagnosis
from velkin.app.flow.loss_map import ramp
from velkin.app.main import settle
from velkin.app.model.places import Page
from velkin.app.widgets.hue_ring import HueRing
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.outside import ChannelEnds, Outside
from velkin.core.gamut.easing import BRUSHED, HUE, KNEE, OVERALL, WHERE_OUT, Place, Stroke, full_strength
from velkin.core.gamut.simulation import linear_there
from velkin.core.icc.space import space_of
from velkin.core.render import shown
from velkin.core.shoot.alternatives import THERE, WITHOUT_EASING
from velkin.core.spaces.rgb import P3, SRGB
from velkin.sim.press import press_profile

SKEINS = "north-0412"


@pytest.fixture
def bench(qtbot, window, ids):
    window.model.select(ids[SKEINS])
    window.actions_.open_stop("proof")
    assert settle(window, 90)
    return window.benches.proof


@pytest.fixture
def press(window):
    space = space_of(press_profile(4))
    window.jobs.command(lambda s: s.colour.keep_space(space))
    return space


def pixels(image):
    plain = image.convertToFormat(image.Format.Format_RGB888)
    bits = plain.constBits()
    rows = np.frombuffer(bits.asstring(plain.sizeInBytes()), np.uint8).reshape(plain.height(), plain.bytesPerLine())
    return rows[:, : 3 * plain.width()].reshape(plain.height(), plain.width(), 3)


def test_d_shows_the_picture_at_the_destination_and_back(qtbot, window, bench):
    meant = pixels(window.flow.rendered.image)
    window.activateWindow()
    window.view.setFocus()
    qtbot.keyClick(window.view, Qt.Key.Key_D)
    assert window.model.proof.shown and bench.shown.isChecked()
    assert settle(window, 90)
    working = window.flow.rendered.working
    there = shown(
        linear_there(working, Conversion(window.flow.rendered.path.working, SRGB)), window.flow.rendered.path.working, SRGB
    )
    assert np.array_equal(pixels(window.flow.rendered.image), there)
    assert "at Web sRGB" in window.view.captions[0]
    qtbot.keyClick(window.view, Qt.Key.Key_D)
    assert settle(window, 90) and np.array_equal(pixels(window.flow.rendered.image), meant)


def test_any_profile_is_proofed_for_with_its_intents_and_paper(qtbot, window, bench, press):
    assert not bench.white.isVisibleTo(bench)  # a space of curves has no paper
    bench.choose(press.id)
    assert settle(window, 60)
    assert window.model.path().destination == press and window.model.state.goal.space == press.id
    assert bench.intent.isVisibleTo(bench) and bench.white.isVisibleTo(bench)
    assert len(window.flow.measured.there) == 4 and "Quill Lane" in bench._figure.words.text()
    assert (
        "Quill Lane"
        in window.path_bar.buttons["proof"].accessibleName()
        + window.path_bar.buttons["proof"].toolTip()
        + bench.sentence.text()
    )
    bench.shown.click()
    assert settle(window, 90)
    plain = pixels(window.flow.rendered.image).astype(int)
    bench.white.click()
    assert window.model.proof.paper.white and window.model.proof.paper.black and not bench.black.isEnabled()
    assert settle(window, 90)
    assert (
        np.percentile(pixels(window.flow.rendered.image), 99) < np.percentile(plain, 99) - 5
    )  # paper is darker than the screen's white
    bench.intent.setCurrentIndex(3)
    bench.intent.activated.emit(3)
    assert int(window.model.path().intent) == 3 and not bench.black_point.isEnabled()
    window.model.undo()
    window.model.undo()
    assert window.model.path().destination == SRGB


def test_marking_in_three_ways_and_from_a_threshold(qtbot, window, bench):
    qtbot.keyClick(window.view, Qt.Key.Key_X)
    assert settle(window, 90) and window.flow.rendered.hatch is not None
    everything = np.frombuffer(
        window.flow.rendered.hatch.constBits().asstring(window.flow.rendered.hatch.sizeInBytes()), np.uint8
    )
    bench.threshold.slider.setValue(20)
    assert window.model.proof.threshold == 5.0 and settle(window, 90)
    strong = np.frombuffer(window.flow.rendered.hatch.constBits().asstring(window.flow.rendered.hatch.sizeInBytes()), np.uint8)
    assert 0 < (strong > 0).sum() < (everything > 0).sum()
    bench.threshold.slider.setValue(0)
    for mark in ("delta", "only"):
        bench.mark.setCurrentIndex(bench.mark.findData(mark))
        bench.mark.activated.emit(0)
        assert settle(window, 90) and window.flow.rendered.hatch is None
        image = pixels(window.flow.rendered.image)
        grey = (image[..., 0] == image[..., 1]) & (image[..., 1] == image[..., 2])
        assert 0.6 < grey.mean() < 0.95  # what is inside is grey
        assert window.view.legend == (mark == "delta")
    assert "only what is out of gamut for sRGB" in window.view.captions[1]


def test_small_areas_are_hatched_too(window, bench):
    window.model.show_hatching(True)
    assert settle(window, 90)
    height, width = window.flow.measured.mask.shape
    lonely = np.zeros((height, width), bool)
    lonely[7, 11] = True
    window.flow.measured = replace(window.flow.measured, mask=lonely)
    window.flow.measured_changed.emit()
    hatch = window.view._hatch
    assert sum(hatch.pixelColor(x, y).alpha() > 0 for x in range(30) for y in range(30)) >= 1


def test_stages_are_added_changed_ordered_switched_and_taken_away(qtbot, window, bench):
    e = bench.easing
    before = window.flow.measured.there_outside.share
    e.add_stage(KNEE)
    assert settle(window, 90) and window.flow.measured.there_outside.outside == 0
    assert "eased" in bench._figure.words.text() and window.flow.measured.proofed.before.share == pytest.approx(before)
    rows = [label.text() for row in e.figures._rows for label in row[:2]]
    assert "Outside before" in rows and f"{100 * before:.1f} %" in rows
    e.strength.slider.setValue(50)  # by key or click: one step each
    assert window.model.easings()[0].strength == 0.5
    e.add_stage(OVERALL)
    e.shift(-1)
    assert [x.kind for x in window.model.easings()] == [OVERALL, KNEE]
    e.list.item(0).setCheckState(Qt.CheckState.Unchecked)
    assert [x.kind for x in window.model.path().easings] == [KNEE]
    e.list.setCurrentRow(0)
    frames = len(window.model.state.frames)
    qtbot.keyClick(e.list, Qt.Key.Key_Delete)
    assert len(window.model.state.frames) == frames  # Del means the stage here, not the frame
    assert [x.kind for x in window.model.easings()] == [KNEE]
    e.place.setCurrentIndex(1)
    e.place.activated.emit(1)
    assert window.model.easings()[0].place.kind == WHERE_OUT and e.feather.isVisibleTo(e)
    e.only.click()
    assert window.model.easings()[0].destination == "srgb"
    for _ in range(12):
        window.model.undo()
    assert window.model.easings() == ()


def test_a_dragged_strength_is_seen_at_once_and_is_one_step(qtbot, window, bench):
    e = bench.easing
    e.add_stage(KNEE)
    settle(window, 90)
    told = []
    window.service.measured.connect(told.append)
    slider = e.strength.slider
    slider.setSliderDown(True)
    for value in (80, 60, 40):
        slider.setValue(value)
        assert window.model.proof.dragging and window.model.path().easings[0].strength == value / 100
        assert window.model.state.easings_of(window.model.current)[0].strength == 1.0  # nothing is kept yet
        qtbot.waitUntil(lambda: window.flow.rendered.path == window.model.path(), timeout=60000)
    qtbot.waitUntil(lambda: bool(told) and told[-1].path == window.model.path(), timeout=60000)
    assert told[-1].there_outside.pixels >= 1_000_000 or not told[-1].exact
    slider.setSliderDown(False)
    assert not window.model.proof.dragging
    assert window.model.state.easings_of(window.model.current)[0].strength == 0.4
    window.model.undo()
    assert window.model.state.easings_of(window.model.current)[0].strength == 1.0


def test_a_hue_is_picked_on_the_picture(qtbot, window, bench):
    bench.easing.add_stage(HUE)
    assert window.model.picking == "hue"
    at = window.view.to_widget(1700, 600).toPoint()  # the teal skein
    QTest.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=at)
    assert window.model.picking == "" and 180 < window.model.easings()[0].hue < 240
    assert bench.easing.ring.hue == pytest.approx(window.model.easings()[0].hue)
    window.model.pick("hue")
    window.view.setFocus()
    qtbot.keyClick(window.view, Qt.Key.Key_Escape)
    assert window.model.picking == ""


def test_the_ring_is_turned_and_widened_by_mouse_and_by_key(qtbot):
    ring = HueRing()
    qtbot.addWidget(ring)
    ring.show()
    ring.show_range(0.0, 60.0)
    chosen = []
    ring.chosen.connect(lambda hue, width: chosen.append((hue, width)))
    QTest.mouseClick(ring, Qt.MouseButton.LeftButton, pos=QPoint(56, 10))
    assert chosen[-1][0] == pytest.approx(90, abs=3) and chosen[-1][1] == 60
    for key in (Qt.Key.Key_Up, Qt.Key.Key_Up, Qt.Key.Key_Right):
        qtbot.keyClick(ring, key)
    assert chosen[-1][1] == 70 and chosen[-1][0] == pytest.approx(85, abs=3)
    end = ring._point(ring.hue + ring.width_ / 2, 45).toPoint()
    QTest.mousePress(ring, Qt.MouseButton.LeftButton, pos=end)
    QTest.mouseMove(ring, ring._point(ring.hue + 60, 45).toPoint())
    QTest.mouseRelease(ring, Qt.MouseButton.LeftButton, pos=ring._point(ring.hue + 60, 45).toPoint())
    assert chosen[-1][1] == pytest.approx(120, abs=6)


def test_strokes_are_painted_erased_and_undone_one_by_one(qtbot, window, bench):
    e = bench.easing
    e.add_stage(KNEE)
    e.place.setCurrentIndex(2)
    e.place.activated.emit(2)
    assert window.model.proof.painting == 0
    settle(window, 90)
    full = window.flow.measured.there_outside.outside

    def stroke(start, end):
        a, b = window.view.to_widget(*start).toPoint(), window.view.to_widget(*end).toPoint()
        QTest.mousePress(window.view, Qt.MouseButton.LeftButton, pos=a)
        for t in range(1, 9):
            QTest.mouseMove(window.view, QPointF(a + (b - a) * t / 8).toPoint())
            QApplication.processEvents()
        qtbot.wait(60)
        assert window.model.proof.trial is not None  # seen while it is painted
        QTest.mouseRelease(window.view, Qt.MouseButton.LeftButton, pos=b)

    window.model.proof.set_brush(size=0.2, flow=1.0)
    stroke((1750, 300), (1750, 1300))
    assert settle(window, 90)
    painted = window.flow.measured.there_outside.outside
    place = window.model.easings()[0].place
    assert (place.kind, len(place.strokes), place.painted_on) == (BRUSHED, 1, (2400, 1600)) and painted < 0.7 * full
    e.brush_row.erase.click()
    stroke((1750, 300), (1750, 700))
    assert settle(window, 90) and painted < window.flow.measured.there_outside.outside < full
    window.model.undo()
    assert settle(window, 90) and window.flow.measured.there_outside.outside == painted
    qtbot.keyClick(window.view, Qt.Key.Key_L)
    assert window.model.proof.brush.size > 0.2
    window.view.setFocus()
    qtbot.keyClick(window.view, Qt.Key.Key_Escape)
    assert window.model.proof.painting == -1
    window.model.proof.paint(0)
    for _ in range(3):
        window.model.undo()
    assert window.model.easings() == () and window.model.proof.painting == -1  # the brush goes with what it painted into


def test_strokes_of_another_shape_are_said_to_be_set_aside(window, bench):
    stroke = Stroke(((0.5, 0.5, 1.0),), 0.5)
    place = Place(BRUSHED, strokes=(stroke,), painted_on=(1600, 2400))
    window.jobs.proof.set_easings(window.model.current, (replace(full_strength()[0], place=place),), "ease")
    assert settle(window, 90) and window.flow.measured.there_outside == window.flow.measured.proofed.before
    assert "another shape" in bench.easing.brush_row.aside.text()


def test_the_least_change_is_found_explained_and_used(qtbot, window, bench):
    window.menu.by_name["Least change that eases it in"].trigger()
    qtbot.waitUntil(lambda: bench.easing.found.isVisibleTo(bench), timeout=60000)
    words = bench.easing.found.text()
    assert "brings 99.9 % in" in words and "Desaturating everything" in words
    bench.easing.use_found.click()
    assert settle(window, 90) and window.flow.measured.there_outside.share <= 0.0015
    assert len(window.model.easings()) == 1 and not bench.easing.use_found.isVisibleTo(bench)
    window.jobs.proof.solved.emit(window.model.current, replace_before())
    assert not bench.easing.use_found.isVisibleTo(bench)


def replace_before():
    from velkin.core.gamut.solve import Solution

    return Solution(0.0, None, ())


def test_easings_are_compared_and_copied(qtbot, window, bench, ids):
    bench.easing.add_stage(KNEE)
    window.model.compare_with((WITHOUT_EASING,))
    window.model.compare("wipe")
    assert settle(window, 90)
    assert window.view.names == ("now", "without easing")
    assert not np.array_equal(pixels(window.flow.rendered.image), pixels(window.flow.rendered.others[0].image))
    window.model.compare_with((THERE,))
    qtbot.waitUntil(lambda: window.view.names[1] != "without easing", timeout=60000)  # the path is the same: settled already
    assert settle(window, 90) and window.view.names[1] == "at Web sRGB"
    window.model.compare("off")
    others = (ids[SKEINS], ids["north-0414"], ids["lamp-0505"])
    window.model.select(ids[SKEINS], others)
    window.menu.by_name["Copy the easings to the selected frames"].trigger()
    assert all(window.model.state.easings_of(f) == full_strength() for f in others)
    window.model.select(ids[SKEINS], (ids[SKEINS],))
    window.menu.by_name["Copy the easings to the selected frames"].trigger()
    assert "Select the frames" in window.model.messages.latest


def test_this_screen_is_a_destination_too(window, bench):
    window.model.set_screen(P3)
    bench.choose("this screen")
    assert settle(window, 90)
    assert (
        window.model.path().destination == P3 and bench._figure.words.text().endswith("P3 (D65)")
    ) or "P3" in bench._figure.words.text()
    assert window.model.state.goal.space == ""  # nothing of it is kept in the shoot
    bench.choose("")
    assert window.model.path().destination == SRGB


def test_a_loss_of_colour_is_told_from_one_of_tone() -> None:
    def found(*ends, tone=0, total=100):
        return Outside(1000, total, tuple(ChannelEnds(*e) for e in ends), tone)

    nothing = (0, 0, 0, 0)
    assert (
        diagnosis(found(nothing, (31, 0, 0, 0), nothing), "rgb") == "Green at the bottom, 3.1 %: too saturated, not too dark."
    )
    assert diagnosis(found((0, 50, 0, 50), (0, 50, 0, 50), (0, 49, 0, 49), tone=50), "rgb").endswith(
        "too bright, a tone problem."
    )
    both = diagnosis(found((90, 0, 5, 0), nothing, nothing, tone=10), "rgb")
    assert "too saturated" in both and "1.0 % of the picture is out by its tone" in both
    assert "Cyan at the top" in diagnosis(found((0, 80, 0, 0), nothing, nothing, nothing), "cmyk")
    assert "saturation" in diagnosis(found(nothing, total=5), "gray")
    assert diagnosis(Outside(10, 0, ()), "rgb").startswith("Nothing is out of gamut")


def test_the_map_goes_from_dark_to_light():
    light = ramp().astype(float) @ [0.21, 0.72, 0.07]
    assert np.all(np.diff(light[::8]) > 0) and ramp().shape == (256, 3)


def test_while_a_profiles_tables_are_made_it_is_said_once(qtbot, window, bench, press):
    told = []
    window.service.preparing.connect(told.append)
    bench.choose(press.id)
    bench.shown.click()
    assert settle(window, 60)
    bench.easing.add_stage(KNEE)
    assert settle(window, 60) and told == [press.name, ""]
    assert not window.status.work.isVisibleTo(window.status)


def test_the_chart_room_gets_the_whole_half_size_picture_plain(qtbot, window, ids):
    window.model.select(ids["north-0401"])
    window.model.proof.show(True)
    window.model.show_hatching(True)
    assert settle(window, 90)
    window.model.places.go(Page.CHART, ids["north-0401"])
    qtbot.waitUntil(lambda: window.navigator.made(Page.CHART).view._image.width() == 1200, timeout=60000)
    assert not window.flow.rendered.seen.proofed and window.flow.rendered.hatch is None
    window.navigator.made(Page.CHART).leave()
    assert settle(window, 90) and window.flow.rendered.seen.proofed and window.flow.rendered.image.width() < 1200
