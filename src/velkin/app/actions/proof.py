"""What the window does about proof and easing: showing, marking, picking a hue, painting, and the rooms that belong to it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog

from velkin.core.errors import VelkinError
from velkin.core.spaces.oklab import hue_of, xyz_to_oklab

if TYPE_CHECKING:
    from velkin.app.rooms.gamut_room import GamutRoom
    from velkin.app.rooms.intents_room import IntentsRoom
    from velkin.app.window import Window


class ProofActions:
    """Actions of the window."""

    def __init__(self, window: Window) -> None:
        self._window = window
        self._model = window.model
        self._gamut: GamutRoom | None = None  # rooms that are made when they are first entered
        self._intents: IntentsRoom | None = None
        proof = self._model.proof
        proof.changed.connect(self._changed)
        proof.tried.connect(self._tried)
        window.view.stroking.connect(window.proof_bench.easing.stroking)
        window.view.stroked.connect(window.proof_bench.easing.stroked)

    def _changed(self) -> None:
        self._window.menu.shown_there.setChecked(self._model.proof.shown)
        self.show_legend()
        self._window.follow_path()

    def _tried(self, dragging: bool) -> None:
        self._window.follow_path()
        if not dragging:  # the list follows when the drag is over
            self._window.proof_bench.easing.refresh()

    def show_legend(self) -> None:
        """The legend stands beside the map only."""
        self._window.view.legend = self._model.hatching and self._model.proof.mark == "delta"
        self._window.view.update()

    def toggle(self) -> None:
        """Show the picture at the destination, or as it is meant."""
        self._model.proof.show(not self._model.proof.shown)

    def hue_at(self, x: float, y: float) -> float | None:
        """The hue of the picture before easing, degrees in Oklab, round a point in shares of it."""
        r = self._window.rendered
        if r is None:
            return None
        height, width = r.working.shape[:2]
        row, column = min(int(y * height), height - 1), min(int(x * width), width - 1)
        patch = r.working[max(row - 2, 0) : row + 3, max(column - 2, 0) : column + 3].reshape(-1, 3).mean(axis=0)
        return float(hue_of(xyz_to_oklab(r.path.working.to_xyz @ patch)))

    def pick_hue(self, x: float, y: float) -> None:
        """Take the hue of a point for the chosen easing."""
        hue = self.hue_at(x, y)
        if hue is not None:
            self._window.proof_bench.easing.hue_picked(hue)
            self._model.notice.emit(f"Hues round {hue:.0f}° are eased; the ring on the bench says how wide.")

    def least_change(self) -> None:
        """Look for the least change, on the Proof bench."""
        if self._model.frame is not None:
            self._window.open_stop("proof")
            self._window.desk.proofing.solve()

    def add_easing(self) -> None:
        """Choose a stage to add, on the Proof bench."""
        if self._model.frame is not None:
            self._window.open_stop("proof")
            self._window.proof_bench.easing.add.showMenu()

    def gamut(self) -> None:
        """Open the gamut room."""
        if self._model.shoot is None:
            return
        if self._gamut is None:
            from velkin.app.rooms.gamut_room import GamutRoom

            self._gamut = GamutRoom(self._window.desk)
            self._gamut.save_wanted.connect(self.save_plot)
            self._window.add_room(self._gamut)
        self._window.rooms.setCurrentWidget(self._gamut)
        self._gamut.enter()

    def intents(self) -> None:
        """Open the sheet of intents side by side."""
        if self._model.frame is None:
            return
        if self._intents is None:
            from velkin.app.rooms.intents_room import IntentsRoom

            self._intents = IntentsRoom(self._window.desk)
            self._window.add_room(self._intents)
        self._window.rooms.setCurrentWidget(self._intents)
        self._intents.enter()

    def save_plot(self) -> None:
        """Save the gamut plot."""
        if self._gamut is None:
            return
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, "Save the plot", "gamut.png", "PNG picture (*.png);;SVG drawing (*.svg)"
        )
        if not chosen:
            return
        path = Path(chosen)
        if path.suffix.lower() not in (".png", ".svg"):
            path = path.with_name(path.name + ".png")
        try:
            self._gamut.save(path)
        except VelkinError as error:
            self._model.report(error)
        else:
            self._model.notice.emit(f"{path.name} was written.")

    def screen(self) -> None:
        """Show and choose what this screen is drawn for."""
        from velkin.app.sheets.screen_sheet import ScreenSheet

        ScreenSheet(self._window.screens, self._window).exec()

    def leave_brush(self) -> bool:
        """Lay the brush down; whether it was in hand."""
        if self._model.proof.painting < 0:
            return False
        self._model.proof.paint(-1)
        return True
