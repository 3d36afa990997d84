"""The list of frames: thumbnails two or more across under their light's header, with the keys and the drag of a list."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import (
    QEvent,
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QPoint,
    QRect,
    QRectF,
    QSize,
    Qt,
    QTimer,
    pyqtSignal,
)
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QAbstractItemView, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from velkin.app import glyphs, theme
from velkin.app.flow.stops import tag_glyph
from velkin.app.flow.thumbnails import Thumbnails
from velkin.app.model.shoot_model import ShootModel
from velkin.app.turns import paint_next_turn
from velkin.app.widgets.frames_model import HELD, FramesModel, Row
from velkin.app.words import localised
from velkin.core.shoot.frame import Role

THUMB_W, THUMB_H, GAP = 92, 69, 8
_HEADER, _CAPTION, _PAD = 44, 26, 5
_CELL = QSize(THUMB_W + GAP, THUMB_H + _CAPTION)
_VIEW = QAbstractItemView


class _Painter(QStyledItemDelegate):
    """Paints headers and thumbnails."""

    def __init__(self, model: ShootModel, rows: FramesModel, thumbnails: Thumbnails, view: FramesList) -> None:
        super().__init__(view)
        self._model, self._rows, self._thumbnails, self._view = model, rows, thumbnails, view

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(self._view.row_width(), _HEADER) if self._rows.rows[index.row()].frame is None else _CELL

    def paint(self, p: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if p is None or self._model.shoot is None or index.row() >= len(self._rows.rows):
            return
        p.save()
        row = self._rows.rows[index.row()]
        here = bool(option.state & QStyle.StateFlag.State_HasFocus) and self._view.hasFocus()
        if row.frame is None:
            self._header(p, row, option.rect, here, index.row() == 0)
        elif row.frame in self._model.state.frames:
            self._frame(p, row.frame, option.rect, bool(option.state & QStyle.StateFlag.State_Selected), here)
        p.restore()

    def _header(self, p: QPainter, row: Row, rect: QRect, here: bool, first: bool) -> None:
        t = theme.current()
        if not first:
            p.setPen(t.colour("line"))
            p.drawLine(rect.left() - _PAD, rect.top(), rect.right() + 40, rect.top())
        title, under = self._rows.header(row.light)
        glyph = "fold-shut" if self._rows.is_folded(row.light) else "fold-open"
        glyphs.draw(p, glyph, QRectF(rect.left() + 4, rect.top() + 10, 9, 9), t.colour("ink"))
        p.setPen(t.colour("ink"))
        p.setFont(theme.font(13, 600))
        room = rect.width() - 20 - 44
        name = p.fontMetrics().elidedText(title, Qt.TextElideMode.ElideMiddle, room)
        p.drawText(QRect(rect.left() + 20, rect.top() + 5, room, 18), Qt.AlignmentFlag.AlignVCenter, name)
        p.setPen(t.colour("soft"))
        p.setFont(theme.font(13))
        number = QRect(rect.right() - 44, rect.top() + 5, 40, 18)
        p.drawText(number, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, str(row.number))
        p.setFont(theme.font(12))
        line = p.fontMetrics().elidedText(under, Qt.TextElideMode.ElideRight, rect.width() - 24)
        p.drawText(
            QRect(rect.left() + 20, rect.top() + 22, rect.width() - 24, 16), Qt.AlignmentFlag.AlignVCenter, localised(line)
        )
        if here:
            _ring(p, QRect(rect.left(), rect.top() + 2, rect.width() - 2, rect.height() - 4), t.colour("ink"))

    def _frame(self, p: QPainter, frame_id: int, rect: QRect, selected: bool, here: bool) -> None:
        t = theme.current()
        frame = self._model.state.frames[frame_id]
        thumb = QRect(rect.left() + 4, rect.top() + 4, THUMB_W, THUMB_H)
        if selected:
            p.fillRect(QRect(rect.left(), rect.top(), rect.width(), rect.height() - 2), t.colour("chosen"))
        image = self._thumbnails.image(frame_id)
        p.fillRect(thumb, t.colour("surround"))
        if image is not None and not image.isNull():
            scale = max(THUMB_W / image.width(), THUMB_H / image.height())
            width, height = THUMB_W / scale, THUMB_H / scale
            part = QRectF((image.width() - width) / 2, (image.height() - height) / 2, width, height)
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            p.drawImage(QRectF(thumb), image, part)
        elif image is not None:
            p.fillRect(thumb, t.colour("field"))
            glyphs.draw(p, "missing", QRectF(thumb.center().x() - 8, thumb.center().y() - 8, 16, 16), t.colour("ink"))
        notch = QRect(thumb.left(), thumb.bottom() - 16, 17, 17)
        p.fillRect(notch, t.colour("ink" if frame.held else "panel"))
        ink = t.colour("panel" if frame.held else "ink")
        glyphs.draw(p, tag_glyph(self._model.state, frame), QRectF(notch).adjusted(3.5, 3.5, -3.5, -3.5), ink)
        marked = frame.role if frame.role is not Role.SUBJECT else "layers" if frame.is_layered else ""
        if marked:
            mark = QRect(thumb.right() - 16, thumb.bottom() - 16, 17, 17)
            p.fillRect(mark, t.colour("panel"))
            glyphs.draw(p, marked, QRectF(mark).adjusted(3.5, 3.5, -3.5, -3.5), t.colour("ink"))
        edited = self._rows.edited(frame_id)
        p.setFont(theme.font(12, 600 if selected else 400))
        p.setPen(t.colour("chosen_ink") if selected else t.colour("soft"))
        name = p.fontMetrics().elidedText(frame.name, Qt.TextElideMode.ElideMiddle, THUMB_W - (18 if edited else 0))
        p.drawText(QRect(thumb.left(), thumb.bottom() + 2, THUMB_W, 16), Qt.AlignmentFlag.AlignVCenter, name)
        if edited:
            p.fillRect(thumb.right() - 13, thumb.bottom() + 9, 14, 3, t.colour("chosen_ink") if selected else t.colour("ink"))
        if here:
            _ring(
                p,
                QRect(rect.left() + 1, rect.top() + 1, rect.width() - 2, rect.height() - 4),
                t.colour("chosen_ink" if selected else "ink"),
            )


def _ring(p: QPainter, rect: QRect, colour: object) -> None:
    p.setPen(QPen(colour, 2))  # type: ignore[call-overload]
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawRect(rect)


class FramesList(QListView):
    """Headers and thumbnails; what is selected here is what is selected in the model."""

    menu_wanted = pyqtSignal(QPoint)

    def __init__(self, model: ShootModel, thumbnails: Thumbnails, rows: FramesModel) -> None:
        super().__init__()
        self._model, self._thumbnails, self.rows = model, thumbnails, rows
        self._following = False
        self._anchor: QModelIndex | None = None
        self.setModel(rows)
        self.setItemDelegate(_Painter(model, rows, thumbnails, self))
        self.setFlow(QListView.Flow.LeftToRight)
        self.setWrapping(True)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setMovement(QListView.Movement.Static)
        self.setSelectionMode(_VIEW.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(_VIEW.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setDragDropMode(_VIEW.DragDropMode.DragDrop)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setDropIndicatorShown(True)
        self.setAutoScroll(True)
        self.setFrameShape(QListView.Shape.NoFrame)
        self.setViewportMargins(_PAD, 0, 0, 0)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keys with the picture
        self.setAccessibleName("Frames by light")
        bar = self.verticalScrollBar()
        assert bar is not None
        bar.setSingleStep(_CELL.height() // 2)
        bar.valueChanged.connect(lambda _: thumbnails.soon())
        thumbnails.listed = self.near
        thumbnails.drawn.connect(rows.tell_frame)
        selection = self.selectionModel()
        assert selection is not None
        selection.selectionChanged.connect(lambda *_: self._selected())
        selection.currentChanged.connect(lambda *_: self._selected())
        rows.modelReset.connect(self._follow)
        rows.modelReset.connect(lambda: paint_next_turn(self))
        rows.modelReset.connect(thumbnails.soon)  # other frames are seen now
        model.selection_changed.connect(self._follow)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._tell_model)

    def row_width(self) -> int:
        """The width of a header: a row of its own."""
        viewport = self.viewport()
        assert viewport is not None
        return max(viewport.width() - 2, _CELL.width())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.scheduleDelayedItemsLayout()  # headers are as wide as the list

    def near(self) -> list[int]:
        """The frames that are seen, and those of a page before and after."""
        viewport = self.viewport()
        assert viewport is not None
        height = viewport.height()
        seen = range(self._row_at(0), self._row_at(height) + 1)
        more = range(self._row_at(-height), self._row_at(2 * height) + 1)
        rows = self.rows.rows
        ordered = [*seen, *(n for n in more if n not in seen)]
        return [f for n in ordered if 0 <= n < len(rows) and (f := rows[n].frame) is not None]

    def _row_at(self, y: int) -> int:
        """The first row that lies at or below a height of the viewport, by halving."""
        low, high = 0, len(self.rows.rows) - 1
        while low < high:
            middle = (low + high) // 2
            if self.visualRect(self.rows.index(middle)).bottom() < y:
                low = middle + 1
            else:
                high = middle
        return max(low, 0)

    def frame_rect(self, frame: int) -> QRect:
        """Where a frame's cell lies on the viewport."""
        return self.visualRect(self.rows.index(self.rows.row_of(frame)))

    # ---- selecting --------------------------------------------------------------------------------------------

    def _follow(self) -> None:
        """Select what the model has selected, and show the frame at hand."""
        selection = self.selectionModel()
        if selection is None:
            return
        self._following = True
        wanted = QItemSelection()
        for row in _runs(sorted(n for f in self._model.selected if (n := self.rows.row_of(f)) >= 0)):
            wanted.select(self.rows.index(row[0]), self.rows.index(row[1]))
        selection.select(wanted, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        current = self.rows.row_of(self._model.current)
        if current >= 0:
            selection.setCurrentIndex(self.rows.index(current), QItemSelectionModel.SelectionFlag.NoUpdate)
            self.scrollTo(self.rows.index(current), _VIEW.ScrollHint.EnsureVisible)
        self._following = False

    def _selected(self) -> None:
        """The selection changed by hand; the model is told once, after Qt has finished with it."""
        if not self._following:
            self._tell_model()

    def _tell_model(self) -> None:
        selection = self.selectionModel()
        if selection is None or self._model.shoot is None:
            return
        frames = [self.rows.rows[i.row()].frame for i in selection.selectedIndexes()]
        chosen = tuple(sorted((f for f in frames if f is not None), key=self.rows.row_of))
        row = self.rows.rows[self.currentIndex().row()] if self.currentIndex().isValid() else None
        current = row.frame if row is not None and row.frame in chosen else self._model.current
        if not chosen or (current not in chosen and row is not None and row.frame is None):
            return  # a header is at hand: what was selected stays
        self._following = True
        self._model.select(current if current in chosen else chosen[0], chosen)
        self._following = False

    def _select_light(self, light: int) -> None:
        members = self.rows.members(light)
        if members:
            self._model.select(self._model.current if self._model.current in members else members[0], members)

    # ---- mouse and keys ---------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        index = self.indexAt(event.position().toPoint())
        row = self.rows.rows[index.row()] if index.isValid() else None
        if row is not None and row.frame is None:
            if event.button() == Qt.MouseButton.LeftButton:
                if event.position().x() < self.visualRect(index).left() + 18:
                    self.rows.fold(row.light, not self.rows.is_folded(row.light))
                else:
                    self._select_light(row.light)
            return
        if row is None:
            return  # beside the frames: what is selected stays
        super().mousePressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.menu_wanted.emit(event.globalPos())

    def dataChanged(self, first: QModelIndex, last: QModelIndex, roles: Iterable[int] = ()) -> None:
        """Draw again what looks otherwise: a row never changes its size, and QListView would lay out all of them anew."""
        QAbstractItemView.dataChanged(self, first, last, roles)

    def event(self, event: QEvent | None) -> bool:
        """With the keys in the list, letters look for a name, and Space and Return are the list's."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier)
            if plain and (
                (event.text().isprintable() and event.text()) or event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            ):
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        index = self.currentIndex()
        row = self.rows.rows[index.row()] if index.isValid() and index.row() < len(self.rows.rows) else None
        if row is not None and row.frame is None:
            key = event.key()
            if key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and not event.modifiers():
                light = row.light
                self.rows.fold(light, key == Qt.Key.Key_Left)
                again = next(n for n, r in enumerate(self.rows.rows) if r.light == light and r.frame is None)
                self._at_header(again)
                return
            if key in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._select_light(row.light)
                self._at_header(index.row())
                return
        super().keyPressEvent(event)

    def _at_header(self, row: int) -> None:
        selection = self.selectionModel()
        if selection is not None:
            self._following = True
            selection.setCurrentIndex(self.rows.index(row), QItemSelectionModel.SelectionFlag.NoUpdate)
            self._following = False

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.rows.rows or self._model.shoot is None:
            return
        viewport = self.viewport()
        assert viewport is not None
        p = QPainter(viewport)
        p.setPen(theme.current().colour("soft"))
        p.setFont(theme.font(12))
        words = (
            "No frame is like this."
            if self._model.state.frames
            else "No frames here.\nDrop raw files or finished pictures into the window."
        )
        p.drawText(viewport.rect().adjusted(4, 12, -8, 0), Qt.TextFlag.TextWordWrap, words)


def _runs(rows: list[int]) -> list[tuple[int, int]]:
    """First and last of each run of consecutive numbers."""
    runs: list[tuple[int, int]] = []
    for row in rows:
        if runs and runs[-1][1] == row - 1:
            runs[-1] = (runs[-1][0], row)
        else:
            runs.append((row, row))
    return runs


__all__ = ["GAP", "HELD", "THUMB_H", "THUMB_W", "FramesList"]
