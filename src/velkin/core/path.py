"""The colour path: a frozen list of stages, from a frame's numbers to what is shown, measured or written.

Source → Field → Camera → the ledger's steps → Working → Match → Ease → Destination. Window, scope, command line, hand-off and check all use the same path
through `render.py`, so that what is shown, what is measured and what is written cannot differ.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar

from velkin.core.conversion.conversion import Conversion
from velkin.core.gamut.easing import Easing
from velkin.core.icc.space import Space
from velkin.core.icc.transform import Intent
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.camera import CameraStage, exposed
from velkin.core.stages.destination import ToDestination
from velkin.core.stages.easing import Ease
from velkin.core.stages.given_look import GivenLook
from velkin.core.stages.source import PictureSource, RawSource, Source
from velkin.core.stages.stage import Line, Place, Stage
from velkin.core.stages.steps import Assign, Convert, Step, after, convert_anything
from velkin.core.stages.working import Working

_S = TypeVar("_S")


@dataclass(frozen=True)
class ColourPath:
    """A frame's path from camera numbers, or a finished picture's own, to a destination.

    Attributes
    ----------
    stages : tuple of Stage
        In the order of their places: one source, a camera of raw frames, the steps of the ledger, one working space, what alters light on
        the way, one destination.
    """

    stages: tuple[Stage, ...]

    def of(self, kind: type[_S]) -> tuple[_S, ...]:
        """The stages of a kind, in order."""
        return tuple(s for s in self.stages if isinstance(s, kind))

    def before(self, place: Place) -> tuple[Stage, ...]:
        """The stages that stand before a place."""
        return tuple(s for s in self.stages if s.place < place)

    def at(self, place: Place) -> tuple[Stage, ...]:
        """The stages at a place, in order."""
        return tuple(s for s in self.stages if s.place is place)

    def put(self, place: Place, *stages: Stage) -> ColourPath:
        """The path with other stages at a place."""
        return self._put((place,), stages)

    def _put(self, places: tuple[Place, ...], stages: tuple[Stage, ...]) -> ColourPath:
        others = [s for s in self.stages if s.place not in places]
        return ColourPath(tuple(sorted([*others, *stages], key=lambda s: s.place)))

    def describe(self) -> tuple[Line, ...]:
        """What the stages say of themselves, in order."""
        return tuple(line for stage in self.stages for line in stage.describe())

    # ---- source and camera -----------------------------------------------------------------------------------

    @property
    def source(self) -> Source:
        """What the file's numbers are on arrival."""
        first = self.stages[0]
        assert isinstance(first, RawSource | PictureSource)
        return first

    @property
    def is_raw(self) -> bool:
        """Whether it begins at a sensor's numbers."""
        return isinstance(self.source, RawSource)

    @property
    def camera(self) -> CameraStage:
        """The camera stage of a raw frame's path."""
        return self.of(CameraStage)[0]

    # ---- what numbers mean -----------------------------------------------------------------------------------

    @property
    def start(self) -> Space:
        """What the numbers mean before the first step."""
        return self.source.space if isinstance(self.source, PictureSource) else self.camera.arrival

    @property
    def steps(self) -> tuple[Step, ...]:
        """The assignments and conversions of the ledger, in order."""
        return tuple(s for s in self.stages if isinstance(s, Assign | Convert))

    @property
    def numbers_in(self) -> Space:
        """What the numbers mean after the last step of the ledger."""
        return after(self.start, self.steps)

    @property
    def here(self) -> Space:
        """What the numbers mean on the way out; after a look, which works on light, the working space."""
        return self.working if self.at(Place.LOOK) else self.numbers_in

    @property
    def known(self) -> bool:
        """Whether it is known what the numbers mean; a step settles it."""
        return bool(self.steps) or self.source.known

    @property
    def keeps_numbers(self) -> bool:
        """Whether the numbers here are those of the file: a finished picture, of which nothing converts or changes anything."""
        return not self.is_raw and not self.at(Place.LOOK) and not convert_anything(self.start, self.steps)

    @property
    def working(self) -> RGBSpace:
        """The space of the light in which it is seen and measured."""
        return self.of(Working)[0].space

    # ---- on the way to the destination -----------------------------------------------------------------------

    @property
    def easings(self) -> tuple[Easing, ...]:
        """What brings colours in, in order."""
        return tuple(e for stage in self.of(Ease) for e in stage.easings)

    @property
    def by_pixel(self) -> bool:
        """Whether what becomes of a pixel depends on that pixel only, and not on where it lies."""
        if self.at(Place.FIELD):
            return False
        return all(e.by_pixel for e in self.easings) and all(look.by_pixel for look in self.of(GivenLook))

    @property
    def by_bands(self) -> bool:
        """Whether a picture may be taken through it in bands of rows, each told where it lies: nothing looks far round a pixel."""
        return not any(e.looks_around for e in self.easings)

    @property
    def last(self) -> ToDestination:
        """The last stage."""
        return self.of(ToDestination)[0]

    @property
    def destination(self) -> Space:
        """Where it leads."""
        return self.last.space

    @property
    def intent(self) -> Intent:
        """How the destination is reached."""
        return self.last.intent

    @property
    def proof(self) -> Conversion:
        """The last conversion: from the working space to the destination."""
        return self.last.from_working(self.working)

    @property
    def to_work(self) -> ColourPath:
        """The path as far as the working space, the same for every destination."""
        return self.led_to(self.working)

    def led_to(
        self, goal: Space, intent: Intent = Intent.RELATIVE, black_point: bool = True, easings: tuple[Easing, ...] = ()
    ) -> ColourPath:
        """The path to another destination, with these easings on the way."""
        there = ToDestination(goal, intent, black_point)
        return self._put((Place.EASING, Place.DESTINATION), (Ease(easings, goal), there) if easings else (there,))

    def eased_by(self, *easings: Easing) -> ColourPath:
        """The path to the same destination with other easings on the way."""
        return self.put(Place.EASING, *([Ease(easings, self.destination)] if easings else []))


def path_of(
    start: CameraStage | PictureSource,
    shoot_space: RGBSpace,
    destination: Space,
    *,
    exposure: float = 0.0,
    steps: tuple[Step, ...] = (),
) -> ColourPath:
    """The path of a frame in a shoot that works in `shoot_space`.

    Parameters
    ----------
    start : CameraStage or PictureSource
        How a raw frame's numbers become colours; what a finished picture's are.
    exposure : float
        EV, of raw frames.
    """
    first: tuple[Stage, ...]
    if isinstance(start, CameraStage):
        first, space = (RawSource(), exposed(start, exposure, shoot_space)), after(shoot_space, steps)
    else:
        first, space = (start,), after(start.space, steps)
    working = Working(space if isinstance(space, RGBSpace) else shoot_space)
    return ColourPath((*first, *steps, working, ToDestination(destination)))
