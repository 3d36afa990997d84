"""The picture with a chart's grid over it: rings where patches are read, four corners that can be dragged or nudged."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF

from velkin.app import theme
from velkin.app.viewer import PictureView
from velkin.core.charts.definition import Chart

Floats = NDArray[np.float64]

_GRAB = 14
_UNIT = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=np.float32)


class ChartView(PictureView):
    """A picture view with a chart grid."""

    corners_moved = pyqtSignal(bool)  # whether the move is over
    patch_clicked = pyqtSignal(int)

    def __init__(self, chart: Chart) -> None:
        super().__init__()
        self.setAccessibleName("Picture with the chart's grid; arrow keys move the chosen corner, C chooses the next")
        self._chart = chart
        self.corners: Floats | None = None
        self.sample = 0.5
        self.flagged: set[str] = set()
        self.patch = -1
        self._active = 0
        self._held = False

    def set_corners(self, corners: Floats | None) -> None:
        """Show the grid at corners (4, 2) in picture pixels; None hides it."""
        self.corners = None if corners is None else np.array(corners, dtype=np.float64)
        self.update()

    @property
    def active_corner(self) -> int:
        """The corner that the arrow keys move."""
        return self._active

    def _homography(self) -> Floats:
        assert self.corners is not None
        return np.asarray(cv2.getPerspectiveTransform(_UNIT, self.corners.astype(np.float32)), dtype=np.float64)

    def _map(self, matrix: Floats, u: float, v: float) -> QPointF:
        x, y, w = matrix @ np.array([u, v, 1.0])
        return self.to_widget(float(x / w), float(y / w)) if abs(w) > 1e-9 else QPointF()

    def paint_over(self, p: QPainter) -> None:
        if self.corners is None:
            return
        t = theme.current()
        matrix = self._homography()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        chart = self._chart
        across, down = chart.columns - chart.gap, chart.rows - chart.gap
        lines = [((c - chart.gap / 2) / across, 0.0, (c - chart.gap / 2) / across, 1.0) for c in range(1, chart.columns)]
        lines += [(0.0, (r - chart.gap / 2) / down, 1.0, (r - chart.gap / 2) / down) for r in range(1, chart.rows)]
        outline = QPolygonF([self.to_widget(float(x), float(y)) for x, y in self.corners])
        for width, colour in ((3.0, QColor(0, 0, 0, 120)), (1.4, QColor(255, 255, 255))):
            p.setPen(QPen(colour, width))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPolygon(outline)
            for u0, v0, u1, v1 in lines:
                p.drawLine(self._map(matrix, u0, v0), self._map(matrix, u1, v1))
        for index, (left, top, right, bottom) in enumerate(chart.boxes()):
            self._ring(p, matrix, index, left, top, right, bottom)
        self._labels(p, matrix)
        for index, (x, y) in enumerate(self.corners):
            at = self.to_widget(float(x), float(y))
            box = QRectF(at.x() - 5, at.y() - 5, 10, 10)
            chosen = index == self._active and self.hasFocus()
            p.setPen(QPen(t.colour("ink") if not chosen else QColor("#FFFFFF"), 1))
            p.setBrush(QColor("#161616") if chosen else QColor("#F2F2F2"))
            p.drawRect(box)
            p.setPen(QPen(QColor("#F2F2F2") if chosen else QColor("#161616"), 1.4))
            p.drawLine(QPointF(at.x() - 3, at.y()), QPointF(at.x() + 3, at.y()))
            p.drawLine(QPointF(at.x(), at.y() - 3), QPointF(at.x(), at.y() + 3))

    def _ring(self, p: QPainter, matrix: Floats, index: int, left: float, top: float, right: float, bottom: float) -> None:
        u, v = (left + right) / 2, (top + bottom) / 2
        half_u, half_v = (right - left) * self.sample / 2, (bottom - top) * self.sample / 2
        points = [self._map(matrix, u + half_u * np.cos(a), v + half_v * np.sin(a)) for a in np.linspace(0, 2 * np.pi, 33)]
        flagged = self._chart.ids[index] in self.flagged
        for width, colour in ((3.2, QColor(0, 0, 0, 150)), (1.6, QColor(255, 255, 255))):
            p.setPen(QPen(colour, width + (1.2 if index == self.patch else 0)))
            p.drawPolyline(QPolygonF(points))
            if flagged:
                p.drawLine(points[4], points[20])

    def _labels(self, p: QPainter, matrix: Floats) -> None:
        t = theme.current()
        p.setFont(theme.font(11, 600))
        boxes = self._chart.boxes()
        assert self.corners is not None
        middle = self.to_widget(*(float(v) for v in self.corners.mean(axis=0)))
        marks = [(str(c + 1), (boxes[c, 0] + boxes[c, 2]) / 2, 0.0) for c in range(self._chart.columns)]
        marks += [
            (
                self._chart.ids[r * self._chart.columns][0],
                0.0,
                (boxes[r * self._chart.columns, 1] + boxes[r * self._chart.columns, 3]) / 2,
            )
            for r in range(self._chart.rows)
        ]
        for text, u, v in marks:
            at = self._map(matrix, u, v)
            inward = self._map(matrix, u + (0.0 if v == 0.0 else 0.1), v + (0.1 if v == 0.0 else 0.0))
            away = at - inward
            length = max(float(np.hypot(away.x(), away.y())), 1e-6)
            spot = at + away * (17 / length)
            if not self._area().adjusted(-20, -20, 20, 20).contains(spot) or (spot - middle).manhattanLength() < 10:
                continue
            chip = QRectF(spot.x() - 8, spot.y() - 8, 16, 16)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(t.colour("panel"))
            p.drawRect(chip)
            p.setPen(t.colour("ink"))
            p.drawText(chip, Qt.AlignmentFlag.AlignCenter, text)

    # ---- moving corners ---------------------------------------------------------------------------------------

    def _corner_at(self, point: QPointF) -> int | None:
        if self.corners is None:
            return None
        distances = [(self.to_widget(float(x), float(y)) - point).manhattanLength() for x, y in self.corners]
        nearest = int(np.argmin(distances))
        return nearest if distances[nearest] <= _GRAB else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        corner = self._corner_at(event.position()) if event.button() == Qt.MouseButton.LeftButton else None
        if corner is not None:
            self._active, self._held = corner, True
            self.update()
            return
        if self.corners is not None:
            self._click_patch(event.position())
        super().mousePressEvent(event)

    def _click_patch(self, point: QPointF) -> None:
        at = self.to_picture(point)
        u, v, w = np.linalg.inv(self._homography()) @ np.array([at.x(), at.y(), 1.0])
        boxes = self._chart.boxes()
        u, v = u / w, v / w
        inside = (boxes[:, 0] <= u) & (u <= boxes[:, 2]) & (boxes[:, 1] <= v) & (v <= boxes[:, 3])
        if inside.any():
            self.patch_clicked.emit(int(np.argmax(inside)))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._held and self.corners is not None:
            at = self.to_picture(event.position())
            self.corners[self._active] = [
                min(max(at.x(), 0.0), self._size.width()),
                min(max(at.y(), 0.0), self._size.height()),
            ]
            self.corners_moved.emit(False)
            self.update()
            return
        self.setCursor(
            Qt.CursorShape.CrossCursor if self._corner_at(event.position()) is not None else Qt.CursorShape.ArrowCursor
        )
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held:
            self._held = False
            self.corners_moved.emit(True)
        super().mouseReleaseEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._corner_at(event.position()) is None:
            super().mouseDoubleClickEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.corners is None:
            super().keyPressEvent(event)
            return
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        step = steps.get(Qt.Key(event.key()))
        if step is not None:
            reach = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            moved = self.corners[self._active] + np.array(step) * reach
            self.corners[self._active] = np.clip(moved, 0, [self._size.width(), self._size.height()])
            self.corners_moved.emit(True)
            self.update()
        elif event.key() == Qt.Key.Key_C:
            self._active = (self._active + 1) % 4
            self.update()
        else:
            super().keyPressEvent(event)
