"""What can be turned: colours seen in three dimensions, turned and brought closer by mouse and by keys."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

Floats = NDArray[np.float64]

_FRONT = (35.0, 24.0, 1.0)


class Turning(QWidget):
    """A view of lightness, upwards, and two opponent axes; arrows turn it, plus and minus zoom, 0 looks from the front again."""

    turned = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._turn, self.tilt, self.zoomed = _FRONT
        self._drag: QPointF | None = None

    @property
    def turns(self) -> bool:
        """Whether what is shown can be turned."""
        return True

    def rotated(self, lab: Floats) -> Floats:
        """Lightness 0..100 and opponent axes (..., 3) as seen: right, up, towards the eye."""
        turn, tilt = np.radians(self._turn), np.radians(self.tilt)
        a, b, up = lab[..., 1], lab[..., 2], lab[..., 0] - 50.0
        x = a * np.cos(turn) - b * np.sin(turn)
        away = a * np.sin(turn) + b * np.cos(turn)
        return np.stack([x, up * np.cos(tilt) + away * np.sin(tilt), -away * np.cos(tilt) + up * np.sin(tilt)], axis=-1)

    def turn(self, across: float, up: float) -> None:
        """Turn it by degrees."""
        self._turn, self.tilt = (self._turn + across) % 360.0, min(max(self.tilt + up, -90.0), 90.0)
        self.update()
        self.turned.emit()

    def zoom(self, by: float) -> None:
        """Look closer or from further away."""
        self.zoomed = min(max(self.zoomed * by, 0.4), 5.0)
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._drag = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._drag is not None and self.turns:
            moved = event.position() - self._drag
            self._drag = event.position()
            self.turn(0.5 * moved.x(), 0.5 * moved.y())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = None

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.zoom(1.15 ** (event.angleDelta().y() / 120))
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key = Qt.Key
        turns = {key.Key_Left: (-6, 0), key.Key_Right: (6, 0), key.Key_Up: (0, 6), key.Key_Down: (0, -6)}
        if event.key() in turns and self.turns:
            self.turn(*turns[key(event.key())])
        elif event.key() in (key.Key_Plus, key.Key_Equal):
            self.zoom(1.15)
        elif event.key() == key.Key_Minus:
            self.zoom(1 / 1.15)
        elif event.key() == key.Key_0:
            self._turn, self.tilt, self.zoomed = _FRONT
            self.update()
        else:
            super().keyPressEvent(event)
