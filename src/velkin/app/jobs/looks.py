"""What can be done with looks from the window: a file is read aside, then each job is one command of the shoot."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Work
from velkin.app.words import count
from velkin.core.looks.kept import KeptLook
from velkin.core.looks.reading import read_look
from velkin.core.stages.given_look import make_ready
from velkin.core.stages.stage import Alters


class Looks(Work):
    """Looks of frames."""

    def read(self, path: Path, tell: Callable[[KeptLook], None]) -> None:
        """Read a look on a worker."""

        def work(job: Job) -> KeptLook:
            look = read_look(path)
            if not look.asks:
                make_ready(look)
            return look

        self._aside(Lane.HAND, work, tell, name="Reading the look", purpose="look")

    def give(self, frames: tuple[int, ...], look: KeptLook, strength: float) -> None:
        """Give frames a look."""
        if self._command(lambda s: s.looks.give(frames, look, strength)):
            self._model.say(f"{count(len(frames), 'frame')}: {look.words(strength)}; {Alters.BOTH.value}.")

    def set_strength(self, frames: tuple[int, ...], strength: float, joins: bool) -> None:
        """Change how strong the looks of frames are; `joins` goes on with the same drag."""
        self._command(lambda s: s.looks.set_strength(frames, strength, joins))

    def take_off(self, frames: tuple[int, ...]) -> None:
        """Take looks off frames."""
        given = self._model.state.given_looks
        wearing = tuple(f for f in frames if f in given)
        if wearing and self._command(lambda s: s.looks.take_off(wearing)):
            self._model.say(f"{count(len(wearing), 'frame')} without a look again.")
