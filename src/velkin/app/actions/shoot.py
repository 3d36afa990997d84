"""What the Shoot menu does: making, opening, filling and closing shoots."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PyQt6.QtWidgets import QApplication, QMessageBox

from velkin.app.actions.dialogs import Dialogs, pattern
from velkin.app.context import Context
from velkin.app.words import count
from velkin.core.files.kinds import PICTURES
from velkin.core.files.raw_names import SUFFIXES
from velkin.core.shoot.store import backup_path

_SHOOTS = "Shoots (*.velkin)"


class ShootActions:
    """Actions on the shoot as a whole."""

    def __init__(self, context: Context, dialogs: Dialogs) -> None:
        self._jobs = context.jobs
        self._model = context.model
        self._dialogs = dialogs

    def new(self) -> None:
        """Ask for a new shoot's name and place."""
        path = self._dialogs.save_file("New shoot", "Untitled.velkin", _SHOOTS)
        if path is not None:
            self._jobs.shoots.new(path)

    def open(self) -> None:
        """Ask for a shoot to open."""
        path = self._dialogs.open_file("Open a shoot", _SHOOTS)
        if path is not None:
            self._jobs.shoots.open(path)

    def close(self) -> None:
        """Close the shoot; everything is saved already."""
        self._jobs.shoots.close()

    def restore(self) -> None:
        """Ask, then put the backup copy in the place of the open shoot."""
        shoot = self._model.shoot
        if shoot is None:
            return
        copy = backup_path(shoot.path)
        if not copy.is_file():
            self._model.report(
                f"There is no backup of this shoot yet; {copy.name} is written every ten minutes and when it is closed."
            )
            return
        made = datetime.fromtimestamp(copy.stat().st_mtime)
        box = QMessageBox(self._dialogs.parent)
        box.setWindowTitle("Restore the backup")
        box.setText(f"Open the backup of {made:%Y-%m-%d %H:%M} in the place of this shoot?")
        box.setInformativeText("What is open now is kept beside it under another name. No source file is touched.")
        yes = box.addButton("Restore the backup", QMessageBox.ButtonRole.AcceptRole)
        no = box.addButton(QMessageBox.StandardButton.Cancel)
        box.setDefaultButton(no)
        box.exec()
        if box.clickedButton() is yes:
            self._jobs.shoots.restore()

    def add_files(self) -> None:
        """Ask for files to add."""
        kinds = (
            f"Raw files and pictures ({pattern(SUFFIXES | PICTURES)});;Raw files ({pattern(SUFFIXES)});;"
            f"Pictures ({pattern(PICTURES)})"
        )
        paths = self._dialogs.open_files("Add files", kinds)
        if paths:
            self._jobs.importing.add_files(paths)

    def add_folder(self) -> None:
        """Ask for a folder of files to add."""
        folder = self._dialogs.folder("Add a folder")
        if folder is not None:
            self._jobs.importing.add_files([folder])

    def paste(self) -> list[Path]:
        """Take the clipboard's picture into the shoot; files on it are returned."""
        board = QApplication.clipboard()
        data = board.mimeData() if board is not None else None
        files = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()] if data is not None else []
        if files:
            return files
        if board is not None and data is not None and data.hasImage():
            self._jobs.colour.paste(board.image())
        else:
            self._model.say("There is neither a picture nor a file on the clipboard.")
        return []

    def show_left_out(self) -> None:
        """List the files that could not come in."""
        reasons = self._jobs.importing.left_out
        if not reasons:
            self._model.say("Nothing was left out of the last import.")
            return
        box = QMessageBox(self._dialogs.parent)
        box.setWindowTitle("What was left out")
        box.setText(f"{count(len(reasons), 'file')} of the last import could not come in; nothing was changed in them.")
        box.setInformativeText("\n".join(reasons[:12]) + ("\n…" if len(reasons) > 12 else ""))
        box.setDetailedText("\n".join(reasons))
        box.exec()
