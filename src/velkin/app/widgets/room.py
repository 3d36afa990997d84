"""What rooms are made of: the bar on top with title and controls, the way out, and keys."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from velkin.app import theme
from velkin.app.jobs.desk import Desk
from velkin.app.widgets.parts import button


class Room(QWidget):
    """Takes the place of viewer and bench; Esc leaves it.

    `bar` is its top with the title; `head` is the row in it that controls go into, ended by `add_leave`.
    """

    left = pyqtSignal()

    def __init__(self, desk: Desk, title: str) -> None:
        super().__init__()
        self._desk = desk
        self._model = desk.model
        self.bar = QWidget()
        self.bar.setObjectName("panel")
        self.bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.bar.setFixedHeight(36)
        self.head = QHBoxLayout(self.bar)
        self.head.setContentsMargins(16, 0, 4, 0)
        self.head.setSpacing(6)
        heading = QLabel(title)
        heading.setFont(theme.font(13, 700))
        self.head.addWidget(heading)

    def add_leave(self) -> None:
        """End the bar with the way out."""
        self.head.addWidget(button("Leave   Esc", self.leave))
        self.on_keys(("Esc", self.leave))

    def on_keys(self, *keys: tuple[str, Callable[[], object]]) -> None:
        """Act on keys while the focus is in this room."""
        for sequence, act in keys:
            shortcut = QShortcut(QKeySequence(sequence), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(act)

    def leave(self) -> None:
        """Back to the picture."""
        self.left.emit()
