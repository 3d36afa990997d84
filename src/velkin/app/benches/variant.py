"""A variant of a profile: reach of the balance, channel exchange or mixer, softened, monochrome; seen while it is made."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QGridLayout, QLineEdit, QSlider, QWidget

from velkin.app import theme
from velkin.app.benches.aside import Aside
from velkin.app.context import Context
from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.parts import Words, button, labelled, soft
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.cameraprofiles.variants import IDENTITY, MIXERS, Variant, reach_for
from velkin.core.errors import FitRefused
from velkin.core.files.camera_names import is_shot_with

_MIDDLE = 5000.0  # kelvin, where a shifted reach puts the balance it is shifted for


class VariantBench(Aside):
    """Asks how a variant departs from a profile, and shows the picture with it meanwhile."""

    stop = "camera"

    kept = pyqtSignal(object, object)  # CameraProfile, the frames that it is for

    def __init__(self, context: Context, profile: CameraProfile) -> None:
        super().__init__(context, "Variant of a profile")
        self._profile = profile
        self._balance: tuple[float, ...] | None = None
        self._named = False
        subject = Words(profile.name)
        subject.setFont(theme.font(13, 700))
        subject.setWordWrap(True)
        self.column.addWidget(subject)
        self._build_channels()
        self._build_colour()
        self._build_reach()
        self.end()
        self.name = QLineEdit()
        self.name.textEdited.connect(self._typed)
        self.foot.insertWidget(0, labelled("Name", self.name, 60))
        self.keep = button("Keep and give it to the selected frames", self._keep, primary=True)
        self.foot.addWidget(self.keep)
        self.foot.addWidget(button("Cancel   Esc", self.give_up))
        now = next((n for n, m in MIXERS.items() if m == profile.variant.mixer), "own")
        self._set_cells(profile.variant.mixer)
        self.mixer.setCurrentIndex(self.mixer.findData(now))
        self._grid.setVisible(now == "own")

    def _build_channels(self) -> None:
        self.section("Channels")
        self.mixer = QComboBox()
        for name in MIXERS:
            self.mixer.addItem("as they are" if name == "none" else name, name)
        self.mixer.addItem("a mixer of one's own", "own")
        self.mixer.activated.connect(lambda _: self._mixer_chosen())
        self.column.addWidget(labelled("Camera's", self.mixer))
        self._cells = [[self._cell(r, c) for c in range(3)] for r in range(3)]
        self._grid = QWidget()
        grid = QGridLayout(self._grid)
        grid.setContentsMargins(0, 0, 0, 0)
        for c, name in enumerate(("red", "green", "blue")):
            grid.addWidget(soft(f"from {name}"), 0, c + 1)
        for r, name in enumerate(("Red", "Green", "Blue")):
            grid.addWidget(soft(name), r + 1, 0)
            for c in range(3):
                grid.addWidget(self._cells[r][c], r + 1, c + 1)
        self.column.addWidget(self._grid)

    def _build_colour(self) -> None:
        self.section("Colour")
        self.saturation = QSlider(Qt.Orientation.Horizontal)
        self.saturation.setRange(0, 100)
        self.saturation.setValue(round(100 * self._profile.variant.saturation))
        self.saturation.setToolTip("100: as fitted; below, softer; 0: monochrome. Lightness stays.")
        self.saturation.valueChanged.connect(lambda _: self._follow())
        self.column.addWidget(labelled("Saturation", self.saturation))
        self._saturation_words = soft()
        self.column.addWidget(self._saturation_words)

    def _build_reach(self) -> None:
        self.section("Reach of the balance")
        self.reach = CheckBox("Shift it so that this frame's\nbalance sits mid-scale")
        self.reach.toggled.connect(lambda _: self._follow())
        self.column.addWidget(self.reach)
        self._reach_words = soft()
        self.column.addWidget(self._reach_words)

    def _cell(self, row: int, column: int) -> QDoubleSpinBox:
        cell = QDoubleSpinBox()
        cell.setRange(-3.0, 3.0)
        cell.setSingleStep(0.05)
        cell.setDecimals(2)
        names = ("red", "green", "blue")
        cell.setAccessibleName(f"New {names[row]} from {names[column]}")
        cell.valueChanged.connect(lambda _: self._follow())
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

    def _typed(self) -> None:
        self._named = True

    def asked(self) -> Variant:
        """How it is to depart.

        Raises
        ------
        FitRefused
            When a row of the mixer does not sum to 1.
        """
        rows = tuple(tuple(c.value() for c in row) for row in self._cells)
        reach = self._profile.variant.reach
        if self.reach.isChecked() and self._balance is not None:
            plain = replace(self._profile, variant=Variant()).matrices()
            reach = reach_for(np.array(self._balance), plain.balance_at(_MIDDLE, 0.0))
        return Variant(rows if rows != IDENTITY else IDENTITY, self.saturation.value() / 100, reach)

    # ---- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """The frame at hand is another, or is given another balance."""
        frame = self._model.raw_frame
        path = None if frame is None else self._model.state.path(frame.id)
        self._balance = None if path is None else tuple(float(v) for v in path.camera.balance)
        self.reach.setEnabled(self._balance is not None)
        self._follow()

    def _follow(self) -> None:
        value = self.saturation.value()
        self._saturation_words.setText(
            "as fitted" if value == 100 else "monochrome" if value == 0 else f"{value} % of the fit's colour"
        )
        self._reach_words.setText(self._reach_says())
        try:
            variant = self.asked()
        except FitRefused as error:
            self.sentence.setText(f"{error}.")
            self._show(None)
            return
        words = variant.words()
        if not self._named:
            self.name.setText(f"{self._profile.name}, {words}" if words else self._profile.name)
            self.name.setCursorPosition(0)
        self.sentence.setText(
            f"{words[0].upper()}{words[1:]}. A DNG profile can carry all of it." if words else "Nothing departs from the fit."
        )
        self._show(
            replace(self._profile, variant=variant, name=self.name.text().strip() or self._profile.name) if words else None
        )

    def _reach_says(self) -> str:
        if self._balance is None:
            return "Choose a raw frame whose balance is set, such as one made neutral on leaves."
        kelvin = self._profile.matrices().temperature(np.array(self._balance))[0]
        now = f"reads as {kelvin:.0f} K" if kelvin < 90000 else "lies beyond the scale"
        return f"This frame's balance {now}; shifted, it reads as {_MIDDLE:.0f} K, with room on both sides."

    def _show(self, variant: CameraProfile | None) -> None:
        """Show the frame with a variant, where the profile is for its camera."""
        self.keep.setEnabled(variant is not None)
        frame = self._model.raw_frame
        if variant is None or frame is None or (self._profile.camera and not is_shot_with(frame.facts, self._profile.camera)):
            self._model.try_entries(())
        elif self.isVisible():
            self._model.try_profile(variant)

    # ---- ending -----------------------------------------------------------------------------------------------

    def unsaved(self) -> str:
        """The variant, where one is set."""
        return "The variant" if self.keep.isEnabled() or self._named else ""

    def _keep(self) -> None:
        made = replace(self._profile, variant=self.asked(), name=self.name.text().strip() or self._profile.name)
        self.end_it()
        self.kept.emit(made, self._model.selected)
