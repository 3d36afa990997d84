"""Asking for files, folders and names with the system's own dialogs; the folder is remembered."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from velkin.app.widgets.asking import may_lose


class Dialogs:
    """Asks over a window."""

    def __init__(self, settings: QSettings, parent: QWidget) -> None:
        self._settings = settings
        self.parent = parent

    @property
    def _folder(self) -> Path:
        return Path(str(self._settings.value("folder", str(Path.home()))))

    def _remembered(self, chosen: str) -> Path | None:
        if not chosen:
            return None
        self._settings.setValue("folder", str(Path(chosen).parent))
        return Path(chosen)

    def open_file(self, title: str, kinds: str = "") -> Path | None:
        """One file that is there."""
        return self._remembered(QFileDialog.getOpenFileName(self.parent, title, str(self._folder), kinds)[0])

    def open_files(self, title: str, kinds: str = "") -> list[Path]:
        """Files that are there; none when it was cancelled."""
        chosen, _ = QFileDialog.getOpenFileNames(self.parent, title, str(self._folder), kinds)
        if chosen:
            self._remembered(chosen[0])
        return [Path(c) for c in chosen]

    def save_file(
        self, title: str, name: str, kinds: str, suffixes: tuple[str, ...] = (), folder: Path | None = None
    ) -> Path | None:
        """A file to write; replacing one is asked about. A name without one of the suffixes gets the first of them."""
        start = (folder or self._folder) / name
        out = self._remembered(QFileDialog.getSaveFileName(self.parent, title, str(start), kinds)[0])
        if out is not None and suffixes and out.suffix.lower() not in suffixes:
            out = out.with_name(out.name + suffixes[0])
            # the dialog did not know this name
            taken = f"{out.name}, which is there already," if out.exists() else ""
            if not may_lose(taken, title, "Replace it", self.parent):
                return None
        return out

    def folder(self, title: str, start: Path | None = None) -> Path | None:
        """A folder."""
        chosen = QFileDialog.getExistingDirectory(self.parent, title, str(start or self._folder))
        return Path(chosen) if chosen else None

    def text(self, title: str, words: str, text: str) -> str:
        """A line of text; empty when it was cancelled."""
        typed, ok = QInputDialog.getText(self.parent, title, words, text=text)
        return typed.strip() if ok else ""

    def one_of(self, title: str, words: str, names: list[str], first: int) -> int | None:
        """One of several by name."""
        name, ok = QInputDialog.getItem(self.parent, title, words, names, first, False)
        return names.index(name) if ok else None


def pattern(suffixes: Iterable[str]) -> str:
    """A filter for files with one of these suffixes, in small and capital letters."""
    return " ".join(f"*{s} *{s.upper()}" for s in sorted(suffixes))
