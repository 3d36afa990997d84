"""What is done to frames at the Camera stop: readings kept, profiles given, white balance and exposure set."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.shelf import ShelfJobs
from velkin.app.jobs.work import Ground, Work, about
from velkin.app.words import count, signed
from velkin.core.cameraprofiles.leaning import MOST, NEUTRAL, Lean
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.errors import VelkinError
from velkin.core.fields import Field, fit_field
from velkin.core.files.camera_names import is_shot_with
from velkin.core.render import camera_numbers
from velkin.core.shoot.even_fields import KeptField
from velkin.core.shoot.frame import Frame
from velkin.core.shoot.giving import GivingPlan
from velkin.core.shoot.moving import Anchor
from velkin.core.shoot.whites import white_of
from velkin.core.whitebalance import Picked, from_card, from_spot

if TYPE_CHECKING:
    from velkin.core.shoot.agreeing import Agreement


class Camera(Work):
    """Jobs of the Camera stop; each takes the frames it acts on."""

    def __init__(self, ground: Ground, shelf: ShelfJobs) -> None:
        super().__init__(ground)
        self._shelf = shelf

    def keep_reading(self, frame: int, kept: JudgedReading) -> None:
        """Keep a reading in the shoot."""
        self._command(lambda shoot: shoot.camera.keep_reading(frame, kept))

    def keep_profile(self, frame: int, profile: CameraProfile, name: str, whole_light: bool) -> bool:
        """Keep a fitted profile, on the shelf too, and give it to the frame's light, or to the frame alone; one undo. Whether it was."""
        light = self._model.state.light_of(frame)
        frames = light.frames if whole_light else (frame,)
        named = replace(profile, name=name.strip() or profile.name)
        if not self._command(lambda shoot: shoot.camera.add_profile(named, frames, light.id if whole_light else None)):
            return False
        self._shelf.add(named)
        self._model.say(f"{named.name} was given, with its white balance, to {count(len(frames), 'frame')}.")
        return True

    def give(self, plan: GivingPlan) -> None:
        """Carry out a giving plan, and say what was done."""
        if self._command(lambda shoot: shoot.camera.give(plan)):
            extra = " Frames that arrive later in this light get it too." if plan.for_newcomers is not None else ""
            self._model.say(plan.summary().replace(" get ", " got ").replace(" gets ", " got ") + extra)

    def give_profile(self, profile: int, frames: tuple[int, ...], light: int | None = None) -> None:
        """Give a kept profile to frames of the camera it was made for."""
        state = self._model.state
        camera, name = state.profiles[profile].camera, state.profiles[profile].name
        fitting = tuple(f for f in frames if not camera or is_shot_with(state.frames[f].facts, camera))
        if not fitting:
            self._model.report(f"{name} was made for {camera}; the selected frames come from another camera.")
            return
        if self._command(lambda shoot: shoot.camera.give_profile(profile, fitting, light)):
            left = len(frames) - len(fitting)
            extra = f" {count(left, 'frame')} from another camera kept their own." if left else ""
            self._model.say(f"{name} was given to {count(len(fitting), 'frame')}.{extra}")

    def use_built_in(self, frames: tuple[int, ...]) -> None:
        """Return frames to the camera's own rendering."""
        self._command(lambda shoot: shoot.camera.use_built_in(frames))

    # ---- white balance and exposure ---------------------------------------------------------------------------

    def pick_neutral(self, frame: int, at: tuple[float, float], size: float, frames: tuple[int, ...]) -> None:
        """Measure a spot of a frame (full-size pixels) and make it neutral in frames; a doubtful spot is said, and used."""
        state = self._model.state
        f = state.frames[frame]
        white = white_of(state, f.light)
        known = np.array(white.balance) if white is not None else f.raw.as_shot
        path = state.path(frame)

        def measure() -> Picked:
            numbers = camera_numbers(self._sources.half(f.path), path)
            return from_spot(numbers, at[0] / 2, at[1] / 2, size=size / 2, camera=built_in(f.raw), known=known)

        self._measure(f, measure, frames)

    def measure_card(self, frame: int, frames: tuple[int, ...]) -> None:
        """Measure a frame of a neutral card and make it neutral in frames."""
        f, path = self._model.state.frames[frame], self._model.state.path(frame)

        def keep(picked: Picked) -> None:
            self._command(lambda shoot: shoot.camera.keep_neutral(frame, picked.balance))

        def measure() -> Picked:
            return from_card(camera_numbers(self._sources.half(f.path), path), built_in(f.raw), f.raw.as_shot)

        self._measure(f, measure, frames, "card", keep)

    def _measure(
        self,
        frame: Frame,
        measure: Callable[[], Picked],
        frames: tuple[int, ...],
        source: str = "picked",
        keep: Callable[[Picked], None] = lambda _: None,
    ) -> None:
        def done(result: Picked | VelkinError) -> None:
            if isinstance(result, VelkinError):
                self._model.report(about(result, frame.path))
                return
            keep(result)
            still = tuple(f for f in frames if f in self._model.state.frames)
            if still:
                self.set_balance(still, result.balance, source)
            kelvin, duv = built_in(frame.raw).temperature(np.array(result.balance))
            words = f"{kelvin:.0f} K, Duv {signed(duv, 4)}"
            if result.doubt:
                self._model.report(f"The balance was set ({words}), but what was picked is perhaps no neutral: {result.doubt}.")
            else:
                self._model.say(f"White balance from {'the card' if source == 'card' else 'the spot'}: {words}.")

        shoot = self._model.shoot
        self._lanes.start(
            Lane.HAND,
            lambda job: measure(),
            lambda result: done(result) if self._model.shoot is shoot else None,
            name="Measuring",
        )

    def set_as_shot(self, frames: tuple[int, ...]) -> None:
        """Return frames to the camera's own balance."""
        self._command(lambda shoot: shoot.camera.set_as_shot(frames))

    def set_balance(self, frames: tuple[int, ...], balance: tuple[float, ...] | None, source: str) -> None:
        """Set a white balance that is measured; steps away from it stay."""
        self._command(lambda shoot: shoot.camera.set_balance(frames, balance, source))

    def type_balance(self, frames: tuple[int, ...], balance: tuple[float, ...], joins: bool) -> None:
        """Set a white balance by numbers, which are what is seen; `joins` makes one step of it with the same step before, as in a drag."""
        self._command(lambda shoot: shoot.camera.set_balance(frames, balance, "typed", joins, NEUTRAL))

    def compare_cameras(self, then: Callable[[tuple[Agreement, ...]], None]) -> None:
        """Tell how far cameras lie apart on the charts that were read."""
        from velkin.core.shoot.agreeing import agreements

        state = self._model.state
        self._aside(Lane.HAND, lambda job: agreements(state), then, name="Comparing cameras", here=True)

    def measure_flats(self, frames: tuple[int, ...]) -> None:
        """Measure flat frames aside, and even the frames of their lights by them."""
        wanted = [f for f in (self._model.state.frames[i] for i in frames) if f.is_raw]
        if not wanted:
            self._model.say(
                "A flat frame is a raw frame of an even white board, in the light and through the lens of the work."
            )
            return

        def work(job: Job) -> list[tuple[Frame, Field]]:
            found = []
            for number, frame in enumerate(wanted, start=1):
                try:
                    found.append((frame, fit_field(self._sources.half(frame.path))))
                except VelkinError as error:
                    raise about(error, frame.path) from None
                job.tell(number, len(wanted))
            return found

        def done(found: list[tuple[Frame, Field]]) -> None:
            self.keep_fields({frame.id: KeptField(field) for frame, field in found})
            fall = max(max(field.falloff) for _, field in found)
            self._model.say(
                f"Flat frame measured: the light falls off by {100 * fall:.0f} %; the frames of its light are evened."
            )

        self._aside(Lane.HAND, work, done, name="Measuring the flat frame", here=True)

    def keep_fields(self, fields: dict[int, KeptField], joins: bool = False) -> None:
        """Keep flat frames' fields, or how much of them is taken out; `joins` makes one step of it with the step before, as in a drag."""
        self._command(lambda shoot: shoot.camera.keep_fields(fields, joins))

    def follow_in_time(self, frames: tuple[int, ...], light: int) -> None:
        """Have all frames of a light follow its measured whites in time."""
        if self._command(lambda shoot: shoot.camera.follow_in_time(frames, light)):
            self._model.say(
                "The light is followed in time between its measured frames; frames that arrive later follow it too."
            )

    def hold_one(self, frames: tuple[int, ...], anchor: Anchor, light: int) -> None:
        """Hold one measured white for all frames of a light."""
        if self._command(lambda shoot: shoot.camera.hold_one(frames, anchor, light)):
            self._model.say(f"The white of {anchor.name} holds for the whole light.")

    def lean_by(self, frames: tuple[int, ...], warmer: int = 0, pinker: int = 0) -> None:
        """Show frames so many steps warmer and pinker than they are, each from where it is."""
        known = self._model.state.frames
        leans = {f: known[f].lean.by(warmer, pinker) for f in frames if known[f].is_raw}
        if self._raw_alone(leans) and any(known[f].lean != leans[f] for f in leans):
            self._command(lambda shoot: shoot.camera.lean(leans))
        elif leans:
            self._model.say(f"There are {MOST} steps either way from the neutral.")

    def lean_to(self, frames: tuple[int, ...], lean: Lean, joins: bool = False) -> None:
        """Show frames so many steps from their neutral, or (with none) as neutral as it was measured."""
        leans = {f: lean for f in frames if self._model.state.frames[f].is_raw}
        if self._raw_alone(leans):
            self._command(lambda shoot: shoot.camera.lean(leans, joins))

    def _raw_alone(self, leans: dict[int, Lean]) -> bool:
        if not leans:
            self._model.say("Finished pictures have no white balance any more; a match makes them warmer or cooler.")
        return bool(leans)

    def set_exposure(self, frames: tuple[int, ...], ev: float) -> None:
        """Set exposure."""
        self._command(lambda shoot: shoot.camera.set_exposure(frames, ev))
