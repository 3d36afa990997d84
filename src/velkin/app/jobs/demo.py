"""The demo shoot: opened at once when it is there; else its first pictures are made, and the others while those are looked at."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.shoots import Shoots
from velkin.app.jobs.work import Ground, Work
from velkin.core.errors import VelkinError

if TYPE_CHECKING:
    from velkin.sim.demo import Demo, Part


class DemoJobs(Work):
    """Makes the demo part by part in the background and adds each to its shoot, as long as that is the one that is open."""

    def __init__(self, ground: Ground, shoots: Shoots) -> None:
        super().__init__(ground)
        self._shoots = shoots
        #: What is being made, in words; empty when nothing is.
        self.making = ""
        #: Whether the demo's first pictures are still awaited, so that there is no shoot to look at yet.
        self.awaited = False

    def open(self, folder: Path | None = None) -> None:
        """Open the demo shoot, and make what is missing of it."""
        if self.making:
            return
        from velkin.sim.demo import Demo  # the simulator loads when it is needed

        demo = Demo(folder)
        self.awaited = True
        self.making = "the demo"
        self._lanes.start(
            Lane.DEMO, lambda job: demo.parts_left(), lambda left: self._looked(demo, left), name="Looking for the demo"
        )

    def _looked(self, demo: Demo, left: Any) -> None:
        if isinstance(left, VelkinError):
            self._failed(left)
        elif demo.is_begun():
            self._open_shoot(demo, left)
        else:
            self._make(demo, left)

    def _open_shoot(self, demo: Demo, left: list[Part]) -> None:
        def opened(well: bool) -> None:
            self.awaited = False
            if well and left:
                self._make(demo, left)
            else:
                self.making = ""

        self._shoots.open(demo.shoot_path, opened)

    def _make(self, demo: Demo, left: list[Part]) -> None:
        part = left[0]
        self.making = part.words

        def done(arrivals: Any) -> None:
            if isinstance(arrivals, VelkinError):
                self._failed(arrivals)
            elif job.stopped:
                self.making, self.awaited = "", False
            elif self.awaited:
                self._begin(demo, left, arrivals)
            else:
                self._add(demo, left, arrivals)

        job = self._lanes.start(
            Lane.DEMO,
            lambda job: demo.make(part, job.tell, lambda: job.stopped),
            done,
            name=f"The simulator makes {part.words}",
            cancellable=True,
        )

    def _begin(self, demo: Demo, left: list[Part], arrivals: list[Any]) -> None:
        """The first pictures are there: the shoot is made on them and opened."""

        def work(job: Job) -> None:
            from velkin.core.shoot.shoot import Shoot

            demo.begin()
            shoot = Shoot.open(demo.shoot_path)
            try:
                demo.add(shoot, left[0], arrivals)
            finally:
                shoot.close()

        def done(result: Any) -> None:
            if isinstance(result, VelkinError):
                self._failed(result)
            else:
                self._open_shoot(demo, left[1:])

        self._lanes.start(Lane.DEMO, work, done, name="Making the demo's shoot")

    def _add(self, demo: Demo, left: list[Part], arrivals: list[Any]) -> None:
        shoot = self._model.shoot
        if shoot is None or shoot.path != demo.shoot_path:
            self.making = ""  # another shoot is open; the demo goes on when it is opened again
            return
        if self._command(lambda s: demo.add(s, left[0], arrivals)) and left[1:]:
            self._make(demo, left[1:])
        else:
            self.making = ""

    def _failed(self, error: VelkinError) -> None:
        self.making, self.awaited = "", False
        self._model.report(error)
