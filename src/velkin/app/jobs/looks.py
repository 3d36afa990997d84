"""What can be done with looks from the window: a file is read aside, then each job is one command of the shoot."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from velkin.app.flow.readout import read_pin
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Work
from velkin.app.words import count
from velkin.core.looks.kept import KeptLook
from velkin.core.looks.reading import read_look
from velkin.core.looks.to_targets import Brought, bring, brings_to_targets
from velkin.core.stages.given_look import make_ready
from velkin.core.stages.stage import Alters, Place


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

    def bring(self, frame: int, frames: tuple[int, ...], lightness: bool) -> None:
        """Bring the pins of a frame that have a target to it; the look goes on the frames. One that came otherwise is not replaced."""
        state = self._model.state
        f, path = state.frames[frame], state.path(frame).put(Place.LOOK)
        for other in frames:
            given = state.look_of(other)
            if given is not None and not brings_to_targets(given.look):
                self._model.report(
                    f"{state.frames[other].name} has {given.look.name} on; a frame has one match or look. Take it off first."
                )
                return

        def work(job: Job) -> Brought:
            source = self._sources.source(f.path, path.source, True)
            return bring([read_pin(source, path, p).lab for p in f.pins], f.pins, f"{f.name}'s pins", lightness)

        def done(found: Brought) -> None:
            figures = found.figures
            if self._command(lambda s: s.looks.give(frames, found.look)):
                pins = count(len(figures.errors), "pin")
                self._model.say(
                    f"{pins} brought there: ΔE {figures.before:.1f} before, {figures.mean:.1f} now; {Alters.BOTH.value}."
                )

        self._aside(Lane.HAND, work, done, name="Bringing the pins there", purpose="look")

    def set_strength(self, frames: tuple[int, ...], strength: float, joins: bool) -> None:
        """Change how strong the looks of frames are; `joins` goes on with the same drag."""
        self._command(lambda s: s.looks.set_strength(frames, strength, joins))

    def take_off(self, frames: tuple[int, ...]) -> None:
        """Take looks off frames."""
        given = self._model.state.given_looks
        wearing = tuple(f for f in frames if f in given)
        if wearing and self._command(lambda s: s.looks.take_off(wearing)):
            self._model.say(f"{count(len(wearing), 'frame')} without a look again.")
