"""The demo's light that moves and its copying table, from the chart to the checked hand-off in the real window: the one by mouse, the
other by keyboard; then what was written is opened with another library."""

from __future__ import annotations

import numpy as np
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from tests.app.test_matching_the_demo import arrived, part_of
from tests.app.test_whole_job import click, click_frame, click_mark, open_hand_off, read_fit_give_by_mouse
from velkin.app.jobs.handoff import Ended
from velkin.app.main import settle
from velkin.app.model.places import Page
from velkin.core.shoot.frame import Role
from velkin.sim.madderfold import files_of
from velkin.sim.sittings import COPYING, YARD

PAPER = (0.015, 0.02)


def come_in(window, sitting, demo_frames):
    """A sitting's frames, its charts marked; ids by name."""
    ids = arrived(window, files_of(sitting, demo_frames), sitting.name)
    window.jobs.command(lambda s: s.frames.set_role([ids[f.name] for f in sitting.frames if f.role is Role.CHART], Role.CHART))
    return ids


def hand_off(qtbot, window, ids, names):
    """Hand off frames that are selected one by one, as JPEGs for the web; where they were written."""
    click_frame(qtbot, window, names[0])
    frames = window.frames.list
    for name in names[1:]:
        frames.scrollTo(window.frames.rows.index(window.frames.rows.row_of(ids[name])))
        at = frames.frame_rect(ids[name]).center()
        qtbot.mouseClick(frames.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at)
    bench = open_hand_off(qtbot, window)
    click_mark(qtbot, bench._chosen)
    qtbot.waitUntil(lambda: window.jobs.handoff.concerns is not None, timeout=60000)
    assert bench.run_button.text() == f"Hand off {len(names)} frames"
    with qtbot.waitSignal(window.jobs.handoff.ended, timeout=120000) as ended:
        click(qtbot, bench.run_button)
    assert ended.args == [Ended(len(names), 0, False)]
    return window.model.shoot.path.parent / "web"


def test_the_dye_yard_by_mouse(window, qtbot, demo_frames):
    """Paper stays neutral while the sun goes down, but for the frame that no two charts bracket."""
    ids = come_in(window, YARD, demo_frames)
    for chart in ("yard-0601", "yard-0604", "yard-0610"):
        read_fit_give_by_mouse(qtbot, window, chart)
    click_frame(qtbot, window, "yard-0607")
    click(qtbot, window.path_bar.buttons["camera"])
    section = window.benches.camera.moving
    window.benches.camera.scroller.ensureWidgetVisible(section.follow)
    assert "Measured 3 times" in section.words.text() and "yard-0612 does not" in section.words.text()
    click(qtbot, section.follow)
    assert settle(window, 60)
    path = window.model.state.path(ids["yard-0607"])
    assert " to " in path.camera.profile and "in time, yard-0604 to yard-0610" in path.camera.balance_from
    stop = window.path_bar.buttons["camera"].stop()
    assert stop.value == YARD.name and stop.detail.endswith(" mean, in time")
    click_frame(qtbot, window, "yard-0612")
    assert settle(window, 60)
    assert window.path_bar.buttons["camera"].stop().detail.endswith(" mean, not bracketed in time")
    names = ("yard-0603", "yard-0607", "yard-0608", "yard-0612")
    folder, chroma = hand_off(qtbot, window, ids, names), {}
    for name in names:
        with Image.open(folder / f"{name}.jpg") as picture:
            chroma[name] = float(np.hypot(*part_of(picture, PAPER, 0.01)[1:]))
    assert max(chroma[n] for n in names[:3]) < 2.0
    assert chroma["yard-0612"] > 3.0  # the sun went on


def test_the_copying_table_by_keyboard(window, qtbot, demo_frames):
    """The sheets are even from corner to corner, and the one that was shot otherwise is left as it is and named."""
    ids = come_in(window, COPYING, demo_frames)
    qtbot.waitUntil(window.isActiveWindow, timeout=60000)
    none, alt = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.AltModifier

    def press(key, widget=None, modifier=none):
        qtbot.keyClick(widget or window.view, key, modifier)

    def go_to(name):
        window.view.setFocus()
        order = [window.model.state.frames[f].name for f in window.model.state.order()]
        steps = order.index(name) - order.index(window.model.frame.name)
        for _ in range(abs(steps)):
            press(Qt.Key.Key_Right if steps > 0 else Qt.Key.Key_Left)
        assert window.model.frame.name == name

    go_to("copy-0702")
    press(Qt.Key.Key_F, window, alt)
    menu = QApplication.activePopupWidget()
    press(Qt.Key.Key_K, menu)
    qtbot.waitUntil(lambda: bool(window.model.state.fields), timeout=60000)
    assert window.model.state.frames[ids["copy-0702"]].role is Role.FLAT

    window.activateWindow()  # a virtual screen has no window manager that would do it once the menu is closed
    qtbot.waitUntil(window.isActiveWindow, timeout=60000)
    go_to("copy-0701")
    press(Qt.Key.Key_K)
    room = window.navigator.made(Page.CHART)
    qtbot.waitUntil(lambda: room.kept is not None and room.view.has_picture, timeout=60000)
    for button in (room.bench.fit_button, room.bench.give_button):
        qtbot.waitUntil(lambda b=button: b.isVisible() and b.isEnabled(), timeout=60000)
        button.setFocus(Qt.FocusReason.TabFocusReason)
        press(Qt.Key.Key_Space, button)
        if button is room.bench.fit_button:
            qtbot.waitUntil(lambda: room.profile is not None, timeout=60000)
    as_read, used = window.model.state.readings[ids["copy-0701"]], window.model.state.reading(ids["copy-0701"])
    assert np.abs(used.reading.rgb() / as_read.reading.rgb() - 1).max() > 0.1
    fitted = window.jobs.fits.plain_request(ids["copy-0701"], as_read)
    np.testing.assert_array_equal(fitted.reading.rgb(), used.for_fit().rgb())

    go_to("copy-0706")
    press(Qt.Key.Key_2)
    assert settle(window, 60)
    assert "Not copy-0706: shot with f/4 instead of f/8" in window.benches.camera.field.words.text()
    assert "evened" not in window.path_bar.buttons["camera"].stop().detail
    go_to("copy-0704")
    assert settle(window, 60)
    assert "field evened" in window.path_bar.buttons["camera"].stop().detail
    qtbot.keyClick(window.view, Qt.Key.Key_W)
    assert "1 warmer, field evened" in window.path_bar.buttons["camera"].stop().detail
    qtbot.keyClick(window.view, Qt.Key.Key_0)

    names = ("copy-0704", "copy-0705", "copy-0706")
    folder = hand_off(qtbot, window, ids, names)
    for name, even in zip(names, (True, True, False), strict=True):
        with Image.open(folder / f"{name}.jpg") as picture:
            lightness = [part_of(picture, (x, y), 0.01)[0] for x in (0.03, 0.97) for y in (0.04, 0.96)]
        assert bool(max(lightness) - min(lightness) < 0.3) is even, (name, lightness)
