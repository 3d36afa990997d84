"""The frames panel: which frames are listed, and the list."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from velkin.app.flow.thumbnails import Thumbnails
from velkin.app.model.shoot_model import ShootModel
from velkin.app.widgets.frames_list import FramesList
from velkin.app.widgets.frames_model import Filter, FramesModel
from velkin.app.words import count

#: As wide as two thumbnails.
WIDTH = 216


class FramesPanel(QWidget):
    """The filter and the frames."""

    #: Whether it is asked which frames are out of gamut.
    out_of_gamut_wanted = pyqtSignal(bool)

    def __init__(self, model: ShootModel, thumbnails: Thumbnails, out_of_gamut: Callable[[int], bool]) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setMinimumWidth(WIDTH)
        self._model = model
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(8)
        self.filter = QComboBox()
        self.filter.setAccessibleName("Which frames are listed")
        for each in Filter:
            self.filter.addItem(each.value, each)
        box = QVBoxLayout()
        box.setContentsMargins(12, 0, 12, 0)
        box.addWidget(self.filter)
        column.addLayout(box)
        self.rows = FramesModel(model, out_of_gamut)
        self.list = FramesList(model, thumbnails, self.rows)
        column.addWidget(self.list, 1)
        self.filter.currentIndexChanged.connect(self._filtered)
        model.changed.connect(lambda _: self._changed())
        self._count()

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, super().sizeHint().height())

    def _filtered(self) -> None:
        self.rows.filter = Filter(self.filter.currentData())
        self.rows.refresh()
        self._look()

    def _changed(self) -> None:
        self._count()
        self._look()

    def _look(self) -> None:
        """What is out of gamut is measured while it is asked for."""
        self.out_of_gamut_wanted.emit(self.rows.filter is Filter.OUT_OF_GAMUT)

    def measured(self) -> None:
        """Of more frames it is known whether they are out of gamut."""
        if self.rows.filter is Filter.OUT_OF_GAMUT:
            self.rows.refresh()

    def _count(self) -> None:
        there = self._model.shoot is not None
        self.filter.setVisible(there)
        if there:
            self.filter.setItemText(0, f"All {count(len(self._model.state.frames), 'frame')}")
