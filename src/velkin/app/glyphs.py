"""The state glyphs, drawn from their SVG files in one ink."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from PyQt6.QtCore import QByteArray, QRectF
from PyQt6.QtGui import QColor, QIcon, QPainter
from PyQt6.QtSvg import QSvgRenderer

_ASSETS = Path(__file__).with_name("assets")


@lru_cache(maxsize=64)
def _renderer(name: str, ink: str) -> QSvgRenderer:
    text = (_ASSETS / "glyphs" / f"{name}.svg").read_bytes()
    return QSvgRenderer(QByteArray(text.replace(b"#161616", ink.encode())))


def draw(painter: QPainter, name: str, rect: QRectF, ink: QColor) -> None:
    """Draw a glyph into a square."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    _renderer(name, ink.name()).render(painter, rect)


def app_icon() -> QIcon:
    """Velkin's own icon, drawn at the sizes that are asked for."""
    return QIcon(str(_ASSETS / "velkin.svg"))
