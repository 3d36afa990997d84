"""A change of colours to look at: on ramps of greys and hues, and as a lattice that turns."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from velkin.app import theme
from velkin.app.flow.drawing import to_image
from velkin.app.widgets.turning import Turning
from velkin.app.words import localised
from velkin.core.match.course import Lattice, Ramp
from velkin.core.match.pair import oklab_at
from velkin.core.spaces.oklab import oklab_to_xyz
from velkin.core.spaces.rgb import SRGB

Floats = NDArray[np.float64]
Bytes = NDArray[np.uint8]


def screen_codes(coordinates: Floats) -> Bytes:
    """Coordinates (..., 3) as the screen shows them, (..., 3) uint8."""
    linear = np.clip(oklab_to_xyz(oklab_at(coordinates)) @ SRGB.from_xyz.T, 0.0, 1.0)
    return np.asarray(np.round(255.0 * np.clip(SRGB.encode(linear), 0.0, 1.0)), dtype=np.uint8)


class CourseView(QWidget):
    """Ramps of greys and of six hues, before above after; a tick where a ramp is steep, its stretch at the right."""

    #: Stretched so many times as far as the greys a place is steep.
    STEEP = 1.5

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(130)
        self.setAccessibleName("Course of the change on ramps")
        self.ramps: tuple[Ramp, ...] = ()
        self._images: list[tuple[QImage, QImage]] = []

    def show_ramps(self, ramps: tuple[Ramp, ...]) -> None:
        """Show ramps; none clears."""
        self.ramps = ramps
        self._images = [(_strip(r.before), _strip(r.after)) for r in ramps]
        self.setAccessibleDescription("; ".join(f"{r.name}: {self._stretch(r)} as steep as the greys" for r in ramps[1:]))
        self.update()

    @staticmethod
    def _stretch(ramp: Ramp) -> str:
        return localised(f"{ramp.stretch:.1f}\u202f×")

    def steepest(self) -> Ramp | None:
        """The ramp that is stretched most."""
        return max(self.ramps[1:], key=lambda r: r.stretch, default=None)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.colour("panel"))
        if not self.ramps:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        steepest = self.steepest()
        pitch = self.height() / len(self.ramps)
        left, width = 63.0, self.width() - 63.0 - 56.0
        for number, (ramp, (before, after)) in enumerate(zip(self.ramps, self._images, strict=True)):
            top, high = number * pitch + 2, min(pitch - 9, 26.0)
            most = ramp is steepest
            p.setPen(t.colour("ink"))
            p.setFont(theme.font(12, 600 if most else 400))
            p.drawText(QRectF(0, top, left - 6, high), Qt.AlignmentFlag.AlignVCenter, ramp.name)
            p.drawImage(QRectF(left, top, width, high / 2), before)
            p.drawImage(QRectF(left, top + high / 2, width, high / 2), after)
            right = QRectF(left + width + 8, top, 48, high)
            said = "turns back" if ramp.turns_back else self._stretch(ramp)
            p.drawText(right, Qt.AlignmentFlag.AlignVCenter, said)
            if ramp.stretch >= self.STEEP:
                x, y = left + ramp.steepest * width, top + high + 0.5
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(t.colour("ink"))
                p.drawPolygon(QPolygonF([QPointF(x, y), QPointF(x - 6, y + 6), QPointF(x + 6, y + 6)]))


def _strip(coordinates: Floats) -> QImage:
    return to_image(screen_codes(coordinates)[None])


class LatticeView(Turning):
    """The change as a lattice in Lab-like coordinates: lines of the colours as they come out, dots where they came from."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(130)
        self.setAccessibleName("The change as a lattice; arrow keys turn it, plus and minus zoom, 0 looks from the front again")
        self._lattice: Lattice | None = None

    def show_lattice(self, lattice: Lattice | None) -> None:
        """Show a lattice, or none."""
        self._lattice = lattice
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.colour("field"))
        if self._lattice is None:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        tilt, wide = np.radians(abs(self.tilt)), 90.0
        high = 50.0 * np.cos(tilt) + wide * np.sin(tilt)
        scale = float(min(self.width() / (2.1 * wide), (self.height() - 24) / (2.0 * high))) * self.zoomed
        middle = QPointF(self.width() / 2, (self.height() - 20) / 2)
        before, after = self.rotated(self._lattice.before), self.rotated(self._lattice.after)
        codes = screen_codes(self._lattice.after)

        def at(seen: Floats) -> QPointF:
            return QPointF(middle.x() + scale * float(seen[0]), middle.y() - scale * float(seen[1]))

        side = before.shape[0]
        lines = []
        for axis in range(3):
            for place in np.ndindex(*(side - (k == axis) for k in range(3))):
                other = tuple(v + (k == axis) for k, v in enumerate(place))
                depth = float(after[place][2] + after[other][2])
                middle_code = (codes[place].astype(int) + codes[other]) // 2
                lines.append((depth, at(after[place]), at(after[other]), QColor(*(int(v) for v in middle_code))))
        ink = t.colour("ink")
        ink.setAlpha(150)
        p.setPen(QPen(ink, 1.0))
        for place in np.ndindex(side, side, side):
            start, end = at(before[place]), at(after[place])
            if (end - start).manhattanLength() > 1.5:
                p.drawLine(start, end)
        for _, start, end, colour in sorted(lines, key=lambda line: line[0]):
            p.setPen(QPen(colour, 1.4))
            p.drawLine(start, end)
        p.setPen(t.colour("soft"))
        p.setFont(theme.font(11))
        words = "coloured: the colours of sRGB as they come out; thin: the way each has come. L* upwards"
        p.drawText(QRectF(8, self.height() - 20, self.width() - 16, 16), Qt.AlignmentFlag.AlignLeft, words)
