"""The gamut room: spaces, profiles, screens and the picture's colours together, in two and three dimensions."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QBuffer, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from velkin.app.context import Context
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.model.places import Page, Place
from velkin.app.rooms.room import Room
from velkin.app.widgets.checkable import CheckBox, ToggleButton
from velkin.app.widgets.gamut_plot import (
    FULL,
    GLASS,
    LETTERS,
    LINE,
    SLICE,
    SOLIDS,
    STYLES,
    VIEWS,
    GamutPlot,
    Points,
    Shown,
    codes_of,
)
from velkin.app.widgets.parts import Bench, Figure, Slide, button, compact, labelled, row_of, soft
from velkin.app.widgets.space_box import SpaceBox
from velkin.app.words import share
from velkin.core.errors import VelkinError
from velkin.core.gamut.membership import outside_of
from velkin.core.gamut.solid import Solid, common, solid_of
from velkin.core.icc.space import Space
from velkin.core.render import eased, to_working
from velkin.core.sampling import spread
from velkin.core.spaces.pictures import lab

#: Colours of the picture that are counted, and of these that are drawn.
_COUNTED, _DRAWN = 40_000, 2000
#: Solids so many times as large as the first are not shown at first: they would dwarf it.
_DWARFS = 2.5


class GamutRoom(Room):
    """Takes the place of viewer and bench."""

    page = Page.GAMUT
    save_wanted = pyqtSignal()

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Gamut room")
        self._spaces: list[Space] = []
        self._styles: dict[str, str] = {}
        self._hidden: set[str] = set()
        self._solids: dict[str, Solid] = {}
        self._points: tuple[Any, str] | None = None  # Lab (N, 3) and the frame's name
        self._held: dict[str, Any] = {}  # which of them each space holds, (N,)
        self.plot = GamutPlot()
        row = self.head
        self.views = QButtonGroup(self)
        for number, words in enumerate(VIEWS.values()):
            each = ToggleButton(words)
            each.setProperty("narrow", True)
            each.setMinimumWidth(66)
            self.views.addButton(each, number)
            row.addWidget(each)
        self.views.idClicked.connect(lambda n: self.show_view(list(VIEWS)[n]))
        row.addStretch(1)
        save = button("Save…", self.save_wanted.emit, tip="Save the plot, as PNG or SVG")
        save.setProperty("narrow", True)
        row.addWidget(save)
        self.add_back()
        main = QVBoxLayout()
        main.setContentsMargins(0, 0, 0, 0)
        main.setSpacing(0)
        main.addWidget(self.plot, 1)
        self.lay_out(main, self._bench())
        self.show_view(SLICE)

    def _bench(self) -> QWidget:
        bench = Bench("What is shown")
        self._figure = Figure()
        bench.column.addWidget(self._figure)
        self.table = QTableWidget(0, 5)
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalHeaderLabels(["", "space", "10⁶ ΔE³", "in A, %", "picture, %"])
        self.table.verticalHeader().hide()  # type: ignore[union-attr]
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.setAccessibleName(
            "Solids: volume in millions of cubic ΔE, share of it within A, share of the picture it holds"
        )
        header = self.table.horizontalHeader()
        assert header is not None
        for column, width in ((0, 38), (2, 58), (3, 50), (4, 64)):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            header.resizeSection(column, width)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        for column in range(5):  # names begin at the left, numbers end at the right, and so do their headings
            item = self.table.horizontalHeaderItem(column)
            assert item is not None
            side = Qt.AlignmentFlag.AlignLeft if column < 2 else Qt.AlignmentFlag.AlignRight
            item.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
        self.table.itemChanged.connect(self._ticked)
        self.table.currentCellChanged.connect(lambda *_: self._row_chosen())
        bench.column.addWidget(self.table)
        self.style_ = compact(QComboBox())
        self.style_.addItems(STYLES)
        self.style_.activated.connect(lambda _: self._style_chosen())
        bench.column.addWidget(labelled("Draw as", self.style_, 76))
        self.first = button("Use as the reference", self._make_first, tip="Compare the others with this one (A)")
        self.remove = button("Remove", self._remove)
        bench.column.addWidget(row_of(self.first, self.remove))
        bench.section("Add")
        self.add = SpaceBox("A space to add")
        self.add_button = button("Add", self._add)
        adding = QWidget()
        row = QHBoxLayout(adding)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        row.addWidget(self.add, 1)
        row.addWidget(self.add_button)
        bench.column.addWidget(adding)
        bench.section("Seen")
        self.lightness = Slide("L*", 1.0, 99.0, lambda v: f"{v:.0f}", 98, 30)
        self.lightness.show_value(50.0)
        self.lightness.moved.connect(self.plot.set_lightness)
        self.lightness.settled.connect(self.plot.set_lightness)
        bench.column.addWidget(self.lightness)
        self.points = CheckBox("Colours of this picture")
        self.points.setChecked(True)
        self.points.toggled.connect(self._points_toggled)
        bench.column.addWidget(self.points)
        self._hint = soft()
        bench.column.addWidget(self._hint)
        bench.end()
        bench.sentence.setText("Plots show what is held; nothing is changed here.")
        return bench

    # ---- entering ---------------------------------------------------------------------------------------------

    def takes(self, frame: int) -> bool:
        """Any frame's colours can be shown."""
        return True

    def left_behind(self) -> None:
        """Nothing is awaited any more."""
        self._jobs.lanes.forget("gamut room")

    def enter(self, place: Place) -> None:
        """Show the working space, the proof's, the screen's, and the frame in the viewer."""
        path = self._model.path()
        goal = path.destination if path is not None else self._model.state.proof_space()
        wanted = [goal, self._model.state.working, self._model.screen]
        kept = [s for s in self._spaces if s.id not in {w.id for w in wanted}]
        once: dict[str, Space] = {}
        for space in [*wanted, *kept]:
            once.setdefault(space.id, space)
        self._spaces = list(once.values())[: len(LETTERS)]
        self._styles.setdefault(self._spaces[0].id, FULL)
        self.add.offer(self._offered())
        self._points = None
        self.compute()
        self.plot.setFocus()

    def _offered(self) -> list[Space]:
        return [s for m in ("rgb", "cmyk", "gray") for s in self._jobs.spaces.of_model(m)]

    def show_view(self, view: str) -> None:
        """Choose what is plotted."""
        self.views.button(list(VIEWS).index(view)).setChecked(True)  # type: ignore[union-attr]
        self.plot.set_view(view)
        self.lightness.setVisible(view == SLICE)
        self._hint.setText(
            "Drag to turn, wheel to zoom; arrow keys and + and − do the same, 0 goes back. Dots are held by A, rings are not."
            if view == SOLIDS
            else "Dots are held by A, rings are not."
            + (" Colours within 5 of this lightness are shown." if view == SLICE else "")
        )

    # ---- computing --------------------------------------------------------------------------------------------

    def compute(self) -> None:
        """Compute solids and the picture's colours on a worker; the newest wish wins."""
        spaces, frame, path = list(self._spaces), self._model.frame, self._model.path()
        known, have = dict(self._solids), self._points
        self._figure.show_value("", "Computing …")

        def work(job: Job) -> tuple[dict[str, Solid | str], Any, dict[str, Any]]:
            solids: dict[str, Solid | str] = {}
            for space in spaces:
                try:
                    solids[space.id] = known.get(space.id) or solid_of(space)
                except VelkinError as error:
                    solids[space.id] = error.message
            points = have
            if points is None and frame is not None and path is not None:
                service = self._jobs.sources
                alone = path.by_pixel  # what depends on its surroundings needs the whole picture
                source = service.sample(frame.path, path.source) if alone else service.source(frame.path, path.source, True)
                flat = eased(to_working(source, path), path).reshape(-1, 3)
                few = spread(flat, _COUNTED)[None]
                points = (lab(few, path.working)[0].astype(np.float64), frame.name)
            held = {s.id: ~outside_of(points[0], s) for s in spaces} if points is not None else {}
            return solids, points, held

        def done(result: Any) -> None:
            if isinstance(result, VelkinError):
                self._model.report(result)
                return
            solids, self._points, self._held = result
            for space in spaces:
                found = solids[space.id]
                if isinstance(found, str):
                    self._model.report(f"{space.name}: {found}; it is not plotted.")
                    self._spaces.remove(space)
                else:
                    if space.id not in self._solids and found.volume > _DWARFS * self._first_volume() > 0:
                        self._hidden.add(space.id)
                    self._solids[space.id] = found
            self.refresh()

        self._jobs.lanes.start(Lane.ROOM, work, done, name="Computing solids", purpose="gamut room")

    def _first_volume(self) -> float:
        first = self._solids.get(self._spaces[0].id)
        return first.volume if first is not None else 0.0

    def refresh(self) -> None:
        """Fill the table and plot."""
        solids = [self._solids[s.id] for s in self._spaces if s.id in self._solids]
        colours = self._points[0] if self._points is not None else np.zeros((0, 3))
        self.table.blockSignals(True)
        row = max(self.table.currentRow(), 0)
        self.table.setRowCount(len(solids))
        held_by_first = self._held.get(solids[0].space.id, np.zeros(len(colours), bool)) if solids else np.zeros(0, bool)
        for number, solid in enumerate(solids):
            picture = f"{100 * float(self._held[solid.space.id].mean()):.1f}" if solid.space.id in self._held else ""
            inside = f"{100 * common(solid, solids[0]) / solid.volume:.0f}" if solid.volume and number else ""
            values = (LETTERS[number], solid.space.name, f"{solid.volume / 1e6:.2f}", inside, picture)
            for column, text in enumerate(values):
                item = QTableWidgetItem(text)
                if column == 0:
                    item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                    shown = solid.space.id not in self._hidden
                    item.setCheckState(Qt.CheckState.Checked if shown else Qt.CheckState.Unchecked)
                if column == 1:
                    item.setToolTip(text)
                if column > 1:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(number, column, item)
            self.table.setRowHeight(number, 22)
        self.table.setFixedHeight(28 + 22 * max(len(solids), 1))
        self.table.setCurrentCell(min(row, len(solids) - 1), 1)
        self.table.blockSignals(False)
        self._row_chosen()
        plotted = tuple(
            Shown(LETTERS[n], s, self._styles.get(s.space.id, LINE if n else FULL))
            for n, s in enumerate(solids)
            if s.space.id not in self._hidden
        )
        step = max(1, len(colours) // _DRAWN)
        few = colours[::step]
        self.plot.set_shown(plotted, Points(few, codes_of(few), held_by_first[::step]))
        if solids and len(colours):
            value = float(held_by_first.mean())
            name = self._points[1] if self._points is not None else ""
            self._figure.show_value(f"{share(value)} %", f"of {name} is held by {solids[0].space.name} (A)")
        elif solids:
            self._figure.show_value(f"{solids[0].volume / 1e6:.2f}", f"million cubic ΔE in {solids[0].space.name} (A)")

    # ---- changing ---------------------------------------------------------------------------------------------

    def _space(self) -> Space | None:
        row = self.table.currentRow()
        return self._spaces[row] if 0 <= row < len(self._spaces) else None

    def _row_chosen(self) -> None:
        space, row = self._space(), self.table.currentRow()
        self.first.setEnabled(row > 0)
        self.remove.setEnabled(len(self._spaces) > 1)
        if space is not None:
            self.style_.setCurrentText(self._styles.get(space.id, LINE if row else FULL))

    def _ticked(self, item: QTableWidgetItem) -> None:
        if item.column() == 0:
            identifier = self._spaces[item.row()].id
            if item.checkState() == Qt.CheckState.Checked:
                self._hidden.discard(identifier)
            else:
                self._hidden.add(identifier)
            self.refresh()

    def _style_chosen(self) -> None:
        space = self._space()
        if space is not None:
            self._styles[space.id] = self.style_.currentText()
            self.refresh()

    def _make_first(self) -> None:
        space = self._space()
        if space is not None:
            self._spaces.remove(space)
            self._spaces.insert(0, space)
            self.table.setCurrentCell(0, 1)
            self._styles.setdefault(space.id, GLASS)
            self.refresh()

    def _remove(self) -> None:
        space = self._space()
        if space is not None and len(self._spaces) > 1:
            self._spaces.remove(space)
            self.refresh()

    def _add(self) -> None:
        space = self.add.space()
        if space is not None:
            self.show_space(space)

    def show_space(self, space: Space) -> None:
        """Add a space to the plot."""
        if space.id in {s.id for s in self._spaces}:
            self._model.say(f"{space.name} is shown already.")
        elif len(self._spaces) >= len(LETTERS):
            self._model.say(f"The plot takes {len(LETTERS)} solids; remove one first.")
        else:
            self._spaces.append(space)
            self.compute()

    def _points_toggled(self, on: bool) -> None:
        self.plot.show_points = on
        self.plot.update()

    # ---- saving -----------------------------------------------------------------------------------------------

    def save(self, path: Path) -> None:
        """Save the plot as PNG (at twice its size) or SVG. Raises OutputFailed."""
        from velkin.core.files.safely import write_whole

        size = self.plot.size()
        if path.suffix.lower() == ".svg":
            from PyQt6.QtSvg import QSvgGenerator

            held = QBuffer()
            svg = QSvgGenerator()
            svg.setOutputDevice(held)
            svg.setSize(size)
            svg.setViewBox(QRectF(0, 0, size.width(), size.height()))
            svg.setTitle("Gamut plot")
            p = QPainter(svg)
            self.plot.vector = True
            self.plot.paint(p, QRectF(0, 0, size.width(), size.height()))
            self.plot.vector = False
            p.end()
            data = bytes(held.data().data())
        else:
            image = QImage(size * 2, QImage.Format.Format_RGB32)
            p = QPainter(image)
            p.scale(2, 2)
            self.plot.paint(p, QRectF(0, 0, size.width(), size.height()))
            p.end()
            held = QBuffer()
            held.open(QBuffer.OpenModeFlag.WriteOnly)
            image.save(held, "PNG")
            data = bytes(held.data().data())
        write_whole(path, data, True)

    def sizeHint(self) -> QSize:
        return QSize(900, 600)
