"""The spaces that can be chosen in the window: built in, the shoot's own, and those of the colour folders, which are watched."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QFileSystemWatcher, QTimer, pyqtSignal

from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Ground, Work
from velkin.core.icc.collection import Collection
from velkin.core.icc.space import Space, grays, load_space
from velkin.core.spaces.rgb import BUILT_IN, RGBSpace


class ColourSpaces(Work):
    """What is there to choose from."""

    changed = pyqtSignal()

    def __init__(self, ground: Ground, folders: list[Path] | None = None) -> None:
        super().__init__(ground)
        self.collection = Collection(folders)
        self._watcher = QFileSystemWatcher(self)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(200)  # a file that is being written says so several times
        self._soon.timeout.connect(self.look)
        self._watcher.directoryChanged.connect(lambda _: self._soon.start())
        self._watcher.fileChanged.connect(lambda _: self._soon.start())
        self._first = QTimer(self)
        self._first.setSingleShot(True)
        self._first.timeout.connect(self.look)
        self._first.start(1500)  # after the first picture

    def stop(self) -> None:
        """Watch no longer."""
        self._first.stop()
        self._soon.stop()

    def read(self, path: Path, done: Callable[[Space], None]) -> None:
        """Read the space of an ICC file, aside."""
        self._aside(Lane.HAND, lambda job: load_space(path), done, name=f"Reading {path.name}")

    def keep(self, path: Path) -> None:
        """Keep the space of an ICC file in the shoot."""
        shoot = self._model.shoot

        def keep(space: Space) -> None:
            if self._model.shoot is shoot and self._command(lambda s: s.colour.keep_space(space)):
                self._model.say(f"{space.name} can be assigned and converted to now.")

        self.read(path, keep)

    def use(self, folders: list[Path]) -> None:
        """Look for profiles in these folders from now on."""
        self.collection = Collection(folders)
        self.look()
        self.changed.emit()

    def look(self) -> None:
        """Read what is new in the colour folders, on a worker."""

        def work(job: Job) -> tuple[bool, set[str]]:
            changed = self.collection.scan()
            there = [f for f in self.collection.folders if f.exists()]
            absent = [next((p for p in f.parents if p.exists()), None) for f in self.collection.folders if not f.exists()]
            return changed, {str(p) for p in [*there, *absent, *(f.path for f in self.collection.found())] if p is not None}

        def done(result: Any) -> None:
            if isinstance(result, tuple):
                changed, wanted = result
                self._watch(wanted)
                if changed:
                    self.changed.emit()

        self._lanes.start(Lane.BACKGROUND, work, done, purpose="colour folders")

    def _watch(self, wanted: set[str]) -> None:
        watched = {*self._watcher.directories(), *self._watcher.files()}
        if watched - wanted:
            self._watcher.removePaths(sorted(watched - wanted))
        if wanted - watched:
            self._watcher.addPaths(sorted(wanted - watched))

    def of_model(self, model: str) -> list[Space]:
        """Every space for pictures of a colour model, each once: built in, the shoot's, the folders'."""
        built_in: list[Space] = [*BUILT_IN.values()] if model == "rgb" else [*grays().values()] if model == "gray" else []
        others = [*(self._model.state.spaces.values() if self._model.shoot is not None else ()), *self.collection.spaces()]
        once: dict[str, Space] = {s.id: s for s in built_in}
        for space in others:
            if space.model == model and not space.family and space.id != "plain-ink":
                once.setdefault(space.id, space)
        return list(once.values())

    def destinations(self) -> list[Space]:
        """Every space that pictures may be converted to."""
        found = [s for m in ("rgb", "cmyk", "gray") for s in self.of_model(m)]
        return [s for s in found if isinstance(s, RGBSpace) or s.kind != "input"]
