"""The fit report: how good a profile is, which model to take, what each choice does; refitted as one chooses."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.jobs.fits import FitReport, FitWish
from velkin.app.model.places import Page, Place
from velkin.app.rooms.fit_parts import ErrorVectors, ModelCards, SplitPatches
from velkin.app.rooms.room import Room
from velkin.app.widgets.chart_parts import PatchTable
from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.parts import Bench, Elided, Figure, Heading, Words, button, compact, labelled, row_of, soft
from velkin.app.words import count
from velkin.core.cameraprofiles.anyprofile import calibrated_for
from velkin.core.cameraprofiles.models import WORDS
from velkin.core.cameraprofiles.profile import CameraProfile, LightFit
from velkin.core.cameraprofiles.report import differences_by_hue, report_csv, verdict, wrong_built_in
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.errors import VelkinError
from velkin.core.files.camera_names import is_shot_with, same_body
from velkin.core.files.raw import RawFacts
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spectra import parse_light

_LIGHTS = ("A", "D50", "D55", "D65", "D75")


class FitRoom(Room):
    """Takes over viewer and bench while a fit is looked at."""

    page = Page.FIT
    csv_wanted = pyqtSignal(str, str)  # name without suffix, text
    export_wanted = pyqtSignal(object)  # CameraProfile
    spectrum_wanted = pyqtSignal()

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Fit report")
        self.frame: int | None = None
        self.kept: JudgedReading | None = None
        self.report: FitReport | None = None
        self.wish = FitWish()
        self.model = "auto"
        self._against: int | None = None

        self.cards = ModelCards()
        self.cards.chosen.connect(self.choose_model)
        self.patches = SplitPatches()
        self.patches.clicked.connect(self._choose_patch)
        self.vectors = ErrorVectors()
        main = QVBoxLayout()
        main.setContentsMargins(0, 0, 0, 0)
        main.setSpacing(1)
        self._header()
        main.addWidget(self.cards)
        main.addWidget(self.patches, 5)
        lower = QHBoxLayout()
        lower.setSpacing(1)
        lower.addWidget(self.vectors, 3)
        lower.addWidget(self._words(), 2)
        main.addLayout(lower, 6)
        self.lay_out(main, self._bench())
        context.jobs.fits.report_ready.connect(self._ready)
        self.on_keys(("L", self.leave_out))

    # ---- building ---------------------------------------------------------------------------------------------

    def _header(self) -> None:
        row = self.head
        self._subtitle = Elided()
        row.addWidget(self._subtitle, 1)
        self._csv = button("Save as CSV…", self.save_csv, tip="Every patch's Lab and differences as a table")
        self._export = button("Export…", self._export_clicked, tip="Write the chosen profile for other software")
        for item in (self._csv, self._export):
            row.addWidget(item)
        self.add_back()

    def _words(self) -> QWidget:
        holder = QWidget()
        holder.setObjectName("panel")
        holder.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(holder)
        column.setContentsMargins(16, 5, 16, 10)
        column.setSpacing(6)
        column.addWidget(Heading("What it changes"))
        self.against = compact(QComboBox())
        self.against.setAccessibleName("Compare with")
        self.against.setToolTip("What the left third of each patch, the dotted lines and these words compare with")
        self.against.activated.connect(self._against_chosen)
        column.addWidget(labelled("Against", self.against, 52))
        self._changes = Words()
        self._changes.setFont(theme.font(13))
        self._changes.setWordWrap(True)
        column.addWidget(self._changes)
        column.addSpacing(4)
        column.addWidget(Heading("Remaining differences"))
        self._rest = Words()
        self._rest.setFont(theme.font(13))
        self._rest.setWordWrap(True)
        column.addWidget(self._rest)
        column.addStretch(1)
        return holder

    def _bench(self) -> QWidget:
        bench = Bench("Fit")
        self._figure = Figure()
        bench.column.addWidget(self._figure)
        self._reason = soft()
        bench.column.addWidget(self._reason)
        self._wrong = Words()
        self._wrong.setWordWrap(True)
        self._wrong.setFont(theme.font(13, 600))
        bench.column.addWidget(self._wrong)
        bench.section("Light")
        self.light = compact(QComboBox())
        self.light.setToolTip("The light that the chart's reference is computed for")
        self.light.activated.connect(self._light_chosen)
        bench.column.addWidget(labelled("Shot in", self.light, 84))
        self.kelvin = QLineEdit()
        self.kelvin.setPlaceholderText("kelvin, such as 5200")
        self.kelvin.editingFinished.connect(self._kelvin_typed)
        self._kelvin_row = labelled("Temperature", self.kelvin, 84)
        bench.column.addWidget(self._kelvin_row)
        self.second = compact(QComboBox())
        self.second.setToolTip("A chart frame under another light: one profile for every light between the two")
        self.second.activated.connect(self._second_chosen)
        bench.column.addWidget(labelled("Second light", self.second, 84))
        bench.section("Exposure and tone")
        self.keep = CheckBox("Keep the shot's exposure")
        self.keep.setToolTip("Off: the profile brings the chart's greys to their own lightness")
        self.keep.toggled.connect(lambda on: self._choose(replace(self.wish, keep_exposure=on)))
        self.tone = CheckBox("Add the standard tone curve")
        self.tone.setToolTip("For other software; Velkin itself stays scene-linear")
        self.tone.toggled.connect(lambda on: self._choose(replace(self.wish, tone="standard" if on else "none")))
        bench.column.addWidget(self.keep)
        bench.column.addWidget(self.tone)
        bench.section("Patches, ΔE00")
        self.table = PatchTable()
        self.table.setHorizontalHeaderLabels(["Patch", "", "before", "after"])
        self.table.sortItems(3, Qt.SortOrder.DescendingOrder)  # the worst first
        self.table.patch_chosen.connect(self._row_chosen)
        bench.column.addWidget(self.table)
        self.weight = compact(QComboBox())
        self.weight.setAccessibleName("How much the chosen patch counts")
        self.weight.setToolTip("How much the chosen patch counts in the fit (L leaves it out or takes it in)")
        for words, value in (
            ("left out", 0.0),
            ("counts half", 0.5),
            ("counts once", 1.0),
            ("counts 3 ×", 3.0),
            ("counts 10 ×", 10.0),
        ):
            self.weight.addItem(words, value)
        self.weight.setCurrentIndex(2)
        self.weight.activated.connect(lambda _: self._weigh(float(self.weight.currentData())))
        self.all_in = button("All count once", lambda: self._choose(replace(self.wish, weights=())))
        bench.column.addWidget(row_of(self.weight, self.all_in))
        bench.end()
        self._name = QLineEdit()
        bench.foot.insertWidget(0, labelled("Profile name", self._name, 84))
        self._sentence = bench.sentence
        self.give_button = button("", lambda: self.give(True), primary=True)
        self.only_button = button("Only to this frame", lambda: self.give(False))
        bench.foot.addWidget(self.give_button)
        bench.foot.addWidget(self.only_button)
        # boxes in a scroll column must not change under a wheel that means the column
        for box in (self.light, self.second, self.against, self.weight):
            box.installEventFilter(self)
        return bench

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A wheel over a box that is not chosen scrolls the column."""
        if event is not None and event.type() == QEvent.Type.Wheel and isinstance(watched, QWidget) and not watched.hasFocus():
            event.ignore()
            return True
        return super().eventFilter(watched, event)

    # ---- coming and going -------------------------------------------------------------------------------------

    def takes(self, frame: int) -> bool:
        """The report is about a frame whose chart was read."""
        return frame in self._model.state.readings

    def enter(self, place: Place) -> None:
        """Show the fits of a frame's reading."""
        assert place.frame is not None
        frame = place.frame
        self._model.select(frame)
        state = self._model.state
        self.frame, self.kept, self.report = frame, state.readings[frame], None
        self.wish, self.model, self._against = FitWish(), "auto", None
        f = state.frames[frame]
        self._subtitle.setText(f"{f.name}, {state.light_of(frame).name}")
        self._name.setText(self._suggestion())
        self._name.setCursorPosition(0)
        self._figure.show_value("", "Fitting …")
        self._reason.setText("")
        self._wrong.hide()
        self._kelvin_row.hide()
        for tick, on in ((self.keep, True), (self.tone, False)):
            tick.blockSignals(True)
            tick.setChecked(on)
            tick.blockSignals(False)
        self._fill_boxes()
        self._show_foot()
        self.setFocus()
        self._fit()

    def left_behind(self) -> None:
        """No fit is awaited any more."""
        self.frame = None
        self._jobs.lanes.forget("fit report")

    def _fill_boxes(self) -> None:
        state = self._model.state
        assert self.frame is not None
        here = state.frames[self.frame]
        self.light.clear()
        self.light.addItem("found by the greys", "auto")
        for name in _LIGHTS:
            self.light.addItem({"A": "illuminant A, 2856 K"}.get(name, f"daylight {name}"), name)
        self.light.addItem("a temperature …", "kelvin")
        self.light.addItem("a measured spectrum …", "file")
        self.second.clear()
        self.second.addItem("none: one light", None)
        for light in state.lights:
            for frame in light.frames:
                same = same_body(state.frames[frame].facts, here.facts)
                if frame in state.readings and light.id != here.light and same:
                    self.second.addItem(f"{light.name} ({state.frames[frame].name})", frame)
        self.second.setEnabled(self.second.count() > 1)
        self.against.clear()
        self.against.addItem("the built-in profile", None)
        for identifier, profile in state.profiles.items():
            if not profile.camera or is_shot_with(here.facts, profile.camera):
                self.against.addItem(profile.name, identifier)

    # ---- choices ----------------------------------------------------------------------------------------------

    def _fit(self) -> None:
        if self.frame is not None and self.kept is not None:
            self._jobs.fits.report(self.frame, self.kept, self.wish)

    def _choose(self, wish: FitWish) -> None:
        if wish != self.wish:
            self.wish = wish
            self._fit()

    def choose_model(self, model: str) -> None:
        """Look at another model."""
        self.model = model
        self._show()

    def _light_chosen(self, index: int) -> None:
        chosen = str(self.light.itemData(index))
        self._kelvin_row.setVisible(chosen == "kelvin")
        if chosen == "kelvin":
            self.kelvin.setFocus()
        elif chosen == "file":
            self.spectrum_wanted.emit()
        else:
            self._choose(replace(self.wish, light=None if chosen == "auto" else parse_light(chosen)))

    def _kelvin_typed(self) -> None:
        text = self.kelvin.text().strip()
        if not text:
            return
        try:
            self._choose(replace(self.wish, light=parse_light(f"{float(text.removesuffix('K').replace(',', '.')):g}")))
        except (ValueError, VelkinError) as error:
            self._figure.show_value(
                "",
                f"{text} is no temperature: {error}"
                if isinstance(error, VelkinError)
                else f"{text} is no temperature in kelvin.",
            )

    def use_spectrum(self, path: Path) -> None:
        """Take a measured spectrum for the light."""
        try:
            light = parse_light(str(path))
        except VelkinError as error:
            self._model.report(error)
            self.light.setCurrentIndex(0)
            return
        at = self.light.findData("file")
        self.light.setItemText(at, f"spectrum {path.stem}")
        self._choose(replace(self.wish, light=light))

    def _second_chosen(self, index: int) -> None:
        old = self._suggestion()
        self._choose(replace(self.wish, second=self.second.itemData(index)))
        if self._name.text() == old:  # a name that was typed stays
            self._name.setText(self._suggestion())
            self._name.setCursorPosition(0)

    def _suggestion(self) -> str:
        """A name that says camera and light, or both lights."""
        assert self.frame is not None
        state = self._model.state
        name = self._jobs.fits.name_for(state.frames[self.frame])
        return name if self.wish.second is None else f"{name} to {state.light_of(self.wish.second).name}"

    def _against_chosen(self, index: int) -> None:
        self._against = self.against.itemData(index)
        self._show()

    def leave_out(self) -> None:
        """Leave the chosen patch out of the fit, or take it in again."""
        if self.kept is None or self.patches.patch < 0:
            return
        name = self.kept.chart.ids[self.patches.patch]
        self._weigh(1.0 if dict(self.wish.weights).get(name, 1.0) == 0.0 else 0.0)

    def _weigh(self, weight: float) -> None:
        """Let the chosen patch count so much."""
        if self.kept is None or self.patches.patch < 0:
            return
        weights = dict(self.wish.weights) | {self.kept.chart.ids[self.patches.patch]: weight}
        self._choose(
            replace(self.wish, weights=tuple((i, weights[i]) for i in self.kept.chart.ids if weights.get(i, 1.0) != 1.0))
        )

    # ---- showing ----------------------------------------------------------------------------------------------

    def _ready(self, frame: int, result: Any) -> None:
        if frame != self.frame:
            return
        if isinstance(result, VelkinError):
            self._figure.show_value("", str(result))
            self._reason.setText("What is shown is the last fit that could be made." if self.report is not None else "")
            return
        self.report = result
        self._show()

    @property
    def profile(self) -> CameraProfile | None:
        """The profile of the model that is looked at."""
        return None if self.report is None else self.report.fitted.of(self.model)

    def _show(self) -> None:
        report, profile = self.report, self.profile
        if report is None or profile is None or self.kept is None or self.frame is None:
            return
        chart, colours = self.kept.chart, report.colours
        self.cards.show_fitted(report.fitted, profile.model)
        after = colours.through(self._own(profile).model)
        before = colours.before
        if self._against is not None and self._against in self._model.state.profiles:
            facts = self._model.state.frames[self.frame].facts
            body = facts.colour if isinstance(facts, RawFacts) else None
            other = calibrated_for(self._model.state.profiles[self._against], body)
            before = colours.through(other.colours(colours.balance))
        errors = colours.errors(after)
        self.patches.show_patches(chart, before, colours.reference, after, errors)
        self.vectors.show_vectors(colours.reference, before, after)
        lab = [xyz_to_lab(x) for x in (before, after, colours.reference)]
        self._changes.setText(_lines(differences_by_hue(lab[1], lab[0]), "nothing that could be seen"))
        self._rest.setText(_lines(differences_by_hue(lab[1], lab[2], 3), "nothing that could be seen"))
        state, sentence = verdict(profile.figures)
        f = profile.figures
        self._figure.show_value(f"ΔE {f.mean:.2f}", f"{state}: {sentence[0].lower()}{sentence[1:]}")
        told = report.fitted.reason
        self._reason.setText(f"{told[0].upper()}{told[1:]}." if told else "")
        wrong = wrong_built_in(f)
        self._wrong.setText(wrong)
        self._wrong.setVisible(bool(wrong))
        out = (*self.kept.reading.choices.left_out, *(patch for patch, weight in self.wish.weights if weight == 0.0))
        was = colours.errors(before)
        self.table.show_patches(
            chart, out, dict(zip(chart.ids, was.tolist(), strict=True)), dict(zip(chart.ids, errors.tolist(), strict=True))
        )
        self.all_in.setEnabled(bool(self.wish.weights))
        self._show_weight()
        self._show_foot()

    def _own(self, profile: CameraProfile) -> LightFit:
        """The fit that was made on the frame which is looked at."""
        assert self.frame is not None
        name = self._model.state.frames[self.frame].path.name
        return next((f for f in profile.fits if f.chart_frame == name), profile.fits[0])

    def _show_foot(self) -> None:
        if self.frame is None:
            return
        profile, light = self.profile, self._model.state.light_of(self.frame)
        for action in (self.give_button, self.only_button, self._csv, self._export):
            action.setEnabled(profile is not None)
        self.give_button.setText(f"Give it to the {count(len(light.frames), 'frame')} of this light")
        kind = WORDS[profile.model] if profile is not None else "profile"
        more = " It serves every light between the two." if profile is not None and len(profile.fits) == 2 else ""
        self._sentence.setText(f"The {kind} goes to {light.name} and onto the shelf; exposure stays.{more}")

    def _choose_patch(self, index: int) -> None:
        self.patches.patch = self.vectors.patch = index
        self.patches.update()
        self.vectors.update()
        if self.kept is not None:
            self.table.choose(self.kept.chart.ids[index])
            self._show_weight()

    def _show_weight(self) -> None:
        chosen = self.kept is not None and self.patches.patch >= 0
        self.weight.setEnabled(chosen)
        if chosen:
            assert self.kept is not None
            weight = dict(self.wish.weights).get(self.kept.chart.ids[self.patches.patch], 1.0)
            self.weight.setCurrentIndex(self.weight.findData(weight))

    def _row_chosen(self, patch: str) -> None:
        if self.kept is not None and patch in self.kept.chart.ids:
            index = self.kept.chart.ids.index(patch)
            if index != self.patches.patch:
                self._choose_patch(index)

    # ---- doing ------------------------------------------------------------------------------------------------

    def named(self) -> CameraProfile | None:
        """The chosen profile with the name that was typed, stamped."""
        profile = self.profile
        return (
            None if profile is None else self._jobs.fits.stamp(replace(profile, name=self._name.text().strip() or profile.name))
        )

    def give(self, whole_light: bool) -> None:
        """Keep the chosen profile and give it to the light, or to this frame."""
        profile, frame = self.named(), self.frame
        if profile is not None and frame is not None:
            self.leave_after(lambda: self._jobs.camera.keep_profile(frame, profile, profile.name, whole_light))

    def save_csv(self) -> None:
        """Ask for the table to be written."""
        profile = self.named()
        if profile is not None and self.report is not None:
            after = self.report.colours.through(self._own(profile).model)
            self.csv_wanted.emit(profile.name, report_csv(self.report.colours, after))

    def _export_clicked(self) -> None:
        profile = self.named()
        if profile is not None:
            self.export_wanted.emit(profile)


def _lines(words: list[str], nothing: str) -> str:
    return "\n".join(words) if words else nothing
