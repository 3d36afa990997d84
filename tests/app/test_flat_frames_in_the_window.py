"""A flat frame in the real window: marked from the menu, measured, how much of it is taken out, undone; refused where it is none."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt

from tests.app.test_whole_job import click_frame, drop
from velkin.app.main import settle
from velkin.core.shoot.frame import Role
from velkin.core.stages.stage import Place

from ..studio import shoot_chart, shoot_flat


@pytest.fixture(scope="module")
def copying(tmp_path_factory):
    """Frames of one set-up: a board, a picture, and one at another aperture."""
    folder = tmp_path_factory.mktemp("copying")
    shoot_flat(folder / "board.dng", seed=1)
    shoot_flat(folder / "sheet.dng", seed=2, level=0.4)
    shoot_flat(folder / "open.dng", seed=3, aperture=2.8)
    shoot_chart(folder / "table.dng", seed=4, chart=False)
    return folder


@pytest.fixture
def ids(window, qtbot, copying):
    before = len(window.model.state.frames)
    drop(window, copying)
    qtbot.waitUntil(lambda: len(window.model.state.frames) == before + 4 and not window.jobs.importing.coming_in, timeout=30000)
    qtbot.waitUntil(lambda: not window.lanes.shown(), timeout=60000)
    found = {f.name: f.id for f in window.model.state.frames.values()}
    light = window.model.state.frames[found["board"]].light
    moved = [found[n] for n in ("sheet", "open", "table") if window.model.state.frames[found[n]].light != light]
    window.jobs.command(lambda s: s.frames.move_to_light(moved, light))
    return found


def corner_and_middle(window):
    image = window.flow.rendered.image
    return image.pixelColor(6, 6).green(), image.pixelColor(image.width() // 2, image.height() // 2).green()


def test_a_flat_frame_evens_its_light(window, qtbot, ids):
    click_frame(qtbot, window, "board")
    window.menu.by_name["Mark as flat frame"].trigger()
    qtbot.waitUntil(lambda: bool(window.model.state.fields), timeout=20000)
    assert window.model.state.frames[ids["board"]].role is Role.FLAT
    click_frame(qtbot, window, "sheet")
    qtbot.keyClick(window.view, Qt.Key.Key_2)
    assert settle(window, 60)
    dark, light = corner_and_middle(window)
    assert abs(dark - light) <= 3
    section = window.benches.camera.field
    assert section.isVisible() and "It evens 3 frames of this light" in section.words.text()
    assert "Not open: shot with f/2.8 instead of f/8" in section.words.text()
    assert not window.model.state.path(ids["open"]).at(Place.FIELD)
    qtbot.mouseClick(
        section.others, Qt.MouseButton.LeftButton, pos=section.others.rect().center() - section.others.rect().center() / 1.1
    )
    assert window.model.state.path(ids["open"]).at(Place.FIELD) and "Beware: open was shot with f/2.8" in section.words.text()
    section.strength.slider.setFocus()
    qtbot.keyClick(section.strength.slider, Qt.Key.Key_Home)
    assert settle(window, 60)
    dark, light = corner_and_middle(window)
    assert light - dark > 20 and "Nothing is evened" in section.words.text()
    for _ in range(3):
        window.model.undo()
    assert not window.model.state.fields and window.model.state.frames[ids["board"]].role is not Role.FLAT
    assert not section.isVisible()


def test_several_flat_frames_are_marked_and_undone_in_one_step(window, qtbot, ids):
    click_frame(qtbot, window, "board")
    window.model.select(ids["board"], (ids["board"], ids["open"]))
    window.menu.by_name["Mark as flat frame"].trigger()
    qtbot.waitUntil(lambda: bool(window.model.state.fields), timeout=20000)
    assert set(window.model.state.fields) == {ids["board"], ids["open"]}
    window.model.undo()
    assert not window.model.state.fields


def test_what_is_no_flat_frame_is_refused_by_name_and_marks_nothing(window, qtbot, ids):
    click_frame(qtbot, window, "table")
    window.menu.by_name["Mark as flat frame"].trigger()
    qtbot.waitUntil(lambda: "no even surface" in window.model.messages.latest, timeout=20000)
    assert "table.dng" in window.model.messages.latest
    assert window.model.state.frames[ids["table"]].role is Role.SUBJECT and not window.model.state.fields


def test_a_frame_that_is_marked_otherwise_evens_nothing_any_more(window, qtbot, ids):
    click_frame(qtbot, window, "board")
    window.menu.by_name["Mark as flat frame"].trigger()
    qtbot.waitUntil(lambda: bool(window.model.state.fields), timeout=20000)
    window.menu.by_name["Mark as subject"].trigger()
    assert not window.model.state.fields and not window.model.state.path(ids["sheet"]).at(Place.FIELD)
