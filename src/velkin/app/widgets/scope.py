"""The scope shelf: the same pixels here (working numbers) and there (at the destination), side by side."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from velkin.app import theme
from velkin.app.flow.drawing import Measured
from velkin.app.flow.picture_flow import PictureFlow
from velkin.app.model.shoot_model import ShootModel
from velkin.app.words import localised, percent, share
from velkin.core.conversion.outside import Outside

#: Letter and colour of each lane by the number of channels; no colour is the theme's ink.
_LANES = {
    3: tuple(zip("RGB", theme.CHANNELS, strict=True)),
    4: (("C", "#2F7C93"), ("M", "#93397B"), ("Y", "#8C7A1E"), ("K", "")),
    1: (("K", ""),),
}


class Scope(QWidget):
    """Two histograms with the share of pixels driven to either end, by channel."""

    def __init__(self, model: ShootModel, flow: PictureFlow) -> None:
        super().__init__()
        self._model, self._flow = model, flow
        self.setFixedHeight(96)
        self.setMinimumWidth(280)
        self._measured: Measured | None = None
        self._destination = ""
        self.setAccessibleName("Histograms here and there")
        flow.measured_changed.connect(self._follow)

    def _follow(self) -> None:
        name = self._model.proof_name() if self._model.shoot is not None else ""
        self.show_measured(self._flow.measured, name)

    def show_measured(self, measured: Measured | None, destination: str) -> None:
        """Show the numbers of a frame; None while there are none."""
        self._measured, self._destination = measured, destination
        if measured is not None:
            here, there = measured.here_outside, measured.there_outside
            self.setToolTip(
                f"Here: {percent(here.share)} out of gamut for {measured.path.working.name}. "
                f"There: {percent(there.share)} out of gamut for {measured.path.destination.name}."
                + ("" if measured.exact else " Still measuring the full picture.")
            )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.colour("panel"))
        p.setPen(t.colour("line"))
        p.drawLine(0, 0, self.width(), 0)
        half = self.width() / 2
        m = self._measured
        if m is None:
            p.setPen(t.colour("soft"))
            p.setFont(theme.font(12))
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Histograms appear with a picture")
            return
        p.drawLine(QPointF(half, 14), QPointF(half, 86))
        exact = "" if m.exact else ", measuring"
        self._side(p, 16, half - 32, "Here", f"working, {m.path.working.name}{exact}", m.here, m.here_outside)
        self._side(p, half + 16, half - 32, "There", f"{self._destination_words(m)}{exact}", m.there, m.there_outside)

    def _destination_words(self, m: Measured) -> str:
        space = m.path.destination.name
        return self._destination if space in self._destination else f"{self._destination}, {space}"

    def _side(
        self, p: QPainter, left: float, width: float, title: str, words: str, counts: NDArray[np.int64], outside: Outside
    ) -> None:
        t = theme.current()
        p.setPen(t.colour("ink"))
        p.setFont(theme.font(11, 700, True))
        p.drawText(QRectF(left, 5, 60, 16), Qt.AlignmentFlag.AlignVCenter, title)
        p.setPen(t.colour("soft"))
        p.setFont(theme.font(12))
        roomy = width >= 300
        room = int(width - 58 - (90 if roomy else 0))
        p.drawText(
            QRectF(left + 54, 5, room, 16),
            Qt.AlignmentFlag.AlignVCenter,
            p.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, room),
        )
        if roomy:
            at = QRectF(left + width - 100, 5, 100, 16)
            p.drawText(at, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, "% at the ends")
        lanes = _LANES[len(counts)]
        step = 69.0 / max(len(lanes), 3)
        for lane, ((letter, colour), (low, high)) in enumerate(zip(lanes, outside.shares(), strict=True)):
            top, tall = 24.0 + lane * step, step - 3
            lane_rect = QRectF(left + 56, top, width - 56 - 46, tall)
            p.setPen(t.colour("ink"))
            p.setFont(theme.font(12, 600))
            p.drawText(QRectF(left, top, 14, tall), Qt.AlignmentFlag.AlignVCenter, letter)
            self._figure(p, QRectF(left + 14, top, 36, tall), low)
            self._figure(p, QRectF(left + width - 40, top, 40, tall), high)
            p.fillRect(lane_rect, t.colour("field"))
            self._lane(p, lane_rect, counts[lane], QColor(colour or t.ink))
            for value, x in ((low, lane_rect.left()), (high, lane_rect.right() - 7)):
                if value >= 0.0005:
                    self._hatched(p, QRectF(x, top, 7, tall))

    @staticmethod
    def _figure(p: QPainter, rect: QRectF, value: float) -> None:
        t = theme.current()
        driven = value >= 0.0005
        p.setFont(theme.font(12, 700 if driven else 400))
        p.setPen(t.colour("ink") if driven else t.colour("soft"))
        p.drawText(rect, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, localised(share(value)))

    @staticmethod
    def _lane(p: QPainter, rect: QRectF, counts: NDArray[np.int64], colour: QColor) -> None:
        heights = np.sqrt(counts.astype(np.float64))
        top = heights[1:-1].max() if heights[1:-1].any() else max(heights.max(), 1.0)
        heights = np.minimum(heights / top, 1.0) * rect.height()
        step = rect.width() / len(heights)
        edges = (rect.left() + step * np.arange(len(heights) + 1)).tolist()
        tops = (rect.bottom() - heights).tolist()
        points = [QPointF(edges[0], rect.bottom())]
        for i, top_of in enumerate(tops):
            points += (QPointF(edges[i], top_of), QPointF(edges[i + 1], top_of))
        points.append(QPointF(rect.right(), rect.bottom()))
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour)
        p.drawPolygon(QPolygonF(points))

    @staticmethod
    def _hatched(p: QPainter, rect: QRectF) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        p.fillRect(rect, QColor("#F2F2F2"))
        p.setClipRect(rect)
        p.setPen(QPen(QColor("#161616"), 1))
        for y in range(int(rect.top()) - 8, int(rect.bottom()) + 8, 5):
            p.drawLine(QPointF(rect.left(), y + 6), QPointF(rect.right(), y))
        p.setClipping(False)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(rect.adjusted(0, 0, -1, -1))
