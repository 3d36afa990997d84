"""Reading the chart: find it or place its corners, judge the reading, fit a profile, give it to the light."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QKeySequence, QMouseEvent, QPainter, QPaintEvent, QShortcut
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from velkin.app import glyphs, theme
from velkin.app.benches.parts import Bench, Figure, button, labelled, soft
from velkin.app.desk import Desk
from velkin.app.rooms.chart_view import ChartView
from velkin.app.service import Rendered
from velkin.app.words import count, signed
from velkin.core.cameraprofiles.builtin import built_in
from velkin.core.cameraprofiles.fit import chart_balance, common_exposure
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.charts.built_in import iso24
from velkin.core.charts.judge import Judgement, Verdict
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.errors import FitRefused, VelkinError
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import SRGB
from velkin.core.spectra import illuminant_at

Floats = NDArray[np.float64]


def _screen_colour(xyz: Floats) -> QColor:
    codes = np.clip(SRGB.encode(np.clip(SRGB.from_xyz @ xyz, 0, 1)), 0, 1) * 255
    return QColor(*(round(float(c)) for c in codes))


class _Swatches(QWidget):
    """The chart's patches in bands: the reference, what was read through the built-in profile, and through the fitted one."""

    clicked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(96)
        self.bands: tuple[Floats, ...] = ()
        self.words = ""
        self.patch = -1
        self._ids = iso24().ids
        self.setAccessibleName("Reference and reading of every patch")

    def show_colours(self, bands: tuple[Floats, ...], words: str) -> None:
        """XYZ D50 (N, 3) of each band, from the top, all on the same exposure."""
        self.bands, self.words = bands, words
        self.update()

    def _slot(self, index: int) -> QRectF:
        width = (self.width() - 54) / len(self._ids)
        return QRectF(27 + index * width, 28, width - 2, 46)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            for i in range(len(self._ids)):
                if self._slot(i).adjusted(-1, 0, 1, 20).contains(event.position()):
                    self.clicked.emit(i)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.colour("panel"))
        p.setPen(t.colour("line"))
        p.drawLine(0, 0, self.width(), 0)
        p.setPen(t.colour("ink"))
        p.setFont(theme.font(11, 700, True))
        p.drawText(QRectF(27, 5, 200, 18), Qt.AlignmentFlag.AlignVCenter, "Here against the chart")
        p.setPen(t.colour("soft"))
        p.setFont(theme.font(12))
        p.drawText(QRectF(198, 5, self.width() - 210, 18), Qt.AlignmentFlag.AlignVCenter, self.words)
        for i, name in enumerate(self._ids):
            slot = self._slot(i)
            height = slot.height() / max(len(self.bands), 1)
            for number, band in enumerate(self.bands):
                p.fillRect(QRectF(slot.left(), slot.top() + number * height, slot.width(), height), _screen_colour(band[i]))
            if not self.bands:
                p.fillRect(slot, t.colour("field"))
            label = QRectF(slot.left(), slot.bottom() + 3, slot.width(), 16)
            if i == self.patch:
                p.fillRect(label, t.colour("chosen"))
                p.setPen(t.colour("ink"))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(slot)
            p.setPen(t.colour("chosen_ink") if i == self.patch else t.colour("soft"))
            p.setFont(theme.font(11, 600 if i == self.patch else 400))
            p.drawText(label, Qt.AlignmentFlag.AlignCenter, name)


_QUALITY_GLYPHS = {Verdict.GOOD: "tagged-same", Verdict.NOTE: "tagged-other", Verdict.REFUSE: "damaged"}


class _QualityRow(QWidget):
    """One judgement: glyph, about, finding, verdict; with its advice under it."""

    def __init__(self, judgement: Judgement) -> None:
        super().__init__()
        self._judgement = judgement
        self.setFixedHeight(20)
        self.setAccessibleName(f"{judgement.about}: {judgement.finding}, {judgement.verdict.value}")
        self.setToolTip(judgement.advice)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t, j = theme.current(), self._judgement
        p = QPainter(self)
        refuse = j.verdict is Verdict.REFUSE
        if refuse:
            p.fillRect(self.rect(), t.colour("chosen"))
        ink = t.colour("chosen_ink") if refuse else t.colour("ink")
        glyphs.draw(p, _QUALITY_GLYPHS[j.verdict], QRectF(4, 5, 10, 10), ink)
        p.setPen(ink)
        p.setFont(theme.font(13, 700 if refuse else 400))
        p.drawText(QRectF(22, 0, 80, 20), Qt.AlignmentFlag.AlignVCenter, j.about)
        room = self.width() - 104 - (78 if j.verdict is not Verdict.GOOD else 40)
        p.drawText(
            QRectF(104, 0, room, 20),
            Qt.AlignmentFlag.AlignVCenter,
            p.fontMetrics().elidedText(j.finding, Qt.TextElideMode.ElideRight, int(room)),
        )
        p.setFont(theme.font(12, 700 if j.verdict is not Verdict.GOOD else 400))
        p.setPen(ink if j.verdict is not Verdict.GOOD else t.colour("soft"))
        p.drawText(
            QRectF(0, 0, self.width() - 4, 20), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, j.verdict.value
        )


class _Number(QTableWidgetItem):
    """A table cell that sorts by its number."""

    def __init__(self, value: float, digits: int = 1) -> None:
        super().__init__(signed(value, digits))
        self.value = value
        self.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)

    def __lt__(self, other: QTableWidgetItem) -> bool:
        return self.value < other.value if isinstance(other, _Number) else super().__lt__(other)


class ChartRoom(QWidget):
    """Takes over viewer and bench while a chart is read."""

    left = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._model = desk.model
        self._chart = iso24()
        self.frame: int | None = None
        self.kept: JudgedReading | None = None
        self.profile: CameraProfile | None = None
        self._reading_again = False
        self._wanted_again = False

        self.view = ChartView(self._chart)
        self.view.margins = (20, 28, 20, 20)
        self.swatches = _Swatches()
        main = QVBoxLayout()
        main.setContentsMargins(0, 0, 0, 0)
        main.setSpacing(0)
        main.addWidget(self._header())
        main.addWidget(self.view, 1)
        main.addWidget(self.swatches)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addLayout(main, 1)
        row.addWidget(self._bench())

        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(120)
        self._settle.timeout.connect(self._read_at_corners)
        self.view.corners_moved.connect(self._corners_moved)
        self.view.patch_clicked.connect(self._choose_patch)
        self.swatches.clicked.connect(self._choose_patch)
        desk.read_ready.connect(self._read_ready)
        desk.fit_ready.connect(self._fit_ready)
        desk.service.rendered.connect(self._rendered)
        for keys, action in (("Esc", self.leave), ("R", self.turn), ("P", self.place_by_hand)):
            shortcut = QShortcut(QKeySequence(keys), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(action)

    def _header(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("panel")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar.setFixedHeight(36)
        row = QHBoxLayout(bar)
        row.setContentsMargins(16, 0, 4, 0)
        row.setSpacing(8)
        title = QLabel("Reading the chart")
        title.setFont(theme.font(13, 700))
        self._subtitle = soft()
        self._subtitle.setWordWrap(False)
        row.addWidget(title)
        row.addSpacing(6)
        row.addWidget(self._subtitle, 1)
        self.find_button = button("Find it", self.look_for_it, tip="Look for the chart in the picture")
        self.place_button = button(
            "Place by hand", self.place_by_hand, tip="Lay the grid on the middle of the picture and drag its corners (P)"
        )
        self.turn_button = button("Turn", self.turn, tip="Turn the grid by 90°: the first patch moves to the next corner (R)")
        leave = button("Leave   Esc", self.leave)
        for item in (self.find_button, self.place_button, self.turn_button, leave):
            row.addWidget(item)
        return bar

    def _bench(self) -> QWidget:
        bench = Bench("Reading")
        self._figure = Figure()
        bench.column.addWidget(self._figure)
        bench.section("Quality")
        self._quality = QVBoxLayout()
        self._quality.setSpacing(1)
        bench.column.addLayout(self._quality)
        self._advice = QLabel()
        self._advice.setWordWrap(True)
        bench.column.addWidget(self._advice)
        bench.section("Patches, ΔE00")
        self.table = QTableWidget(len(self._chart.ids), 4)
        self.table.setHorizontalHeaderLabels(["Patch", "", "built-in", "fitted"])
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Colour differences by patch")
        vertical, horizontal = self.table.verticalHeader(), self.table.horizontalHeader()
        assert vertical is not None and horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(19)
        vertical.setMinimumSectionSize(18)
        horizontal.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        for column, width in ((0, 48), (2, 62), (3, 62)):
            self.table.setColumnWidth(column, width)
        for column in (2, 3):
            item = self.table.horizontalHeaderItem(column)
            assert item is not None
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.table.setMinimumHeight(150)
        self.table.itemSelectionChanged.connect(self._row_chosen)
        bench.column.addWidget(self.table, 1)
        self._patch_words = soft()
        bench.column.addWidget(self._patch_words)
        self._name = QLineEdit()
        self._name_row = labelled("Profile name", self._name, 84)
        bench.foot.insertWidget(0, self._name_row)
        self._sentence = bench.sentence
        self.fit_button = button("Fit a profile from this reading", self.fit, primary=True)
        self.give_button = button("", self._give_light, primary=True)
        self.only_button = button("Only to this frame", self._give_one)
        for action in (self.fit_button, self.give_button, self.only_button):
            bench.foot.addWidget(action)
        return bench

    # ---- coming and going -------------------------------------------------------------------------------------

    def enter(self, frame: int) -> None:
        """Show a frame; its kept reading, or a search for the chart."""
        self.frame, self.profile = frame, None
        f = self._model.state.frames[frame]
        self._subtitle.setText(f"{f.name}, {self._chart.name}")
        self._subtitle.setToolTip(self._subtitle.text())
        self.view.clear()
        self.view.patch = self.swatches.patch = -1
        self.view.setFocus()
        kept = self._model.state.readings.get(frame)
        if kept is not None:
            self._show(kept)
        else:
            self._show(None)
            self.look_for_it()

    def leave(self) -> None:
        """Back to the viewer; a good reading is kept."""
        self.frame = None
        self.left.emit()

    def _rendered(self, rendered: Rendered) -> None:
        if rendered.frame == self.frame and self.frame is not None and self.isVisible():
            facts = self._model.state.frames[self.frame].facts
            self.view.set_picture(rendered.image, (facts.width, facts.height))

    # ---- placing ----------------------------------------------------------------------------------------------

    def look_for_it(self) -> None:
        """Look for the chart."""
        if self.frame is not None:
            self._figure.show_value("", "Looking for the chart …")
            self._desk.read_chart(self.frame)

    def place_by_hand(self) -> None:
        """Lay the grid on the middle of the picture."""
        if self.frame is None:
            return
        facts = self._model.state.frames[self.frame].facts
        width = 0.6 * facts.width
        height = min(width / self._chart.aspect, 0.8 * facts.height)
        x, y = (facts.width - width) / 2, (facts.height - height) / 2
        self.view.set_corners(np.array([[x, y], [x + width, y], [x + width, y + height], [x, y + height]]))
        self.view.setFocus()
        self._read_at_corners()

    def turn(self) -> None:
        """Turn the grid by 90 degrees."""
        if self.view.corners is not None:
            self.view.set_corners(np.roll(self.view.corners, -1, axis=0))
            self._read_at_corners()

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
        self._desk.read_chart(self.frame, self.view.corners.copy())

    # ---- results ----------------------------------------------------------------------------------------------

    def _read_ready(self, frame: int, result: Any) -> None:
        self._reading_again = False
        if frame != self.frame:
            return
        if self._wanted_again:
            self._wanted_again = False
            self._read_at_corners()
            return
        self.profile = None
        if isinstance(result, VelkinError):
            corners = self.view.corners
            self._show(None)
            self._figure.show_value("", str(result))
            if corners is None:
                self._advice.setText("Press P and drag the four corners onto the chart's corner patches.")
            self.view.set_corners(corners)
            return
        self._show(result)
        self._desk.keep_reading(frame, result)

    def _fit_ready(self, frame: int, result: Any) -> None:
        if frame != self.frame:
            return
        if isinstance(result, VelkinError):
            self._figure.show_value("", str(result))
            return
        self.profile = result
        self._show(self.kept)

    def fit(self) -> None:
        """Fit a profile from the reading shown."""
        if self.frame is not None and self.kept is not None:
            self._desk.fit_profile(self.frame, self.kept)

    def _give_light(self) -> None:
        self._give(True)

    def _give_one(self) -> None:
        self._give(False)

    def _give(self, whole_light: bool) -> None:
        if self.frame is not None and self.profile is not None:
            frame, profile = self.frame, self.profile
            self.leave()
            self._desk.keep_profile(frame, profile, self._name.text(), whole_light)

    # ---- showing ----------------------------------------------------------------------------------------------

    def _show(self, kept: JudgedReading | None) -> None:
        self.kept = kept
        while self._quality.count():
            item = self._quality.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        self._advice.setText("")
        if kept is None:
            self.view.set_corners(None)
            self.view.flagged = set()
            self.swatches.show_colours((), "")
            self._fill_table()
            self._show_foot()
            return
        self.view.set_corners(np.array(kept.reading.corners))
        self.view.sample = kept.reading.sample
        bad = {p for j in kept.judgements for p in j.patches if j.verdict is not Verdict.GOOD}
        self.view.flagged = bad
        for judgement in kept.judgements:
            self._quality.addWidget(_QualityRow(judgement))
        refused = [j for j in kept.judgements if j.verdict is Verdict.REFUSE]
        advice = [j.advice for j in kept.judgements if j.advice]
        self._advice.setText(" ".join(advice))
        self._advice.setVisible(bool(advice))
        total = len(kept.reading.patches)
        if self.profile is not None:
            f = self.profile.figures
            self._figure.show_value(
                f"ΔE {f.mean:.1f}", f"mean after the fit, worst {f.worst:.1f}; the built-in profile had {f.before:.1f}"
            )
        else:
            words = "patches are good." if not bad else "patches are good; the others must not be used."
            self._figure.show_value(
                f"{total - len(bad)} of {total}", words if not refused or bad else "patches read; see Quality."
            )
        self._show_colours()
        self._fill_table()
        self._show_foot()

    def _show_colours(self) -> None:
        reference, before, after, kelvin = self._colours()
        if after is None:
            words = f"above: reference under {kelvin:.0f} K; below: read, through the built-in profile"
            self.swatches.show_colours((reference, before), words)
        else:
            words = f"from above: built-in profile; reference under {kelvin:.0f} K; fitted profile"
            self.swatches.show_colours((before, reference, after), words)

    def _colours(self) -> tuple[Floats, Floats, Floats | None, float]:
        """Reference, reading through the built-in profile, reading through the fitted one if there is one (XYZ D50 on one
        exposure), and the temperature of the reference."""
        assert self.kept is not None and self.frame is not None
        facts = self._model.state.frames[self.frame].facts
        rgb = self.kept.reading.rgb()
        camera = built_in(facts)
        try:
            balance = chart_balance(self.kept.reading, self._chart)
        except FitRefused:
            balance = facts.as_shot
        kelvin, _ = camera.temperature(balance)
        reference = self._chart.reference(illuminant_at(float(np.clip(kelvin, 1500.0, 25000.0))))

        def through(matrix: Floats) -> Floats:
            seen = (rgb * balance) @ matrix.T
            return np.asarray(seen * common_exposure(seen[:, 1], reference[:, 1], self._chart.neutral_rows()))

        after = through(self.profile.array()) if self.profile is not None else None
        return reference, through(camera.matrix(balance)), after, kelvin

    def _fill_table(self) -> None:
        before: dict[str, float | None] = dict.fromkeys(self._chart.ids)
        after: dict[str, float | None] = dict.fromkeys(self._chart.ids)
        if self.profile is not None:
            before = {p.id: p.before for p in self.profile.patches}
            after = {p.id: p.after for p in self.profile.patches}
        elif self.kept is not None:
            reference, seen, _, _ = self._colours()
            before = dict(zip(self._chart.ids, ciede2000(xyz_to_lab(seen), xyz_to_lab(reference)), strict=True))
        self.table.setSortingEnabled(False)
        for row, (patch, name) in enumerate(zip(self._chart.ids, self._chart.names, strict=True)):
            self.table.setItem(row, 0, QTableWidgetItem(patch))
            self.table.setItem(row, 1, QTableWidgetItem(name))
            for column, value in ((2, before[patch]), (3, after[patch])):
                self.table.setItem(row, column, _Number(float(value)) if value is not None else QTableWidgetItem(""))
        self.table.setSortingEnabled(True)
        if self.profile is None:
            self.table.sortItems(0)

    def _show_foot(self) -> None:
        fitted, kept = self.profile is not None, self.kept
        refused = [] if kept is None else [j for j in kept.judgements if j.verdict is Verdict.REFUSE]
        self.fit_button.setVisible(not fitted)
        self.fit_button.setEnabled(kept is not None and not refused)
        for widget in (self.give_button, self.only_button, self._name_row):
            widget.setVisible(fitted)
        if self.frame is None:
            return
        light = self._model.state.light_of(self.frame)
        if fitted:
            assert self.profile is not None
            if not self._name.text() or not self._name.hasFocus():
                self._name.setText(self.profile.name)
            self.give_button.setText(f"Give it to the {count(len(light.frames), 'frame')} of this light")
            self._sentence.setText(f"Profile and white balance go to {light.name}; exposure stays. No file is written.")
        elif refused:
            self._sentence.setText("This reading must not be fitted: the reason is under Quality.")
        elif kept is not None:
            self._sentence.setText(f"The reading becomes a matrix profile for {light.name}. No file is written.")
        else:
            self._sentence.setText("The chart's 24 patches have to be read before a profile can be fitted.")

    def _choose_patch(self, index: int) -> None:
        self.view.patch = self.swatches.patch = index
        self.view.update()
        self.swatches.update()
        for row in range(self.table.rowCount()):
            item = self.table.item(row, 0)
            if item is not None and item.text() == self._chart.ids[index] and not item.isSelected():
                self.table.selectRow(row)
        self._show_patch(index)

    def _row_chosen(self) -> None:
        rows = self.table.selectedItems()
        if rows:
            row = self.table.item(rows[0].row(), 0)
            if row is not None:
                index = self._chart.ids.index(row.text())
                if index != self.view.patch:
                    self._choose_patch(index)

    def _show_patch(self, index: int) -> None:
        if self.kept is None:
            self._patch_words.setText("")
            return
        reference, before, after, _ = self._colours()
        a, b = xyz_to_lab(reference[index]), xyz_to_lab((before if after is None else after)[index])
        texts = ["  ".join(signed(float(v)) for v in lab) for lab in (a, b)]
        self._patch_words.setText(
            f"{self._chart.ids[index]} {self._chart.names[index]}, Lab: chart {texts[0]}; read {texts[1]}"
        )
