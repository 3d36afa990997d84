"""The look on the Working bench: what is put on, how strongly, and taking it off."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from velkin.app.context import Context
from velkin.app.widgets.look_rows import look_rows
from velkin.app.widgets.parts import Bench, Facts, Slide, button, row_of, soft
from velkin.core.looks.kept import STRONGEST, LookKind


class LookSection(QWidget):
    """The look of the frames that its bench shows."""

    wanted = pyqtSignal()
    match_wanted = pyqtSignal()

    def __init__(self, context: Context, bench: Bench) -> None:
        super().__init__()
        self._jobs = context.jobs
        self._model = context.model
        self._bench = bench
        self._joins = False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.none = soft("No match and no look: nothing changes both look and numbers here.")
        column.addWidget(self.none)
        self.facts = Facts()
        column.addWidget(self.facts)
        self.strength = Slide("Strength", 0.0, STRONGEST, lambda v: f"{100 * v:.0f} %", 150)
        self.strength.moved.connect(self._move)
        self.strength.settled.connect(self._settle)
        column.addWidget(self.strength)
        self.put_on = button("Put on…", self.wanted.emit, tip="A match (.json), a table (.cube) or an ICC profile (.icc)")
        self.take_off = button("Take off", self._take_off, tip="The look leaves all selected frames")
        self.match = button(
            "Match…",
            self.match_wanted.emit,
            tip="Learn from charts, pins or an aligned picture what colours should be (Ctrl+M)",
        )
        column.addWidget(row_of(self.match, self.put_on, self.take_off))

    def refresh(self) -> None:
        """Follow the frame in the viewer."""
        frame = self._model.frame
        given = None if frame is None else self._model.state.look_of(frame.id)
        self.none.setVisible(given is None)
        self.facts.setVisible(given is not None)
        self.strength.setVisible(given is not None)
        self.put_on.setEnabled(frame is not None)
        self.match.setEnabled(frame is not None)
        self.match.setText("Adjust match…" if given is not None and given.look.kind is LookKind.MATCH else "Match…")
        self.take_off.setEnabled(any(f in self._model.state.given_looks for f in self._bench.frames))
        if given is not None:
            self.facts.show_rows(look_rows(given.look))
            self.strength.show_value(given.strength)

    def _move(self, strength: float) -> None:
        """A drag is one step, however many moments it has."""
        self._jobs.looks.set_strength(self._bench.frames, strength, self._joins)
        self._joins = True

    def _settle(self, strength: float) -> None:
        self._jobs.looks.set_strength(self._bench.frames, strength, self._joins)
        self._joins = False

    def _take_off(self) -> None:
        self._jobs.looks.take_off(self._bench.frames)
