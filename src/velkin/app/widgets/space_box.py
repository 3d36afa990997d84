"""Choosing one space from a list, with what labs may call it."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox

from velkin.app.widgets.parts import compact
from velkin.core.icc.space import ICCSpace, Space
from velkin.core.spaces.rgb import RGBSpace


def space_label(space: Space) -> str:
    """A space where it is chosen."""
    if isinstance(space, ICCSpace) and space.model != "rgb":
        return f"{space.name}   ({'gray' if space.model == 'gray' else space.model.upper()})"
    return space.name


def second_line(space: Space | None) -> str:
    """What labs and other files may call a space; empty where there is no other name."""
    if isinstance(space, RGBSpace) and space.trade_name:
        return f"labs call it {space.trade_name}"
    return ""


class SpaceBox(QComboBox):
    """Chooses one space."""

    picked = pyqtSignal(object)  # Space

    def __init__(self, name: str) -> None:
        super().__init__()
        compact(self)
        self.setAccessibleName(name)
        self._spaces: dict[str, Space] = {}
        self.activated.connect(lambda _: self.picked.emit(self.space()))

    def offer(self, spaces: list[Space], chosen: str = "") -> None:
        """Fill the list; what was chosen stays where it is still there."""
        keep = chosen or (self.currentData() or "")
        if [s.id for s in spaces] != list(self._spaces):
            self._spaces = {s.id: s for s in spaces}
            self.blockSignals(True)
            self.clear()
            for space in spaces:
                self.addItem(space_label(space), space.id)
                self.setItemData(self.count() - 1, second_line(space), Qt.ItemDataRole.ToolTipRole)
            self.blockSignals(False)
        index = self.findData(keep)
        if index >= 0:
            self.setCurrentIndex(index)

    def space(self) -> Space | None:
        """The chosen space."""
        return self._spaces.get(str(self.currentData()))

    def choose(self, identifier: str) -> None:
        """Choose a space by its id."""
        index = self.findData(identifier)
        if index >= 0:
            self.setCurrentIndex(index)
