"""How the white of a light moved: temperature, Duv and the amount of light over the time, with the frames of the light under them."""

from __future__ import annotations

from datetime import datetime
from math import log2

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from velkin.app import theme
from velkin.app.words import as_shown, signed
from velkin.core.shoot.moving import Drift

_LANE, _GAP, _LEFT, _RIGHT, _TICKS, _TIMES = 20, 10, 118, 8, 14, 16


class DriftPlot(QWidget):
    """Three lanes over a row of frames: those between two measured ones as full ticks, the others as short ones."""

    def __init__(self) -> None:
        super().__init__()
        self.drift: Drift | None = None
        self._at: dict[int, float] = {}
        self._shown: int | None = None
        self.setFixedHeight(3 * (_LANE + _GAP) + _TICKS + _TIMES)
        self.setAccessibleName("How the light moved")

    def show_drift(self, drift: Drift, at: dict[int, float], shown: int | None) -> None:
        """Show a drift; `at` is when each frame was taken, seconds, and `shown` the frame in the viewer."""
        self.drift, self._at, self._shown = drift, at, shown
        self.update()

    def lanes(self) -> list[tuple[str, list[tuple[float, float]]]]:
        """Each lane's words, and its points: time, and place from 0 at the bottom to 1 at the top."""
        if self.drift is None:
            return []
        anchors = self.drift.anchors
        kelvins, duvs = [a.kelvin for a in anchors], [a.duv for a in anchors]
        found = [
            (f"{min(kelvins):.0f}–{max(kelvins):.0f} K", [(a.at, -a.mired) for a in anchors]),
            (f"Duv {signed(min(duvs), 3)}–{signed(max(duvs), 3)}", [(a.at, a.duv) for a in anchors]),
        ]
        lit = [(a.at, log2(a.level)) for a in anchors if a.level]
        if self.drift.stops is not None:
            found.append((f"{self.drift.stops:.1f} EV of light", lit))
        return [(words, _placed(points, least)) for (words, points), least in zip(found, (5.0, 0.002, 0.2), strict=False)]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.drift is None or not self._at:
            return
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(theme.font(12))
        times = list(self._at.values())
        first, last = min(times), max(times)
        room = self.width() - _LEFT - _RIGHT

        def x(at: float) -> float:
            return _LEFT + (room * (at - first) / (last - first) if last > first else room / 2)

        for number, (words, points) in enumerate(self.lanes()):
            top = number * (_LANE + _GAP) + 3
            p.setPen(t.colour("soft"))
            p.drawText(QRectF(0, top, _LEFT - 8, _LANE), Qt.AlignmentFlag.AlignVCenter, as_shown(words))
            p.setPen(QPen(t.colour("line"), 1))
            p.drawLine(QPointF(_LEFT, top + _LANE + 2), QPointF(self.width() - _RIGHT, top + _LANE + 2))
            line = [QPointF(x(at), top + _LANE * (1 - place)) for at, place in points]
            p.setPen(QPen(t.colour("ink"), 1.5))
            p.drawPolyline(QPolygonF(line))
            for point in line:
                p.fillRect(QRectF(point.x() - 3, point.y() - 3, 6, 6), t.colour("ink"))
        top = 3 * (_LANE + _GAP)
        loose = set(self.drift.loose)
        for frame, at in self._at.items():
            height = 4 if frame in loose else 10
            p.setPen(QPen(t.colour("ink"), 3 if frame == self._shown else 1))
            p.drawLine(QPointF(x(at), top + 10 - height), QPointF(x(at), top + 10))
        p.setPen(t.colour("soft"))
        line_ = QRectF(_LEFT - 20, top + _TICKS, room + 20 + _RIGHT, _TIMES)
        p.drawText(line_.adjusted(20, 0, 0, 0), Qt.AlignmentFlag.AlignLeft, _clock(first))
        p.drawText(line_, Qt.AlignmentFlag.AlignRight, _clock(last))


def _placed(points: list[tuple[float, float]], least: float) -> list[tuple[float, float]]:
    """Values as places in a lane that is at least so high."""
    values = [v for _, v in points]
    middle, span = (min(values) + max(values)) / 2, max(max(values) - min(values), least)
    return [(at, 0.5 + (v - middle) / span) for at, v in points]


def _clock(at: float) -> str:
    return datetime.fromtimestamp(at).strftime("%H:%M")
