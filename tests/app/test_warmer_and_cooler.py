"""Warmer and cooler in the real window: by key on all selected frames, by slider, said in the path, taken back in one key."""

from __future__ import annotations

from PIL import Image
from PyQt6.QtCore import Qt

from tests.app.test_whole_job import click_frame
from velkin.app.main import settle
from velkin.core.cameraprofiles.leaning import NEUTRAL, Lean

K = Qt.Key


def camera_stop(window):
    return window.path_bar.buttons["camera"].stop()


def test_by_key_on_the_selection_and_back_in_one(window, qtbot, ids):
    click_frame(qtbot, window, "north-0412")
    qtbot.keyClick(window.view, K.Key_2)
    window.model.select(ids["north-0412"], (ids["north-0412"], ids["north-0413"]))
    before = window.model.path()
    window.view.setFocus()
    for key, held in ((K.Key_W, 0), (K.Key_W, 0), (K.Key_C, 0), (K.Key_W, 0), (K.Key_P, 1)):
        qtbot.keyClick(window.view, key, Qt.KeyboardModifier.ShiftModifier if held else Qt.KeyboardModifier.NoModifier)
    frames = window.model.state.frames
    assert [frames[ids[n]].lean for n in ("north-0412", "north-0413", "north-0414")] == [Lean(2, 1), Lean(2, 1), NEUTRAL]
    assert settle(window, 60)
    assert "2 warmer, 1 pinker" in f"{camera_stop(window).value} {camera_stop(window).detail}"
    section = window.benches.camera.balance
    assert section.as_shot.isChecked() and "2 warmer, 1 pinker" in section.words.text()
    for _ in range(9):
        qtbot.keyClick(window.view, K.Key_C)
    assert window.model.frame.lean == Lean(-5, 1) and "5 steps" in window.model.messages.latest
    qtbot.keyClick(window.view, K.Key_0)
    assert window.model.path() == before and not section.neutral.isEnabled()
    window.model.undo()
    assert window.model.frame.lean == Lean(-5, 1)


def test_by_slider_and_numbers_that_are_typed_are_what_is_seen(window, qtbot, ids):
    click_frame(qtbot, window, "north-0412")
    qtbot.keyClick(window.view, K.Key_2)
    section = window.benches.camera.balance
    section.warmer.slider.setFocus()
    qtbot.keyClick(section.warmer.slider, K.Key_Right)
    qtbot.keyClick(section.warmer.slider, K.Key_Right)
    assert window.model.frame.lean == Lean(2) and section.warmer.value_label.text() == "2"
    cooler = section.kelvin.value()
    section.kelvin.setFocus()
    section.kelvin.selectAll()
    qtbot.keyClicks(section.kelvin, "5000")
    qtbot.keyClick(section.kelvin, K.Key_Return)
    assert window.model.frame.lean == NEUTRAL and window.model.frame.balance_from == "typed"
    assert section.kelvin.value() == 5000 != cooler and section.warmer.value_label.text() == "neutral"


def test_a_finished_picture_says_why_it_is_left_as_it_is(window, qtbot, tmp_path):
    path = tmp_path / "a.png"
    Image.new("RGB", (40, 30), (90, 120, 80)).save(path)
    window.actions_.dropped.take([path])
    qtbot.waitUntil(lambda: any(f.name == "a" for f in window.model.state.frames.values()), timeout=20000)
    window.model.select(next(f.id for f in window.model.state.frames.values() if f.name == "a"))
    window.view.setFocus()
    qtbot.keyClick(window.view, K.Key_W)
    assert "no white balance any more" in window.model.messages.latest
