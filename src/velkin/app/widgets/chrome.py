"""The window's frame: top bar, thin lines between parts."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenuBar, QWidget

from velkin.app import theme


class TopBar(QWidget):
    """Menus, the shoot's name in the middle, whether it is saved at the right."""

    def __init__(self, menus: QMenuBar) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(28)
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 0, 16, 1)  # the rule at the bottom runs under the menus too
        row.addWidget(menus)
        row.addStretch(1)
        self.saved = QLabel()
        self.saved.setProperty("soft", True)
        row.addWidget(self.saved)
        self.title = QLabel(self)
        self.title.setFont(theme.font(13, 600))
        self.title.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.title.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def resizeEvent(self, event: object) -> None:
        self.title.setGeometry(self.width() // 2 - 200, 0, 400, 28)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        p = QPainter(self)
        p.setPen(theme.current().colour("line"))
        p.drawLine(0, self.height() - 1, self.width(), self.height() - 1)


class Line(QWidget):
    """A thin line between parts of the window."""

    def __init__(self, horizontal: bool = False) -> None:
        super().__init__()
        if horizontal:
            self.setFixedHeight(1)
        else:
            self.setFixedWidth(1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        QPainter(self).fillRect(self.rect(), theme.current().colour("line"))
