"""The sheet about memory: how much of it pictures may be kept in, and what is in use."""

from __future__ import annotations

from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QPushButton, QWidget

from velkin.app import theme
from velkin.app.flow.memory import LEAST, of_this_machine, remember, remembered, usual
from velkin.app.flow.service import RenderService
from velkin.app.widgets.parts import Facts, Words, soft
from velkin.app.widgets.sheet import Sheet

_GB = 1_000_000_000


class MemorySheet(Sheet):
    """Shows and sets; a change counts at once."""

    def __init__(self, service: RenderService, settings: QSettings, parent: QWidget | None = None) -> None:
        super().__init__("Memory for pictures", parent, width=440)
        self._service, self._settings = service, settings
        self.field = QDoubleSpinBox()
        self.field.setDecimals(1)
        self.field.setKeyboardTracking(False)  # the 1 of 12 would drop most of what is kept
        self.field.setSingleStep(0.5)
        self.field.setRange(LEAST / _GB, of_this_machine() / _GB)
        self.field.setSuffix("\u00a0GB")
        self.field.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.field.setFixedWidth(110)
        self.field.setAccessibleName("Memory for pictures, gigabytes")
        label = Words("Keep pictures in up to")
        label.setFont(theme.font(13, 600))
        label.setBuddy(self.field)
        self.usual = QPushButton("A quarter of this machine")
        row = QHBoxLayout()
        row.addWidget(self.field)
        row.addWidget(self.usual)
        row.addStretch(1)
        self.facts = Facts(150)
        self.column.addWidget(label)
        self.column.addLayout(row)
        self.column.addWidget(self.facts)
        self.column.addWidget(
            soft(
                "What was seen is kept, so that it is there at once the next time. With less memory it is read from its file again."
            )
        )
        self.only_close()
        self._show(remembered(settings))
        self.field.valueChanged.connect(lambda value: self._set(round(value * _GB)))
        self.usual.clicked.connect(lambda: self._set(None))

    def _set(self, total: int | None) -> None:
        remember(self._settings, total)
        self._service.keep_within(remembered(self._settings))
        self._show(remembered(self._settings))

    def _show(self, total: int) -> None:
        self.field.blockSignals(True)
        self.field.setValue(total / _GB)
        self.field.blockSignals(False)
        self.usual.setEnabled(total != usual())
        gigabytes = [f"{bytes_ / _GB:.1f}\u00a0GB" for bytes_ in (self._service.held, of_this_machine())]
        self.facts.show_rows([("In use now", gigabytes[0]), ("This machine has", gigabytes[1])])
