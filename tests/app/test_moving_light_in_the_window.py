"""A light that moves, in the real window: told, followed by a click, held by another, undone."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt

from tests.app.test_whole_job import click_frame, drop
from velkin.app.main import settle
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart
from velkin.core.shoot.moving import IN_TIME
from velkin.core.spectra import daylight
from velkin.sim.lights import StudioLight

from ..studio import shoot_chart

#: Frames by minute: two charts, one frame between, one after.
FRAMES = {"sky-05": (4300.0, True), "sky-25": (5200.0, False), "sky-45": (6600.0, True), "sky-55": (6900.0, False)}


@pytest.fixture(scope="module")
def sky(tmp_path_factory):
    folder = tmp_path_factory.mktemp("sky")
    for name, (kelvin, chart) in FRAMES.items():
        shoot_chart(
            folder / f"{name}.dng",
            light=StudioLight("sky", daylight(kelvin)),
            chart=chart,
            seed=int(name[-2:]),
            size=(720, 480),
        )
    return folder


@pytest.fixture
def ids(window, qtbot, sky):
    before = len(window.model.state.frames)
    drop(window, sky)
    qtbot.waitUntil(lambda: len(window.model.state.frames) == before + 4 and not window.jobs.importing.coming_in, timeout=30000)
    qtbot.waitUntil(lambda: not window.lanes.shown(), timeout=60000)
    found = {f.name: f.id for f in window.model.state.frames.values() if f.name in FRAMES}
    light = window.model.state.frames[found["sky-05"]].light
    window.jobs.command(
        lambda s: s.frames.move_to_light([f for f in found.values() if s.state.frames[f].light != light], light)
    )
    return found


def test_a_light_that_was_measured_twice_is_told_and_followed_or_held(window, qtbot, ids, sky):
    click_frame(qtbot, window, "sky-25")
    qtbot.keyClick(window.view, Qt.Key.Key_2)
    section = window.benches.camera.moving
    for name in ("sky-05", "sky-45"):
        if ids[name] not in window.model.state.readings:
            window.jobs.camera.keep_reading(ids[name], read_chart(sky / f"{name}.dng", iso24()))
    qtbot.waitUntil(section.isVisible, timeout=5000)
    words = section.words.text()
    assert "Measured 2 times" in words and "sky-55 does not: the nearest white holds there" in words
    assert "No frame follows it yet" in words and section.plot.accessibleDescription() == words
    assert [len(points) for _, points in section.plot.lanes()] == [2, 2, 2]
    before = window.model.state
    qtbot.mouseClick(section.follow, Qt.MouseButton.LeftButton)
    assert {window.model.state.frames[f].balance_from for f in ids.values()} == {IN_TIME}
    assert settle(window, 60)
    stop = window.path_bar.buttons["camera"].stop()
    assert "in time, sky-05 to sky-45" in f"{stop.value} {stop.detail}"
    assert "4 frames follow it" in section.words.text() and not section.follow.isEnabled()
    click_frame(qtbot, window, "sky-55")
    assert "held for all would be that of sky-45" in section.words.text()
    qtbot.mouseClick(section.hold, Qt.MouseButton.LeftButton)
    held = {window.model.state.path(f).camera.balance for f in ids.values()}
    assert held == {before.anchors(before.frames[ids["sky-05"]].light)[1].balance}
    window.model.undo()
    window.model.undo()
    assert window.model.state.frames[ids["sky-25"]].balance_from == "as shot"
    click_frame(qtbot, window, "north-0412")
    assert not section.isVisible()
