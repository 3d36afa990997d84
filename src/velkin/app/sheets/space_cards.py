"""A card for each space: what it is for, what it costs, how large it is, and how much of this shoot falls outside it."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.widgets.parts import Rule, Words, soft
from velkin.app.widgets.sheet import Sheet
from velkin.app.widgets.space_box import second_line
from velkin.app.words import share
from velkin.core.shoot.outside import ShootOutside
from velkin.core.spaces.purposes import COSTS, PURPOSES
from velkin.core.spaces.rgb import SRGB, RGBSpace, family_of
from velkin.core.spaces.volume import lab_volume


class SpaceCards(Sheet):
    """All RGB spaces compared; the selected one becomes the working space."""

    def __init__(self, context: Context, parent: QWidget) -> None:
        super().__init__("Compare spaces", parent)
        self._model = context.model
        self.resize(720, 460)
        working = self._model.state.working
        found = [s for s in context.jobs.spaces.of_model("rgb") if isinstance(s, RGBSpace)]
        self.spaces = [*found, *([] if working.id in {s.id for s in found} else [working])]
        column = self.column
        self.table = QTableWidget(len(self.spaces), 4)
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalHeaderLabels(["Space", "Volume, × sRGB", "Out of gamut, % of the shoot", "Most in"])
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setFrameShape(QTableWidget.Shape.NoFrame)
        self.table.setShowGrid(False)
        rows, head = self.table.verticalHeader(), self.table.horizontalHeader()
        assert rows is not None and head is not None
        rows.hide()
        rows.setDefaultSectionSize(22)
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for place, side in enumerate(("Left", "Right", "Right", "Left")):
            item = self.table.horizontalHeaderItem(place)
            assert item is not None
            item.setTextAlignment(getattr(Qt.AlignmentFlag, f"Align{side}") | Qt.AlignmentFlag.AlignVCenter)
        self.table.setAccessibleName("Spaces")
        for row, space in enumerate(self.spaces):
            here = "   (working space now)" if space.id == working.id else ""
            self._set(row, 0, space.name + here)
            self._set(row, 1, f"{lab_volume(space) / lab_volume(SRGB):.2f}", True)
            self._set(row, 2, "measuring", True)
        self.table.itemSelectionChanged.connect(self._follow)
        column.addWidget(self.table, 1)
        column.addWidget(Rule())
        self._name = Words()
        self._name.setFont(theme.font(20, 600))
        column.addWidget(self._name)
        self._why = Words()
        self._why.setWordWrap(True)
        column.addWidget(self._why)
        self._costs = soft()
        column.addWidget(self._costs)
        self.offer("Work in this space")
        self.table.selectRow(next(r for r, s in enumerate(self.spaces) if s.id == working.id))
        context.jobs.colour.measure_shoot(tuple(self.spaces), self._measured)

    def _set(self, row: int, column: int, text: str, right: bool = False) -> None:
        item = QTableWidgetItem(text)
        if right:
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.table.setItem(row, column, item)

    def _measured(self, found: list[ShootOutside]) -> None:
        for row, outside in enumerate(found):
            self._set(row, 2, share(outside.share), True)
            worst = f"{outside.worst} ({share(outside.worst_share)} %)" if outside.worst_share >= 0.0005 else "none"
            self._set(row, 3, worst)

    def space(self) -> RGBSpace:
        """The chosen space."""
        return self.spaces[max(self.table.currentRow(), 0)]

    def _follow(self) -> None:
        space = self.space()
        family = family_of(space)
        second = second_line(space)
        self._name.setText(space.name)
        self._why.setText(
            PURPOSES.get(family, "A custom space, or that of a profile.")
            + (f" {second[:1].upper()}{second[1:]}." if second else "")
        )
        self._costs.setText(COSTS.get(family, ""))
