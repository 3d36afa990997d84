"""What sheets are made of: a title, one column, and the actions at its foot."""

from __future__ import annotations

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QPushButton, QVBoxLayout, QWidget

from velkin.app import theme


class Sheet(QDialog):
    """A dialog of one column.

    Parameters
    ----------
    title : str
    parent : QWidget or None
    spacing : int
        Between its rows, in pixels.
    width : int
        Fixed, in pixels; 0 goes by what it holds.
    """

    def __init__(self, title: str, parent: QWidget | None, spacing: int = 10, width: int = 0) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(20, 16, 20, 16)
        self.column.setSpacing(spacing)
        if width:
            self.setFixedWidth(width)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Return is the black button, wherever the keys are; a sheet without one has no button for it."""
        for each in self.findChildren(QPushButton):
            primary = bool(each.property("primary"))
            each.setAutoDefault(primary)
            each.setDefault(primary)
        super().showEvent(event)

    def subject(self, name: str) -> None:
        """Say on top what it is about."""
        label = QLabel(name)
        label.setFont(theme.font(13, 700))
        label.setWordWrap(True)
        self.column.addWidget(label)

    def offer(self, words: str, *others: str) -> tuple[QPushButton, ...]:
        """End the column with Cancel, the action that accepts and others beside it; these buttons in this order."""
        box = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        roles = [QDialogButtonBox.ButtonRole.AcceptRole, *[QDialogButtonBox.ButtonRole.ActionRole] * len(others)]
        made = tuple(b for w, r in zip((words, *others), roles, strict=True) if (b := box.addButton(w, r)) is not None)
        made[0].setProperty("primary", True)
        box.accepted.connect(self.accept)
        box.rejected.connect(self.reject)
        self.column.addWidget(box)
        return made

    def only_close(self) -> None:
        """End the column with Close."""
        box = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        box.rejected.connect(self.reject)
        self.column.addWidget(box)
