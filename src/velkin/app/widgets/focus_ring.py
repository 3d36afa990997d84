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
from velkin.app.widgets.at_focus import AtFocus

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


class _Everything(QObject):
    """While one works with the keyboard: sees the mouse used, and what moves."""

    def __init__(self, application: QApplication, ring: FocusRing) -> None:
        super().__init__(ring)
        self._application, self._ring = application, ring

    def start(self) -> None:
        self._application.installEventFilter(self)

    def stop(self) -> None:
        self._application.removeEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        kind = event.type() if event is not None else _E.None_
        if kind == _E.MouseButtonPress:
            self._ring.mouse_used()
        elif kind in _MOVES and isinstance(watched, QWidget) and not isinstance(watched, _Ring):
            self._ring.moved()
        return False


class FocusRing(AtFocus):
    """Follows the focus of the application; the events of every widget are looked at only while the ring is shown."""

    def __init__(self, application: QApplication) -> None:
        self._by_key = False
        self._ring: _Ring | None = None
        super().__init__(application)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(0)
        self._soon.timeout.connect(self._place)
        self._everything = _Everything(application, self)
        application.focusChanged.connect(lambda old, new: self._soon.start() if self._by_key else None)
        atexit.register(self.stop)  # Qt goes after Python, and must not ask it any more

    def stop(self) -> None:
        """Follow nothing any more."""
        self._everything.stop()
        super().stop()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """See that the keys are used to get about."""
        if isinstance(event, QKeyEvent) and event.type() == _E.KeyPress and event.key() in _TABS and not self._by_key:
            self._by_key = True  # not by the reason of a focus event: what is hidden passes the focus on as if by Tab
            self._everything.start()
            self._soon.start()
        return False

    def mouse_used(self) -> None:
        """The ring goes."""
        self._by_key = False
        self._everything.stop()
        self._soon.start()

    def moved(self) -> None:
        """Something moved, which may be what has the focus."""
        self._soon.start()

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
