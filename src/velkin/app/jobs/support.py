"""What no patch vouches for in a frame, from the window: measured and drawn on a worker."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass

import numpy as np
from PyQt6.QtGui import QImage

from velkin.app.flow.drawing import to_image
from velkin.app.flow.loss_map import TOP, map_colours
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Ground, Work
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.charts.support import EDGE, Support, missing_in, support_of
from velkin.core.errors import FitRefused, VelkinError
from velkin.core.render import camera_numbers, to_working
from velkin.core.sampling import at_most
from velkin.core.shoot.frame import Role
from velkin.core.shoot.state import State
from velkin.core.spaces.lab import xyz_to_lab

#: How far beyond all patches is the light end of the map, in powers of two.
_FAR = 1.0
_PURPOSE, _LIGHT_PURPOSE = "support", "support of a light"


@dataclass(frozen=True)
class Vouched:
    """What of a frame is not vouched for.

    Attributes
    ----------
    frame : int
    charts : tuple of str
        The frames of its light whose charts were asked.
    share : float
        Of the picture, that no patch vouches for.
    missing : tuple of (Lab, share)
        The colours that it has most of.
    map : QImage
    """

    frame: int
    charts: tuple[str, ...]
    share: float
    missing: tuple[tuple[tuple[float, float, float], float], ...]
    map: QImage


@dataclass(frozen=True)
class LightVouched:
    """What of the subjects of a light is not vouched for: their mean share, and the one that has most, with its share."""

    frames: int
    share: float
    most: tuple[str, float]


@dataclass(frozen=True)
class _Known:
    """What was found of a light, by the readings and the files that it was found of."""

    readings: list[JudgedReading]
    files: list[str]
    found: LightVouched

    def holds(self, readings: list[JudgedReading], files: list[str]) -> bool:
        same = len(readings) == len(self.readings) and all(a is b for a, b in zip(readings, self.readings, strict=True))
        return same and files == self.files


class SupportJobs(Work):
    """What no patch vouches for."""

    def __init__(self, ground: Ground) -> None:
        super().__init__(ground)
        self._known: _Known | None = None

    def measure(self, frame: int, then: Callable[[Vouched | VelkinError], None]) -> None:
        """Measure a raw frame by the charts of its light, and tell; also why it cannot be."""
        state = self._model.state
        f, path = state.frames[frame], state.path(frame)
        charts = _charts(state, frame)

        def work(job: Job) -> Vouched | VelkinError:
            try:
                if not charts:
                    raise FitRefused("no chart was read in this light; read one first (K)")
                support = _support(state, charts)
                camera = at_most(self._sources.half(f.path), (EDGE, EDGE))
                even = camera_numbers(camera, path)
                far = support.beyond(even)
                missing = missing_in(even.reshape(-1, 3), far.ravel())
                labs = [xyz_to_lab(path.camera.xyz(np.array(m.rgb))) for m in missing]
            except VelkinError as error:
                return error
            drawn = map_colours(far * np.float32(TOP / _FAR), far > 0, to_working(camera, path), path)
            found = tuple(((float(x[0]), float(x[1]), float(x[2])), m.share) for x, m in zip(labs, missing, strict=True))
            names = tuple(state.frames[c].name for c in charts)
            return Vouched(frame, names, float((far > 0).mean()), found, to_image(drawn))

        self._lanes.start(Lane.ROOM, work, then, name="Measuring what the chart vouches for", purpose=_PURPOSE)

    def measure_light(self, frame: int, then: Callable[[LightVouched | VelkinError], None]) -> None:
        """Measure all subjects of a frame's light by its charts, which must have been read, and tell; a file that cannot be read is left out."""
        state = self._model.state
        charts = _charts(state, frame)
        raws = [state.frames[i] for i in state.light(state.frames[frame].light).frames if state.frames[i].is_raw]
        subjects = [f for f in raws if f.role is Role.SUBJECT]
        readings, files = [kept for c in charts if (kept := state.reading(c))], [f.digest for f in subjects]
        if self._known is not None and self._known.holds(readings, files):
            then(self._known.found)
            return

        def work(job: Job) -> LightVouched | VelkinError:
            try:
                support = _support(state, charts)
            except VelkinError as error:
                return error
            shares: list[tuple[float, str]] = []
            for number, f in enumerate(subjects):
                if job.stopped:
                    break
                job.give_way()
                with suppress(VelkinError):
                    camera = at_most(self._sources.half(f.path), (EDGE, EDGE))
                    even = camera_numbers(camera, state.path(f.id))
                    shares.append((float((support.beyond(even) > 0).mean()), f.name))
                job.tell(number + 1, len(subjects))
            if not shares:
                return FitRefused("no frame of this light could be read")
            most, name = max(shares)
            return LightVouched(len(shares), float(np.mean([share for share, _ in shares])), (name, most))

        def done(found: LightVouched | VelkinError) -> None:
            if isinstance(found, LightVouched) and found.frames == len(subjects):
                self._known = _Known(readings, files, found)
            then(found)

        name = "Measuring the light by what its charts vouch for"
        self._lanes.start(Lane.BACKGROUND, work, done, name=name, purpose=_LIGHT_PURPOSE, cancellable=True)

    def forget(self) -> None:
        """Nobody waits for it any more."""
        self._lanes.forget(_PURPOSE)
        self._lanes.forget(_LIGHT_PURPOSE)


def _charts(state: State, frame: int) -> list[int]:
    """The frames of a frame's light whose chart was read."""
    return [c for c in state.light(state.frames[frame].light).frames if c in state.readings]


def _support(state: State, charts: list[int]) -> Support:
    return support_of((kept.for_fit(), kept.chart) for c in charts if (kept := state.reading(c)))
