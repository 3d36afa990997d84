"""What rooms are made of: the bar on top with title and controls, the way back, keys, and the frame they are bound to."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QLayout, QVBoxLayout, QWidget

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.model.places import Page, Place
from velkin.app.turns import next_turn
from velkin.app.widgets.asking import may_lose
from velkin.app.widgets.parts import Words, button


class Room(QWidget):
    """Takes the place of viewer and bench; Esc goes back to the picture.

    `bar` is its top with the title; `head` is the row in it that controls go into, ended by `add_back`. A room that is about a frame is
    bound to it: where another frame is selected, the navigator moves the room there if it `takes` it, and goes back if not.
    """

    #: The page that it is.
    page: ClassVar[Page]
    #: Whether work in it stays when it moves to another frame, so that nothing is asked then.
    keeps_work: ClassVar[bool] = False

    def __init__(self, context: Context, title: str) -> None:
        super().__init__()
        self._jobs = context.jobs
        self._model = context.model
        self._flow = context.flow
        self.bar = QWidget()
        self.bar.setObjectName("panel")
        self.bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.bar.setFixedHeight(36)
        self.head = QHBoxLayout(self.bar)
        self.head.setContentsMargins(16, 0, 4, 0)
        self.head.setSpacing(6)
        self.heading = Words(title)
        self.heading.setFont(theme.font(13, 700))
        self.head.addWidget(self.heading)
        self.setAccessibleName(title)
        self._beside: QWidget | None = None
        self._bar_over_both = False
        self._leaving = False

    # ---- what the navigator asks ------------------------------------------------------------------------------

    def enter(self, place: Place) -> None:
        """Show what a place is about."""
        raise NotImplementedError

    def takes(self, frame: int) -> bool:
        """Whether the room can be about this frame too, now that it was selected."""
        return False

    def left_behind(self) -> None:
        """Another page is shown now: nothing that is awaited concerns this room any more."""

    def unsaved(self) -> str:
        """What typed work would be lost by going back, in words; empty where none would."""
        return ""

    def may_leave(self) -> bool:
        """Whether the room may be left; what was typed is not lost without asking."""
        return may_lose(self.unsaved(), "Back to the picture", "Go back without it", self)

    # ---- laying out -------------------------------------------------------------------------------------------

    def lay_out(self, main: QLayout, bench: QWidget) -> None:
        """The bar over the main part, the bench beside both; where there is no room for that, the bar over both."""
        self._beside = bench
        self._all, self._left = QVBoxLayout(self), QVBoxLayout()
        body = QHBoxLayout()
        for layout in (self._all, self._left, body):  # boxes: a grid would take its wrapped words' height for the least
            layout.setContentsMargins(0, 0, 0, 0)
            layout.setSpacing(0)
        self._left.addLayout(main, 1)
        body.addLayout(self._left, 1)
        body.addWidget(bench)
        self._all.addLayout(body, 1)
        self._left.insertWidget(0, self.bar)

    def heightForWidth(self, width: int) -> int:
        """The least height: a room is scrolled where that is missing, not where its words would like more."""
        layout = self.layout()
        return -1 if layout is None else layout.minimumHeightForWidth(width)

    def fit_into(self, width: int) -> None:
        """The room that there is, in pixels, is another."""
        if self._beside is None:
            return
        narrow = width < self.bar.minimumSizeHint().width() + max(
            self._beside.minimumWidth(), self._beside.minimumSizeHint().width()
        )
        if narrow != self._bar_over_both:
            self._bar_over_both = narrow
            (self._left if narrow else self._all).removeWidget(self.bar)
            (self._all if narrow else self._left).insertWidget(0, self.bar)

    # ---- for the rooms ----------------------------------------------------------------------------------------

    def add_back(self) -> None:
        """End the bar with the way back."""
        self.head.addWidget(button("Back to the picture   Esc", self.leave))
        self.on_keys(("Esc", self.leave))

    def on_keys(self, *keys: tuple[str, Callable[[], object]]) -> None:
        """Act on keys while the focus is in this room."""
        for sequence, act in keys:
            shortcut = QShortcut(QKeySequence(sequence), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(act)

    def leave_after(self, act: Callable[[], bool]) -> None:
        """Do what ends the visit and, once that is drawn, go back: neither makes the hand wait for the other. The room, which is left, is not drawn again.

        A second press that was on its way meanwhile does not do it again. Where it could not be done, one stays.
        """
        if self._leaving:
            return
        self._leaving = act()
        if self._leaving:
            self.setUpdatesEnabled(False)
            next_turn(self, self._left_after)

    def _left_after(self) -> None:
        self._leaving = False
        try:
            if self.isVisible():
                self._model.places.back()
        finally:
            self.setUpdatesEnabled(True)

    def leave(self) -> None:
        """Back to the picture."""
        self._model.places.back()
