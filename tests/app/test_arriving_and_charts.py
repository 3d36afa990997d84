"""Files that come in, charts that are recognised, read by choice, defined, printed and measured, in the real window."""

import threading
import time
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from tests.app.doing import answered
from velkin.app.flow.small_pictures import EDGE, SmallPictures
from velkin.app.jobs import importing as importing_module
from velkin.app.jobs.importing import each_of
from velkin.app.model.places import Page
from velkin.core.charts.built_in import iso24, velkin48
from velkin.core.charts.chart_file import load_chart
from velkin.core.charts.judge import Verdict
from velkin.core.files.raw import decode
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.whites import white_of
from velkin.sim.crowd import make_crowd


@pytest.fixture
def room(qtbot, window, ids):
    window.model.places.go(Page.CHART, ids["lamp-0501"])
    qtbot.waitUntil(
        lambda: window.navigator.made(Page.CHART).kept is not None and window.navigator.made(Page.CHART).view.has_picture,
        timeout=60000,
    )
    return window.navigator.made(Page.CHART)


def settled(qtbot, room):
    qtbot.waitUntil(lambda: not room._settle.isActive() and not room._reading_again, timeout=60000)
    qtbot.wait(50)


def test_what_is_broken_is_listed_and_the_rest_comes_in_and_is_recognised(qtbot, window, tmp_path):
    files = make_crowd(tmp_path / "card", 40, lights=2)
    for number in (3, 9, 17, 21, 30):
        files[number].write_bytes(files[number].read_bytes()[: 2000 * number])
    files[25].unlink()
    (tmp_path / "card" / "empty.dng").write_bytes(b"")
    window.jobs.shoots.new(tmp_path / "day.velkin")
    qtbot.waitUntil(lambda: window.model.state.name == "day", timeout=60000)
    window.actions_.dropped.take([tmp_path / "card"])
    qtbot.waitUntil(lambda: bool(window.jobs.importing.left_out), timeout=60000)
    state = window.model.state
    assert len(state.frames) == 34 and len(window.jobs.importing.left_out) == 6
    assert all(any(f"day-{n:04d}" in reason for reason in window.jobs.importing.left_out) for n in (3, 9, 17, 21, 30))
    qtbot.waitUntil(lambda: any(f.role == "chart" for f in window.model.state.frames.values()), timeout=60000)
    charts = [f.name for f in window.model.state.frames.values() if f.role == "chart"]
    assert charts == ["day-0000", "day-0020"]
    assert all(white_of(window.model.state, k.id) is not None for k in window.model.state.lights)


def test_a_patch_is_left_out_and_taken_in_by_key(qtbot, room):
    room._choose_patch(14)
    qtbot.keyClick(room.view, Qt.Key.Key_L)
    settled(qtbot, room)
    assert room.kept.reading.choices.left_out == ("C3",)
    assert "23 of 24" in room.bench.figure.number.text()
    room.fit()
    qtbot.waitUntil(lambda: room.profile is not None, timeout=60000)
    assert "C3" not in {p.id for p in room.profile.patches}
    qtbot.keyClick(room.view, Qt.Key.Key_L)
    settled(qtbot, room)
    assert room.kept.reading.choices.left_out == ()


def test_the_whole_grid_moves_by_its_handle_and_snaps_back(qtbot, room):
    view = room.view
    before = view.corners.copy()
    start = view.to_widget(*view._middle()).toPoint()
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
    from .test_balance_and_giving import _moved

    view.mouseMoveEvent(_moved(view, start.x() + 8, start.y() - 6))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton)
    moved = view.corners - before
    assert moved == pytest.approx(np.tile(moved[0], (4, 1))) and np.hypot(*moved[0]) == pytest.approx(10 / view.scale, rel=0.2)
    settled(qtbot, room)
    room.snap()
    qtbot.waitUntil(lambda: np.abs(view.corners - before).max() < 1.5, timeout=60000)


def test_a_single_patch_is_moved_by_alt_and_arrows_and_put_back(qtbot, room):
    room._choose_patch(3)
    qtbot.keyClick(room.view, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.ShiftModifier)
    settled(qtbot, room)
    assert [m[0] for m in room.kept.reading.choices.moved] == ["A4"]
    room.put_back()
    settled(qtbot, room)
    assert room.kept.reading.choices.moved == ()


def test_sample_size_and_even_light_are_kept_with_the_reading(qtbot, window, ids, room):
    room.bench.sample.setValue(30)
    settled(qtbot, room)
    room._even_toggled(True)
    choices = window.model.state.readings[ids["lamp-0501"]].reading.choices
    assert (choices.sample, choices.even_light) == (0.3, True)
    room.leave()
    window.model.places.go(Page.CHART, ids["lamp-0501"])
    assert room.bench.sample.value() == 30 and room.bench.even.isChecked()


def test_another_chart_is_looked_for_and_refused_with_its_reason(qtbot, room):
    room.use_chart(velkin48())
    qtbot.waitUntil(lambda: "no 48-patch chart" in room.bench.figure.words.text(), timeout=60000)
    assert not room.bench.fit_button.isEnabled()
    room.place_by_hand()
    qtbot.waitUntil(lambda: room.kept is not None, timeout=60000)
    assert any(j.about == "Order" and j.verdict is Verdict.REFUSE for j in room.kept.judgements)
    assert not room.bench.fit_button.isEnabled()


def test_a_chart_is_defined_by_table_and_paste_and_kept(qtbot, window):
    window.actions_.camera.edit_chart()
    editor = window.navigator.made(Page.CHART_EDITOR)
    editor.columns.setValue(5)
    editor.rows.setValue(3)
    assert editor.table.rowCount() == 15
    editor.name.setText("Workshop chart")
    editor.table.setCurrentCell(0, 3)
    QApplication.clipboard().setText("61.5\t2\t-3\n40\t1\t1")
    editor.paste()
    assert [editor.table.item(0, c).text() for c in (3, 4, 5)] == ["61.50", "2.00", "−3.00"]
    editor.table.item(1, 3).setText("nonsense")
    assert "no number" in window.model.messages.latest
    assert editor.table.item(1, 3).text() == "40.00"
    editor.table.item(2, 0).setText("A1")
    assert "taken" in window.model.messages.latest
    editor.keep()
    chart = next(c for c in window.model.state.charts.values() if c.name == "Workshop chart")
    assert (chart.columns, chart.rows, len(chart.neutrals) >= 1) == (5, 3, True)
    assert window.navigator.stack.currentIndex() == 0
    window.model.undo()
    assert all(c.name != "Workshop chart" for c in window.model.state.charts.values())


def test_a_chart_is_printed_and_its_print_measured_by_the_stand_in(qtbot, window, tmp_path):
    window.jobs.charts.print_chart(velkin48(), tmp_path)
    qtbot.waitUntil(lambda: len(list(tmp_path.glob("velkin48*"))) == 3, timeout=60000)
    window.jobs.charts.print_chart(velkin48(), tmp_path)
    qtbot.waitUntil(
        lambda: "velkin48 to print.pdf" in window.model.messages.latest and "there" in window.model.messages.latest,
        timeout=60000,
    )
    out = tmp_path / "print.txt"
    window.jobs.charts.measure_print(velkin48(), out)
    qtbot.waitUntil(lambda: "print" in window.model.state.charts, timeout=60000)
    assert load_chart(out).ids == velkin48().ids
    assert "simulated" in window.model.messages.latest


def test_a_bad_chart_file_is_named_and_changes_nothing(window, tmp_path):
    bad = tmp_path / "bad.txt"
    bad.write_text("CGATS.17\nBEGIN_DATA_FORMAT\nSAMPLE_ID LAB_L\nEND_DATA_FORMAT\nBEGIN_DATA\nA1\nEND_DATA\n")
    window.actions_.chart.read_file(bad)
    assert "bad.txt" in window.model.messages.latest and "line 6" in window.model.messages.latest
    assert set(window.model.state.charts) == {"iso24", "velkin48"}


def test_lights_are_split_and_merged_from_the_menu(window, ids):
    window.model.select(ids["north-0413"])
    window.menu.by_name["Begin a new light with this frame"].trigger()
    assert len(window.model.state.lights) == 3
    window.model.select(ids["north-0401"], (ids["north-0401"], ids["north-0413"]))
    window.menu.by_name["Merge the lights of the selected frames"].trigger()
    assert len(window.model.state.lights) == 2


def test_small_pictures_are_kept_and_a_damaged_one_is_made_again(tmp_path, demo_frames):
    small = SmallPictures(tmp_path)
    assert small.get("abc") is None
    made = small.make("abc", decode(demo_frames / "north-0412.dng", half=True))
    assert max(made.shape) == EDGE
    assert np.array_equal(SmallPictures(tmp_path).get("abc"), made)
    whole = (tmp_path / "abc.small").read_bytes()
    for damaged in (b"nonsense", b"", whole[:-1], whole + b"\0", b"\xff" * 12 + whole[12:], b"\0" * len(whole)):
        (tmp_path / "abc.small").write_bytes(damaged)
        assert SmallPictures(tmp_path).get("abc") is None
    assert iso24().rows == 4


def test_many_files_come_in_a_few_at_a_time_and_go_by_one_undo(qtbot, window, tmp_path):
    files = make_crowd(tmp_path / "card", 45, lights=1)
    window.jobs.shoots.new(tmp_path / "day.velkin")
    qtbot.waitUntil(lambda: window.model.state.name == "day", timeout=60000)
    seen = []
    told = window.model.changed.connect(lambda _: seen.append(len(window.model.state.frames)))
    window.actions_.dropped.take([files[0].parent])
    qtbot.waitUntil(lambda: window.model.messages.latest.startswith("45 frames added"), timeout=60000)
    window.model.changed.disconnect(told)
    assert {20, 40, 45} <= set(seen), seen
    assert window.model.current == window.model.state.order()[0]
    window.lanes.cancel_all()
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=10000)
    window.view.setFocus()
    qtbot.keyClick(window.view, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: not window.model.state.frames, timeout=10000)


@pytest.fixture
def on_the_way(qtbot, window, tmp_path):
    """A new shoot into which 120 frames of a card are coming, twenty of them there; what is done at that moment is given."""
    files = make_crowd(tmp_path / "card", 120, lights=1)
    window.jobs.shoots.new(tmp_path / "day.velkin")
    qtbot.waitUntil(lambda: window.model.state.name == "day", timeout=60000)

    def at_twenty(what):
        begun, done = [], []

        def come(_):
            if not begun and len(window.model.state.frames) >= 20:
                begun.append(True)
                done.append(what())

        told = window.model.changed.connect(come)
        window.actions_.dropped.take([files[0].parent])
        qtbot.waitUntil(lambda: bool(done), timeout=60000)
        window.model.changed.disconnect(told)
        return done[0]

    yield at_twenty
    window.lanes.cancel_all()


def test_files_that_come_in_show_how_far_they_are_and_can_be_cancelled(qtbot, window, on_the_way):
    def cancel():
        qtbot.mouseClick(window.status.work.cancel, Qt.MouseButton.LeftButton)
        return window.status.work.words.text()

    assert on_the_way(cancel).startswith("Taking files in")
    qtbot.waitUntil(lambda: "Cancelled" in window.model.messages.latest, timeout=60000)
    assert window.model.messages.latest.startswith("20 frames added. Cancelled; the rest was left out.")
    assert len(window.model.state.frames) == 20


def test_files_that_come_in_are_not_cut_off_without_a_word(qtbot, window, on_the_way, demo_shoot):
    asked = []

    def go_elsewhere():
        window.jobs.shoots.open(demo_shoot)
        told = window.model.messages.latest
        with answered("Wait for them", asked):
            return told, window.close()

    told, closed = on_the_way(go_elsewhere)
    assert told == "Files are coming into the shoot; cancel that or wait for its end before opening another shoot."
    assert not closed and asked == ["Not all files are in the shoot yet."]
    qtbot.waitUntil(lambda: len(window.model.state.frames) == 120 and not window.jobs.importing.coming_in, timeout=60000)
    assert window.model.state.name == "day"


def test_closing_while_files_come_in_keeps_those_that_are_in(qtbot, window, on_the_way):
    path, asked = window.model.shoot.path, []

    def close():
        with answered("Close and leave the others out", asked):
            return window.close()

    assert on_the_way(close) and asked
    kept = Shoot.open(path)
    assert len(kept.state.frames) % 20 == 0 and 20 <= len(kept.state.frames) < 120
    kept.close()


def test_frames_that_came_in_just_before_cancelling_are_shown(qtbot, window, tmp_path):
    files = make_crowd(tmp_path / "card", 45, lights=1)
    window.jobs.shoots.new(tmp_path / "day.velkin")
    qtbot.waitUntil(lambda: window.model.state.name == "day", timeout=60000)

    def cancel():
        for job in window.lanes.shown():
            if job.name == "Taking files in" and job.done:
                job.cancel()

    told = window.lanes.changed.connect(cancel)  # as soon as the first of them are told of, before the window looks at them
    window.actions_.dropped.take([files[0].parent])
    qtbot.waitUntil(lambda: "Cancelled" in window.model.messages.latest, timeout=60000)
    window.lanes.changed.disconnect(told)
    assert len(window.model.state.frames) == len(window.frames.rows.listed()) == 20
    assert window.model.current in window.model.state.frames


def test_files_do_not_go_into_a_shoot_whose_opening_had_begun_before_they_came(qtbot, window, tmp_path, monkeypatch):
    files = make_crowd(tmp_path / "card", 30, lights=1)
    Shoot.create(tmp_path / "slow.velkin", "slow").close()
    before = window.model.shoot.path
    go, real = threading.Event(), importing_module.look_at
    monkeypatch.setattr(importing_module, "look_at", lambda path: (go.wait(60), real(path))[1])  # files on a slow card
    window.jobs.shoots.open(tmp_path / "slow.velkin")
    window.actions_.dropped.take([files[0].parent])
    assert window.jobs.importing.coming_in
    qtbot.waitUntil(lambda: window.model.state.name == "slow", timeout=60000)
    go.set()
    qtbot.waitUntil(lambda: not window.jobs.importing.coming_in, timeout=60000)
    assert "Another shoot was opened meanwhile" in window.model.messages.latest and before.stem in window.model.messages.latest
    assert not window.model.state.frames
    window.jobs.shoots.open(before)
    qtbot.waitUntil(lambda: window.model.shoot.path == before, timeout=60000)
    assert len(window.model.state.frames) == 12


def test_files_that_take_long_are_looked_at_side_by_side_and_others_one_after_another():
    """Order is kept in both; threads that only wait for the interpreter would keep the window waiting with them."""
    threads = {}

    def look(seconds):
        def one(file):
            threads.setdefault(seconds, []).append(threading.get_ident())
            time.sleep(seconds)
            return file

        return one

    files = [Path(f"{n}.dng") for n in range(40)]
    assert list(each_of(iter(files), look(0.0))) == files
    assert set(threads[0.0]) == {threading.get_ident()}
    assert list(each_of(files, look(0.02))) == files
    assert len(set(threads[0.02])) > 2 and threads[0.02][0] == threading.get_ident()
