"""What a shoot remembers of files that were handed off, and of the runs that wrote them."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass, replace
from pathlib import Path

from velkin.core.errors import ShootError
from velkin.core.shoot.document import Document
from velkin.core.shoot.mapping import from_data
from velkin.core.shoot.process import runs_elsewhere
from velkin.core.shoot.written import WrittenDetails, WrittenFile


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


class Handoffs:
    """The part of a shoot that remembers hand-offs: files written and runs. None of it is undone."""

    def __init__(self, document: Document) -> None:
        self._document = document

    def written(self, frame: int | None = None, run: int | None = None) -> list[WrittenFile]:
        """Files handed off, oldest first; of one frame, of one run, or of all."""
        where = ""
        if frame is not None:
            where = f" WHERE frame = {int(frame)}"
        elif run is not None:
            where = f" WHERE run = {int(run)}"
        return [_written_of(r) for r in self._document.store.rows(f"SELECT * FROM written{where} ORDER BY id")]

    def handed_off(self) -> frozenset[int]:
        """The frames of which a file was written that passed its check."""
        return frozenset(r["frame"] for r in self._document.store.rows("SELECT DISTINCT frame FROM written WHERE ok"))

    def notes(self, frame: int | None = None) -> dict[int, dict[str, str]]:
        """The fingerprints taken with the latest file of each frame, or of one, for each destination, by frame and destination."""
        found: dict[int, dict[str, str]] = {}
        where = "" if frame is None else f" WHERE frame = {int(frame)}"
        for r in self._document.store.rows(f"SELECT frame, destination, state FROM written{where} ORDER BY id"):
            found.setdefault(r["frame"], {})[r["destination"]] = r["state"]
        return found

    def has_written(self) -> bool:
        """Whether any file was handed off."""
        return bool(self._document.store.rows("SELECT 1 FROM written LIMIT 1"))

    def runs(self) -> list[KeptRun]:
        """Hand-off runs, the latest first, without their files."""
        return [
            KeptRun(r["id"], r["begun"], r["ended"] or "", r["how"], r["token"], str(r["process"]), ())
            for r in self._document.store.rows("SELECT * FROM runs ORDER BY id DESC")
        ]

    def run_with_files(self, run: int) -> KeptRun:
        """A run with its files. Raises ShootError where there is none of that number."""
        found = next((r for r in self.runs() if r.id == run), None)
        if found is None:
            raise ShootError(f"the shoot remembers no hand-off number {run}", self._document.store.path)
        files = tuple(
            RunFile(
                r["position"], r["frame"], r["destination"], Path(r["path"]), bool(r["replaces"]), r["mark"], r["state"],
                r["finding"],
            )
            for r in self._document.store.rows("SELECT * FROM run_files WHERE run = ? ORDER BY position", run)
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
        with self._document.store.plain():
            self._document.store.run("UPDATE runs SET ended = begun, how = 'given up' WHERE id = ? AND ended IS NULL", run)


def _written_of(r: sqlite3.Row) -> WrittenFile:
    data = json.loads(r["details"])
    details = None
    if data:
        details = from_data(data, WrittenDetails)
    return WrittenFile(
        r["frame"], r["destination"], Path(r["path"]), r["at"], bool(r["ok"]), r["finding"], r["state"], r["run"], details
    )
