"""The picture that is matched, with its reference beyond a line that wipes; pins are set on both."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPen

from velkin.app.widgets.viewer import PictureView

Places = tuple[tuple[float, float], ...]


class MatchView(PictureView):
    """A picture with another one beyond the line, each with pins of its own; a click while pinning sets one on the side it is on."""

    pinned = pyqtSignal(bool, float, float)  # whether on the reference; x, y as shares of that picture
    pinning_ended = pyqtSignal()  # by Esc
    area_left_out = pyqtSignal(float, float, float, float)  # x, y, width, height as shares of the picture

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("The picture with its reference; comma and semicolon move the line between them")
        self.margins = (16, 15, 16, 34)
        self.setMinimumSize(160, 130)
        self.reference = QImage()
        self.reference_pins: Places = ()
        #: Which pin number is chosen in the list of pairs; 0 for none.
        self.chosen_pin = 0
        #: Areas that are left out, as shares of the picture: x, y, width, height.
        self.areas: tuple[tuple[float, float, float, float], ...] = ()
        self._marking = False
        self._begun: QPointF | None = None

    def leave_an_area_out(self) -> None:
        """Have the next drag mark an area; Esc ends it."""
        self._marking = True
        self.setCursor(Qt.CursorShape.CrossCursor)

    def _end_marking(self) -> None:
        self._marking, self._begun = False, None
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.update()

    def show_reference(self, image: QImage, name: str) -> None:
        """Show the reference beyond the line; a null image takes it away."""
        self.reference = image
        own = self.names[0] if self.names else ""
        if image.isNull():
            self.show_others("off", (), ())
        else:
            self.show_others("wipe", (image,), (own, name))

    def name_own(self, name: str) -> None:
        """What the picture itself is called."""
        self.names = (name, *self.names[1:]) if self.names else (name,)
        self.update()

    # ---- where the reference lies -----------------------------------------------------------------------------

    def _reference_rect(self) -> QRectF:
        """Where the whole reference lies: as wide or as high as the picture, whole, in the middle of it."""
        rect = self.picture_rect()
        size = QSizeF(self.reference.size()).scaled(rect.size(), Qt.AspectRatioMode.KeepAspectRatio)
        return QRectF(rect.center() - QPointF(size.width() / 2, size.height() / 2), size)

    def on_reference(self, position: QPointF) -> bool:
        """Whether a point of the widget is beyond the line."""
        return not self.reference.isNull() and position.x() > self._wipe_x()

    def pin_at(self, position: QPointF) -> None:
        """Set a pin at a point of the widget, in the picture that is seen there."""
        there = self.on_reference(position)
        rect = self._reference_rect() if there else self.picture_rect()
        x, y = (position.x() - rect.left()) / rect.width(), (position.y() - rect.top()) / rect.height()
        if self.has_picture and 0.0 <= x < 1.0 and 0.0 <= y < 1.0:
            self.pinned.emit(there, x, y)

    def pin_under_pointer(self) -> None:
        """Set a pin at the pointer."""
        if self._pointer is not None:
            self.pin_at(self._pointer)

    # ---- events -----------------------------------------------------------------------------------------------

    def event(self, event: QEvent | None) -> bool:
        """Esc ends marking and pinning before it goes back to the picture."""
        if isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape and (self._marking or self.picking):
            if event.type() == QEvent.Type.ShortcutOverride:
                event.accept()
                return True
            if event.type() == QEvent.Type.KeyPress:
                self._end_marking()
                self.pinning_ended.emit()
                return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.picking and event.button() == Qt.MouseButton.LeftButton:
            self.pin_at(event.position())
            return
        if event is not None and self._marking:
            self._begun = self._pointer = event.position()
            return
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._begun is not None:
            self._pointer = event.position()
            self.update()
            return
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._begun is None:
            super().mouseReleaseEvent(event)
            return
        rect = self.picture_rect()
        box = QRectF(self._begun, event.position()).normalized().intersected(rect)
        self._end_marking()
        if box.width() > 3 and box.height() > 3:
            x, y = (box.left() - rect.left()) / rect.width(), (box.top() - rect.top()) / rect.height()
            self.area_left_out.emit(x, y, box.width() / rect.width(), box.height() / rect.height())

    def _tell(self, position: QPointF) -> None:
        self._pointer = position
        if self.on_reference(position):
            self.pointed.emit(None)  # numbers under the pointer are those of the frame at hand
            self.update()
        else:
            super()._tell(position)

    # ---- painting ---------------------------------------------------------------------------------------------

    def _paint_state(self, p: QPainter, rect: QRectF, image: QImage, part: QImage | None) -> None:
        if image is not self.reference:
            super()._paint_state(p, rect, image, part)
            return
        p.fillRect(rect, QColor(self._ground()))
        super()._paint_state(p, self._reference_rect(), image, None)

    def _paint_pins(self, p: QPainter) -> None:
        """The picture's pins before the line, the reference's beyond it."""
        if self.reference.isNull():
            super()._paint_pins(p)
            return
        x = self._wipe_x()
        p.save()
        p.setClipRect(QRectF(0, 0, x, self.height()))
        super()._paint_pins(p)
        p.setClipRect(QRectF(x, 0, self.width() - x, self.height()))
        rect = self._reference_rect()
        places = [QPointF(rect.left() + a * rect.width(), rect.top() + b * rect.height()) for a, b in self.reference_pins]
        self._draw_pins(p, places)
        p.restore()

    def paint_over(self, p: QPainter) -> None:
        """Areas that are left out, and the chosen pair's pins, ringed."""
        self._paint_areas(p)
        if not self.chosen_pin:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(255, 255, 255), 2.0))
        number = self.chosen_pin - 1
        if number < len(self.pins):
            x, y = self.pins[number]
            at = self.to_widget(x * self._size.width(), y * self._size.height())
            if self.reference.isNull() or at.x() <= self._wipe_x():
                p.drawEllipse(at, 11.0, 11.0)
        if number < len(self.reference_pins) and not self.reference.isNull():
            rect, (x, y) = self._reference_rect(), self.reference_pins[number]
            at = QPointF(rect.left() + x * rect.width(), rect.top() + y * rect.height())
            if at.x() > self._wipe_x():
                p.drawEllipse(at, 11.0, 11.0)

    def _paint_areas(self, p: QPainter) -> None:
        rect = self.picture_rect()
        boxes = [
            QRectF(rect.left() + x * rect.width(), rect.top() + y * rect.height(), w * rect.width(), h * rect.height())
            for x, y, w, h in self.areas
        ]
        if self._begun is not None and self._pointer is not None:
            boxes.append(QRectF(self._begun, self._pointer).normalized())
        p.setBrush(Qt.BrushStyle.NoBrush)
        for box in boxes:
            for width, colour in ((3.0, QColor(0, 0, 0, 140)), (1.4, QColor(255, 255, 255))):
                p.setPen(QPen(colour, width, Qt.PenStyle.DashLine))
                p.drawRect(box)
                p.drawLine(box.topLeft(), box.bottomRight())
