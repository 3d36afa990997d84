"""The status line: numbers under the pointer here, in Lab and there; long work with its progress and a cancel."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QVBoxLayout, QWidget

from velkin.app import theme
from velkin.app.widgets.parts import Words, soft


@dataclass(frozen=True)
class Running:
    """A piece of work as it is shown: `total` 0 is of unknown length, `cancel` None cannot be stopped."""

    name: str
    done: int
    total: int
    cancel: Callable[[], None] | None = None


class _Readout(QWidget):
    """A name and numbers that keep their place."""

    def __init__(self, name: str, width: int) -> None:
        super().__init__()
        self.setFixedWidth(width)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        row.addWidget(soft(name))
        self.value = Words()
        self.value.setFont(theme.font(13))
        self.value.setAccessibleName(name)
        row.addWidget(self.value, 1)


class _Work(QWidget):
    """One piece of work: words, a bar, Cancel."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        self.words = soft()
        self.words.setWordWrap(False)
        self.bar = QProgressBar()
        self.bar.setFixedWidth(96)
        self.bar.setTextVisible(False)
        self.cancel = QPushButton("Cancel")
        self.cancel.setProperty("flat", True)
        self.cancel.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.cancel.clicked.connect(lambda _=False: self._cancel() if self._cancel is not None else None)
        self._cancel: Callable[[], None] | None = None
        row.addWidget(self.words, 1)
        row.addWidget(self.bar)
        row.addWidget(self.cancel)

    def show_running(self, running: Running) -> None:
        self.words.setText(f"{running.name}, {running.done} of {running.total}" if running.total > 1 else f"{running.name} …")
        self.bar.setAccessibleName(running.name)
        self._cancel = running.cancel
        self.cancel.setVisible(running.cancel is not None)
        self.cancel.setAccessibleName(f"Cancel: {running.name}")
        self.bar.setUpdatesEnabled(False)  # it would paint itself, and all that is below, at once
        self.bar.setRange(0, running.total if running.total > 1 else 0)
        self.bar.setValue(running.done)
        self.bar.setUpdatesEnabled(True)


class _Works(QWidget):
    """All work that runs, one under the other, over the status line."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(12, 10, 12, 10)
        self.column.setSpacing(6)
        self.rows: list[_Work] = []

    def show_running(self, running: list[Running]) -> None:
        while len(self.rows) < len(running):
            self.rows.append(_Work())
            self.column.addWidget(self.rows[-1])
        for row, each in zip(self.rows, running, strict=False):
            row.show_running(each)
        for number, row in enumerate(self.rows):
            row.setVisible(number < len(running))
        self.adjustSize()
        if not running:
            self.hide()


class StatusLine(QWidget):
    """26 px at the foot of the window."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(26)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 0, 12, 0)
        row.setSpacing(8)
        self.at = _Readout("at", 110)
        self.here = _Readout("here", 190)
        self.lab = _Readout("Lab", 150)
        self.there = _Readout("there", 270)
        for part in (self.at, self.here, self.lab, self.there):
            row.addWidget(part)
        row.addStretch(1)
        self.work = _Work()
        row.addWidget(self.work)
        self.several = QPushButton()
        self.several.setProperty("flat", True)
        self.several.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.several.setToolTip("All work that runs, each with its Cancel")
        self.several.clicked.connect(lambda _=False: self._show_all())
        row.addWidget(self.several)
        self.all = _Works(self)
        self._running: list[Running] = []
        self.show_running([])

    def show_numbers(self, texts: tuple[str, str, str, str]) -> None:
        """Show the numbers under the pointer."""
        for readout, text in zip((self.at, self.here, self.lab, self.there), texts, strict=True):
            readout.value.setText(text)

    def show_running(self, running: list[Running]) -> None:
        """Show the work that runs, the first of it in the line and all of it on demand."""
        self._running = running
        self.work.setVisible(bool(running))
        if running:
            self.work.show_running(running[0])
        self.several.setVisible(len(running) > 1)
        self.several.setText(f"{len(running)} jobs ▴")
        if self.all.isVisible():
            self.all.show_running(running)

    def _show_all(self) -> None:
        self.all.show_running(self._running)
        corner = self.mapToGlobal(QPoint(self.width(), 0))
        self.all.move(corner.x() - self.all.width(), corner.y() - self.all.height())
        self.all.show()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        p = QPainter(self)
        p.setPen(theme.current().colour("line"))
        p.drawLine(0, 0, self.width(), 0)
