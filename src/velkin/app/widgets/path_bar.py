"""The colour path: five stops across the top, readout and navigation at once."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QButtonGroup, QHBoxLayout, QSizePolicy, QWidget

from velkin.app import glyphs, theme
from velkin.app.flow.picture_flow import PictureFlow
from velkin.app.flow.stops import DOTTED, DOUBLE, LINK_WORDS, SOLID, Stop
from velkin.app.model.shoot_model import STOPS, ShootModel
from velkin.app.widgets.checkable import Checkable
from velkin.app.words import as_shown

_PAD = 18


class StopButton(Checkable, QAbstractButton):
    """One stop: bead, link to the next, caption, two lines of value."""

    def __init__(self, key: str, number: int) -> None:
        super().__init__()
        self.key = key
        self._caption, self._number = "Hand-off" if key == "handoff" else key.capitalize(), number
        self._last = number == len(STOPS)
        self._stop: Stop
        self.be_reachable()
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keys with the picture
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.clear()

    def sizeHint(self) -> QSize:
        return QSize(200, 80)

    def show_stop(self, stop: Stop, number: int) -> None:
        """Show a stop's value."""
        if stop == self._stop:  # while a slider is dragged most stops stay as they are
            return
        self._stop = stop
        spoken = f"{stop.caption}: {stop.value}, {stop.detail}"
        link = "" if self._last else f"\nTo the next stop: {LINK_WORDS[stop.link]}"
        self.setAccessibleName(spoken)
        self.setToolTip(f"{spoken} ({number}){link}" + ("\nA decision waits here." if stop.waits else ""))
        self.update()

    def clear(self) -> None:
        """Show the stop of no frame."""
        self._stop = Stop(self._caption, "", "", "open", "hairline")
        self.setAccessibleName(self._caption)
        self.setToolTip(f"Open {self._caption} ({self._number})")
        self.update()

    def stop(self) -> Stop:
        """What is shown."""
        return self._stop

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        raised = self.isChecked() or self.underMouse()
        p.fillRect(self.rect(), t.colour("raised") if raised else t.colour("panel"))
        if self.isChecked():
            p.fillRect(0, self.height() - 3, self.width(), 3, t.colour("ink"))
        middle = 19.5
        bead = QRectF(_PAD, middle - 8, 16, 16)
        if self._stop.waits:  # a decision is due: the glyph on ink
            p.fillRect(bead.adjusted(-1, -3.5, 6, 3.5), t.colour("chosen"))
            bead.translate(2.5, 0)
        glyphs.draw(p, self._stop.bead, bead, t.colour("chosen_ink") if self._stop.waits else t.colour("ink"))
        if not self._last:
            self._draw_link(p, _PAD + 16 + (18 if self._stop.waits else 12), self.width() - 2, middle)
        p.setPen(t.colour("soft"))
        p.setFont(theme.font(11, 700 if self.isChecked() else 600, True))
        if self.isChecked():
            p.setPen(t.colour("ink"))
        width = self.width() - _PAD - 8
        p.drawText(QRectF(_PAD, 31, width, 16), Qt.AlignmentFlag.AlignVCenter, self._stop.caption)
        p.setPen(t.colour("ink"))
        self._line(p, 45, width, self._stop.value, 13, 500)
        p.setPen(t.colour("soft"))
        self._line(p, 60, width, self._stop.detail, 12, 400)

    @staticmethod
    def _line(p: QPainter, top: float, width: float, text: str, size: int, weight: int) -> None:
        p.setFont(theme.font(size, weight))
        line = p.fontMetrics().elidedText(as_shown(text), Qt.TextElideMode.ElideRight, int(width))
        p.drawText(QRectF(_PAD, top, width, 17), Qt.AlignmentFlag.AlignVCenter, line)

    def _draw_link(self, p: QPainter, x0: float, x1: float, y: float) -> None:
        ink = theme.current().colour("ink")
        p.setRenderHint(QPainter.RenderHint.Antialiasing, self._stop.link != "hairline")
        if self._stop.link == DOTTED:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(ink)
            number = max(int((x1 - x0) / 8), 1)
            for i in range(number + 1):
                p.drawEllipse(QPointF(x0 + i * (x1 - x0) / number, y), 1.6, 1.6)
        elif self._stop.link == DOUBLE:  # two lines of 1.5 px, 3 px apart
            p.setPen(QPen(ink, 1.5, cap=Qt.PenCapStyle.FlatCap))
            for off in (-2.25, 2.25):
                p.drawLine(QPointF(x0, y + off), QPointF(x1, y + off))
        else:
            p.setPen(QPen(ink, 3 if self._stop.link == SOLID else 1, cap=Qt.PenCapStyle.FlatCap))
            p.drawLine(QPointF(x0, y), QPointF(x1, y))


class PathBar(QWidget):
    """The five stops."""

    chosen = pyqtSignal(str)

    def __init__(self, model: ShootModel, flow: PictureFlow) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(80)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self._group = QButtonGroup(self)
        self._group.setExclusive(True)
        self.buttons: dict[str, StopButton] = {}
        for number, key in enumerate(STOPS, start=1):
            button = StopButton(key, number)
            button.clicked.connect(lambda _=False, k=key: self.chosen.emit(k))
            self._group.addButton(button)
            self.buttons[key] = button
            row.addWidget(button, 1)
        flow.stops_changed.connect(self.show_stops)
        model.stop_changed.connect(self.show_open)
        self.show_open(model.stop)

    def show_stops(self, stops: list[Stop]) -> None:
        """Show the five stops of a frame; none where there is no frame."""
        if not stops:
            for button in self.buttons.values():
                button.clear()
            return
        for number, (key, stop) in enumerate(zip(STOPS, stops, strict=True), start=1):
            self.buttons[key].show_stop(stop, number)

    def show_open(self, key: str) -> None:
        """Mark the stop whose bench is open."""
        self.buttons[key].setChecked(True)
