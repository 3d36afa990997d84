"""Which frames of the shoot are out of gamut for the destination, measured from their small pictures when it is asked for."""

from __future__ import annotations

import time

from PyQt6.QtCore import pyqtSignal

from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.shares import share_outside
from velkin.app.jobs.work import Ground, Work
from velkin.core.path import ColourPath

#: From this share of its pixels on a frame counts as out of gamut.
_LIMIT = 0.001
_TELL_EVERY = 0.5  # seconds


class Survey(Work):
    """Remembers each frame's share with the path that it was measured along."""

    changed = pyqtSignal()
    _found_some = pyqtSignal(object)

    def __init__(self, ground: Ground) -> None:
        super().__init__(ground)
        self._shares: dict[int, tuple[ColourPath, float]] = {}
        self._job: Job | None = None
        ground.model.opened.connect(self._shares.clear)
        ground.model.source_changed.connect(lambda frame: self._shares.pop(frame, None))
        self._found_some.connect(self._take)

    def is_out(self, frame: int) -> bool:
        """Whether a frame is known to be out of gamut for the destination, as its path is now."""
        known = self._shares.get(frame)
        return known is not None and known[1] >= _LIMIT and known[0] == self._model.state.path(frame)

    def follow(self, wanted: bool) -> None:
        """Measure the frames of which it is not known yet while somebody wants to know; what was found stays."""
        if wanted:
            self._measure()
        elif self._job is not None:
            self._job.cancel()
            self._job = None

    def _measure(self) -> None:
        model = self._model
        shoot = model.shoot
        if shoot is None:
            return
        state = model.state
        known = self._shares
        wanted = [(state.frames[f], state.path(f)) for f in state.order() if f not in known or known[f][0] != state.path(f)]
        if not wanted:
            return
        found: dict[int, tuple[ColourPath, float]] = {}

        def work(job: Job) -> None:
            told = time.monotonic()
            for number, (frame, path) in enumerate(wanted, start=1):
                if job.stopped:
                    break
                job.give_way()
                found[frame.id] = (path, share_outside(self._sources, frame, path) or 0.0)
                job.tell(number, len(wanted))
                if time.monotonic() - told > _TELL_EVERY:
                    told = time.monotonic()
                    self._found_some.emit(dict(found))

        def done(_: object) -> None:
            if model.shoot is shoot:
                self._take(found)

        self._job = self._aside(
            Lane.BACKGROUND, work, done, name="Looking what is out of gamut", purpose="survey of the gamut", cancellable=True
        )

    def _take(self, found: dict[int, tuple[ColourPath, float]]) -> None:
        self._shares.update(found)
        self.changed.emit()
