"""A longer text to read and copy."""

from __future__ import annotations

from PyQt6.QtWidgets import QPlainTextEdit, QWidget

from velkin.app.widgets.sheet import Sheet


class TextSheet(Sheet):
    """Shows plain text, its end first."""

    def __init__(self, title: str, text: str, parent: QWidget) -> None:
        super().__init__(title, parent)
        self.resize(760, 460)
        self.body = QPlainTextEdit(text)
        self.body.setReadOnly(True)
        self.body.setAccessibleName(title)
        self.column.addWidget(self.body)
        self.only_close()
        bar = self.body.verticalScrollBar()
        if bar is not None:
            bar.setValue(bar.maximum())
