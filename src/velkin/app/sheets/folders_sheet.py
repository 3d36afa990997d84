"""In which folders ICC profiles are looked for."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QListWidget, QWidget

from velkin.app.widgets.parts import button, row_of, soft
from velkin.app.widgets.sheet import Sheet
from velkin.core.icc.collection import usual_folders


class FoldersSheet(Sheet):
    """Edits the list of folders."""

    def __init__(self, folders: list[Path], parent: QWidget) -> None:
        super().__init__("Profile folders", parent, width=520)
        self.column.addWidget(
            soft("Profiles in these folders, and in folders inside them, can be assigned, converted to and proofed for.")
        )
        self.list = QListWidget()
        self.list.setAccessibleName("Folders with profiles")
        self.column.addWidget(self.list)
        self.remove = button("Remove", self._remove, tip="The folder and its files stay; they are not looked into any more")
        self.column.addWidget(row_of(button("Add…", self._add), self.remove, button("The usual ones", self._usual)))
        self.offer("Use these folders")
        self._show(folders)

    def folders(self) -> list[Path]:
        """The folders as they stand in the list."""
        items = (self.list.item(n) for n in range(self.list.count()))
        return [Path(item.text()) for item in items if item is not None]

    def _show(self, folders: list[Path]) -> None:
        self.list.clear()
        self.list.addItems([str(f) for f in folders])
        self.list.setCurrentRow(0)
        self.remove.setEnabled(bool(folders))

    def _add(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "A folder with profiles")
        if chosen and Path(chosen) not in self.folders():
            self._show([*self.folders(), Path(chosen)])

    def _remove(self) -> None:
        row = self.list.currentRow()
        self._show([f for n, f in enumerate(self.folders()) if n != row])

    def _usual(self) -> None:
        self._show(usual_folders())
