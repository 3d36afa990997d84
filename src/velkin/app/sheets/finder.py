"""Finding any command by name (Ctrl+K)."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


class Finder(QDialog):
    """A field and the commands that match it."""

    def __init__(self, actions: list[QAction], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self._actions = actions
        self.setFixedWidth(420)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.setSpacing(6)
        self.field = QLineEdit()
        self.field.setPlaceholderText("Name of a command")
        self.field.setAccessibleName("Name of a command")
        self.list = QListWidget()
        self.list.setAccessibleName("Commands")
        self.list.setFixedHeight(260)
        column.addWidget(self.field)
        column.addWidget(self.list)
        self.field.textChanged.connect(self._filter)
        self.field.returnPressed.connect(self._run)
        self.list.itemActivated.connect(lambda _: self._run())
        self.field.installEventFilter(self)
        self._filter("")

    def _filter(self, text: str) -> None:
        self.list.clear()
        words = text.lower().split()
        for action in self._actions:
            name = action.text().replace("&", "")
            if all(w in name.lower() for w in words):
                keys = action.shortcut().toString()
                item = QListWidgetItem(name + (f"   {keys}" if keys else ""))
                item.setData(Qt.ItemDataRole.UserRole, action)
                if not action.isEnabled():
                    item.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self) -> None:
        item = self.list.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.accept()
            item.data(Qt.ItemDataRole.UserRole).trigger()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down)
        ):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
            return True
        return super().eventFilter(watched, event)
