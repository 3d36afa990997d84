"""A space of one's own: primaries, white point and curve; the picture shows its numbers in it while it is made."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QGridLayout, QLineEdit, QWidget

from velkin.app import theme
from velkin.app.benches.aside import Aside
from velkin.app.context import Context
from velkin.app.widgets.parts import button, labelled, row_of, soft
from velkin.core.errors import NotSupported
from velkin.core.spaces.custom import KINDS, OwnSpace
from velkin.core.spaces.rgb import BUILT_IN, SRGB, RGBSpace
from velkin.core.spaces.transfer import Transfer
from velkin.core.spaces.volume import lab_volume
from velkin.core.tags.ledger import Entry, Verb

_WHITES = {"D65": (0.3127, 0.3290), "D50": (0.3457, 0.3585), "D55": (0.3324, 0.3474), "E": (1 / 3, 1 / 3)}


class _Triangle(QWidget):
    """The primaries in xy, beside sRGB's."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(200, 220)
        self._space: RGBSpace | None = None

    def show_space(self, space: RGBSpace | None) -> None:
        self._space = space
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), t.colour("field"))

        def at(x: float, y: float) -> QPointF:
            return QPointF(12 + x * 215, 210 - y * 222)

        for space, width, style in ((SRGB, 1.0, Qt.PenStyle.DashLine), (self._space, 2.0, Qt.PenStyle.SolidLine)):
            if space is None:
                continue
            p.setPen(QPen(t.colour("ink"), width, style))
            p.drawPolygon(QPolygonF([at(x, y) for x, y in space.primaries]))
            p.drawEllipse(at(*space.white), 2.5, 2.5)
        p.setFont(theme.font(11))
        p.setPen(t.colour("soft"))
        p.drawText(QRectF(8, 4, 184, 14), Qt.AlignmentFlag.AlignRight, "dashed: sRGB")


class CustomSpaceBench(Aside):
    """Makes a space; its effect is seen on the picture at once, as if it were assigned."""

    stop = "working"

    save_wanted = pyqtSignal(object, int)  # RGBSpace, ICC version
    kept = pyqtSignal(object)  # RGBSpace

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Custom space")
        self.space: RGBSpace | None = None
        self._begun = OwnSpace("", SRGB.primaries, SRGB.white, "gamma", 1.0)
        self.name = QLineEdit("My space")
        self.column.addWidget(labelled("Name", self.name))
        self.start = QComboBox()
        for space in BUILT_IN.values():
            self.start.addItem(space.name, space.id)
        self.start.activated.connect(lambda _: self._from_built_in())
        self.column.addWidget(labelled("Begin with", self.start))
        self._build_points()
        self._build_curve()
        self.section("In xy")
        self._triangle = _Triangle()
        self.column.addWidget(self._triangle)
        self._volume = soft()
        self.column.addWidget(self._volume)
        self.end()
        self.keep = button("Keep it in the shoot", self._keep, primary=True)
        self.save4 = button("Save as ICC v4…", lambda: self._save(4))
        self.save2 = button("Save as ICC v2…", lambda: self._save(2))
        self.foot.addWidget(self.keep)
        self.foot.addWidget(row_of(self.save4, self.save2))
        self.foot.addWidget(button("Cancel   Esc", self.give_up))
        self.name.textChanged.connect(lambda _: self._changed())
        self._from_built_in()
        self._begun = self.own()

    def _build_points(self) -> None:
        self.section("Primaries and white")
        grid = QGridLayout()
        grid.setVerticalSpacing(4)
        self.points: list[tuple[QDoubleSpinBox, QDoubleSpinBox]] = []
        for column, text in enumerate(("", "x", "y")):
            grid.addWidget(soft(text), 0, column)
        for row, text in enumerate(("Red", "Green", "Blue", "White"), start=1):
            pair = (self._number(f"{text} x"), self._number(f"{text} y"))
            grid.addWidget(soft(text), row, 0)
            grid.addWidget(pair[0], row, 1)
            grid.addWidget(pair[1], row, 2)
            self.points.append(pair)
        self.column.addLayout(grid)
        self.white = QComboBox()
        self.white.addItems([*_WHITES, "own"])
        self.white.activated.connect(lambda _: self._white_chosen())
        self.column.addWidget(labelled("Usual whites", self.white))

    def _build_curve(self) -> None:
        self.section("Curve")
        self.kind = QComboBox()
        for key, words in KINDS.items():
            self.kind.addItem(words, key)
        self.kind.activated.connect(lambda _: self._changed())
        self.column.addWidget(labelled("Curve", self.kind))
        self.gamma = QDoubleSpinBox()
        self.gamma.setRange(0.2, 10.0)
        self.gamma.setDecimals(4)
        self.gamma.setSingleStep(0.1)
        self.gamma.setValue(2.2)
        self.gamma.valueChanged.connect(lambda _: self._changed())
        self._gamma_row = labelled("Gamma", self.gamma)
        self.column.addWidget(self._gamma_row)
        self.table = QLineEdit("0 0.05 0.25 1")
        self.table.textChanged.connect(lambda _: self._changed())
        self._table_row = labelled("Table", self.table)
        self.column.addWidget(self._table_row)

    def _number(self, name: str) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setRange(-0.9, 1.9)
        box.setDecimals(4)
        box.setSingleStep(0.005)
        box.setAccessibleName(name)
        box.valueChanged.connect(lambda _: self._changed())
        return box

    def _from_built_in(self) -> None:
        space = BUILT_IN[str(self.start.currentData())]
        boxes = [b for pair in self.points for b in pair] + [self.gamma]
        for box in boxes:
            box.blockSignals(True)
        for pair, point in zip(self.points, (*space.primaries, space.white), strict=True):
            pair[0].setValue(point[0])
            pair[1].setValue(point[1])
        t = space.transfer
        if isinstance(t, Transfer):
            kind = "linear" if t.is_linear else "srgb" if t == SRGB.transfer else "l" if t.g == 3.0 else "gamma"
            self.kind.setCurrentIndex(self.kind.findData(kind))
            self.gamma.setValue(t.g)
        for box in boxes:
            box.blockSignals(False)
        self._changed()

    def _white_chosen(self) -> None:
        white = _WHITES.get(self.white.currentText())
        if white is not None:
            self.points[3][0].setValue(white[0])
            self.points[3][1].setValue(white[1])

    def own(self) -> OwnSpace:
        """What is set."""
        p = [(a.value(), b.value()) for a, b in self.points]
        table: tuple[float, ...] = ()
        if self.kind.currentData() == "table":
            try:
                table = tuple(float(v) for v in self.table.text().replace(",", " ").split())
            except ValueError:
                table = ()
        return OwnSpace(self.name.text(), (p[0], p[1], p[2]), p[3], str(self.kind.currentData()), self.gamma.value(), table)

    # ---- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """The frame at hand is another."""
        self._changed()

    def _changed(self) -> None:
        self._gamma_row.setVisible(self.kind.currentData() == "gamma")
        self._table_row.setVisible(self.kind.currentData() == "table")
        white = (self.points[3][0].value(), self.points[3][1].value())
        named = next((n for n, w in _WHITES.items() if max(abs(a - b) for a, b in zip(w, white, strict=True)) < 2e-4), "own")
        self.white.setCurrentText(named)
        try:
            self.space = self.own().space()
        except NotSupported as error:
            self.space = None
            self.sentence.setText(f"This cannot be a space: {error.message}.")
        for each in (self.keep, self.save4, self.save2):
            each.setEnabled(self.space is not None)
        self._triangle.show_space(self.space)
        if self.space is None:
            self._volume.setText("")
            self._model.try_entries(())
            return
        self._volume.setText(f"{lab_volume(self.space) / lab_volume(SRGB):.2f} times as large as sRGB in Lab.")
        path = self._model.path()
        if path is not None and path.here.model == "rgb":
            self.sentence.setText("The picture shows its numbers as they would look in this space: numbers stay, look changes.")
            if self.isVisible():
                self._model.try_entries((Entry(Verb.ASSIGN, self.space.id),), (self.space,))
        else:
            self.sentence.setText("Choose an RGB frame to see at once what the space does to a picture.")
            self._model.try_entries(())

    # ---- ending -----------------------------------------------------------------------------------------------

    def unsaved(self) -> str:
        """The space, where anything was set."""
        return "The space" if self.own() != self._begun else ""

    def _save(self, version: int) -> None:
        if self.space is not None:
            self.save_wanted.emit(self.space, version)

    def _keep(self) -> None:
        space = self.space
        self.end_it()
        self.kept.emit(space)
