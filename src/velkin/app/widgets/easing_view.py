"""The picture with what easing adds to it: the easing brush, and the legend of the ΔE map."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPen, QPointingDevice, QTabletEvent

from velkin.app import theme
from velkin.app.flow.loss_map import TOP, ramp
from velkin.app.model.proof_view import ProofView
from velkin.app.widgets.viewer import PictureView

Points = tuple[tuple[float, float, float], ...]


class EasingView(PictureView):
    """A viewer that can be painted on."""

    stroking = pyqtSignal(object)  # Points of the stroke that is being painted
    stroked = pyqtSignal(object)  # Points of one that is done

    def __init__(self, proof: ProofView) -> None:
        super().__init__()
        self._proof = proof
        self._points: list[tuple[float, float, float]] = []
        self._pressure = 1.0
        self._at: QPointF | None = None
        self.legend = False
        self._tell_soon = QTimer(self)
        self._tell_soon.setSingleShot(True)
        self._tell_soon.setInterval(30)
        self._tell_soon.timeout.connect(lambda: self.stroking.emit(tuple(self._points)))
        proof.brush_changed.connect(self._brush_changed)

    def _brush_changed(self) -> None:
        self.setCursor(Qt.CursorShape.CrossCursor if self._proof.brushing else Qt.CursorShape.ArrowCursor)
        self.update()

    @property
    def _brushing(self) -> bool:
        return self._proof.brushing and self.ready and not self.picking

    def tabletEvent(self, event: QTabletEvent | None) -> None:
        """A pen's pressure; its moves come as those of a mouse."""
        if event is not None:
            pen = event.pointerType() in (QPointingDevice.PointerType.Pen, QPointingDevice.PointerType.Eraser)
            self._pressure = event.pressure() if pen and event.type() != QEvent.Type.TabletRelease else 1.0
            event.ignore()

    def _add(self, position: QPointF) -> None:
        at = self.to_picture(self._local(position))
        point = (at.x() / self._size.width(), at.y() / self._size.height(), self._pressure)
        if not self._points or point[:2] != self._points[-1][:2]:
            self._points.append(point)
            if not self._tell_soon.isActive():
                self._tell_soon.start()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        left = event is not None and event.button() == Qt.MouseButton.LeftButton
        # with Shift the picture is moved as ever
        if event is not None and left and self._brushing and not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._points = []
            self._add(event.position())
            return
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._brushing:
            self._at = event.position()
            self.update()
            if self._points:
                self._add(event.position())
                self._tell(event.position())
                return
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._points:
            done, self._points = tuple(self._points), []
            self._tell_soon.stop()
            self.stroked.emit(done)
            return
        super().mouseReleaseEvent(event)

    def leaveEvent(self, event: object) -> None:
        self._at = None
        self.update()
        super().leaveEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and self._brushing and event.key() in (Qt.Key.Key_S, Qt.Key.Key_L):
            by = 0.85 if event.key() == Qt.Key.Key_S else 1 / 0.85
            self._proof.set_brush(size=min(max(self._proof.brush.size * by, 0.004), 0.5))
            return
        super().keyPressEvent(event)

    def paint_over(self, p: QPainter) -> None:
        """The brush's outline, and the legend."""
        if self._brushing and self._at is not None:
            longest = max(self._size.width(), self._size.height())
            radius = 0.5 * self._proof.brush.size * longest * self._scale
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            p.setBrush(Qt.BrushStyle.NoBrush)
            for width, colour in ((3.0, QColor(0, 0, 0, 150)), (1.3, QColor(255, 255, 255))):
                p.setPen(QPen(colour, width))
                p.drawEllipse(self._at, radius, radius)
                if self._proof.brush.erase:
                    p.drawLine(self._at + QPointF(-5, 0), self._at + QPointF(5, 0))
        if self.legend:
            self._paint_legend(p)

    def _paint_legend(self, p: QPainter) -> None:
        t = theme.current()
        box = QRectF(self.width() - 188, 10, 176, 40)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("panel"))
        p.drawRoundedRect(box, 2, 2)
        colours = ramp(256)
        strip = QImage(colours.tobytes(), 256, 1, 768, QImage.Format.Format_RGB888)
        p.drawImage(QRectF(box.left() + 10, box.top() + 7, box.width() - 20, 10), strip)
        p.setPen(t.colour("ink"))
        p.setFont(theme.font(11))
        for text, share in (("ΔE 0", 0.0), (f"{TOP / 2:.0f}", 0.5), (f"{TOP:.0f} +", 1.0)):
            at = QRectF(box.left() + 10, box.top() + 19, box.width() - 20, 16)
            align = (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignHCenter, Qt.AlignmentFlag.AlignRight)[round(2 * share)]
            p.drawText(at, align | Qt.AlignmentFlag.AlignVCenter, text)
