"""What menus, benches and the viewer do with charts, neutrals and what is given to other frames."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt

from velkin.app.sheets.giving_sheet import GivingSheet
from velkin.core.charts.definition import Chart

if TYPE_CHECKING:
    from velkin.app.window import Window


class CameraActions:
    """Actions of the Camera stop."""

    def __init__(self, window: Window) -> None:
        self._window = window
        self._desk = window.desk
        self._model = window.model

    # ---- charts -----------------------------------------------------------------------------------------------

    def read_chart(self, frame: int) -> None:
        """Open the chart room on a frame."""
        if not self._model.state.frames[frame].is_raw:
            self._model.notice.emit("This is a finished picture: Chart ▸ Fit on a finished picture… reads the chart in it.")
            return
        self._model.open_stop("camera")
        self._model.show_before(False)
        self._model.select(frame)
        self._window.rooms.setCurrentWidget(self._window.chart_room)
        self._window.chart_room.enter(frame)
        self._window.follow_path()

    def edit_chart(self) -> None:
        """Open the chart editor on the chart of this frame, or the one chosen in the chart room."""
        if self._model.shoot is None:
            self._model.report("Make or open a shoot first (Shoot menu); a chart is kept in a shoot.")
            return
        kept = self._model.state.readings.get(self._model.current) if self._model.current is not None else None
        self._window.chart_room.frame = None
        self._window.rooms.setCurrentWidget(self._window.chart_editor)
        self._window.chart_editor.enter(kept.chart if kept is not None else self._window.chart_room.chart)

    def chart_opened(self, chart: Chart) -> None:
        """A chart file was opened: it is read in the chart room, and said elsewhere."""
        if self._window.rooms.currentWidget() is self._window.chart_room:
            self._window.chart_room.use_chart(chart)
        elif self._window.rooms.currentWidget() is self._window.chart_editor:
            self._window.chart_editor.enter(chart)
        else:
            self._model.notice.emit(f"{chart.name}, {len(chart.ids)} patches, can be chosen in the chart room now.")

    # ---- neutrals ---------------------------------------------------------------------------------------------

    def pick_neutral(self) -> None:
        """Begin or end picking a neutral on the picture."""
        if self._model.frame is not None and not self._model.frame.is_raw:
            self._model.notice.emit(
                "White balance is for raw frames; a pin with the target neutral shows how far a grey is off here."
            )
        elif self._model.frame is not None:
            self._window.open_stop("camera")
            self._model.pick("" if self._model.picking == "neutral" else "neutral")

    def show_picking(self, what: str) -> None:
        """Show that something is picked on the picture (`ShootModel.picking`), or not any more."""
        self._window.view.picking = self._window.camera_bench.pick_size() if what else 0.0
        self._window.view.setCursor(Qt.CursorShape.CrossCursor if what else Qt.CursorShape.ArrowCursor)
        self._window.view.update()
        if what == "hue":
            self._model.notice.emit("Click the colour whose hue is to be eased. Esc ends picking.")
        elif what:
            self._model.notice.emit("Click what was neutral in front of the lens: a grey card, a grey patch. Esc ends picking.")

    def picked(self, x: float, y: float) -> None:
        """Take what was picked at a point of the full picture."""
        frame = self._model.frame
        if frame is not None and self._model.picking == "hue":
            self._window.proofs.pick_hue(x / frame.facts.width, y / frame.facts.height)
        elif frame is not None:
            self._desk.pick_neutral(frame.id, (x, y), self._window.view.picking, self._model.selected)
        self._model.pick("")

    # ---- giving -----------------------------------------------------------------------------------------------

    def give(self) -> None:
        """Say what giving this frame's camera settings would do, and do it when that is wanted."""
        if self._model.frame is None:
            return
        if not self._model.frame.is_raw:
            self._model.notice.emit(
                "Finished pictures have no camera settings to give; copy the ledger on the Source bench instead."
            )
            return
        sheet = GivingSheet(self._model, self._window)
        if sheet.exec() and sheet.plan is not None:
            self._desk.give(sheet.plan)
