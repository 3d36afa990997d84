"""Work aside from the window, in lanes by purpose, so that nothing that the hand waits for waits behind something else.

Each job is an object with a name, its progress and its own cancel. Of jobs with the same purpose the newest wins: an older one that
has not begun never begins, and what a running one finds is dropped.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from concurrent.futures import wait as wait_for
from contextlib import suppress
from enum import StrEnum
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from velkin.app.turns import next_turn
from velkin.app.workers import workers
from velkin.core.errors import VelkinError

_log = logging.getLogger("velkin")

#: Progress is told to the window at most so often, seconds.
_TELL_EVERY = 0.05


class Lane(StrEnum):
    """What a job is for; each lane has a worker of its own."""

    HAND = "hand"  # what the hand waits for: reading a chart, fitting, measuring a spot
    ROOM = "room"  # what a room shows
    BACKGROUND = "background"  # looking through frames and folders
    IMPORT = "import"  # files coming in
    HANDOFF = "hand-off"
    DISK = "disk"  # what was changed, onto the disk itself
    AWAY = "away"  # shoots that are left closed, backups written: what is changed meanwhile does not wait for that
    DEMO = "demo"  # the simulator
    SOURCES = "sources"  # looking whether source files changed elsewhere


class Job:
    """A piece of work aside. Workers tell it their progress and look whether they are to stop."""

    def __init__(self, lane: Lane, name: str, purpose: str, cancellable: bool, lanes: Lanes) -> None:
        self.lane, self.name, self.purpose, self.cancellable = lane, name, purpose, cancellable
        self.done, self.total = 0, 0
        self._lanes = lanes
        self._stop = threading.Event()
        self._told = 0.0
        #: Whether a newer job took its place, so that nobody waits for what it finds.
        self.superseded = False
        self.on_cancel: Callable[[], None] | None = None

    # ---- for the worker ---------------------------------------------------------------------------------------

    @property
    def stopped(self) -> bool:
        """Whether the work is to end, with what it has."""
        return self._stop.is_set()

    def tell(self, done: int, total: int) -> None:
        """Tell how far it is."""
        self.done, self.total = done, total
        now = time.monotonic()
        if now - self._told >= _TELL_EVERY or done >= total:
            self._told = now
            self._lanes.tell(self)

    def give_way(self) -> None:
        """Between two steps of long work: wait while the hand waits for something."""
        self._lanes.wait_while_hand_is_busy(self._stop)

    # ---- for the window ---------------------------------------------------------------------------------------

    def cancel(self) -> None:
        """Stop it; what it finished stays."""
        self._stop.set()
        if self.on_cancel is not None:
            self.on_cancel()


class Lanes(QObject):
    """Runs jobs and gives their results to the GUI thread."""

    changed = pyqtSignal()  # a job that is shown began, went on or ended
    _told = pyqtSignal(object)
    _ended = pyqtSignal(object, object, object)  # Job, callback, result

    def __init__(self) -> None:
        super().__init__()
        self._pools = {lane: workers(1, lane.value) for lane in Lane}
        self._newest: dict[str, Job] = {}
        self._jobs: list[Job] = []
        self._futures: set[Future[None]] = set()
        self._hand_busy = 0
        self._hand_free = threading.Condition()
        self._closing = False
        self._told.connect(lambda _: self.changed.emit())
        self._ended.connect(self._deliver)

    def start(
        self,
        lane: Lane,
        work: Callable[[Job], Any],
        done: Callable[[Any], None] = lambda result: None,
        *,
        name: str = "",
        purpose: str = "",
        cancellable: bool = False,
    ) -> Job:
        """Run `work` in a lane and give its result, or the VelkinError it raised, to `done` on the GUI thread.

        Parameters
        ----------
        name : str
            What it is, for whoever waits; a job without a name is not shown.
        purpose : str
            Of jobs with the same purpose the newest wins.
        """
        job = Job(lane, name, purpose, cancellable, self)
        if purpose:
            older = self._newest.get(purpose)
            if older is not None:
                older.superseded = True
                older._stop.set()
            self._newest[purpose] = job
        if self._closing:
            return job
        self._jobs.append(job)
        if lane is Lane.HAND:
            with self._hand_free:
                self._hand_busy += 1
        future = self._pools[lane].submit(self._run, job, work, done)
        self._futures.add(future)
        future.add_done_callback(self._futures.discard)
        if name:
            self.changed.emit()
        return job

    def step(self, lane: Lane, steps: Iterator[tuple[int, int]], done: Callable[[Any], None], *, name: str) -> Job:
        """Do what only the GUI thread may do, a step at a time, so that the hand is not kept waiting; it can be cancelled between two.

        Parameters
        ----------
        steps : iterator of (int, int)
            Does a step each time it is asked, and says how far it is, and of how much.
        done : callable
            Is given whether it was cancelled, or the VelkinError that a step raised.
        """
        job = Job(lane, name, "", True, self)
        self._jobs.append(job)
        self.changed.emit()

        def on() -> None:
            if self._closing:
                return
            try:
                far = None if job.stopped else next(steps, None)
            except VelkinError as error:
                self._deliver(job, done, error)
                return
            if far is None:
                self._deliver(job, done, job.stopped)
            else:
                job.tell(*far)
                next_turn(self, on)

        next_turn(self, on)
        return job

    def forget(self, purpose: str) -> None:
        """Nobody waits any more for what the newest job of a purpose finds."""
        job = self._newest.pop(purpose, None)
        if job is not None:
            job.superseded = True
            job._stop.set()

    def shown(self) -> list[Job]:
        """The jobs to show, those that can be cancelled first."""
        return sorted((j for j in self._jobs if j.name), key=lambda j: not j.cancellable)

    def running(self, lane: Lane) -> bool:
        """Whether a lane has work."""
        return any(j.lane is lane for j in self._jobs)

    def cancel_all(self) -> None:
        """Stop every job that can be."""
        for job in list(self._jobs):
            if job.cancellable:
                job.cancel()

    # ---- on the workers ---------------------------------------------------------------------------------------

    def tell(self, job: Job) -> None:
        """A job went on. From any thread."""
        if job.name and not self._closing:
            self._told.emit(job)

    def wait_while_hand_is_busy(self, stop: threading.Event) -> None:
        """Wait, at most some seconds, until nothing is done that the hand waits for."""
        end = time.monotonic() + 30
        with self._hand_free:
            while self._hand_busy and not stop.is_set() and time.monotonic() < end:
                self._hand_free.wait(0.05)

    def _run(self, job: Job, work: Callable[[Job], Any], done: Callable[[Any], None]) -> None:
        result: Any = None
        try:
            if not job.superseded:
                result = work(job)
        except VelkinError as error:
            result = error
        except (OSError, MemoryError) as error:
            _log.exception("%s stopped", job.name or "work")
            result = VelkinError(f"{job.name or 'the work'} stopped ({error}); nothing was changed")
        except Exception as error:  # whatever it is, the window must not wait for it for ever
            if not self._closing:  # then what the work stands on goes away
                _log.exception("%s stopped", job.name or "work")
            result = VelkinError(
                f"{job.name or 'the work'} stopped unexpectedly ({type(error).__name__}: {error}); nothing was changed. "
                "Help ▸ Open the log has the details"
            )
        finally:
            if job.lane is Lane.HAND:
                with self._hand_free:
                    self._hand_busy -= 1
                    self._hand_free.notify_all()
            if not self._closing:
                with suppress(RuntimeError):  # the window is gone
                    self._ended.emit(job, done, result)

    # ---- on the GUI thread ------------------------------------------------------------------------------------

    def _deliver(self, job: Job, done: Callable[[Any], None], result: Any) -> None:
        if job in self._jobs:
            self._jobs.remove(job)
        if self._newest.get(job.purpose) is job:
            del self._newest[job.purpose]
        if self._closing:
            return  # what waits for it may be gone already
        if job.name:
            self.changed.emit()
        if not job.superseded:
            done(result)

    def close(self) -> None:
        """Take no more work; what runs is told to stop, and is not waited for here."""
        self._closing = True
        for job in list(self._jobs):
            job._stop.set()
        for pool in self._pools.values():
            pool.shutdown(wait=False, cancel_futures=True)

    def wait(self, seconds: float | None = None) -> bool:
        """Wait for what runs after `close`; whether all ended."""
        return not wait_for(list(self._futures), seconds).not_done
