"""The intake rules as a table: what a file says of itself, and what happens to it as it arrives."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QGridLayout, QLabel, QWidget

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.widgets.parts import Rule, Words, soft
from velkin.app.widgets.sheet import Sheet
from velkin.app.widgets.space_box import SpaceBox
from velkin.core.tags.rules import ACTION_WORDS, CASES, GIVE, Case, IntakeRules
from velkin.core.tags.rules import Rule as IntakeRule

_MEANS = {
    "keep": "its numbers and its tag stay",
    "convert": "look stays, numbers change",
    "give": "numbers stay, look changes",
    "hold": "it waits in the Held tray",
}


class RulesSheet(Sheet):
    """Edits the rules of the open shoot."""

    def __init__(self, context: Context, parent: QWidget) -> None:
        super().__init__("Intake rules", parent, spacing=12)
        self._rules = context.model.state.rules
        column = self.column
        title = Words("What happens to a file as it arrives")
        title.setFont(theme.font(16, 600))
        column.addWidget(title)
        column.addWidget(
            soft("They hold for files that arrive from now on, pasted pictures too; frames already here stay as they are.")
        )
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(8)
        for place, text in enumerate(("A file that is", "Decision", "Space to assign", "What it does")):
            head = soft(text)
            head.setFont(theme.font(11, 600))
            grid.addWidget(head, 0, place)
        self.decisions: dict[Case, QComboBox] = {}
        self.spaces: dict[Case, SpaceBox] = {}
        self._means: dict[Case, QLabel] = {}
        for row, (case, (words, actions)) in enumerate(CASES.items(), start=1):
            rule = self._rules.of(case)
            box = QComboBox()
            box.setAccessibleName(f"Decision for {words}")
            for action in actions:
                box.addItem(ACTION_WORDS[action], action)
            box.setCurrentIndex(box.findData(rule.action))
            box.currentIndexChanged.connect(self._follow)
            space = SpaceBox(f"Space to assign when {words}")
            space.offer(context.jobs.spaces.of_model("rgb"), rule.space or "srgb")
            space.setMinimumWidth(170)
            means = soft()
            means.setWordWrap(False)
            means.setMinimumWidth(190)
            grid.addWidget(Words(words), row, 0)
            grid.addWidget(box, row, 1)
            grid.addWidget(space, row, 2)
            grid.addWidget(means, row, 3)
            self.decisions[case], self.spaces[case], self._means[case] = box, space, means
        column.addLayout(grid)
        column.addWidget(Rule())
        self._sum = Words()
        self._sum.setWordWrap(True)
        column.addWidget(self._sum)
        _, safe = self.offer("Keep these rules", "Back to the safe ones")
        safe.clicked.connect(lambda _=False: self._show(IntakeRules()))
        self._follow()

    def _show(self, rules: IntakeRules) -> None:
        for case, box in self.decisions.items():
            box.setCurrentIndex(box.findData(rules.of(case).action))

    def rules(self) -> IntakeRules:
        """The rules as they are set."""
        rules = IntakeRules()
        for case, box in self.decisions.items():
            action = box.currentData()
            space = self.spaces[case].space()
            rules = rules.with_rule(case, IntakeRule(action, space.id if action == GIVE and space is not None else ""))
        return rules

    def _follow(self) -> None:
        changing = []
        for case, box in self.decisions.items():
            action = box.currentData()
            self.spaces[case].setEnabled(action == GIVE)
            self._means[case].setText(_MEANS[action])
            if action in ("convert", GIVE):
                changing.append(CASES[case][0])
        if changing:
            self._sum.setText(
                f"Decided without asking: {'; '.join(changing)}. The ledger says so, and every entry can be taken back."
            )
        else:
            self._sum.setText("No number and no look is changed without you: what is tagged is kept, what is not known waits.")
