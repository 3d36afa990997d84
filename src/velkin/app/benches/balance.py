"""White balance on the Camera bench: as shot, from the chart, from a card, picked, or temperature and tint."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QButtonGroup, QComboBox, QDoubleSpinBox, QHBoxLayout, QSlider, QSpinBox, QVBoxLayout, QWidget

from velkin.app.context import Context
from velkin.app.widgets.checkable import ToggleButton
from velkin.app.widgets.parts import Bench, Slide, button, compact, labelled, row_of, soft
from velkin.app.words import signed
from velkin.core.cameraprofiles.leaning import DUV, MIRED, MOST, NEUTRAL, Lean
from velkin.core.shoot.frame import Frame, Role
from velkin.core.shoot.whites import white_of
from velkin.core.whitebalance import COOLEST, WARMEST

_STEPS = 1000
_TINT = 60.0  # thousandths of Duv, on both sides
_SIZES = (5, 15, 31, 61)


class BalanceSection(QWidget):
    """Shows the balance of the frame in the viewer; what is chosen goes to the selected frames."""

    def __init__(self, context: Context, bench: Bench) -> None:
        super().__init__()
        self._jobs = context.jobs
        self._model = context.model
        self._bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self._ways())
        self.kelvin = QSpinBox()
        self.kelvin.setRange(int(WARMEST), int(COOLEST))
        self.kelvin.setSuffix(" K")
        self.kelvin.setSingleStep(50)
        self.kelvin.setAccessibleName("Temperature in kelvin")
        self.tint = QDoubleSpinBox()
        self.tint.setRange(-_TINT, _TINT)
        self.tint.setDecimals(1)
        self.tint.setSingleStep(0.5)
        self.tint.setAccessibleName("Tint: Duv in thousandths")
        self.tint.setToolTip("Duv in thousandths: above 0 the light is taken for greenish, below for pinkish")
        self.kelvin_slider, self.tint_slider = QSlider(Qt.Orientation.Horizontal), QSlider(Qt.Orientation.Horizontal)
        self.kelvin_slider.setRange(0, _STEPS)
        self.tint_slider.setRange(int(-10 * _TINT), int(10 * _TINT))
        for slider, field, name in (
            (self.kelvin_slider, self.kelvin, "Temperature"),
            (self.tint_slider, self.tint, "Tint"),
        ):
            field.setKeyboardTracking(False)
            field.setFixedWidth(92)
            slider.setAccessibleName(f"{name}, to drag")
            holder = QWidget()
            row = QHBoxLayout(holder)
            row.setContentsMargins(0, 0, 0, 0)
            row.setSpacing(8)
            row.addWidget(slider, 1)
            row.addWidget(field)
            column.addWidget(labelled(name, holder, 76))
        self.words = soft()
        column.addWidget(self.words)
        self.kelvin.valueChanged.connect(lambda _: self._typed(False))
        self.tint.valueChanged.connect(lambda _: self._typed(False))
        self.kelvin_slider.valueChanged.connect(self._dragged)
        self.tint_slider.valueChanged.connect(self._dragged)
        for slider in (self.kelvin_slider, self.tint_slider):
            slider.sliderReleased.connect(self._drag_over)
        self._joins = self._leans = False
        column.addWidget(self._steps())

    def _steps(self) -> QWidget:
        """Warmer and cooler, pinker and greener, in steps from the neutral."""
        self.warmer = Slide("Warmer", -MOST, MOST, _steps_in_words, 2 * MOST)
        self.pinker = Slide("Pinker", -MOST, MOST, _steps_in_words, 2 * MOST)
        self.warmer.setToolTip(f"Steps of {MIRED:.0f} mired from the neutral; to the left cooler (W, C)")
        self.pinker.setToolTip(f"Steps of {1000 * DUV:.0f} thousandths of Duv from the neutral; to the left greener")
        for slide in (self.warmer, self.pinker):
            slide.slider.setPageStep(1)
            slide.moved.connect(lambda _: self._leaned(True))
            slide.settled.connect(lambda _: self._leaned(False))
        self.neutral = button(
            "Back to the neutral   0", self._back, tip="As neutral as it was measured; the steps are forgotten"
        )
        holder = QWidget()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for widget in (self.warmer, self.pinker, self.neutral):
            column.addWidget(widget)
        return holder

    def _ways(self) -> QWidget:
        self._group = QButtonGroup(self)
        self.as_shot, self.chart, self.card = ToggleButton("As shot"), ToggleButton("Chart"), ToggleButton("Card")
        self.pick = ToggleButton("Pick   N")
        tips = (
            (self.as_shot, "as shot", "The camera's own white balance"),
            (self.chart, "chart", "The chart's whole grey row in this light, from highlights to shadows"),
            (self.card, "card", "This light's frame of a neutral card"),
            (self.pick, "picked", "Click what was neutral in front of the lens (N)"),
        )
        for index, (way, _, tip) in enumerate(tips):
            way.setToolTip(tip)
            way.setProperty("narrow", True)
            self._group.addButton(way, index)
        self._sources = [source for _, source, _ in tips]
        self._group.idClicked.connect(lambda index: self._chosen(self._sources[index]))
        self.area = compact(QComboBox())
        for side in _SIZES:
            self.area.addItem(f"{side} × {side} px", side)
        self.area.setCurrentIndex(1)
        self.area.activated.connect(lambda _: self._model.pick_by(float(self.area.currentData())))
        self.area.setToolTip("The area that a pick measures")
        holder = QWidget()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(row_of(self.as_shot, self.chart, self.card, self.pick))
        column.addWidget(labelled("Picked area", self.area, 76))
        return holder

    # ---- showing ----------------------------------------------------------------------------------------------

    def show_frame(self, frame: Frame | None) -> None:
        """Follow the frame in the viewer."""
        self.setEnabled(frame is not None)
        if frame is None:
            self.words.setText("")
            return
        state = self._model.state
        camera = state.path(frame.id).camera
        kelvin, duv = state.matrices_of(frame.id).temperature(np.array(camera.balance))
        for widget in (self.kelvin, self.tint, self.kelvin_slider, self.tint_slider):
            widget.blockSignals(True)
        self.kelvin.setValue(round(kelvin))
        self.tint.setValue(1000 * duv)
        if not self.kelvin_slider.isSliderDown():
            self.kelvin_slider.setValue(_place_of(kelvin))
        if not self.tint_slider.isSliderDown():
            self.tint_slider.setValue(round(10000 * duv))
        for widget in (self.kelvin, self.tint, self.kelvin_slider, self.tint_slider):
            widget.blockSignals(False)
        self._group.setExclusive(False)
        for index, source in enumerate(self._sources):
            way = self._group.button(index)
            assert way is not None
            way.setChecked(frame.balance_from == source)
        self._group.setExclusive(True)
        self.chart.setEnabled(self._chart_balance(frame) is not None)
        self.card.setEnabled(self._card(frame) is not None)
        numbers = "   ".join(f"{v:.3f}" for v in camera.balance)
        self.warmer.show_value(frame.lean.warmer)
        self.pinker.show_value(frame.lean.pinker)
        self.neutral.setEnabled(any(state.frames[f].lean for f in self._bench.frames))
        self.words.setText(f"{camera.balance_from}: R, G, B × {numbers}; Duv {signed(duv, 4)}")

    def _chart_balance(self, frame: Frame) -> tuple[float, ...] | None:
        """The chart's balance in this light: of the frame's profile, the light's, or the reading."""
        state = self._model.state
        light = state.light_of(frame.id)
        profile = frame.profile if frame.profile is not None else light.profile
        if profile is not None and (known := state.profiles[profile].balance) is not None:
            return known
        white = white_of(state, light.id)
        return white.balance if white is not None and white.frame in state.readings else None

    def _card(self, frame: Frame) -> int | None:
        """The neutral frame of this light."""
        state = self._model.state
        if frame.role is Role.NEUTRAL:
            return frame.id
        return next((f for f in state.light_of(frame.id).frames if state.frames[f].role is Role.NEUTRAL), None)

    def _shown(self) -> Frame | None:
        """The raw frame that the bench shows."""
        number = self._bench.frame_id
        frame = self._model.state.frames.get(number) if self._model.shoot is not None and number is not None else None
        return frame if frame is not None and frame.is_raw else None

    # ---- doing ------------------------------------------------------------------------------------------------

    def _chosen(self, source: str) -> None:
        frame = self._shown()
        if frame is None:
            return
        chosen = self._bench.frames
        if source == "as shot":
            self._jobs.camera.set_as_shot(chosen)
        elif source == "chart":
            balance = self._chart_balance(frame)
            if balance is not None:
                self._jobs.camera.set_balance(chosen, balance, "chart")
        elif source == "card":
            card = self._card(frame)
            neutral = self._model.state.frames[card].neutral if card is not None else None
            if neutral is not None:
                self._jobs.camera.set_balance(chosen, neutral, "card")
            elif card is not None:
                self._jobs.camera.measure_card(card, chosen)
        else:
            self._model.pick("" if self._model.picking == "neutral" else "neutral")
        self.show_frame(self._shown())

    def _leaned(self, drags: bool) -> None:
        """The steps that the sliders stand at go to the selected frames; the moments of one drag are one step of undo."""
        frame = self._shown()
        lean = Lean(round(self.warmer.value()), round(self.pinker.value()))
        if frame is not None and frame.lean != lean:
            self._jobs.camera.lean_to(self._bench.frames, lean, self._leans and drags)
        self._leans = drags

    def _back(self) -> None:
        self._jobs.camera.lean_to(self._bench.frames, NEUTRAL)

    def _drag_over(self) -> None:
        self._joins = False

    def _dragged(self) -> None:
        sender = self.sender()
        if sender is self.kelvin_slider:
            self.kelvin.blockSignals(True)
            self.kelvin.setValue(round(_kelvin_at(self.kelvin_slider.value())))
            self.kelvin.blockSignals(False)
        else:
            self.tint.blockSignals(True)
            self.tint.setValue(self.tint_slider.value() / 10)
            self.tint.blockSignals(False)
        # the moments of one drag are one step; a key on the slider is a step of its own
        down = self.kelvin_slider.isSliderDown() or self.tint_slider.isSliderDown()
        self._typed(self._joins and down)
        self._joins = down

    def _typed(self, joins: bool) -> None:
        frames, frame = self._bench.frames, self._shown()
        if frame is None:
            return
        balance = self._model.state.matrices_of(frame.id).balance_at(float(self.kelvin.value()), self.tint.value() / 1000)
        numbers = (float(balance[0]), 1.0, float(balance[2]))
        self._jobs.camera.type_balance(frames, numbers, joins)


def _place_of(kelvin: float) -> int:
    """Where a temperature lies on the slider: even in reciprocal temperature, which is even to the eye."""
    share = (1 / WARMEST - 1 / min(max(kelvin, WARMEST), COOLEST)) / (1 / WARMEST - 1 / COOLEST)
    return round(_STEPS * share)


def _kelvin_at(place: int) -> float:
    return 1 / (1 / WARMEST - place / _STEPS * (1 / WARMEST - 1 / COOLEST))


def _steps_in_words(value: float) -> str:
    return signed(round(value), 0) if round(value) else "neutral"
