"""What a hand-off of a shoot has to write: one job for each frame at each destination, with its name; and what is left out."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from pathlib import Path

from velkin.core.destinations.destination import NUMBER, REPLACE, SKIP, Destination
from velkin.core.destinations.naming import NameFacts, folded, free_name
from velkin.core.errors import NotSupported
from velkin.core.files.facts import FileFacts
from velkin.core.path import ColourPath
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.state import State

#: As `destination.EXISTING`, for callers that must not write beside an existing file either.
REFUSE = "refuse"


@dataclass(frozen=True)
class Job:
    """One file to write.

    Attributes
    ----------
    frame : int
    name : str
    source : Path
    path : ColourPath
        Led to the destination.
    destination : Destination
    out : Path
    replace : bool
        Whether a file of that name may be replaced.
    digest : str
        Hash of the source's bytes when it came in; empty where a changed source is to be used as it is.
    light, profile : str
        What it was made with, in words, for the receipt.
    state : str
        Fingerprint of all that the file depends on.
    pixels : int
        Of the source.
    """

    frame: int
    name: str
    source: Path
    path: ColourPath
    destination: Destination
    out: Path
    replace: bool = False
    digest: str = ""
    light: str = ""
    profile: str = ""
    state: str = ""
    pixels: int = 0


@dataclass(frozen=True)
class NotWritten:
    """A file that will not be written, and why."""

    frame: int
    destination: Destination
    out: Path | None
    why: str


@dataclass(frozen=True)
class Plan:
    """What a run writes, frame by frame, and what it leaves out."""

    jobs: tuple[Job, ...]
    left: tuple[NotWritten, ...]


UNKNOWN = "nothing says what its numbers mean"


def plan_for(
    shoot: Shoot,
    frames: Iterable[int],
    destinations: Iterable[Destination],
    *,
    existing: str | None = None,
    changed_too: bool = False,
) -> Plan:
    """As `planned`, for a shoot as it is now."""
    return planned(shoot.state, shoot.path.parent, frames, destinations, existing=existing, changed_too=changed_too)


def planned(
    state: State,
    home: Path,
    frames: Iterable[int],
    destinations: Iterable[Destination],
    *,
    existing: str | None = None,
    changed_too: bool = False,
    between: Callable[[], object] = lambda: None,
) -> Plan:
    """The files to write for frames × destinations, each with its own name. Looks into folders: for worker threads.

    Parameters
    ----------
    home : Path
        The folder of the shoot file, beside which relative folders lie.
    existing : str, optional
        What happens where a file of the name is there, in place of what each destination says: ``number``, ``skip``,
        ``replace`` or ``refuse`` (the writing will fail).
    changed_too : bool
        Also use sources that have changed since they came in.
    between : callable
        Called between two frames, so that other threads may come to their turn.

    Raises
    ------
    NotSupported
        When a destination cannot be written.
    """
    chosen = tuple(destinations)
    for d in chosen:
        d.check(state.known_space(d.space_id))
    jobs: list[Job] = []
    left: list[NotWritten] = []
    taken: set[str] = set()
    replaces = existing == REPLACE or (existing is None and any(d.existing == REPLACE for d in chosen))
    sources = {os.path.realpath(f.path) for f in state.frames.values()} if replaces else set()
    for number, f in enumerate(frames, start=1):
        between()
        for d in chosen:
            if not state.path(f).known:
                left.append(NotWritten(f, d, None, UNKNOWN))
                continue
            try:
                wanted = d.folder_beside(home) / d.file_name(name_facts(state, f, d, number))
            except NotSupported as error:
                left.append(NotWritten(f, d, None, error.message))
                continue
            how = existing or d.existing
            there = os.path.lexists(wanted) and folded(wanted) not in taken
            if how == SKIP and there:
                left.append(NotWritten(f, d, wanted, "a file of that name is there already"))
                taken.add(folded(wanted))
                continue
            if how == REPLACE and os.path.realpath(wanted) in sources:
                how = NUMBER  # a source is never written, whichever frame's it is
            if how in (REPLACE, REFUSE, SKIP) and folded(wanted) not in taken:
                out = wanted
                taken.add(folded(wanted))
            else:
                out = free_name(wanted, taken)
            job = job_of(state, f, d, out)
            jobs.append(replace(job, replace=how == REPLACE, digest="" if changed_too else job.digest))
    return Plan(tuple(jobs), tuple(left))


def job_of(state: State, frame: int, d: Destination, out: Path) -> Job:
    """The job of a frame at a destination."""
    f = state.frames[frame]
    facts: FileFacts = f.facts
    profile = state.profiles[f.profile].name if f.is_raw and f.profile is not None else ""
    return Job(
        frame, f.name, f.path, state.toward_destination(frame, d), d, out, False, f.digest,
        state.light_of(frame).name, profile, state.fingerprint(frame, d), facts.width * facts.height,
    )  # fmt: skip


def name_facts(state: State, frame: int, d: Destination, number: int) -> NameFacts:
    """What the words of a destination's name pattern stand for."""
    f = state.frames[frame]
    space = state.known_space(d.space_id)
    return NameFacts(
        f.name, number, state.light_of(frame).name, f.facts.exif.taken, state.name, d.name, space.name if space else ""
    )
