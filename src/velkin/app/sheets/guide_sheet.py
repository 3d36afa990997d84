"""The guide, read inside the program."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QTextBrowser, QWidget

from velkin.app.widgets.sheet import Sheet


class GuideSheet(Sheet):
    """Shows the guide that ships with the program."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__("Guide", parent)
        self.resize(760, 640)
        self.page = QTextBrowser()
        self.page.setAccessibleName("Guide")
        self.page.setOpenLinks(False)
        text = (Path(__file__).parents[1] / "assets" / "guide.md").read_text(encoding="utf-8")
        self.page.setMarkdown(text)
        self.column.addWidget(self.page)
        self.only_close()
