"""Keys: what the focused widget needs comes first, then the page, then the window.

Space held shows *before*; arrows on the picture step frames; Esc ends picking. A letter or digit that a list, a field or a table would use
itself is left to it.
"""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QTextEdit,
    QWidget,
)

from velkin.app.model.places import Page
from velkin.app.model.shoot_model import ShootModel
from velkin.app.widgets.at_focus import AtFocus
from velkin.app.widgets.copying import table_text

_K = Qt.Key
_ARROWS = {_K.Key_Left: -1, _K.Key_Up: -1, _K.Key_Right: 1, _K.Key_Down: 1}
_TYPED_INTO = (QLineEdit, QAbstractSpinBox, QTextEdit, QPlainTextEdit)
#: Pages on which Space shows *before*.
_SEEN_BEFORE = (Page.PICTURE, Page.MATCH)
#: Keys that move in a list, a field with steps, or a slider.
_MOVING = (_K.Key_PageUp, _K.Key_PageDown, _K.Key_Home, _K.Key_End)


class Keys(AtFocus):
    """Sees the keys while its window is the active one."""

    def __init__(self, window: QWidget, view: QWidget, model: ShootModel, end_picking: Callable[[], bool]) -> None:
        self._window, self._view, self._model, self._end_picking = window, view, model, end_picking
        super().__init__(window, (window, view))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Give a key to who it belongs to."""
        if isinstance(event, QKeyEvent) and self._window.isActiveWindow() and QApplication.activePopupWidget() is None:
            if event.type() == QEvent.Type.ShortcutOverride:
                if watched is QApplication.focusWidget() and _needed_by(QApplication.focusWidget(), event):
                    event.accept()
                    return True
            elif self._acts(watched, event):
                return True
        return super().eventFilter(watched, event)

    def _acts(self, watched: QObject | None, event: QKeyEvent) -> bool:
        pressed = event.type() == QEvent.Type.KeyPress
        if event.key() == _K.Key_Space and not event.modifiers():
            return self._before(event, pressed)
        if not pressed:
            return False
        if event.matches(QKeySequence.StandardKey.Copy):
            return _copied(QApplication.focusWidget())
        if event.key() == _K.Key_Escape and self._model.places.at_picture:
            return self._end_picking() or self._to_the_picture()
        if watched is self._view and event.key() in _ARROWS and not event.modifiers():
            self._model.step(_ARROWS[_K(event.key())])
            return True
        return False

    def _to_the_picture(self) -> bool:
        """Esc gives the keys back to the picture, from wherever they are."""
        if self._view.hasFocus():
            return False
        self._view.setFocus()
        return True

    def _before(self, event: QKeyEvent, pressed: bool) -> bool:
        """Space held shows *before*, where the picture is seen and the focus has no use for it."""
        if not pressed:
            if self._model.before and not event.isAutoRepeat():
                self._model.show_before(False)
                return True
            return False
        if self._model.places.now.page not in _SEEN_BEFORE or _uses_space(QApplication.focusWidget()):
            return False
        if not event.isAutoRepeat():
            self._model.show_before(True)
        return True


def _copied(focus: QWidget | None) -> bool:
    """Copy the table that has the keys; whether there was one."""
    text, board = table_text(focus), QApplication.clipboard()
    if not text or board is None:
        return False
    board.setText(text)
    return True


def _uses_space(focus: QWidget | None) -> bool:
    return isinstance(focus, (*_TYPED_INTO, QComboBox, QAbstractButton, QAbstractItemView))


def _needed_by(focus: QWidget | None, event: QKeyEvent) -> bool:
    """Whether the focused widget does something with a key itself, so that no command is to take it."""
    if isinstance(focus, (QAbstractItemView, QAbstractSlider, QAbstractSpinBox)) and event.key() in _MOVING:
        return not event.modifiers() & Qt.KeyboardModifier.AltModifier
    plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier)
    letter = plain and bool(event.text()) and event.text().isprintable()
    return letter and isinstance(focus, (*_TYPED_INTO, QComboBox, QAbstractItemView))
