"""Buttons that stay down, ticks and choices that a screen reader can use like a hand.

A client of the accessibility bus toggles a button where a hand clicks it, and Qt tells the two by different signals. These send `clicked`,
and that of their group, for both, and for nothing that the program sets itself.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QAbstractButton, QCheckBox, QPushButton, QRadioButton

if TYPE_CHECKING:
    _Base = QAbstractButton
else:
    _Base = object


class Checkable(_Base):
    """Mixed into a kind of button; its `__init__` ends with `be_reachable`."""

    _by_itself = 0

    def be_reachable(self) -> None:
        """Tell from now on what is toggled from outside."""
        self.setCheckable(True)
        self.toggled.connect(self._toggled)

    def setChecked(self, on: bool) -> None:
        self._by_itself += 1
        super().setChecked(on)
        self._by_itself -= 1

    def nextCheckState(self) -> None:
        self._by_itself += 1  # a click, which Qt tells itself
        super().nextCheckState()
        self._by_itself -= 1

    def _toggled(self, on: bool) -> None:
        group = self.group()
        one_of_several = (group is not None and group.exclusive()) or self.autoExclusive()
        if self._by_itself or (one_of_several and not on):  # what gives way to another was not toggled itself
            return
        self.clicked.emit(on)
        if group is not None:
            group.idClicked.emit(group.id(self))


class CheckBox(Checkable, QCheckBox):
    """A tick."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self.be_reachable()


class RadioButton(Checkable, QRadioButton):
    """A choice of several."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self.be_reachable()


class ToggleButton(Checkable, QPushButton):
    """A push button that stays down."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self.be_reachable()
