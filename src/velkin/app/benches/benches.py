"""The benches at the right of the window: that of the open stop, or how to begin.

They are listed here, one line each; a bench is made when it is first needed, or ahead of that in an idle moment.
"""

from __future__ import annotations

from collections.abc import Iterator
from pkgutil import resolve_name
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtWidgets import QStackedWidget

from velkin.app.benches.aside import Aside
from velkin.app.benches.picture import PictureBench
from velkin.app.benches.start import StartBench
from velkin.app.context import Context
from velkin.app.widgets.parts import WIDTH, Bench, clicks_leave_the_keys

if TYPE_CHECKING:
    from velkin.app.benches.camera import CameraBench
    from velkin.app.benches.handoff import HandoffBench
    from velkin.app.benches.proof import ProofBench
    from velkin.app.benches.source import SourceBench
    from velkin.app.benches.working import WorkingBench

#: The bench of each stop, by its module and its class in it.
BENCHES = {
    "source": "velkin.app.benches.source:SourceBench",
    "camera": "velkin.app.benches.camera:CameraBench",
    "working": "velkin.app.benches.working:WorkingBench",
    "proof": "velkin.app.benches.proof:ProofBench",
    "handoff": "velkin.app.benches.handoff:HandoffBench",
}


def load_benches() -> None:
    """Load the modules of all benches, aside, so that opening a stop the first time does not wait for it."""
    for bench in BENCHES.values():
        resolve_name(bench)


class Benches(QStackedWidget):
    """Shows one bench."""

    made = pyqtSignal(str)  # the stop whose bench was made

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._context = context
        self._model = model = context.model
        #: Stands in for the Camera bench while a finished picture is shown.
        self.picture = PictureBench(model)
        self.start = StartBench()
        for bench in (self.picture, self.start):
            self.addWidget(bench)
        self._by_stop: dict[str, Bench] = {}
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

    # ---- the bench of each stop -------------------------------------------------------------------------------

    @property
    def source(self) -> SourceBench:
        """What a file declares of its colour."""
        return cast("SourceBench", self.of("source"))

    @property
    def camera(self) -> CameraBench:
        """Profile, balance and exposure."""
        return cast("CameraBench", self.of("camera"))

    @property
    def working(self) -> WorkingBench:
        """The space that is worked in, and what leads into it."""
        return cast("WorkingBench", self.of("working"))

    @property
    def proof(self) -> ProofBench:
        """What the destination cannot hold, and easing."""
        return cast("ProofBench", self.of("proof"))

    @property
    def handoff(self) -> HandoffBench:
        """Destinations, and what is written there."""
        return cast("HandoffBench", self.of("handoff"))

    def of(self, stop: str) -> Bench:
        """A stop's bench, made where it was not needed yet."""
        if stop not in self._by_stop:
            bench: Bench = resolve_name(BENCHES[stop])(self._context)
            self._by_stop[stop] = bench
            self.addWidget(bench)
            clicks_leave_the_keys(bench)
            self.made.emit(stop)
        return self._by_stop[stop]

    def make_ahead(self) -> Iterator[bool]:
        """Make the benches that were not needed yet, one each time it is asked."""
        for stop in BENCHES:
            if stop not in self._by_stop:
                self.of(stop)
                yield True

    # ---- what is made on a bench ------------------------------------------------------------------------------

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

    def _follow(self) -> None:
        model = self._model
        bench: Bench
        if model.stop in self._asides:
            bench = self._asides[model.stop]
        elif model.shoot is None:
            bench = self.start
        elif model.stop == "camera" and model.frame is not None and not model.frame.is_raw:
            bench = self.picture
        else:
            bench = self.of(model.stop)
        if bench is not self.currentWidget():
            self.setCurrentWidget(bench)
