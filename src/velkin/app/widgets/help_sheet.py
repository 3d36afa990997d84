"""A page of plain text with a heading."""

from __future__ import annotations

from PyQt6.QtWidgets import QLabel, QWidget

from velkin.app.widgets.parts import state_label
from velkin.app.widgets.sheet import Sheet


class HelpSheet(Sheet):
    """Shows a text."""

    def __init__(self, title: str, text: str, parent: QWidget) -> None:
        super().__init__(title, parent, spacing=12)
        column = self.column
        heading = state_label()
        heading.setText(title)
        column.addWidget(heading)
        body = QLabel(text)
        body.setWordWrap(True)
        body.setMinimumWidth(560)
        column.addWidget(body)
        self.only_close()
