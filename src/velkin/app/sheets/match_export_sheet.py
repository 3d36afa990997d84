"""How a match is exported: as what, on which numbers, in how many steps, and which part of it."""

from __future__ import annotations

from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtWidgets import QComboBox, QWidget

from velkin.app.widgets.parts import Rule, Words, labelled
from velkin.app.widgets.sheet import Sheet
from velkin.app.widgets.space_box import SpaceBox
from velkin.core.icc.space import Space
from velkin.core.match.export import SIZES, As, ExportWish
from velkin.core.match.match import Part
from velkin.core.spaces.rgb import ROMM, RGBSpace

_KINDS = {
    As.OWN: "Velkin's own, with its pairs (.json)",
    As.CUBE: "a table (.cube)",
    As.INPUT: "an ICC input profile (.icc)",
    As.ABSTRACT: "an ICC abstract profile (.icc)",
}
_PARTS = {
    Part.BOTH: "all of it",
    Part.NORMAL: "only bringing a flat picture to normal",
    Part.MATCH: "only the match, for normal pictures",
}
_WIDE = 110


class MatchExportSheet(Sheet):
    """Asks what is to be written; the choices are remembered."""

    def __init__(self, name: str, flat: bool, spaces: list[Space], settings: QSettings, parent: QWidget) -> None:
        super().__init__("Export a match", parent, width=500)
        self._settings = settings
        self.subject(name)
        self.kind, self.steps, self.part, self.version = QComboBox(), QComboBox(), QComboBox(), QComboBox()
        for kind, words in _KINDS.items():
            self.kind.addItem(words, kind)
        for size in SIZES:
            self.steps.addItem(f"{size} a side", size)
        for part, words in _PARTS.items():
            if flat or part is not Part.NORMAL:
                self.part.addItem(words, part)
        for version in (4, 2):
            self.version.addItem(f"ICC version {version}", version)
        self.space = SpaceBox("Numbers that it takes")
        self.space.offer([s for s in spaces if isinstance(s, RGBSpace)], str(settings.value("match export/space", ROMM.id)))
        self._rows = {}
        for label, field in (
            ("As", self.kind),
            ("Numbers", self.space),
            ("Steps", self.steps),
            ("Version", self.version),
            ("What of it", self.part),
        ):
            self._rows[label] = labelled(label, field, _WIDE)
            self.column.addWidget(self._rows[label])
        self.kind.setCurrentIndex(self.kind.findData(As(str(settings.value("match export/kind", As.CUBE)))))
        self.steps.setCurrentIndex(max(self.steps.findData(int(str(settings.value("match export/size", 33)))), 0))
        self.column.addWidget(Rule())
        self.words = Words()
        self.words.setWordWrap(True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.words.setMinimumHeight(2 * self.words.fontMetrics().lineSpacing())
        self.column.addWidget(self.words)
        self.offer("Write…")
        for field in (self.kind, self.space, self.steps, self.part, self.version):
            field.currentIndexChanged.connect(lambda _: self._follow())
        self._follow()

    def _follow(self) -> None:
        kind = self.kind.currentData()
        self._rows["Numbers"].setEnabled(kind in (As.CUBE, As.INPUT))
        self._rows["Steps"].setEnabled(kind is As.CUBE)
        self._rows["Version"].setEnabled(kind in (As.INPUT, As.ABSTRACT))
        self._rows["What of it"].setEnabled(kind is not As.OWN)
        takes, gives = self.wish().words()
        self.words.setText(f"Takes {takes}; gives {gives}. Strength on frames is not in it.")

    def wish(self) -> ExportWish:
        """What was chosen."""
        space, kind = self.space.space(), self.kind.currentData()
        part = Part.BOTH if kind is As.OWN else self.part.currentData()
        return ExportWish(
            kind,
            space if isinstance(space, RGBSpace) else ROMM,
            self.steps.currentData(),
            part,
            self.version.currentData(),
        )

    def accept(self) -> None:
        """Remember what was chosen."""
        wish = self.wish()
        for what, value in (("kind", wish.kind.value), ("space", wish.space.id), ("size", wish.size)):
            self._settings.setValue(f"match export/{what}", value)
        super().accept()
