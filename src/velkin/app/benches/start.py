"""Start: what can be done while no shoot is open."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from velkin.app.widgets.parts import Bench, button, emptied, soft, state_label

_SHOWN = 5


class StartBench(Bench):
    """New shoot, open a shoot, open the demo, and the shoots that were open lately."""

    new_wanted = pyqtSignal()
    open_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()
    recent_wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__("Start")
        state = state_label()
        state.setText("No shoot is open")
        self.column.addWidget(state)
        self.column.addWidget(
            soft("A shoot keeps frames, lights, profiles and decisions in one file. Source files are never written.")
        )
        self._recent_heading = self.section("Recent shoots", rule=False)
        holder = QWidget()
        self._recent = QVBoxLayout(holder)
        self._recent.setContentsMargins(0, 0, 0, 0)
        self._recent.setSpacing(6)
        self.column.addWidget(holder)
        self.end()
        self.sentence.setText("The demo is a simulated shoot of dyed wool with a chart frame in each of two lights.")
        self.foot.addWidget(button("New shoot…", self.new_wanted.emit, primary=True))
        self.foot.addWidget(button("Open a shoot…", self.open_wanted.emit))
        self.demo_button = button("Open the demo", self.demo_wanted.emit)
        self.foot.addWidget(self.demo_button)
        self.show_recent([])

    def show_recent(self, paths: list[Path]) -> None:
        """Offer shoots that were open lately."""
        emptied(self._recent)
        self._recent_heading.setVisible(bool(paths))
        for path in paths[:_SHOWN]:
            self._recent.addWidget(button(path.stem, partial(self.recent_wanted.emit, str(path)), tip=str(path)))
