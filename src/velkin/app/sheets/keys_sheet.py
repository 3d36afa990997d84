"""Every command that has a key, by menu."""

from __future__ import annotations

from PyQt6.QtWidgets import QAbstractItemView, QTreeWidget, QTreeWidgetItem, QWidget

from velkin.app import theme
from velkin.app.widgets.sheet import Sheet

#: Keys that belong to no command.
_OTHERS = (
    ("Show before, while it is held", "Space"),
    ("Step frames, on the picture", "Arrows"),
    ("End picking, or back to the picture", "Esc"),
    ("Go through controls", "Tab"),
)


class KeysSheet(Sheet):
    """A table of commands and keys; each group is (menu, [(command, keys)])."""

    def __init__(self, groups: list[tuple[str, list[tuple[str, str]]]], parent: QWidget) -> None:
        super().__init__("Keys", parent)
        self.resize(520, 560)
        self.table = QTreeWidget()
        self.table.setHeaderLabels(["Command", "Key"])
        self.table.setAccessibleName("Commands and their keys")
        self.table.setRootIsDecorated(False)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        for menu, commands in (*groups, ("Everywhere", list(_OTHERS))):
            head = QTreeWidgetItem([menu])
            head.setFont(0, theme.font(12, 700))
            self.table.addTopLevelItem(head)
            for name, keys in commands:
                head.addChild(QTreeWidgetItem([name, keys]))
            head.setExpanded(True)
        self.table.setColumnWidth(0, 340)
        self.column.addWidget(self.table)
        self.only_close()
