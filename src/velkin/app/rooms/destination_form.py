"""What is decided about one destination, as fields: shown from a destination, and told as a changed one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.parts import Heading, Rule, button, compact, labelled, row_of, soft
from velkin.app.widgets.space_box import SpaceBox
from velkin.core.conversion.effect import intent_name
from velkin.core.destinations.destination import EXISTING, SHARPENING, Destination, FileFormat
from velkin.core.destinations.naming import WORDS
from velkin.core.destinations.sizing import CUT, EXACT, FULL, LONG, PRINT, WHITE, Size
from velkin.core.files.coding import SUBSAMPLINGS, TIFF_COMPRESSIONS
from velkin.core.files.kinds import DELIVERED, best_bits
from velkin.core.files.metadata_policy import ALL, KEEPING, MetadataPolicy
from velkin.core.icc.space import Space
from velkin.core.icc.transform import Intent
from velkin.core.spaces.rgb import RGBSpace

_SIZES = {FULL: "full size", LONG: "by its long edge", EXACT: "exact pixels", PRINT: "for a print"}
_FILLS = {CUT: "fill it, cut off what stands over", WHITE: "whole picture, on white"}
_SUBSAMPLING = {"4:4:4": "full colour (4:4:4)", "4:2:2": "half across (4:2:2)", "4:2:0": "half both ways (4:2:0)"}
_COMPRESSION = {"none": "none", "lzw": "LZW", "deflate": "Deflate"}
_WIDTH = 92


def _choice(items: Mapping[Any, str], name: str) -> QComboBox:
    box = compact(QComboBox())
    for key, words in items.items():
        box.addItem(words, key)
    box.setAccessibleName(name)
    return box


def _spin(low: int, high: int, suffix: str, step: int = 1) -> QSpinBox:
    box = QSpinBox()
    box.setRange(low, high)
    box.setSuffix(suffix)
    box.setSingleStep(step)
    box.setKeyboardTracking(False)
    return box


class DestinationForm(QWidget):
    """The fields, in two columns."""

    changed = pyqtSignal(object, object)  # Destination, the Space that was chosen or None
    pattern_typed = pyqtSignal()
    browse_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._filling = False
        self._shown: Destination | None = None
        columns = QHBoxLayout(self)
        columns.setContentsMargins(12, 12, 20, 12)
        columns.setSpacing(24)
        first, second = QVBoxLayout(), QVBoxLayout()
        for column in (first, second):
            column.setSpacing(8)
            columns.addLayout(column, 1)
        self._build_colour(first)
        self._build_file(first)
        self._build_size(second)
        self._build_place(second)
        first.addStretch(1)
        second.addStretch(1)

    def _build_colour(self, column: QVBoxLayout) -> None:
        column.addWidget(Heading("What it is for"))
        self.name = QLineEdit()
        self.name.setMaxLength(80)
        self.name.editingFinished.connect(self._edited)
        column.addWidget(labelled("Name", self.name, _WIDTH))
        self.about = QLineEdit()
        self.about.setMaxLength(200)
        self.about.editingFinished.connect(self._edited)
        column.addWidget(labelled("Description", self.about, _WIDTH))
        column.addWidget(Rule())
        column.addWidget(Heading("Colour"))
        self.space = SpaceBox("Space or profile")
        self.space.picked.connect(lambda _: self._edited())
        column.addWidget(labelled("Space", self.space, _WIDTH))
        self.intent = _choice({}, "Intent")
        for intent in Intent:
            self.intent.addItem(intent_name(intent), intent)
        self.intent.activated.connect(lambda _: self._edited())
        self._intent_row = labelled("Intent", self.intent, _WIDTH)
        column.addWidget(self._intent_row)
        self.black_point = CheckBox("Black point compensation")
        self.black_point.clicked.connect(lambda _: self._edited())
        column.addWidget(self.black_point)
        self.version = _choice({}, "ICC version")
        self.version.addItem("version 4", 4)
        self.version.addItem("version 2, for older programs", 2)
        self.version.activated.connect(lambda _: self._edited())
        self._version_row = labelled("ICC profile", self.version, _WIDTH)
        column.addWidget(self._version_row)
        self.limit = _spin(0, 100, " % out of gamut")
        self.limit.valueChanged.connect(lambda _: self._edited())
        self.limit.setToolTip("Frames of which more is out of gamut are named before the start")
        column.addWidget(labelled("Warn above", self.limit, _WIDTH))

    def _build_file(self, column: QVBoxLayout) -> None:
        column.addWidget(Rule())
        column.addWidget(Heading("File"))
        self.kind = _choice(DELIVERED, "Format")
        self.kind.activated.connect(lambda _: self._edited())
        column.addWidget(labelled("Format", self.kind, _WIDTH))
        self.bits = _choice({}, "Bits")
        self.bits.addItem("8 bits", 8)
        self.bits.addItem("16 bits", 16)
        self.bits.activated.connect(lambda _: self._edited())
        self._bits_row = labelled("Bits", self.bits, _WIDTH)
        column.addWidget(self._bits_row)
        self.dither = CheckBox("Dither when going to 8 bits")
        self.dither.setToolTip("Fine even noise of half a code, the same on every run, against steps in skies")
        self.dither.clicked.connect(lambda _: self._edited())
        column.addWidget(self.dither)
        self.transparency = CheckBox("Keep transparent parts transparent")
        self.transparency.setToolTip("Else they are laid over white, as in JPEG and in inks, which hold none")
        self.transparency.clicked.connect(lambda _: self._edited())
        column.addWidget(self.transparency)
        self.quality = _spin(1, 100, "")
        self.quality.valueChanged.connect(lambda _: self._edited())
        self._quality_row = labelled("Quality", self.quality, _WIDTH)
        column.addWidget(self._quality_row)
        self.subsampling = _choice({k: _SUBSAMPLING[k] for k in SUBSAMPLINGS}, "Chroma subsampling")
        self.subsampling.activated.connect(lambda _: self._edited())
        self._subsampling_row = labelled("Subsampling", self.subsampling, _WIDTH)
        column.addWidget(self._subsampling_row)
        self.compression = _choice({k: _COMPRESSION[k] for k in TIFF_COMPRESSIONS}, "Compression")
        self.compression.activated.connect(lambda _: self._edited())
        self._compression_row = labelled("Compression", self.compression, _WIDTH)
        column.addWidget(self._compression_row)
        self.keep = _choice(KEEPING, "Metadata")
        self.keep.activated.connect(lambda _: self._edited())
        column.addWidget(labelled("Metadata", self.keep, _WIDTH))
        self.location = CheckBox("Include location")
        self.location.clicked.connect(lambda _: self._edited())
        column.addWidget(self.location)

    def _build_size(self, column: QVBoxLayout) -> None:
        column.addWidget(Heading("Size"))
        self.size_kind = _choice(_SIZES, "Size")
        self.size_kind.activated.connect(lambda _: self._edited())
        column.addWidget(labelled("Size", self.size_kind, _WIDTH))
        self.edge = _spin(16, 65000, " px", 64)
        self._edge_row = labelled("Long edge", self.edge, _WIDTH)
        self.wide, self.high = _spin(16, 65000, " px", 100), _spin(16, 65000, " px", 100)
        self.wide.setAccessibleName("Width")
        self.high.setAccessibleName("Height")
        self._exact_row = labelled("Width × height", row_of(self.wide, self.high), _WIDTH)
        self.fill = _choice(_FILLS, "Other shapes")
        self.fill.activated.connect(lambda _: self._edited())
        self._fill_row = labelled("Other shapes", self.fill, _WIDTH)
        self.print_wide, self.print_high = QDoubleSpinBox(), QDoubleSpinBox()
        for box, name in ((self.print_wide, "Width of the print"), (self.print_high, "Height of the print")):
            box.setRange(0.5, 2000.0)
            box.setDecimals(1)
            box.setSuffix(" cm")
            box.setKeyboardTracking(False)
            box.setAccessibleName(name)
            box.valueChanged.connect(lambda _: self._edited())
        self._print_row = labelled("Width × height", row_of(self.print_wide, self.print_high), _WIDTH)
        self.ppi = _spin(30, 2400, " ppi", 10)
        self._ppi_row = labelled("Resolution", self.ppi, _WIDTH)
        for each in (self.edge, self.wide, self.high, self.ppi):
            each.valueChanged.connect(lambda _: self._edited())
        for part in (self._edge_row, self._exact_row, self._fill_row, self._print_row, self._ppi_row):
            column.addWidget(part)
        self.enlarge = CheckBox("Enlarge pictures that are smaller")
        self.enlarge.clicked.connect(lambda _: self._edited())
        column.addWidget(self.enlarge)
        self.sharpen = _choice({k: k for k in SHARPENING}, "Output sharpening")
        self.sharpen.setToolTip("Local lightness contrast at the written size, without halos; off where the receiver sharpens")
        self.sharpen.activated.connect(lambda _: self._edited())
        column.addWidget(labelled("Sharpening", self.sharpen, _WIDTH))

    def _build_place(self, column: QVBoxLayout) -> None:
        column.addWidget(Rule())
        column.addWidget(Heading("Name and folder"))
        self.folder = QLineEdit()
        self.folder.setToolTip("A folder; a name without a path lies next to the shoot")
        self.folder.setAccessibleName("Folder")
        self.folder.editingFinished.connect(self._edited)
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        row.addWidget(self.folder, 1)
        row.addWidget(button("Choose…", self.browse_wanted.emit, tip="Choose the folder"))
        column.addWidget(labelled("Folder", holder, _WIDTH))
        self.pattern = QLineEdit()
        self.pattern.editingFinished.connect(self._edited)
        self.pattern.textEdited.connect(lambda _: self.pattern_typed.emit())
        column.addWidget(labelled("File name", self.pattern, _WIDTH))
        self.names = soft()
        column.addWidget(self.names)
        words = soft("Words in braces: " + "; ".join(f"{{{w}}} {what}" for w, what in WORDS.items()) + ".")
        column.addWidget(words)
        self.existing = _choice(EXISTING, "If the file exists")
        self.existing.activated.connect(lambda _: self._edited())
        column.addWidget(labelled("If file exists", self.existing, _WIDTH))

    # ---- showing and telling ----------------------------------------------------------------------------------

    def show_destination(self, d: Destination, known: Space | None, spaces: list[Space]) -> None:
        """Show a destination; `known` is its space where the shoot has it, `spaces` are those that may be chosen."""
        self._filling, self._shown = True, d
        for line, text in ((self.name, d.name), (self.about, d.about), (self.folder, d.folder), (self.pattern, d.pattern)):
            if line.text() != text:
                line.setText(text)
                line.setCursorPosition(0)
        self.space.offer(spaces, d.space_id)
        if known is None:
            self.space.setCurrentIndex(-1)
        self.intent.setCurrentIndex(self.intent.findData(d.intent))
        self.black_point.setChecked(d.black_point)
        self.black_point.setEnabled(d.intent is not Intent.ABSOLUTE)
        tables = known is not None and not isinstance(known, RGBSpace)
        self._intent_row.setVisible(tables)
        self.black_point.setVisible(tables)
        self.version.setCurrentIndex(self.version.findData(d.icc_version))
        self._version_row.setVisible(known is not None and known.icc is None)
        self.limit.setValue(round(100 * d.outside_limit))
        self._fill_file(d.file, "rgb" if known is None else known.model)
        self._fill_size(d.size)
        self.keep.setCurrentIndex(self.keep.findData(d.metadata.keep))
        self.location.setChecked(d.metadata.location)
        self.location.setEnabled(d.metadata.keep == ALL)
        self.sharpen.setCurrentIndex(self.sharpen.findData(d.sharpen))
        self.existing.setCurrentIndex(self.existing.findData(d.existing))
        self._filling = False

    def _fill_file(self, file: FileFormat, model: str) -> None:
        self.kind.setCurrentIndex(self.kind.findData(file.kind))
        self.bits.setCurrentIndex(self.bits.findData(file.bits))
        self.dither.setChecked(file.dither)
        self.quality.setValue(file.quality)
        self.subsampling.setCurrentIndex(self.subsampling.findData(file.subsampling))
        self.compression.setCurrentIndex(self.compression.findData(file.compression))
        self._bits_row.setVisible(best_bits(file.kind, 16) == 16)
        self.dither.setVisible(file.bits == 8)
        self.transparency.setChecked(file.transparency)
        self.transparency.setVisible(replace(file, transparency=True).keeps_transparency(model))
        self._quality_row.setVisible(not file.lossless)
        self._subsampling_row.setVisible(file.kind == "jpeg")
        self._compression_row.setVisible(file.kind == "tiff")

    def _fill_size(self, size: Size) -> None:
        self.size_kind.setCurrentIndex(self.size_kind.findData(size.kind))
        self.edge.setValue(size.long_edge)
        self.wide.setValue(size.width)
        self.high.setValue(size.height)
        self.fill.setCurrentIndex(self.fill.findData(size.fill))
        self.print_wide.setValue(size.print_width)
        self.print_high.setValue(size.print_height)
        self.ppi.setValue(size.ppi)
        self.enlarge.setChecked(size.enlarge)
        self._edge_row.setVisible(size.kind == LONG)
        self._exact_row.setVisible(size.kind == EXACT)
        self._fill_row.setVisible(size.kind == EXACT)
        self._print_row.setVisible(size.kind == PRINT)
        self._ppi_row.setVisible(size.kind == PRINT)
        self.enlarge.setVisible(size.kind != FULL)

    def set_folder(self, folder: str) -> None:
        """Another folder was chosen."""
        self.folder.setText(folder)
        self._edited()

    def _edited(self) -> None:
        d = self._shown
        if d is None or self._filling:
            return
        space = self.space.space()
        kind = self.kind.currentData()
        file = FileFormat(
            kind,
            best_bits(kind, int(self.bits.currentData() or 8)),
            self.dither.isChecked(),
            self.quality.value(),
            self.subsampling.currentData(),
            self.compression.currentData(),
            self.transparency.isChecked(),
        )
        size = Size(
            self.size_kind.currentData(), self.edge.value(), self.wide.value(), self.high.value(), self.fill.currentData(),
            self.print_wide.value(), self.print_high.value(), self.ppi.value(), self.enlarge.isChecked(),
        )  # fmt: skip
        changed = replace(
            d,
            name=self.name.text().strip() or d.name,
            about=self.about.text().strip(),
            space_id=space.id if space is not None else d.space_id,
            intent=Intent(self.intent.currentData()),
            black_point=self.black_point.isChecked(),
            icc_version=int(self.version.currentData()),
            outside_limit=self.limit.value() / 100.0,
            file=file,
            size=size,
            sharpen=self.sharpen.currentData(),
            folder=self.folder.text().strip() or d.folder,
            pattern=self.pattern.text().strip() or d.pattern,
            existing=self.existing.currentData(),
            metadata=MetadataPolicy(self.keep.currentData(), self.location.isChecked()),
        )
        if changed != d:
            self.changed.emit(changed, space)
