"""The status line: numbers under the pointer here, in Lab and there; long work with its progress and a cancel."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

from velkin.app import theme
from velkin.app.widgets.parts import soft

#: The words of whatever the desk does.
JOB = "job"


class _Readout(QWidget):
    """A name and numbers that keep their place."""

    def __init__(self, name: str, width: int) -> None:
        super().__init__()
        self.setFixedWidth(width)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        row.addWidget(soft(name))
        self.value = QLabel()
        self.value.setFont(theme.font(13))
        self.value.setAccessibleName(name)
        row.addWidget(self.value, 1)


class StatusLine(QWidget):
    """26 px at the foot of the window."""

    cancelled = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(26)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 0, 12, 0)
        row.setSpacing(8)
        self.at = _Readout("at", 150)
        self.here = _Readout("here", 190)
        self.lab = _Readout("Lab", 170)
        self.there = _Readout("there", 210)
        for part in (self.at, self.here, self.lab, self.there):
            row.addWidget(part)
        row.addStretch(1)
        self.words = soft()
        self.words.setWordWrap(False)
        self.bar = QProgressBar()
        self.bar.setFixedWidth(96)
        self.bar.setTextVisible(False)
        self.cancel = QPushButton("Cancel")
        self.cancel.setFlat(True)
        self.cancel.setStyleSheet("QPushButton { border: 0; background: transparent; min-height: 18px; padding: 0 4px; }")
        self.cancel.clicked.connect(lambda _=False: self.cancelled.emit())
        for widget in (self.words, self.bar, self.cancel):
            row.addWidget(widget)
        self._works: dict[str, tuple[int, int, bool]] = {}
        self._show_progress("", 0, 0, False)

    def show_numbers(self, at: str, here: str, lab: str, there: str) -> None:
        """Show the numbers under the pointer."""
        for readout, text in ((self.at, at), (self.here, here), (self.lab, lab), (self.there, there)):
            readout.value.setText(text)

    def follow(self, words: str, done: int, total: int, cancellable: bool) -> None:
        """Show how far a long work is; total 0 says that it ended, and with the words `JOB` that all which can be cancelled did.

        Of several that which can be cancelled is shown.
        """
        if total:
            self._works[words] = (done, total, cancellable)
        elif words == JOB:
            self._works = {k: v for k, v in self._works.items() if not v[2]}
        else:
            self._works.pop(words, None)
        shown = max(self._works, key=lambda k: self._works[k][2], default="")
        self._show_progress(shown, *self._works.get(shown, (0, 0, False)))

    def _show_progress(self, words: str, done: int, total: int, cancellable: bool) -> None:
        busy = total > 0
        self.words.setText((f"{words} {done} of {total}" if total > 1 else f"{words} …") if busy else "")
        self.bar.setVisible(busy)
        self.cancel.setVisible(busy and cancellable)
        if busy:
            self.bar.setRange(0, total if total > 1 else 0)
            self.bar.setValue(done)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        p = QPainter(self)
        p.setPen(theme.current().colour("line"))
        p.drawLine(0, 0, self.width(), 0)
