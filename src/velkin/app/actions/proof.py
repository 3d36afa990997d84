"""What menus do about proof and easing."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from velkin.app.actions.dialogs import Dialogs
from velkin.app.benches.benches import Benches
from velkin.app.context import Context
from velkin.app.model.places import Page
from velkin.core.errors import VelkinError


class ProofActions:
    """Actions of the Proof stop."""

    def __init__(self, context: Context, dialogs: Dialogs, benches: Benches) -> None:
        self._context = context
        self._jobs = context.jobs
        self._model = context.model
        self._dialogs = dialogs
        self._benches = benches

    def toggle(self) -> None:
        """Show the picture at the destination, or as it is meant."""
        self._model.proof.show(not self._model.proof.shown)

    def toggle_marking(self) -> None:
        """Mark what is out of gamut, or not."""
        self._model.show_hatching(not self._model.hatching)

    def least_change(self) -> None:
        """Look for the least change, on the Proof bench."""
        if self._model.frame is not None and self._model.open_bench("proof"):
            self._benches.proof.easing.solve()

    def add_easing(self) -> None:
        """Choose a stage to add, on the Proof bench."""
        if self._model.frame is not None and self._model.open_bench("proof"):
            self._benches.proof.easing.add.showMenu()

    def copy_easings(self) -> None:
        """Copy the easings of the frame in the viewer to the selected frames."""
        if self._model.current is not None:
            self._jobs.proof.copy_easings(self._model.current, self._model.selected)

    def gamut(self) -> None:
        """Open the gamut room."""
        if self._model.shoot is not None:
            self._model.places.go(Page.GAMUT, self._model.current)

    def intents(self) -> None:
        """Open the sheet of intents side by side."""
        if self._model.frame is not None:
            self._model.places.go(Page.INTENTS, self._model.current)

    def save_plot(self, room: QWidget) -> None:
        """Ask where the gamut room's plot goes."""
        from velkin.app.rooms.gamut_room import GamutRoom

        assert isinstance(room, GamutRoom)
        out = self._dialogs.save_file(
            "Save the plot", "gamut.png", "PNG picture (*.png);;SVG drawing (*.svg)", (".png", ".svg")
        )
        if out is None:
            return
        try:
            room.save(out)
        except VelkinError as error:
            self._model.report(error)
        else:
            self._model.say(f"{out.name} was written.")
