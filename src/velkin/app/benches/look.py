"""The look on the Working bench: what is put on, how strongly, and taking it off."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from velkin.app.context import Context
from velkin.app.model.proof_view import ON_LOOK, RESTS
from velkin.app.widgets.brush_controls import BrushControls, Points
from velkin.app.widgets.look_rows import look_rows
from velkin.app.widgets.parts import Bench, Facts, Slide, button, labelled, row_of, soft
from velkin.core.gamut.easing import BRUSHED, EVERYWHERE, Place
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
        self.place = QComboBox()
        self.place.addItem("everywhere", EVERYWHERE)
        self.place.addItem("where it is brushed", BRUSHED)
        self.place.activated.connect(self._place_chosen)
        self.place.setToolTip("Of the frame in the viewer alone; strokes lie where they were painted on it")
        self._place_row = labelled("Acts", self.place, 76)
        column.addWidget(self._place_row)
        self.brush = BrushControls(self._model.proof, "Brush", "this look")
        self.brush.taken.connect(lambda on: self._model.proof.paint(ON_LOOK if on else RESTS))
        self._model.proof.brush_changed.connect(self._show_brush)
        column.addWidget(self.brush)
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
        self._place_row.setVisible(given is not None)
        self.brush.setVisible(given is not None and given.where is not None)
        if self._model.proof.painting == ON_LOOK and (given is None or given.where is None):
            self._model.proof.paint(RESTS)  # what it painted into is gone
        self._show_brush()
        self.put_on.setEnabled(frame is not None)
        self.match.setEnabled(frame is not None)
        self.match.setText("Adjust match…" if given is not None and given.look.kind is LookKind.MATCH else "Match…")
        self.take_off.setEnabled(any(f in self._model.state.given_looks for f in self._bench.frames))
        if given is not None:
            self.facts.show_rows(look_rows(given.look))
            brushed = given.where is not None
            self.place.setCurrentIndex(self.place.findData(BRUSHED if brushed else EVERYWHERE))
            if given.where is not None and frame is not None:
                fits = given.where.fits(frame.facts.width, frame.facts.height)
                self.brush.show_painted(len(given.where.strokes), fits)
            self.strength.show_value(given.strength)

    def _show_brush(self) -> None:
        self.brush.show_brush(self._model.proof.painting == ON_LOOK)

    def _place_chosen(self, _: int) -> None:
        """Where the look of the frame in the viewer acts; chosen to be brushed, the brush is in hand."""
        frame = self._bench.frame_id
        if frame is None:
            return
        brushed = self.place.currentData() == BRUSHED
        if brushed != (frame in self._model.state.look_places):
            (self._jobs.looks.act_brushed if brushed else self._jobs.looks.act_everywhere)(frame)
        self._model.proof.paint(ON_LOOK if brushed else RESTS)

    def stroking(self, points: Points) -> None:
        """A stroke is being painted: show it."""
        frame = self._model.frame
        given = None if frame is None else self._model.state.look_of(frame.id)
        if self._model.proof.painting != ON_LOOK or frame is None or given is None:
            return
        size = (frame.facts.width, frame.facts.height)
        before = given.where.strokes if given.where is not None and given.where.painted_on == size else ()
        where = Place(BRUSHED, strokes=(*before, self.brush.stroke(points)), painted_on=size)
        self._model.try_look(replace(given, where=where), True)

    def stroked(self, points: Points) -> None:
        """A stroke was painted: keep it."""
        if self._model.proof.painting == ON_LOOK and self._bench.frame_id is not None:
            self._jobs.looks.paint(self._bench.frame_id, self.brush.stroke(points))
            self._model.try_look(None)

    def _move(self, strength: float) -> None:
        """A drag is one step, however many moments it has."""
        self._jobs.looks.set_strength(self._bench.frames, strength, self._joins)
        self._joins = True

    def _settle(self, strength: float) -> None:
        self._jobs.looks.set_strength(self._bench.frames, strength, self._joins)
        self._joins = False

    def _take_off(self) -> None:
        self._jobs.looks.take_off(self._bench.frames)
