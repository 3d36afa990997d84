"""Reading the chart: find it or place its grid, judge the reading, correct or leave out, fit a profile, give it to the light."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QComboBox, QVBoxLayout

from velkin.app.context import Context
from velkin.app.flow.drawing import Rendered
from velkin.app.model.places import Page, Place
from velkin.app.rooms.chart_bench import ChartBench
from velkin.app.rooms.chart_view import ChartView
from velkin.app.rooms.room import Room
from velkin.app.widgets.chart_parts import Swatches, outline_of
from velkin.app.widgets.parts import Elided, button, compact
from velkin.app.words import signed
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.cameraprofiles.report import patch_colours
from velkin.core.charts.built_in import iso24
from velkin.core.charts.definition import Chart
from velkin.core.charts.find import FoundChart
from velkin.core.charts.judge import Judgement
from velkin.core.charts.read import Choices
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.charts.refining import homography
from velkin.core.errors import VelkinError
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab

Floats = NDArray[np.float64]


class _Colours(NamedTuple):
    """A chart's patches (N, 3), XYZ D50 on one exposure: the reference, the reading through the built-in profile, and through the
    fitted one if there is one; and the temperature of the reference, kelvin."""

    reference: Floats
    before: Floats
    after: Floats | None
    kelvin: float


class ChartRoom(Room):
    """Takes over viewer and bench while a chart is read."""

    page = Page.CHART
    other_file_wanted = pyqtSignal()

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Reading")
        self.chart: Chart = iso24()
        self.frame: int | None = None
        self.kept: JudgedReading | None = None
        self.profile: CameraProfile | None = None
        self._choices = Choices()
        self._found: list[FoundChart] = []
        self._reading_again = False
        self._wanted_again = False
        self._image = QImage()
        #: The colours of the reading that is shown.
        self._colours: _Colours | None = None

        self.view = ChartView(self.chart)
        self.view.margins = (20, 28, 20, 20)
        self.swatches = Swatches(self.chart)
        self.bench = ChartBench()
        main = QVBoxLayout()
        main.setContentsMargins(0, 0, 0, 0)
        main.setSpacing(0)
        self._header()
        main.addWidget(self.view, 1)
        main.addWidget(self.swatches)
        self.lay_out(main, self.bench)

        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(120)
        self._settle.timeout.connect(self._read_at_corners)
        self.view.corners_moved.connect(self._corners_moved)
        self.view.patch_clicked.connect(self._choose_patch)
        self.view.patch_moved.connect(self._patch_moved)
        self.view.other_chosen.connect(self._other_chosen)
        self.swatches.clicked.connect(self._choose_patch)
        self.bench.judgement_chosen.connect(self._judgement_clicked)
        self.bench.patch_chosen.connect(self._row_chosen)
        self.bench.leaving_out.connect(self.leave_out)
        self.bench.putting_back.connect(self.put_back)
        self.bench.sample_changed.connect(self._sample_changed)
        self.bench.evened.connect(self._even_toggled)
        self.bench.average_wanted.connect(self.average)
        self.bench.fit_wanted.connect(self.fit)
        self.bench.give_wanted.connect(self._give)
        self.bench.report_wanted.connect(self._report)
        context.jobs.charts.read_ready.connect(self._read_ready)
        context.jobs.charts.found.connect(self._charts_found)
        context.jobs.charts.fit_ready.connect(self._fit_ready)
        context.flow.shown.connect(self._rendered)
        self.view.pointed.connect(context.flow.point_at)
        self.on_keys(("R", self.turn), ("P", self.place_by_hand), ("S", self.snap), ("L", self.leave_out))

    # ---- building ---------------------------------------------------------------------------------------------

    def _header(self) -> None:
        row = self.head
        self._subtitle = Elided()
        self.chart_box = compact(QComboBox())
        self.chart_box.setAccessibleName("Which chart this is")
        self.chart_box.setToolTip("The chart that lies in this frame")
        self.chart_box.setMinimumWidth(120)
        self.chart_box.activated.connect(self._chart_chosen)
        row.addWidget(self._subtitle, 1)
        row.addWidget(self.chart_box, 3)
        self.find_button = button("Find", self.look_for_it, tip="Look for the chart in the picture")
        self.place_button = button(
            "Place", self.place_by_hand, tip="Lay the grid on the middle of the picture and drag its corners (P)"
        )
        self.turn_button = button("Turn", self.turn, tip="Turn the grid by 90°: the first patch moves to the next corner (R)")
        self.snap_button = button("Snap", self.snap, tip="Move the grid to the patches' real edges (S)")
        for item in (self.find_button, self.place_button, self.turn_button, self.snap_button):
            item.setProperty("narrow", True)
            row.addWidget(item)
        self.add_back()

    # ---- coming and going -------------------------------------------------------------------------------------

    def takes(self, frame: int) -> bool:
        """Charts are read in raw frames."""
        return self._model.state.frames[frame].is_raw

    def enter(self, place: Place) -> None:
        """Show a frame; its kept reading, or a search for the chart."""
        assert place.frame is not None
        frame = place.frame
        self._model.show_before(False)
        self._model.select(frame)
        opened = place.about if isinstance(place.about, Chart) else None
        self.frame, self.profile, self._found = frame, None, []
        f = self._model.state.frames[frame]
        self._subtitle.setText(f.name)
        self.view.clear()
        self.view.elsewhere = []
        self.view.setFocus()
        kept = self._model.state.readings.get(frame) if opened is None else None
        self._use_chart(opened or (kept.chart if kept is not None else self.chart))
        self._fill_charts()
        self._choices = kept.reading.choices if kept is not None else Choices()
        if kept is not None:
            self._show(kept)
        else:
            self._show(None)
            self.look_for_it()

    def left_behind(self) -> None:
        """The reading is kept already; what is awaited for it is not shown any more."""
        self.frame = None

    def _rendered(self, rendered: Rendered) -> None:
        if rendered.frame == self.frame and self.frame is not None and self.isVisible():
            facts = self._model.state.frames[self.frame].raw
            self._image = rendered.image
            self.view.set_picture(rendered.image, (facts.width, facts.height))
            if self.view.patch >= 0:
                self._show_patch(self.view.patch)

    # ---- which chart ------------------------------------------------------------------------------------------

    def _fill_charts(self) -> None:
        self.chart_box.blockSignals(True)
        self.chart_box.clear()
        for chart in self._model.state.charts.values():
            self.chart_box.addItem(chart.name, chart.id)
        self.chart_box.addItem("Another chart file…", "")
        self.chart_box.setCurrentIndex(max(self.chart_box.findData(self.chart.id), 0))
        self.chart_box.blockSignals(False)

    def _chart_chosen(self, index: int) -> None:
        chosen = self.chart_box.itemData(index)
        if not chosen:
            self._fill_charts()
            self.other_file_wanted.emit()
        elif chosen != self.chart.id:
            self.use_chart(self._model.state.charts[chosen])

    def use_chart(self, chart: Chart) -> None:
        """Take the chart in this frame for another one, and look for it."""
        self._use_chart(chart)
        self._fill_charts()
        self._choices = Choices()
        self.view.set_corners(None)
        self._show(None)
        self.look_for_it()

    def _use_chart(self, chart: Chart) -> None:
        self.chart = chart
        self.view.set_chart(chart)
        self.view.patch = -1
        self.swatches.set_chart(chart)
        self.bench.table.clearSelection()
        self.bench.patch_words.setText("")

    # ---- placing ----------------------------------------------------------------------------------------------

    def look_for_it(self) -> None:
        """Look for the chart."""
        if self.frame is not None:
            self.bench.figure.show_value("", "Looking for the chart …")
            self._choices = replace(self._choices, moved=())
            self._jobs.charts.find(self.frame, self.chart)

    def _charts_found(self, frame: int, found: list[FoundChart]) -> None:
        if frame == self.frame:
            self._found = found
            self.view.elsewhere = [f.corners for f in found[1:]]
            if found[0].chart is not self.chart:
                self._use_chart(found[0].chart)

    def _other_chosen(self, number: int) -> None:
        """Read another of the charts that were found."""
        chosen = self.view.elsewhere[number]
        if self.view.corners is not None:
            self.view.elsewhere[number] = self.view.corners.copy()
        self.view.set_corners(chosen)
        self.snap()

    def place_by_hand(self) -> None:
        """Lay the grid on the middle of the picture."""
        if self.frame is None:
            return
        facts = self._model.state.frames[self.frame].raw
        width = 0.6 * facts.width
        height = min(width / self.chart.aspect, 0.8 * facts.height)
        width = height * self.chart.aspect
        x, y = (facts.width - width) / 2, (facts.height - height) / 2
        self.view.set_corners(np.array([[x, y], [x + width, y], [x + width, y + height], [x, y + height]]))
        self.view.setFocus()
        self._read_at_corners()

    def turn(self) -> None:
        """Turn the grid by 90 degrees."""
        if self.view.corners is not None:
            self.view.set_corners(np.roll(self.view.corners, -1, axis=0))
            self._read_at_corners()

    def snap(self) -> None:
        """Move the grid to the patches' real edges."""
        if self.frame is not None and self.view.corners is not None:
            self._jobs.charts.read(self.frame, self.chart, self.view.corners.copy(), self._choices, snap=True)

    def _corners_moved(self, over: bool) -> None:
        if over or not self._settle.isActive():
            self._settle.start(0 if over else self._settle.interval())

    def _read_at_corners(self) -> None:
        if self.frame is None or self.view.corners is None:
            return
        if self._reading_again:
            self._wanted_again = True
            return
        self._reading_again = True
        self._jobs.charts.read(self.frame, self.chart, self.view.corners.copy(), self._choices)

    # ---- choices ----------------------------------------------------------------------------------------------

    def _choose(self, choices: Choices) -> None:
        self._choices = self.view.choices = choices
        self.view.update()
        if not self._settle.isActive():
            self._settle.start()

    def _sample_changed(self, per_cent: int) -> None:
        self._choose(replace(self._choices, sample=per_cent / 100))

    def _patch_moved(self, index: int, x: float, y: float, over: bool) -> None:
        name = self.chart.ids[index]
        old = {n: (a, b) for n, a, b in self._choices.moved}
        a, b = old.get(name, (0.0, 0.0))
        old[name] = (float(np.clip(a + x, -1, 1)), float(np.clip(b + y, -1, 1)))
        self._choose(replace(self._choices, moved=tuple((n, p, q) for n, (p, q) in old.items() if (p, q) != (0.0, 0.0))))
        if over:
            self._settle.start(0)

    def put_back(self) -> None:
        """Read the chosen patch in its own place again."""
        if self.view.patch >= 0:
            name = self.chart.ids[self.view.patch]
            self._choose(replace(self._choices, moved=tuple(m for m in self._choices.moved if m[0] != name)))

    def leave_out(self) -> None:
        """Leave the chosen patch out of balance and fit, or take it in again."""
        if self.view.patch >= 0 and self.kept is not None:
            name = self.chart.ids[self.view.patch]
            out = set(self._choices.left_out) ^ {name}
            self._choose(replace(self._choices, left_out=tuple(i for i in self.chart.ids if i in out)))

    def _leave_out_all(self, patches: tuple[str, ...]) -> None:
        out = {*self._choices.left_out, *patches}
        self._choose(replace(self._choices, left_out=tuple(i for i in self.chart.ids if i in out)))

    def _even_toggled(self, on: bool) -> None:
        if self.kept is not None and on != self.kept.reading.choices.even_light:
            self._choices = replace(self._choices, even_light=on)
            self._accept(self.kept.even_light(on))

    def average(self) -> None:
        """One reading from all chart frames of this light."""
        if self.frame is not None:
            averaged = self._jobs.charts.average(self.frame)
            if averaged is not None:
                self._accept(averaged)
                self._model.say("The readings of this light's chart frames were averaged into this one.")

    # ---- results ----------------------------------------------------------------------------------------------

    def _read_ready(self, frame: int, result: Any) -> None:
        self._reading_again = False
        if frame != self.frame:
            return
        if self._wanted_again:
            self._wanted_again = False
            self._read_at_corners()
            return
        if isinstance(result, VelkinError):
            self.profile = None
            corners = self.view.corners
            self._show(None)
            self.bench.figure.show_value("", str(result))
            if corners is None:
                self.bench.advice.setText("Press P and drag the four corners onto the chart's corner patches.")
            self.view.set_corners(corners)
            return
        self._choices = result.reading.choices
        self._accept(result)

    def _accept(self, kept: JudgedReading) -> None:
        """Show a new reading and keep it."""
        self.profile = None
        self._show(kept)
        if self.frame is not None:
            self._jobs.camera.keep_reading(self.frame, kept)

    def _fit_ready(self, frame: int, result: Any) -> None:
        if frame != self.frame:
            return
        if isinstance(result, VelkinError):
            self.bench.figure.show_value("", str(result))
            return
        self.profile = result
        self._show(self.kept)

    def fit(self) -> None:
        """Fit a profile from the reading shown."""
        if self.frame is not None and self.kept is not None:
            self._jobs.charts.fit(self.frame, self.kept)

    def _report(self) -> None:
        if self.frame is not None and self.kept is not None:
            self._model.places.go(Page.FIT, self.frame)

    def _give(self, whole_light: bool) -> None:
        frame, profile = self.frame, self.profile
        if frame is not None and profile is not None:
            name = self.bench.name.text()
            self.leave_after(lambda: self._jobs.camera.keep_profile(frame, profile, name, whole_light))

    # ---- showing ----------------------------------------------------------------------------------------------

    def _show(self, kept: JudgedReading | None) -> None:
        self.kept = kept
        self.view.choices = self._choices
        self.bench.show_choices(self._choices, self.frame is not None and bool(self._jobs.charts.others(self.frame)))
        if kept is None:
            self._colours = None
            self.view.flagged = set()
            self.view.set_corners(None)
            self.swatches.show_colours((), "")
            self.bench.show_nothing()
        else:
            self._colours = self._seen_colours(kept)
            self.view.set_corners(np.array(kept.reading.corners))
            self.view.flagged = {p for j in kept.judgements for p in j.patches}
            self.bench.show_reading(kept, self.chart)
            self.bench.show_figure(kept, self.profile, len(self._found))
            self._show_colours(self._colours)
        self._fill_table()
        light = self._model.state.light_of(self.frame) if self.frame is not None else None
        self.bench.show_foot(kept, self.profile, self.chart, light)
        if kept is not None and self.view.patch >= 0:
            self._show_patch(self.view.patch)

    def _judgement_clicked(self, judgement: Judgement) -> None:
        """Show a judgement's patches; its advice takes the place of all others."""
        if judgement.patches:
            self._choose_patch(self.chart.ids.index(judgement.patches[0]))
        self.bench.show_advice(judgement)

    def _show_colours(self, colours: _Colours) -> None:
        reference, before, after, kelvin = colours
        if after is None:
            words = f"above: reference under {kelvin:.0f} K; below: read, through the built-in profile"
            self.swatches.show_colours((reference, before), words)
        else:
            words = f"from above: built-in profile; reference under {kelvin:.0f} K; fitted profile"
            self.swatches.show_colours((before, reference, after), words)

    def _seen_colours(self, kept: JudgedReading) -> _Colours:
        assert self.frame is not None
        facts = self._model.state.frames[self.frame].raw
        request = self._jobs.fits.plain_request(self.frame, kept)
        colours = patch_colours(request, facts.as_shot)
        kelvin, _ = request.built_in.temperature(colours.balance)
        after = colours.through(self.profile.colours(colours.balance)) if self.profile is not None else None
        return _Colours(colours.reference, colours.before, after, kelvin)

    def _fill_table(self) -> None:
        ids = self.chart.ids
        before: dict[str, float] = {}
        after: dict[str, float] = {}
        if self.profile is not None:
            before = {p.id: p.before for p in self.profile.patches}
            after = {p.id: p.after for p in self.profile.patches}
        elif self._colours is not None:
            seen, reference = xyz_to_lab(self._colours.before), xyz_to_lab(self._colours.reference)
            before = dict(zip(ids, ciede2000(seen, reference).tolist(), strict=True))
        self.bench.table.show_patches(self.chart, self._choices.left_out, before, after)

    # ---- patches ----------------------------------------------------------------------------------------------

    def _choose_patch(self, index: int) -> None:
        self.view.patch = self.swatches.patch = index
        self.view.update()
        self.swatches.update()
        self.bench.table.choose(self.chart.ids[index])
        self._show_patch(index)

    def _row_chosen(self, patch: str) -> None:
        if patch in self.chart.ids and self.chart.ids.index(patch) != self.view.patch:
            self._choose_patch(self.chart.ids.index(patch))

    def _show_patch(self, index: int) -> None:
        if self._colours is None or self.frame is None or self.view.corners is None:
            self.bench.patch_words.setText("")
            return
        reference, before, after, _ = self._colours
        a, b = xyz_to_lab(reference[index]), xyz_to_lab((before if after is None else after)[index])
        texts = ["  ".join(signed(float(v)) for v in lab) for lab in (a, b)]
        self.bench.patch_words.setText(
            f"{self.chart.ids[index]} {self.chart.names[index]}, Lab: chart {texts[0]}; read {texts[1]}".replace(" ,", ",")
        )
        out = self.chart.ids[index] in self._choices.left_out
        self.bench.out_button.setText("Take in again" if out else "Leave out")
        self.bench.back_button.setEnabled(any(m[0] == self.chart.ids[index] for m in self._choices.moved))
        left, top, right, bottom = self.chart.boxes()[index]
        box = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
        facts = self._model.state.frames[self.frame].raw
        outline = outline_of(box, homography(self.view.corners), self._image.width() / facts.width)
        fields = [("chart", reference[index]), ("built-in", before[index])]
        if after is not None:
            fields.append(("fitted", after[index]))
        self.bench.close_up.show_patch(self._image, outline, tuple(fields))
