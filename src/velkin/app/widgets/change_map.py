"""A map over the picture in grey, with its scale: where something is, from a little to much."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from velkin.app import theme
from velkin.app.flow.loss_map import ramp


class ChangeMap(QWidget):
    """Shows a map, or only words while there is none.

    Parameters
    ----------
    name : str
        What it shows, for who cannot see it.
    low, high : str
        The words at the ends of its scale.
    """

    def __init__(self, name: str, low: str, high: str) -> None:
        super().__init__()
        self.image: QImage | None = None
        self._words, self._ends = "", (low, high)
        self.setAccessibleName(name)

    def show_map(self, image: QImage | None, words: str) -> None:
        """Show a map, or only words while there is none."""
        self.image, self._words = image, words
        self.setAccessibleDescription(words)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.colour("surround"))
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if self.image is not None:
            room = QRectF(self.rect()).adjusted(12, 12, -12, -48)
            scale = min(room.width() / self.image.width(), room.height() / self.image.height())
            width, height = self.image.width() * scale, self.image.height() * scale
            p.drawImage(QRectF(room.center().x() - width / 2, room.center().y() - height / 2, width, height), self.image)
            self._paint_scale(p)
            return
        box = QRectF(self.width() / 2 - 260, self.height() / 2 - 30, 520, 60)
        p.fillRect(box, t.colour("panel"))
        p.setPen(t.colour("ink"))
        p.drawText(box.adjusted(12, 0, -12, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self._words)

    def _paint_scale(self, p: QPainter) -> None:
        t = theme.current()
        p.setFont(theme.font(12))
        low, high = (p.fontMetrics().horizontalAdvance(words) for words in self._ends)
        chip = QRectF(12, self.height() - 36, low + high + 120 + 40, 24)
        p.fillRect(chip, t.colour("panel"))
        bar = QRectF(chip.left() + low + 20, chip.top() + 7, 120, 10)
        for i, (r, g, b) in enumerate(ramp(120)):
            p.fillRect(QRectF(bar.left() + i, bar.top(), 1.5, bar.height()), QColor(int(r), int(g), int(b)))
        p.setPen(t.colour("ink"))
        where = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        p.drawText(chip.adjusted(12, 0, 0, 0), where, self._ends[0])
        p.drawText(QRectF(bar.right() + 8, chip.top(), high + 12, chip.height()), where, self._ends[1])
