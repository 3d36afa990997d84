"""The chart room's bench: what the reading is worth, its patches and light, what is chosen about them, and the actions."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QSlider, QVBoxLayout, QWidget

from velkin.app.widgets.chart_parts import CloseUp, LightMap, PatchTable, QualityRow
from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.parts import Bench, Figure, button, emptied, labelled, row_of, soft
from velkin.app.words import count
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.charts.definition import Chart
from velkin.core.charts.evenness import light_on
from velkin.core.charts.judge import Judgement, Verdict
from velkin.core.charts.read import Choices
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.shoot.light import Light

#: Light that changes less than this over the chart is not worth a correction, and none is offered.
_WORTH_EVENING = 0.03


class ChartBench(Bench):
    """Shows a reading and says what is wanted with it; it decides nothing itself."""

    judgement_chosen = pyqtSignal(object)
    patch_chosen = pyqtSignal(str)
    leaving_out = pyqtSignal()
    putting_back = pyqtSignal()
    sample_changed = pyqtSignal(int)
    evened = pyqtSignal(bool)
    average_wanted = pyqtSignal()
    fit_wanted = pyqtSignal()
    give_wanted = pyqtSignal(bool)
    report_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__("Reading")
        self.figure = Figure()
        self.column.addWidget(self.figure)
        self.section("Quality")
        self._quality = QVBoxLayout()
        self._quality.setSpacing(0)
        self.column.addLayout(self._quality)
        self.advice = soft()
        self.column.addWidget(self.advice)
        self.column.addWidget(self._light_row())
        self.section("Patches, ΔE00")
        self.table = PatchTable()
        self.table.patch_chosen.connect(self.patch_chosen)
        self.column.addWidget(self.table)
        self.close_up = CloseUp()
        self.column.addWidget(self.close_up)
        self.patch_words = soft()
        self.column.addWidget(self.patch_words)
        self.out_button = button(
            "Leave out",
            self.leaving_out.emit,
            tip="Leave the chosen patch out of balance and fit, or take it in (L)",
        )
        self.back_button = button("Put back", self.putting_back.emit, tip="Read the chosen patch in its own place again")
        self.column.addWidget(row_of(self.out_button, self.back_button))
        self.sample = QSlider(Qt.Orientation.Horizontal)
        self.sample.setRange(10, 90)
        self.sample.setValue(50)
        self.sample.setToolTip("How much of each patch is read, in per cent of its width")
        self.sample.valueChanged.connect(self.sample_changed)
        self.column.addWidget(labelled("Sample size", self.sample, 84))
        self.average_button = button(
            "Average with this light's other readings",
            self.average_wanted.emit,
            tip="One reading from all chart frames of this light",
        )
        self.column.addWidget(self.average_button)
        self.end()
        self.name = QLineEdit()
        self._name_row = labelled("Profile name", self.name, 84)
        self.foot.insertWidget(0, self._name_row)
        self.fit_button = button("Fit a profile from this reading", self.fit_wanted.emit, primary=True)
        self.give_button = button("", lambda: self.give_wanted.emit(True), primary=True)
        self.only_button = button("Only to this frame", lambda: self.give_wanted.emit(False))
        self.report_button = button(
            "Fit report…", self.report_wanted.emit, tip="Models side by side, other choices, two lights, export (Ctrl+R)"
        )
        for action in (self.fit_button, self.give_button, self.only_button, self.report_button):
            self.foot.addWidget(action)

    def _light_row(self) -> QWidget:
        self.even = CheckBox("Even out the light")
        self.even.setToolTip(
            "Divide the numbers by the light that the chart's patches show, so that all stand in the same light"
        )
        self.even.toggled.connect(self.evened)
        self._even_words = soft()
        self.light_map = LightMap()
        self._light_holder = QWidget()
        row = QHBoxLayout(self._light_holder)
        row.setContentsMargins(0, 0, 0, 0)
        words = QVBoxLayout()
        words.addWidget(self.even)
        words.addWidget(self._even_words)
        row.addLayout(words, 1)
        row.addWidget(self.light_map)
        return self._light_holder

    # ---- showing ----------------------------------------------------------------------------------------------

    def show_choices(self, choices: Choices, can_average: bool) -> None:
        """Show how the patches are read."""
        self.sample.blockSignals(True)
        self.sample.setValue(round(100 * choices.sample))
        self.sample.blockSignals(False)
        self.average_button.setVisible(can_average)

    def show_nothing(self) -> None:
        """Show that there is no reading."""
        self._clear()
        self.advice.show()
        self._light_holder.hide()
        self.close_up.show_patch(QImage(), QPolygonF(), ())

    def show_reading(self, kept: JudgedReading, chart: Chart) -> None:
        """Show what a reading is worth, and its light."""
        self._clear()
        for judgement in kept.judgements:
            row = QualityRow(judgement)
            row.clicked.connect(self.judgement_chosen)
            self._quality.addWidget(row)
        notes = [j for j in kept.judgements if j.verdict is not Verdict.GOOD and j.advice]
        self.advice.setText(" ".join(dict.fromkeys(j.advice for j in notes)))
        self.advice.setVisible(bool(notes))
        self._show_light(kept, chart)

    def _clear(self) -> None:
        emptied(self._quality)
        self.advice.setText("")

    def show_advice(self, judgement: Judgement) -> None:
        """Show one judgement's advice in the place of all others."""
        self.advice.setText(judgement.advice or f"{judgement.about}: {judgement.finding}.")
        self.advice.show()

    def _show_light(self, kept: JudgedReading, chart: Chart) -> None:
        about = {j.about: j for j in kept.judgements}
        told = "Light" in about and not about["Shadow"].patches
        self.even.blockSignals(True)
        self.even.setChecked(kept.reading.choices.even_light)
        self.even.setEnabled(told)
        self.even.blockSignals(False)
        light = light_on(kept.reading, chart) if told else None
        uneven = light is not None and light.fall() > _WORTH_EVENING
        self._light_holder.setVisible(uneven or kept.reading.choices.even_light)
        self.light_map.show_light(light, chart)
        fall = f"{100 * light.fall():.0f}" if light is not None else ""
        self._even_words.setText(
            ""
            if light is None
            else f"{fall} % are divided out."
            if kept.reading.choices.even_light
            else f"It falls {fall} % across."
        )

    def show_figure(self, kept: JudgedReading, profile: CameraProfile | None, charts: int) -> None:
        """Show the number that matters: how many patches are good, or how well the fit agrees; `charts` lie in the picture."""
        bad = {p for j in kept.judgements if j.verdict is Verdict.REFUSE for p in j.patches}
        refused = any(j.verdict is Verdict.REFUSE for j in kept.judgements)
        total, out = len(kept.reading.patches), len(kept.reading.choices.left_out)
        if profile is not None:
            f = profile.figures
            self.figure.show_value(
                f"ΔE {f.mean:.1f}", f"mean after the fit, worst {f.worst:.1f}; the built-in profile had {f.before:.1f}"
            )
            return
        good = total - len(bad) - out
        words = "patches are good." if not bad and not out else "patches are good and used."
        if bad:
            words = "patches are good; the others must not be used."
        if refused and not bad:
            words = "patches read; see Quality."
        if charts > 1:
            words += f" {charts} charts lie here: click another to read it."
        self.figure.show_value(f"{good} of {total}", words)

    def show_foot(self, kept: JudgedReading | None, profile: CameraProfile | None, chart: Chart, light: Light | None) -> None:
        """Show what can be done next with the reading of a frame under a light."""
        fitted = profile is not None
        refused = [] if kept is None else [j for j in kept.judgements if j.verdict is Verdict.REFUSE]
        self.fit_button.setVisible(not fitted)
        self.fit_button.setEnabled(kept is not None and not refused)
        self.report_button.setEnabled(kept is not None and not refused)
        for widget in (self.give_button, self._name_row):
            widget.setVisible(fitted)
        self.only_button.setEnabled(fitted)  # seen all the time, so that no button moves under the pointer
        self.only_button.setToolTip("" if fitted else "Fit a profile first")
        if light is None:
            return
        if profile is not None:
            if not self.name.text() or not self.name.hasFocus():
                self.name.setText(profile.name)
                self.name.setCursorPosition(0)
            self.give_button.setText(f"Give it to the {count(len(light.frames), 'frame')} of this light")
            self.sentence.setText(
                f"Profile and white balance go to {light.name}, the profile onto the shelf too; exposure stays."
            )
        elif refused:
            self.sentence.setText("This reading must not be fitted: the reason is under Quality.")
        elif kept is not None:
            self.sentence.setText(f"The reading becomes a camera profile for {light.name}; it is kept when it is given.")
        else:
            self.sentence.setText(f"The chart's {len(chart.ids)} patches have to be read before a profile can be fitted.")
