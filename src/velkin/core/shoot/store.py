"""The shoot file: SQLite with write-ahead log, forward migrations, and undo that outlives the program.

Undo follows the "automatic undo/redo" pattern described in SQLite's documentation: triggers on every table of decisions
write the inverse of each change into a log; a step is what one command changed. Undoing a step runs its inverses, while the
same triggers record how to redo it. Of each row a step keeps the first inverse alone: it brings the row back to how the step found
it, whatever happened to it since, so that a drag of a hundred moments costs no more than one.
"""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import sqlite3
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

from velkin.core.errors import OutputFailed, OutputRefused, ShootError
from velkin.core.files.safely import being_written, publish

_APPLICATION = 0x564C4B4E  # "VLKN"
_NEWER = "this shoot was written by a newer Velkin; it was left untouched"
_VERSION = 8

#: Hand-off runs, as version 5 brought them.
_RUNS = """
CREATE TABLE runs (
    id INTEGER PRIMARY KEY AUTOINCREMENT, begun TEXT NOT NULL, ended TEXT, how TEXT NOT NULL DEFAULT '', token TEXT NOT NULL,
    process TEXT NOT NULL);
CREATE TABLE run_files (
    run INTEGER NOT NULL REFERENCES runs(id) ON DELETE CASCADE, position INTEGER NOT NULL, frame INTEGER NOT NULL,
    destination TEXT NOT NULL, path TEXT NOT NULL, replaces INTEGER NOT NULL, mark TEXT NOT NULL DEFAULT '',
    state TEXT NOT NULL DEFAULT 'waiting', finding TEXT NOT NULL DEFAULT '', PRIMARY KEY (run, position));
"""

#: Looks, as version 7 brought them.
_LOOKS = """
CREATE TABLE looks (id INTEGER PRIMARY KEY, json TEXT NOT NULL);
CREATE TABLE given_looks (
    frame INTEGER PRIMARY KEY REFERENCES frames(id) ON DELETE CASCADE, look INTEGER NOT NULL REFERENCES looks(id),
    strength REAL NOT NULL, place TEXT);
"""

_SCHEMA = (
    """
CREATE TABLE facts (key TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE profiles (id INTEGER PRIMARY KEY, name TEXT NOT NULL, camera TEXT NOT NULL, json TEXT NOT NULL);
CREATE TABLE lights (
    id INTEGER PRIMARY KEY, position REAL NOT NULL, name TEXT NOT NULL, profile INTEGER REFERENCES profiles(id),
    gift TEXT);
CREATE TABLE charts (id TEXT PRIMARY KEY, json TEXT NOT NULL);
CREATE TABLE frames (
    id INTEGER PRIMARY KEY, light INTEGER NOT NULL REFERENCES lights(id), position REAL NOT NULL, name TEXT NOT NULL,
    path TEXT NOT NULL, digest TEXT NOT NULL, role TEXT NOT NULL DEFAULT 'subject', facts TEXT NOT NULL,
    balance TEXT, balance_from TEXT NOT NULL DEFAULT 'as shot', exposure REAL NOT NULL DEFAULT 0,
    profile INTEGER REFERENCES profiles(id), neutral TEXT,
    kind TEXT NOT NULL DEFAULT 'raw', held TEXT NOT NULL DEFAULT '', ledger TEXT NOT NULL DEFAULT '[]',
    pins TEXT NOT NULL DEFAULT '[]', warmer INTEGER NOT NULL DEFAULT 0, pinker INTEGER NOT NULL DEFAULT 0);
CREATE TABLE spaces (id TEXT PRIMARY KEY, json TEXT NOT NULL);
CREATE TABLE readings (frame INTEGER PRIMARY KEY REFERENCES frames(id) ON DELETE CASCADE, json TEXT NOT NULL);
CREATE TABLE fields (frame INTEGER PRIMARY KEY REFERENCES frames(id) ON DELETE CASCADE, json TEXT NOT NULL);
CREATE TABLE easings (frame INTEGER PRIMARY KEY REFERENCES frames(id) ON DELETE CASCADE, json TEXT NOT NULL);
CREATE TABLE destinations (id TEXT PRIMARY KEY, position REAL NOT NULL, json TEXT NOT NULL);
CREATE TABLE written (
    id INTEGER PRIMARY KEY, frame INTEGER NOT NULL, destination TEXT NOT NULL, path TEXT NOT NULL, at TEXT NOT NULL,
    ok INTEGER NOT NULL, finding TEXT NOT NULL, state TEXT NOT NULL, run INTEGER, details TEXT NOT NULL DEFAULT '{}');
"""
    + _RUNS
    + _LOOKS
    + """CREATE TABLE steps (id INTEGER PRIMARY KEY AUTOINCREMENT, label TEXT NOT NULL, undone INTEGER NOT NULL DEFAULT 0);
CREATE TABLE inverses (
    id INTEGER PRIMARY KEY AUTOINCREMENT, step INTEGER NOT NULL, sql TEXT NOT NULL, what TEXT NOT NULL DEFAULT '', row INTEGER);
CREATE TABLE recording (step INTEGER);
INSERT INTO recording VALUES (NULL);
CREATE INDEX inverses_by_step ON inverses(step, what, row);
CREATE INDEX frames_by_light ON frames(light, position);
CREATE INDEX written_by_frame ON written(frame, destination);
CREATE INDEX written_by_run ON written(run);
"""
)

#: Decisions that can be undone; `written`, `runs` and `run_files` hold facts about files outside and cannot.
_UNDOABLE = (
    "facts",
    "profiles",
    "lights",
    "frames",
    "readings",
    "destinations",
    "charts",
    "spaces",
    "easings",
    "looks",
    "given_looks",
    "fields",
)

#: What brings a shoot of each earlier version to the next one; triggers are made anew after it.
_MIGRATIONS = {
    1: """
ALTER TABLE lights ADD COLUMN gift TEXT;
ALTER TABLE frames ADD COLUMN neutral TEXT;
CREATE TABLE charts (id TEXT PRIMARY KEY, json TEXT NOT NULL);
""",
    2: """
ALTER TABLE frames ADD COLUMN kind TEXT NOT NULL DEFAULT 'raw';
ALTER TABLE frames ADD COLUMN held TEXT NOT NULL DEFAULT '';
ALTER TABLE frames ADD COLUMN ledger TEXT NOT NULL DEFAULT '[]';
ALTER TABLE frames ADD COLUMN pins TEXT NOT NULL DEFAULT '[]';
CREATE TABLE spaces (id TEXT PRIMARY KEY, json TEXT NOT NULL);
""",
    3: """
CREATE TABLE easings (frame INTEGER PRIMARY KEY REFERENCES frames(id) ON DELETE CASCADE, json TEXT NOT NULL);
""",
    4: """
ALTER TABLE written ADD COLUMN run INTEGER;
ALTER TABLE written ADD COLUMN details TEXT NOT NULL DEFAULT '{}';
CREATE INDEX written_by_run ON written(run);
"""
    + _RUNS,
    5: """
ALTER TABLE inverses ADD COLUMN what TEXT NOT NULL DEFAULT '';
ALTER TABLE inverses ADD COLUMN row INTEGER;
DROP INDEX inverses_by_step;
CREATE INDEX inverses_by_step ON inverses(step, what, row);
""",
    6: _LOOKS,
    7: """
ALTER TABLE frames ADD COLUMN warmer INTEGER NOT NULL DEFAULT 0;
ALTER TABLE frames ADD COLUMN pinker INTEGER NOT NULL DEFAULT 0;
CREATE TABLE fields (frame INTEGER PRIMARY KEY REFERENCES frames(id) ON DELETE CASCADE, json TEXT NOT NULL);
""",
}


def _triggers(connection: sqlite3.Connection) -> list[str]:
    parts: list[str] = []
    for table in _UNDOABLE:
        columns = [row[1] for row in connection.execute(f"PRAGMA table_info({table})")]
        names = ",".join(columns)
        values = "||','||".join(f"quote(old.{c})" for c in columns)
        again = ",".join(f"{c}=excluded.{c}" for c in columns)
        absent = f"'DELETE FROM {table} WHERE rowid='||new.rowid"
        present = (
            f"'INSERT INTO {table}(rowid,{names}) VALUES('||old.rowid||','||{values}||') ON CONFLICT DO UPDATE SET {again}'"
        )
        for event, row, inverse in (
            ("AFTER INSERT", "new", absent),
            ("AFTER UPDATE", "old", present),
            ("BEFORE DELETE", "old", present),
        ):
            parts.append(
                f"CREATE TRIGGER undo_{event.split()[1].lower()}_{table} {event} ON {table} "
                f"WHEN (SELECT step FROM recording) IS NOT NULL AND NOT EXISTS (SELECT 1 FROM inverses WHERE "
                f"step = (SELECT step FROM recording) AND what = '{table}' AND row = {row}.rowid) BEGIN "
                f"INSERT INTO inverses(step, sql, what, row) SELECT step, {inverse}, '{table}', {row}.rowid FROM recording; END;"
            )
    return parts


def _touch_triggers() -> list[str]:
    """Triggers of this connection alone that note which rows its changes touch, so that only those are read again."""
    parts = ["CREATE TEMP TABLE touched (what TEXT NOT NULL, row INTEGER NOT NULL)"]
    for table in _UNDOABLE:
        for event, row in (("INSERT", "new"), ("UPDATE", "new"), ("DELETE", "old")):
            parts.append(
                f"CREATE TEMP TRIGGER touch_{event}_{table} AFTER {event} ON main.{table} BEGIN "
                f"INSERT INTO touched VALUES ('{table}', {row}.rowid); END"
            )
    return parts


class Store:
    """An open shoot file. Use it from one thread at a time."""

    def __init__(self, path: Path, connection: sqlite3.Connection) -> None:
        self.path = path
        self._connection = connection
        #: Why the shoot can be looked at only; empty where it can be changed.
        self.look_only = ""
        for statement in _touch_triggers():
            connection.execute(statement)
        self._version = self._data_version()

    # ---- opening ----------------------------------------------------------------------------------------------

    @classmethod
    def create(cls, path: Path, contents: Iterable[tuple[str, tuple[object, ...]]] = ()) -> Store:
        """A new shoot file with its first contents (statements and their values); whole under its name, or not there at all.

        Raises
        ------
        OutputRefused
            When the name is taken.
        ShootError
            When the folder cannot be written.
        """
        if os.path.lexists(path):
            raise OutputRefused("there is a file of that name already; the new shoot was not made", path)
        try:
            with being_written(path) as partial:
                with contextlib.closing(sqlite3.connect(partial)) as connection, connection:
                    connection.executescript(_SCHEMA)
                    connection.executescript("\n".join(_triggers(connection)))
                    for statement, values in contents:
                        connection.execute(statement, values)
                    connection.execute(f"PRAGMA application_id = {_APPLICATION}")
                    connection.execute(f"PRAGMA user_version = {_VERSION}")
                publish(partial, path, replace=False)
            return cls(path, cls._connect(path))
        except (sqlite3.Error, OutputFailed) as error:
            why = error.message if isinstance(error, OutputFailed) else str(error)
            raise ShootError(f"the shoot cannot be made there ({why})", path) from error

    @classmethod
    def open(cls, path: Path) -> Store:
        """An existing shoot file, checked before anything is changed in it.

        Raises
        ------
        ShootError
            When it is missing, no shoot, damaged, or from a newer version; then it was left untouched.
        """
        if not path.is_file():
            raise ShootError("there is no such shoot file", path)
        try:
            with path.open("rb") as stream:
                head = stream.read(100)
        except OSError as error:
            raise ShootError(f"the shoot file cannot be read ({error.strerror})", path) from error
        # looked at before SQLite is, which would turn an empty file into a database
        if head[:16] != b"SQLite format 3\0" or head[68:72] != _APPLICATION.to_bytes(4, "big"):
            raise ShootError("this is not a Velkin shoot; it was left untouched", path)
        if int.from_bytes(head[60:64], "big") > _VERSION:
            raise ShootError(_NEWER, path)
        connection: sqlite3.Connection | None = None
        try:
            connection = cls._connect(path)
            version = connection.execute("PRAGMA user_version").fetchone()[0]
            if version > _VERSION:
                raise ShootError(_NEWER, path)
            sound = connection.execute("PRAGMA quick_check(1)").fetchone()[0]
            if sound != "ok":
                raise ShootError(
                    f"the shoot file is damaged ({sound}); open the copy {backup_path(path).name} next to it", path
                )
            cls._migrate(connection, version, path)
            return cls(path, connection)
        except BaseException as error:
            if connection is not None:
                connection.close()
            if isinstance(error, sqlite3.DatabaseError):
                raise ShootError(f"this is not a Velkin shoot, or it is damaged ({error})", path) from error
            raise

    @staticmethod
    def _migrate(connection: sqlite3.Connection, version: int, path: Path) -> None:
        """Bring a shoot of an earlier version to this one, whole or not at all; a copy as it was is kept next to it."""
        if version == _VERSION:
            return
        kept = path.with_name(f"{path.stem} (version {version}){path.suffix}")
        if not kept.exists():
            with being_written(kept) as partial:
                with contextlib.closing(sqlite3.connect(partial)) as copy:
                    connection.backup(copy)
                publish(partial, kept, replace=False)
        triggers = [r[0] for r in connection.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'")]
        try:
            connection.execute("BEGIN IMMEDIATE")
            for name in triggers:
                connection.execute(f"DROP TRIGGER {name}")
            for earlier in range(version, _VERSION):
                for statement in _MIGRATIONS[earlier].split(";"):
                    connection.execute(statement)
            for trigger in _triggers(connection):
                connection.execute(trigger)
            connection.execute(f"PRAGMA user_version = {_VERSION}")
            connection.execute("COMMIT")
        except sqlite3.Error:
            with contextlib.suppress(sqlite3.Error):
                connection.execute("ROLLBACK")
            raise

    @staticmethod
    def _connect(path: Path) -> sqlite3.Connection:
        # opened by one thread and used by another, never by two at once
        connection = sqlite3.connect(path, isolation_level=None, timeout=5.0, check_same_thread=False)
        connection.row_factory = sqlite3.Row
        connection.execute("PRAGMA journal_mode = WAL")
        connection.execute("PRAGMA synchronous = NORMAL")  # kept whole by every commit; `settle` brings it onto the disk itself
        connection.execute("PRAGMA foreign_keys = ON")
        connection.execute("PRAGMA recursive_triggers = ON")  # else INSERT OR REPLACE would delete unseen by undo
        return connection

    def settle(self) -> None:
        """Bring all changes onto the disk itself, so that they outlive a power cut too; from any thread, as it may take long.

        Whatever ends the program, a change that was made is there from the moment its command returns. Raises ShootError.
        """
        try:
            log = os.open(f"{self.path}-wal", os.O_RDONLY)
        except FileNotFoundError:
            return  # all of it is in the file, which SQLite has brought onto the disk
        except OSError as error:
            raise ShootError(f"its last changes may not be on the disk yet ({error.strerror})", self.path) from error
        try:
            os.fsync(log)
        except OSError as error:
            raise ShootError(f"its last changes may not be on the disk ({error.strerror})", self.path) from error
        finally:
            os.close(log)

    def close(self) -> None:
        """Close the file; what is in its log comes into it and onto the disk."""
        self._connection.close()

    # ---- what changed -----------------------------------------------------------------------------------------

    def _data_version(self) -> int:
        """A number that is another one after any other connection changed the file (SQLite's PRAGMA data_version)."""
        with self._reading():
            return int(self._connection.execute("PRAGMA data_version").fetchone()[0])

    def changed_elsewhere(self) -> bool:
        """Whether another connection changed the file since `touched` was asked last."""
        return self._data_version() != self._version

    def touched(self) -> dict[str, set[int]] | None:
        """Row ids by table that were changed since this was asked last; None where another connection changed the file too."""
        version = self._data_version()
        with self._reading():
            if version != self._version:
                self._version = version
                self._connection.execute("DELETE FROM touched")
                return None
            found: dict[str, set[int]] = {}
            for what, row in self._connection.execute("SELECT DISTINCT what, row FROM touched"):
                found.setdefault(what, set()).add(row)
            if found:
                self._connection.execute("DELETE FROM touched")
        return found

    @contextlib.contextmanager
    def _reading(self) -> Iterator[None]:
        """What SQLite cannot read comes as an error of Velkin's."""
        try:
            yield
        except sqlite3.Error as error:
            raise ShootError(f"the shoot could not be read ({error}); nothing was changed in it", self.path) from error

    # ---- reading and changing ---------------------------------------------------------------------------------

    def many(self, sql: str, values: list[tuple[object, ...]]) -> None:
        """The same change for many rows, inside a step or a `plain` transaction."""
        self._connection.executemany(sql, values)

    def rows(self, sql: str, *values: object) -> list[sqlite3.Row]:
        """The rows of a query. Raises ShootError when they cannot be read."""
        with self._reading():
            return self._connection.execute(sql, values).fetchall()

    def rows_at_once(self, columns: tuple[str, ...], source: str) -> list[dict[str, Any]]:
        """Rows of a query by column, fetched as one: fetched one by one each waits for whatever other threads compute.

        Columns hold text, whole numbers or nothing; other numbers would lose their last digits on the way.
        """
        row = f"json_group_array(json_array({', '.join(columns)}))"
        with self._reading():
            text = self._connection.execute(f"SELECT {row} FROM ({source})").fetchone()[0]
        return [dict(zip(columns, values, strict=True)) for values in json.loads(text)]

    def run(self, sql: str, *values: object) -> int:
        """One change inside a step or a `plain` transaction; the id of an inserted row."""
        return int(self._connection.execute(sql, values).lastrowid or 0)

    @contextlib.contextmanager
    def _transaction(self) -> Iterator[None]:
        if self.look_only:
            raise ShootError(self.look_only, self.path)
        try:
            self._connection.execute("BEGIN IMMEDIATE")
            self._connection.execute("PRAGMA defer_foreign_keys = ON")
            yield
            self._connection.execute("COMMIT")
        except sqlite3.Error as error:
            self._rollback()
            raise ShootError(f"the shoot could not be changed ({error}); it is as it was", self.path) from error
        except BaseException:
            self._rollback()
            raise

    def _rollback(self) -> None:
        with contextlib.suppress(sqlite3.Error):
            self._connection.execute("ROLLBACK")

    @contextlib.contextmanager
    def plain(self) -> Iterator[None]:
        """A transaction that is no decision and cannot be undone."""
        with self._transaction():
            yield

    @contextlib.contextmanager
    def step(self, label: str, joins: bool = False) -> Iterator[None]:
        """One undoable step: all changes inside are kept together or not at all; `joins` adds them to the last step of this label."""
        with self._transaction():
            last = self.rows("SELECT id, label FROM steps WHERE undone = 0 ORDER BY id DESC LIMIT 1")
            joined = joins and bool(last) and last[0]["label"] == label
            step = int(last[0]["id"]) if joined else self.run("INSERT INTO steps(label) VALUES (?)", label)
            self.run("UPDATE recording SET step = ?", step)
            yield
            self.run("UPDATE recording SET step = NULL")
            if self.rows("SELECT 1 FROM inverses WHERE step = ? LIMIT 1", step):
                self.run("DELETE FROM inverses WHERE step IN (SELECT id FROM steps WHERE undone = 1)")
                self.run("DELETE FROM steps WHERE undone = 1")
            else:  # what changed nothing is no step, and what was undone can still be done again
                self.run("DELETE FROM steps WHERE id = ?", step)

    # ---- undo -------------------------------------------------------------------------------------------------

    def undo_label(self) -> str | None:
        """What would be undone."""
        rows = self.rows("SELECT label FROM steps WHERE undone = 0 ORDER BY id DESC LIMIT 1")
        return str(rows[0][0]) if rows else None

    def redo_label(self) -> str | None:
        """What would be done again."""
        rows = self.rows("SELECT label FROM steps WHERE undone = 1 ORDER BY id LIMIT 1")
        return str(rows[0][0]) if rows else None

    def undo(self) -> str | None:
        """Undo the last step; its label, or None when there is none."""
        return self._reverse("SELECT id, label FROM steps WHERE undone = 0 ORDER BY id DESC LIMIT 1", 1)

    def redo(self) -> str | None:
        """Do the step undone last once more; its label, or None when there is none."""
        return self._reverse("SELECT id, label FROM steps WHERE undone = 1 ORDER BY id LIMIT 1", 0)

    def _reverse(self, which: str, undone: int) -> str | None:
        with self._transaction():
            found = self.rows(which)
            if not found:
                return None
            step, label = int(found[0][0]), str(found[0][1])
            inverses = [str(r[0]) for r in self.rows("SELECT sql FROM inverses WHERE step = ? ORDER BY id DESC", step)]
            self.run("DELETE FROM inverses WHERE step = ?", step)
            self.run("UPDATE recording SET step = ?", step)
            for sql in inverses:
                self.run(sql)
            self.run("UPDATE recording SET step = NULL")
            self.run("UPDATE steps SET undone = ? WHERE id = ?", undone, step)
        return label


def backup(path: Path) -> None:
    """A complete copy next to a shoot, replaced in one step; whether the shoot is open and changing does not matter.

    Raises
    ------
    ShootError
        When the shoot's file is gone or the folder cannot be written; an older copy is as it was.
    """
    target = backup_path(path)
    partial = target.with_name(target.name + ".part")
    own_file = f"{path.absolute().as_uri()}?mode=rw"  # a file that is gone is not made anew, empty
    try:
        with (
            contextlib.closing(sqlite3.connect(own_file, uri=True)) as own,
            contextlib.closing(sqlite3.connect(partial)) as copy,
        ):
            own.backup(copy)
        publish(partial, target, replace=True)
    except (sqlite3.Error, OSError) as error:
        with contextlib.suppress(OSError):
            partial.unlink()
        raise ShootError(f"the backup copy could not be written ({error})", target) from error


def restore(path: Path) -> Path:
    """Put the backup copy in the place of a shoot that is closed; where the shoot's file lies now. Nothing is lost.

    Raises
    ------
    ShootError
        When there is no backup, it is damaged, or the folder cannot be written; then everything is as it was.
    """
    copy = backup_path(path)
    if not copy.is_file():
        raise ShootError("there is no backup copy of this shoot yet", copy)
    Store.open(copy).close()  # a damaged one is refused
    kept = path.with_name(f"{path.stem} (before restoring){path.suffix}")
    number = 2
    while os.path.lexists(kept):
        kept, number = path.with_name(f"{path.stem} (before restoring {number}){path.suffix}"), number + 1
    partial = path.with_name(path.name + ".part")
    try:
        shutil.copyfile(copy, partial)
        os.replace(path, kept)
        publish(partial, path, replace=True)
    except OSError as error:
        with contextlib.suppress(OSError):
            partial.unlink()
        raise ShootError(f"the backup copy could not be put back ({error.strerror}); the shoot is as it was", path) from error
    return kept


def backup_path(path: Path) -> Path:
    """Where the backup copy of a shoot lies."""
    return path.with_name(path.stem + " (backup)" + path.suffix)
