"""The course of a match's change, under the picture: ramps or a lattice, and the steepest place in words."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from velkin.app.widgets.change_views import CourseView, LatticeView
from velkin.app.widgets.checkable import ToggleButton
from velkin.app.widgets.parts import Heading, soft
from velkin.core.match.baked import Amounts, carried
from velkin.core.match.course import colour_words, lattice, ramps
from velkin.core.match.solver import Learnt


class CoursePanel(QWidget):
    """Shows what a match does in between its pairs."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._learnt: Learnt | None = None
        self._amounts = Amounts()
        self.course, self.lattice = CourseView(), LatticeView()
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 8, 16, 8)
        column.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(Heading("Course of the change"), 1)
        self.on_ramps, self.on_lattice = ToggleButton("Ramps"), ToggleButton("Lattice")
        for number, choice in enumerate((self.on_ramps, self.on_lattice)):
            choice.setAutoExclusive(True)
            choice.setProperty("narrow", True)
            choice.clicked.connect(lambda on, n=number: self._show_as(n) if on else None)
            head.addWidget(choice)
        self.on_ramps.setChecked(True)
        column.addLayout(head)
        self._views = QStackedWidget()
        self._views.addWidget(self.course)
        self._views.addWidget(self.lattice)
        column.addWidget(self._views, 1)
        self._words = soft()
        self._words.setMinimumHeight(16)
        column.addWidget(self._words)

    def _show_as(self, number: int) -> None:
        self._views.setCurrentIndex(number)
        self.show_change(self._learnt, self._amounts)

    def show_change(self, learnt: Learnt | None, amounts: Amounts) -> None:
        """Show so much of a match, or nothing."""
        self._learnt, self._amounts = learnt, amounts
        if learnt is None:
            self.course.show_ramps(())
            self.lattice.show_lattice(None)
            self._words.setText("")
            return
        match = learnt.match
        self.course.show_ramps(ramps(lambda x: carried(match, amounts, x)))
        if self._views.currentIndex():
            self.lattice.show_lattice(lattice(lambda x: carried(match, amounts, x)))
        steep = learnt.figures.steepness
        folds = "nothing folds" if not steep.folds else f"{100 * steep.folds:.1f} % of the colours fold"
        times = steep.largest_gain / max(steep.grey_gain, 1e-6)
        self._words.setText(
            f"Above: before; below: after. Steepest among {colour_words(steep.at)}: {times:.1f} × as steep as the greys; {folds}."
        )
