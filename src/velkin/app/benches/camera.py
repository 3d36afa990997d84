"""Camera: how camera numbers become colours in this light: chart reading, profile, white balance, exposure."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox

from velkin.app.benches.balance import BalanceSection
from velkin.app.benches.drift import DriftSection
from velkin.app.benches.field import FieldSection
from velkin.app.context import Context
from velkin.app.model.changes import Change
from velkin.app.model.places import Page
from velkin.app.model.shoot_model import ShootModel
from velkin.app.widgets.parts import Bench, Facts, Figure, Words, beside, button, compact, row_of, soft
from velkin.app.words import count, model_words, profile_line, signed, temperature_words
from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.matrices import baseline_of
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.cameraprofiles.shelf import ShelfEntry, fingerprint
from velkin.core.charts.judge import Verdict
from velkin.core.shoot.frame import Frame, Role
from velkin.core.shoot.whites import drifting, white_of

_BUILT_IN = -1


class CameraBench(Bench):
    """The light, its chart, its profile, and giving it to the other frames."""

    giving_wanted = pyqtSignal()

    def __init__(self, context: Context) -> None:
        super().__init__("Camera")
        self._jobs = context.jobs
        self._model = context.model
        self._figure = Figure()
        self.column.addWidget(self._figure)
        self._light_heading = self.section("Light")
        self._light = Facts(64)
        self.column.addWidget(self._light)
        self._drift = soft()
        self.column.addWidget(self._drift)
        self.moving = DriftSection(context)
        self.column.addWidget(self.moving)
        self.field = FieldSection(context)
        self.column.addWidget(self.field)
        self.section("Chart")
        self._chart_words = Words()
        self._chart_words.setWordWrap(True)
        self._read = button("Read   K", self._read_clicked, tip="Read the chart of this light, or look at its reading (K)")
        self.column.addWidget(beside(self._chart_words, self._read))
        self.section("Profile")
        self._profile = QComboBox()
        self._profile.setAccessibleName("Camera profile of the selected frames")
        self._profile.activated.connect(self._profile_chosen)
        self.column.addWidget(compact(self._profile))
        self._profile_words = soft()
        self.column.addWidget(self._profile_words)
        self._report = button("Fit report…", self._open_report, tip="How good the fit is, and every choice of it (Ctrl+R)")
        self._shelf = button(
            "Shelf…", lambda: self._model.places.go(Page.SHELF), tip="All profiles: on or off, named, noted, given (Ctrl+P)"
        )
        self.column.addWidget(row_of(self._report, self._shelf))
        self.section("White balance")
        self.balance = BalanceSection(context, self)
        self.column.addWidget(self.balance)
        self.section("Exposure")
        self._exposure = QDoubleSpinBox()
        self._exposure.setRange(-6, 6)
        self._exposure.setSingleStep(0.1)
        self._exposure.setDecimals(2)
        self._exposure.setSuffix(" EV")
        self._exposure.setKeyboardTracking(False)
        self._exposure.setToolTip("Per frame; a profile that is given leaves it alone")
        self._exposure.valueChanged.connect(self._exposure_changed)
        self._level = button(
            "Match the chart", self._match_exposure, tip="The exposure at which the chart's greys have their own lightness"
        )
        self._exposure.setAccessibleName("Exposure of this frame")
        self.column.addWidget(row_of(self._exposure, self._level))
        self.end()
        self._give = button("", self.give, primary=True)
        self._back = button("Back to the built-in profile", self.back_to_built_in)
        self.foot.addWidget(self._give)
        self.foot.addWidget(self._back)
        self.follow(self._model)
        context.jobs.shelf.changed.connect(self.stale)

    # ---- showing ----------------------------------------------------------------------------------------------

    def concerned(self, change: Change) -> bool:
        """The bench also tells of the light: of its other frames' charts, cards and flat frames."""
        if super().concerned(change):
            return True
        frames = self._model.state.frames if self._model.shoot is not None else {}
        light = frames[self.frame_id].light if self.frame_id in frames else None
        return any(f in frames and frames[f].light == light for f in change.frames)

    def refresh(self) -> None:
        """Follow the selected frame."""
        frame = self._model.raw_frame
        self.balance.show_frame(frame)
        self.moving.show_frame(frame)
        self.field.show_frame(frame)
        for part in (self._read, self._profile, self._exposure, self._give):
            part.setEnabled(frame is not None)
        if frame is None:
            self._figure.show_value("", "No frame is selected.")
            self.sentence.setText("")
            self._give.setText("Read the chart")
            self._back.setEnabled(False)
            return
        state = self._model.state
        light = state.light_of(frame.id)
        profile = state.profiles.get(frame.profile) if frame.profile is not None else None
        if profile is None:
            self._figure.show_value("", "The camera's built-in profile gives these numbers their meaning.")
        elif (f := profile.quality) is None:
            self._figure.show_value("", "These colours were held against no chart.")
        else:
            self._figure.show_value(f"ΔE {f.mean:.1f}", f"mean on the chart; the built-in profile had {f.before:.1f}")
        self._show_light(light.id)
        self._show_chart()
        self._show_profiles(frame.id)
        self._exposure.blockSignals(True)
        self._exposure.setValue(frame.exposure)
        self._exposure.blockSignals(False)
        self._level.setEnabled(profile is not None)
        self._show_foot()

    def _show_light(self, light_id: int) -> None:
        state, frame = self._model.state, self._model.raw_frame
        assert frame is not None
        light = next(k for k in state.lights if k.id == light_id)
        roles = [state.frames[f].role for f in light.frames]
        extra = [f"{roles.count(r)} {r}" for r in (Role.CHART, Role.NEUTRAL, Role.FLAT) if r in roles]
        self._light_heading.setText(f"Light: {light.name}")
        self._light.show_rows(
            [
                ("Camera", ", ".join(p for p in (frame.facts.model or "unknown", frame.facts.exif.lens) if p)),
                ("Frames", f"{len(light.frames)}" + (f" ({', '.join(extra)})" if extra else "")),
                ("White", self._white_words(light_id)),
            ]
        )
        strays = drifting(state, light_id)
        told = bool(strays) and state.drift(light_id) is None  # else it is told from what was measured
        self._drift.setVisible(told)
        if told:
            names = ", ".join(state.frames[f].name for f in strays[:3]) + (" …" if len(strays) > 3 else "")
            self._drift.setText(
                f"The camera's own balance drifts from the chart frame's in {count(len(strays), 'frame')}: {names}. "
                "Did the light change? Then shoot the chart again, or begin a new light there."
            )

    def _white_words(self, light_id: int) -> str:
        white = white_of(self._model.state, light_id)
        if white is None:
            state = self._model.state
            roles = {state.frames[f].role for light in state.lights if light.id == light_id for f in light.frames}
            if Role.CHART in roles:
                return "not measured: its chart is not read yet"
            if Role.NEUTRAL in roles:
                return "not measured: its neutral frame is not measured yet"
            return "not measured: no chart or neutral frame"
        return f"{white.kelvin:.0f} K, Duv {signed(white.duv, 4)}, from {self._model.state.frames[white.frame].name}"

    def _show_chart(self) -> None:
        state = self._model.state
        target = chart_of(self._model, self._model.raw_frame)
        kept = state.reading(target) if target is not None else None
        if target is None:
            self._chart_words.setText("No chart frame in this light. Choose the frame that shows the chart, then read it.")
            self._read.setText("Read   K")
            return
        name = state.frames[target].name
        if kept is None:
            self._chart_words.setText(f"{name} is marked as the chart frame and not read yet.")
        else:
            bad = [j for j in kept.judgements if j.verdict is not Verdict.GOOD]
            quality = "; ".join(j.finding for j in bad) if bad else "good in every respect"
            self._chart_words.setText(f"{name}, {len(kept.reading.patches)} patches read: {quality}.")
        self._read.setText("Read again   K" if kept else "Read   K")

    def _show_profiles(self, frame_id: int) -> None:
        state = self._model.state
        frame = state.frames[frame_id]
        self._profile.blockSignals(True)
        self._profile.clear()
        self._profile.addItem("Built in", _BUILT_IN)
        for identifier, profile in state.profiles.items():
            self._profile.addItem(profile_line(profile), identifier)
        for entry in self._offered(frame):
            self._profile.addItem(f"{entry.name}   (shelf)", str(entry.path))
        self._profile.setCurrentIndex(max(self._profile.findData(frame.profile if frame.profile is not None else _BUILT_IN), 0))
        self._profile.blockSignals(False)
        if frame.profile is None:
            self._profile_words.setText(f"{frame.facts.unique or 'The camera'}'s own colour matrices.")
        else:
            profile = state.profiles[frame.profile]
            said = self._jobs.shelf.words_for(profile)
            self._profile_words.setText(f"{_about(profile)} {said}".strip())

    def _offered(self, frame: Frame) -> list[ShelfEntry]:
        """What the shelf offers for a frame besides what the shoot has."""
        there = {fingerprint(p) for p in self._model.state.profiles.values()}
        return [e for e in self._jobs.shelf.shelf.usable(frame.facts.unique) if e.digest not in there]

    def _show_foot(self) -> None:
        state, frame = self._model.state, self._model.raw_frame
        assert frame is not None
        light = state.light_of(frame.id)
        others = self._others()
        self._back.setEnabled(frame.profile is not None)  # seen all the time, so that no button moves under the pointer
        self._back.setToolTip("" if frame.profile is not None else "It has the built-in profile already")
        self._give.show()
        if frame.profile is None and light.profile is not None:
            self.sentence.setText(f"{light.name} has a profile that this frame does not use.")
            self._give.setText(f"Give it to {count(len(self.frames), 'selected frame')}")
        elif frame.profile is None:
            self.sentence.setText("Reading the chart makes a profile and a white balance for all frames of this light.")
            self._give.setText("Read the chart")
        elif others:
            self.sentence.setText(f"Profile and white balance go to the frames of {light.name}; their exposure stays.")
            self._give.setText(f"Give it to the {count(len(others), 'other frame')} of this light…")
        else:
            self.sentence.setText(f"All {len(light.frames)} frames of {light.name} have this profile and balance.")
            self._give.setText("Give to other frames…")

    # ---- what it means ----------------------------------------------------------------------------------------

    def _others(self) -> tuple[int, ...]:
        frame = self._model.raw_frame
        assert frame is not None
        state = self._model.state
        return tuple(
            f
            for f in state.light_of(frame.id).frames
            if (state.frames[f].profile, state.frames[f].balance) != (frame.profile, frame.balance)
        )

    # ---- doing ------------------------------------------------------------------------------------------------

    def _read_clicked(self) -> None:
        frame = self._model.raw_frame
        target = chart_of(self._model, frame) if frame is not None else None
        target = target if target is not None else self._model.current
        if target is not None:
            self._model.places.go(Page.CHART, target)

    def _open_report(self) -> None:
        chart = chart_read(self._model)
        if chart is not None:
            self._model.places.go(Page.FIT, chart)

    def give(self) -> None:
        """The main action: give the profile to the light, take the light's, or read the chart."""
        frame = self._model.raw_frame
        if frame is None:
            return
        light = self._model.state.light_of(frame.id)
        if frame.profile is not None:
            self.giving_wanted.emit()
        elif light.profile is not None:
            self._jobs.camera.give_profile(light.profile, self.frames)
        else:
            self._read_clicked()

    def back_to_built_in(self) -> None:
        """Return the selected frames to the camera's built-in profile."""
        self._jobs.camera.use_built_in(self.frames)

    def _profile_chosen(self, index: int) -> None:
        identifier = self._profile.itemData(index)
        if identifier == _BUILT_IN:
            self._jobs.camera.use_built_in(self.frames)
        elif isinstance(identifier, str):
            chosen = next((e for e in self._jobs.shelf.shelf.entries if str(e.path) == identifier), None)
            profile = chosen.named() if chosen is not None else None
            if profile is not None:
                self._jobs.fits.keep(profile, self.frames)
        else:
            self._jobs.camera.give_profile(int(identifier), self.frames)
        self.refresh()

    def _exposure_changed(self, value: float) -> None:
        frame = self._model.state.frames.get(self.frame_id) if self.frame_id is not None else None
        if frame is not None and frame.is_raw and value != frame.exposure:
            self._jobs.camera.set_exposure(self.frames, round(value, 2))

    def _match_exposure(self) -> None:
        frame = self._model.raw_frame
        if frame is not None and frame.profile is not None:
            profile = self._model.state.profiles[frame.profile]
            if isinstance(profile, CameraProfile) and profile.keep_exposure:
                self._jobs.camera.set_exposure(self.frames, round(float(np.log2(profile.exposure)) - baseline_of(frame.raw), 2))


def chart_of(model: ShootModel, frame: Frame | None) -> int | None:
    """The frame whose chart is meant at a frame: itself when it is a chart frame, else its light's chart frame."""
    if frame is None or frame.role is Role.CHART:
        return None if frame is None else frame.id
    state = model.state
    charts = [f for f in state.light_of(frame.id).frames if state.frames[f].role is Role.CHART]
    read = [f for f in charts if f in state.readings]
    return next(iter(read or charts), None)


def chart_read(model: ShootModel) -> int | None:
    """The frame whose reading the fit report at the frame at hand is about; None, with a word, where no chart was read."""
    frame = model.raw_frame
    if frame is None:
        return None
    state = model.state
    chart = frame.id if frame.id in state.readings else state.chart_frame(frame.light)
    if chart is None or chart not in state.readings:
        model.report(
            f"No chart has been read under {state.light_of(frame.id).name}. Read one first (K), then its fit can be seen."
        )
        return None
    return chart


def _about(profile: AnyProfile) -> str:
    """What a profile is and how good, in a sentence or two."""
    kind = model_words(profile)
    kind = kind[0].upper() + kind[1:]
    if not isinstance(profile, CameraProfile):
        return f"{kind} from a file" + (f", for {profile.camera}." if profile.camera else ", for any camera.")
    f = profile.figures
    if profile.quality is None:
        return (
            f"{kind}, fitted on {profile.chart_frame} under {temperature_words(profile)}. Variant: {profile.variant.words()}."
        )
    return (
        f"{kind}, fitted on {profile.chart_frame} under {temperature_words(profile)}. 95\u202f% within ΔE {f.p95:.1f}, "
        f"worst {f.worst:.1f}; colours left out were predicted to {f.leave_one_out:.1f}."
    )
