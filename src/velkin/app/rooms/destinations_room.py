"""Destinations: each with all that is decided about its files, and what will become of the frame at hand."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from velkin.app import theme
from velkin.app.benches.parts import Heading, Rule, button, compact, labelled, room_header, row_of, soft
from velkin.app.colour_spaces import SpaceBox
from velkin.app.desk import Desk
from velkin.app.words import ASSIGN, CONVERT
from velkin.core.conversion.effect import intent_name
from velkin.core.errors import VelkinError
from velkin.core.files.formats import SUBSAMPLINGS, TIFF_COMPRESSIONS, best_bits
from velkin.core.files.metadata import ALL, KEEPING, MetadataPolicy
from velkin.core.handoff.destination import EXISTING, SHARPENING, Destination, FileFormat
from velkin.core.handoff.destination_file import from_file, to_file_text
from velkin.core.handoff.naming import WORDS, NameFacts
from velkin.core.handoff.sizing import CUT, EXACT, FULL, LONG, PRINT, WHITE, Size, fitted
from velkin.core.handoff.starters import LAB_HELP, STARTERS
from velkin.core.icc.space import Space, same_numbers
from velkin.core.icc.transform import Intent
from velkin.core.spaces.rgb import RGBSpace

_FORMATS = {"jpeg": "JPEG", "tiff": "TIFF", "png": "PNG", "webp": "WebP", "avif": "AVIF", "jxl": "JPEG XL"}
_SIZES = {FULL: "full size", LONG: "by its long edge", EXACT: "exact pixels", PRINT: "for a print"}
_FILLS = {CUT: "fill it, cut off what stands over", WHITE: "whole picture, on white"}
_SUBSAMPLING = {"4:4:4": "full colour (4:4:4)", "4:2:2": "half across (4:2:2)", "4:2:0": "half both ways (4:2:0)"}
_COMPRESSION = {"none": "none", "lzw": "LZW", "deflate": "Deflate"}
_WIDTH = 92


def _choice(items: dict[str, str], name: str) -> QComboBox:
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


class DestinationsRoom(QWidget):
    """Takes the place of viewer and bench."""

    left = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._model = desk.model
        self._filling = False
        bar, row = room_header("Destinations")
        row.addStretch(1)
        row.addWidget(button("What does my lab want?", self._lab_help))
        row.addWidget(button("Leave   Esc", self.leave))
        self.list = QListWidget()
        self.list.setFrameShape(QFrame.Shape.NoFrame)
        self.list.setAccessibleName("Destinations")
        self.list.setFont(theme.font(13))
        self.list.currentItemChanged.connect(lambda *_: self._fill())
        self.list.itemChanged.connect(self._ticked)
        left = self._build_left()
        form = QWidget()
        columns = QHBoxLayout(form)
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
        scroll = QScrollArea()
        scroll.setWidget(form)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.sentence = QLabel()
        self.sentence.setWordWrap(True)
        self.sentence.setMargin(14)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(scroll, 1)
        right.addWidget(Rule())
        right.addWidget(self.sentence)
        body = QHBoxLayout()
        body.setSpacing(0)
        body.addWidget(left)
        body.addLayout(right, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(bar)
        column.addWidget(Rule())
        column.addLayout(body, 1)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        leave = QShortcut(QKeySequence("Esc"), self)
        leave.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        leave.activated.connect(self.leave)
        self._model.changed.connect(self._follow)

    # ---- building ---------------------------------------------------------------------------------------------

    def _build_left(self) -> QWidget:
        holder = QWidget()
        holder.setFixedWidth(220)
        column = QVBoxLayout(holder)
        column.setContentsMargins(12, 12, 12, 12)
        column.setSpacing(8)
        column.addWidget(self.list, 1)
        self.add = QPushButton("Add")
        menu = QMenu(self.add)
        menu.setToolTipsVisible(True)
        for d in STARTERS.values():
            action = menu.addAction(d.name)
            assert action is not None
            action.setToolTip(d.about)
            action.triggered.connect(lambda _=False, d=d: self.add_starter(d.id))
        menu.addSeparator()
        copy = menu.addAction("A copy of this one")
        assert copy is not None
        copy.triggered.connect(lambda _=False: self._copy())
        self.add.setMenu(menu)
        self.remove = button("Take away", self._remove)
        column.addWidget(row_of(self.add, self.remove))
        self.bring = button("Bring in…", self._bring, tip="Destinations from a file; dropping it does the same")
        self.save = button(
            "Save as file…", self._save, tip="All destinations with the profiles they need, for another shoot or colleague"
        )
        for each in (self.bring, self.save):
            each.setProperty("narrow", True)
        column.addWidget(row_of(self.bring, self.save))
        return holder

    def _build_colour(self, column: QVBoxLayout) -> None:
        column.addWidget(Heading("What it is for"))
        self.name = QLineEdit()
        self.name.setMaxLength(80)
        self.name.editingFinished.connect(self._edited)
        column.addWidget(labelled("Name", self.name, _WIDTH))
        self.about = QLineEdit()
        self.about.setMaxLength(200)
        self.about.editingFinished.connect(self._edited)
        column.addWidget(labelled("In a line", self.about, _WIDTH))
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
        self.black_point = QCheckBox("Black point compensation")
        self.black_point.clicked.connect(lambda _: self._edited())
        column.addWidget(self.black_point)
        self.version = _choice({}, "ICC version")
        self.version.addItem("version 4", 4)
        self.version.addItem("version 2, for older programs", 2)
        self.version.activated.connect(lambda _: self._edited())
        self._version_row = labelled("ICC profile", self.version, _WIDTH)
        column.addWidget(self._version_row)
        self.limit = _spin(0, 100, " % outside")
        self.limit.valueChanged.connect(lambda _: self._edited())
        self.limit.setToolTip("Frames of which more lies outside are named before the start")
        column.addWidget(labelled("Warn above", self.limit, _WIDTH))

    def _build_file(self, column: QVBoxLayout) -> None:
        column.addWidget(Rule())
        column.addWidget(Heading("File"))
        self.kind = _choice(_FORMATS, "Format")
        self.kind.activated.connect(lambda _: self._edited())
        column.addWidget(labelled("Format", self.kind, _WIDTH))
        self.bits = _choice({}, "Bits")
        self.bits.addItem("8 bits", 8)
        self.bits.addItem("16 bits", 16)
        self.bits.activated.connect(lambda _: self._edited())
        self._bits_row = labelled("Bits", self.bits, _WIDTH)
        column.addWidget(self._bits_row)
        self.dither = QCheckBox("Dither when going to 8 bits")
        self.dither.setToolTip("Fine even noise of half a code, the same on every run, against steps in skies")
        self.dither.clicked.connect(lambda _: self._edited())
        column.addWidget(self.dither)
        self.quality = _spin(1, 100, "")
        self.quality.valueChanged.connect(lambda _: self._edited())
        self._quality_row = labelled("Quality", self.quality, _WIDTH)
        column.addWidget(self._quality_row)
        self.subsampling = _choice({k: _SUBSAMPLING[k] for k in SUBSAMPLINGS}, "Colour detail")
        self.subsampling.activated.connect(lambda _: self._edited())
        self._subsampling_row = labelled("Colour detail", self.subsampling, _WIDTH)
        column.addWidget(self._subsampling_row)
        self.compression = _choice({k: _COMPRESSION[k] for k in TIFF_COMPRESSIONS}, "Compression")
        self.compression.activated.connect(lambda _: self._edited())
        self._compression_row = labelled("Compression", self.compression, _WIDTH)
        column.addWidget(self._compression_row)
        self.keep = _choice(KEEPING, "Metadata")
        self.keep.activated.connect(lambda _: self._edited())
        column.addWidget(labelled("Metadata", self.keep, _WIDTH))
        self.location = QCheckBox("Where it was taken may be told")
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
        self._exact_row = labelled("Wide × high", row_of(self.wide, self.high), _WIDTH)
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
        self._print_row = labelled("Wide × high", row_of(self.print_wide, self.print_high), _WIDTH)
        self.ppi = _spin(30, 2400, " ppi", 10)
        self._ppi_row = labelled("Resolution", self.ppi, _WIDTH)
        for each in (self.edge, self.wide, self.high, self.ppi):
            each.valueChanged.connect(lambda _: self._edited())
        for part in (self._edge_row, self._exact_row, self._fill_row, self._print_row, self._ppi_row):
            column.addWidget(part)
        self.enlarge = QCheckBox("Enlarge pictures that are smaller")
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
        row.addWidget(button("Choose…", self._browse, tip="Choose the folder"))
        column.addWidget(labelled("Folder", holder, _WIDTH))
        self.pattern = QLineEdit()
        self.pattern.editingFinished.connect(self._edited)
        self.pattern.textEdited.connect(lambda _: self._show_names())
        column.addWidget(labelled("File name", self.pattern, _WIDTH))
        self.names = soft()
        column.addWidget(self.names)
        words = soft("Words in braces: " + "; ".join(f"{{{w}}} {what}" for w, what in WORDS.items()) + ".")
        column.addWidget(words)
        self.existing = _choice(EXISTING, "Where a file is there")
        self.existing.activated.connect(lambda _: self._edited())
        column.addWidget(labelled("Already there", self.existing, _WIDTH))

    # ---- showing ----------------------------------------------------------------------------------------------

    def enter(self, identifier: str = "") -> None:
        """Show the destinations, one of them chosen."""
        self._follow()
        for index in range(self.list.count()):
            item = self.list.item(index)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == identifier:
                self.list.setCurrentItem(item)
        self.list.setFocus()

    def destination(self) -> Destination | None:
        """The one that is shown."""
        item = self.list.currentItem()
        if item is None or self._model.shoot is None:
            return None
        wanted = item.data(Qt.ItemDataRole.UserRole)
        return next((d for d in self._model.state.destinations if d.id == wanted), None)

    def _follow(self) -> None:
        if self._model.shoot is None:
            return
        now, state = self.destination(), self._model.state
        shown = [(d.id, d.name, d.ticked) for d in state.destinations]
        items = [self.list.item(i) for i in range(self.list.count())]
        there = [
            (i.data(Qt.ItemDataRole.UserRole), i.text(), i.checkState() == Qt.CheckState.Checked)
            for i in items
            if i is not None
        ]
        if shown != there:
            self.list.blockSignals(True)
            self.list.clear()
            for identifier, name, ticked in shown:
                item = QListWidgetItem(name)
                item.setData(Qt.ItemDataRole.UserRole, identifier)
                item.setSizeHint(QSize(0, 30))
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
                self.list.addItem(item)
            index = next((i for i, s in enumerate(shown) if now is not None and s[0] == now.id), 0)
            self.list.setCurrentRow(index)
            self.list.blockSignals(False)
        self._fill()

    def _fill(self) -> None:
        d = self.destination()
        if d is None:
            return
        self._filling = True
        state = self._model.state
        for line, text in ((self.name, d.name), (self.about, d.about), (self.folder, d.folder), (self.pattern, d.pattern)):
            if line.text() != text:
                line.setText(text)
                line.setCursorPosition(0)
        spaces = {s.id: s for s in self._desk.spaces.destinations()}
        known = state.known_space(d.space_id)
        if known is not None:
            spaces.setdefault(known.id, known)
        self.space.offer(list(spaces.values()), d.space_id)
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
        self._fill_file(d.file)
        self._fill_size(d.size)
        self.keep.setCurrentIndex(self.keep.findData(d.metadata.keep))
        self.location.setChecked(d.metadata.location)
        self.location.setEnabled(d.metadata.keep == ALL)
        self.sharpen.setCurrentIndex(self.sharpen.findData(d.sharpen))
        self.existing.setCurrentIndex(self.existing.findData(d.existing))
        self.remove.setEnabled(len(state.destinations) > 1)
        self._filling = False
        self._show_names()
        self._show_sentence(d, known)

    def _fill_file(self, file: FileFormat) -> None:
        self.kind.setCurrentIndex(self.kind.findData(file.kind))
        self.bits.setCurrentIndex(self.bits.findData(file.bits))
        self.dither.setChecked(file.dither)
        self.quality.setValue(file.quality)
        self.subsampling.setCurrentIndex(self.subsampling.findData(file.subsampling))
        self.compression.setCurrentIndex(self.compression.findData(file.compression))
        self._bits_row.setVisible(best_bits(file.kind, 16) == 16)
        self.dither.setVisible(file.bits == 8)
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

    def _show_names(self) -> None:
        d, shoot = self.destination(), self._model.shoot
        if d is None or shoot is None:
            return
        from velkin.core.handoff.jobs import name_facts

        state = shoot.state
        frames = [f for f in state.order() if state.frames[f].role == "subject"][:2] or state.order()[:2]
        tried = replace(d, pattern=self.pattern.text().strip() or d.pattern)
        try:
            made = [tried.file_name(name_facts(state, f, tried, n)) for n, f in enumerate(frames, start=1)]
            made = made or [tried.file_name(NameFacts("frame", 1))]
        except VelkinError as error:
            self.names.setText(error.message)
            return
        self.names.setText(f"{', '.join(made)} … in {shoot.folder_of(d)}")

    def _show_sentence(self, d: Destination, space: Space | None) -> None:
        frame, path = self._model.frame, self._model.path()
        if space is None:
            self.sentence.setText(
                "Choose the space or profile that the receiver wants; until then nothing can be written to it."
            )
            return
        if frame is None or path is None or not path.known:
            self.sentence.setText(f"Files in {space.name}, tagged, read back before they get their names.")
            return
        fit = fitted(d.size, frame.facts.width, frame.facts.height)
        at = f" at {fit.ppi:.0f} ppi" if fit.ppi is not None else ""
        change = ASSIGN if same_numbers(path.here, space) else CONVERT
        change = "numbers stay as they are" if change == ASSIGN else change
        eased = ", eased on the way" if any(e.acts(space.id) for e in self._model.state.easings_of(frame.id)) else ""
        self.sentence.setText(
            f"{frame.name} becomes {fit.out[0]} × {fit.out[1]} px{at}, {d.file.words()}, {space.name}: {change}{eased}. Metadata: {d.metadata.words()}."
        )

    # ---- changing ---------------------------------------------------------------------------------------------

    def _edited(self) -> None:
        d = self.destination()
        if d is None or self._filling:
            return
        space = self.space.space()
        kind = str(self.kind.currentData())
        file = FileFormat(
            kind,
            best_bits(kind, int(self.bits.currentData() or 8)),
            self.dither.isChecked(),
            self.quality.value(),
            str(self.subsampling.currentData()),
            str(self.compression.currentData()),
        )
        size = Size(
            str(self.size_kind.currentData()), self.edge.value(), self.wide.value(), self.high.value(), str(self.fill.currentData()),
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
            sharpen=str(self.sharpen.currentData()),
            folder=self.folder.text().strip() or d.folder,
            pattern=self.pattern.text().strip() or d.pattern,
            existing=str(self.existing.currentData()),
            metadata=MetadataPolicy(str(self.keep.currentData()), self.location.isChecked()),
        )
        if changed != d and not self._desk.handoff.set_destination(changed, space):
            self._fill()

    def _ticked(self, item: QListWidgetItem) -> None:
        wanted = item.data(Qt.ItemDataRole.UserRole)
        d = next((d for d in self._model.state.destinations if d.id == wanted), None)
        on = item.checkState() == Qt.CheckState.Checked
        if d is not None and d.ticked != on and not self._desk.handoff.set_destination(replace(d, ticked=on)):
            self._follow()

    def add_starter(self, identifier: str) -> None:
        """Add one of the shipped destinations and show it."""
        made = self._desk.handoff.add([(STARTERS[identifier], None)])
        if made:
            self.enter(made[0])

    def _copy(self) -> None:
        d = self.destination()
        if d is not None:
            made = self._desk.handoff.add([(d, None)])
            if made:
                self.enter(made[0])

    def _remove(self) -> None:
        d = self.destination()
        if d is not None:
            self._desk.handoff.remove(d.id)
            self._model.notice.emit(f"{d.name} was taken away; what was written to it stays. Ctrl+Z brings it back.")

    def _browse(self) -> None:
        d, shoot = self.destination(), self._model.shoot
        if d is None or shoot is None:
            return
        start = shoot.folder_of(d)
        chosen = QFileDialog.getExistingDirectory(
            self, "Folder of this destination", str(start if start.is_dir() else start.parent)
        )
        if chosen:
            self.folder.setText(str(Path(chosen)))
            self._edited()

    # ---- exchange ---------------------------------------------------------------------------------------------

    def _bring(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Bring destinations in", "", "Destinations (*.json)")
        if chosen:
            self.bring_in(Path(chosen))

    def bring_in(self, path: Path) -> None:
        """Add the destinations of a file."""
        try:
            pairs = from_file(path)
        except VelkinError as error:
            self._model.report(error)
            return
        made = self._desk.handoff.add(pairs)
        if made:
            self.enter(made[0])
            self._model.notice.emit(f"{len(made)} of {path.name} added: {', '.join(d.name for d, _ in pairs)}.")

    def _save(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the destinations", "destinations.json", "Destinations (*.json)")
        if chosen:
            self.save_to(Path(chosen))

    def save_to(self, path: Path) -> None:
        """Write all destinations of the shoot into a file."""
        from velkin.core.files.safely import write_whole

        state = self._model.state
        out = path if path.suffix else path.with_suffix(".json")
        try:
            text = to_file_text([(d, state.known_space(d.space_id)) for d in state.destinations])
            write_whole(out, text.encode(), True)
        except VelkinError as error:
            self._model.report(error)
        else:
            self._model.notice.emit(f"{out.name} was written.")

    def _lab_help(self) -> None:
        from velkin.app.help_sheet import HelpSheet

        HelpSheet("What does my lab want?", LAB_HELP, self).exec()

    def leave(self) -> None:
        """Back to the picture."""
        focus = self.focusWidget()
        if focus is not None:
            focus.clearFocus()  # what stands in a line and was not entered yet counts
        self.left.emit()
