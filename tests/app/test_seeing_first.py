"""Something to look at before the picture is there: previews, neighbours read ahead, a source disk that takes its time, memory that is set."""

import builtins
import io
import os
import shutil
import threading
import time
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QSettings, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from tests.app.doing import close
from velkin.app.flow import decoded as decoded_module
from velkin.app.flow import memory
from velkin.app.main import open_window, settle
from velkin.app.model.places import Page
from velkin.core.files.previews import preview_of


@pytest.fixture
def held_back(window, monkeypatch):
    """Decoding waits until it is let go; what was decoded so far is forgotten."""
    go, decode, asked = threading.Event(), decoded_module.decode_source, []

    def late(path, source, half=False):
        asked.append(path.stem)
        assert go.wait(60)
        return decode(path, source, half)

    assert settle(window, 90)
    monkeypatch.setattr(decoded_module, "decode_source", late)
    window.service._decoded.clear()
    yield go, asked
    go.set()


def test_a_frame_shows_its_embedded_preview_until_it_is_decoded(qtbot, window, ids, held_back):
    go, _ = held_back
    window.model.select(ids["north-0414"])
    qtbot.waitUntil(lambda: window.flow.glimpse != "", timeout=20000)
    assert "embedded preview" in window.view.captions[0] and window.view.has_picture
    assert not window.flow.ready
    assert not window.view.ready  # nothing is picked on a preview
    QTest.mouseMove(window.view, QPoint(300, 200))
    assert window.status.lab.value.text() == ""
    qtbot.wait(300)  # longer than one waits before it is said that it is being read
    assert window.view.has_picture
    go.set()
    qtbot.waitUntil(lambda: window.flow.current is not None, timeout=60000)
    assert "preview" not in window.view.captions[0] and window.flow.glimpse == ""


def test_a_start_shows_the_embedded_preview_while_the_first_frame_is_decoded(qtbot, window, demo_shoot, held_back, tmp_path):
    go, asked = held_back
    settings = QSettings(str(tmp_path / "another.ini"), QSettings.Format.IniFormat)
    again = open_window(Path(shutil.copy(demo_shoot, tmp_path / "again.velkin")), settings)
    again.show()
    qtbot.waitUntil(lambda: again.flow.glimpse != "", timeout=20000)
    assert asked == [again.model.frame.name]  # being decoded already, and not shown before it is
    assert "embedded preview" in again.view.captions[0] and again.view.has_picture
    assert again.flow.current is None
    go.set()
    qtbot.waitUntil(lambda: again.flow.current is not None, timeout=60000)
    close(again)


def test_a_picture_seen_before_is_coarse_in_its_own_colours_at_first(qtbot, window, ids, held_back, monkeypatch):
    go, _ = held_back
    frame = window.model.state.frames[ids["north-0414"]]
    monkeypatch.setattr("velkin.app.flow.service.preview_of", lambda facts, edge, page: None)
    window.model.select(frame.id)
    qtbot.waitUntil(lambda: window.flow.glimpse != "", timeout=20000)
    assert "coarse, being read" in window.view.captions[0]
    coarse = window.view._image
    thumbnail = window.thumbnails.image(frame.id)
    assert coarse == thumbnail  # through its own path, as its thumbnail is
    go.set()
    qtbot.waitUntil(lambda: window.flow.current is not None, timeout=60000)


def test_a_preview_that_goes_wrong_keeps_no_picture_away(qtbot, window, ids, held_back, monkeypatch):
    go, _ = held_back
    monkeypatch.setattr("velkin.app.flow.service.preview_of", lambda *asked: 1 / 0)
    go.set()
    window.model.select(ids["north-0414"])
    qtbot.waitUntil(lambda: window.flow.current is not None, timeout=60000)
    assert window.flow.glimpse == "" and window.view.has_picture


def test_the_frames_that_a_step_leads_to_are_decoded_before_they_are_asked_for(qtbot, window, ids, held_back):
    go, asked = held_back
    go.set()
    order = window.model.state.order()
    at = order.index(ids["north-0413"])
    window.model.select(order[at])
    names = [window.model.state.frames[f].name for f in (order[at], order[at + 1], order[at - 1])]
    qtbot.waitUntil(lambda: set(names) <= set(asked), timeout=60000)
    assert settle(window, 60)
    asked.clear()
    window.view.setFocus()
    QTest.keyClick(window.view, Qt.Key.Key_Right)
    qtbot.waitUntil(lambda: window.flow.current is not None and window.model.current == order[at + 1], timeout=60000)
    assert names[1] not in asked[:1]


@pytest.fixture
def slow_disk(monkeypatch, demo_frames):
    """The source folder lies on a disk that answers late; on which thread it was asked is told."""
    asked: list[threading.Thread] = []
    under = str(demo_frames)

    def late(real):
        def asks(path, *more, **named):
            if isinstance(path, str | bytes | os.PathLike) and os.fsdecode(path).startswith(under):
                asked.append(threading.current_thread())
                time.sleep(0.2)
            return real(path, *more, **named)

        return asks

    for name in ("stat", "lstat", "open", "scandir", "listdir", "access"):
        monkeypatch.setattr(os, name, late(getattr(os, name)))
    opened = late(builtins.open)
    monkeypatch.setattr(builtins, "open", opened)
    monkeypatch.setattr(io, "open", opened)
    return asked


def test_the_window_never_waits_for_the_disk_that_the_sources_lie_on(qtbot, window, ids, slow_disk):
    main = threading.main_thread()
    for _ in range(3):
        window.model.step(1)
        qtbot.waitUntil(lambda: window.flow.current is not None, timeout=60000)
    for stop in ("source", "camera", "working", "proof", "handoff"):
        window.model.open_stop(stop)
        qtbot.wait(60)
    window.model.show_hatching(True)
    window.model.proof.show(True)
    window.model.places.go(Page.CHART, ids["north-0401"])
    room = window.navigator.made(Page.CHART)
    qtbot.waitUntil(lambda: room.kept is not None, timeout=60000)
    window.model.places.back()
    window.model.undo()
    qtbot.waitUntil(lambda: window.flow.current is not None, timeout=60000)
    assert len(slow_disk) > 10
    assert main not in slow_disk


def test_memory_is_set_in_its_sheet_counts_at_once_and_is_remembered(qtbot, window, ids):
    assert settle(window, 90)
    before = window.service.held
    seen = []

    def use():
        sheet = QApplication.activeModalWidget()
        QTest.keyClick(sheet.field, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        QTest.keyClicks(sheet.field, "0.5")
        QTest.keyClick(sheet.field, Qt.Key.Key_Tab)
        seen.append((memory.remembered(window.settings), sheet.field.value()))
        QTest.mouseClick(sheet.usual, Qt.MouseButton.LeftButton)
        seen.append((memory.remembered(window.settings), window.settings.contains("memory")))
        sheet.reject()

    QTimer.singleShot(200, use)
    window.menu.by_name["Memory for pictures…"].trigger()
    assert seen == [(memory.LEAST, 0.5), (memory.usual(), False)]
    assert before > 1_000_000 and memory.usual() == max(memory.of_this_machine() // 4, memory.LEAST)
    window.service.keep_within(0)  # never less than what one picture needs
    shares = memory.Shares.of(memory.LEAST)
    assert window.service.held <= shares.decoded + shares.rendered + shares.drawn + shares.pieces


@pytest.mark.parametrize(
    ("kept", "found"), [("nonsense", None), (-5, None), (1, memory.LEAST), (10**15, memory.of_this_machine())]
)
def test_what_stands_in_the_settings_is_held_to_the_machine(window, kept, found):
    window.settings.setValue("memory", kept)
    assert memory.remembered(window.settings) == (memory.usual() if found is None else found)


def test_a_preview_of_a_demo_frame_is_its_own_picture(demo_frames):
    from velkin.core.files.raw import read_facts

    preview = preview_of(read_facts(demo_frames / "north-0412.dng"), 600)
    assert preview.pixels.shape == (400, 600, 3)
    assert not preview.own and np.ptp(preview.pixels) > 150
