"""The benches at the right of the window: that of the open stop, or how to begin."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QStackedWidget

from velkin.app.benches.aside import Aside
from velkin.app.benches.camera import CameraBench
from velkin.app.benches.handoff import HandoffBench
from velkin.app.benches.picture import PictureBench
from velkin.app.benches.proof import ProofBench
from velkin.app.benches.source import SourceBench
from velkin.app.benches.start import StartBench
from velkin.app.benches.working import WorkingBench
from velkin.app.context import Context
from velkin.app.widgets.parts import WIDTH, Bench, clicks_leave_the_keys


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
        #: Benches on which something is made, in the place of their stop's own.
        self._asides: dict[str, Aside] = {}
        self.setMinimumWidth(WIDTH)
        model.opened.connect(self._opened)
        model.changed.connect(lambda change: self._follow() if change.anything else None)
        model.selection_changed.connect(self._follow)
        model.stop_changed.connect(lambda _: self._follow())
        self._follow()

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, self.currentWidget().sizeHint().height())  # type: ignore[union-attr]  # not of every bench there is

    def asides(self) -> list[Aside]:
        """What is being made."""
        return list(self._asides.values())

    def may_leave(self) -> bool:
        """Whether what is being made may be given up; each bench asks where work would be lost."""
        return all(bench.may_leave() for bench in self.asides())

    def put_aside(self, bench: Aside) -> None:
        """Show a bench on which something is made in the place of its stop's own; one that is there already gives way if it may."""
        there = self._asides.get(bench.stop)
        if there is not None:
            self._model.open_stop(bench.stop)
            there.give_up()
            if bench.stop in self._asides:
                bench.deleteLater()
                return
        self._asides[bench.stop] = bench
        self.addWidget(bench)
        clicks_leave_the_keys(bench)
        bench.ended.connect(lambda: self._drop(bench.stop))
        self._model.open_bench(bench.stop)
        self._follow()
        bench.scroller.setFocus()
        bench.focusNextChild()

    def _drop(self, stop: str) -> None:
        bench = self._asides.pop(stop, None)
        if bench is not None:
            self._follow()
            self.removeWidget(bench)
            bench.deleteLater()

    def _opened(self) -> None:
        for stop in list(self._asides):
            self._drop(stop)
        self._follow()

    def _follow(self) -> None:
        model = self._model
        bench: Bench = self._by_stop[model.stop]
        if model.stop in self._asides:
            bench = self._asides[model.stop]
        elif model.shoot is None:
            bench = self.start
        elif model.stop == "camera" and model.frame is not None and not model.frame.is_raw:
            bench = self.picture
        if bench is not self.currentWidget():
            self.setCurrentWidget(bench)
