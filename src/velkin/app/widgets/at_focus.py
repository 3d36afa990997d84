"""An event filter on whatever has the keys.

A filter on the whole application is asked, in Python, about each event of each widget: a room of some hundred widgets sends
thousands while it is made, and each waits for the interpreter while a worker computes.
"""

from __future__ import annotations

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QApplication, QWidget


class AtFocus(QObject):
    """Filters the events of the focused widget and of its window, and always those of some widgets more."""

    def __init__(self, parent: QObject, always: tuple[QWidget, ...] = ()) -> None:
        super().__init__(parent)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        self._application, self._always = application, always
        for widget in always:
            widget.installEventFilter(self)
        application.focusChanged.connect(self._follow)
        self._follow(None, application.focusWidget())

    def stop(self) -> None:
        """Filter nothing any more."""
        self._application.focusChanged.disconnect(self._follow)
        for widget in (*self._always, *self._application.topLevelWidgets(), self._application.focusWidget()):
            if widget is not None:
                widget.removeEventFilter(self)

    def _follow(self, old: QWidget | None, new: QWidget | None) -> None:
        # `old` comes from Qt and is there: a widget kept from the last time could have gone, and no wrapper would know
        if old is not None and old not in self._always:
            old.removeEventFilter(self)
        if new is not None:
            new.installEventFilter(self)
            window = new.window()
            if window is not None:
                window.installEventFilter(self)
