"""What the menus do about hand-off: starting, pausing, resuming, and the receipt."""

from __future__ import annotations

from pathlib import Path

from velkin.app.actions.dialogs import Dialogs
from velkin.app.benches.benches import Benches
from velkin.app.context import Context
from velkin.app.model.places import Page


class HandoffActions:
    """Actions of the Hand-off stop."""

    def __init__(self, context: Context, dialogs: Dialogs, benches: Benches) -> None:
        self._jobs = context.jobs
        self._model = context.model
        self._dialogs = dialogs
        self._benches = benches

    def start(self) -> None:
        """Open the Hand-off bench and start."""
        if self._model.shoot is not None and self._model.open_bench("handoff"):
            self._benches.handoff.start()

    def destinations(self, about: str | Path = "") -> None:
        """Open the room of destinations, on one of them or taking in those of a file."""
        if self._model.shoot is not None:
            self._model.places.go(Page.DESTINATIONS, None, about)

    def receivers(self) -> None:
        """Open the sheet of what receivers see."""
        if self._model.frame is not None:
            self._model.places.go(Page.RECEIVERS, self._model.current)

    def receipt(self) -> None:
        """Ask where the receipt of the last hand-off goes, and write it."""
        shoot = self._model.shoot
        if shoot is None:
            return
        out = self._dialogs.save_file(
            "Write a receipt",
            f"{shoot.path.stem} receipt.html",
            "Web page (*.html);;PDF (*.pdf)",
            (".html", ".pdf"),
            shoot.path.parent,
        )
        if out is not None:
            self._jobs.handoff.write_receipt(out)

    def retry(self) -> None:
        """Try once more what failed, or resume a run that was interrupted."""
        if self._model.shoot is None:
            return
        handoff = self._jobs.handoff
        if not self._model.open_bench("handoff"):
            return
        if handoff.interrupted() is not None:
            handoff.resume()
        elif any(not d.ok for d in handoff.results):
            handoff.retry()
        else:
            self._model.say("Nothing of the last hand-off failed, and none was interrupted.")

    def pause(self) -> None:
        """Pause the run, or resume it."""
        handoff = self._jobs.handoff
        if handoff.running:
            handoff.pause(not handoff.paused)
        else:
            self._model.say("No hand-off is running.")
