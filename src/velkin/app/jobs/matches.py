"""Matches in the making, from the window: evidence is read from frames on workers, and a match learnt from it; nothing is kept here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, TypeVar

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QImage

from velkin.app.flow.drawing import to_image
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Work
from velkin.core.charts.definition import Chart
from velkin.core.errors import ChartNotFound, FitRefused, VelkinError
from velkin.core.gamut.masks import Window
from velkin.core.path import ColourPath
from velkin.core.render import eased, shown, to_working
from velkin.core.sampling import at_most
from velkin.core.shoot.frame import Role
from velkin.core.shoot.state import State
from velkin.core.spaces.rgb import ROMM
from velkin.core.stages.stage import Flow, Place, Stage
from velkin.core.tags.pins import Pin

if TYPE_CHECKING:
    from velkin.core.match.aligned import Aligned
    from velkin.core.match.draft import Draft
    from velkin.core.match.gathering import Patches
    from velkin.core.match.match_file import KeptMatch
    from velkin.core.match.outcome import Price
    from velkin.core.match.pair import Pair
    from velkin.core.match.solver import Learnt

Pixels = NDArray[np.float32]
#: x, y, width and height as shares of a picture.
Area = tuple[float, float, float, float]
_T = TypeVar("_T")
Tell = Callable[["list[Pair] | VelkinError", str], None]

_GATHERING, _LEARNING, _PRICES, _PICTURE, _PINS = "match pairs", "match", "match prices", "match reference", "match pins"


@dataclass(frozen=True)
class Reference:
    """What a frame is to be like: another frame, the colours that a kept match wants, or (neither) the chart's own and the pins' targets.

    Attributes
    ----------
    name : str
    frame : int or None
    kept : KeptMatch or None
    """

    name: str = "the chart"
    frame: int | None = None
    kept: KeptMatch | None = None


def chart_frame(state: State, frame: int) -> int:
    """The frame whose chart speaks for a frame: itself where one lies in it, else the chart frame of its light, else itself."""
    others = [f for f in state.light_of(frame).frames if f != frame]
    for candidate in (frame, *others):
        if candidate in state.readings or state.frames[candidate].role is Role.CHART:
            return candidate
    return frame


class Matches(Work):
    """Reads evidence and learns; of each kind of work the newest wish wins."""

    # ---- evidence ---------------------------------------------------------------------------------------------

    def from_charts(self, frame: int, reference: Reference, tell: Tell) -> None:
        """Pairs of the charts of a frame and of its reference, each in the frame itself or in the chart frame of its light."""
        state = self._model.state

        def work(job: Job) -> tuple[list[Pair], str]:
            from velkin.core.match.gathering import patches_of_reference, patches_wanted

            mine, where, chart = self._patches(state, chart_frame(state, frame), ())
            if reference.frame is not None:
                there_chart = chart_frame(state, reference.frame)
                # what was brushed lies where it was painted: in no other frame
                elsewhere = reference.frame in state.look_places and there_chart != reference.frame
                look = () if elsewhere else state.path(reference.frame).at(Place.LOOK)
                wanted, there, _ = self._patches(state, there_chart, look)
            elif reference.kept is not None:
                wanted, there = patches_wanted(reference.kept.pairs), reference.kept.name
            else:
                wanted, there = patches_of_reference(chart), "the chart's own colours"
            pairs = mine.paired(wanted)
            return pairs, f"{len(pairs)} pairs of the charts in {where} and {there}." if reference.frame is not None else (
                f"{len(pairs)} pairs of the chart in {where} and {there}."
            )

        self._gather(work, tell, "Reading the charts")

    def _patches(self, state: State, frame: int, look: tuple[Stage, ...]) -> tuple[Patches, str, Chart]:
        """The patches of the chart in a frame, as the frame is seen with a look; the frame's name, and the chart."""
        from velkin.core.match.gathering import patches_in

        f, reading = state.frames[frame], state.readings.get(frame)
        picture = self._picture(state, frame, look)
        if reading is not None:
            corners = np.array(reading.reading.corners) * picture.shape[1] / f.facts.width
            found = patches_in(picture, reading.chart, f.name, corners)
            return found.without(reading.reading.choices.left_out), f.name, reading.chart
        for chart in state.charts.values():
            try:
                return patches_in(picture, chart, f.name), f.name, chart
            except ChartNotFound:
                continue
        raise ChartNotFound(
            f"no chart was found in {f.name}, nor in its light; read it in the chart room (K), or set pins in both pictures instead"
        )

    def from_aligned(
        self,
        frame: int,
        reference: Reference,
        areas: tuple[Area, ...],
        tell: Callable[[Aligned | VelkinError, str], None],
    ) -> None:
        """Pairs of a frame and a reference that shows the same picture after a treatment, without some areas of the frame."""
        state = self._model.state

        def work(job: Job) -> tuple[Aligned, str]:
            from velkin.core.match.aligned import pairs_of_aligned

            if reference.frame is None:
                raise FitRefused("an aligned picture is a frame of the shoot; choose it as the reference")
            here, there = self._picture(state, frame, ()), self._picture(state, reference.frame)
            height, width = here.shape[:2]
            boxes = [(int(x * width), int(y * height), int(w * width) + 1, int(h * height) + 1) for x, y, w, h in areas]
            name = state.frames[frame].name
            try:
                found = pairs_of_aligned(here, there, boxes)
            except FitRefused as error:
                raise FitRefused(f"{name} and {reference.name}: {error.message}; set pins in both pictures instead") from error
            left = f"{100 * found.left_out:.0f} % was left out: edges, and places where the two disagree"
            return found, f"{len(found.pairs)} pairs of {name} and {reference.name} laid on each other; {left}."

        self._gather(work, tell, "Laying the pictures on each other")

    def from_pins(self, frame: int, reference: Reference, tell: Tell) -> None:
        """Pairs of the pins: with a target of their own, else with the same number in the reference."""
        state = self._model.state
        pins = state.frames[frame].pins

        def work(job: Job) -> tuple[list[Pair], str]:
            return self._pin_pairs(state, frame, pins, reference), ""

        self._aside(Lane.ROOM, lambda job: _or_error(work, job), lambda found: tell(*found), purpose=_PINS, here=True)

    def _pin_pairs(self, state: State, frame: int, pins: tuple[Pin, ...], reference: Reference) -> list[Pair]:
        from velkin.core.looks.to_targets import pair_to_target
        from velkin.core.match.pair import Origin, Pair

        others = {} if reference.frame is None else dict(enumerate(state.frames[reference.frame].pins, start=1))
        kept = {} if reference.kept is None else {p.name: p for p in reference.kept.pairs if p.origin is Origin.PINS}
        pairs = []
        for number, pin in enumerate(pins, start=1):
            if pin.target is None and number not in others and str(number) not in kept:
                continue
            colour, spread = self._colour(state, frame, pin, ())
            if pin.target is not None:
                pairs.append(pair_to_target(number, colour, pin.target))
            elif number in others:
                assert reference.frame is not None
                wanted, other = self._colour(state, reference.frame, others[number])
                pairs.append(Pair(colour, wanted, Origin.PINS, str(number), float(np.hypot(spread, other))))
            else:
                pairs.append(Pair(colour, kept[str(number)].wanted, Origin.PINS, str(number), spread))
        return pairs

    def _gather(self, work: Callable[[Job], tuple[_T, str]], tell: Callable[[_T | VelkinError, str], None], name: str) -> None:
        self._aside(
            Lane.HAND, lambda job: _or_error(work, job), lambda found: tell(*found), name=name, purpose=_GATHERING, here=True
        )

    def _path(self, state: State, frame: int, look: tuple[Stage, ...] | None) -> ColourPath:
        """The path by which a frame's colours are read, with a look or (None) its own. Raises FitRefused where nothing says what its numbers mean."""
        path = state.path(frame)
        if not path.known:
            raise FitRefused(
                f"{state.frames[frame].name}: nothing says what its numbers mean; decide on the Source bench first, then match"
            )
        return path if look is None else path.put(Place.LOOK, *look)

    def _picture(self, state: State, frame: int, look: tuple[Stage, ...] | None = None) -> Pixels:
        """A frame as linear ROMM RGB (H, W, 3), with a look or its own."""
        path, f = self._path(state, frame, look), state.frames[frame]
        light = to_working(self._sources.source(f.path, path.source, True), path)
        return Flow(light, path.working, linear=True).light_in(ROMM)

    def _colour(
        self, state: State, frame: int, pin: Pin, look: tuple[Stage, ...] | None = None
    ) -> tuple[tuple[float, float, float], float]:
        """The colour at a pin of a frame, Oklab, and its spread."""
        from velkin.core.match.gathering import around, mean_colour

        path, f = self._path(state, frame, look), state.frames[frame]
        source = self._sources.source(f.path, path.source, True)
        height, width = source.shape[:2]
        rows, columns = around(min(int(pin.y * height), height - 1)), around(min(int(pin.x * width), width - 1))
        window = Window(width, height, columns.start, rows.start)
        light = Flow(to_working(source[rows, columns], path, window), path.working, linear=True).light_in(ROMM)
        return mean_colour(light)

    # ---- learning ---------------------------------------------------------------------------------------------

    def learn(self, draft: Draft, quick: bool, tell: Callable[[Learnt | VelkinError], None]) -> None:
        """Learn a match from a draft; quickly while it is dragged."""

        def work(job: Job) -> Learnt | VelkinError:
            try:
                return draft.kept().learnt(quick)
            except VelkinError as error:
                return error

        self._lanes.start(Lane.HAND, work, tell, purpose=_LEARNING)

    def tell_prices(self, draft: Draft, tell: Callable[[tuple[Price, ...]], None]) -> None:
        """What more even and more exact would cost."""

        def work(job: Job) -> tuple[Price, ...]:
            from velkin.core.match.outcome import prices

            try:
                return prices(draft.used, draft.wish)
            except VelkinError:
                return ()

        self._lanes.start(Lane.ROOM, work, lambda found: tell(found) if isinstance(found, tuple) else None, purpose=_PRICES)

    # ---- the reference ----------------------------------------------------------------------------------------

    def draw(self, frame: int, room: tuple[int, int], tell: Callable[[QImage], None]) -> None:
        """A frame as it is seen, no larger than its room in device pixels."""
        state, screen = self._model.state, self._model.screen
        f, path = state.frames[frame], state.path(frame)

        def work(job: Job) -> QImage:
            light = at_most(to_working(self._sources.source(f.path, path.source, True), path), room)
            return to_image(shown(eased(light, path), path.working, screen))

        self._aside(Lane.ROOM, work, tell, purpose=_PICTURE, here=True)

    def forget(self) -> None:
        """Nobody waits for any of it any more."""
        for purpose in (_GATHERING, _LEARNING, _PRICES, _PICTURE, _PINS):
            self._lanes.forget(purpose)


def _or_error(work: Callable[[Job], tuple[_T, str]], job: Job) -> tuple[_T | VelkinError, str]:
    try:
        return work(job)
    except VelkinError as error:
        return error, ""
