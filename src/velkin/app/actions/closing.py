"""Closing the window: asked about while files are being written or come in, or what was typed would be lost."""

from __future__ import annotations

from PyQt6.QtWidgets import QMessageBox, QWidget

from velkin.app.jobs.jobs import Jobs
from velkin.app.words import count


def may_close(jobs: Jobs, parent: QWidget) -> bool:
    """Whether the window may be closed now."""
    return jobs.shoots.may_leave() and _may_cut_off_files(jobs, parent) and _may_cut_off_handoff(jobs, parent)


def _may_cut_off_files(jobs: Jobs, parent: QWidget) -> bool:
    if not jobs.importing.coming_in:
        return True
    box = QMessageBox(parent)
    box.setWindowTitle("Files are coming in")
    box.setText("Not all files are in the shoot yet.")
    box.setInformativeText("Frames that are in it stay. The others can be added again the next time; none comes in twice.")
    return _closes(box, "Close and leave the others out", "Wait for them")


def _may_cut_off_handoff(jobs: Jobs, parent: QWidget) -> bool:
    if not jobs.handoff.running:
        return True
    pace = jobs.handoff.pace
    left = pace.files_left if pace is not None else 0
    box = QMessageBox(parent)
    box.setWindowTitle("A hand-off is running")
    box.setText(f"{count(left, 'file')} of the hand-off {'is' if left == 1 else 'are'} not written yet.")
    box.setInformativeText("Files begun are finished and checked. The next time the shoot is opened the rest can be resumed.")
    return _closes(box, "Close after the files begun", "Go on writing")


def _closes(box: QMessageBox, close: str, stay: str) -> bool:
    """Ask; whether to close."""
    end = box.addButton(close, QMessageBox.ButtonRole.AcceptRole)
    keep = box.addButton(stay, QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(keep)
    box.setEscapeButton(keep)
    box.exec()
    return box.clickedButton() is end
