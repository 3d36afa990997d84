"""Which frames a look is put on, how strongly, and what its numbers are where it does not say so itself."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QWidget

from velkin.app.widgets.look_rows import look_rows
from velkin.app.widgets.parts import Facts, Rule, Slide, Words, labelled
from velkin.app.widgets.sheet import Sheet
from velkin.app.widgets.space_box import SpaceBox
from velkin.app.words import count
from velkin.core.icc.space import Space
from velkin.core.looks.kept import GIVING, STRONGEST, KeptLook
from velkin.core.shoot.state import State
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Alters

_WIDE = 96


class LookSheet(Sheet):
    """Asks what is needed before a look is put on."""

    def __init__(
        self, look: KeptLook, spaces: list[Space], state: State, frame: int, selected: tuple[int, ...], parent: QWidget
    ) -> None:
        super().__init__("Put on a match or a look", parent, width=520)
        self._look = look
        self._has = frozenset(state.given_looks)
        self.subject(look.name)
        rgb = [s for s in spaces if isinstance(s, RGBSpace)]
        self.takes, self.gives = SpaceBox("Numbers that it takes"), SpaceBox("Numbers that it gives")
        if look.asks:
            self.column.addWidget(Words("It does not say what its numbers are; whoever made it knows."))
            for box in (self.takes, self.gives):
                box.offer(list[Space](rgb))
                box.setCurrentIndex(-1)
                box.setPlaceholderText("choose")
                box.picked.connect(lambda _: self._follow())
            self.takes.picked.connect(self._same_both_ways)
            self.column.addWidget(labelled("It takes", self.takes, _WIDE))
            self._gives_row = labelled("It gives", self.gives, _WIDE)
            self._gives_row.setVisible(look.kind in GIVING)
            self.column.addWidget(self._gives_row)
        else:
            facts = Facts(_WIDE)
            facts.show_rows(look_rows(look))
            self.column.addWidget(facts)
        self.frames = QComboBox()
        light = state.light_of(frame)
        choices: list[tuple[str, tuple[int, ...]]] = [(state.frames[frame].name, (frame,))]
        if len(selected) > 1:
            choices.append((f"the {len(selected)} selected frames", selected))
        choices.append((f"all {len(light.frames)} frames of {light.name}", light.frames))
        choices.append((f"all {len(state.frames)} frames of the shoot", tuple(state.order())))
        for words, frames in choices:
            self.frames.addItem(words, frames)
        self.frames.setCurrentIndex(1 if len(selected) > 1 else 0)
        self.frames.currentIndexChanged.connect(lambda _: self._follow())
        self.column.addWidget(labelled("On", self.frames, _WIDE))
        self.strength = Slide("Strength", 0.0, STRONGEST, lambda v: f"{100 * v:.0f} %", 150, _WIDE)
        self.strength.show_value(1.0)
        self.strength.moved.connect(lambda _: self._follow())
        self.strength.settled.connect(lambda _: self._follow())
        self.column.addWidget(self.strength)
        self.column.addWidget(Rule())
        self.words = Words()
        self.words.setWordWrap(True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.words.setMinimumHeight(3 * self.words.fontMetrics().lineSpacing())
        self.column.addWidget(self.words)
        (self.put_on,) = self.offer("Put it on")
        self._follow()

    def _same_both_ways(self, space: Space) -> None:
        if self.gives.space() is None:
            self.gives.choose(space.id)
            self._follow()

    def _follow(self) -> None:
        look = self.look()
        self.put_on.setEnabled(not look.asks)
        if look.asks:
            self.words.setText("Choose what numbers it takes.")
        else:
            chosen = count(len(self.chosen()), "frame")
            has = sum(f in self._has for f in self.chosen())
            instead = f" It takes the place of what {count(has, 'frame')} {'has' if has == 1 else 'have'} on." if has else ""
            cut = f" Colours that {look.takes.name} does not hold are cut off by it." if look.takes is not None else ""
            self.words.setText(f"{chosen}: {look.words(self.strength.value())}; {Alters.BOTH.value}.{cut}{instead}")

    def look(self) -> KeptLook:
        """The look, with what was said of its numbers."""
        takes = self.takes.space()
        if not self._look.asks or not isinstance(takes, RGBSpace):
            return self._look
        gives = self.gives.space() if self._look.kind in GIVING else takes
        return replace(self._look, takes=takes, gives=gives if isinstance(gives, RGBSpace) else takes)

    def chosen(self) -> tuple[int, ...]:
        """The frames that it is put on."""
        found: tuple[int, ...] = tuple(self.frames.currentData())
        return found
