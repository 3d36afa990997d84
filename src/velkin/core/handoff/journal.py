"""What a run writes down as it goes, so that it can go on where it stopped after a crash.

It stands in the shoot file: which files were planned, which are about to get their names, which are written and checked. A file
that got its name in the very moment of a crash is known again by its mark (inode, bytes, time), which stays when it is named.
"""

from __future__ import annotations

import contextlib
import secrets
import sqlite3
import threading
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

from velkin.core.conversion.effect import intent_name
from velkin.core.destinations.naming import free_name
from velkin.core.errors import ShootError
from velkin.core.files.safely import left_behind
from velkin.core.handoff.jobs import Job, job_of
from velkin.core.handoff.run import Done
from velkin.core.handoff.write import Mark
from velkin.core.icc.space import ICCSpace
from velkin.core.shoot.document import now
from velkin.core.shoot.handoffs import KeptRun, RunFile
from velkin.core.shoot.mapping import to_text
from velkin.core.shoot.process import own_identity
from velkin.core.shoot.state import State
from velkin.core.shoot.written import WrittenDetails


class Journal:
    """The account of one run, kept on a connection of its own; may be used from any thread.

    A shoot file that cannot be written to does not stop the run: `trouble` says what happened.
    """

    def __init__(self, connection: sqlite3.Connection, run: int, token: str, places: dict[Path, int]) -> None:
        self.run, self.token, self.trouble = run, token, ""
        self._connection, self._places = connection, places
        self._lock = threading.Lock()

    @classmethod
    def begin(cls, shoot: Path, jobs: Iterable[Job]) -> Journal:
        """Begin the account of a run.

        Raises
        ------
        ShootError
            When the shoot file cannot be written to.
        """
        try:
            connection = _connect(shoot)
            token = secrets.token_hex(4)
            planned = list(jobs)
            with connection:
                connection.execute("BEGIN IMMEDIATE")
                made = connection.execute(
                    "INSERT INTO runs(begun, token, process) VALUES (?, ?, ?)", (now(), token, own_identity())
                )
                run = int(made.lastrowid or 0)
                connection.executemany(
                    "INSERT INTO run_files(run, position, frame, destination, path, replaces) VALUES (?, ?, ?, ?, ?, ?)",
                    [(run, n, j.frame, j.destination.id, str(j.out), int(j.replace)) for n, j in enumerate(planned)],
                )
        except sqlite3.Error as error:
            raise ShootError(f"the hand-off cannot be noted in the shoot ({error}); nothing was written", shoot) from error
        return cls(connection, run, token, {j.out: n for n, j in enumerate(planned)})

    def naming(self, job: Job, mark: Mark) -> None:
        """A file is about to get its name."""
        self._note("UPDATE run_files SET mark = ?, state = 'naming' WHERE run = ? AND position = ?", _text(mark), job)

    def done(self, done: Done) -> None:
        """A job ended; a written file is remembered for good, and where it failed its check, where it was set aside."""
        with self._kept():
            self._connection.execute(
                "UPDATE run_files SET state = ?, finding = ? WHERE run = ? AND position = ?",
                ("written" if done.ok else "failed", done.finding, self.run, self._places[done.job.out]),
            )
            if done.written is not None:
                self._connection.execute(
                    "INSERT INTO written(frame, destination, path, at, ok, finding, state, run, details) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                    (
                        done.job.frame, done.job.destination.id, str(done.written.out), now(), int(done.ok), done.finding,
                        done.job.state if done.ok else "", self.run, to_text(_details(done)),
                    ),
                )  # fmt: skip

    def end(self, cancelled: bool = False) -> None:
        """The run ended."""
        with self._kept():
            how = "cancelled" if cancelled else "done"
            self._connection.execute("UPDATE runs SET ended = ?, how = ? WHERE id = ?", (now(), how, self.run))
        self.leave()

    def leave(self) -> None:
        """Close the account without ending the run, which can go on later."""
        with self._lock:
            self._connection.close()

    def _note(self, sql: str, value: str, job: Job) -> None:
        with self._kept():
            self._connection.execute(sql, (value, self.run, self._places[job.out]))

    @contextlib.contextmanager
    def _kept(self):  # type: ignore[no-untyped-def]
        with self._lock:
            try:
                with self._connection:
                    self._connection.execute("BEGIN IMMEDIATE")
                    yield
            except sqlite3.Error as error:
                self.trouble = f"the shoot could not note what was written ({error})"


def _connect(shoot: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(shoot, isolation_level=None, timeout=20.0, check_same_thread=False)
    connection.execute("PRAGMA journal_mode = WAL")
    connection.execute("PRAGMA synchronous = NORMAL")  # a lost note is made up for by the mark
    connection.execute("PRAGMA foreign_keys = ON")
    connection.row_factory = sqlite3.Row
    return connection


def _text(mark: Mark) -> str:
    return f"{mark.inode} {mark.bytes} {mark.changed}"


def _details(done: Done) -> WrittenDetails:
    w, job = done.written, done.job
    assert w is not None
    d, space = job.destination, job.path.destination
    intent = ""
    if isinstance(space, ICCSpace):
        intent = intent_name(d.intent) + (", black point compensation" if d.black_point else "")
    return WrittenDetails(
        space.name, d.file.words(), d.size.words(), intent, d.metadata.words(), w.size[0], w.size[1], w.bytes, w.before,
        w.after, job.light, job.profile, tuple((i.about, i.ok, i.finding) for i in w.check.items), w.kept, w.left,
    )  # fmt: skip


# ---- going on -----------------------------------------------------------------------------------------------------


def jobs_left(state: State, run: KeptRun) -> tuple[list[Job], list[RunFile]]:
    """What an interrupted run still has to write, and its files that lie there finished and checked already.

    What it left half written is removed. Frames and destinations that are gone since are passed over; a name that another
    file has taken since gets a number, unless the run was to replace it.
    """
    destinations = {d.id: d for d in state.destinations}
    jobs: list[Job] = []
    finished: list[RunFile] = []
    taken: set[str] = set()
    for folder in {f.path.parent for f in run.files}:
        for leftover in left_behind(folder, run.token):
            with contextlib.suppress(OSError):
                leftover.unlink()
    for file in run.files:
        if file.state == "written" or (file.state == "naming" and _is_named(file)):
            finished.append(file)
            continue
        d = destinations.get(file.destination)
        if d is None or file.frame not in state.frames or state.known_space(d.space_id) is None:
            continue
        if not state.path(file.frame).known:
            continue
        out = file.path if file.replaces else free_name(file.path, taken)
        jobs.append(replace(job_of(state, file.frame, d, out), replace=file.replaces))
    return jobs, finished


def _is_named(file: RunFile) -> bool:
    try:
        return _text(Mark.of(file.path)) == file.mark
    except OSError:
        return False


def close_account(shoot: Path, run: KeptRun, finished: Iterable[RunFile]) -> None:
    """End an interrupted run in the shoot's memory, with the files that were finished in the moment of the crash.

    Raises
    ------
    ShootError
    """
    try:
        connection = _connect(shoot)
        with contextlib.closing(connection), connection:
            connection.execute("BEGIN IMMEDIATE")
            for file in finished:
                if file.state == "naming":
                    finding = "written and checked in the moment of the interruption"
                    connection.execute(
                        "INSERT INTO written(frame, destination, path, at, ok, finding, state, run) VALUES (?, ?, ?, ?, 1, ?, '', ?)",
                        (file.frame, file.destination, str(file.path), now(), finding, run.id),
                    )
                    connection.execute(
                        "UPDATE run_files SET state = 'written', finding = ? WHERE run = ? AND position = ?",
                        (finding, run.id, file.position),
                    )
            connection.execute("UPDATE runs SET ended = ?, how = 'interrupted' WHERE id = ?", (now(), run.id))
    except sqlite3.Error as error:
        raise ShootError(f"the interrupted hand-off cannot be closed in the shoot ({error})", shoot) from error
