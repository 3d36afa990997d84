"""The shelf of profiles as the window has it: watched, so that a new or changed file appears at once."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from platformdirs import user_data_path
from PyQt6.QtCore import QFileSystemWatcher, QObject, QTimer, pyqtSignal

from velkin.app.flow.service import RenderService
from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.cameraprofiles.shelf import Shelf, ShelfEntry
from velkin.core.errors import VelkinError


def usual_folder() -> Path:
    """Where profiles lie unless another folder is chosen."""
    return user_data_path("velkin") / "profiles"


class Shelving(QObject):
    """The shelf, its watcher, and what the window does with it."""

    changed = pyqtSignal()
    problem = pyqtSignal(str)

    def __init__(self, folder: Path, service: RenderService) -> None:
        super().__init__()
        self.shelf = Shelf(folder)
        self._known = False
        self._watcher = QFileSystemWatcher(self)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(150)  # a file that is being written says so several times
        self._soon.timeout.connect(self.look)
        self._watcher.directoryChanged.connect(lambda _: self._soon.start())
        self._watcher.fileChanged.connect(lambda _: self._soon.start())
        service.do(self.shelf.scan, lambda _: self._tell())  # the first time all is new; after that only what changed

    def look(self) -> None:
        """Read what is new, and watch everything that is there."""
        if self.shelf.scan():
            self.changed.emit()
        self._watch()

    def _tell(self) -> None:
        self._watch()
        self.changed.emit()

    def _watch(self) -> None:
        self._known = True
        folder = self.shelf.folder
        wanted = [str(folder if folder.exists() else next(p for p in folder.parents if p.exists()))]
        wanted += [str(e.path) for e in self.shelf.entries]
        watched = {*self._watcher.directories(), *self._watcher.files()}
        gone = [w for w in watched if w not in wanted]
        if gone:
            self._watcher.removePaths(gone)
        new = [w for w in wanted if w not in watched]
        if new:
            self._watcher.addPaths(new)

    def use(self, folder: Path) -> None:
        """Take another folder for the shelf."""
        self.shelf = Shelf(folder)
        self.shelf.scan()
        self._tell()

    def add(self, profile: CameraProfile) -> None:
        """Put a fitted profile on the shelf."""
        self._do(lambda: self.shelf.add(profile))

    def bring(self, paths: list[Path]) -> list[Path]:
        """Copy profile files onto the shelf; those that came."""
        came: list[Path] = []

        def one(path: Path) -> None:
            came.append(self.shelf.bring(path))

        for path in paths:
            self._do(partial(one, path), path)
        return came

    def decide(self, entry: ShelfEntry, **changes: object) -> None:
        """Switch a profile on or off, name it, note something."""
        self._do(lambda: self.shelf.decide(entry, **changes))

    def take_off(self, entry: ShelfEntry) -> None:
        """Move a profile's file out of the shelf; it can be found again."""
        self._do(lambda: self.shelf.take_off(entry))

    def _do(self, work: Callable[[], object], about: Path | None = None) -> None:
        try:
            work()
        except VelkinError as error:
            error.file = error.file or about
            self.problem.emit(str(error))
        except OSError as error:
            self.problem.emit(f"{self.shelf.folder}: the shelf cannot be changed ({error.strerror}); nothing was lost.")
        self._tell()  # what changes the shelf has scanned it again itself

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
