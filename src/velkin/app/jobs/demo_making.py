"""The demo shoot: opened at once when it is there; else its first pictures are made, and the others while those are looked at."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from velkin.core.errors import VelkinError

if TYPE_CHECKING:
    from velkin.app.jobs.desk import Desk
    from velkin.sim.demo import Demo, Part


class DemoMaking(QObject):
    """Makes the demo part by part in the background and adds each to its shoot, as long as that is the one that is open."""

    _progress = pyqtSignal(str, int, int)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._stop = threading.Event()
        #: What is being made, in words; empty when nothing is.
        self.making = ""
        #: Whether the demo's first pictures are still awaited, so that there is no shoot to look at yet.
        self.awaited = False
        self._progress.connect(self._tell)

    def open(self, folder: Path | None = None) -> None:
        """Open the demo shoot, and make what is missing of it."""
        if self.making:
            return
        from velkin.sim.demo import Demo  # the simulator loads when it is needed

        demo = Demo(folder)
        self._stop.clear()
        self.awaited = True
        self.making = "the demo"

        def look() -> list[Part]:
            left = demo.parts_left()
            if not demo.is_begun():
                demo.folder.mkdir(parents=True, exist_ok=True)
            return left

        self._desk.service.do_in_background(look, lambda left: self._looked(demo, left))

    def stop(self) -> None:
        """Make no more for now; the next time the demo is opened it goes on."""
        self._stop.set()

    def _looked(self, demo: Demo, left: Any) -> None:
        if isinstance(left, VelkinError):
            self._failed(left)
        elif demo.is_begun():
            self._open_shoot(demo, left)
        else:
            self._make(demo, left)

    def _open_shoot(self, demo: Demo, left: list[Part]) -> None:
        self.awaited = False
        if self._desk.open_shoot(demo.shoot_path) and left:
            self._make(demo, left)
        else:
            self.making = ""

    def _make(self, demo: Demo, left: list[Part]) -> None:
        part = left[0]
        self.making = part.words

        def progress(done: int, total: int) -> None:
            self._progress.emit(part.words, done, total)

        def done(arrivals: Any) -> None:
            self._desk.progress.emit("", 0, 0)
            if isinstance(arrivals, VelkinError):
                self._failed(arrivals)
            elif self._stop.is_set():
                self.making, self.awaited = "", False
            elif self.awaited:
                self._begin(demo, left, arrivals)
            else:
                self._add(demo, left, arrivals)

        self._tell(part.words, 0, 1)
        self._desk.service.do_in_background(lambda: demo.make(part, progress, self._stop.is_set), done)

    def _begin(self, demo: Demo, left: list[Part], arrivals: list[Any]) -> None:
        """The first pictures are there: the shoot is made on them and opened."""
        from velkin.core.shoot.shoot import Shoot

        try:
            demo.begin()
            shoot = Shoot.open(demo.shoot_path)
            try:
                demo.add(shoot, left[0], arrivals)
            finally:
                shoot.close()
        except (VelkinError, OSError) as error:
            self._failed(error if isinstance(error, VelkinError) else VelkinError(str(error), demo.folder))
            return
        self._open_shoot(demo, left[1:])

    def _add(self, demo: Demo, left: list[Part], arrivals: list[Any]) -> None:
        shoot = self._desk.model.shoot
        if shoot is None or shoot.path != demo.shoot_path:
            self.making = ""  # another shoot is open; the demo goes on when it is opened again
            return
        if self._desk.command(lambda s: demo.add(s, left[0], arrivals)) and left[1:]:
            self._make(demo, left[1:])
        else:
            self.making = ""

    def _tell(self, words: str, done: int, total: int) -> None:
        if self.making and not self._stop.is_set():
            self._desk.progress.emit(f"The simulator makes {words}", done, total)

    def _failed(self, error: VelkinError) -> None:
        self.making, self.awaited = "", False
        self._desk.progress.emit("", 0, 0)
        self._desk.model.report(error)
