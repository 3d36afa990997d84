"""What no patch vouches for in a frame, from the window: measured and drawn on a worker."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtGui import QImage

from velkin.app.flow.drawing import at_most, to_image
from velkin.app.flow.loss_map import TOP, map_colours
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Work
from velkin.core.charts.support import missing_in, support_of
from velkin.core.errors import FitRefused, VelkinError
from velkin.core.render import to_working
from velkin.core.spaces.lab import xyz_to_lab

#: Longest edge of what is looked at, in pixels; and how far beyond all patches is the light end of the map, in powers of two.
_EDGE, _FAR = 1200, 1.0
_PURPOSE = "support"


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


class SupportJobs(Work):
    """What no patch vouches for."""

    def measure(self, frame: int, then: Callable[[Vouched | VelkinError], None]) -> None:
        """Measure a raw frame by the charts of its light, and tell; also why it cannot be."""
        state = self._model.state
        f, path = state.frames[frame], state.path(frame)
        charts = [c for c in state.light(f.light).frames if c in state.readings]

        def work(job: Job) -> Vouched | VelkinError:
            try:
                if not charts:
                    raise FitRefused("no chart was read in this light; read one first (K)")
                support = support_of((state.readings[c].for_fit(), state.readings[c].chart) for c in charts)
                camera = at_most(self._sources.half(f.path), (_EDGE, _EDGE))
                far = support.beyond(camera)
                missing = missing_in(camera.reshape(-1, 3), far.ravel())
                white = np.array(path.camera.balance)
                labs = [xyz_to_lab(path.camera.colours.xyz(np.array(m.rgb) * white) * path.camera.gain) for m in missing]
            except VelkinError as error:
                return error
            drawn = map_colours(far * np.float32(TOP / _FAR), far > 0, to_working(camera, path), path)
            found = tuple(((float(x[0]), float(x[1]), float(x[2])), m.share) for x, m in zip(labs, missing, strict=True))
            names = tuple(state.frames[c].name for c in charts)
            return Vouched(frame, names, float((far > 0).mean()), found, to_image(drawn))

        self._lanes.start(Lane.ROOM, work, then, name="Measuring what the chart vouches for", purpose=_PURPOSE)

    def forget(self) -> None:
        """Nobody waits for it any more."""
        self._lanes.forget(_PURPOSE)
