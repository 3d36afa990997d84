"""What a gesture costs, counted and not timed: files decoded, pixels put through loops, rows of the shoot read again."""

from contextlib import contextmanager

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from velkin.app.flow import decoded as decoded_module
from velkin.app.flow import service as service_module
from velkin.app.main import settle
from velkin.core.compiled import Loop
from velkin.core.shoot.state_reader import StateReader


class Work:
    """What was done: names of the files decoded, pixels that all loops went over, whole readings of the shoot."""

    def __init__(self) -> None:
        self.decoded: list[str] = []
        self.pixels = 0
        self.whole_readings = 0


@pytest.fixture
def work(window, monkeypatch):
    done = Work()
    decode, run, read = decoded_module.decode_source, Loop.__call__, StateReader._read_all

    def decoding(path, source, half=False):
        done.decoded.append(f"{path.stem} {'half' if half else 'full'}")
        return decode(path, source, half)

    def running(loop, *arguments):
        done.pixels += len(arguments[0])
        return run(loop, *arguments)

    def reading(*arguments, **named):
        done.whole_readings += 1
        return read(*arguments, **named)

    window.jobs.watching.stop()
    assert settle(window, 90)
    monkeypatch.setattr(decoded_module, "decode_source", decoding)
    monkeypatch.setattr(Loop, "__call__", running)
    monkeypatch.setattr(StateReader, "_read_all", reading)
    return done


@contextmanager
def counted(window, work):
    """Inside, what a gesture does until all has settled."""
    work.decoded.clear()
    work.pixels = work.whole_readings = 0
    yield
    QTest.qWait(250)  # longer than what waits for the hand to rest
    assert settle(window, 90)


def pixels_seen(window) -> int:
    height, width = window.flow.rendered.working.shape[:2]
    return height * width


def test_a_step_decodes_the_frames_ahead_once_and_the_frame_itself_only_for_its_exact_numbers(window, ids, work):
    window.model.select(ids["north-0413"])
    QTest.qWait(250)
    assert settle(window, 90)
    window.view.setFocus()
    with counted(window, work):
        QTest.keyClick(window.view, Qt.Key.Key_Right)
    assert window.model.current == ids["north-0414"]
    assert sorted({*work.decoded, "north-0415 half"}) == [
        "north-0414 full",
        "north-0415 half",
    ]  # the next is there where its thumbnail was made
    assert len(work.decoded) <= 2
    with counted(window, work):
        QTest.keyClick(window.view, Qt.Key.Key_Left)
    assert work.decoded == []
    assert work.pixels == 0  # as rendered, as drawn and as measured before


def test_hatching_renders_nothing_anew_and_the_second_time_nothing_at_all(window, work):
    with counted(window, work):
        QTest.keyClick(window.view, Qt.Key.Key_X)
    assert window.model.hatching and work.decoded == []
    assert work.pixels <= 3 * pixels_seen(window)  # to the destination, and its test; the picture itself is there
    QTest.keyClick(window.view, Qt.Key.Key_X)
    assert settle(window, 60)
    with counted(window, work):
        QTest.keyClick(window.view, Qt.Key.Key_X)
    assert work.pixels == 0


def test_another_stop_renders_nothing(window, work):
    with counted(window, work):
        QTest.keyClick(window.view, Qt.Key.Key_5)
    assert window.model.stop == "handoff"
    assert (work.decoded, work.pixels, work.whole_readings) == ([], 0, 0)


def test_a_change_of_one_frame_and_its_undoing_read_no_other_frame_again(window, ids, work):
    with counted(window, work):
        window.jobs.camera.set_exposure((window.model.current,), 0.5)
        QTest.keyClick(window.view, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.model.state.frames[window.model.current].exposure == 0
    assert work.whole_readings == 0
    assert set(work.decoded) <= {f"{window.model.frame.name} full"}


def test_a_zoom_to_actual_pixels_renders_what_is_seen_and_not_the_whole(window, work):
    frame = window.model.frame.facts
    with counted(window, work):
        QTest.keyClick(window.view, Qt.Key.Key_A)
    assert not window.view.is_fit and work.decoded == []
    assert 0 < work.pixels < 0.75 * 3 * frame.width * frame.height
    *_, width, height = window.flow.rendered.now.part_at
    assert width * height < 0.5


def test_the_half_size_is_measured_once_however_often_its_picture_is_asked_for(window, ids, monkeypatch):
    measured, real = [], service_module.numbers_of

    def measuring(frame, pixels, path, exact, proofed):
        measured.append(exact)
        return real(frame, pixels, path, exact, proofed)

    window.jobs.watching.stop()
    assert settle(window, 90)
    monkeypatch.setattr(service_module, "numbers_of", measuring)
    window.view.setFocus()
    window.model.select(ids["north-0415"])
    waited = 0
    while not measured and waited < 20000:
        QTest.qWait(5)
        waited += 5
    QTest.keyClick(window.view, Qt.Key.Key_X)  # hatched along the same path, before its exact numbers are there
    assert settle(window, 90)
    assert measured.count(False) == 1 and measured[-1] is True


def test_a_frame_that_comes_to_hand_with_a_change_is_followed_once(qtbot, window, ids, monkeypatch):
    """The selection and the shoot are both told of; the bench shows what is so now after the first word of it."""
    bench, shown = window.benches.camera, []
    window.actions_.open_stop("camera")
    window.model.select(ids["north-0412"])
    refresh = bench.refresh
    monkeypatch.setattr(bench, "refresh", lambda: (shown.append(bench.frame_id), refresh()))
    window.jobs.command(lambda s: s.frames.remove_frames([ids["north-0412"]]))
    assert shown == [window.model.current] != [ids["north-0412"]]
    window.jobs.camera.set_exposure((window.model.current,), 0.5)
    assert shown == [window.model.current] * 2, "what changes with the same frame at hand is followed"
