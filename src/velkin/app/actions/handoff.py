"""What the window does about hand-off: the rooms that belong to it, and the receipt."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog

if TYPE_CHECKING:
    from velkin.app.rooms.destinations_room import DestinationsRoom
    from velkin.app.rooms.receivers_room import ReceiversRoom
    from velkin.app.window import Window


class HandoffActions:
    """Actions of the window."""

    def __init__(self, window: Window) -> None:
        self._window = window
        self._model = window.model
        self._destinations: DestinationsRoom | None = None  # rooms that are made when they are first entered
        self._receivers: ReceiversRoom | None = None
        window.handoff_bench.edit_wanted.connect(self.destinations)
        window.handoff_bench.receivers_wanted.connect(self.receivers)
        window.handoff_bench.receipt_wanted.connect(self.receipt)

    def destinations(self, identifier: str = "") -> None:
        """Open the room of destinations."""
        if self._model.shoot is None:
            return
        if self._destinations is None:
            from velkin.app.rooms.destinations_room import DestinationsRoom

            self._destinations = DestinationsRoom(self._window.desk)
            self._window.add_room(self._destinations)
        self._window.rooms.setCurrentWidget(self._destinations)
        self._destinations.enter(identifier)

    def bring(self, path: Path) -> None:
        """Take in the destinations of a file."""
        if self._model.shoot is not None:
            self.destinations()
            assert self._destinations is not None
            self._destinations.bring_in(path)

    def receivers(self) -> None:
        """Open the sheet of what receivers see."""
        if self._model.shoot is None:
            return
        if self._receivers is None:
            from velkin.app.rooms.receivers_room import ReceiversRoom

            self._receivers = ReceiversRoom(self._window.desk)
            self._window.add_room(self._receivers)
        self._window.rooms.setCurrentWidget(self._receivers)
        self._receivers.enter()

    def receipt(self) -> None:
        """Ask where the receipt of the last hand-off goes, and write it."""
        shoot = self._model.shoot
        if shoot is None:
            return
        start = shoot.path.parent / f"{shoot.path.stem} receipt.html"
        chosen, _ = QFileDialog.getSaveFileName(self._window, "Write a receipt", str(start), "Web page (*.html);;PDF (*.pdf)")
        if not chosen:
            return
        path = Path(chosen)
        if path.suffix.lower() not in (".html", ".pdf"):
            path = path.with_name(path.name + ".html")
        self._window.desk.handoff.write_receipt(path)

    def retry(self) -> None:
        """Try once more what failed, or go on with a run that was cut off."""
        job = self._window.desk.handoff
        self._window.open_stop("handoff")
        if job.interrupted() is not None:
            job.go_on_after_crash()
        elif any(not d.ok for d in job.results):
            job.retry()
        else:
            self._model.notice.emit("Nothing of the last hand-off failed, and none was cut off.")

    def pause(self) -> None:
        """Pause the run, or go on."""
        job = self._window.desk.handoff
        if job.running:
            job.pause(not job.paused)
        else:
            self._model.notice.emit("No hand-off is running.")
