"""The picture in the middle: zoom to the pointer, fit, actual pixels, pan, hatching, comparing. It knows only what it is shown.

Comparing shows the same place of the same picture in other states: behind a line that wipes, side by side, or in a grid of four.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QBrush,
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from velkin.app import theme
from velkin.app.words import localised

Pixels = NDArray[np.float32]


def surround_grey(lightness: float) -> QColor:
    """The neutral of a given L* as an sRGB colour."""
    y = ((lightness + 16) / 116) ** 3 if lightness > 8 else lightness / 903.3
    v = 12.92 * y if y <= 0.0031308 else 1.055 * y ** (1 / 2.4) - 0.055
    code = round(255 * v)
    return QColor(code, code, code)


def _hatch_pattern() -> QBrush:
    """45° lines, period 6 px: 30 % black, 30 % white, the rest picture."""
    tile = QImage(6, 6, QImage.Format.Format_ARGB32)
    for y in range(6):
        for x in range(6):
            phase = (x + y) % 6
            tile.setPixelColor(
                x, y, QColor(0, 0, 0) if phase < 2 else QColor(255, 255, 255) if phase < 4 else QColor(0, 0, 0, 0)
            )
    return QBrush(QPixmap.fromImage(tile))


class PictureView(QWidget):
    """Shows one image in the coordinates of the full-size picture."""

    pointed = pyqtSignal(object)  # (x, y) in full-size pixels, or None
    zoomed = pyqtSignal(float)  # screen pixels per picture pixel
    picked = pyqtSignal(float, float)  # a click while picking, in full-size pixels

    def __init__(self) -> None:
        super().__init__()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(200, 150)
        self.setAccessibleName("Picture")
        self._image = QImage()
        self._hatch = QImage()
        #: The visible part where it is sharper, its mask, and where it lies in the picture.
        self._part = QImage()
        self._part_hatch = QImage()
        self._part_at = QRectF()
        self._other_parts: tuple[QImage | None, ...] = ()
        self._size = QSizeF(1, 1)
        self._scale = 1.0
        self._centre = QPointF(0.5, 0.5)
        self._fit = True
        self._drag: QPointF | None = None
        self._surround: QColor | None = None
        self.show_hatch = False
        self.margins = (24, 26, 24, 34)
        self.captions: tuple[str, str] = ("", "")
        self.empty_text = ""
        #: How it is compared (`model.COMPARISONS`), the other states, and the names of all, the present one's first.
        self.comparison = "off"
        self.others: tuple[QImage, ...] = ()
        self.names: tuple[str, ...] = ()
        self._wipe = 0.5
        self._wiping = False
        self._pointer: QPointF | None = None
        #: Side of the square that a click picks, in picture pixels; 0 while nothing is picked.
        self.picking = 0.0
        #: Pins as shares of the picture's width and height, in order.
        self.pins: tuple[tuple[float, float], ...] = ()

    # ---- what is shown ----------------------------------------------------------------------------------------

    def set_picture(self, image: QImage, size: tuple[int, int], hatch: QImage | None = None) -> None:
        """Show an image that stands for a picture of `size` pixels; zoom and place stay unless the size is another.

        A sharper part shown before goes with the image it belonged to.
        """
        self.set_part(None, None, QRectF())
        if QSizeF(*size) != self._size:
            self._size = QSizeF(*size)
            self._centre = QPointF(size[0] / 2, size[1] / 2)
            self._fit = True
        self._image, self._hatch = image, _premultiplied(hatch)
        self._settle()
        self.update()

    def set_part(self, part: QImage | None, hatch: QImage | None, at: QRectF) -> None:
        """Show a part of the picture sharper than the whole, at a place in full-size pixels."""
        self._part, self._part_hatch = part if part is not None else QImage(), _premultiplied(hatch)
        self._part_at = at
        self._other_parts = ()

    def set_hatch(self, hatch: QImage) -> None:
        """Another mask of the whole picture."""
        self._hatch = _premultiplied(hatch)
        self.update()

    def clear(self) -> None:
        """Show nothing."""
        self._image = QImage()
        self.set_part(None, None, QRectF())
        self.update()

    @property
    def has_picture(self) -> bool:
        """Whether a picture is shown."""
        return not self._image.isNull()

    @property
    def ready(self) -> bool:
        """Whether one can pick on what is shown."""
        return self.has_picture

    def set_pins(self, pins: tuple[tuple[float, float], ...]) -> None:
        """Show pins."""
        if pins != self.pins:
            self.pins = pins
            self.update()

    def set_captions(self, left: str, right: str) -> None:
        """Chips under the picture."""
        if self.captions != (left, right):
            self.captions = (left, right)
            self.update()

    def set_surround(self, colour: QColor | None) -> None:
        """The grey round the picture; None is the theme's."""
        self._surround = colour
        self.update()

    # ---- place ------------------------------------------------------------------------------------------------

    @property
    def scale(self) -> float:
        """Screen pixels per full-size picture pixel."""
        return self._scale

    @property
    def is_fit(self) -> bool:
        """Whether the whole picture is shown."""
        return self._fit

    def fit(self) -> None:
        """Show the whole picture."""
        self._fit = True
        self._settle()
        self.update()

    def actual(self, at: QPointF | None = None) -> None:
        """One picture pixel per screen pixel, around a point of the widget (or the middle)."""
        self._zoom_to(1.0 / self.devicePixelRatioF(), at or QPointF(self.width() / 2, self.height() / 2))

    def zoom_by(self, factor: float, at: QPointF | None = None) -> None:
        """Zoom around a point of the widget."""
        self._zoom_to(self._scale * factor, at or QPointF(self.width() / 2, self.height() / 2))

    def _zoom_to(self, scale: float, at: QPointF) -> None:
        if not self.has_picture:
            return
        anchor = self.to_picture(at)
        smallest = min(self._fit_scale(), 1.0)
        self._scale = float(min(max(scale, smallest), 16.0))
        self._fit = self._scale <= self._fit_scale() * 1.0001
        middle = self._area().center()
        self._centre = anchor - (at - middle) / self._scale
        self._settle()
        self.update()

    def _whole(self) -> QRectF:
        left, top, right, bottom = self.margins
        return QRectF(left, top, max(self.width() - left - right, 1), max(self.height() - top - bottom, 1))

    def panes(self) -> list[QRectF]:
        """Where the states lie: one place for all of them, two side by side, or four."""
        whole = self._whole()
        if self.comparison == "side" and self.others:
            width = (whole.width() - 8) / 2
            return [QRectF(whole.left() + k * (width + 8), whole.top(), width, whole.height()) for k in (0, 1)]
        if self.comparison == "grid" and self.others:
            width, height = (whole.width() - 8) / 2, (whole.height() - 34) / 2
            spots = [(0, 0), (1, 0), (0, 1), (1, 1)][: 1 + len(self.others)]
            return [QRectF(whole.left() + c * (width + 8), whole.top() + r * (height + 34), width, height) for c, r in spots]
        return [whole]

    def _area(self) -> QRectF:
        return self.panes()[0]

    def _local(self, point: QPointF) -> QPointF:
        """A point of the widget as it would lie in the first pane."""
        panes = self.panes()
        pane = next((r for r in panes if r.adjusted(-4, -4, 4, 4).contains(point)), panes[0])
        return point - pane.topLeft() + panes[0].topLeft()

    def show_others(
        self,
        comparison: str,
        others: tuple[QImage, ...],
        names: tuple[str, ...],
        parts: tuple[QImage | None, ...] = (),
    ) -> None:
        """Compare with other states of the picture, and the sharper parts of these, or with none."""
        changed = (comparison, len(others)) != (self.comparison, len(self.others))
        self.comparison, self.others, self.names, self._other_parts = comparison, others, names, parts
        if changed:
            self._settle()
        self.update()

    def _fit_scale(self) -> float:
        area = self._area()
        return min(area.width() / self._size.width(), area.height() / self._size.height())

    def _settle(self) -> None:
        area = self._area()
        if self._fit:
            self._scale = self._fit_scale()
            self._centre = QPointF(self._size.width() / 2, self._size.height() / 2)
        else:
            for axis, extent, room in (("x", self._size.width(), area.width()), ("y", self._size.height(), area.height())):
                value = self._centre.x() if axis == "x" else self._centre.y()
                half = room / 2 / self._scale
                value = extent / 2 if 2 * half >= extent else min(max(value, half), extent - half)
                if axis == "x":
                    self._centre.setX(value)
                else:
                    self._centre.setY(value)
        self.zoomed.emit(self._scale)

    def to_picture(self, point: QPointF) -> QPointF:
        """A point of the widget in full-size picture pixels."""
        return self._centre + (point - self._area().center()) / self._scale

    def to_widget(self, x: float, y: float) -> QPointF:
        """A point of the picture on the widget."""
        return self.to_widgets([(x, y)])[0]

    def to_widgets(self, places: Iterable[tuple[float, float]]) -> list[QPointF]:
        """Points of the picture on the widget."""
        middle, centre, scale = self._area().center(), self._centre, self._scale
        left, top = middle.x() - centre.x() * scale, middle.y() - centre.y() * scale
        return [QPointF(left + x * scale, top + y * scale) for x, y in places]

    def fitted(self) -> tuple[int, int]:
        """Device pixels of the room that the whole picture has when it is fitted."""
        area, by = self._area(), self.devicePixelRatioF()
        return round(area.width() * by), round(area.height() * by)

    def visible(self) -> tuple[float, float, float, float] | None:
        """What is visible when zoomed in, with a little more round it: left, top, width, height as shares of the picture."""
        if self._fit or not self.has_picture:
            return None
        area = self._area()
        if len(self.panes()) == 1:
            area = QRectF(self.rect())
        more = 0.08 * max(area.width(), area.height())
        seen = area.adjusted(-more, -more, more, more)
        first, last = self.to_picture(seen.topLeft()), self.to_picture(seen.bottomRight())
        width, height = self._size.width(), self._size.height()
        left, right = (min(max(v / width, 0.0), 1.0) for v in (first.x(), last.x()))
        top, bottom = (min(max(v / height, 0.0), 1.0) for v in (first.y(), last.y()))
        return left, top, right - left, bottom - top

    def picture_rect(self) -> QRectF:
        """Where the whole picture lies on the widget."""
        top_left = self.to_widget(0, 0)
        return QRectF(top_left, self._size * self._scale)

    def chips_at(self) -> float:
        """Where the chips under the picture begin, from the top of the widget."""
        return float(min(self.picture_rect().bottom(), self.height() - self.margins[3])) + 6

    # ---- events -----------------------------------------------------------------------------------------------

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._settle()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and event.angleDelta().y():
            self.zoom_by(1.2 ** (event.angleDelta().y() / 120), self._local(event.position()))
            event.accept()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        if self.picking:
            at = self.to_picture(self._local(event.position()))
            if self.ready and 0 <= at.x() < self._size.width() and 0 <= at.y() < self._size.height():
                self.picked.emit(at.x(), at.y())
            return
        if self.comparison == "wipe" and self.others and abs(event.position().x() - self._wipe_x()) < 9:
            self._wiping = True
            return
        self._drag = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._wiping:
            area = self._area()
            self._wipe = float(min(max((event.position().x() - area.left()) / area.width(), 0.0), 1.0))
            self.update()
            return
        if self._drag is not None:
            if not self._fit:
                self._centre = self._centre - (event.position() - self._drag) / self._scale
                self._settle()
                self.update()
            self._drag = event.position()
        self._tell(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = None
        self._wiping = False

    def _wipe_x(self) -> float:
        area = self._area()
        return area.left() + self._wipe * area.width()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            if self._fit:
                self.actual(self._local(event.position()))
            else:
                self.fit()

    def leaveEvent(self, event: object) -> None:
        self.pointed.emit(None)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom_by(1.25)
        elif event.key() == Qt.Key.Key_Minus:
            self.zoom_by(0.8)
        elif self.comparison == "wipe" and event.key() in (Qt.Key.Key_Comma, Qt.Key.Key_Semicolon):
            self._wipe = min(max(self._wipe + (-0.05 if event.key() == Qt.Key.Key_Comma else 0.05), 0.0), 1.0)
            self.update()
        else:
            super().keyPressEvent(event)

    def _tell(self, position: QPointF) -> None:
        at = self.to_picture(self._local(position))
        if self.picking:
            self._pointer = position
            self.update()
        inside = self.has_picture and 0 <= at.x() < self._size.width() and 0 <= at.y() < self._size.height()
        self.pointed.emit((at.x(), at.y()) if inside else None)

    # ---- painting ---------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), self._ground())
        if not self.has_picture:
            self._chip(p, self.empty_text, self.width() / 2, self.height() / 2, "centre")
            return
        rect = self.picture_rect()
        if self.others and self.comparison in ("side", "grid"):
            self._paint_panes(p, rect)
            return
        self._paint_state(p, rect, self._image, self._part)
        if self.show_hatch and not self._hatch.isNull():
            self._draw_hatch(p, rect, self._hatch)
        if self.others and self.comparison == "wipe":
            self._paint_wiped(p, rect)
        self._paint_pins(p)
        self.paint_over(p)
        if self.picking and self._pointer is not None:
            self._paint_picker(p, self._pointer)
        bottom = self.chips_at()
        left, right = max(rect.left(), self.margins[0]), min(rect.right(), self.width() - self.margins[2])
        self._chip(p, self.captions[0], left, bottom, "left")
        self._chip(p, self.captions[1], right, bottom, "right")

    def _ground(self) -> QColor:
        """The grey round the picture."""
        return self._surround or theme.current().colour("surround")

    def _paint_state(self, p: QPainter, rect: QRectF, image: QImage, part: QImage | None) -> None:
        """One state: the whole, and over it the part that is sharper."""
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self._scale < 2)
        p.drawImage(rect, image)
        if part is not None and not part.isNull():
            p.drawImage(self._part_rect(rect), part)

    def _part_rect(self, rect: QRectF) -> QRectF:
        at = self._part_at
        return QRectF(rect.topLeft() + at.topLeft() * self._scale, at.size() * self._scale)

    def _part_of(self, number: int) -> QImage | None:
        """The sharper part of a state; 0 is the present one."""
        if number == 0:
            return self._part
        return self._other_parts[number - 1] if number <= len(self._other_parts) else None

    def _paint_panes(self, p: QPainter, rect: QRectF) -> None:
        panes = self.panes()
        states = zip(panes, (self._image, *self.others), self.names, strict=False)
        for number, (pane, image, name) in enumerate(states):
            p.save()
            p.setClipRect(pane.adjusted(0, 0, 0, 1))
            place = rect.translated(pane.topLeft() - panes[0].topLeft())
            self._paint_state(p, place, image, self._part_of(number))
            p.restore()
            self._chip(p, name, max(place.left(), pane.left()), min(place.bottom(), pane.bottom()) + 6, "left", pane.width())

    def _paint_wiped(self, p: QPainter, rect: QRectF) -> None:
        x = self._wipe_x()
        p.save()
        p.setClipRect(QRectF(x, 0, self.width() - x, self.height()))
        self._paint_state(p, rect, self.others[0], self._part_of(1))
        p.restore()
        for width, colour in ((3.0, QColor(0, 0, 0, 140)), (1.4, QColor(255, 255, 255))):
            p.setPen(QPen(colour, width))
            p.drawLine(QPointF(x, rect.top()), QPointF(x, rect.bottom()))
        top = max(rect.top(), 0.0) + 8
        self._chip(p, self.names[0], x - 8, top, "right", x - 16)
        self._chip(p, self.names[1], x + 8, top, "left", self.width() - x - 16)

    def _paint_pins(self, p: QPainter) -> None:
        self._draw_pins(p, self.to_widgets((x * self._size.width(), y * self._size.height()) for x, y in self.pins))

    @staticmethod
    def _draw_pins(p: QPainter, places: list[QPointF]) -> None:
        """Pins with their numbers, from 1, at points of the widget."""
        t = theme.current()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(theme.font(11, 700))
        for number, at in enumerate(places, start=1):
            p.setBrush(Qt.BrushStyle.NoBrush)
            for width, colour in ((4.0, QColor(0, 0, 0, 160)), (1.6, QColor(255, 255, 255))):
                p.setPen(QPen(colour, width))
                p.drawEllipse(at, 6.0, 6.0)
            flag = QRectF(round(at.x()) + 11, round(at.y()) - 8, 17, 17)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(t.colour("chosen"))
            p.drawRoundedRect(flag, 2, 2)
            p.setPen(t.colour("chosen_ink"))
            p.drawText(flag, Qt.AlignmentFlag.AlignCenter, str(number))

    def _paint_picker(self, p: QPainter, at: QPointF) -> None:
        half = max(self.picking * self._scale / 2, 4.0)
        box = QRectF(at.x() - half, at.y() - half, 2 * half, 2 * half)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for width, colour in ((3.4, QColor(0, 0, 0, 160)), (1.4, QColor(255, 255, 255))):
            p.setPen(QPen(colour, width))
            p.drawRect(box)

    def paint_over(self, p: QPainter) -> None:
        """For views that draw over the picture."""

    def _draw_hatch(self, p: QPainter, rect: QRectF, mask: QImage) -> None:
        sharp = not self._part_hatch.isNull()
        seen = rect.toAlignedRect().intersected(self.rect())
        if seen.isEmpty():
            return
        layer = QImage(seen.size(), QImage.Format.Format_ARGB32_Premultiplied)
        layer.fill(0)
        q = QPainter(layer)
        q.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        q.translate(-seen.x(), -seen.y())
        q.drawImage(rect, mask)
        if sharp:
            at = self._part_rect(rect)
            q.setCompositionMode(QPainter.CompositionMode.CompositionMode_Source)
            q.drawImage(at, self._part_hatch)
        q.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceIn)
        q.fillRect(seen, _hatch_pattern())
        q.end()
        p.drawImage(seen.topLeft(), layer)

    def _chip(self, p: QPainter, text: str, x: float, y: float, anchor: str, room: float = 0.0) -> None:
        if not text:
            return
        t = theme.current()
        p.setFont(theme.font(12))
        if room and room < 50:
            return  # the line is at the edge
        if room:
            text = p.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, int(room - 20))
        width = p.fontMetrics().horizontalAdvance(text) + 20
        height = 21
        left = x if anchor == "left" else x - width if anchor == "right" else x - width / 2
        chip = QRectF(round(left), round(y), width, height)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("panel"))
        p.drawRoundedRect(chip, 2, 2)
        p.setPen(t.colour("ink"))
        p.drawText(chip, Qt.AlignmentFlag.AlignCenter, localised(text))


def _premultiplied(mask: QImage | None) -> QImage:
    """A mask as it is painted with; none where there is none."""
    return QImage() if mask is None else mask.convertToFormat(QImage.Format.Format_ARGB32_Premultiplied)
