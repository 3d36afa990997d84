"""Rows of a mark, a name and what is said of it: what became of files, or what should be known before they are written.

All rows are drawn by one view. A widget of its own for each would be made, styled and laid out with all others whenever a file is done.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QMimeData, QModelIndex, QRect, QRectF, QSize, Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QFont, QFontMetrics, QPainter, QResizeEvent
from PyQt6.QtWidgets import QAbstractItemView, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from velkin.app import glyphs, theme
from velkin.app.words import as_shown, breakable

_MARK, _GAP = 20, 6
_WRAPPED = int(Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)


@dataclass(frozen=True)
class Outcome:
    """One row; `file` can be dragged into another program, and `frame` is the one that it is about."""

    mark: str
    name: str
    words: str
    bold: bool = False
    tip: str = ""
    file: Path | None = None
    frame: int | None = None


class _Rows(QAbstractListModel):
    """The rows, the latest first."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[Outcome] = []

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self.rows[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{row.name}: {row.words}"
        return row.tip if role == Qt.ItemDataRole.ToolTipRole else None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        plain = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return plain | Qt.ItemFlag.ItemIsDragEnabled if index.isValid() and self.rows[index.row()].file is not None else plain

    def mimeData(self, indexes: Iterable[QModelIndex]) -> QMimeData:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(file)) for i in indexes if (file := self.rows[i.row()].file) is not None])
        return data

    def put_first(self, rows: Sequence[Outcome], most: int) -> None:
        """Put rows, one at least and the last of them first, before those that are there; of all the first `most` stay."""
        self.beginInsertRows(QModelIndex(), 0, len(rows) - 1)
        self.rows[:0] = reversed(rows)
        self.endInsertRows()
        if len(self.rows) > most:
            self.beginRemoveRows(QModelIndex(), most, len(self.rows) - 1)
            del self.rows[most:]
            self.endRemoveRows()

    def replace(self, rows: Sequence[Outcome]) -> None:
        """Other rows."""
        self.beginResetModel()
        self.rows = list(rows)
        self.endResetModel()


class _Drawn(QStyledItemDelegate):
    """Draws a row, its texts wrapped."""

    def __init__(self, view: Outcomes) -> None:
        super().__init__(view)
        self._view = view

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(self._view.width(), self._view.height_of(index.row()))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        t, row, rect = theme.current(), self._view.row(index.row()), option.rect
        on = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.save()
        if on:
            painter.fillRect(rect.adjusted(0, 0, 0, -_GAP), t.colour("chosen"))
        if row.mark:
            glyphs.draw(
                painter, row.mark, QRectF(rect.left() + 1, rect.top() + 3, 11, 11), t.colour("chosen_ink" if on else "ink")
            )
        head, under = self._view.texts_of(row, rect)
        for place, text, font, ink in ((head, row.name, _head(row), "ink"), (under, row.words, theme.font(12), "soft")):
            painter.setFont(font)
            painter.setPen(t.colour("chosen_ink" if on else ink))
            painter.drawText(place, _WRAPPED, _shown(text))
        painter.restore()


class Outcomes(QListView):
    """As high as all its rows: what is round it scrolls, to where the keys come too (`reached`).

    Without keys it is only read. With them a row is chosen, its frame told by Return or a double click, its text copied.
    """

    reached = pyqtSignal(QRect)
    frame_wanted = pyqtSignal(int)

    def __init__(self, name: str, keys: bool = True) -> None:
        super().__init__()
        self._rows = _Rows()
        self._heights: list[int] = []
        self.setModel(self._rows)
        self.setItemDelegate(_Drawn(self))
        self.setAccessibleName(name)
        self.setFrameShape(QListView.Shape.NoFrame)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        for policy in (self.setVerticalScrollBarPolicy, self.setHorizontalScrollBarPolicy):
            policy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        if not keys:
            self.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
            self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.activated.connect(self._activated)
        self.hide()

    # ---- rows -------------------------------------------------------------------------------------------------

    def put_first(self, rows: Sequence[Outcome], most: int) -> None:
        """Put rows before those that are there, the last of them first; of all the first `most` stay."""
        rows = rows[-most:]
        if rows:
            self._heights[:0] = [self._height(row) for row in reversed(rows)]
            self._rows.put_first(rows, most)
            del self._heights[most:]
            self._fit()

    def show_rows(self, rows: Sequence[Outcome]) -> None:
        """Show other rows."""
        self._heights = [self._height(row) for row in rows]
        self._rows.replace(rows)
        self._fit()

    def count(self) -> int:
        """How many rows there are."""
        return len(self._rows.rows)

    def row(self, number: int) -> Outcome:
        """A row, from the first on."""
        return self._rows.rows[number]

    # ---- how they lie -----------------------------------------------------------------------------------------

    def height_of(self, number: int) -> int:
        """Pixels that a row takes, with the gap below it."""
        return self._heights[number] if number < len(self._heights) else 0

    def texts_of(self, row: Outcome, rect: QRect) -> tuple[QRect, QRect]:
        """Where in a rectangle a row's name and its words stand."""
        left = rect.left() + (_MARK if row.mark else 0)
        width = max(rect.right() + 1 - left, 40)
        head, under = _high(row.name, _head(row), width), _high(row.words, theme.font(12), width)
        return QRect(left, rect.top(), width, head), QRect(left, rect.top() + head, width, under)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if event is not None and event.size().width() != event.oldSize().width():
            self._heights = [self._height(row) for row in self._rows.rows]
            self.scheduleDelayedItemsLayout()
            self._fit()

    def _height(self, row: Outcome) -> int:
        _, under = self.texts_of(row, QRect(0, 0, self.width(), 0))
        return under.top() + under.height() + _GAP

    def _fit(self) -> None:
        self.setFixedHeight(sum(self._heights))
        self.setVisible(bool(self._heights))

    # ---- the hand ---------------------------------------------------------------------------------------------

    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        super().currentChanged(current, previous)
        if self.hasFocus():
            self.reached.emit(self.visualRect(current))

    def _activated(self, index: QModelIndex) -> None:
        frame = self.row(index.row()).frame
        if frame is not None:
            self.frame_wanted.emit(frame)


def _head(row: Outcome) -> QFont:
    return theme.font(13, 700 if row.bold else 400)


def _high(text: str, font: QFont, width: int) -> int:
    """Pixels that a text takes in so wide a column; none where there is none."""
    return QFontMetrics(font).boundingRect(QRect(0, 0, width, 10_000), _WRAPPED, _shown(text)).height() if text else 0


def _shown(text: str) -> str:
    return breakable(as_shown(text))
