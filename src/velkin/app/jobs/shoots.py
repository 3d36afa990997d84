"""Shoots: opened, made, backed up and closed; reading a large one is done aside."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QTimer, pyqtSignal

from velkin.app.jobs.handoff import Handoff
from velkin.app.jobs.importing import Importing
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Ground, Work
from velkin.core.errors import VelkinError
from velkin.core.shoot.hold import Hold
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.store import backup, restore

_BACKUP_MINUTES = 10


_ELSEWHERE = (
    "it is open in another window, so that it can be looked at here and not changed. Close it there, then open it again"
)


@dataclass(frozen=True)
class _Opened:
    """A shoot that was read, the hold that was taken on it, and whether it is the one that was open already."""

    shoot: Shoot
    hold: Hold | None
    again: bool


class Shoots(Work):
    """The shoot that is open."""

    opening = pyqtSignal(str)  # the name of a shoot that is being read; empty when it is there

    def __init__(self, ground: Ground, handoff: Handoff, importing: Importing) -> None:
        super().__init__(ground)
        self._handoff = handoff
        self._importing = importing
        self._hold: Hold | None = None
        #: Whether the open shoot may be left; the window asks where typed work would be lost.
        self.may_leave: Callable[[], bool] = lambda: True
        #: Shoots that are to be closed, those of which a backup copy is to be written, and whose turn it is to do so.
        self._to_close: list[Shoot] = []
        self._to_back_up: set[Path] = set()
        self._turn = threading.Lock()
        self._model.let_go = self._close_aside
        self._backup_due = QTimer(self)
        self._backup_due.setInterval(_BACKUP_MINUTES * 60 * 1000)
        self._backup_due.timeout.connect(self.backup)
        self._backup_due.start()

    def open(self, path: Path, done: Callable[[bool], None] = lambda opened: None) -> None:
        """Open a shoot file; `done` is told whether it was, and the reason is shown where it was not."""
        self._open(path, Shoot.open, done)

    def new(self, path: Path, done: Callable[[bool], None] = lambda opened: None) -> None:
        """Make a shoot file and open it."""
        if path.suffix != ".velkin":
            path = path.with_name(path.name + ".velkin")

        def made(file: Path) -> Shoot:
            shoot = Shoot.create(file, file.stem)
            shoot.state  # noqa: B018  read here, as one that is opened is, and not in the window's thread
            return shoot

        self._open(path, made, done)

    def _open(self, path: Path, come_by: Callable[[Path], Shoot], done: Callable[[bool], None]) -> None:
        if self._held_open("opening another shoot") or not self.may_leave():
            done(False)
            return

        again = self._model.shoot is not None and self._model.shoot.path == path

        def opened(result: _Opened | VelkinError) -> None:
            self.opening.emit("")
            if isinstance(result, VelkinError):
                self._model.report(result)
                done(False)
            else:
                self._take(result)
                done(True)

        def work(job: Job) -> _Opened | None:
            hold = None if again else Hold.take(path)  # what this window holds it does not take twice
            try:
                shoot = come_by(path)
            except VelkinError:
                if hold is not None:
                    hold.end()
                raise
            if job.superseded:  # another one was asked for meanwhile
                shoot.close()
                if hold is not None:
                    hold.end()
                return None
            return _Opened(shoot, hold, again)

        self.opening.emit(path.stem)
        self._lanes.start(Lane.HAND, work, opened, name=f"Opening {path.stem}", purpose="open a shoot")

    def look_for(self, paths: list[Path], then: Callable[[list[Path]], None]) -> None:
        """Tell which of some shoot files are there."""
        self._aside(Lane.ROOM, lambda job: [p for p in paths if p.is_file()], then, purpose="which shoots are there")

    def _held_open(self, before: str) -> bool:
        """Whether work on the open shoot is under way that is not to be cut off; it is said."""
        if self._handoff.running:
            self._model.report(f"A hand-off is running; cancel it or wait for its end before {before}.")
            return True
        if self._importing.coming_in:
            self._model.report(f"Files are coming into the shoot; cancel that or wait for its end before {before}.")
            return True
        return False

    def show(self, shoot: Shoot) -> None:
        """Show a shoot that was opened already."""
        self._take(_Opened(shoot, Hold.take(shoot.path), False))

    def _take(self, opened: _Opened) -> None:
        if not opened.again:
            self.backup()  # of the one that is left
            self._let_go()
            self._hold = opened.hold
        if self._hold is None:
            opened.shoot.allow_looking_only(_ELSEWHERE)
        self._sources.forget()
        self._handoff.forget()
        self._model.open(opened.shoot)
        if self._hold is None:
            self._model.report(f"{opened.shoot.path.name}: {_ELSEWHERE}.")

    def _let_go(self) -> None:
        if self._hold is not None:
            self._hold.end()
            self._hold = None

    def restore(self) -> None:
        """Put the backup copy in the place of the open shoot and open it; what is open is kept under another name."""
        shoot = self._model.shoot
        if shoot is None or shoot.look_only or self._held_open("restoring the backup") or not self.may_leave():
            return
        path = shoot.path
        self._to_back_up.discard(path)  # what is put back must not be overwritten just before
        self._model.close()
        self._let_go()

        def work(job: Job) -> Path:
            with self._turn:
                self._close_waiting()
                return restore(path)

        def done(kept: Path | VelkinError) -> None:
            if isinstance(kept, VelkinError):
                self.open(path, lambda opened: self._model.report(kept))
            else:
                self.open(
                    path,
                    lambda opened: self._model.say(f"The backup was restored; what was open before is kept as {kept.name}."),
                )

        self._lanes.start(Lane.HAND, work, done, name="Restoring the backup")

    def backup(self) -> None:
        """Write the backup copy of the open shoot, aside."""
        shoot = self._model.shoot
        if shoot is not None and not shoot.look_only:
            self._back_up(shoot.path)

    def _back_up(self, path: Path) -> None:
        self._to_back_up.add(path)
        self._aside(Lane.AWAY, lambda job: self._put_away())

    def _close_aside(self, shoot: Shoot) -> None:
        self._to_close.append(shoot)
        self._aside(Lane.AWAY, lambda job: self._put_away())

    def _put_away(self) -> None:
        """Close what is to be closed, and write the backups that are due."""
        with self._turn:
            self._close_waiting()
            problem: VelkinError | None = None
            while self._to_back_up:
                try:
                    backup(self._to_back_up.pop())
                except VelkinError as error:  # the others are written all the same
                    problem = error
            if problem is not None:
                raise problem

    def _close_waiting(self) -> None:
        while self._to_close:
            self._to_close.pop().close()

    def close(self) -> None:
        """Close the open shoot, with a backup, both aside; not while files are being written or are coming in."""
        shoot = self._model.shoot
        if shoot is None:
            return
        if self._held_open("closing the shoot") or not self.may_leave():
            return
        self._handoff.forget()
        self.backup()
        self._model.close()
        self._let_go()
        self._sources.forget()

    def leave(self) -> None:
        """The program ends: close the shoot, and write the backups that are due, now."""
        shoot = self._model.shoot
        if shoot is not None:
            if not shoot.look_only:
                self._to_back_up.add(shoot.path)
            self._model.close()
            self._let_go()
        try:
            self._put_away()
        except VelkinError as error:
            self._model.report(error)

    def stop(self) -> None:
        """No more backups."""
        self._backup_due.stop()
