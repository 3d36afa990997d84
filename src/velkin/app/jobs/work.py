"""What every job stands on: the model, the lanes, the decoded sources, and the one way to change the shoot."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject

from velkin.app.flow.service import RenderService
from velkin.app.jobs.lanes import Job, Lane, Lanes
from velkin.app.model.shoot_model import ShootModel
from velkin.core.errors import VelkinError
from velkin.core.shoot.shoot import Shoot


class Ground:
    """The ground of all jobs of a window."""

    def __init__(self, model: ShootModel, sources: RenderService, lanes: Lanes) -> None:
        self.model = model
        self.sources = sources
        self.lanes = lanes
        model.changed.connect(self._to_the_disk)

    def command(self, command: Callable[[Shoot], object]) -> bool:
        """Run a command of the shoot, tell who listens, and show what went wrong; whether it was done."""
        shoot = self.model.shoot
        if shoot is None:
            return False
        try:
            command(shoot)
        except VelkinError as error:
            self.model.report(error)
            self.model.changes()
            return False
        self.model.changes()
        return True

    def _to_the_disk(self) -> None:
        """Bring what changed onto the disk itself, whoever changed it, and tell of a disk that refuses."""
        shoot = self.model.shoot
        if shoot is not None:
            self.lanes.start(Lane.DISK, lambda job: shoot.settle(), self._settled, purpose="to the disk")

    def _settled(self, result: VelkinError | None) -> None:
        if result is not None:
            self.model.report(result)


class Work(QObject):
    """The base of the jobs about one subject."""

    def __init__(self, ground: Ground) -> None:
        super().__init__()
        self._ground = ground
        self._model = ground.model
        self._sources = ground.sources
        self._lanes = ground.lanes

    def _command(self, command: Callable[[Shoot], object]) -> bool:
        return self._ground.command(command)

    def _aside(
        self,
        lane: Lane,
        work: Callable[[Job], Any],
        done: Callable[[Any], None] = lambda result: None,
        *,
        name: str = "",
        purpose: str = "",
        cancellable: bool = False,
        here: bool = False,
    ) -> Job:
        """Run work in a lane; an error is reported, anything else goes to `done`.

        `here`: it is about frames of the shoot at hand, so that a result that comes when another one is open is dropped.
        """
        shoot = self._model.shoot

        def delivered(result: Any) -> None:
            if here and self._model.shoot is not shoot:
                return
            if isinstance(result, VelkinError):
                self._model.report(result)
            else:
                done(result)

        return self._lanes.start(lane, work, delivered, name=name, purpose=purpose, cancellable=cancellable)


def about(result: Any, source: Path) -> Any:
    """An error names the file it is about."""
    if isinstance(result, VelkinError) and result.file is None:
        result.file = source
    return result
