"""What can be done with a shoot from the window: each job runs on the service and ends as one command of the shoot.

Benches, rooms and menus call these; none of them does work of its own.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from velkin.app.flow.service import RenderService
from velkin.app.jobs.arriving import Arriving
from velkin.app.jobs.charting import Charting, about
from velkin.app.jobs.colour_spaces import ColourSpaces
from velkin.app.jobs.deciding import Deciding
from velkin.app.jobs.demo_making import DemoMaking
from velkin.app.jobs.fitting import Fitting
from velkin.app.jobs.handing_off import HandingOff
from velkin.app.jobs.proofing import Proofing
from velkin.app.jobs.shelving import Shelving, usual_folder
from velkin.app.model.shoot_model import ShootModel
from velkin.app.words import count, signed
from velkin.core.cameraprofiles.anyprofile import check_camera, load_any
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.errors import VelkinError
from velkin.core.shoot.giving import GivingPlan
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.state import Frame
from velkin.core.whitebalance import Picked, from_card, from_spot

Floats = NDArray[np.float64]


class Desk(QObject):
    """The jobs of the window."""

    progress = pyqtSignal(str, int, int)  # words, done, total; total 0 ends it

    def __init__(
        self,
        model: ShootModel,
        service: RenderService,
        shelf_folder: Path | None = None,
        icc_folders: list[Path] | None = None,
    ) -> None:
        super().__init__()
        self.model = model
        self.service = service
        self.demo = DemoMaking(self)
        self.charting = Charting(self)
        self.arriving = Arriving(self)
        self.shelving = Shelving(shelf_folder or usual_folder(), service)
        self.shelving.problem.connect(model.report)
        self.fitting = Fitting(self)
        self.deciding = Deciding(self)
        self.proofing = Proofing(self)
        self.handoff = HandingOff(self)
        self.spaces = ColourSpaces(model, service, icc_folders)

    def cancel(self) -> None:
        """Stop the long job that runs; what is finished stays."""
        self.handoff.cancel()
        self.arriving.cancel()
        self.demo.stop()

    # ---- shoots and files -------------------------------------------------------------------------------------

    def open_shoot(self, path: Path) -> bool:
        """Open a shoot file; False, with the reason shown, when it cannot be."""
        if self.handoff.running:
            self.model.report("A hand-off is running; cancel it or wait for its end before opening another shoot.")
            return False
        try:
            shoot = Shoot.open(path)
        except VelkinError as error:
            self.model.report(error)
            return False
        self.show_shoot(shoot)
        return True

    def show_shoot(self, shoot: Shoot) -> None:
        """Show a shoot that is open already."""
        self.service.forget()
        self.handoff.forget()
        self.model.open(shoot)

    def open_demo(self) -> None:
        """Open the demo shoot, which the simulator makes where it is not there yet."""
        self.demo.open()

    def new_shoot(self, path: Path) -> bool:
        """Make a shoot file and open it."""
        if path.suffix != ".velkin":
            path = path.with_name(path.name + ".velkin")
        try:
            Shoot.create(path, path.stem).close()
        except VelkinError as error:
            self.model.report(error)
            return False
        return self.open_shoot(path)

    # ---- chart and profile ------------------------------------------------------------------------------------

    def keep_reading(self, frame: int, kept: JudgedReading) -> None:
        """Keep a reading in the shoot."""
        self.command(lambda shoot: shoot.keep_reading(frame, kept))

    def keep_profile(self, frame: int, profile: CameraProfile, name: str, whole_light: bool) -> None:
        """Keep a fitted profile, on the shelf too, and give it to the frame's light, or to the frame alone; one undo."""
        light = self.model.state.light_of(frame)
        frames = light.frames if whole_light else (frame,)
        named = replace(profile, name=name.strip() or profile.name)
        if self.command(lambda shoot: shoot.add_profile(named, frames, light.id if whole_light else None)):
            self.shelving.add(named)
            self.model.notice.emit(f"{named.name} was given, with its white balance, to {count(len(frames), 'frame')}.")

    def give(self, plan: GivingPlan) -> None:
        """Carry out a giving plan, and say what was done."""
        if self.command(lambda shoot: shoot.give(plan)):
            extra = " Frames that arrive later in this light get it too." if plan.gift is not None else ""
            self.model.notice.emit(plan.summary().replace(" get ", " got ").replace(" gets ", " got ") + extra)

    def give_profile(self, profile: int, frames: tuple[int, ...], light: int | None = None) -> None:
        """Give a kept profile to frames of the camera it was made for."""
        state = self.model.state
        camera = state.profiles[profile].camera
        fitting = tuple(f for f in frames if camera in ("", state.frames[f].facts.unique))
        if not fitting:
            self.model.report(
                f"{state.profiles[profile].name} was made for {camera}; the chosen frames come from another camera."
            )
            return
        if self.command(lambda shoot: shoot.give_profile(profile, fitting, light)):
            left = len(frames) - len(fitting)
            extra = f" {count(left, 'frame')} from another camera kept their own." if left else ""
            self.model.notice.emit(f"{state.profiles[profile].name} was given to {count(len(fitting), 'frame')}.{extra}")

    def use_built_in(self, frames: tuple[int, ...]) -> None:
        """Return frames to the camera's own rendering."""
        self.command(lambda shoot: shoot.use_built_in(frames))

    def pick_neutral(self, frame: int, at: tuple[float, float], size: float, frames: tuple[int, ...]) -> None:
        """Measure a spot of a frame (full-size pixels) and make it neutral in frames; a doubtful spot is said, and used."""
        state = self.model.state
        f = state.frames[frame]
        white = state.white_of(f.light)
        known = np.array(white.balance) if white is not None else f.raw.as_shot
        self._measure(
            f, lambda: from_spot(self.service.half(f.path), at[0] / 2, at[1] / 2, size / 2, built_in(f.raw), known), frames
        )

    def measure_card(self, frame: int, frames: tuple[int, ...]) -> None:
        """Measure a frame of a neutral card and make it neutral in frames."""
        f = self.model.state.frames[frame]

        def keep(picked: Picked) -> None:
            self.command(lambda shoot: shoot.keep_neutral(frame, picked.balance))

        self._measure(f, lambda: from_card(self.service.half(f.path), built_in(f.raw), f.raw.as_shot), frames, "card", keep)

    def _measure(
        self,
        frame: Frame,
        measure: Callable[[], Picked],
        frames: tuple[int, ...],
        source: str = "picked",
        keep: Callable[[Picked], None] = lambda _: None,
    ) -> None:
        def done(result: Any) -> None:
            if isinstance(result, VelkinError):
                self.model.report(about(result, frame.path))
                return
            keep(result)
            if frames:
                self.set_balance(frames, result.balance, source)
            kelvin, duv = built_in(frame.raw).temperature(np.array(result.balance))
            words = f"{kelvin:.0f} K, Duv {signed(duv, 4)}"
            if result.doubt:
                self.model.report(f"The balance was set ({words}), but what was picked is perhaps no neutral: {result.doubt}.")
            else:
                self.model.notice.emit(f"White balance from {'the card' if source == 'card' else 'the spot'}: {words}.")

        self.service.do(measure, done)

    def set_balance(self, frames: tuple[int, ...], balance: tuple[float, ...] | None, source: str, joins: bool = False) -> None:
        """Set white balance; `joins` makes one step of it with the same step before, as in a drag."""
        self.command(lambda shoot: shoot.set_balance(frames, balance, source, joins))

    def set_exposure(self, frames: tuple[int, ...], ev: float) -> None:
        """Set exposure."""
        self.command(lambda shoot: shoot.set_exposure(frames, ev))

    def import_profile(self, path: Path) -> None:
        """Read a profile file and give it to the chosen frames."""
        try:
            profile = load_any(path)
            for frame in (f for f in self.model.selected if self.model.state.frames[f].is_raw):
                check_camera(profile, self.model.state.frames[frame].facts.unique)
        except VelkinError as error:
            self.model.report(error)
            return
        self.shelving.bring([path])
        self.fitting.keep(profile, self.model.selected)

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
