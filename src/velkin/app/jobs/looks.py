"""What can be done with looks from the window: a file is read aside, then each job is one command of the shoot."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from velkin.app.flow.readout import read_pin
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Ground, Work
from velkin.app.words import count
from velkin.core.errors import NotSupported
from velkin.core.gamut.easing import BRUSHED, Place, Stroke
from velkin.core.looks.kept import KeptLook
from velkin.core.shoot.state import State
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.given_look import make_ready
from velkin.core.stages.stage import Alters
from velkin.core.stages.stage import Place as Stands

if TYPE_CHECKING:
    from velkin.core.looks.to_targets import Brought
    from velkin.core.match.export import ExportWish
    from velkin.core.match.match_file import KeptMatch


class Looks(Work):
    """Looks of frames, and the shelf of matches; what reads and learns is loaded on the worker that first does it."""

    def __init__(self, ground: Ground, shelf: Path) -> None:
        super().__init__(ground)
        self._shelf = shelf
        #: The matches on the shelf, as they were read last.
        self.on_shelf: list[KeptMatch] = []
        self._lanes.start(Lane.BACKGROUND, lambda job: self._scan(), self._scanned)

    # ---- the shelf --------------------------------------------------------------------------------------------

    def _scan(self) -> list[KeptMatch]:
        from velkin.core.looks.shelf import kept_matches

        return kept_matches(self._shelf)

    def _scanned(self, found: object) -> None:
        if isinstance(found, list):
            self.on_shelf = found

    def keep(self, look: KeptLook, then: Callable[[], None] = lambda: None) -> None:
        """Keep a match on the shelf, and go on once it is there."""

        def work(job: Job) -> tuple[Path, list[KeptMatch]]:
            from velkin.core.looks.shelf import keep_match

            return keep_match(self._shelf, look), self._scan()

        def done(result: tuple[Path, list[KeptMatch]]) -> None:
            self._scanned(result[1])
            self._model.say(f"{result[0].stem} is on the shelf of matches, with its pairs.")
            then()

        self._aside(Lane.HAND, work, done, name="Keeping the match")

    def export(self, kept: KeptMatch, wish: ExportWish, out: Path) -> None:
        """Write a match for other software; the file of that name was asked about."""

        def work(job: Job) -> Path:
            from velkin.core.files.safely import write_whole
            from velkin.core.match.export import match_bytes

            write_whole(out, match_bytes(kept, kept.learnt().match, wish), True)
            return out

        def done(path: Path) -> None:
            takes, gives = wish.words()
            self._model.say(f"{path.name} was written: it takes {takes}, and gives {gives}.")

        self._aside(Lane.HAND, work, done, name="Writing the match")

    # ---- looks of frames --------------------------------------------------------------------------------------

    def read(self, path: Path, tell: Callable[[KeptLook], None]) -> None:
        """Read a look on a worker."""

        def work(job: Job) -> KeptLook:
            from velkin.core.looks.reading import read_look

            return read_look(path)

        self._aside(Lane.HAND, work, tell, name="Reading the look", purpose="look", here=True)

    def give(self, frames: tuple[int, ...], look: KeptLook, strength: float, then: Callable[[], None] = lambda: None) -> None:
        """Give frames a look, once it was learnt on a worker, and go on when they have it; where it cannot be, nothing is given."""
        spaces = self._lights_of(self._model.state)

        def work(job: Job) -> None:
            for space in spaces:
                make_ready(look, space, strength)

        def done(_: None) -> None:
            if self._command(lambda s: s.looks.give(frames, look, strength)):
                self._model.say(f"{count(len(frames), 'frame')}: {look.words(strength)}; {Alters.BOTH.value}.")
                then()

        self._aside(Lane.HAND, work, done, name="Putting the look on", purpose="look", here=True)

    def _lights_of(self, state: State) -> set[RGBSpace]:
        """The spaces in which light flows at the frame in the viewer and at most others."""
        current = self._model.current
        return {state.working, *([] if current is None else [state.path(current).working])}

    def bring(self, frame: int, frames: tuple[int, ...], lightness: bool) -> None:
        """Bring the pins of a frame that have a target to it; the look goes on the frames. One that came otherwise is not replaced."""
        state = self._model.state
        f, path = state.frames[frame], state.path(frame).put(Stands.LOOK)
        if not path.known:
            self._model.report(
                f"{f.name}: nothing says what its numbers mean, nor what its pins are; decide on the Source bench first."
            )
            return
        given, spaces = (
            {o: state.looks[state.given_looks[o][0]] for o in frames if o in state.given_looks},
            self._lights_of(state),
        )

        def work(job: Job) -> Brought:
            from velkin.core.looks.to_targets import bring, brings_to_targets

            own = {look: brings_to_targets(look) for look in set(given.values())}
            for other, look in given.items():
                if not own[look]:
                    raise NotSupported(
                        f"{state.frames[other].name} has {look.name} on; a frame has one match or look. Take it off first."
                    )
            source = self._sources.source(f.path, path.source, True)
            found = bring([read_pin(source, path, p).lab for p in f.pins], f.pins, f"{f.name}'s pins", lightness)
            for space in spaces:
                make_ready(found.look, space)
            return found

        def done(found: Brought) -> None:
            figures = found.figures
            if self._command(lambda s: s.looks.give(frames, found.look, stays_brushed=True)):
                pins = count(len(figures.errors), "pin")
                self._model.say(
                    f"{pins} brought there: ΔE {figures.before:.1f} before, {figures.mean:.1f} now; {Alters.BOTH.value}."
                )

        self._aside(Lane.HAND, work, done, name="Bringing the pins there", purpose="look", here=True)

    def set_strength(self, frames: tuple[int, ...], strength: float, joins: bool) -> None:
        """Change how strong the looks of frames are; `joins` goes on with the same drag."""
        self._command(lambda s: s.looks.set_strength(frames, strength, joins))

    def act_everywhere(self, frame: int) -> None:
        """Have the look of a frame act everywhere."""
        self._command(lambda s: s.looks.act(frame, None))

    def act_brushed(self, frame: int) -> None:
        """Have the look of a frame act where it will be brushed, which is nowhere yet."""
        facts = self._model.state.frames[frame].facts
        self._command(lambda s: s.looks.act(frame, Place(BRUSHED, painted_on=(facts.width, facts.height))))

    def paint(self, frame: int, stroke: Stroke) -> None:
        """Paint a stroke into where the look of a frame acts."""
        self._command(lambda s: s.looks.paint(frame, stroke))

    def take_off(self, frames: tuple[int, ...]) -> None:
        """Take looks off frames."""
        given = self._model.state.given_looks
        wearing = tuple(f for f in frames if f in given)
        if wearing and self._command(lambda s: s.looks.take_off(wearing)):
            self._model.say(f"{count(len(wearing), 'frame')} without a look again.")
