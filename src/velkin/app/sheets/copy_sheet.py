"""How a tagged copy is written: name, bits, dither, quality; and what will stand in it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6 import sip
from PyQt6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QLineEdit, QSpinBox, QWidget

from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.parts import Rule, Words, button, labelled
from velkin.app.widgets.sheet import Sheet
from velkin.app.words import ASSIGN, CONVERT
from velkin.core.files.kinds import FORMATS, holds_transparency
from velkin.core.handoff.copies import CopyWish
from velkin.core.path import ColourPath
from velkin.core.shoot.frame import Frame
from velkin.core.stages.stage import Alters, Place

#: Asks what of the frame a file of a format would not hold, and is told in words.
Lost = Callable[[str, Callable[[str], None]], None]


class CopySheet(Sheet):
    """Asks for what a copy needs."""

    def __init__(
        self, frame: Frame, path: ColourPath, folder: Path, parent: QWidget, lost: Lost = lambda kind, then: None
    ) -> None:
        super().__init__("Save a tagged copy", parent)
        self._lost = lost
        self._frame, self._path = frame, path
        self._replacing: Path | None = None
        self._left: dict[str, str] = {}  # by format; empty until it is known
        space = path.numbers_in
        self._converts = not path.keeps_numbers
        facts = frame.picture
        column = self.column
        suffix = frame.path.suffix if frame.path.suffix.lower() in FORMATS else ".tif"
        if space.model == "cmyk" and suffix.lower() not in (".tif", ".tiff", ".jpg", ".jpeg"):
            suffix = ".tif"
        name = space.name.split(" (")[0].replace("/", "-") if path.known else "copy"
        self.out = QLineEdit(str(folder / f"{frame.path.stem} {name}{suffix}"))
        self.out.setMinimumWidth(460)
        row = QHBoxLayout()
        row.addWidget(labelled("File", self.out, 64), 1)
        row.addWidget(button("Browse…", self._browse))
        column.addLayout(row)
        self.bits = QComboBox()
        self.bits.addItem("as the source" if facts.bits > 8 else "as the source (8)", None)
        if self._converts:
            self.bits.addItem("8", 8)
            self.bits.addItem("16", 16)
        column.addWidget(labelled("Bits", self.bits, 64))
        self.dither = CheckBox("Dither when going to 8 bits (fine and even, the same on every run)")
        self.dither.setChecked(True)
        self.dither.setVisible(self._converts)
        column.addWidget(self.dither)
        self.quality = QSpinBox()
        self.quality.setRange(1, 100)
        self.quality.setValue(95)
        self._quality_row = labelled("Quality", self.quality, 64)
        column.addWidget(self._quality_row)
        column.addWidget(Rule())
        self.words = Words()
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        (self._write,) = self.offer("Write the copy")
        self.out.textChanged.connect(lambda _: self._follow())
        self._follow()

    def _browse(self) -> None:
        pattern = "Pictures (" + " ".join(f"*{s}" for s in FORMATS) + ")"
        chosen, _ = QFileDialog.getSaveFileName(self, "Save a tagged copy", self.out.text(), pattern)
        if chosen:
            self._replacing = Path(chosen)  # the dialog asked about replacing
            self.out.setText(chosen)

    def _follow(self) -> None:
        out = Path(self.out.text())
        kind = FORMATS.get(out.suffix.lower(), "")
        self._quality_row.setVisible(kind in ("jpeg", "webp", "avif") and self._converts)
        self._write.setEnabled(bool(kind))
        if not kind:
            self.words.setText(f"A copy is written as {', '.join(FORMATS)}.")
        elif self._path.at(Place.LOOK):
            self.words.setText(
                f"Written with its look, {self._path.numbers_in.name} embedded ({Alters.BOTH.value}). The source file is not touched."
                + self._losses(kind)
            )
        elif self._converts:
            self.words.setText(
                f"Converted to {self._path.here.name} ({CONVERT}), which is embedded. The source file is not touched."
                + self._losses(kind)
            )
        elif self._path.known:
            self.words.setText(
                f"{self._path.here.name} is embedded ({ASSIGN}); not one number is touched, and the source file neither."
                + (self._losses(kind) if kind != self._frame.picture.format else "")
            )
        else:
            self.words.setText("It is written as it came, without a tag. The source file is not touched.")

    def _losses(self, kind: str) -> str:
        """What a format has no place for, in sentences."""
        words = ""
        if self._frame.picture.alpha and not holds_transparency(kind):
            words = " Its transparent parts are laid over white."
        if kind not in self._left:
            self._left[kind] = ""
            self._lost(kind, lambda left: self._told(kind, left))
        return words + (f" Left behind: {self._left[kind]}." if self._left[kind] else "")

    def _told(self, kind: str, left: str) -> None:
        self._left[kind] = left
        if left and not sip.isdeleted(self):
            self._follow()

    def wish(self) -> CopyWish:
        """What is to be written."""
        out = Path(self.out.text()).expanduser()
        return CopyWish(
            out,
            self.bits.currentData(),
            self.dither.isChecked(),
            self.quality.value(),
            self._frame.picture.page,
            self._replacing == out,
        )
