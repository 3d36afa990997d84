"""The ledger as a list: each entry in order, and going back to any point."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.widgets.parts import Bench, button, row_of, soft
from velkin.core.stages.stage import Alters, Place

_ENTRIES = Qt.ItemDataRole.UserRole


class LedgerList(QWidget):
    """The ledger of the frame in the viewer."""

    def __init__(self, context: Context, bench: Bench) -> None:
        super().__init__()
        self._jobs = context.jobs
        self._model = context.model
        self._bench = bench
        self._rows: list[tuple[str, str]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.list = QListWidget()
        self.list.setAccessibleName("Ledger")
        self.list.setFrameShape(QListWidget.Shape.NoFrame)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setFont(theme.font(12))
        self.list.currentItemChanged.connect(lambda *_: self._chosen())
        column.addWidget(self.list)
        self._why = soft()
        column.addWidget(self._why)
        self.back = button("Back to here", self._back, tip="Remove every entry after the selected one; Ctrl+Z brings them back")
        self.copy = button(
            "Copy to selected frames", self._copy, tip="Copy this ledger to every frame selected in the frames panel"
        )
        column.addWidget(row_of(self.back, self.copy))

    def show_frame(self) -> None:
        """Follow the frame in the viewer."""
        frame = self._model.frame
        self.list.clear()
        if frame is None:
            return
        state = self._model.state
        path = state.path(frame.id)
        arriving = [line for stage in path.before(Place.LEDGER) for line in stage.describe()]
        rows: list[tuple[str, str, str, int]] = [
            (line.words, "", "" if line.alters is Alters.NOTHING else line.alters.value, 0) for line in arriving
        ]
        if frame.waits:
            rows.append((f"held: {frame.picture.tag.state}", "", "the intake rules wait for a decision", 0))
        for number, entry in enumerate(frame.ledger, start=1):
            name = state.space(entry.space).name if entry.space else ""
            rows.append((entry.words(name), entry.at[11:16], f"{entry.verb.meaning}; {entry.why}", number))
        for line in (line for stage in path.at(Place.LOOK) for line in stage.describe()):
            rows.append((line.words, "", line.alters.value, -1))
        for tried in self._model.tried:
            name = self._model.space(tried.space).name if tried.space else ""
            rows.append((entry_tried(tried.words(name)), "if decided", tried.verb.meaning, -1))
        for file in self._model.written(frame.id):
            rows.append((f"written: {file.path.name}" + ("" if file.ok else ", check failed"), file.at[11:16], "", -1))
        self._rows = [(words, why) for words, _, why, _ in rows]
        for number, (words, at, why, entries) in enumerate(rows, start=1):
            item = QListWidgetItem(f"{number}   {words}" + (f"   {at}" if at else ""))
            item.setData(_ENTRIES, entries)
            item.setToolTip(why)
            self.list.addItem(item)
        self.list.setFixedHeight(min(len(rows), 9) * 20 + 4)
        self.copy.setEnabled(bool(frame.ledger))
        self._chosen()

    def rows(self) -> list[tuple[str, str]]:
        """What is listed, and what each does."""
        return self._rows

    def _chosen(self) -> None:
        item = self.list.currentItem()
        frame = self._model.frame
        entries = item.data(_ENTRIES) if item is not None else -1
        self._why.setText(item.toolTip() if item is not None else "")
        self._why.setVisible(bool(self._why.text()))
        self.back.setEnabled(frame is not None and 0 <= entries < len(frame.ledger))

    def _back(self) -> None:
        item, frame = self.list.currentItem(), self._bench.frame_id
        if item is not None and frame is not None:
            self._jobs.colour.go_back(frame, int(item.data(_ENTRIES)))

    def _copy(self) -> None:
        if self._bench.frame_id is not None:
            self._jobs.colour.copy_ledger(self._bench.frame_id, self._bench.frames)


def entry_tried(words: str) -> str:
    """An entry that is only tried."""
    return f"{words} …"
