"""A ring of hues with the range that an easing acts on: its middle and width are dragged, or moved with the arrow keys."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QConicalGradient, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from velkin.app import theme
from velkin.core.spaces.oklab import oklab_to_xyz
from velkin.core.spaces.rgb import SRGB

_SIDE, _BAND = 112, 16
_LEAST, _MOST = 10.0, 180.0


def _colour(hue: float) -> QColor:
    oklab = (0.70, 0.11 * math.cos(math.radians(hue)), 0.11 * math.sin(math.radians(hue)))
    codes = np.clip(SRGB.encode(np.clip(oklab_to_xyz(oklab) @ SRGB.from_xyz.T, 0, 1)), 0, 1)
    return QColor(*(round(255 * float(v)) for v in codes))


class HueRing(QWidget):
    """Middle and width of a range of hues, degrees in Oklab, counted against the clock from the right."""

    dragged = pyqtSignal(float, float)  # hue, width: still moving
    chosen = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(_SIDE, _SIDE)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Range of hues: left and right turn it, up and down make it wider or narrower")
        self.setToolTip("Drag the middle to turn the range, an end to make it wider; or use the arrow keys")
        self.hue, self.width_ = 0.0, 60.0
        self._held = ""

    def sizeHint(self) -> QSize:
        return QSize(_SIDE, _SIDE)

    def show_range(self, hue: float, width: float) -> None:
        """Show a range."""
        if not self._held:
            self.hue, self.width_ = hue, width
            self.update()

    def _point(self, hue: float, radius: float) -> QPointF:
        turn = math.radians(hue)
        return QPointF(_SIDE / 2 + radius * math.cos(turn), _SIDE / 2 - radius * math.sin(turn))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        outer = QRectF(3, 3, _SIDE - 6, _SIDE - 6)
        wheel = QConicalGradient(outer.center(), 0.0)
        for step in range(0, 361, 12):
            wheel.setColorAt(step / 360.0, _colour(step))
        radius = outer.width() / 2 - _BAND / 2
        ring = outer.adjusted(_BAND / 2, _BAND / 2, -_BAND / 2, -_BAND / 2)
        p.setPen(QPen(wheel, _BAND))
        p.drawEllipse(ring)
        p.setPen(QPen(t.colour("ink"), 3.0))
        inner = ring.adjusted(_BAND / 2 + 5, _BAND / 2 + 5, -_BAND / 2 - 5, -_BAND / 2 - 5)
        p.drawArc(inner, round(16 * (self.hue - self.width_ / 2)), round(16 * self.width_))
        p.setPen(QPen(t.colour("ink"), 5.0))
        p.drawArc(inner, round(16 * (self.hue - 0.3 * self.width_)), round(16 * 0.6 * self.width_))
        for turn in (-0.5, 0.5):
            at = self.hue + turn * self.width_
            p.setPen(QPen(t.colour("ink"), 2.0))
            p.drawLine(self._point(at, inner.width() / 2), self._point(at, radius + _BAND / 2))
        p.setPen(QPen(t.colour("ink"), 2.0 if not self.hasFocus() else 3.0))
        p.setBrush(t.colour("field"))
        p.drawEllipse(self._point(self.hue, radius), 6.0, 6.0)
        p.setFont(theme.font(13, 600))
        p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, f"{self.hue:.0f}°")

    def _angle(self, event: QMouseEvent) -> float:
        d = event.position() - QPointF(_SIDE / 2, _SIDE / 2)
        return math.degrees(math.atan2(-d.y(), d.x())) % 360.0

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        angle = self._angle(event)
        off = abs((angle - self.hue + 180) % 360 - 180)
        self._held = "end" if abs(off - self.width_ / 2) < 12 and off > 0.3 * self.width_ else "middle"
        self._move(angle)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._held:
            self._move(self._angle(event))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held:
            self._held = ""
            self.chosen.emit(self.hue, self.width_)

    def _move(self, angle: float) -> None:
        if self._held == "middle":
            self.hue = angle
        else:
            self.width_ = min(max(2 * abs((angle - self.hue + 180) % 360 - 180), _LEAST), _MOST)
        self.update()
        self.dragged.emit(self.hue, self.width_)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        turns = {Qt.Key.Key_Left: (5, 0), Qt.Key.Key_Right: (-5, 0), Qt.Key.Key_Up: (0, 5), Qt.Key.Key_Down: (0, -5)}
        step = turns.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        self.hue, self.width_ = (self.hue + step[0]) % 360.0, min(max(self.width_ + step[1], _LEAST), _MOST)
        self.update()
        self.chosen.emit(self.hue, self.width_)
