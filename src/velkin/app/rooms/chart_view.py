"""The picture with a chart's grid over it: rings where patches are read, and everything of it that can be moved by hand.

Corners are dragged, or chosen with C and nudged by arrow keys (one pixel, ten with Shift); the handle in the middle moves the whole
grid. A chosen patch's ring can be dragged by itself, or moved with Alt and the arrows. A loupe shows what lies under a dragged point.
"""

from __future__ import annotations

import itertools

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF

from velkin.app import theme
from velkin.app.widgets.viewer import PictureView
from velkin.core.charts.definition import Chart
from velkin.core.charts.read import Choices
from velkin.core.charts.refining import homography, project

Floats = NDArray[np.float64]

_GRAB = 14
_WHOLE = 4  # the handle that moves the whole grid, after the four corners
_LOUPE, _LOUPE_ZOOM = 128, 4.0


class ChartView(PictureView):
    """A picture view with a chart grid."""

    corners_moved = pyqtSignal(bool)  # whether the move is over
    patch_clicked = pyqtSignal(int)
    patch_moved = pyqtSignal(int, float, float, bool)  # patch, by shares of a pitch, whether the move is over
    other_chosen = pyqtSignal(int)

    def __init__(self, chart: Chart) -> None:
        super().__init__()
        self.setAccessibleName("Picture with the chart's grid; C chooses a corner or the whole grid, arrow keys move it")
        self._chart = chart
        self.corners: Floats | None = None
        self.choices = Choices()
        self.flagged: set[str] = set()
        self.patch = -1
        #: Corners of other charts in this picture; a click chooses one of them.
        self.elsewhere: list[Floats] = []
        self._active = 0
        self._held: str = ""
        self._loupe_at: QPointF | None = None
        self._last = QPointF()

    def set_chart(self, chart: Chart) -> None:
        """The chart whose grid is shown."""
        self._chart = chart
        self.update()

    def set_corners(self, corners: Floats | None) -> None:
        """Show the grid at corners (4, 2) in picture pixels; None hides it."""
        self.corners = None if corners is None else np.array(corners, dtype=np.float64)
        self.update()

    @property
    def active_corner(self) -> int:
        """What the arrow keys move: a corner, or 4 for the whole grid."""
        return self._active

    # ---- painting ---------------------------------------------------------------------------------------------

    def _points(self, matrix: Floats, places: Floats) -> list[QPointF]:
        return self.to_widgets(project(matrix, places).tolist())

    def paint_over(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for other in self.elsewhere:
            for width, colour in ((3.0, QColor(0, 0, 0, 120)), (1.4, QColor(255, 255, 255))):
                p.setPen(QPen(colour, width, Qt.PenStyle.DashLine))
                p.drawPolygon(QPolygonF(self.to_widgets(other.tolist())))
        if self.corners is None:
            return
        matrix = homography(self.corners)
        chart = self._chart
        across, down = chart.columns - chart.gap, chart.rows - chart.gap
        half = chart.gap / 2
        lines = [((c - half) / across, 0.0, (c - half) / across, 1.0) for c in range(1, chart.columns)]
        lines += [(0.0, (r - half) / down, 1.0, (r - half) / down) for r in range(1, chart.rows)]
        outline = QPolygonF(self.to_widgets(self.corners.tolist()))
        ends = self._points(matrix, np.array(lines).reshape(-1, 2))
        for width, colour in ((3.0, QColor(0, 0, 0, 120)), (1.4, QColor(255, 255, 255))):
            p.setPen(QPen(colour, width))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPolygon(outline)
            for start, end in zip(ends[::2], ends[1::2], strict=True):
                p.drawLine(start, end)
        self._rings(p, matrix)
        self._labels(p, matrix)
        for index, place in enumerate([*self.corners, self._middle()]):
            self._handle(p, index, self.to_widget(float(place[0]), float(place[1])))
        if self._loupe_at is not None:
            self._loupe(p, self._loupe_at)

    def _middle(self) -> Floats:
        """The handle of the whole grid, in picture pixels: a crossing of the grid's lines near its middle."""
        assert self.corners is not None
        chart = self._chart
        column, row = (chart.columns + 1) // 2, (chart.rows + 1) // 2
        half = chart.gap / 2
        at = np.array([[(column - half) / (chart.columns - chart.gap), (row - half) / (chart.rows - chart.gap)]])
        return np.asarray(project(homography(self.corners), at)[0])

    def _handle(self, p: QPainter, index: int, at: QPointF) -> None:
        chosen = index == self._active and self.hasFocus()
        reach = 5 if index != _WHOLE else 6
        p.setPen(QPen(QColor("#161616") if not chosen else QColor("#FFFFFF"), 1))
        p.setBrush(QColor("#161616") if chosen else QColor("#F2F2F2"))
        box = QRectF(at.x() - reach, at.y() - reach, 2 * reach, 2 * reach)
        if index == _WHOLE:
            p.drawEllipse(box)
        else:
            p.drawRect(box)
        p.setPen(QPen(QColor("#F2F2F2") if chosen else QColor("#161616"), 1.4))
        p.drawLine(QPointF(at.x() - 3, at.y()), QPointF(at.x() + 3, at.y()))
        p.drawLine(QPointF(at.x(), at.y() - 3), QPointF(at.x(), at.y() + 3))

    def _middles(self) -> Floats:
        """The middles of the patches' samples (N, 2), in chart coordinates."""
        chart = self._chart
        grid = np.array([chart.columns - chart.gap, chart.rows - chart.gap])
        moved = {name: np.array([x, y]) / grid for name, x, y in self.choices.moved}
        return np.asarray(chart.centres() + np.array([moved.get(name, np.zeros(2)) for name in chart.ids]))

    def _rings(self, p: QPainter, matrix: Floats) -> None:
        """A ring round each patch's sample; they are all projected at once, since they are drawn anew with each move of a corner."""
        chart = self._chart
        boxes = chart.boxes()
        sizes = (boxes[:, 2:] - boxes[:, :2]) * self.choices.sample
        circle = np.stack([np.cos(a := np.linspace(0, 2 * np.pi, 25)), np.sin(a)], axis=1) / 2
        places = self._middles()[:, None] + circle * sizes[:, None]
        points = self._points(matrix, places.reshape(-1, 2))
        rings = [points[at : at + 25] for at in range(0, len(points), 25)]
        outlines = [QPolygonF(ring) for ring in rings]
        for width, colour in ((3.2, QColor(0, 0, 0, 150)), (1.6, QColor(255, 255, 255))):
            for index, (name, ring, outline) in enumerate(zip(chart.ids, rings, outlines, strict=True)):
                left_out = name in self.choices.left_out
                pen = QPen(colour, width + (1.2 if index == self.patch else 0))
                if left_out:
                    pen.setStyle(Qt.PenStyle.DotLine)
                p.setPen(pen)
                p.drawPolyline(outline)
                if name in self.flagged and not left_out:
                    p.drawLine(ring[3], ring[15])
                if left_out:
                    p.drawLine(ring[3], ring[15])
                    p.drawLine(ring[9], ring[21])

    def _labels(self, p: QPainter, matrix: Floats) -> None:
        t = theme.current()
        p.setFont(theme.font(11, 600))
        chart = self._chart
        assert self.corners is not None
        centres = chart.centres().reshape(chart.rows, chart.columns, 2)
        names = np.array(chart.ids).reshape(chart.rows, chart.columns)
        marks = [(names[0, c], np.array([centres[0, c, 0], 0.0])) for c in range(chart.columns)]
        marks += [(names[r, 0], np.array([0.0, centres[r, 0, 1]])) for r in range(1, chart.rows)]
        spots = []
        for number, (text, at) in enumerate(marks):
            outside = at + (np.array([0.0, -0.1]) if number < chart.columns else np.array([-0.1, 0.0]))
            edge, beyond = self._points(matrix, np.array([at, outside]))
            away = beyond - edge
            length = max(float(np.hypot(away.x(), away.y())), 1e-6)
            spots.append((text, edge + away * (19 / length)))
        crowded = any(abs(a[1].x() - b[1].x()) + abs(a[1].y() - b[1].y()) < 26 for a, b in itertools.pairwise(spots))
        for number, (text, spot) in enumerate(spots):
            if crowded and number not in (0, chart.columns - 1, chart.columns, len(spots) - 1):
                continue  # a chart of many patches: its corners' names are enough
            if not self._area().adjusted(-20, -20, 20, 20).contains(spot):
                continue
            width = p.fontMetrics().horizontalAdvance(text) + 6
            chip = QRectF(spot.x() - width / 2, spot.y() - 8, width, 16)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(t.colour("panel"))
            p.drawRect(chip)
            p.setPen(t.colour("ink"))
            p.drawText(chip, Qt.AlignmentFlag.AlignCenter, text)

    def _loupe(self, p: QPainter, at: QPointF) -> None:
        """What lies under a dragged point, four times enlarged, beside it."""
        side = _LOUPE
        left = at.x() + 24 if at.x() + 24 + side < self.width() else at.x() - 24 - side
        top = min(max(at.y() - side / 2, 4), self.height() - side - 4)
        glass = QRectF(left, top, side, side)
        middle = self.to_picture(at)
        picture = QRectF(0, 0, self._image.width(), self._image.height())
        to_image = self._image.width() / max(self._size.width(), 1.0)
        reach = side / 2 / (self._scale * _LOUPE_ZOOM)
        part = QRectF(
            (middle.x() - reach) * to_image, (middle.y() - reach) * to_image, 2 * reach * to_image, 2 * reach * to_image
        )
        p.save()
        p.setClipRect(glass)
        p.fillRect(glass, theme.current().colour("surround"))
        seen = part.intersected(picture)
        if not seen.isEmpty():
            zoom = side / part.width()
            target = QRectF(
                left + (seen.left() - part.left()) * zoom, top + (seen.top() - part.top()) * zoom, seen.width() * zoom, seen.height() * zoom
            )  # fmt: skip
            p.drawImage(target, self._image, seen)
        p.restore()
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor("#161616"), 2))
        p.drawRect(glass)
        centre = glass.center()
        for width, colour in ((3.0, QColor(0, 0, 0, 160)), (1.2, QColor(255, 255, 255))):
            p.setPen(QPen(colour, width))
            p.drawLine(QPointF(centre.x() - 12, centre.y()), QPointF(centre.x() + 12, centre.y()))
            p.drawLine(QPointF(centre.x(), centre.y() - 12), QPointF(centre.x(), centre.y() + 12))

    # ---- moving -----------------------------------------------------------------------------------------------

    def _handle_at(self, point: QPointF) -> int | None:
        if self.corners is None:
            return None
        places = [*self.corners, self._middle()]
        distances = [(at - point).manhattanLength() for at in self.to_widgets(places)]
        nearest = int(np.argmin(distances))
        return nearest if distances[nearest] <= _GRAB else None

    def _patch_at(self, point: QPointF) -> int | None:
        if self.corners is None:
            return None
        at = self.to_picture(point)
        u, v = project(np.asarray(np.linalg.inv(homography(self.corners)), dtype=np.float64), np.array([[at.x(), at.y()]]))[0]
        boxes = self._chart.boxes()
        inside = (boxes[:, 0] <= u) & (u <= boxes[:, 2]) & (boxes[:, 1] <= v) & (v <= boxes[:, 3])
        return int(np.argmax(inside)) if inside.any() else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        point = event.position()
        if event.button() == Qt.MouseButton.LeftButton:
            self._last = point
            handle = self._handle_at(point)
            if handle is not None:
                self._active, self._held = handle, "grid" if handle == _WHOLE else "corner"
                self._loupe_at = point if handle != _WHOLE else None
                self.update()
                return
            patch = self._patch_at(point)
            if patch is not None:
                if patch == self.patch:
                    self._held = "patch"
                    return
                self.patch_clicked.emit(patch)
            else:
                for number, other in enumerate(self.elsewhere):
                    polygon = QPolygonF(self.to_widgets(other.tolist()))
                    if polygon.containsPoint(point, Qt.FillRule.OddEvenFill):
                        self.other_chosen.emit(number)
                        return
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        point = event.position()
        if self._held and self.corners is not None:
            moved = (point - self._last) / self._scale
            self._last = point
            if self._held == "corner":
                at = self.to_picture(point)
                self.corners[self._active] = [
                    min(max(at.x(), 0.0), self._size.width()),
                    min(max(at.y(), 0.0), self._size.height()),
                ]
                self._loupe_at = point
                self.corners_moved.emit(False)
            elif self._held == "grid":
                self._shift_grid(np.array([moved.x(), moved.y()]))
                self.corners_moved.emit(False)
            else:
                self._shift_patch(np.array([moved.x(), moved.y()]), False)
            self.update()
            return
        self.setCursor(Qt.CursorShape.CrossCursor if self._handle_at(point) is not None else Qt.CursorShape.ArrowCursor)
        super().mouseMoveEvent(event)

    def _shift_grid(self, by: Floats) -> None:
        assert self.corners is not None
        limits = np.array([self._size.width(), self._size.height()])
        by = np.clip(by, -self.corners.min(axis=0), limits - self.corners.max(axis=0))
        self.corners = self.corners + by

    def _shift_patch(self, by: Floats, over: bool) -> None:
        """Move the chosen patch's sample by picture pixels."""
        assert self.corners is not None
        chart = self._chart
        matrix = homography(self.corners)
        centre = self._middles()[self.patch]
        here = project(matrix, centre[None])[0]
        there = project(np.asarray(np.linalg.inv(matrix), dtype=np.float64), (here + by)[None])[0]
        share = (there - centre) * np.array([chart.columns - chart.gap, chart.rows - chart.gap])
        self.patch_moved.emit(self.patch, float(share[0]), float(share[1]), over)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        held, self._held, self._loupe_at = self._held, "", None
        if held in ("corner", "grid"):
            self.corners_moved.emit(True)
        elif held == "patch":
            self.patch_moved.emit(self.patch, 0.0, 0.0, True)
        self.update()
        super().mouseReleaseEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._handle_at(event.position()) is None:
            super().mouseDoubleClickEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.corners is None:
            super().keyPressEvent(event)
            return
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        step = steps.get(Qt.Key(event.key()))
        if step is not None:
            by = np.array(step, dtype=np.float64) * (10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1)
            if event.modifiers() & Qt.KeyboardModifier.AltModifier:
                if self.patch >= 0:
                    self._shift_patch(by, True)
                return
            if self._active == _WHOLE:
                self._shift_grid(by)
            else:
                moved = self.corners[self._active] + by
                self.corners[self._active] = np.clip(moved, 0, [self._size.width(), self._size.height()])
            self.corners_moved.emit(True)
            self.update()
        elif event.key() == Qt.Key.Key_C:
            self._active = (self._active + 1) % 5
            self.update()
        else:
            super().keyPressEvent(event)
