"""The compare room: any two frames, or a frame and a file, in the real window."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog

from tests.app.test_whole_job import drop
from tests.core.test_comparing import scene
from velkin.app.model.places import Page
from velkin.core.icc.space import profile_of
from velkin.core.spaces.rgb import ROMM, SRGB, between

K = Qt.Key


@pytest.fixture(scope="module")
def plates(tmp_path_factory):
    """A plate, a warmer one that lies a little elsewhere, and one with no tag."""
    folder = tmp_path_factory.mktemp("plates")
    plate = scene(300, 440) @ between(ROMM, SRGB).T.astype(np.float32)
    for name, part, gain, icc in (
        ("plate", plate[20:260, 30:390], (1, 1, 1), True),
        ("treated", plate[24:264, 26:386], (1.12, 1.0, 0.85), True),
        ("bare", plate[20:260, 30:390], (1, 1, 1), False),
    ):
        codes = np.rint(255 * SRGB.encode(np.clip(part * np.array(gain), 0, 1))).astype(np.uint8)
        options = {"icc_profile": profile_of(SRGB)} if icc else {}
        Image.fromarray(codes).save(folder / f"{name}.png", **options)
    return folder


@pytest.fixture
def ids(window, qtbot, plates):
    before = len(window.model.state.frames)
    drop(window, plates)
    qtbot.waitUntil(lambda: len(window.model.state.frames) == before + 3 and not window.jobs.importing.coming_in, timeout=30000)
    return {f.name: f.id for f in window.model.state.frames.values()}


def opened(window, qtbot, current, other):
    window.model.select(current, (current, other))
    window.view.setFocus()
    qtbot.keyClick(window.view, K.Key_O)
    room = window.navigator.room
    assert window.model.places.now.page is Page.COMPARE
    qtbot.waitUntil(lambda: room.found is not None and room.found.wish.other == other, timeout=30000)
    return room


def test_two_frames_are_laid_on_each_other_and_read_at_the_pins(window, qtbot, ids):
    window.jobs.colour.add_pin(ids["plate"], 0.4, 0.5)
    room = opened(window, qtbot, ids["plate"], ids["treated"])
    assert room.figure.number.text().startswith("ΔE ") and "Laid on each other" in room.lies.text()
    mean = room.found.compared.mean
    (row,) = room.pins.cells()
    assert float(row[3]) > 2 and room.view.comparison == "wipe" and len(room.view.others) == 1
    room.align.click()
    qtbot.waitUntil(lambda: not room.found.wish.align, timeout=30000)
    assert room.found.compared.mean > mean
    room.across.setFocus()
    qtbot.keyClick(room.across, K.Key_Up)
    qtbot.waitUntil(lambda: room.found.wish.shift == (0.001, 0.0), timeout=30000)
    qtbot.keyClick(room.way, K.Key_Down)
    assert room.view.comparison == "side"
    qtbot.keyClick(room, K.Key_Escape)
    assert window.model.places.at_picture


def test_what_does_not_show_the_same_is_said_and_shown_all_the_same(window, qtbot, ids):
    room = opened(window, qtbot, ids["plate"], ids["north-0412"])
    assert room.lies.text().startswith("Not laid on each other: the two pictures do not show the same")
    assert room.view.has_picture and room.found.compared.mean > 5


def test_a_file_is_compared_without_coming_into_the_shoot(window, qtbot, ids, plates, monkeypatch):
    room = opened(window, qtbot, ids["plate"], ids["treated"])
    frames = len(window.model.state.frames)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(plates / "treated.png"), ""))
    room.file_wanted.emit()
    qtbot.waitUntil(lambda: room.found.wish.other == plates / "treated.png", timeout=30000)
    assert room.with_.currentText() == "treated.png" and len(window.model.state.frames) == frames
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(plates / "bare.png"), ""))
    room.file_wanted.emit()
    qtbot.waitUntil(lambda: "nothing says what its numbers mean" in window.model.messages.latest, timeout=30000)
    assert "cannot be compared" in room.figure.words.text()
