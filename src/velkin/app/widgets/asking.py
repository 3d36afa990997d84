"""The question before work is lost."""

from __future__ import annotations

from PyQt6.QtWidgets import QMessageBox, QWidget


def may_lose(words: str, title: str, go: str, parent: QWidget) -> bool:
    """Whether work may be lost; staying is what Return and Esc do. Nothing is asked where there is none.

    Parameters
    ----------
    words : str
        What would be lost; empty where nothing would.
    title : str
        What was about to happen.
    go : str
        The button that goes on without it.
    """
    if not words:
        return True
    box = QMessageBox(parent)
    box.setWindowTitle(title)
    box.setText(f"{words} would be lost.")
    lose = box.addButton(go, QMessageBox.ButtonRole.DestructiveRole)
    stay = box.addButton("Stay here", QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(stay)
    box.setEscapeButton(stay)
    box.exec()
    return box.clickedButton() is lose
