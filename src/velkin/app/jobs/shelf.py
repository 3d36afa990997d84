"""The shelf of profiles as the window has it: watched, so that a new or changed file appears at once; its changes can be undone."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path

from platformdirs import user_data_path
from PyQt6.QtCore import QFileSystemWatcher, QTimer, pyqtSignal

from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Ground, Work
from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.cameraprofiles.shelf import Shelf, ShelfEntry
from velkin.core.errors import VelkinError


def usual_folder() -> Path:
    """Where profiles lie unless another folder is chosen."""
    return user_data_path("velkin") / "profiles"


class ShelfJobs(Work):
    """The shelf, its watcher, and what the window does with it; files are read and written aside."""

    changed = pyqtSignal()

    def __init__(self, ground: Ground, folder: Path) -> None:
        super().__init__(ground)
        self.shelf = Shelf(folder)
        self._known = False
        self._watcher = QFileSystemWatcher(self)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(150)  # a file that is being written says so several times
        self._soon.timeout.connect(self.look)
        self._watcher.directoryChanged.connect(lambda _: self._soon.start())
        self._watcher.fileChanged.connect(lambda _: self._soon.start())
        self._undo: list[tuple[str, Callable[[], object]]] = []
        self._turn = threading.Lock()  # the shelf is read and changed by one worker at a time
        self._wanted: list[str] = []  # what is to be watched
        self._lanes.start(Lane.BACKGROUND, lambda job: self._scan(), lambda _: self._tell())  # the first time all is new

    def stop(self) -> None:
        """Watch no longer."""
        self._soon.stop()

    def look(self) -> None:
        """Read what is new, and watch everything that is there."""

        def done(changed: object) -> None:
            self._watch()
            if changed is True:
                self.changed.emit()

        self._lanes.start(Lane.ROOM, lambda job: self._scan(), done)

    def _scan(self, work: Callable[[], object] | None = None) -> object:
        """On a worker: change the shelf or only read it, and see what is to be watched; what that gave."""
        with self._turn:
            result = self.shelf.scan() if work is None else work()
            folder = self.shelf.folder
            there = folder if folder.exists() else next(p for p in folder.parents if p.exists())
            self._wanted = [str(there), *(str(e.path) for e in self.shelf.entries)]
        return result

    def _tell(self) -> None:
        self._watch()
        self.changed.emit()

    def _watch(self) -> None:
        self._known = True
        watched = {*self._watcher.directories(), *self._watcher.files()}
        gone = [w for w in watched if w not in self._wanted]
        if gone:
            self._watcher.removePaths(gone)
        new = [w for w in self._wanted if w not in watched]
        if new:
            self._watcher.addPaths(new)
        if any(Path(p).is_dir() for p in new):
            self._soon.start()  # what came into a folder before it was watched

    def use(self, folder: Path) -> None:
        """Take another folder for the shelf."""

        self._undo.clear()

        def take() -> None:
            self.shelf = Shelf(folder)
            self.shelf.scan()

        self._lanes.start(Lane.ROOM, lambda job: self._scan(take), lambda _: self._tell())

    # ---- changing ---------------------------------------------------------------------------------------------

    def add(self, profile: CameraProfile) -> None:
        """Put a fitted profile on the shelf."""
        self._do(lambda: self.shelf.add(profile))

    def bring(self, paths: list[Path], done: Callable[[list[Path]], None] = lambda came: None) -> None:
        """Copy profile files onto the shelf; those that came go to `done`."""

        def work() -> list[Path]:
            came = []
            for path in paths:
                try:
                    came.append(self.shelf.bring(path))
                except VelkinError as error:
                    error.file = error.file or path
                    problems.append(str(error))
            return came

        def told(came: list[Path]) -> None:
            for problem in problems:
                self._model.report(problem)
            done(came)

        problems: list[str] = []
        self._do(work, told)

    def decide(self, entry: ShelfEntry, **changes: object) -> None:
        """Switch a profile on or off, name it, note something."""
        before = {what: getattr(entry.kept, what) for what in changes}
        words = {"on": "switch", "name": "rename", "notes": "note on"}[next(iter(changes))]

        def done(_: object) -> None:
            self._undo.append((f"{words} {entry.name}", lambda: self.shelf.decide(entry, **before)))

        self._do(lambda: self.shelf.decide(entry, **changes), done)

    def remove(self, entry: ShelfEntry) -> None:
        """Move a profile's file out of the shelf; it can be found again."""

        def done(moved: Path) -> None:
            self._undo.append((f"remove {entry.name}", lambda: self.shelf.put_back(entry, moved)))

        self._do(lambda: self.shelf.remove(entry), done)

    def undo_label(self) -> str:
        """What `undo` would undo, in words; empty where there is nothing."""
        return self._undo[-1][0] if self._undo else ""

    def undo(self) -> None:
        """Undo the last change of the shelf in this session."""
        if self._undo:
            label, work = self._undo.pop()
            self._do(work, lambda _: self._model.say(f"Undone: {label}."))

    def _do(self, work: Callable[[], object], done: Callable[..., None] = lambda result: None) -> None:
        """Change the shelf aside, in the order asked for; what changes it has scanned it again itself."""

        def change(job: Job) -> object:
            try:
                return self._scan(work)
            except OSError as error:
                raise VelkinError(
                    f"{self.shelf.folder}: the shelf cannot be changed ({error.strerror}); nothing was lost."
                ) from error

        def told(result: object) -> None:
            if isinstance(result, VelkinError):
                self._model.report(result)
            else:
                done(result)
            self._tell()

        self._lanes.start(Lane.ROOM, change, told)

    # ---- what to say of it ------------------------------------------------------------------------------------

    def words_for(self, profile: AnyProfile) -> str:
        """What to say of a profile that a shoot keeps and the shelf does not offer; empty when all is well."""
        if not self._known:
            return ""  # the shelf is being read for the first time
        state = self.shelf.state_of(profile)
        if state == "off":
            return "It is switched off on the shelf; this shoot renders from its own copy."
        if state == "gone":
            return "It is not on the shelf; this shoot renders from its own copy."
        return ""
