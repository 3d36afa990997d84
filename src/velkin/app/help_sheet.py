"""A page of plain text with a heading."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QVBoxLayout, QWidget

from velkin.app.benches.parts import state_label


class HelpSheet(QDialog):
    """Shows a text."""

    def __init__(self, title: str, text: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(12)
        heading = state_label()
        heading.setText(title)
        column.addWidget(heading)
        body = QLabel(text)
        body.setWordWrap(True)
        body.setMinimumWidth(560)
        column.addWidget(body)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
