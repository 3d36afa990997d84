"""What menus, keys and benches do with charts and with what is given to other frames."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from velkin.app.actions.dialogs import Dialogs
from velkin.app.context import Context
from velkin.app.model.places import Page
from velkin.core.cameraprofiles.leaning import NEUTRAL
from velkin.core.charts.built_in import velkin48
from velkin.core.charts.definition import Chart
from velkin.core.errors import VelkinError
from velkin.core.files.safely import write_whole

if TYPE_CHECKING:
    from velkin.core.shoot.agreeing import Agreement


class CameraActions:
    """Actions of the Camera stop."""

    def __init__(self, context: Context, dialogs: Dialogs, parent: QWidget) -> None:
        self._dialogs = dialogs
        self._context = context
        self._jobs = context.jobs
        self._model = context.model
        self._parent = parent

    # ---- charts -----------------------------------------------------------------------------------------------

    def read_chart_here(self) -> None:
        """Open the chart room on the frame at hand."""
        frame = self._model.frame
        if frame is None:
            return
        if not frame.is_raw:
            self._model.say("This is a finished picture: Chart ▸ Fit on a finished picture… reads the chart in it.")
            return
        if self._model.places.go(Page.CHART, frame.id):
            self._model.open_stop("camera")
            self._model.show_before(False)

    def edit_chart(self) -> None:
        """Open the chart editor on the chart that was read in the frame at hand."""
        if self._model.shoot is None:
            self._model.report("Make or open a shoot first (Shoot menu); a chart is kept in a shoot.")
            return
        kept = self._model.state.readings.get(self._model.current) if self._model.current is not None else None
        self._model.places.go(Page.CHART_EDITOR, None, kept.chart if kept is not None else velkin48())

    def chart_opened(self, chart: Chart) -> None:
        """A chart file was opened: it is read in the chart room, edited in the editor, and said elsewhere."""
        here = self._model.places.now
        if here.page in (Page.CHART, Page.CHART_EDITOR):
            self._model.places.go(here.page, here.frame, chart)
        else:
            self._model.say(f"{chart.name}, {len(chart.ids)} patches, can be chosen in the chart room now.")

    # ---- support ----------------------------------------------------------------------------------------------

    def support(self) -> None:
        """How much of the frame at hand lies beyond what its light's charts showed."""
        frame = self._model.frame
        if frame is None:
            return
        if not frame.is_raw:
            self._model.say("Support is told of raw frames, by the charts of their light; this is a finished picture.")
            return
        self._model.places.go(Page.SUPPORT, frame.id)

    # ---- cameras ----------------------------------------------------------------------------------------------

    def compare_cameras(self) -> None:
        """Say how far cameras lie apart on the same chart, and match one to the other where that is wanted."""
        from velkin.app.sheets.cameras_sheet import CamerasSheet
        from velkin.core.shoot.agreeing import report

        state = self._model.state

        def done(found: tuple[Agreement, ...]) -> None:
            if not found:
                self._model.say(
                    "Read the same chart in frames of two cameras (K in each); then they can be held beside each other."
                )
                return
            sheet = CamerasSheet(state, found, self._parent)
            sheet.save.clicked.connect(lambda _=False: self._save_report(report(state, sheet.chosen)))
            if sheet.exec():
                self._model.places.go(Page.MATCH, sheet.chosen.second, sheet.chosen.first)

        self._jobs.camera.compare_cameras(done)

    def _save_report(self, text: str) -> None:
        out = self._dialogs.save_file("A report", "cameras.txt", "Text (*.txt)", (".txt",))
        if out is not None:
            try:
                write_whole(out, text.encode(), True)
            except VelkinError as error:
                self._model.report(error)

    # ---- warmer and cooler ------------------------------------------------------------------------------------

    def lean(self, warmer: int, pinker: int) -> None:
        """The selected frames a step warmer (below 0 cooler) or pinker (below 0 greener)."""
        self._jobs.camera.lean_by(self._model.selected, warmer, pinker)

    def to_neutral(self) -> None:
        """The selected frames as neutral as it was measured."""
        self._jobs.camera.lean_to(self._model.selected, NEUTRAL)

    # ---- giving -----------------------------------------------------------------------------------------------

    def give(self) -> None:
        """Say what giving this frame's camera settings would do, and do it when that is wanted."""
        frame = self._model.frame
        if frame is None:
            return
        if not frame.is_raw:
            self._model.say("Finished pictures have no camera settings to give; copy the ledger on the Source bench instead.")
            return
        from velkin.app.sheets.giving_sheet import GivingSheet

        sheet = GivingSheet(self._model, self._parent)
        if sheet.exec() and sheet.plan is not None:
            self._jobs.camera.give(sheet.plan)

    def back_to_built_in(self) -> None:
        """Return the selected frames to the camera's built-in profile."""
        raw = tuple(f for f in self._model.selected if self._model.state.frames[f].is_raw)
        if raw:
            self._jobs.camera.use_built_in(raw)
