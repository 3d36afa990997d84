"""The whole job in the real window, by mouse and by keyboard: read, fit, give, hand off; then what was written is opened
with other libraries and found right."""

from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageCms
from PyQt6.QtCore import QPoint, Qt

from velkin.app.jobs.handoff import Ended
from velkin.app.main import settle
from velkin.app.model.places import Page
from velkin.core.charts.built_in import iso24
from velkin.core.charts.read import read
from velkin.core.icc.transform import to_lab
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import SRGB
from velkin.core.spectra import Illuminant
from velkin.sim.madderfold import chart_corners, light_of

LEFT = Qt.MouseButton.LeftButton


def ids_of(window):
    return {f.name: f.id for f in window.model.state.frames.values()}


def click(qtbot, widget, at: QPoint | None = None):
    qtbot.mouseClick(widget, LEFT, pos=at or widget.rect().center())


def click_frame(qtbot, window, name):
    frames = window.frames.list
    frame = ids_of(window)[name]
    frames.scrollTo(window.frames.rows.index(window.frames.rows.row_of(frame)))
    click(qtbot, frames.viewport(), frames.frame_rect(frame).center())
    assert window.model.current == frame


def assert_right_colours(path: Path, light: str):
    """Every patch that sRGB can hold lies within 2 ΔE00 of its reference under the real light, read through the file's own
    profile by LittleCMS in floating point."""
    chart = iso24()
    with Image.open(path) as picture:
        embedded = picture.info["icc_profile"]
        assert ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(BytesIO(embedded))).strip() == "sRGB"
        coded = np.asarray(picture).astype(np.float32)
    patches = read(coded, chart_corners(light) * picture.size[0] / 2400, chart).rgb() / 255
    reference = chart.reference(Illuminant("", light_of(light).power))
    held = np.all(reference @ SRGB.from_xyz.T >= 0, axis=1)
    assert held.sum() == 23  # all but cyan
    difference = ciede2000(to_lab(patches, embedded, "rgb"), xyz_to_lab(reference))[held]
    assert difference.max() <= 2.0
    assert difference.mean() <= 1.0


def read_fit_give_by_mouse(qtbot, window, chart_frame):
    room = window.navigator.made(Page.CHART)
    click_frame(qtbot, window, chart_frame)
    click(qtbot, window.benches.camera._read)
    qtbot.waitUntil(lambda: room.kept is not None and room.view.has_picture, timeout=60000)
    assert window.navigator.room is room
    click(qtbot, room.bench.fit_button)
    qtbot.waitUntil(lambda: room.profile is not None, timeout=60000)
    assert room.bench.table.item(0, 3).text()
    click(qtbot, room.bench.give_button)
    assert window.navigator.room is not room


def test_by_mouse(qtbot, window, tmp_path):
    for light, frame in (("north", "north-0401"), ("lamp", "lamp-0501")):
        read_fit_give_by_mouse(qtbot, window, frame)
        state = window.model.state
        members = state.light_of(ids_of(window)[frame]).frames
        assert all(state.frames[f].profile is not None for f in members), light
        assert state.profiles[state.frames[members[0]].profile].figures.mean <= 1.3
        # the chart's own lightness, so that the written patches can be compared with the reference
        click_frame(qtbot, window, frame)
        click(qtbot, window.benches.camera._level)
    click(qtbot, window.path_bar.buttons["handoff"])
    bench = window.benches.handoff
    qtbot.mouseClick(bench._all, LEFT, pos=QPoint(8, 10))
    assert bench._all.isChecked()
    assert bench.run_button.text() == "Hand off 12 frames"
    with qtbot.waitSignal(window.jobs.handoff.ended, timeout=120000) as ended:
        click(qtbot, bench.run_button)
    assert ended.args == [Ended(12, 0, False)]
    written = sorted((window.model.shoot.path.parent / "web").iterdir())
    assert len(written) == 12
    for light, frame in (("north", "north-0401"), ("lamp", "lamp-0501")):
        assert_right_colours(written[0].parent / f"{frame}.jpg", light)
    assert window.path_bar.buttons["handoff"].stop().detail.endswith("checked")
    assert bench._results.count() == 12


def test_by_keyboard(qtbot, window):
    qtbot.waitUntil(window.isActiveWindow, timeout=60000)
    window.view.setFocus()

    def press(key, modifier=Qt.KeyboardModifier.NoModifier, widget=None):
        qtbot.keyClick(widget or window.view, key, modifier)

    frames = window.frames.list
    frames.setFocus()
    while window.model.frame.name != "north-0401":
        press(Qt.Key.Key_Left, widget=frames)
    press(Qt.Key.Key_Escape, widget=frames)  # the keys go back to the picture
    assert window.view.hasFocus()
    press(Qt.Key.Key_K)
    room = window.navigator.made(Page.CHART)
    qtbot.waitUntil(lambda: room.kept is not None and room.view.has_picture, timeout=60000)
    corner = room.view.corners.copy()
    press(Qt.Key.Key_C, widget=room.view)
    press(Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier, widget=room.view)
    assert room.view.corners[1, 0] == pytest.approx(corner[1, 0] + 10)
    press(Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier, widget=room.view)
    qtbot.waitUntil(lambda: room.kept is not None and not room._reading_again and not room._settle.isActive(), timeout=60000)
    for button in (room.bench.fit_button, room.bench.give_button):
        qtbot.waitUntil(lambda b=button: b.isVisible() and b.isEnabled(), timeout=60000)
        button.setFocus(Qt.FocusReason.TabFocusReason)
        press(Qt.Key.Key_Space, widget=button)
        if button is room.bench.fit_button:
            qtbot.waitUntil(lambda: room.profile is not None, timeout=60000)
    assert window.model.frame.profile is not None
    press(Qt.Key.Key_5)
    assert window.model.stop == "handoff"
    with qtbot.waitSignal(window.jobs.handoff.ended, timeout=120000) as ended:
        press(Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    assert ended.args == [Ended(8, 0, False)]
    settle(window, 90)
    press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.model.frame.profile is None
    assert window.path_bar.buttons["camera"].stop().value == "built-in profile"
    press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert window.model.frame.profile is not None
