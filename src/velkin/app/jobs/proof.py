"""What can be done about proof and easing: each job ends as one command of the shoot and takes the frames it acts on."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal

from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Work
from velkin.app.words import count
from velkin.core.gamut.easing import Easing, Stroke
from velkin.core.icc.space import Space
from velkin.core.icc.transform import Intent
from velkin.core.path import ColourPath
from velkin.core.render import to_working

if TYPE_CHECKING:
    from velkin.core.gamut.solve import Solution


class Proof(Work):
    """Proof and easing."""

    solved = pyqtSignal(int, object)  # frame, Solution

    def set_goal(self, space: Space | None, intent: Intent, black_point: bool) -> None:
        """Proof for a space, or for the first destination that is ticked (None)."""
        self._command(lambda s: s.easing.set_goal(space, intent, black_point))

    def set_easings(self, frame: int, easings: tuple[Easing, ...], what: str) -> bool:
        """Set the easings of a frame; whether it was done."""
        return self._command(lambda s: s.easing.set_easings(frame, easings, what))

    def add_stroke(self, frame: int, index: int, stroke: Stroke) -> None:
        """Paint a stroke into an easing of a frame."""
        if index < len(self._model.state.easings_of(frame)):
            self._command(lambda s: s.easing.add_stroke(frame, index, stroke))

    def copy_easings(self, frame: int, frames: tuple[int, ...]) -> None:
        """Copy the easings of a frame to others."""
        others = [f for f in frames if f != frame]
        if not others:
            self._model.say("Select the frames that are to take these easings too: Ctrl+click in the frames panel.")
        elif self._command(lambda s: s.easing.copy_easings(frame, others)):
            self._model.say(f"The easings were copied to {count(len(others), 'frame')}.")

    def solve(self, frame: int, path: ColourPath) -> None:
        """Look on a worker for the least change that brings a frame in."""
        source = self._model.state.frames[frame].path

        def work(job: Job) -> Solution:
            from velkin.core.gamut.solve import least_change

            working = to_working(self._sources.source(source, path.source, True), path)
            return least_change(working, path.working, path.destination)

        self._aside(
            Lane.HAND, work, lambda found: self.solved.emit(frame, found), name="Looking for the least change", purpose="solve"
        )
