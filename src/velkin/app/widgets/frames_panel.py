"""The frames panel: the shoot's frames by light, two thumbnails across, drawn through their present colour path."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QMimeData, QPoint, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
)
from PyQt6.QtWidgets import QAbstractScrollArea, QApplication, QComboBox, QVBoxLayout, QWidget

from velkin.app import glyphs, theme
from velkin.app.flow.stops import edited_since_written, tag_glyph
from velkin.app.model.shoot_model import ShootModel
from velkin.app.words import count, light_line
from velkin.core.path import ColourPath
from velkin.core.shoot.state import Frame, State, WrittenFile

#: Stands for the Held tray among the lights.
HELD = -1
THUMB_W, THUMB_H, GAP = 92, 69, 8
_HEADER, _CAPTION, _PAD = 44, 22, 12
_MIME = "application/x-velkin-frames"


def _without_profile(state: State, frame: Frame, written: list[WrittenFile]) -> bool:
    return frame.is_raw and frame.profile is None


def _held(state: State, frame: Frame, written: list[WrittenFile]) -> bool:
    return frame.held


def _tagged(state: State, frame: Frame, written: list[WrittenFile]) -> bool:
    return not frame.is_raw and state.path(frame.id).known


def _untagged(state: State, frame: Frame, written: list[WrittenFile]) -> bool:
    return not frame.is_raw and not state.path(frame.id).known


def _handed_off(state: State, frame: Frame, written: list[WrittenFile]) -> bool:
    return any(w.frame == frame.id and w.ok for w in written)


def _edited(state: State, frame: Frame, written: list[WrittenFile]) -> bool:
    return edited_since_written(state, frame.id, written)


FILTERS: tuple[tuple[str, Callable[[State, Frame, list[WrittenFile]], bool]], ...] = (
    ("All frames", lambda s, f, w: True),
    ("Chart and neutral frames", lambda s, f, w: f.role != "subject"),
    ("Held: decisions waiting", _held),
    ("Finished, space known", _tagged),
    ("Finished, space not known", _untagged),
    ("Raw without a chart profile", _without_profile),
    ("Handed off", _handed_off),
    ("Not handed off", lambda s, f, w: not _handed_off(s, f, w)),
    ("Changed since written", _edited),
)


@dataclass(frozen=True)
class _Cell:
    frame: int
    rect: QRect


class FramesList(QAbstractScrollArea):
    """Light headers and thumbnails; only what is visible is painted."""

    menu_wanted = pyqtSignal(QPoint)

    def __init__(self, model: ShootModel) -> None:
        super().__init__()
        self._model = model
        self._headers: list[tuple[int, QRect, int]] = []
        self._cells: list[_Cell] = []
        self._folded: set[int] = set()
        self._thumbs: dict[int, tuple[ColourPath | None, QImage]] = {}
        self._edited: set[int] = set()
        self._filter = 0
        self._height = 0
        self._press: QPoint | None = None
        self._anchor: int | None = None
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.setAccessibleName("Frames by light")
        viewport = self.viewport()
        assert viewport is not None
        viewport.setMouseTracking(True)

    # ---- contents ---------------------------------------------------------------------------------------------

    def set_filter(self, index: int) -> None:
        """Show only the frames of one filter."""
        self._filter = index
        self.rebuild()

    def rebuild(self) -> None:
        """Lay out headers and thumbnails anew."""
        self._headers, self._cells, self._edited = [], [], set()
        if self._model.shoot is None:
            self._height = 0
        else:
            state, written = self._model.state, self._model.written()
            keep = FILTERS[self._filter][1]
            y = 0
            held = state.held()
            groups = [(HELD, tuple(held))] if held else []
            groups += [(light.id, tuple(f for f in light.frames if f not in set(held))) for light in state.lights]
            for light, members in groups:
                frames = [f for f in members if keep(state, state.frames[f], written)]
                if not frames and (self._filter or (light != HELD and not members and held)):
                    continue
                self._headers.append((light, QRect(0, y, self.width(), _HEADER), len(frames)))
                y += _HEADER
                if light not in self._folded:
                    for i, frame in enumerate(frames):
                        rect = QRect(
                            _PAD + (i % 2) * (THUMB_W + GAP), y + (i // 2) * (THUMB_H + _CAPTION), THUMB_W, THUMB_H + _CAPTION
                        )
                        self._cells.append(_Cell(frame, rect))
                    y += ((len(frames) + 1) // 2) * (THUMB_H + _CAPTION)
                y += 6
            self._height = y
            if written:
                self._edited = {f for f in state.frames if edited_since_written(state, f, written)}
        self._range()
        self._repaint()

    def _repaint(self) -> None:
        viewport = self.viewport()
        assert viewport is not None
        viewport.update()

    def _range(self) -> None:
        bar, viewport = self.verticalScrollBar(), self.viewport()
        assert bar is not None and viewport is not None
        bar.setRange(0, max(self._height - viewport.height(), 0))
        bar.setPageStep(viewport.height())
        bar.setSingleStep(THUMB_H)

    def _offset(self) -> int:
        bar = self.verticalScrollBar()
        assert bar is not None
        return bar.value()

    def wanted_thumbnails(self) -> list[tuple[int, ColourPath]]:
        """Frames whose thumbnail is missing or was drawn through another path; the visible ones first."""
        state = self._model.state
        viewport = self.viewport()
        assert viewport is not None
        seen = QRect(0, self._offset(), self.width(), viewport.height())
        ordered = sorted(self._cells, key=lambda c: not c.rect.intersects(seen))
        wishes = []
        for cell in ordered:
            path = state.path(cell.frame)
            path = path if path.easings else path.to_work  # another destination alone changes no thumbnail
            kept = self._thumbs.get(cell.frame)
            if kept is None or kept[0] != path:
                wishes.append((cell.frame, path))
        return wishes

    def set_thumbnail(self, frame: int, path: ColourPath, image: QImage) -> None:
        """Show a drawn thumbnail; a null image says that the source cannot be read."""
        self._thumbs[frame] = (path, image)
        self._repaint()

    def forget_thumbnails(self) -> None:
        """Draw all thumbnails anew; the old ones stay until then."""
        self._thumbs = {frame: (None, image) for frame, (_, image) in self._thumbs.items()}

    def forget(self) -> None:
        """Drop all thumbnails, for another shoot."""
        self._thumbs.clear()
        self._folded.clear()

    def reveal(self, frame: int | None) -> None:
        """Scroll a frame into view."""
        cell = next((c for c in self._cells if c.frame == frame), None)
        viewport, bar = self.viewport(), self.verticalScrollBar()
        if cell is None or viewport is None or bar is None:
            return
        if cell.rect.top() - _HEADER < bar.value():
            bar.setValue(cell.rect.top() - _HEADER)
        elif cell.rect.bottom() > bar.value() + viewport.height():
            bar.setValue(cell.rect.bottom() - viewport.height() + 4)

    def cell_centre(self, frame: int) -> QPoint:
        """Where a frame's thumbnail lies on the viewport."""
        cell = next(c for c in self._cells if c.frame == frame)
        return QPoint(cell.rect.center().x(), cell.rect.top() + THUMB_H // 2 - self._offset())

    # ---- painting ---------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        viewport = self.viewport()
        assert viewport is not None
        p = QPainter(viewport)
        p.fillRect(viewport.rect(), t.colour("panel"))
        if self._model.shoot is None:
            return
        p.translate(0, -self._offset())
        seen = QRect(0, self._offset(), viewport.width(), viewport.height())
        state = self._model.state
        if not self._cells and not self._headers:
            p.setPen(t.colour("soft"))
            p.setFont(theme.font(12))
            words = (
                "No frames here.\nDrop raw files or finished\npictures into the window."
                if not self._filter
                else "No frame is like this."
            )
            p.drawText(QRect(_PAD, 12, 190, 60), Qt.TextFlag.TextWordWrap, words)
        for light, rect, number in self._headers:
            if rect.intersects(seen):
                self._paint_header(p, state, light, rect, number)
        for cell in self._cells:
            if cell.rect.intersects(seen):
                self._paint_cell(p, state, cell)

    def _paint_header(self, p: QPainter, state: State, light_id: int, rect: QRect, number: int) -> None:
        t = theme.current()
        if rect.top() > 0:
            p.setPen(t.colour("line"))
            p.drawLine(0, rect.top(), rect.width(), rect.top())
        light = next((k for k in state.lights if k.id == light_id), None)
        title = "Held" if light is None else light.name
        under = "decisions waiting" if light is None else light_line(state, light_id)
        glyphs.draw(
            p, "fold-shut" if light_id in self._folded else "fold-open", QRectF(_PAD, rect.top() + 10, 9, 9), t.colour("ink")
        )
        p.setPen(t.colour("ink"))
        p.setFont(theme.font(13, 600))
        name = p.fontMetrics().elidedText(title, Qt.TextElideMode.ElideRight, 130)
        p.drawText(QRect(28, rect.top() + 5, 140, 18), Qt.AlignmentFlag.AlignVCenter, name)
        p.setPen(t.colour("soft"))
        p.setFont(theme.font(13))
        p.drawText(
            QRect(rect.width() - 60, rect.top() + 5, 48, 18),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            str(number),
        )
        p.setFont(theme.font(12))
        p.drawText(QRect(28, rect.top() + 22, 180, 16), Qt.AlignmentFlag.AlignVCenter, under)

    def _paint_cell(self, p: QPainter, state: State, cell: _Cell) -> None:
        t = theme.current()
        frame = state.frames[cell.frame]
        thumb = QRect(cell.rect.left(), cell.rect.top(), THUMB_W, THUMB_H)
        chosen = cell.frame in self._model.selected
        if chosen:
            p.fillRect(cell.rect.adjusted(-4, -4, 4, -2), t.colour("chosen"))
        kept = self._thumbs.get(cell.frame)
        p.fillRect(thumb, t.colour("surround"))
        if kept is not None and not kept[1].isNull():
            image = kept[1]
            scale = max(THUMB_W / image.width(), THUMB_H / image.height())
            width, height = THUMB_W / scale, THUMB_H / scale
            part = QRectF((image.width() - width) / 2, (image.height() - height) / 2, width, height)
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            p.drawImage(QRectF(thumb), image, part)
        elif kept is not None:
            p.fillRect(thumb, t.colour("field"))
            glyphs.draw(p, "missing", QRectF(thumb.center().x() - 8, thumb.center().y() - 8, 16, 16), t.colour("ink"))
        notch = QRect(thumb.left(), thumb.bottom() - 16, 17, 17)
        p.fillRect(notch, t.colour("ink" if frame.held else "panel"))
        ink = t.colour("panel" if frame.held else "ink")
        glyphs.draw(p, tag_glyph(state, frame), QRectF(notch).adjusted(3.5, 3.5, -3.5, -3.5), ink)
        if frame.role != "subject":
            mark = QRect(thumb.right() - 16, thumb.bottom() - 16, 17, 17)
            p.fillRect(mark, t.colour("panel"))
            glyphs.draw(p, frame.role, QRectF(mark).adjusted(3.5, 3.5, -3.5, -3.5), t.colour("ink"))
        p.setFont(theme.font(12, 600 if chosen else 400))
        p.setPen(t.colour("chosen_ink") if chosen else t.colour("soft"))
        name = p.fontMetrics().elidedText(
            frame.name, Qt.TextElideMode.ElideMiddle, THUMB_W - (18 if cell.frame in self._edited else 0)
        )
        p.drawText(QRect(thumb.left(), thumb.bottom() + 2, THUMB_W, 16), Qt.AlignmentFlag.AlignVCenter, name)
        if cell.frame in self._edited:
            p.fillRect(thumb.right() - 13, thumb.bottom() + 9, 14, 3, t.colour("chosen_ink") if chosen else t.colour("ink"))

    # ---- mouse and keys ---------------------------------------------------------------------------------------

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._range()

    def _at(self, point: QPoint) -> int | None:
        place = point + QPoint(0, self._offset())
        return next((c.frame for c in self._cells if c.rect.adjusted(-4, -4, 4, 0).contains(place)), None)

    def _header_at(self, point: QPoint) -> int | None:
        place = point + QPoint(0, self._offset())
        return next((light for light, rect, _ in self._headers if rect.contains(place)), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() not in (Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton):
            return
        point = event.position().toPoint()
        frame = self._at(point)
        if frame is None:
            light = self._header_at(point)
            if light is not None and event.button() == Qt.MouseButton.LeftButton:
                if point.x() < 26:
                    self._folded ^= {light}
                    self.rebuild()
                else:
                    state = self._model.state
                    members = tuple(state.held()) if light == HELD else next(k.frames for k in state.lights if k.id == light)
                    self._model.select(self._model.current if self._model.current in members else members[0], tuple(members))
            return
        chosen = self._model.selected
        if event.button() == Qt.MouseButton.RightButton:
            if frame not in chosen:
                self._model.select(frame)
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            left = tuple(f for f in chosen if f != frame) if frame in chosen else (*chosen, frame)
            self._model.select(frame if frame in left or not left else left[-1], left or (frame,))
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._extend_to(frame)
        else:
            self._press = point
            self._anchor = frame
            if frame not in chosen:
                self._model.select(frame)
            elif frame != self._model.current:
                self._model.select(frame, chosen)

    def _extend_to(self, frame: int) -> None:
        order = [c.frame for c in self._cells]
        start = self._anchor if self._anchor in order else self._model.current
        if start is None or start not in order:
            self._model.select(frame)
            return
        a, b = sorted((order.index(start), order.index(frame)))
        self._model.select(frame, tuple(order[a : b + 1]))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._press is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        if (event.position().toPoint() - self._press).manhattanLength() >= QApplication.startDragDistance():
            self._press = None
            data = QMimeData()
            data.setData(_MIME, ",".join(str(f) for f in self._model.selected).encode())
            drag = QDrag(self)
            drag.setMimeData(data)
            drag.exec(Qt.DropAction.MoveAction)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._press is not None and self._anchor is not None and len(self._model.selected) > 1:
            self._model.select(self._anchor)
        self._press = None

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.menu_wanted.emit(event.globalPos())

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and (data := event.mimeData()) is not None and data.hasFormat(_MIME):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        if event is not None and (data := event.mimeData()) is not None and data.hasFormat(_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is None or data is None or not data.hasFormat(_MIME) or self._model.shoot is None:
            return
        frames = [int(f) for f in data.data(_MIME).data().decode().split(",") if f]
        self.drop_frames(frames, event.position().toPoint())
        event.acceptProposedAction()

    def drop_frames(self, frames: list[int], point: QPoint) -> None:
        """Put dragged frames under the light that lies at a point of the viewport."""
        shoot = self._model.shoot
        under = self._at(point)
        light = self._model.state.frames[under].light if under is not None else self._header_at(point)
        if light == HELD:
            return
        moving = [f for f in frames if f in self._model.state.frames and self._model.state.frames[f].light != light]
        if shoot is None or light is None or not moving:
            return
        shoot.move_to_light(moving, light)
        self._model.changes()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -2, Qt.Key.Key_Down: 2}
        by = steps.get(Qt.Key(event.key()))
        order = [c.frame for c in self._cells]
        if by is None or not order or self._model.current not in order:
            super().keyPressEvent(event)
            return
        goal = order[max(0, min(len(order) - 1, order.index(self._model.current) + by))]
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            if self._anchor is None:
                self._anchor = self._model.current
            self._extend_to(goal)
        else:
            self._anchor = goal
            self._model.select(goal)


class FramesPanel(QWidget):
    """The filter and the frames."""

    def __init__(self, model: ShootModel) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(216)
        self._model = model
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(8)
        self.filter = QComboBox()
        self.filter.setAccessibleName("Which frames are shown")
        for name, _ in FILTERS:
            self.filter.addItem(name)
        box = QVBoxLayout()
        box.setContentsMargins(12, 0, 12, 0)
        box.addWidget(self.filter)
        column.addLayout(box)
        self.list = FramesList(model)
        column.addWidget(self.list, 1)
        self.filter.currentIndexChanged.connect(self.list.set_filter)
        model.opened.connect(self.list.forget)
        model.changed.connect(self.refresh)
        model.selection_changed.connect(self._selected)

    def refresh(self) -> None:
        """Follow the shoot."""
        if self._model.shoot is not None:
            self.filter.setItemText(0, f"All {count(len(self._model.state.frames), 'frame')}")
        self.list.rebuild()
        self.list.reveal(self._model.current)

    def _selected(self) -> None:
        self.list.reveal(self._model.current)
        self.list.rebuild()
