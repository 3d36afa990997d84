"""Three plain questions for the working space."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from velkin.app import theme
from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.parts import Rule, Words
from velkin.app.widgets.sheet import Sheet
from velkin.core.spaces.rgb import BUILT_IN, RGBSpace


class PurposeSheet(Sheet):
    """Three plain questions; the answer names a working space and says why."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__("Help me choose a working space", parent)
        column = self.column
        self.screens = CheckBox("Is it for screens only, and never for print?")
        self.printer = CheckBox("Will you print it yourself, or have it printed, in wide colour?")
        self.archive = CheckBox("Must it last as an archive master?")
        for box in (self.screens, self.printer, self.archive):
            box.toggled.connect(lambda _: self._follow())
            column.addWidget(box)
        column.addWidget(Rule())
        self.answer = Words()
        self.answer.setFont(theme.font(20, 600))
        column.addWidget(self.answer)
        self.why = Words()
        self.why.setWordWrap(True)
        self.why.setMinimumWidth(420)
        column.addWidget(self.why)
        self.offer("Work in this space")
        self._follow()

    def _follow(self) -> None:
        space, why = suited(self.screens.isChecked(), self.printer.isChecked(), self.archive.isChecked())
        self._space = space
        self.answer.setText(space.name)
        self.why.setText(why)

    def space(self) -> RGBSpace:
        """The space that suits."""
        return self._space


def suited(screens: bool, printer: bool, archive: bool) -> tuple[RGBSpace, str]:
    """The working space for a purpose, and why."""
    if archive or (printer and not screens):
        keeps = (
            "An archive must not lose what the camera saw"
            if archive
            else "Inks reach colours that no common screen space holds"
        )
        return BUILT_IN["romm"], f"{keeps}. Work in 16 bits; each hand-off converts to what its receiver can show."
    if screens and printer:
        return BUILT_IN["oprgb"], "Wide enough for most prints, and not so wide that 8-bit files show steps."
    if screens:
        return BUILT_IN[
            "p3"
        ], "As wide as good screens show, nothing wider to be lost on the way; the web still gets sRGB at the hand-off."
    return BUILT_IN["romm"], "Nothing is decided yet: the widest loses nothing, and every hand-off converts to its own space."
