"""Fitting with choices, from the window: reports, exports, variants, finished pictures."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import pyqtSignal

from velkin.app.jobs.camera import Camera
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.shelf import ShelfJobs
from velkin.app.jobs.work import Ground, Work, about
from velkin.app.words import count
from velkin.core.cameraprofiles.anyprofile import AnyProfile, check_camera, load_any
from velkin.core.cameraprofiles.matrices import baseline_of, built_in
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.cameraprofiles.shelf import name_by_pattern
from velkin.core.charts.definition import Chart
from velkin.core.charts.judge import refuse_unusable
from velkin.core.charts.reading_job import JudgedReading, charts_in, pixels_of, read_found
from velkin.core.errors import VelkinError
from velkin.core.files.camera_names import is_shot_with
from velkin.core.files.safely import refuse_output, write_whole
from velkin.core.shoot.frame import Frame
from velkin.core.spectra import Illuminant

if TYPE_CHECKING:  # the libraries that fit load when they are needed
    from velkin.core.cameraprofiles.export import ExportChoices
    from velkin.core.cameraprofiles.fit import FitRequest, Fitted
    from velkin.core.cameraprofiles.report import PatchColours


@dataclass(frozen=True)
class FitWish:
    """What a person chose for a fit.

    Attributes
    ----------
    light : Illuminant or None
        None: found by the chart's greys.
    second : int or None
        Chart frame of a second light.
    keep_exposure : bool
    tone : ``none`` or ``standard``
    weights : tuple of (patch id, weight)
        Of patches that count more or less than 1; 0 leaves one out, besides those that the reading leaves out.
    """

    light: Illuminant | None = None
    second: int | None = None
    keep_exposure: bool = True
    tone: str = "none"
    weights: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True)
class FitReport:
    """What a fit gave, with the colours of the (first) chart's patches."""

    wish: FitWish
    fitted: Fitted
    colours: PatchColours


class Fits(Work):
    """The fitting jobs of the window."""

    report_ready = pyqtSignal(int, object)  # frame, FitReport or VelkinError

    def __init__(self, ground: Ground, shelf: ShelfJobs, camera: Camera) -> None:
        super().__init__(ground)
        self._shelf = shelf
        self._camera = camera

    def name_for(self, frame: Frame) -> str:
        """A name from which camera and light are known next month."""
        light = self._model.state.light_of(frame.id)
        camera = frame.facts.model or "Camera"
        return light.name if camera in light.name else f"{camera}, {light.name}"

    def report(self, frame: int, kept: JudgedReading, wish: FitWish) -> None:
        """Fit every model with these choices; the newest wish wins. It comes as `report_ready`."""
        state = self._model.state
        evened = state.evened(frame, kept)
        first = self.request(state.frames[frame], kept, wish, wish.light)
        second = None
        if wish.second is not None and wish.second in state.readings:
            second = self.request(state.frames[wish.second], state.readings[wish.second], wish, None)
        facts = state.frames[frame].raw

        def work(job: Job) -> FitReport:
            from velkin.core.cameraprofiles.fit import fit
            from velkin.core.cameraprofiles.report import patch_colours

            refuse_unusable(evened.judgements)
            return FitReport(wish, fit(first, second), patch_colours(first, facts.as_shot))

        def done(result: Any) -> None:
            self.report_ready.emit(frame, about(result, facts.path))

        self._lanes.start(Lane.HAND, work, done, name="Fitting", purpose="fit report")

    def request(self, frame: Frame, kept: JudgedReading, wish: FitWish, light: Illuminant | None) -> FitRequest:
        """What is to be fitted on a frame's reading, evened as its picture is, with a person's choices."""
        from velkin.core.cameraprofiles.fit import FitRequest

        used = self._model.state.evened(frame.id, kept)
        return FitRequest(
            used.for_fit(),
            kept.chart,
            frame.facts.unique,
            built_in(frame.raw),
            light,
            self.name_for(frame),
            frame.path.name,
            keep_exposure=wish.keep_exposure,
            tone=wish.tone,
            weights=wish.weights,
            baseline=baseline_of(frame.raw),
        )

    def plain_request(self, frame: int, kept: JudgedReading) -> FitRequest:
        """What is to be fitted on a frame's reading without any choice."""
        return self.request(self._model.state.frames[frame], kept, FitWish(), None)

    def stamp(self, profile: CameraProfile) -> CameraProfile:
        """The profile with the time it was made, now."""
        from velkin.core.cameraprofiles.fit import stamped

        return stamped(profile, datetime.now())

    # ---- files ------------------------------------------------------------------------------------------------

    def export(
        self,
        profile: AnyProfile,
        folder: Path,
        pattern: str,
        suffixes: list[str],
        choices: ExportChoices,
        picture: Frame | None,
        replace_old: bool,
    ) -> None:
        """Write a profile in several formats, and with `picture` the TIFF of camera numbers that ICC and .cube take."""

        def work(job: Job) -> list[str]:
            from velkin.core.cameraprofiles.export import exported

            stem = name_by_pattern(pattern, profile, f"{datetime.now():%Y-%m-%d}")
            folder.mkdir(parents=True, exist_ok=True)
            files = [(folder / f"{stem}{suffix}", exported(profile, suffix, choices).data) for suffix in suffixes]
            if picture is not None:
                wanted = ({choices.encoding} if ".icc" in suffixes else set()) | ({"srgb"} if ".cube" in suffixes else set())
                for encoding in sorted(wanted):
                    name = f"{stem}, {picture.name} camera numbers, {'sRGB curve' if encoding == 'srgb' else 'linear'}.tif"
                    files.append((folder / name, input_of(picture, profile, encoding)))
            for out, _ in files:
                refuse_output(out, [], replace_old)
            for out, data in files:
                write_whole(out, data, replace_old)
            return [out.name for out, _ in files]

        def done(names: list[str]) -> None:
            self._model.say(f"Written to {folder}: {', '.join(names)}.")

        self._aside(Lane.HAND, work, done, name="Writing the profile")

    def fit_picture(self, path: Path, chart: Chart) -> None:
        """Fit on a finished picture of a chart; the profile goes onto the shelf, with a word on what the picture went through."""
        from velkin.core.cameraprofiles.picture_fit import fit_picture_file

        def work(job: Job) -> tuple[CameraProfile, str]:
            try:
                image, scale = pixels_of(path)
                kept = read_found(image, charts_in(image, chart, scale)[0], scale)
                fitted, said = fit_picture_file(path, kept.even_light(kept.is_uneven), name=path.stem)
            except VelkinError as error:
                raise about(error, path) from error
            return self.stamp(fitted.of("auto")), said

        def done(result: tuple[CameraProfile, str]) -> None:
            profile, said = result
            self._shelf.add(profile)
            words = f"{profile.name} is on the shelf: mean ΔE {profile.figures.mean:.1f} on the chart."
            if said:
                self._model.report(f"{words} {said}")
            else:
                self._model.say(words)

        self._aside(Lane.HAND, work, done, name="Fitting on a picture")

    def import_profile(self, path: Path, frames: tuple[int, ...]) -> None:
        """Read a profile file, put it on the shelf and give it to frames."""
        cameras = [self._model.state.frames[f].facts.unique for f in frames if self._model.state.frames[f].is_raw]

        def work(job: Job) -> AnyProfile:
            profile = load_any(path)
            for camera in cameras:
                check_camera(profile, camera)
            return profile

        def done(profile: AnyProfile) -> None:
            self._shelf.bring([path])
            self.keep(profile, frames)

        self._aside(Lane.HAND, work, done, name="Reading the profile")

    def keep(self, profile: AnyProfile, frames: tuple[int, ...]) -> None:
        """Add a profile to the shoot and give it to frames; one that the shoot has already is given."""
        state = self._model.state
        same = next((i for i, p in state.profiles.items() if p == profile), None)
        if same is not None:
            self._camera.give_profile(same, frames)
            return
        fitting = tuple(f for f in frames if not profile.camera or is_shot_with(state.frames[f].facts, profile.camera))
        if not fitting:
            self._model.report(f"{profile.name} was made for {profile.camera}; the selected frames come from another camera.")
            return
        if self._command(lambda shoot: shoot.camera.add_profile(profile, fitting)):
            self._model.say(f"{profile.name} was given to {count(len(fitting), 'frame')}.")


def input_of(frame: Frame, profile: AnyProfile, encoding: str) -> bytes:
    """The TIFF of a frame that a written profile takes, at the frame's balance, else the profile's."""
    import numpy as np

    from velkin.core.handoff.profile_input import camera_tiff  # loaded where needed
    from velkin.core.stages.camera import profile_stage

    given = None if frame.balance is None else np.array(frame.balance)
    return camera_tiff(frame.path, profile_stage(profile, frame.raw, balance=given).balance, encoding)
