"""Hand-off: where files go and how they are written, the run, and the check of every file read back."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QRadioButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from velkin.app import glyphs, theme
from velkin.app.benches.parts import Bench, button, labelled, soft, state_label
from velkin.app.desk import Desk
from velkin.app.words import CONVERT, count
from velkin.core.errors import VelkinError
from velkin.core.handoff.destination import Destination

if TYPE_CHECKING:
    from velkin.core.handoff.run import Done


class _Mark(QWidget):
    """A small glyph."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self._name = name
        self.setFixedSize(14, 16)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        glyphs.draw(QPainter(self), self._name, QRectF(1, 3, 11, 11), theme.current().colour("ink"))


class HandoffBench(Bench):
    """Destinations, frames, run and results."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Hand-off")
        self._desk = desk
        self._model = desk.model
        self._destination: Destination | None = None
        self._state = state_label()
        self.column.addWidget(self._state)
        self.section("Destination", rule=False)
        self._tick = QCheckBox()
        self._tick.setFont(theme.font(13, 600))
        self._tick.toggled.connect(lambda _: self._edited())
        self.column.addWidget(self._tick)
        self._what = soft()
        self.column.addWidget(self._what)
        self._folder = QLineEdit()
        self._folder.setToolTip("A folder; a name without a path lies next to the shoot")
        browse = button("Choose…", self._browse, tip="Choose the folder")
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        row.addWidget(self._folder, 1)
        row.addWidget(browse)
        self._folder.setAccessibleName("Folder")
        self.column.addWidget(labelled("Folder", holder, 76))
        self._edge = QSpinBox()
        self._edge.setRange(0, 65000)
        self._edge.setSingleStep(64)
        self._edge.setSuffix(" px")
        self._edge.setSpecialValueText("full size")
        self._edge.setToolTip("The longest side; pictures are never enlarged. 0 keeps the full size.")
        self.column.addWidget(labelled("Long edge", self._edge, 76))
        self._quality = QSpinBox()
        self._quality.setRange(1, 100)
        self._quality.setToolTip("JPEG quality; 92 is indistinguishable for most pictures")
        self.column.addWidget(labelled("Quality", self._quality, 76))
        self._pattern = QLineEdit()
        self._pattern.setToolTip("{name} is the frame's name, {n} its number in the run")
        self.column.addWidget(labelled("File name", self._pattern, 76))
        self._preview = soft()
        self.column.addWidget(self._preview)
        for line in (self._folder, self._pattern):
            line.editingFinished.connect(self._edited)
        for spin in (self._edge, self._quality):
            spin.setKeyboardTracking(False)
            spin.valueChanged.connect(lambda _: self._edited())
        self.section("Frames")
        self._which = QButtonGroup(self)
        self._all = QRadioButton()
        self._subjects = QRadioButton()
        self._chosen = QRadioButton()
        for index, choice in enumerate((self._subjects, self._all, self._chosen)):
            self._which.addButton(choice, index)
            self.column.addWidget(choice)
        self._subjects.setChecked(True)
        self._which.idToggled.connect(lambda *_: self._show_foot())
        self.section("Written and checked")
        self._results_empty = soft("Nothing is written yet. Every file is read back after it is written.")
        self.column.addWidget(self._results_empty)
        self._results = QVBoxLayout()
        self._results.setSpacing(6)
        self.column.addLayout(self._results)
        self.end()
        self.run_button = button("", self.start, primary=True, tip="Hand off (Ctrl+Return)")
        self.cancel_button = button("Cancel: finished files stay", desk.cancel)
        self.retry_button = button("", self._retry)
        for item in (self.run_button, self.cancel_button, self.retry_button):
            self.foot.addWidget(item)
        self.cancel_button.hide()
        self.retry_button.hide()
        self._model.changed.connect(self.refresh)
        self._model.selection_changed.connect(self._show_foot)
        self._model.opened.connect(self._clear_results)
        desk.handoff_started.connect(self._started)
        desk.handoff_file.connect(self._file_done)
        desk.handoff_ended.connect(self._ended)

    # ---- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Follow the shoot."""
        if self._model.shoot is None:
            return
        d = self._model.state.destinations[0]
        self._destination = d
        widgets = (self._tick, self._folder, self._edge, self._quality, self._pattern)
        for widget in widgets:
            widget.blockSignals(True)
        self._tick.setText(d.name)
        self._tick.setChecked(d.ticked)
        self._what.setText(f"{d.space.name}, JPEG 8-bit with its profile inside: for web pages and any screen.")
        self._folder.setText(d.folder)
        self._edge.setValue(d.long_edge)
        self._quality.setValue(d.quality)
        self._pattern.setText(d.pattern)
        for widget in widgets:
            widget.blockSignals(False)
        self._show_foot()

    def frames(self) -> tuple[int, ...]:
        """The frames that the next run writes."""
        if self._model.shoot is None:
            return ()
        state = self._model.state
        which = self._which.checkedId()
        if which == 2:
            return tuple(f for f in state.order() if f in self._model.selected)
        return tuple(f for f in state.order() if which == 1 or state.frames[f].role == "subject")

    def _show_foot(self) -> None:
        if self._model.shoot is None or self._destination is None:
            return
        state, d = self._model.state, self._destination
        subjects = sum(f.role == "subject" for f in state.frames.values())
        self._subjects.setText(f"All {count(subjects, 'frame')} without chart and neutral")
        self._all.setText(f"All {count(len(state.frames), 'frame')}")
        number = len(self._model.selected)
        self._chosen.setText("Only the chosen frame" if number == 1 else f"The {number} chosen frames")
        frames = self.frames()
        assert self._model.shoot is not None
        folder = self._model.shoot.folder_of(d)
        if frames:
            self._preview.setText(f"for example {d.file_name(state.frames[frames[0]].name, 1)}, in {folder}")
        if self._desk.handing_off:
            return
        ready = bool(frames) and d.ticked
        self.run_button.setEnabled(ready)
        self.run_button.setText(f"Hand off {count(len(frames), 'frame')}" if frames else "Hand off")
        without = sum(state.frames[f].profile is None for f in frames)
        words = f"The {CONVERT} to {d.space.name}; the tag goes inside and each file is read back."
        if without:
            words += f" {count(without, 'frame')} {'has' if without == 1 else 'have'} no chart profile."
        if not d.ticked:
            words = "No destination is ticked, so that nothing would be written."
        self.sentence.setText(words)
        if not self._desk.last_run:
            self._state.setText("Ready" if ready else "Nothing to write")

    def _clear_results(self) -> None:
        while self._results.count():
            item = self._results.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        self._results_empty.show()
        self.retry_button.hide()

    # ---- changing ---------------------------------------------------------------------------------------------

    def _edited(self) -> None:
        d = self._destination
        if d is None:
            return
        changed = replace(
            d,
            ticked=self._tick.isChecked(),
            folder=self._folder.text().strip() or d.folder,
            long_edge=self._edge.value(),
            quality=self._quality.value(),
            pattern=self._pattern.text().strip() or d.pattern,
        )
        if changed == d:
            return
        try:
            changed.check()
        except VelkinError as error:
            self._model.report(error)
            self.refresh()
            return
        self._desk.command(lambda shoot: shoot.set_destination(changed))

    def _browse(self) -> None:
        shoot = self._model.shoot
        if shoot is None or self._destination is None:
            return
        start = shoot.folder_of(self._destination)
        chosen = QFileDialog.getExistingDirectory(
            self, "Folder of this destination", str(start if start.is_dir() else start.parent)
        )
        if chosen:
            self._folder.setText(str(Path(chosen)))
            self._edited()

    # ---- running ----------------------------------------------------------------------------------------------

    def start(self) -> None:
        """Hand off the frames that are chosen here."""
        if self.run_button.isEnabled() and not self._desk.handing_off:
            self._edited()
            self._desk.hand_off(self.frames())

    def _retry(self) -> None:
        self._desk.hand_off(tuple(dict.fromkeys(d.job.frame for d in self._desk.last_run if not d.ok)))

    def _started(self, jobs: list[object]) -> None:
        self._clear_results()
        self._results_empty.hide()
        self._total = len(jobs)
        self._state.setText(f"Writing {count(len(jobs), 'file')}")
        self.sentence.setText("Files appear under their names only when they are complete.")
        self.run_button.hide()
        self.retry_button.hide()
        self.cancel_button.show()

    def _file_done(self, done: Done) -> None:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        line.addWidget(_Mark("check" if done.ok else "missing"), 0, Qt.AlignmentFlag.AlignTop)
        texts = QVBoxLayout()
        texts.setSpacing(0)
        name = QLabel(done.job.out.name)
        name.setFont(theme.font(13, 500 if done.ok else 700))
        finding = soft(done.finding)
        texts.addWidget(name)
        texts.addWidget(finding)
        line.addLayout(texts, 1)
        row.setAccessibleName(f"{done.job.out.name}: {'checked' if done.ok else 'failed'}, {done.finding}")
        row.setToolTip(str(done.job.out))
        self._results.addWidget(row)
        self._state.setText(f"{self._results.count()} of {self._total} written")

    def _ended(self, good: int, failed: int, cancelled: bool) -> None:
        self.cancel_button.hide()
        self.run_button.show()
        if failed:
            self._state.setText(f"{count(good, 'file')} checked, {failed} failed")
            self.retry_button.setText(f"Try the {failed} failed again")
            self.retry_button.show()
        elif cancelled:
            self._state.setText(f"Cancelled: {count(good, 'file')} written and checked")
        else:
            self._state.setText(f"{count(good, 'file')} written and checked")
        self._show_foot()
