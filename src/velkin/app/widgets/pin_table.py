"""Numbers at the pins as a table."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from velkin.app import theme
from velkin.app.flow.readout import PinNumbers
from velkin.app.words import localised, signed
from velkin.core.path import ColourPath
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import lab_to_xyz
from velkin.core.spaces.rgb import SRGB, RGBSpace
from velkin.core.tags.pins import Pin, distance

Floats = NDArray[np.float64]


def _swatch(lab: Floats) -> QColor:
    codes = np.clip(SRGB.encode(lab_to_xyz(lab) @ SRGB.from_xyz.T), 0.0, 1.0)
    return QColor(*(round(float(v) * 255) for v in codes))


def lab_words(lab: Floats) -> list[str]:
    """L*, a*, b* to whole numbers."""
    return [signed(float(v), 0) for v in lab]


class PinTable(QWidget):
    """Pins as rows: Lab now and Lab after a decision with ΔE, or here, Lab and there with the distance to a target."""

    chosen = pyqtSignal(int)
    _ROW = 22

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[tuple[QColor, list[str]]] = []
        self._head: list[str] = []
        self._columns: list[float] = []
        self.current = -1
        self.setAccessibleName("Numbers at the pins")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_change(self, before: list[PinNumbers], after: list[PinNumbers], verb: str, now: str = "now") -> None:
        """Lab now and after a decision, or of two pictures."""
        self._head = ["Lab at pin", now, verb, "ΔE"]
        self._columns = [54, 134, 228, 290]
        self._rows = []
        for a, b in zip(before, after, strict=True):
            error = f"{float(ciede2000(a.lab, b.lab)):.1f}"
            self._rows.append((_swatch(b.lab), ["", " ".join(lab_words(a.lab)), " ".join(lab_words(b.lab)), error]))
        self._fit()

    def show_codes(self, before: list[PinNumbers], after: list[PinNumbers], codes: tuple[float, float]) -> None:
        """Numbers before and after a conversion, as codes of full scale."""
        self._head = ["Numbers", "now", "then", ""]
        self._columns = [54, 164, 290, 300]
        self._rows = [
            (
                _swatch(b.lab),
                ["", " ".join(f"{v * codes[0]:.0f}" for v in a.here), " ".join(f"{v * codes[1]:.0f}" for v in b.here), ""],
            )
            for a, b in zip(before, after, strict=True)
        ]
        self._fit()

    def show_numbers(self, pins: tuple[Pin, ...], numbers: list[PinNumbers], path: ColourPath) -> None:
        """Here, Lab, there, and ΔE00 to each pin's target."""
        self._head = ["Pin", "here", "Lab", "there", "ΔE"]
        self._columns = [46, 126, 198, 274, 304]
        self._rows = []
        for pin, n in zip(pins, numbers, strict=True):
            full = 100 if path.destination.model == "cmyk" else 255  # ink in per cent
            there = " ".join(f"{round(full * float(v))}" for v in np.clip(n.there, 0, 1))
            far = "" if pin.target is None else f"{distance(n.lab, pin.target):.1f}"
            here = [signed(float(v), 2) for v in n.here] if path.here.model != "cmyk" else [f"{100 * v:.0f}" for v in n.here]
            self._rows.append((_swatch(n.lab), ["", " ".join(here), " ".join(lab_words(n.lab)), there, far]))
        self._fit()

    def clear(self) -> None:
        """Show no rows."""
        self._rows = []
        self._fit()

    def cells(self) -> list[list[str]]:
        """The texts of the rows."""
        return [cells for _, cells in self._rows]

    def table_text(self) -> str:
        """The table as tab-separated lines, for the clipboard."""
        rows = ["\t".join([str(number), *cells[1:]]) for number, cells in enumerate(self.cells(), start=1)]
        return "\n".join(["\t".join(self._head), *rows]) if rows else ""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows go from pin to pin."""
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key())) if event is not None else None
        if event is None or step is None or not self._rows:
            super().keyPressEvent(event)
            return
        self.chosen.emit(min(max(self.current + step, 0), len(self._rows) - 1))

    def _fit(self) -> None:
        spoken = [f"pin {number}: {', '.join(cells[1:])}" for number, cells in enumerate(self.cells(), start=1)]
        self.setAccessibleDescription(f"{', '.join(self._head[1:])}. {'; '.join(spoken)}" if spoken else "")
        self.setVisible(bool(self._rows))
        self.setFixedHeight(20 + self._ROW * len(self._rows) if self._rows else 0)
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.position().y() > 20:
            row = int((event.position().y() - 20) // self._ROW)
            if row < len(self._rows):
                self.chosen.emit(row)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        scale = self.width() / 304.0
        p.setFont(theme.font(11, 600))
        p.setPen(t.colour("soft"))
        for column, (right, text) in enumerate(zip(self._columns, self._head, strict=True)):
            at = Qt.AlignmentFlag.AlignVCenter | (Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft)
            left = 0.0 if column == 0 else self._columns[column - 1] * scale - 30
            p.drawText(QRectF(left, 0, right * scale - left, 18), at, text)
        for row, (colour, cells) in enumerate(self._rows):
            top = 20 + row * self._ROW
            if row == self.current:
                p.fillRect(QRectF(-4, top, self.width() + 8, self._ROW), t.colour("raised"))
            p.fillRect(QRectF(0, top + 2, 16, 16), t.colour("chosen"))
            p.setPen(t.colour("chosen_ink"))
            p.setFont(theme.font(11, 700))
            p.drawText(QRectF(0, top + 2, 16, 16), Qt.AlignmentFlag.AlignCenter, str(row + 1))
            p.fillRect(QRectF(20, top + 2, 20, 16), colour)
            for column in range(1, len(cells)):
                bold = column == len(cells) - 1
                p.setFont(theme.font(11, 600 if bold else 400))
                p.setPen(t.colour("ink"))
                left = self._columns[column - 1] * scale
                p.drawText(
                    QRectF(left - 6, top, self._columns[column] * scale - left + 6, 20),
                    Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                    localised(cells[column]),
                )


def full_scale(space: object, bits: int) -> float:
    """What 1.0 is in the codes that a picture's bits count in; ink in per cent."""
    if not isinstance(space, RGBSpace) and getattr(space, "model", "") == "cmyk":
        return 100.0
    return 255.0 if bits <= 8 else 65535.0
