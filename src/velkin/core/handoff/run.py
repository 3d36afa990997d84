"""A hand-off run: many frames to their destinations on all cores, one bad file never stopping the rest."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass
from pathlib import Path

from velkin.core.errors import VelkinError
from velkin.core.handoff.destination import Destination
from velkin.core.handoff.write import Written, hand_off_frame
from velkin.core.path import ColourPath


@dataclass(frozen=True)
class Job:
    """One file to write."""

    frame: int
    name: str
    source: Path
    path: ColourPath
    destination: Destination
    out: Path


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


def free_name(wanted: Path, taken: set[Path]) -> Path:
    """A path that neither exists nor is taken by another job: the wanted one, else with -2, -3 …"""
    number, candidate = 1, wanted
    while candidate in taken or os.path.lexists(candidate):
        number += 1
        candidate = wanted.with_name(f"{wanted.stem}-{number}{wanted.suffix}")
    taken.add(candidate)
    return candidate


def _one(job: Job, replace: bool) -> Done:
    try:
        job.out.parent.mkdir(parents=True, exist_ok=True)
        return Done(job, hand_off_frame(job.source, job.path, job.destination, job.out, replace), "")
    except VelkinError as error:
        return Done(job, None, str(error))
    except OSError as error:
        return Done(job, None, f"{job.out.parent}: the folder cannot be made ({error.strerror or error})")
    except MemoryError:
        return Done(job, None, f"{job.source.name}: not enough memory to render it")


def run(jobs: list[Job], replace: bool = False, cancelled: Callable[[], bool] = lambda: False) -> Iterator[Done]:
    """Write and check every job; results come as they are finished.

    Parameters
    ----------
    jobs : list of Job
    replace : bool
        Whether existing files may be replaced.
    cancelled : callable
        Asked before each file is begun; files begun are finished, so that nothing is left half written.
    """
    workers = max(os.cpu_count() or 1, 1)
    with ThreadPoolExecutor(max_workers=workers, thread_name_prefix="handoff") as pool:
        waiting = iter(jobs)
        running: set[Future[Done]] = set()
        while True:
            while len(running) < workers and not cancelled() and (job := next(waiting, None)) is not None:
                running.add(pool.submit(_one, job, replace))
            if not running:
                return
            finished, running = wait(running, return_when=FIRST_COMPLETED)
            for future in finished:
                yield future.result()
