"""Variants of a profile: reach of the balance, channel exchange or mixer, softened, monochrome; seen before it is kept."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QLineEdit,
    QSlider,
    QWidget,
)

from velkin.app import theme
from velkin.app.widgets.parts import Heading, Rule, Words, button, labelled, row_of, soft
from velkin.app.widgets.sheet import Sheet
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.cameraprofiles.variants import IDENTITY, MIXERS, Variant, reach_for
from velkin.core.errors import FitRefused

_MIDDLE = 5000.0  # kelvin, where a shifted reach puts the balance it is shifted for


class VariantSheet(Sheet):
    """Asks how a variant departs, and leaves the profile."""

    def __init__(self, profile: CameraProfile, balance: tuple[float, ...] | None, parent: QWidget) -> None:
        super().__init__("Variant of a profile", parent, spacing=8, width=460)
        self._profile = profile
        self._balance = balance
        self.variant: CameraProfile | None = None
        column = self.column
        self.subject(profile.name)
        column.addWidget(Heading("Channels"))
        self.mixer = QComboBox()
        for name in MIXERS:
            self.mixer.addItem("as they are" if name == "none" else name, name)
        self.mixer.addItem("a mixer of one's own", "own")
        self.mixer.currentIndexChanged.connect(self._mixer_chosen)
        column.addWidget(labelled("Camera's", self.mixer, 92))
        self._cells = [[self._cell(r, c) for c in range(3)] for r in range(3)]
        self._grid = QWidget()
        grid = QGridLayout(self._grid)
        grid.setContentsMargins(92, 0, 0, 0)
        for c, name in enumerate(("red", "green", "blue")):
            grid.addWidget(soft(f"from {name}"), 0, c + 1)
        for r, name in enumerate(("Red", "Green", "Blue")):
            grid.addWidget(soft(name), r + 1, 0)
            for c in range(3):
                grid.addWidget(self._cells[r][c], r + 1, c + 1)
        column.addWidget(self._grid)
        column.addWidget(Rule())
        column.addWidget(Heading("Colour"))
        self.saturation = QSlider(Qt.Orientation.Horizontal)
        self.saturation.setRange(0, 100)
        self.saturation.setValue(round(100 * profile.variant.saturation))
        self.saturation.setToolTip("100: as fitted; below, softer; 0: monochrome. Lightness stays.")
        self._saturation_words = soft()
        self.saturation.valueChanged.connect(self._follow)
        column.addWidget(labelled("Saturation", self.saturation, 92))
        column.addWidget(self._saturation_words)
        column.addWidget(Rule())
        column.addWidget(Heading("Reach of the balance"))
        self.reach = QCheckBox("Shift it so that this frame's balance sits mid-scale")
        self.reach.setEnabled(balance is not None)
        self.reach.toggled.connect(self._follow)
        column.addWidget(self.reach)
        self._reach_words = soft()
        column.addWidget(self._reach_words)
        column.addWidget(Rule())
        self.name = QLineEdit()
        self._named = False
        self.name.textEdited.connect(lambda _: setattr(self, "_named", True))
        column.addWidget(labelled("Name", self.name, 92))
        self.summary = Words()
        self.summary.setWordWrap(True)
        self.summary.setFont(theme.font(13, 600))
        column.addWidget(self.summary)
        self.make = button("Keep and give it to the selected frames", self._accept, primary=True)
        column.addWidget(row_of(button("Cancel", self.reject), self.make))
        now = next((n for n, m in MIXERS.items() if m == profile.variant.mixer), "own")
        self._set_cells(profile.variant.mixer)
        self.mixer.setCurrentIndex(self.mixer.findData(now))
        self._mixer_chosen()

    def _cell(self, row: int, column: int) -> QDoubleSpinBox:
        cell = QDoubleSpinBox()
        cell.setRange(-3.0, 3.0)
        cell.setSingleStep(0.05)
        cell.setDecimals(2)
        names = ("red", "green", "blue")
        cell.setAccessibleName(f"New {names[row]} from {names[column]}")
        cell.valueChanged.connect(self._follow)
        return cell

    def _set_cells(self, mixer: tuple[tuple[float, ...], ...]) -> None:
        for row, values in zip(self._cells, mixer, strict=True):
            for cell, value in zip(row, values, strict=True):
                cell.blockSignals(True)
                cell.setValue(value)
                cell.blockSignals(False)

    def _mixer_chosen(self) -> None:
        chosen = str(self.mixer.currentData())
        if chosen != "own":
            self._set_cells(MIXERS[chosen])
        self._grid.setVisible(chosen == "own")
        self._follow()
        self.adjustSize()

    def _asked(self) -> Variant:
        rows = tuple(tuple(c.value() for c in row) for row in self._cells)
        reach = self._profile.variant.reach
        if self.reach.isChecked() and self._balance is not None:
            plain = replace(self._profile, variant=Variant()).matrices()
            reach = reach_for(np.array(self._balance), plain.balance_at(_MIDDLE, 0.0))
        return Variant(rows if rows != IDENTITY else IDENTITY, self.saturation.value() / 100, reach)

    def _follow(self) -> None:
        if not hasattr(self, "make"):
            return
        value = self.saturation.value()
        self._saturation_words.setText(
            "as fitted" if value == 100 else "monochrome" if value == 0 else f"{value} % of the fit's colour"
        )
        if self._balance is not None:
            kelvin = self._profile.matrices().temperature(np.array(self._balance))[0]
            self._reach_words.setText(
                f"This frame's balance reads as {kelvin:.0f} K; shifted, it reads as {_MIDDLE:.0f} K, with room on both sides."
                if kelvin < 90000
                else f"This frame's balance lies beyond the scale; shifted, it reads as {_MIDDLE:.0f} K, with room on both sides."
            )
        else:
            self._reach_words.setText("Choose a frame whose balance is set, such as one made neutral on leaves.")
        try:
            variant = self._asked()
        except FitRefused as error:
            self.summary.setText(f"{error}.")
            self.make.setEnabled(False)
            return
        words = variant.words()
        if not self._named:
            self.name.setText(f"{self._profile.name}, {words}" if words else self._profile.name)
            self.name.setCursorPosition(0)
        self.summary.setText(
            f"{words[0].upper()}{words[1:]}. A DNG profile can carry all of it." if words else "Nothing departs from the fit."
        )
        self.make.setEnabled(bool(words))

    def _accept(self) -> None:
        self.variant = replace(self._profile, variant=self._asked(), name=self.name.text().strip() or self._profile.name)
        self.accept()
