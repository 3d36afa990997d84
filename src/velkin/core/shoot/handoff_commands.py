"""What a shoot's commands about destinations change, and what it remembers of files that were handed off."""

from __future__ import annotations

import json
import re
import sqlite3
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

from velkin.core.destinations.destination import Destination
from velkin.core.destinations.destination_file import destination_to_data
from velkin.core.errors import ShootError
from velkin.core.icc.space import Space
from velkin.core.shoot.commands import Commands
from velkin.core.shoot.process import runs_elsewhere
from velkin.core.shoot.state import WrittenDetails, WrittenFile
from velkin.core.spaces.rgb import SRGB

#: More destinations than this help nobody.
MOST_DESTINATIONS = 24


@dataclass(frozen=True)
class RunFile:
    """One file of a run: its place in it, what was planned, and how far it came (``waiting``, ``naming``, ``written``, ``failed``)."""

    position: int
    frame: int
    destination: str
    path: Path
    replaces: bool
    mark: str
    state: str
    finding: str


@dataclass(frozen=True)
class KeptRun:
    """A hand-off run as the shoot remembers it.

    Attributes
    ----------
    id : int
    begun, ended : str
        ISO 8601; `ended` is empty while it runs and after a crash.
    how : str
        ``done`` or ``cancelled``.
    token : str
        Stands in the names of its half-written files.
    process : str
        The identity of the one that writes it.
    files : tuple of RunFile
    """

    id: int
    begun: str
    ended: str
    how: str
    token: str
    process: str
    files: tuple[RunFile, ...]

    @property
    def interrupted(self) -> bool:
        """Whether it neither ended nor still runs in another process."""
        return not self.ended and not runs_elsewhere(self.process)


class HandoffCommands(Commands):
    """The part of `Shoot` about where files go; each command is one undoable step, what was written is none."""

    # ---- destinations -----------------------------------------------------------------------------------------

    def set_destination(self, destination: Destination, space: Space | None = None, joins: bool = False) -> None:
        """Change a destination; `space` is kept in the shoot where it is not built in.

        Raises
        ------
        NotSupported
            For values that cannot be written. One that has no space yet is kept as long as it is not ticked.
        """
        known = self.state.known_space(destination.space_id)
        if space is not None and space.id == destination.space_id:
            known = space
        if destination.ticked:
            destination.check(known)
        else:  # all else is looked at as if it were the commonest space
            replace(destination, space_id=destination.space_id or SRGB.id).check(known or SRGB)
        text = json.dumps(destination_to_data(destination))
        with self._step(f"change the destination {destination.name}", joins):
            if space is not None:
                self._remember(space)
            self._store.run("UPDATE destinations SET json = ? WHERE id = ? AND json <> ?", text, destination.id, text)

    def add_destinations(self, pairs: Iterable[tuple[Destination, Space | None]]) -> list[str]:
        """Add destinations, each with the space that it brings along; ids and names that are taken get a number. Their ids.

        Raises
        ------
        NotSupported
            For one that could not be written to.
        ShootError
            For too many.
        """
        added = list(pairs)
        if len(self.state.destinations) + len(added) > MOST_DESTINATIONS:
            raise ShootError(f"a shoot has up to {MOST_DESTINATIONS} destinations; take one away first")
        ids = {d.id for d in self.state.destinations}
        names = {d.name for d in self.state.destinations}
        made: list[str] = []
        label = f"add the destination {added[0][0].name}" if len(added) == 1 else f"add {len(added)} destinations"
        last = self._store.rows("SELECT max(position) AS last FROM destinations")[0]["last"]
        with self._step(label):
            for number, (d, space) in enumerate(added, start=1):
                fresh = replace(d, id=_free(d.id, ids, "-{}"), name=_free(d.name, names, " {}"))
                if fresh.space_id:
                    fresh.check(space if space is not None and space.id == d.space_id else self.state.known_space(d.space_id))
                else:
                    fresh = replace(fresh, ticked=False)
                if space is not None:
                    self._remember(space)
                self._store.run(
                    "INSERT INTO destinations VALUES (?, ?, ?)",
                    fresh.id,
                    float(last or 0.0) + number,
                    json.dumps(destination_to_data(fresh)),
                )
                made.append(fresh.id)
        return made

    def remove_destination(self, identifier: str) -> None:
        """Take a destination away; what was written to it stays. Raises ShootError for the last one."""
        if len(self.state.destinations) == 1:
            raise ShootError("a shoot keeps at least one destination")
        name = next(d.name for d in self.state.destinations if d.id == identifier)
        with self._step(f"take the destination {name} away"):
            self._store.run("DELETE FROM destinations WHERE id = ?", identifier)

    # ---- what was written -------------------------------------------------------------------------------------

    def written(self, frame: int | None = None, run: int | None = None) -> list[WrittenFile]:
        """Files handed off, oldest first; of one frame, of one run, or of all."""
        where = ""
        if frame is not None:
            where = f" WHERE frame = {int(frame)}"
        elif run is not None:
            where = f" WHERE run = {int(run)}"
        return [_written_of(r) for r in self._store.rows(f"SELECT * FROM written{where} ORDER BY id")]

    def handed_off(self) -> frozenset[int]:
        """The frames of which a file was written that passed its check."""
        return frozenset(r["frame"] for r in self._store.rows("SELECT DISTINCT frame FROM written WHERE ok"))

    def has_written(self) -> bool:
        """Whether any file was handed off."""
        return bool(self._store.rows("SELECT 1 FROM written LIMIT 1"))

    def runs(self) -> list[KeptRun]:
        """Hand-off runs, the latest first, without their files."""
        return [
            KeptRun(r["id"], r["begun"], r["ended"] or "", r["how"], r["token"], str(r["process"]), ())
            for r in self._store.rows("SELECT * FROM runs ORDER BY id DESC")
        ]

    def run_with_files(self, run: int) -> KeptRun:
        """A run with its files. Raises ShootError where there is none of that number."""
        found = next((r for r in self.runs() if r.id == run), None)
        if found is None:
            raise ShootError(f"the shoot remembers no hand-off number {run}", self._store.path)
        files = tuple(
            RunFile(
                r["position"], r["frame"], r["destination"], Path(r["path"]), bool(r["replaces"]), r["mark"], r["state"],
                r["finding"],
            )
            for r in self._store.rows("SELECT * FROM run_files WHERE run = ? ORDER BY position", run)
        )  # fmt: skip
        return replace(found, files=files)

    def interrupted(self) -> KeptRun | None:
        """The latest run, with its files, where it was cut off by a crash and can go on."""
        latest = next(iter(self.runs()), None)
        if latest is None or not latest.interrupted:
            return None
        return self.run_with_files(latest.id)

    def give_up(self, run: int) -> None:
        """Do not go on with an interrupted run."""
        with self._store.plain():
            self._store.run("UPDATE runs SET ended = begun, how = 'given up' WHERE id = ? AND ended IS NULL", run)


def _written_of(r: sqlite3.Row) -> WrittenFile:
    data = json.loads(r["details"])
    details = None
    if data:
        details = WrittenDetails(**{**data, "checks": tuple((a, bool(o), f) for a, o, f in data["checks"])})
    return WrittenFile(
        r["frame"], r["destination"], Path(r["path"]), r["at"], bool(r["ok"]), r["finding"], r["state"], r["run"], details
    )


def _free(wanted: str, taken: set[str], tail: str) -> str:
    """A word that is not taken, by a number at its end; it is taken then."""
    base = re.sub(re.escape(tail.format("#")).replace(r"\#", r"\d+") + "$", "", wanted)
    found, number = wanted, 2
    while found in taken:
        found, number = base + tail.format(number), number + 1
    taken.add(found)
    return found
