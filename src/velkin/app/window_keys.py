"""Keys that mean something wherever the focus is: Space held, Esc, and arrows on the picture."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractButton, QAbstractSpinBox, QApplication, QComboBox, QLineEdit

if TYPE_CHECKING:
    from velkin.app.window import Window


class WindowKeys(QObject):
    """Sees the keys of the whole application while its window is the active one."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window = window
        self._application = QApplication.instance()
        if self._application is not None:
            self._application.installEventFilter(self)

    def stop(self) -> None:
        """See no more keys."""
        if self._application is not None:
            self._application.removeEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Space held shows *before*; arrows step frames from the picture."""
        window = self._window
        if isinstance(event, QKeyEvent) and window.isActiveWindow() and QApplication.activePopupWidget() is None:
            if event.key() == Qt.Key.Key_Space and not event.modifiers():
                pressed = event.type() == QEvent.Type.KeyPress
                released = event.type() == QEvent.Type.KeyRelease
                if released and window.model.before and not event.isAutoRepeat():
                    window.model.show_before(False)
                    return True
                if pressed and _space_is_free():
                    if not event.isAutoRepeat():
                        window.model.show_before(True)
                    return True
            elif event.key() == Qt.Key.Key_Escape and window.model.picking:
                window.model.pick("")
                return True
            elif event.key() == Qt.Key.Key_Escape and window.rooms.currentIndex() == 0 and window.proofs.leave_brush():
                return True
            elif (
                event.type() == QEvent.Type.KeyPress
                and watched is window.view
                and event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down)
            ):
                window.model.step(1 if event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Down) else -1)
                return True
        return super().eventFilter(watched, event)


def _space_is_free() -> bool:
    focus = QApplication.focusWidget()
    return not isinstance(focus, (QLineEdit, QAbstractSpinBox, QComboBox, QAbstractButton))
