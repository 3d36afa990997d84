"""The chart editor: rows, columns, gaps, names, neutrals and reference values of a chart, by table, paste, or a trusted frame."""

from __future__ import annotations

import itertools
import re
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QDoubleSpinBox,
    QHeaderView,
    QLineEdit,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.model.places import Page, Place
from velkin.app.rooms.room import Room
from velkin.app.widgets.chart_parts import screen_colour
from velkin.app.widgets.parts import Bench, button, labelled, row_of, soft
from velkin.app.words import signed
from velkin.core.cameraprofiles.measured_chart import chart_from_reading
from velkin.core.charts.definition import LARGEST, Chart, neutral_patches
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab

Floats = NDArray[np.float64]

_HEADS = ("Patch", "Name", "Neutral", "L*", "a*", "b*")


class _Preview(QWidget):
    """The chart as it would look, patches with their gaps."""

    def __init__(self) -> None:
        super().__init__()
        self.chart: Chart | None = None
        self.setFixedHeight(190)
        self.setAccessibleName("The chart as it is defined")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.chart is None:
            return
        p = QPainter(self)
        room = QRectF(self.rect()).adjusted(6, 6, -6, -6)
        width = min(room.width(), room.height() * self.chart.aspect)
        height = width / self.chart.aspect
        left, top = room.center().x() - width / 2, room.center().y() - height / 2
        p.fillRect(QRectF(left - 6, top - 6, width + 12, height + 12), theme.current().colour("ink"))
        reference = self.chart.reference_d50()
        for box, xyz in zip(self.chart.boxes(), reference, strict=True):
            p.fillRect(
                QRectF(left + box[0] * width, top + box[1] * height, (box[2] - box[0]) * width, (box[3] - box[1]) * height),
                screen_colour(xyz),
            )


class ChartEditor(Room):
    """Takes over viewer and bench while a chart is defined."""

    page = Page.CHART_EDITOR
    file_wanted = pyqtSignal()
    save_wanted = pyqtSignal(object)

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Defining a chart")
        self._filling = False
        self.chart: Chart | None = None
        self._begun: Chart | None = None
        self.table = QTableWidget(0, len(_HEADS))
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalHeaderLabels(list(_HEADS))
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ContiguousSelection)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Patches with their reference values under D50; Ctrl+V pastes from the chosen cell on")
        vertical, horizontal = self.table.verticalHeader(), self.table.horizontalHeader()
        assert vertical is not None and horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(20)
        vertical.setMinimumSectionSize(18)
        horizontal.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        horizontal.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column, width in ((0, 72), (2, 72), (3, 84), (4, 84), (5, 84)):
            self.table.setColumnWidth(column, width)
        for column in (3, 4, 5):
            item = self.table.horizontalHeaderItem(column)
            assert item is not None
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.table.itemChanged.connect(self._cell_changed)
        main = QVBoxLayout()
        main.setContentsMargins(0, 0, 0, 0)
        main.setSpacing(0)
        self._header()
        holder = QWidget()
        holder.setObjectName("panel")
        holder.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        inside = QVBoxLayout(holder)
        inside.setContentsMargins(16, 0, 16, 12)
        inside.addWidget(self.table)
        main.addWidget(holder, 1)
        self.lay_out(main, self._bench())
        self.on_keys(("Ctrl+V", self.paste))

    def _header(self) -> None:
        row = self.head
        row.addStretch(1)
        row.addWidget(button("Paste   Ctrl+V", self.paste, tip="Paste a table of names or values from the chosen cell on"))
        self.add_back()

    def _bench(self) -> QWidget:
        bench = Bench("Chart")
        self.preview = _Preview()
        bench.column.addWidget(self.preview)
        self.name = QLineEdit()
        self.name.setMaxLength(80)
        bench.column.addWidget(labelled("Name", self.name, 84))
        self.columns, self.rows = QSpinBox(), QSpinBox()
        for box in (self.columns, self.rows):
            box.setRange(2, 60)
            box.setKeyboardTracking(False)
        bench.column.addWidget(labelled("Columns", self.columns, 84))
        bench.column.addWidget(labelled("Rows", self.rows, 84))
        self.gap = QSpinBox()
        self.gap.setRange(0, 60)
        self.gap.setSuffix(" % of the pitch")
        bench.column.addWidget(labelled("Gaps", self.gap, 84))
        self.proportion = QDoubleSpinBox()
        self.proportion.setRange(0.2, 5.0)
        self.proportion.setSingleStep(0.05)
        self.proportion.setToolTip("Width of a patch over its height")
        bench.column.addWidget(labelled("Proportion", self.proportion, 84))
        self.words = soft()
        bench.column.addWidget(self.words)
        bench.section("Reference values")
        self.trusted_button = button(
            "From this frame's reading",
            self.read_trusted,
            tip="As the profile of this frame, which was fitted on another chart, sees them",
        )
        bench.column.addWidget(self.trusted_button)
        bench.column.addWidget(row_of(button("Open a file…", self.file_wanted.emit), button("Save as…", self._save)))
        bench.end()
        bench.sentence.setText("The definition is kept in this shoot and can be chosen in the chart room.")
        self.keep_button = button("Keep this chart", self.keep, primary=True)
        bench.foot.addWidget(self.keep_button)
        for spin in (self.columns, self.rows, self.gap):
            spin.valueChanged.connect(self._shape_changed)
        self.proportion.valueChanged.connect(self._shape_changed)
        self.name.textChanged.connect(self._named)
        return bench

    # ---- showing ----------------------------------------------------------------------------------------------

    def enter(self, place: Place) -> None:
        """Begin with the chart that the place is about."""
        chart = place.about
        assert isinstance(chart, Chart)
        self.begin(chart)

    def begin(self, chart: Chart) -> None:
        """Begin with a chart, under a name of its own so that what is built in stays."""
        if chart.id in ("iso24", "velkin48"):
            chart = replace(chart, id="", name=f"{chart.name}, own", marks=False)
        self._show(chart)
        self._begun = self.chart
        self.table.setFocus()

    def unsaved(self) -> str:
        """Whether the definition was changed and not kept."""
        return "What was changed in this definition" if self.chart is not self._begun and self.chart is not None else ""

    def _show(self, chart: Chart) -> None:
        self.chart, self._filling = chart, True
        self.name.setText(chart.name)
        self.columns.setValue(chart.columns)
        self.rows.setValue(chart.rows)
        self.gap.setValue(round(100 * chart.gap))
        self.proportion.setValue(chart.proportion)
        lab = xyz_to_lab(chart.reference_d50())
        self.table.setRowCount(len(chart.ids))
        for row, (identifier, name) in enumerate(zip(chart.ids, chart.names, strict=True)):
            self.table.setItem(row, 0, QTableWidgetItem(identifier))
            self.table.setItem(row, 1, QTableWidgetItem(name))
            tick = QTableWidgetItem()
            tick.setFlags(Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            tick.setCheckState(Qt.CheckState.Checked if identifier in chart.neutrals else Qt.CheckState.Unchecked)
            self.table.setItem(row, 2, tick)
            for column in range(3):
                cell = QTableWidgetItem(signed(float(lab[row, column]), 2))
                cell.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, 3 + column, cell)
        self._filling = False
        self.preview.chart = chart
        self.preview.update()
        known = "Reflectances are known: the reference follows the light." if chart.reflectances is not None else ""
        self.words.setText(
            f"{len(chart.ids)} patches, {len(chart.neutrals)} neutral. {known or 'Colours under D50 are known.'} Values are Lab under D50."
        )
        frame = self._model.raw_frame
        trusted = frame is not None and frame.profile is not None and frame.id in self._model.state.readings
        self.trusted_button.setEnabled(trusted)

    # ---- changing ---------------------------------------------------------------------------------------------

    def _named(self) -> None:
        if self.chart is not None and self.name.text().strip() and not self._filling:
            self.chart = replace(self.chart, name=self.name.text().strip())

    def _shape_changed(self) -> None:
        chart = self.chart
        if chart is None or self._filling:
            return
        columns, rows = self.columns.value(), self.rows.value()
        if columns * rows > LARGEST:
            self._model.report(f"A chart that a camera can read has at most {LARGEST} patches.")
            self._show(chart)
            return
        if (columns, rows) != (chart.columns, chart.rows):
            chart = _resized(chart, columns, rows)
        self._show(replace(chart, gap=self.gap.value() / 100, proportion=self.proportion.value()))

    def _cell_changed(self, item: QTableWidgetItem) -> None:
        if not self._filling and self.chart is not None and not self._take({(item.row(), item.column()): item.text()}):
            self._show(self.chart)

    def _take(self, cells: dict[tuple[int, int], str]) -> bool:
        """Take changed cells into the chart; False, with the reason shown, when one of them cannot be."""
        chart = self.chart
        assert chart is not None
        ids, names = list(chart.ids), list(chart.names)
        neutrals = set(chart.neutrals)
        lab = xyz_to_lab(chart.reference_d50())
        changed = False
        for (row, column), text in cells.items():
            if row >= len(ids) or column >= len(_HEADS):
                continue
            text = text.strip()
            if column == 0:
                if not text or (text in ids and ids[row] != text):
                    self._model.report(f"Row {row + 1}: {text!r} cannot be a patch's name: it is empty or taken.")
                    return False
                neutrals = {text if n == ids[row] else n for n in neutrals}
                ids[row] = text
            elif column == 1:
                names[row] = text
            elif column == 2:
                tick = self.table.item(row, 2)
                on = tick is not None and tick.checkState() == Qt.CheckState.Checked
                neutrals = neutrals | {ids[row]} if on else neutrals - {ids[row]}
            else:
                try:
                    value = float(text.replace("−", "-").replace(",", "."))
                except ValueError:
                    value = float("nan")
                low, high = (0.0, 110.0) if column == 3 else (-160.0, 160.0)
                if not low <= value <= high:
                    self._model.report(f"Row {row + 1}, {_HEADS[column]}: {text!r} is no number from {low:g} to {high:g}.")
                    return False
                if abs(value - lab[row, column - 3]) > 0.005:
                    lab[row, column - 3] = value
                    changed = True
        if not neutrals:
            self._model.report("At least one patch has to be neutral: white balance and exposure need it.")
            return False
        order = sorted(neutrals, key=lambda n: -lab[ids.index(n), 0])
        chart = replace(chart, ids=tuple(ids), names=tuple(names), neutrals=tuple(order))
        if changed:
            chart = replace(chart, reflectances=None, colours=lab_to_xyz(lab), source="values typed or pasted")
        self._show(chart)
        return True

    def paste(self) -> None:
        """Paste a table (tabs or several spaces between columns) from the chosen cell on."""
        clipboard = QApplication.clipboard()
        text = clipboard.text() if clipboard is not None else ""
        lines = [line for line in text.splitlines() if line.strip()]
        if not lines or self.chart is None:
            return
        start = (max(self.table.currentRow(), 0), max(self.table.currentColumn(), 0))
        cells: dict[tuple[int, int], str] = {}
        for i, line in enumerate(lines):
            for j, word in enumerate(line.split("\t") if "\t" in line else line.split()):
                column = start[1] + j + (1 if start[1] <= 2 <= start[1] + j else 0)  # ticks are not pasted
                cells[start[0] + i, column] = word
        if self._take(cells):
            self._model.say(f"{len(lines)} lines were pasted.")

    def read_trusted(self) -> None:
        """Reference values from the reading of this frame through its profile."""
        frame = self._model.raw_frame
        if frame is None or frame.profile is None or frame.id not in self._model.state.readings or self.chart is None:
            return
        kept = self._model.state.readings[frame.id]
        measured = chart_from_reading(kept, self._model.state.profiles[frame.profile], frame.raw.colour)
        if len(measured.ids) != len(self.chart.ids):
            self._model.report(
                f"The reading in {frame.name} has {len(measured.ids)} patches, and this chart {len(self.chart.ids)}; read it with this chart first."
            )
            return
        assert measured.colours is not None
        self._show(
            replace(
                self.chart,
                reflectances=None,
                colours=measured.colours,
                source=measured.source,
                neutrals=neutral_patches(self.chart.ids, measured.colours),
            )
        )

    def keep(self) -> None:
        """Keep the chart in the shoot."""
        chart = self._identified()
        if chart is not None and self._jobs.command(lambda shoot: shoot.camera.keep_chart(chart)):
            self._model.say(f"{chart.name} is kept in this shoot.")
            self._begun = self.chart
            self._model.places.back()

    def _identified(self) -> Chart | None:
        """The chart under an id of its own, made from its name where it has none yet."""
        if self.chart is None or self.chart.id:
            return self.chart
        plain = re.sub(r"[^a-z0-9]+", "-", self.chart.name.lower()).strip("-") or "chart"
        taken = self._model.state.charts
        number = next(n for n in itertools.count(1) if (plain if n == 1 else f"{plain}-{n}") not in taken)
        return replace(self.chart, id=plain if number == 1 else f"{plain}-{number}")

    def _save(self) -> None:
        chart = self._identified()
        if chart is not None:
            self.save_wanted.emit(chart)

    def saved(self) -> None:
        """The definition was written as a file; nothing would be lost now."""
        self._begun = self.chart


def _resized(chart: Chart, columns: int, rows: int) -> Chart:
    """The chart with more or fewer columns and rows: patches keep their places, new ones are mid grey."""
    lab = xyz_to_lab(chart.reference_d50()).reshape(chart.rows, chart.columns, 3)
    ids, names, values = [], [], []
    old_ids = np.array(chart.ids).reshape(chart.rows, chart.columns)
    old_names = np.array(chart.names).reshape(chart.rows, chart.columns)
    taken = set(chart.ids)
    for row in range(rows):
        for column in range(columns):
            if row < chart.rows and column < chart.columns:
                ids.append(str(old_ids[row, column]))
                names.append(str(old_names[row, column]))
                values.append(lab[row, column])
                continue
            letter = chr(ord("A") + row) if row < 26 else f"A{chr(ord('A') + row - 26)}"
            fresh = f"{letter}{column + 1}"
            while fresh in taken:
                fresh += "x"
            taken.add(fresh)
            ids.append(fresh)
            names.append("")
            values.append(np.array([50.0, 0.0, 0.0]))
    colours = lab_to_xyz(np.array(values))
    kept = tuple(n for n in chart.neutrals if n in ids) or neutral_patches(tuple(ids), colours)
    return replace(
        chart, rows=rows, columns=columns, ids=tuple(ids), names=tuple(names), neutrals=kept, reflectances=None, colours=colours
    )
