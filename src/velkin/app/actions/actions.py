"""All actions of a window, a subject each; menus, keys, benches and rooms call them."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QWidget

from velkin.app.actions.camera import CameraActions
from velkin.app.actions.chart import ChartActions
from velkin.app.actions.dialogs import Dialogs
from velkin.app.actions.dropped import Dropped
from velkin.app.actions.frame import FrameActions
from velkin.app.actions.handoff import HandoffActions
from velkin.app.actions.look import LookActions
from velkin.app.actions.machine import MachineActions
from velkin.app.actions.picking import Picking
from velkin.app.actions.profile import ProfileActions
from velkin.app.actions.proof import ProofActions
from velkin.app.actions.shoot import ShootActions
from velkin.app.actions.space import SpaceActions
from velkin.app.benches.benches import Benches
from velkin.app.context import Context
from velkin.app.model.places import Page
from velkin.app.widgets.easing_view import EasingView


class Actions:
    """The actions, and what benches and rooms ask for that needs a dialog."""

    def __init__(self, context: Context, view: EasingView, benches: Benches, parent: QWidget) -> None:
        self._model = context.model
        self._dialogs = dialogs = Dialogs(context.settings, parent)
        self.shoot = ShootActions(context, dialogs)
        self.frame = FrameActions(context, dialogs)
        self.camera = CameraActions(context, dialogs, parent)
        self.chart = ChartActions(context, dialogs, self.camera.chart_opened)
        self.picking = Picking(context, view, benches)
        self.profile = ProfileActions(context, dialogs, benches)
        self.space = SpaceActions(context, dialogs, view, benches)
        self.proof = ProofActions(context, dialogs, benches)
        self.handoff = HandoffActions(context, dialogs, benches)
        self.look = LookActions(context, dialogs)
        self.machine = MachineActions(context, dialogs)
        self.dropped = Dropped(context, self.space, self.handoff, self.look)
        self._benches = benches
        benches.start.new_wanted.connect(self.shoot.new)
        benches.start.open_wanted.connect(self.shoot.open)
        benches.start.demo_wanted.connect(lambda: context.jobs.demo.open())
        benches.made.connect(self._serve_bench)

    def _serve_bench(self, stop: str) -> None:
        """A bench was made: what it asks for is answered from now on."""
        benches = self._benches
        if stop == "source":
            benches.source.rules_wanted.connect(self.space.rules)
            benches.source.layers_wanted.connect(self.space.layers)
        elif stop == "camera":
            benches.camera.giving_wanted.connect(self.camera.give)
        elif stop == "working":
            benches.working.layers_wanted.connect(self.space.layers)
            benches.working.custom_space_wanted.connect(self.space.custom_space)
            benches.working.purpose_wanted.connect(self.space.help_choose)
            benches.working.compare_wanted.connect(self.space.compare_spaces)
            benches.working.look.wanted.connect(self.look.put_on)
            benches.working.look.match_wanted.connect(self.look.match)
            self.picking.strokes_for(benches.working.look)
        elif stop == "proof":
            self.picking.strokes_for(benches.proof.easing)
        elif stop == "handoff":
            benches.handoff.receipt_wanted.connect(self.handoff.receipt)

    def open_stop(self, stop: str) -> None:
        """Open a stop's bench, from wherever one is."""
        self._model.open_bench(stop)

    def _measured_light(self, room: Any) -> None:
        """The fit report asks for a light's measured spectrum."""
        path = self._dialogs.open_file("The light's spectrum: wavelength in nm and power", "Tables (*.csv *.txt)")
        if path is not None:
            room.use_spectrum(path)

    def paste(self) -> None:
        """Take the clipboard's files or picture into the shoot."""
        files = self.shoot.paste()
        if files:
            self.dropped.take(files)

    def serve(self, room: Any) -> None:
        """A room was made: what it asks for is answered from now on."""
        if room.page is Page.CHART:
            room.other_file_wanted.connect(self.chart.open_file)
        elif room.page is Page.CHART_EDITOR:
            room.file_wanted.connect(self.chart.open_file)
            room.save_wanted.connect(lambda chart: room.saved() if self.chart.save(chart) else None)
        elif room.page is Page.FIT:
            room.csv_wanted.connect(self.profile.save_table)
            room.export_wanted.connect(self.profile.export)
            room.spectrum_wanted.connect(lambda: self._measured_light(room))
        elif room.page is Page.SHELF:
            room.import_wanted.connect(self.profile.import_to_shelf)
            room.folder_wanted.connect(self.profile.choose_shelf)
            room.export_wanted.connect(self.profile.export)
            room.variant_wanted.connect(self.profile.vary)
        elif room.page is Page.TRY_ON:
            room.profile_wanted.connect(self.space.try_profile)
            room.taken.connect(self._benches.source.give)
        elif room.page is Page.MATCH:
            room.export_wanted.connect(self.look.export_match)
        elif room.page is Page.COMPARE:
            room.file_wanted.connect(self.frame.compare_file)
        elif room.page is Page.GAMUT:
            room.save_wanted.connect(lambda: self.proof.save_plot(room))
