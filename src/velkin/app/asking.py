"""What has to be asked: files, folders and names, each with the system's own dialog."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from velkin.app.desk import Desk
from velkin.core.files.raw import SUFFIXES


class Asking:
    """Asks, remembers the folder, and gives the answer to the desk."""

    def __init__(self, window: QWidget, desk: Desk, settings: QSettings) -> None:
        self._window = window
        self._desk = desk
        self._model = desk.model
        self._settings = settings

    def _folder(self) -> str:
        return str(self._settings.value("folder", str(Path.home())))

    def _remember(self, path: str) -> None:
        self._settings.setValue("folder", str(Path(path).parent))

    def new(self) -> None:
        """Ask for a new shoot's name and place."""
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, "New shoot", str(Path(self._folder()) / "Untitled.velkin"), "Shoots (*.velkin)"
        )
        if chosen:
            self._remember(chosen)
            self._desk.new_shoot(Path(chosen))

    def open(self) -> None:
        """Ask for a shoot to open."""
        chosen, _ = QFileDialog.getOpenFileName(self._window, "Open a shoot", self._folder(), "Shoots (*.velkin)")
        if chosen:
            self._remember(chosen)
            self._desk.open_shoot(Path(chosen))

    def files(self) -> None:
        """Ask for raw files to add."""
        pattern = " ".join(f"*{s} *{s.upper()}" for s in sorted(SUFFIXES))
        chosen, _ = QFileDialog.getOpenFileNames(self._window, "Add raw files", self._folder(), f"Raw files ({pattern})")
        if chosen:
            self._remember(chosen[0])
            self._desk.add_files([Path(c) for c in chosen])

    def folder(self) -> None:
        """Ask for a folder of raw files to add."""
        chosen = QFileDialog.getExistingDirectory(self._window, "Add a folder", self._folder())
        if chosen:
            self._desk.add_files([Path(chosen)])

    def light_name(self) -> None:
        """Ask for a light's new name."""
        frame = self._model.frame
        if frame is None:
            return
        light = self._model.state.light_of(frame.id)
        name, ok = QInputDialog.getText(self._window, "Rename this light", "Name", text=light.name)
        if ok and name.strip():
            self._desk.command(lambda s: s.rename_light(light.id, name.strip()))

    def source(self) -> None:
        """Ask where a missing source lies now."""
        frame = self._model.frame
        if frame is None:
            return
        chosen, _ = QFileDialog.getOpenFileName(self._window, f"Where is {frame.path.name}", self._folder())
        if chosen:
            self._desk.command(lambda s: s.relocate(frame.id, Path(chosen)))

    def profile(self) -> None:
        """Ask for a profile file to give to the chosen frames."""
        chosen, _ = QFileDialog.getOpenFileName(
            self._window, "Import a profile", self._folder(), "Velkin camera profiles (*.json)"
        )
        if chosen and self._model.shoot is not None:
            self._desk.import_profile(Path(chosen))

    def export(self) -> None:
        """Ask where to write this frame's profile."""
        frame = self._model.frame
        if frame is None or frame.profile is None:
            self._model.report("This frame uses the camera's built-in profile; there is nothing to export.")
            return
        name = self._model.state.profiles[frame.profile].name.replace("/", "-")
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, "Export the profile", str(Path(self._folder()) / f"{name}.json"), "(*.json)"
        )
        if chosen:
            self._desk.export_profile(frame.profile, Path(chosen))
