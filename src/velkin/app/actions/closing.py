"""Closing the window: asked about while files are being written or what was typed would be lost."""

from __future__ import annotations

from PyQt6.QtWidgets import QMessageBox, QWidget

from velkin.app.jobs.jobs import Jobs
from velkin.app.words import count


def may_close(jobs: Jobs, parent: QWidget) -> bool:
    """Whether the window may be closed now."""
    if not jobs.shoots.may_leave():
        return False
    if not jobs.handoff.running:
        return True
    pace = jobs.handoff.pace
    left = pace.files_left if pace is not None else 0
    box = QMessageBox(parent)
    box.setWindowTitle("A hand-off is running")
    box.setText(f"{count(left, 'file')} of the hand-off {'is' if left == 1 else 'are'} not written yet.")
    box.setInformativeText("Files begun are finished and checked. The next time the shoot is opened the rest can be resumed.")
    end = box.addButton("Close after the files begun", QMessageBox.ButtonRole.AcceptRole)
    stay = box.addButton("Go on writing", QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(stay)
    box.setEscapeButton(stay)
    box.exec()
    return box.clickedButton() is end
