"""Messages over the lower edge of what is seen: nothing moves when they come or go."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QRect, Qt, QTimer
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from velkin.app import theme
from velkin.app.model.messages import Messages
from velkin.app.widgets.parts import Words

#: How long a notice is shown, milliseconds; a shorter time when others wait.
_SHOWN, _HURRIED = 8000, 2500
_MOST_WIDE = 720


class _Card(QWidget):
    """One message on a plate of its own."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(14, 8, 10, 8)
        self.row.setSpacing(10)
        self.label = Words()
        self.label.setFont(theme.font(13))
        self.label.setWordWrap(True)
        self.label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.label.setAccessibleName(name)
        self.row.addWidget(self.label, 1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.colour("raised"))
        p.setPen(t.colour("ink"))
        p.drawRect(self.rect().adjusted(0, 0, -1, -1))


class MessageStrip(QWidget):
    """The problem that is to be read, and under it what was done.

    Parameters
    ----------
    messages : Messages
    parent : QWidget
    over : callable
        Gives the part of the parent whose lower edge it lies over now, a QRect.
    followed : QWidget
        What may change its size or its place.
    """

    def __init__(self, messages: Messages, parent: QWidget, over: Callable[[], QRect], *followed: QWidget) -> None:
        super().__init__(parent)
        self._messages = messages
        self._over = over
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.problem, self.notice = _Card("Problem"), _Card("Message")
        self.more = QLabel()
        self.more.setProperty("soft", True)
        self.dismiss = QPushButton("Dismiss")
        self.dismiss.setAccessibleName("Dismiss the problem")
        self.dismiss.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.dismiss.clicked.connect(lambda _=False: messages.dismiss())
        self.problem.row.addWidget(self.more)
        self.problem.row.addWidget(self.dismiss)
        column.addWidget(self.problem)
        column.addWidget(self.notice)
        self._fade = QTimer(self)
        self._fade.setSingleShot(True)
        self._fade.timeout.connect(messages.next_notice)
        self._shown: object = None
        messages.changed.connect(self._follow)
        for widget in (parent, *followed):
            widget.installEventFilter(self)
        self._follow()

    def _follow(self) -> None:
        problem, notice = self._messages.problem, self._messages.notice
        self.problem.setVisible(problem is not None)
        self.notice.setVisible(notice is not None)
        if problem is not None:
            self.problem.label.setText(problem.text)
            self.more.setText(f"and {self._messages.waiting} more" if self._messages.waiting else "")
            self.more.setVisible(bool(self._messages.waiting))
        if notice is None:
            self._fade.stop()
        else:
            self.notice.label.setText(notice.text)
            hurried = self._messages.notices_waiting > 0
            if notice is not self._shown or (hurried and self._fade.remainingTime() > _HURRIED):
                self._fade.start(_HURRIED if hurried else _SHOWN)
        self._shown = notice
        self.setVisible(problem is not None or notice is not None)
        self.place()

    def place(self) -> None:
        """Lie over the lower edge of what is seen."""
        parent, over = self.parentWidget(), self._over()
        if parent is None or not self.isVisibleTo(parent):
            return
        width = min(over.width() - 48, _MOST_WIDE)
        height = self.heightForWidth(width) if self.hasHeightForWidth() else self.sizeHint().height()
        self.setGeometry(over.left() + 24, over.bottom() - height - 11, width, height)
        self.raise_()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Something lies elsewhere or has another size."""
        if event is not None and event.type() in (QEvent.Type.Resize, QEvent.Type.Move):
            self.place()
        return super().eventFilter(watched, event)
