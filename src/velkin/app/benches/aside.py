"""Benches on which something new is made: they stand in for their stop's bench until it is kept or given up."""

from __future__ import annotations

from typing import ClassVar

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut, QShowEvent

from velkin.app.context import Context
from velkin.app.model.shoot_model import ShootModel
from velkin.app.widgets.asking import may_lose
from velkin.app.widgets.parts import Bench


class Aside(Bench):
    """A bench that makes something; what is set is seen on the picture at once, and *before* is a key away.

    Going to another stop leaves it as it is. It ends with its main action, with Cancel or with Esc, which asks where work would be lost.
    """

    #: The stop whose bench it stands in for.
    stop: ClassVar[str]

    ended = pyqtSignal()

    def __init__(self, context: Context, title: str) -> None:
        super().__init__(title)
        self._model: ShootModel = context.model
        escape = QShortcut(QKeySequence("Esc"), self)
        escape.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        escape.activated.connect(self.give_up)
        self.follow(self._model)

    def unsaved(self) -> str:
        """What would be lost by giving up, in words; empty where nothing would."""
        return ""

    def may_leave(self) -> bool:
        """Whether it may be given up; what was set is not lost without asking."""
        return may_lose(self.unsaved(), "Give it up", "Give it up", self)

    def showEvent(self, event: QShowEvent | None) -> None:
        self._stale = True  # what was tried ended when another stop was opened
        super().showEvent(event)

    def give_up(self) -> None:
        """End without keeping anything; work is not lost without asking."""
        if self.may_leave():
            self.end_it()

    def end_it(self) -> None:
        """The stop's own bench takes its place again."""
        self._model.try_entries(())
        self.ended.emit()
