"""The ring round what has the keys: 2 px of ink, of paper on ink, for every kind of widget alike.

It is shown while one works with the keyboard and goes when the mouse is used; a field that is typed into shows its own edge besides.
"""

from __future__ import annotations

import atexit

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QObject, QPoint, QRect, Qt, QTimer
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QApplication, QPushButton, QWidget

from velkin.app import theme

WIDTH = 2
_TABS = (Qt.Key.Key_Tab, Qt.Key.Key_Backtab)
_MOVES = (QEvent.Type.Move, QEvent.Type.Resize, QEvent.Type.Show, QEvent.Type.Hide)
_E = QEvent.Type


class _Ring(QWidget):
    """Lies over a top-level window and lets the mouse through."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.on_ink = False
        self.hide()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        inset = WIDTH if self.on_ink else 0
        rect = self.rect().adjusted(inset, inset, -inset, -inset)
        colour = t.colour("chosen_ink") if self.on_ink else t.colour("ink")
        inner = rect.adjusted(WIDTH, WIDTH, -WIDTH, -WIDTH)
        for part in (
            QRect(rect.left(), rect.top(), rect.width(), WIDTH),
            QRect(rect.left(), inner.bottom() + 1, rect.width(), WIDTH),
            QRect(rect.left(), inner.top(), WIDTH, inner.height()),
            QRect(inner.right() + 1, inner.top(), WIDTH, inner.height()),
        ):
            p.fillRect(part, colour)


class FocusRing(QObject):
    """Follows the focus of the application."""

    def __init__(self, application: QApplication) -> None:
        super().__init__(application)
        self._by_key = False
        self._ring: _Ring | None = None
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(0)
        self._soon.timeout.connect(self._place)
        application.installEventFilter(self)
        atexit.register(lambda: application.removeEventFilter(self))  # Qt goes after Python, and must not ask it any more

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """See how the focus came, and what has it moving."""
        if event is None:
            return False
        kind = event.type()
        if kind in (_E.FocusIn, _E.FocusOut):
            self._soon.start()
        elif kind == _E.KeyPress and isinstance(event, QKeyEvent) and event.key() in _TABS:
            self._by_key = True  # not by the reason of a focus event: what is hidden passes the focus on as if by Tab
        elif kind == _E.MouseButtonPress:
            if self._by_key:
                self._by_key = False
                self._soon.start()
        elif kind in _MOVES and self._by_key and isinstance(watched, QWidget) and not isinstance(watched, _Ring):
            self._soon.start()
        return False

    def _place(self) -> None:
        focus = QApplication.focusWidget()
        if focus is not None and focus.focusProxy() is not None:
            focus = focus.focusProxy()
        rect = _seen(focus) if focus is not None and self._by_key else QRect()
        window = focus.window() if focus is not None else None
        if self._ring is not None and sip.isdeleted(self._ring):  # its window is gone
            self._ring = None
        if self._ring is not None and (rect.isEmpty() or self._ring.parentWidget() is not window):
            self._ring.hide()
        if window is None or rect.isEmpty():
            return
        ring = window.findChild(_Ring, options=Qt.FindChildOption.FindDirectChildrenOnly) or _Ring(window)
        self._ring = ring
        ring.on_ink = _on_ink(focus)
        ring.setGeometry(rect)
        ring.raise_()
        ring.show()
        ring.update()


def _seen(widget: QWidget) -> QRect:
    """What is seen of a widget, in its window's coordinates."""
    if not widget.isVisible():
        return QRect()
    window = widget.window()
    assert window is not None
    rect = QRect(widget.mapTo(window, QPoint(0, 0)), widget.size())
    above = widget.parentWidget()
    while above is not None and above is not window:
        rect &= QRect(above.mapTo(window, QPoint(0, 0)), above.size())
        above = above.parentWidget()
    return rect


def _on_ink(widget: QWidget | None) -> bool:
    """Whether a widget's ground is ink."""
    if isinstance(widget, QPushButton):
        return widget.isEnabled() and (bool(widget.property("primary")) or widget.isChecked())
    return False
