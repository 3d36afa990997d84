"""What can be done about proof and easing from the window: each job ends as one command of the shoot."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from velkin.app.words import count
from velkin.core.errors import VelkinError
from velkin.core.gamut.easing import Easing, Stroke
from velkin.core.icc.space import Space
from velkin.core.icc.transform import Intent
from velkin.core.render import to_working

if TYPE_CHECKING:
    from velkin.app.jobs.desk import Desk
    from velkin.core.gamut.solve import Solution


class Proofing(QObject):
    """Proof and easing of the frame in the viewer."""

    solved = pyqtSignal(object)  # Solution

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._model = desk.model

    def set_goal(self, space: Space | None, intent: Intent, black_point: bool) -> None:
        """Proof for a space, or for the first destination that is ticked (None)."""
        self._desk.command(lambda s: s.set_goal(space, intent, black_point))

    def set_easings(self, easings: tuple[Easing, ...], what: str) -> bool:
        """Set the easings of the frame in the viewer; whether it was done."""
        frame = self._model.current
        return frame is not None and self._desk.command(lambda s: s.set_easings(frame, easings, what))

    def add_stroke(self, index: int, stroke: Stroke) -> None:
        """Paint a stroke into an easing."""
        frame = self._model.current
        if frame is not None and index < len(self._model.state.easings_of(frame)):
            self._desk.command(lambda s: s.add_stroke(frame, index, stroke))

    def copy_easings(self) -> None:
        """Copy the easings of the frame in the viewer to the chosen frames."""
        frame, others = self._model.current, [f for f in self._model.selected if f != self._model.current]
        if frame is None:
            return
        if not others:
            self._model.notice.emit("Choose the frames that are to take these easings too: Ctrl+click in the frames panel.")
            return
        if self._desk.command(lambda s: s.copy_easings(frame, others)):
            self._model.notice.emit(f"The easings were copied to {count(len(others), 'frame')}.")

    def solve(self) -> None:
        """Look on a worker for the least change that brings the frame in the viewer in."""
        frame, path = self._model.frame, self._model.path()
        if frame is None or path is None:
            return

        def work() -> Solution:
            from velkin.core.gamut.solve import least_change

            return least_change(
                to_working(self._desk.service.source(frame.path, path.camera, True), path), path.working, path.destination
            )

        def done(result: Any) -> None:
            if isinstance(result, VelkinError):
                self._model.report(result)
            elif self._model.current == frame.id:
                self.solved.emit(result)

        self._desk.service.do(work, done)
