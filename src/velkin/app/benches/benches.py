"""The benches at the right of the window: that of the open stop, or how to begin."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QStackedWidget

from velkin.app.benches.camera import CameraBench
from velkin.app.benches.handoff import HandoffBench
from velkin.app.benches.picture import PictureBench
from velkin.app.benches.proof import ProofBench
from velkin.app.benches.source import SourceBench
from velkin.app.benches.start import StartBench
from velkin.app.benches.working import WorkingBench
from velkin.app.context import Context
from velkin.app.widgets.parts import WIDTH, Bench


class Benches(QStackedWidget):
    """Shows one bench."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._model = model = context.model
        self.source = SourceBench(context)
        self.camera = CameraBench(context)
        self.working = WorkingBench(context)
        self.proof = ProofBench(context)
        self.handoff = HandoffBench(context)
        #: Stands in for the Camera bench while a finished picture is shown.
        self.picture = PictureBench(model)
        self.start = StartBench()
        self._by_stop: dict[str, Bench] = {
            "source": self.source,
            "camera": self.camera,
            "working": self.working,
            "proof": self.proof,
            "handoff": self.handoff,
        }
        for bench in (*self._by_stop.values(), self.picture, self.start):
            self.addWidget(bench)
        self.setMinimumWidth(WIDTH)
        model.opened.connect(self._follow)
        model.changed.connect(lambda change: self._follow() if change.anything else None)
        model.selection_changed.connect(self._follow)
        model.stop_changed.connect(lambda _: self._follow())
        self._follow()

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, super().sizeHint().height())

    def _follow(self) -> None:
        model = self._model
        bench: Bench = self._by_stop[model.stop]
        if model.shoot is None:
            bench = self.start
        elif model.stop == "camera" and model.frame is not None and not model.frame.is_raw:
            bench = self.picture
        if bench is not self.currentWidget():
            self.setCurrentWidget(bench)
