"""A hand-off run: many frames to their destinations on all cores, one bad file never stopping the rest.

A frame is decoded once and written to all its destinations; large frames wait until there is memory for them.
"""

from __future__ import annotations

import itertools
import shutil
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from queue import SimpleQueue
from typing import Protocol

from velkin.core.cores import all_cores, side_by_side
from velkin.core.errors import OutputFailed, OutputRefused, UnreadableFile, VelkinError
from velkin.core.files.digest import digest_of
from velkin.core.files.safely import being_written
from velkin.core.handoff.jobs import Job
from velkin.core.handoff.write import Mark, Written, hand_off_frame
from velkin.core.sources import Levels, levels_of

#: Bytes that frames in work may take together; one frame alone may always go on.
MEMORY = 1_050_000_000
_MOST_WORKERS = 8


@dataclass(frozen=True)
class Done:
    """What became of a job: a written and checked file, or the reason why there is none."""

    job: Job
    written: Written | None
    error: str

    @property
    def ok(self) -> bool:
        """Whether the file is there and its check found everything as meant."""
        return self.written is not None and self.written.check.ok

    @property
    def finding(self) -> str:
        """One line for a list."""
        return self.written.check.summary() if self.written is not None else self.error


class Remembers(Protocol):
    """What keeps account of a run, so that it can go on after a crash (`journal.Journal`). Called from worker threads."""

    token: str

    def naming(self, job: Job, mark: Mark) -> None:
        """A file is about to get its name."""

    def done(self, done: Done) -> None:
        """A job ended."""


class Forgets:
    """Keeps no account."""

    token = ""

    def naming(self, job: Job, mark: Mark) -> None:
        """Nothing is kept."""

    def done(self, done: Done) -> None:
        """Nothing is kept."""


class Control:
    """Pauses and ends a run from another thread. Files begun are finished, so that nothing is left half written."""

    def __init__(self) -> None:
        self._go = threading.Event()
        self._go.set()
        self._cancelled = threading.Event()

    def pause(self) -> None:
        """Begin no more files until `go_on`."""
        self._go.clear()

    def go_on(self) -> None:
        """Go on after a pause."""
        self._go.set()

    def cancel(self) -> None:
        """Begin no more files and end."""
        self._cancelled.set()
        self._go.set()

    @property
    def paused(self) -> bool:
        """Whether the run pauses."""
        return not self._go.is_set()

    @property
    def cancelled(self) -> bool:
        """Whether the run is to end."""
        return self._cancelled.is_set()

    def may_begin(self) -> bool:
        """Wait while paused; whether another file may be begun."""
        self._go.wait()
        return not self.cancelled


class Pace:
    """How long the rest will take, from the time that files took so far; pauses are not counted."""

    def __init__(self, total: int, now: Callable[[], float] = time.monotonic) -> None:
        self._total, self._now = total, now
        self._since: float | None = now()
        self._spent = 0.0
        self._done = 0

    def pause(self) -> None:
        """The run pauses."""
        if self._since is not None:
            self._spent += self._now() - self._since
            self._since = None

    def go_on(self) -> None:
        """The run goes on."""
        if self._since is None:
            self._since = self._now()

    def finished(self) -> None:
        """One more file is finished."""
        self._done += 1

    @property
    def files_left(self) -> int:
        """How many files are not finished yet."""
        return self._total - self._done

    def left(self) -> float | None:
        """Seconds left; None until the first file is finished."""
        spent = self._spent + (0.0 if self._since is None else self._now() - self._since)
        return spent / self._done * (self._total - self._done) if self._done else None


class _Room:
    """Memory that frames in work share."""

    def __init__(self, total: int) -> None:
        self._total, self._used = total, 0
        self._changed = threading.Condition()

    def take(self, wanted: int) -> None:
        with self._changed:
            self._changed.wait_for(lambda: self._used == 0 or self._used + wanted <= self._total)
            self._used += wanted

    def give_back(self, taken: int) -> None:
        with self._changed:
            self._used -= taken
            self._changed.notify_all()


class _Lent:
    """A frame's pixels for so many files: whoever is the last to ask for them is the only one to hold them, and can let them go."""

    def __init__(self, levels: Levels, files: int) -> None:
        self._levels: Levels | None = levels
        self._left = files

    def __call__(self) -> Levels:
        levels, self._left = self._levels, self._left - 1
        if self._left == 0:
            self._levels = None
        assert levels is not None
        return levels


class _Run:
    """One run's shared things: memory, folders that do not take files, and where results go."""

    def __init__(self, control: Control, told: Callable[[Job, str], None], journal: Remembers) -> None:
        self.control, self.told, self.journal = control, told, journal
        self.results: SimpleQueue[Done | None] = SimpleQueue()
        self.room = _Room(MEMORY)
        self._shut: dict[Path, str] = {}
        self._made: set[Path] = set()
        self._making = threading.Lock()

    def frame(self, jobs: list[Job]) -> None:
        """All files of one frame; None in the results at the end."""
        weight = _weight(jobs)
        try:
            if not self.control.may_begin():
                return
            open_jobs = [j for j in jobs if not self._is_shut(j)]
            if not open_jobs:
                return
            self.room.take(weight)
            try:
                lent = self._decoded(open_jobs)
                if lent is not None:
                    for job in open_jobs:
                        if not self.control.may_begin():
                            return
                        self._end(self._one(job, lent))
            finally:
                self.room.give_back(weight)
        finally:
            self.results.put(None)

    def _end(self, done: Done) -> None:
        self.journal.done(done)
        self.results.put(done)

    def _decoded(self, jobs: list[Job]) -> _Lent | None:
        """The source's pixels for so many files; None, with every job ended, where there are none."""
        first = jobs[0]
        try:
            self.told(first, "decoding")
            if first.digest:
                _check_unchanged(first)
            return _Lent(levels_of(first.source, first.path.source), len(jobs))
        except Exception as error:
            for job in jobs:
                self._end(Done(job, None, _reason(error, job)))
            return None

    def _one(self, job: Job, levels: Callable[[], Levels]) -> Done:
        try:
            self._make_folder(job)
        except OSError as error:
            return Done(job, None, f"{job.out.parent}: the folder cannot be made ({error.strerror or error})")
        try:
            written = hand_off_frame(
                job.source, levels, job.path, job.destination, job.out, replace=job.replace, token=self.journal.token,
                told=lambda stage: self.told(job, stage), naming=lambda mark: self.journal.naming(job, mark),
            )  # fmt: skip
            return Done(job, written, "")
        except Exception as error:
            if isinstance(error, OutputFailed) and not isinstance(error, OutputRefused):
                self._shut[job.out.parent] = error.message
            return Done(job, None, _reason(error, job))

    def _make_folder(self, job: Job) -> None:
        """Make a folder once: one that vanishes later may be a disk that was taken away, whose place is not to be filled."""
        with self._making:
            if job.out.parent not in self._made:
                job.out.parent.mkdir(parents=True, exist_ok=True)
                self._made.add(job.out.parent)

    def _is_shut(self, job: Job) -> bool:
        """Whether the job's folder still does not take files after one could not be written; the job ends then, undecoded."""
        reason = self._shut.get(job.out.parent)
        if reason is None:
            return False
        if _takes_files(job):
            self._shut.pop(job.out.parent, None)
            return False
        self._end(Done(job, None, f"not begun: {reason}"))
        return True


def _reason(error: Exception, job: Job) -> str:
    if isinstance(error, VelkinError):
        return error.message if error.file == job.out else str(error)
    if isinstance(error, MemoryError):
        return f"{job.source.name}: not enough memory to render it"
    return f"{job.source.name}: could not be written ({error.__class__.__name__}: {error})"


def _check_unchanged(job: Job) -> None:
    """Refuse a source that is not the file that came in. Raises UnreadableFile."""
    if not job.source.exists():
        raise UnreadableFile("the file is not there any more", job.source)
    if digest_of(job.source) != job.digest:
        raise UnreadableFile(
            "the file has changed since it came into the shoot; nothing was written of it. Look at it and hand it off as it is now, "
            "or bring the old one back",
            job.source,
        )


def _takes_files(job: Job) -> bool:
    """Whether a folder takes a file and has room for one of about the job's size."""
    try:
        if shutil.disk_usage(job.out.parent).free < max(job.pixels // 2, 1 << 20):
            return False
        with being_written(job.out) as temporary:
            temporary.write_bytes(b"\0" * 4096)
    except (OSError, VelkinError):
        return False
    return True


def _weight(jobs: list[Job]) -> int:
    """Bytes that a frame in work takes at most, about: while it is decoded, or its pixels, a result and that read back."""
    job = jobs[0]
    raw = job.path.is_raw
    source, decoding = (6, 20) if raw else (8, 16)
    results = max(2 * (4 if j.path.destination.model == "cmyk" else 3) * (j.destination.file.bits // 8) for j in jobs)
    whole = 60 if any(j.path.easings for j in jobs) else 0
    return job.pixels * max(decoding, source + results + 3 + whole)


def run(
    jobs: Iterable[Job],
    control: Control | None = None,
    told: Callable[[Job, str], None] = lambda job, stage: None,
    journal: Remembers | None = None,
    at_once: int | None = None,
) -> Iterator[Done]:
    """Write and check every job; results come as they are finished.

    Parameters
    ----------
    jobs : iterable of Job
        Those of one frame follow each other (`jobs.plan_for`).
    control : Control, optional
    told : callable
        Called from the workers with a job and what begins: ``decoding``, ``rendering``, ``writing``, ``checking``.
    journal : Remembers, optional
    at_once : int, optional
        How many frames are worked on beside each other where there is memory for them; None for as many as cores, at most 8.
    """
    of_all = _Run(control or Control(), told, journal or Forgets())
    groups = [list(g) for _, g in itertools.groupby(jobs, key=lambda j: (j.frame, j.source))]
    weights = sorted(_weight(group) for group in groups) or [1]
    fitting = max(1, MEMORY // weights[len(weights) // 2])  # where most have to be alone they have all cores
    workers = min(at_once or min(all_cores(), _MOST_WORKERS), fitting, len(groups) or 1)
    with side_by_side(workers, "handoff") as pool:
        try:
            for group in groups:
                pool.submit(of_all.frame, group)
            ended = 0
            while ended < len(groups):
                done = of_all.results.get()
                if done is None:
                    ended += 1
                else:
                    yield done
        except GeneratorExit:  # whoever asked wants no more of it
            of_all.control.cancel()
            raise
