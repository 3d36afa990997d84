"""What a hand-off of a shoot has to write, and remembering what was written."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from pathlib import Path

from velkin.core.handoff.destination import Destination
from velkin.core.handoff.run import Done, Job, free_name
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.state import WrittenFile


def jobs_for(shoot: Shoot, frames: Iterable[int], destinations: Iterable[Destination], number_taken: bool = True) -> list[Job]:
    """The files to write for frames × destinations, each with its own name; frames whose numbers mean nothing known are left out.

    Parameters
    ----------
    number_taken : bool
        Give a name that is taken on the disk a number; otherwise keep it, and let the writing refuse or replace it.

    Raises
    ------
    NotSupported
        When a destination cannot be written.
    """
    state = shoot.state
    jobs: list[Job] = []
    taken: set[Path] = set()
    for destination in destinations:
        destination.check()
        folder = shoot.folder_of(destination)
        for number, identifier in enumerate(frames, start=1):
            if not state.path(identifier).known:
                continue
            frame = state.frames[identifier]
            wanted = folder / destination.file_name(frame.name, number)
            if number_taken or wanted in taken:
                out = free_name(wanted, taken)
            else:
                out = wanted
                taken.add(out)
            path = state.toward(state.path(identifier), identifier, destination.space)
            jobs.append(Job(identifier, frame.name, frame.path, path, destination, out))
    return jobs


def unsettled(shoot: Shoot, frames: Iterable[int]) -> list[int]:
    """Frames that no hand-off writes: nothing says what their numbers mean."""
    return [f for f in frames if not shoot.state.path(f).known]


def record(shoot: Shoot, done: Done) -> None:
    """Remember a written file in the shoot; failures leave no trace there."""
    if done.written is None:
        return
    state = shoot.state.fingerprint(done.job.frame, done.job.destination) if done.job.frame in shoot.state.frames else ""
    at = datetime.now().astimezone().isoformat(timespec="seconds")
    shoot.record_written(WrittenFile(done.job.frame, done.job.destination.id, done.job.out, at, done.ok, done.finding, state))
