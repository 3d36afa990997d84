"""The state glyphs, drawn from their SVG files in one ink."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from PyQt6.QtCore import QByteArray, QRectF
from PyQt6.QtGui import QColor, QIcon, QPainter, QPixmap
from PyQt6.QtSvg import QSvgRenderer

_ASSETS = Path(__file__).with_name("assets")


@lru_cache(maxsize=64)
def _renderer(name: str, ink: str) -> QSvgRenderer:
    text = (_ASSETS / "glyphs" / f"{name}.svg").read_text()
    return QSvgRenderer(QByteArray(text.replace("#161616", ink).encode()))


def draw(painter: QPainter, name: str, rect: QRectF, ink: QColor) -> None:
    """Draw a glyph into a square."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    _renderer(name, ink.name()).render(painter, rect)


def app_icon() -> QIcon:
    """Velkin's own icon."""
    data = (_ASSETS / "velkin.svg").read_bytes()
    icon = QIcon()
    renderer = QSvgRenderer(QByteArray(data))
    for size in (16, 32, 64, 128):
        pixmap = QPixmap(size, size)
        pixmap.fill(QColor(0, 0, 0, 0))
        painter = QPainter(pixmap)
        renderer.render(painter)
        painter.end()
        icon.addPixmap(pixmap)
    return icon
