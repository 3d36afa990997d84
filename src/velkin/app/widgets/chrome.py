"""The window's frame: top bar, the line that says what happened, thin lines between parts."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenuBar, QPushButton, QWidget

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


class Notice(QWidget):
    """One line under the path that says what happened; a problem stays until it is dismissed."""

    _MILLISECONDS = 8000

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 4, 8, 4)
        self.label = QLabel()
        self.label.setWordWrap(True)
        self.label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.label.setAccessibleName("Message")
        row.addWidget(self.label, 1)
        close = QPushButton("Dismiss")
        close.clicked.connect(self.hide)
        row.addWidget(close)
        self._fade = QTimer(self)
        self._fade.setSingleShot(True)
        self._fade.timeout.connect(self.hide)
        self.hide()

    def say(self, text: str) -> None:
        """Show what was done for some seconds; an empty text hides the line."""
        self.insist(text)
        self._fade.start(self._MILLISECONDS)

    def insist(self, text: str) -> None:
        """Show a problem until it is dismissed or something else is said."""
        self._fade.stop()
        self.label.setFont(theme.font(13))
        self.label.setText(text)
        self.setVisible(bool(text))


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
