"""The whole job in the real window, by mouse and by keyboard: read, fit, give, hand off; then what was written is opened
with other libraries and found right."""

from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageCms
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication, QScrollArea

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
from velkin.sim.arrangements import chart_corners
from velkin.sim.crowd import make_crowd
from velkin.sim.sittings import LAMP, NORTH

LEFT = Qt.MouseButton.LeftButton


def ids_of(window):
    return {f.name: f.id for f in window.model.state.frames.values()}


def click(qtbot, widget, at: QPoint | None = None):
    """Click what is seen and can act."""
    qtbot.waitUntil(lambda: widget.isVisible() and widget.isEnabled(), timeout=60000)
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
    reference = chart.reference(Illuminant("", (NORTH if light == "north" else LAMP).light().power))
    held = np.all(reference @ SRGB.from_xyz.T >= 0, axis=1)
    assert held.sum() == 23  # all but cyan
    difference = ciede2000(to_lab(patches, embedded, "rgb"), xyz_to_lab(reference))[held]
    assert difference.max() <= 2.0
    assert difference.mean() <= 1.0


def read_fit_give_by_mouse(qtbot, window, chart_frame):
    room = window.navigator.made(Page.CHART)
    click_frame(qtbot, window, chart_frame)
    click(qtbot, window.path_bar.buttons["camera"])
    click(qtbot, window.benches.camera._read)
    qtbot.waitUntil(lambda: room.kept is not None and room.view.has_picture, timeout=60000)
    assert window.navigator.room is room
    click(qtbot, room.bench.fit_button)
    qtbot.waitUntil(lambda: room.profile is not None, timeout=60000)
    assert room.bench.table.item(0, 3).text()
    click(qtbot, room.bench.give_button)
    qtbot.waitUntil(lambda: window.model.places.at_picture, timeout=60000)


def level(qtbot, window, frame):
    """Give a frame the chart's own lightness, so that the written patches can be compared with the reference."""
    click_frame(qtbot, window, frame)
    click(qtbot, window.benches.camera._level)
    assert window.model.frame.exposure != 0


def click_mark(qtbot, choice):
    """Click the mark of a tick or a choice, as far down in its bench as it may be."""
    qtbot.waitUntil(choice.isVisible, timeout=60000)
    scroller = next(p for p in parents(choice) if isinstance(p, QScrollArea))
    scroller.ensureWidgetVisible(choice)
    qtbot.mouseClick(choice, LEFT, pos=QPoint(8, 10))


def parents(widget):
    while (widget := widget.parentWidget()) is not None:
        yield widget


def open_hand_off(qtbot, window):
    click(qtbot, window.path_bar.buttons["handoff"])
    assert window.benches.currentWidget() is window.benches.handoff
    return window.benches.handoff


def drop(window, folder):
    """Drop a folder on the picture."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(folder))])
    at, copying = QPointF(window.view.rect().center()), Qt.DropAction.CopyAction
    for kind in (QDragEnterEvent, QDropEvent):
        where = at.toPoint() if kind is QDragEnterEvent else at
        QApplication.sendEvent(window, kind(where, copying, data, LEFT, Qt.KeyboardModifier.NoModifier))


def test_by_mouse(qtbot, window, tmp_path):
    for light, frame in (("north", "north-0401"), ("lamp", "lamp-0501")):
        read_fit_give_by_mouse(qtbot, window, frame)
        state = window.model.state
        members = state.light_of(ids_of(window)[frame]).frames
        assert all(state.frames[f].profile is not None for f in members), light
        assert state.profiles[state.frames[members[0]].profile].figures.mean <= 1.3
        level(qtbot, window, frame)
    bench = open_hand_off(qtbot, window)
    click_mark(qtbot, bench._all)
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
    assert bench.successes.count() == 12


def test_by_mouse_while_files_come_in_and_others_are_written(qtbot, window, tmp_path):
    """The same job under a card of 120 files that comes in and a hand-off to two destinations: it waits for neither, each ends
    well, and what is handed off afterwards has the colours that were fitted meanwhile."""
    frames = ids_of(window)
    card = make_crowd(tmp_path / "card", 120, lights=2)[0].parent
    bench = open_hand_off(qtbot, window)
    other = next(i for i, tick in bench.ticks.items() if not tick.isChecked())
    click_mark(qtbot, bench.ticks[other])
    assert sum(t.isChecked() for t in bench.ticks.values()) == 2
    assert bench.run_button.text() == "Hand off 8 frames to 2 destinations"
    click(qtbot, bench.run_button)
    qtbot.waitUntil(lambda: window.jobs.handoff.running, timeout=60000)
    drop(window, card)
    qtbot.waitUntil(lambda: len(window.lanes.shown()) >= 2, timeout=60000)

    read_fit_give_by_mouse(qtbot, window, "north-0401")
    assert window.jobs.handoff.running, "the chart was read, fitted and given while files were written"
    level(qtbot, window, "north-0401")
    click_frame(qtbot, window, "north-0412")
    click(qtbot, window.path_bar.buttons["proof"])
    easing = window.benches.proof.easing
    window.benches.proof.scroller.ensureWidgetVisible(easing.least)
    click(qtbot, easing.least)
    qtbot.waitUntil(easing.use_found.isVisible, timeout=60000)
    window.benches.proof.scroller.ensureWidgetVisible(easing.use_found)
    click(qtbot, easing.use_found)
    assert window.model.easings()

    qtbot.waitUntil(lambda: not window.jobs.handoff.running, timeout=120000)
    assert [d.ok for d in window.jobs.handoff.results] == [True] * 16
    qtbot.waitUntil(lambda: len(window.model.state.frames) == 132 and not window.jobs.importing.coming_in, timeout=120000)
    qtbot.waitUntil(lambda: not window.lanes.shown(), timeout=120000)
    state = window.model.state
    assert all(state.frames[f].profile is not None for f in state.light_of(frames["north-0401"]).frames)
    click_frame(qtbot, window, "north-0401")
    bench = open_hand_off(qtbot, window)
    click_mark(qtbot, bench.ticks[other])
    click_mark(qtbot, bench._chosen)
    qtbot.waitUntil(lambda: window.jobs.handoff.concerns is not None, timeout=60000)
    assert bench.run_button.text() == "Hand off 1 frame"
    with qtbot.waitSignal(window.jobs.handoff.ended, timeout=120000) as ended:
        click(qtbot, bench.run_button)
    assert ended.args == [Ended(1, 0, False)]
    assert_right_colours(window.model.shoot.path.parent / "web" / "north-0401.jpg", "north")


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
