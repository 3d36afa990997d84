"""The list of a match's pairs: here, wanted and got as swatches, the glyph of their origin, their ΔE and weight."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPen
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
)

from velkin.app import glyphs, theme
from velkin.app.words import localised
from velkin.core.match.pair import Origin

GLYPHS = {Origin.CHART: "chart", Origin.PINS: "pin", Origin.ALIGNED: "aligned", Origin.NUMBER: "number"}
ORIGINS = {
    Origin.CHART: "from charts", Origin.PINS: "from pins in both", Origin.ALIGNED: "from an aligned picture",
    Origin.NUMBER: "from numbers",
}  # fmt: skip
_ROW = 30


@dataclass(frozen=True)
class PairRow:
    """A pair as listed: colours on the screen (here, wanted, got), and what is said of it."""

    origin: Origin
    name: str
    words: str
    colours: tuple[QColor, QColor, QColor]
    error: float
    weight: float
    left_out: bool


class PairList(QTableWidget):
    """Pairs, furthest off first until another column is clicked. Left half: here; right: wanted; the notch at the foot: got."""

    pair_chosen = pyqtSignal(object)  # the key of a pair, or None
    leaving_out = pyqtSignal()

    def __init__(self) -> None:
        super().__init__(0, 4)
        self.rows: list[PairRow] = []
        self._order, self._falls = 3, True
        self._filling = False
        self.setHorizontalHeaderLabels(["", "Pair", "×", "ΔE"])
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setAccessibleName("Pairs of the match")
        self.setItemDelegate(_PairDelegate(self))
        vertical, horizontal = self.verticalHeader(), self.horizontalHeader()
        assert vertical is not None and horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(_ROW)
        horizontal.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        horizontal.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        horizontal.setSectionsClickable(True)
        horizontal.setHighlightSections(False)
        horizontal.sectionClicked.connect(self.sort_by)
        for column, width in ((0, 60), (2, 26), (3, 42)):
            horizontal.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            self.setColumnWidth(column, width)
        for column in (2, 3):
            item = self.horizontalHeaderItem(column)
            assert item is not None
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.itemSelectionChanged.connect(self._chosen)

    def minimumSizeHint(self) -> QSize:
        return QSize(200, 24 + 3 * _ROW)

    def show_pairs(self, rows: Sequence[PairRow]) -> None:
        """Show pairs; the one that was chosen stays so."""
        chosen = self.chosen()
        self.rows = sorted(rows, key=self._key, reverse=self._falls)
        self._filling = True
        self.setRowCount(len(self.rows))
        for number, row in enumerate(self.rows):
            texts = (
                "",
                f"{row.words}, left out" if row.left_out else row.words,
                "" if row.weight == 1.0 else localised(f"{row.weight:.2g}"),
                localised(f"{row.error:.1f}"),
            )
            for column, text in enumerate(texts):
                item = self.item(number, column)
                if item is None:
                    item = QTableWidgetItem()
                    self.setItem(number, column, item)
                item.setText(text)
            spoken = f"{row.words}, {ORIGINS[row.origin]}, ΔE {row.error:.1f}{', left out' if row.left_out else ''}"
            first = self.item(number, 0)
            assert first is not None
            first.setData(Qt.ItemDataRole.AccessibleTextRole, spoken)
            first.setToolTip(spoken)
        self._filling = False
        self.choose(chosen)

    def _key(self, row: PairRow) -> tuple[object, ...]:
        if self._order == 3:
            return (not row.left_out, row.error)
        if self._order == 2:
            return (row.weight, row.error)
        return (row.origin, row.name)

    def sort_by(self, column: int) -> None:
        """Sort by a column; asked again for the same, the other way round."""
        if column:
            self._falls = not self._falls if column == self._order else column > 1
            self._order = column
            self.show_pairs(self.rows)

    def chosen(self) -> tuple[Origin, str] | None:
        """The key of the pair that is chosen."""
        number = self.currentRow()
        if not self.selectedItems() or not 0 <= number < len(self.rows):
            return None
        return self.rows[number].origin, self.rows[number].name

    def choose(self, which: tuple[Origin, str] | None) -> None:
        """Choose a pair, or none."""
        for number, row in enumerate(self.rows):
            if (row.origin, row.name) == which:
                if self.currentRow() != number or not self.selectedItems():
                    self.selectRow(number)
                return
        self.clearSelection()

    def _chosen(self) -> None:
        if not self._filling:
            self.pair_chosen.emit(self.chosen())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Del leaves the chosen pair out."""
        if event is not None and event.key() == Qt.Key.Key_Delete:
            self.leaving_out.emit()
        else:
            super().keyPressEvent(event)


class _PairDelegate(QStyledItemDelegate):
    """Draws a pair: its two halves with the notch, the glyph of its origin before its name, numbers at the right."""

    def __init__(self, pairs: PairList) -> None:
        super().__init__(pairs)
        self._pairs = pairs

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None or index.row() >= len(self._pairs.rows):
            return
        t, row = theme.current(), self._pairs.rows[index.row()]
        on = bool(option.state & QStyle.StateFlag.State_Selected)
        rect = QRectF(option.rect)
        painter.save()
        if on:
            painter.fillRect(rect, t.colour("chosen"))
        ink = t.colour("chosen_ink" if on else "soft" if row.left_out else "ink")
        if index.column() == 0:
            box = QRectF(rect.left() + 6, rect.top() + 3, 48, rect.height() - 6)
            here, wanted, got = row.colours
            half = QRectF(box.left(), box.top(), box.width() / 2, box.height())
            painter.fillRect(half, here)
            painter.fillRect(half.translated(half.width(), 0), wanted)
            painter.fillRect(QRectF(box.center().x() - 9, box.bottom() - 8, 18, 8), got)
            if row.left_out:
                painter.setPen(QPen(ink, 1.2))
                painter.drawLine(box.topLeft(), box.bottomRight())
        elif index.column() == 1:
            glyphs.draw(painter, GLYPHS[row.origin], QRectF(rect.left() + 2, rect.center().y() - 6, 12, 12), ink)
            self._words(painter, rect.adjusted(22, 0, 0, 0), index, ink, on, Qt.AlignmentFlag.AlignLeft)
        else:
            self._words(painter, rect.adjusted(0, 0, -6, 0), index, ink, on, Qt.AlignmentFlag.AlignRight)
        painter.restore()

    @staticmethod
    def _words(p: QPainter, rect: QRectF, index: QModelIndex, ink: QColor, bold: bool, side: Qt.AlignmentFlag) -> None:
        p.setPen(ink)
        p.setFont(theme.font(12, 600 if bold or index.column() == 3 else 400))
        text = p.fontMetrics().elidedText(str(index.data() or ""), Qt.TextElideMode.ElideRight, int(rect.width()))
        p.drawText(rect, Qt.AlignmentFlag.AlignVCenter | side, text)
