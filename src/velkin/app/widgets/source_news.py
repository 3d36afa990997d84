"""What happened to a source file elsewhere: in words, with its small picture before and now."""

from __future__ import annotations

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from velkin.app import theme
from velkin.app.widgets.parts import Heading, Rule, soft

_GAP, _HEIGHT, _CAPTION = 8, 104, 18


class _Pair(QWidget):
    """Two small pictures side by side."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(_HEIGHT + _CAPTION)
        self.images: tuple[QImage | None, QImage | None] = (None, None)
        self.setAccessibleName("The picture before it changed, and now")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        width = (self.width() - _GAP) / 2
        p.setFont(theme.font(12))
        for number, (image, name) in enumerate(zip(self.images, ("before", "now"), strict=True)):
            room = QRectF(number * (width + _GAP), 0, width, _HEIGHT)
            p.fillRect(room, t.colour("surround"))
            if image is not None and not image.isNull():
                scale = min(room.width() / image.width(), room.height() / image.height())
                w, h = image.width() * scale, image.height() * scale
                p.drawImage(QRectF(room.center().x() - w / 2, room.center().y() - h / 2, w, h), image)
            p.setPen(t.colour("soft"))
            p.drawText(QRectF(room.left(), _HEIGHT + 2, width, _CAPTION - 2), name)


class SourceNews(QWidget):
    """A section that is there while there is something to tell."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(Rule())
        self.heading = Heading("Changed elsewhere")
        column.addWidget(self.heading)
        self.words = soft()
        column.addWidget(self.words)
        self.pair = _Pair()
        column.addWidget(self.pair)

    def show_news(self, words: str, before: QImage | None, now: QImage | None) -> None:
        """Show what happened; hidden where nothing did."""
        self.setVisible(bool(words))
        self.words.setText(words)
        self.pair.setVisible(before is not None)
        self.pair.images = before, now
        self.pair.update()
