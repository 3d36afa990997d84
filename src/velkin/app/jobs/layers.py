"""Layered pictures, from the window: how far converting layer by layer would move one, measured on workers and remembered."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QImage

from velkin.app.flow.drawing import to_image
from velkin.app.flow.loss_map import map_colours
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Ground, Work
from velkin.core.errors import VelkinError
from velkin.core.icc.space import Space
from velkin.core.path import ColourPath
from velkin.core.render import to_working
from velkin.core.sampling import at_most
from velkin.core.spaces.pictures import SEEN
from velkin.core.stages.steps import read_as

if TYPE_CHECKING:
    from velkin.core.layered import Shift

Pixels = NDArray[np.float32]
#: Pixels that are looked at, about.
_SAMPLE = 1_000_000
#: Shifts that are remembered.
_KEPT = 16


@dataclass(frozen=True)
class Shifted:
    """How far converting a frame layer by layer would move it: measured, or why it cannot be.

    Attributes
    ----------
    frame : int
    to : Space
    shift : Shift or None
    problem : str
    map : QImage or None
        The differences over the picture in grey.
    """

    frame: int
    to: Space
    shift: Shift | None
    problem: str = ""
    map: QImage | None = None


_PURPOSE = "layers"


class LayerJobs(Work):
    """What converting layer by layer would do."""

    shifted = pyqtSignal(object)  # Shifted

    def __init__(self, ground: Ground) -> None:
        super().__init__(ground)
        self._known: dict[tuple[str, str, str], Shifted] = {}

    def measure(self, frame: int, path: ColourPath, to: Space) -> None:
        """Measure it and tell; at once where it is known. The newest wish wins."""
        found, meant = self._model.state.frames[frame], read_as(path.start, path.steps)
        key = found.digest, meant.id, to.id
        if key in self._known and self._known[key].frame == frame:
            self.shifted.emit(self._known[key])
            return

        def work(job: Job) -> Shifted:
            from velkin.core.layered import shift_of  # loaded when a layered picture is at hand

            try:
                shift = shift_of(found.path, meant, to, _SAMPLE)
            except VelkinError as error:
                return Shifted(frame, to, None, error.message)
            height, width = shift.map.shape
            working = at_most(to_working(self._sources.source(found.path, path.source, True), path), (width, height))
            return Shifted(frame, to, shift, map=_map(shift.map, working, path, SEEN / 2))

        def done(shifted: Shifted) -> None:
            if shifted.shift is not None:
                self._known[key] = shifted
                while len(self._known) > _KEPT:
                    del self._known[next(iter(self._known))]
            self.shifted.emit(shifted)

        self._aside(Lane.ROOM, work, done, name="Measuring what layer by layer would move", purpose=_PURPOSE, here=True)

    def forget(self) -> None:
        """Nobody waits for it any more."""
        self._lanes.forget(_PURPOSE)


def _map(moved: Pixels, working: Pixels, path: ColourPath, seen: float) -> QImage:
    """The differences from `seen` on over the picture in grey."""
    height, width = working.shape[:2]
    there = np.asarray(cv2.resize(moved, (width, height), interpolation=cv2.INTER_AREA), dtype=np.float32)
    return to_image(map_colours(there, there > seen, working, path))
