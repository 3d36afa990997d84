"""Work aside: results come to the GUI thread, errors come as words, the newest wins, each job has its own cancel, lanes do not wait."""

import threading
import time

import numpy as np
import pytest

from velkin.app.jobs.lanes import Lane, Lanes
from velkin.app.main import make_application
from velkin.core.errors import FitRefused, VelkinError


@pytest.fixture
def lanes(qtbot):
    make_application()
    made = Lanes()
    yield made
    made.close()
    assert made.wait(20)


@pytest.mark.parametrize(
    "error", [FitRefused("no"), OSError(5, "broken"), MemoryError(), np.linalg.LinAlgError("singular"), KeyError("x")]
)
def test_work_that_fails_comes_back_as_an_error_of_velkins(qtbot, lanes, error):
    came = []

    def work(job):
        raise error

    lanes.start(Lane.HAND, work, came.append, name="Reading")
    qtbot.waitUntil(lambda: bool(came), timeout=60000)
    assert isinstance(came[0], VelkinError)
    assert lanes.shown() == []


def test_results_arrive_on_the_gui_thread(qtbot, lanes):
    threads = []
    lanes.start(Lane.ROOM, lambda job: threading.get_ident(), lambda r: threads.append((r, threading.get_ident())))
    qtbot.waitUntil(lambda: bool(threads), timeout=60000)
    worker, receiver = threads[0]
    assert receiver == threading.get_ident() != worker


def test_of_jobs_with_one_purpose_the_newest_wins_and_the_older_ones_are_told_to_stop(qtbot, lanes):
    came, begun, free = [], [], threading.Event()

    def work(number):
        def go(job):
            begun.append(number)
            while number == 1 and not job.stopped:
                time.sleep(0.002)
            free.wait(5)
            return number

        return go

    for number in (1, 2, 3):
        lanes.start(Lane.ROOM, work(number), came.append, purpose="same")
        qtbot.waitUntil(lambda: bool(begun), timeout=60000)
    free.set()
    qtbot.waitUntil(lambda: bool(came), timeout=60000)
    qtbot.wait(50)
    assert came == [3]
    assert begun == [1, 3], "the one that had not begun never begins"


def test_what_the_hand_waits_for_does_not_wait_behind_other_lanes_and_long_work_gives_way(qtbot, lanes):
    steps, done, hand_over = [], [], threading.Event()

    def long_work(job):
        for number in range(400):
            if job.stopped:
                break
            job.give_way()
            steps.append((number, hand_over.is_set()))
            time.sleep(0.002)
            job.tell(number + 1, 400)

    def at_hand(job):
        before = len(steps)
        time.sleep(0.1)
        hand_over.set()
        return len(steps) - before

    background = lanes.start(Lane.BACKGROUND, long_work, name="Looking for charts", cancellable=True)
    qtbot.waitUntil(lambda: len(steps) > 3, timeout=60000)
    lanes.start(Lane.HAND, at_hand, done.append, name="Reading the chart")
    assert [j.name for j in lanes.shown()] == ["Looking for charts", "Reading the chart"]
    qtbot.waitUntil(lambda: bool(done), timeout=60000)
    assert done[0] <= 1, "at most the step that was under way"
    qtbot.waitUntil(lambda: steps[-1][1], timeout=60000)  # it goes on afterwards
    background.cancel()
    qtbot.waitUntil(lambda: not lanes.running(Lane.BACKGROUND), timeout=60000)
    assert len(steps) < 400


def test_each_job_is_cancelled_by_itself(qtbot, lanes):
    def until_stopped(job):
        while not job.stopped:
            time.sleep(0.002)

    first = lanes.start(Lane.IMPORT, until_stopped, name="Looking at files", cancellable=True)
    second = lanes.start(Lane.DEMO, until_stopped, name="The simulator", cancellable=True)
    first.cancel()
    qtbot.waitUntil(lambda: not lanes.running(Lane.IMPORT), timeout=60000)
    assert lanes.running(Lane.DEMO) and not second.stopped
    second.cancel()
    qtbot.waitUntil(lambda: lanes.shown() == [], timeout=60000)


def test_nothing_is_begun_or_told_after_closing(qtbot, lanes):
    came = []
    gate = threading.Event()
    lanes.start(Lane.HAND, lambda job: gate.wait(5), came.append)
    lanes.close()
    lanes.start(Lane.ROOM, lambda job: 1, came.append)
    gate.set()
    assert lanes.wait(20)
    qtbot.wait(30)
    assert came == []


def test_steps_are_taken_on_the_gui_thread_one_at_a_time_and_an_error_ends_them(qtbot, lanes):
    here, seen, came = threading.get_ident(), [], []

    def steps():
        for number in range(1, 4):
            seen.append((number, threading.get_ident() == here, [(j.name, j.done, j.total) for j in lanes.shown()]))
            yield number, 9
        raise VelkinError("full")

    lanes.step(Lane.IMPORT, steps(), came.append, name="Taking in")
    assert not seen  # each comes when what else waits has had its turn
    qtbot.waitUntil(lambda: bool(came), timeout=10000)
    assert seen == [(n, True, [("Taking in", n - 1, 9 if n > 1 else 0)]) for n in (1, 2, 3)]
    assert str(came[0]) == "full" and lanes.shown() == []


def test_steps_end_where_they_are_cancelled(qtbot, lanes):
    came = []
    job = lanes.step(Lane.IMPORT, iter([(1, 3), (2, 3), (3, 3)]), came.append, name="Taking in")
    lanes.changed.connect(lambda: job.cancel() if job.done == 1 else None)
    qtbot.waitUntil(lambda: bool(came), timeout=10000)
    assert came == [True] and job.done == 1
