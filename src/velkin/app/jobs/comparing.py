"""Two pictures compared, from the window: rendered, laid on each other and measured on a worker."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QImage

from velkin.app.flow.drawing import to_image
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Work
from velkin.core.errors import FitRefused, UnreadableFile, VelkinError
from velkin.core.files.raw_names import is_raw_name
from velkin.core.path import ColourPath, path_of
from velkin.core.render import eased, shown, to_working
from velkin.core.sampling import at_most
from velkin.core.sources import decode_source
from velkin.core.spaces.rgb import ROMM
from velkin.core.stages.camera import built_in_stage
from velkin.core.stages.source import PictureSource
from velkin.core.stages.stage import Flow

if TYPE_CHECKING:
    from velkin.core.match.comparing import Compared

Pixels = NDArray[np.float32]
#: Longest edge at which pictures are compared, in pixels.
_EDGE = 1400
_PURPOSE = "compare two pictures"


@dataclass(frozen=True)
class Wish:
    """What is compared: a frame with another frame or a file, found out how they lie or not, and moved by hand."""

    frame: int
    other: int | Path
    align: bool = True
    shift: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class SideBySide:
    """A comparison as it is shown: both pictures as the screen has them, and why they could not be aligned; empty where they were, or need not."""

    wish: Wish
    images: tuple[QImage, QImage]
    compared: Compared
    not_aligned: str = ""


class Comparing(Work):
    """Compares two pictures."""

    def compare(self, wish: Wish, then: Callable[[SideBySide | VelkinError], None]) -> None:
        """Compare and tell, also why it could not be; the newest wish wins."""
        state, screen = self._model.state, self._model.screen

        def light_of(what: int | Path) -> Pixels:
            if isinstance(what, Path):
                path = _path_of_file(what)
                source = decode_source(what, path.source, True)
            else:
                path = state.path(what)
                source = self._sources.source(state.frames[what].path, path.source, True)
            light = at_most(eased(to_working(source, path), path), (_EDGE, _EDGE))
            return Flow(light, path.working, linear=True).light_in(ROMM)

        def work(job: Job) -> SideBySide | VelkinError:
            from velkin.core.match.comparing import compare

            try:
                return one(compare)
            except VelkinError as error:
                return error

        def one(compare: Callable[..., Compared]) -> SideBySide:
            here, other = light_of(wish.frame), light_of(wish.other)
            why = ""
            try:
                found = compare(here, other, wish.align, wish.shift)
            except FitRefused as error:
                found, why = compare(here, other, False, wish.shift), error.message
            grey = np.where(found.inside[..., None], found.laid, np.float32(0.18))
            images = tuple(to_image(shown(p, ROMM, screen)) for p in (here, grey))
            return SideBySide(wish, (images[0], images[1]), found, why)

        self._lanes.start(Lane.ROOM, work, then, name="Comparing", purpose=_PURPOSE)

    def forget(self) -> None:
        """Nobody waits for it any more."""
        self._lanes.forget(_PURPOSE)


def _path_of_file(path: Path) -> ColourPath:
    """How any file is seen by itself: a raw file by its camera's own way, a picture by what it says. Raises UnreadableFile."""
    if is_raw_name(path):
        from velkin.core.files.raw import read_facts

        return path_of(built_in_stage(read_facts(path)), ROMM, ROMM)
    from velkin.core.tags.inspect import inspect

    found = inspect(path)
    if found.said is None:
        raise UnreadableFile("nothing says what its numbers mean; add it to the shoot and assign a space, then compare", path)
    return path_of(PictureSource(found.said), ROMM, ROMM)
