"""The compare room: a frame and any other picture at one zoom and place, and how far they lie apart at the pins."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QVBoxLayout

from velkin.app.context import Context
from velkin.app.flow.readout import PinNumbers
from velkin.app.jobs.comparing import SideBySide, Wish
from velkin.app.model.places import Page, Place
from velkin.app.rooms.room import Room
from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.parts import Bench, Elided, Facts, Figure, button, compact, labelled, row_of, soft
from velkin.app.widgets.pin_table import PinTable
from velkin.app.widgets.viewer import PictureView
from velkin.app.words import localised
from velkin.core.errors import VelkinError
from velkin.core.spaces.pictures import SEEN

_WAYS = (("wipe", "with a line that wipes"), ("side", "side by side"))


class CompareRoom(Room):
    """Takes the place of viewer and bench."""

    page = Page.COMPARE
    file_wanted = pyqtSignal()

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Compare")
        self._other: int | Path | None = None
        self.found: SideBySide | None = None
        self._which = Elided()
        self.head.addWidget(self._which, 1)
        self.add_back()
        self.view = PictureView()
        self.view.setAccessibleName("The frame and the other picture; comma and semicolon move the line between them")
        main = QVBoxLayout()
        main.addWidget(self.view, 1)
        bench = Bench("Compare")
        self.figure = Figure()
        bench.column.addWidget(self.figure)
        self.with_ = compact(QComboBox())
        self.with_.activated.connect(lambda _: self._chosen(self.with_.currentData()))
        bench.column.addWidget(labelled("With", self.with_))
        bench.column.addWidget(
            button("A file…", self.file_wanted.emit, tip="Any picture or raw file, such as one that was handed off")
        )
        self.way = QComboBox()
        for way, words in _WAYS:
            self.way.addItem(words, way)
        self.way.activated.connect(lambda _: self._show_pictures())
        bench.column.addWidget(labelled("Shown", self.way))
        bench.section("How they lie")
        self.align = CheckBox("Lay them on each other")
        self.align.setToolTip("By what they show, whatever their colours; without it the other lies whole in the middle")
        self.align.setChecked(True)
        self.align.clicked.connect(lambda _: self._compare())
        bench.column.addWidget(self.align)
        self.across, self.down = (self._shift(name) for name in ("Moved to the right", "Moved down"))
        bench.column.addWidget(row_of(labelled("Right", self.across, 36), labelled("Down", self.down, 36)))
        self.lies = soft()
        bench.column.addWidget(self.lies)
        bench.section("Apart")
        self.facts = Facts(150)
        bench.column.addWidget(self.facts)
        self.pins = PinTable()
        bench.column.addWidget(self.pins)
        self._no_pins = soft("Pins of the frame (. over its picture) are read in both.")
        bench.column.addWidget(self._no_pins)
        bench.end()
        self._bench = bench
        self.lay_out(main, bench)

    def _shift(self, name: str) -> QDoubleSpinBox:
        field = QDoubleSpinBox()
        field.setRange(-50.0, 50.0)
        field.setDecimals(2)
        field.setSingleStep(0.1)
        field.setSuffix(" %")
        field.setKeyboardTracking(False)
        field.setToolTip(f"{name}, in per cent of the picture")
        field.valueChanged.connect(lambda _: self._compare())
        return field

    def takes(self, frame: int) -> bool:
        """Another frame can be compared with the same."""
        return frame != self._other

    def enter(self, place: Place) -> None:
        """Compare the frame in the viewer with another frame, or a file; with the next one where none is named."""
        frame = self._model.frame
        if frame is None:
            return
        state = self._model.state
        if isinstance(place.about, int | Path):
            self._other = place.about
        others = [f for f in state.order() if f != frame.id]
        if self._other is None or (isinstance(self._other, int) and self._other not in others):
            self._other = others[0] if others else None
        self.with_.clear()
        if isinstance(self._other, Path):
            self.with_.addItem(self._other.name, self._other)
        for each in others:
            self.with_.addItem(state.frames[each].name, each)
        self.with_.setCurrentIndex(max(self.with_.findData(self._other), 0))
        self._compare()

    def left_behind(self) -> None:
        """Nobody waits for the comparison any more."""
        self._jobs.comparing.forget()

    def _chosen(self, other: int | Path) -> None:
        self._other = other
        self._compare()

    def _compare(self) -> None:
        frame = self._model.frame
        if frame is None:
            return
        self._which.setText(frame.name)
        if self._other is None:
            self.figure.show_value("", "There is no other frame; choose a file.")
            return
        self.figure.show_value("", "Comparing …")
        shift = self.across.value() / 100, self.down.value() / 100
        self._jobs.comparing.compare(Wish(frame.id, self._other, self.align.isChecked(), shift), self._compared)

    def _compared(self, found: SideBySide | VelkinError) -> None:
        frame = self._model.frame
        if isinstance(found, VelkinError):
            self._model.report(found)
            self.figure.show_value("", "It cannot be compared; what is shown is the comparison before.")
            return
        if not self.isVisible() or frame is None or found.wish.frame != frame.id or found.wish.other != self._other:
            return
        self.found = found
        c = found.compared
        self.figure.show_value(
            localised(f"ΔE {c.mean:.1f}"), f"mean between {frame.name} and {self._name()}, where both show something"
        )
        self.facts.show_rows(
            [
                ("95th percentile", localised(f"ΔE {c.p95:.1f}")),
                ("Largest", localised(f"ΔE {c.largest:.1f}")),
                (f"More than ΔE {SEEN:.0f}", localised(f"{100 * c.share:.1f} % of it")),
            ]
        )
        words = "Laid on each other by what they show." if found.wish.align else "The other lies whole in the middle."
        self.lies.setText(f"Not laid on each other: {found.not_aligned}." if found.not_aligned else words)
        self._show_pictures()
        self._show_pins()
        self._bench.sentence.setText("Nothing is changed by comparing.")

    def _name(self) -> str:
        if isinstance(self._other, Path):
            return self._other.name
        return self._model.state.frames[self._other].name if self._other in self._model.state.frames else ""

    def _show_pictures(self) -> None:
        frame, found = self._model.frame, self.found
        if found is None or frame is None:
            return
        first, second = found.images
        self.view.set_picture(first, (frame.facts.width, frame.facts.height))
        self.view.set_pins(tuple((p.x, p.y) for p in frame.pins))
        self.view.show_others(str(self.way.currentData()), (second,), (frame.name, self._name()))

    def _show_pins(self) -> None:
        frame, found = self._model.frame, self.found
        assert frame is not None and found is not None
        read = [found.compared.at(p.x, p.y) for p in frame.pins]
        nothing = np.zeros(3)
        both = [r for r in read if r is not None]
        first, second = ([PinNumbers(nothing, r[k].astype(np.float64), nothing) for r in both] for k in (0, 1))
        self.pins.show_change(first, second, "the other", "this")
        self._no_pins.setVisible(not frame.pins)
