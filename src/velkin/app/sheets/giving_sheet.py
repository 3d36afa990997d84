"""Giving to other frames: what goes to whom, said before it is done."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QWidget

from velkin.app import theme
from velkin.app.model.shoot_model import ShootModel
from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.parts import Heading, Rule, Words, button, labelled, row_of, soft
from velkin.app.widgets.sheet import Sheet
from velkin.app.words import count
from velkin.core.shoot.giving import Giving, GivingPlan, plan_giving


class GivingSheet(Sheet):
    """Asks what to give, shows the summary, and leaves a plan."""

    def __init__(self, model: ShootModel, parent: QWidget) -> None:
        super().__init__("Give to other frames", parent, spacing=8, width=440)
        assert model.frame is not None
        self._model = model
        self._source = model.frame.id
        self.plan: GivingPlan | None = None
        column = self.column
        state = model.state
        light = state.light_of(self._source)
        column.addWidget(Heading(f"From {model.frame.name} to"))
        self.to = QComboBox()
        self.to.setAccessibleName("To which frames")
        self.to.addItem(f"the {count(len(light.frames), 'frame')} of {light.name}", tuple(light.frames))
        if len(model.selected) > 1:
            self.to.addItem(f"the {len(model.selected)} selected frames", model.selected)
            if set(model.selected) != set(light.frames):
                self.to.setCurrentIndex(1)
        if len(state.lights) > 1:
            self.to.addItem(f"all {len(state.frames)} frames of the shoot", tuple(state.order()))
        column.addWidget(self.to)
        column.addWidget(Rule())
        column.addWidget(Heading("What"))
        name = "the built-in profile" if model.frame.profile is None else state.profiles[model.frame.profile].name
        self.profile = CheckBox(f"Profile: {name}")
        self.balance = CheckBox(f"White balance: {state.path(self._source).camera.balance_from}")
        self.profile.setChecked(True)
        self.balance.setChecked(True)
        self.exposure = QComboBox()
        self.exposure.addItem("each frame keeps its own", "")
        self.exposure.addItem(f"this frame's, {model.frame.exposure:+.2f} EV".replace("-", "−"), "frame")
        if model.frame.profile is not None:
            self.exposure.addItem("the chart's: its greys get their own lightness", "chart")
        column.addWidget(self.profile)
        column.addWidget(self.balance)
        column.addWidget(labelled("Exposure", self.exposure, 76))
        column.addWidget(Rule())
        self.spare = CheckBox("Frames with a profile of their own keep it")
        self.newcomers = CheckBox("Frames that arrive later in this light get it too")
        self.newcomers.setChecked(light.given is not None)
        column.addWidget(self.spare)
        column.addWidget(self.newcomers)
        column.addWidget(Rule())
        self.summary = Words()
        self.summary.setFont(theme.font(13, 600))
        self.summary.setWordWrap(True)
        self.reasons = soft()
        column.addWidget(self.summary)
        column.addWidget(self.reasons)
        self.give_button = button("Give", self.accept, primary=True)
        column.addWidget(row_of(button("Cancel", self.reject), self.give_button))
        for box in (self.to, self.exposure):
            box.currentIndexChanged.connect(self._follow)
        for tick in (self.profile, self.balance, self.spare, self.newcomers):
            tick.toggled.connect(self._follow)
        self._follow()

    def _follow(self) -> None:
        giving = Giving(
            self.profile.isChecked(),
            self.balance.isChecked(),
            str(self.exposure.currentData()),
            self.spare.isChecked(),
            self.newcomers.isChecked(),
        )
        light = self._model.state.light_of(self._source)
        frames = tuple(self.to.currentData())
        whole = set(frames) >= set(light.frames)
        something = giving.profile or giving.balance or bool(giving.exposure)
        self.newcomers.setEnabled(whole)
        self.spare.setEnabled(giving.profile)
        self.plan = plan_giving(self._model.state, self._source, frames, giving, light=light.id if whole else None)
        changes = bool(self.plan.changes) or (whole and self.plan.for_newcomers != light.given)
        self.give_button.setEnabled(something and changes)
        self.summary.setText(self.plan.summary() if something else "Nothing is ticked.")
        self.reasons.setText("\n".join(self.plan.reasons()))
        self.reasons.setVisible(bool(self.plan.kept))
