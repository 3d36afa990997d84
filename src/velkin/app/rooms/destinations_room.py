"""Destinations: each with all that is decided about its files, and what will become of the frame at hand."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import (
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.model.places import Page, Place
from velkin.app.rooms.destination_form import DestinationForm
from velkin.app.rooms.room import Room
from velkin.app.widgets.parts import Rule, Words, button, row_of
from velkin.app.words import ASSIGN, CONVERT
from velkin.core.destinations.destination import Destination
from velkin.core.destinations.destination_file import from_file, to_file_text
from velkin.core.destinations.naming import NameFacts
from velkin.core.destinations.sizing import fitted
from velkin.core.destinations.starters import LAB_HELP, STARTERS
from velkin.core.errors import VelkinError
from velkin.core.icc.space import Space, same_numbers


class DestinationsRoom(Room):
    """Takes the place of viewer and bench."""

    page = Page.DESTINATIONS

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Destinations")
        row = self.head
        row.addStretch(1)
        row.addWidget(button("What does my lab want?", self._lab_help))
        self.add_back()
        self.list = QListWidget()
        self.list.setFrameShape(QFrame.Shape.NoFrame)
        self.list.setAccessibleName("Destinations")
        self.list.setFont(theme.font(13))
        self.list.currentItemChanged.connect(lambda *_: self._fill())
        self.list.itemChanged.connect(self._ticked)
        left = self._build_left()
        self.form = DestinationForm()
        self.form.changed.connect(self._edited)
        self.form.pattern_typed.connect(self._show_names)
        self.form.browse_wanted.connect(self._browse)
        scroll = QScrollArea(self)
        scroll.setWidget(self.form)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.sentence = Words()
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
        column.addWidget(self.bar)
        column.addWidget(Rule())
        column.addLayout(body, 1)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._model.changed.connect(lambda change: self._follow() if change.anything and self.isVisible() else None)

    # ---- building ---------------------------------------------------------------------------------------------

    def _build_left(self) -> QWidget:
        holder = QWidget(self)
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
        self.remove = button("Remove", self._remove)
        column.addWidget(row_of(self.add, self.remove))
        self.load = button("Import…", self._import, tip="Destinations from a file; dropping it does the same")
        self.save = button(
            "Export…", self._save, tip="All destinations with the profiles they need, for another shoot or colleague"
        )
        for each in (self.load, self.save):
            each.setProperty("narrow", True)
        column.addWidget(row_of(self.load, self.save))
        return holder

    # ---- showing ----------------------------------------------------------------------------------------------

    def enter(self, place: Place) -> None:
        """Show the destinations, one of them selected; or take in those of a file."""
        if isinstance(place.about, Path):
            self.import_from(place.about)
        self.show_one(place.about if isinstance(place.about, str) else "")

    def show_one(self, identifier: str) -> None:
        """Show a destination."""
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
        state = self._model.state
        spaces = {s.id: s for s in self._jobs.spaces.destinations()}
        known = state.known_space(d.space_id)
        if known is not None:
            spaces.setdefault(known.id, known)
        self.form.show_destination(d, known, list(spaces.values()))
        self.remove.setEnabled(len(state.destinations) > 1)
        self._show_names()
        self._show_sentence(d, known)

    def _show_names(self) -> None:
        d, shoot = self.destination(), self._model.shoot
        if d is None or shoot is None:
            return
        from velkin.core.handoff.jobs import name_facts

        state = shoot.state
        frames = state.subjects()[:2] or state.order()[:2]
        tried = replace(d, pattern=self.form.pattern.text().strip() or d.pattern)
        try:
            made = [tried.file_name(name_facts(state, f, tried, n)) for n, f in enumerate(frames, start=1)]
            made = made or [tried.file_name(NameFacts("frame", 1))]
        except VelkinError as error:
            self.form.names.setText(error.message)
            return
        self.form.names.setText(f"{', '.join(made)} … in {shoot.folder_of(d)}")

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

    def _edited(self, changed: Destination, space: Space | None) -> None:
        if not self._jobs.handoff.set_destination(changed, space):
            self._fill()

    def _ticked(self, item: QListWidgetItem) -> None:
        wanted = item.data(Qt.ItemDataRole.UserRole)
        d = next((d for d in self._model.state.destinations if d.id == wanted), None)
        on = item.checkState() == Qt.CheckState.Checked
        if d is not None and d.ticked != on and not self._jobs.handoff.set_destination(replace(d, ticked=on)):
            self._follow()

    def add_starter(self, identifier: str) -> None:
        """Add one of the shipped destinations and show it."""
        made = self._jobs.handoff.add([(STARTERS[identifier], None)])
        if made:
            self.show_one(made[0])

    def _copy(self) -> None:
        d = self.destination()
        if d is not None:
            made = self._jobs.handoff.add([(d, None)])
            if made:
                self.show_one(made[0])

    def _remove(self) -> None:
        d = self.destination()
        if d is not None:
            self._jobs.handoff.remove(d.id)
            self._model.say(f"{d.name} was removed; what was written to it stays. Ctrl+Z brings it back.")

    def _browse(self) -> None:
        d, shoot = self.destination(), self._model.shoot
        if d is None or shoot is None:
            return
        start = shoot.folder_of(d)
        chosen = QFileDialog.getExistingDirectory(
            self, "Folder of this destination", str(start if start.is_dir() else start.parent)
        )
        if chosen:
            self.form.set_folder(str(Path(chosen)))

    # ---- exchange ---------------------------------------------------------------------------------------------

    def _import(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Import destinations", "", "Destinations (*.json)")
        if chosen:
            self.import_from(Path(chosen))

    def import_from(self, path: Path) -> None:
        """Add the destinations of a file."""
        try:
            pairs = from_file(path)
        except VelkinError as error:
            self._model.report(error)
            return
        made = self._jobs.handoff.add(pairs)
        if made:
            self.show_one(made[0])
            self._model.say(f"{len(made)} of {path.name} added: {', '.join(d.name for d, _ in pairs)}.")

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
            self._model.say(f"{out.name} was written.")

    def _lab_help(self) -> None:
        from velkin.app.widgets.help_sheet import HelpSheet

        HelpSheet("What does my lab want?", LAB_HELP, self).exec()

    def leave(self) -> None:
        """Back to the picture."""
        focus = self.focusWidget()
        if focus is not None:
            focus.clearFocus()  # what stands in a line and was not entered yet counts
        super().leave()
