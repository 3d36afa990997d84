"""Sheets about spaces: one of one's own with live effect, and three plain questions for the working space."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.widgets.parts import Rule, Words, labelled, soft
from velkin.app.widgets.sheet import Sheet
from velkin.core.errors import NotSupported
from velkin.core.spaces.custom import KINDS, OwnSpace
from velkin.core.spaces.rgb import BUILT_IN, SRGB, RGBSpace
from velkin.core.spaces.transfer import Transfer
from velkin.core.spaces.volume import lab_volume
from velkin.core.tags.ledger import ASSIGN, Entry

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


class CustomSpaceSheet(Sheet):
    """Makes a space; its effect is seen on the picture at once, as if it were assigned."""

    save_wanted = pyqtSignal(object, int)  # RGBSpace, ICC version

    def __init__(self, context: Context, parent: QWidget) -> None:
        super().__init__("Custom space", parent)
        self._model = context.model
        self.space: RGBSpace | None = None
        outer = self.column
        columns = QHBoxLayout()
        columns.setSpacing(20)
        form = QVBoxLayout()
        form.setSpacing(6)
        self.name = QLineEdit("My space")
        form.addWidget(labelled("Name", self.name))
        self.start = QComboBox()
        for space in BUILT_IN.values():
            self.start.addItem(space.name, space.id)
        self.start.activated.connect(self._from_built_in)
        form.addWidget(labelled("Begin with", self.start))
        grid = QGridLayout()
        self.points: list[tuple[QDoubleSpinBox, QDoubleSpinBox]] = []
        for column, text in enumerate(("", "x", "y")):
            grid.addWidget(soft(text), 0, column)
        for row, text in enumerate(("Red", "Green", "Blue", "White"), start=1):
            pair = (self._number(f"{text} x"), self._number(f"{text} y"))
            grid.addWidget(soft(text), row, 0)
            grid.addWidget(pair[0], row, 1)
            grid.addWidget(pair[1], row, 2)
            self.points.append(pair)
        form.addLayout(grid)
        self.white = QComboBox()
        self.white.addItems([*_WHITES, "own"])
        self.white.activated.connect(self._white_chosen)
        form.addWidget(labelled("Usual whites", self.white))
        self.kind = QComboBox()
        for key, words in KINDS.items():
            self.kind.addItem(words, key)
        self.kind.currentIndexChanged.connect(lambda _: self._changed())
        form.addWidget(labelled("Curve", self.kind))
        self.gamma = QDoubleSpinBox()
        self.gamma.setRange(0.2, 10.0)
        self.gamma.setDecimals(4)
        self.gamma.setSingleStep(0.1)
        self.gamma.setValue(2.2)
        self.gamma.valueChanged.connect(lambda _: self._changed())
        self._gamma_row = labelled("Gamma", self.gamma)
        form.addWidget(self._gamma_row)
        self.table = QLineEdit("0 0.05 0.25 1")
        self.table.textChanged.connect(lambda _: self._changed())
        self._table_row = labelled("Table", self.table)
        form.addWidget(self._table_row)
        form.addStretch(1)
        columns.addLayout(form, 1)
        side = QVBoxLayout()
        self._triangle = _Triangle()
        side.addWidget(self._triangle)
        self._volume = soft()
        self._volume.setFixedWidth(200)
        side.addWidget(self._volume)
        side.addStretch(1)
        columns.addLayout(side)
        outer.addLayout(columns)
        self.words = Words()
        self.words.setWordWrap(True)
        outer.addWidget(self.words)
        outer.addWidget(Rule())
        self.keep, self.save4, self.save2 = self.offer("Keep it in the shoot", "Save as ICC v4…", "Save as ICC v2…")
        self.save4.clicked.connect(lambda _=False: self._save(4))
        self.save2.clicked.connect(lambda _=False: self._save(2))
        self.name.textChanged.connect(lambda _: self._changed())
        self._from_built_in()

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
            self.words.setText(f"This cannot be a space: {error.message}.")
        for button in (self.keep, self.save4, self.save2):
            button.setEnabled(self.space is not None)
        self._triangle.show_space(self.space)
        if self.space is None:
            self._volume.setText("")
            self._model.try_entries(())
            return
        self._volume.setText(f"{lab_volume(self.space) / lab_volume(SRGB):.2f} times as large as sRGB in Lab.")
        path = self._model.path()
        if self._model.frame is not None and path is not None and path.here.model == "rgb":
            self.words.setText("The picture shows its numbers as they would look in this space: numbers stay, look changes.")
            self._model.try_entries((Entry(ASSIGN, self.space.id),), (self.space,))
        else:
            self.words.setText("Choose an RGB frame to see at once what the space does to a picture.")

    def _save(self, version: int) -> None:
        if self.space is not None:
            self.save_wanted.emit(self.space, version)

    def done(self, result: int) -> None:
        """Close; what was only tried is not shown any more."""
        self._model.try_entries(())
        super().done(result)


class PurposeSheet(Sheet):
    """Three plain questions; the answer names a working space and says why."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__("Help me choose a working space", parent)
        column = self.column
        self.screens = QCheckBox("Is it for screens only, and never for print?")
        self.printer = QCheckBox("Will you print it yourself, or have it printed, in wide colour?")
        self.archive = QCheckBox("Must it last as an archive master?")
        for box in (self.screens, self.printer, self.archive):
            box.toggled.connect(lambda _: self._follow())
            column.addWidget(box)
        column.addWidget(Rule())
        self.answer = Words()
        self.answer.setFont(theme.font(20, 600))
        column.addWidget(self.answer)
        self.why = Words()
        self.why.setWordWrap(True)
        self.why.setMinimumWidth(420)
        column.addWidget(self.why)
        self.offer("Work in this space")
        self._follow()

    def _follow(self) -> None:
        space, why = suited(self.screens.isChecked(), self.printer.isChecked(), self.archive.isChecked())
        self._space = space
        self.answer.setText(space.name)
        self.why.setText(why)

    def space(self) -> RGBSpace:
        """The space that suits."""
        return self._space


def suited(screens: bool, printer: bool, archive: bool) -> tuple[RGBSpace, str]:
    """The working space for a purpose, and why."""
    if archive or (printer and not screens):
        keeps = (
            "An archive must not lose what the camera saw"
            if archive
            else "Inks reach colours that no common screen space holds"
        )
        return BUILT_IN["romm"], f"{keeps}. Work in 16 bits; each hand-off converts to what its receiver can show."
    if screens and printer:
        return BUILT_IN["oprgb"], "Wide enough for most prints, and not so wide that 8-bit files show steps."
    if screens:
        return BUILT_IN[
            "p3"
        ], "As wide as good screens show, nothing wider to be lost on the way; the web still gets sRGB at the hand-off."
    return BUILT_IN["romm"], "Nothing is decided yet: the widest loses nothing, and every hand-off converts to its own space."
