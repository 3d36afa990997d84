"""The profile shelf: every profile by camera and light, on or off, named, noted, where it came from and what uses it."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QLineEdit,
    QPlainTextEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.model.places import Page, Place
from velkin.app.rooms.room import Room
from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.parts import Bench, Elided, Facts, Figure, Words, button, labelled, row_of, soft
from velkin.app.words import count, model_words, temperature_words
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.cameraprofiles.shelf import ShelfEntry, fingerprint
from velkin.core.files.camera_names import is_shot_with

_ENTRY = Qt.ItemDataRole.UserRole


class ShelfRoom(Room):
    """Takes over viewer and bench while the shelf is kept in order."""

    page = Page.SHELF
    import_wanted = pyqtSignal()
    folder_wanted = pyqtSignal()
    export_wanted = pyqtSignal(object)  # a profile
    variant_wanted = pyqtSignal(object)  # CameraProfile

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Profile shelf")
        self._shelf = context.jobs.shelf
        self._filling = False
        self.tree = QTreeWidget()
        self.tree.setHeaderLabels(["Profile", "On", "Kind", "Light", "ΔE", "Unseen", "Frames"])
        self.tree.setRootIsDecorated(False)
        self.tree.setIndentation(14)
        self.tree.setFrameShape(QTreeWidget.Shape.NoFrame)
        self.tree.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.tree.setAccessibleName("Profiles by camera")
        self.tree.setUniformRowHeights(False)
        self.tree.setViewportMargins(12, 0, 0, 0)
        header = self.tree.header()
        assert header is not None
        header.setStretchLastSection(False)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column, width in ((1, 40), (2, 116), (3, 106), (4, 44), (5, 58), (6, 58)):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            header.resizeSection(column, width)
        for column in (4, 5, 6):
            item = self.tree.headerItem()
            assert item is not None
            item.setTextAlignment(column, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.tree.currentItemChanged.connect(lambda *_: self._show_entry())
        self.tree.itemChanged.connect(self._ticked)
        self.empty = Words(
            "The shelf is empty. Fit a profile and give it to a light, or drop profile files here (.dcp, .icc, .json)."
        )
        self.empty.setWordWrap(True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setMargin(40)
        row = self.head
        self._where = Elided()
        row.addWidget(self._where, 1)
        self.undo = button("", self._shelf.undo, tip="Takes back what was changed on the shelf, one after the other")
        row.addWidget(self.undo)
        row.addWidget(
            button("Import…", self.import_wanted.emit, tip="Copy profile files onto the shelf; dropping them does the same")
        )
        row.addWidget(button("Folder…", self.folder_wanted.emit, tip="Keep the shelf in another folder"))
        self.add_back()
        main = QVBoxLayout()
        main.setContentsMargins(0, 0, 0, 0)
        main.setSpacing(0)
        main.addWidget(self.tree, 1)
        main.addWidget(self.empty, 1)
        self._side = self._bench()
        self.lay_out(main, self._side)
        self._shelf.changed.connect(self.refresh)
        self._model.changed.connect(self.refresh)

    def _bench(self) -> QWidget:
        bench = Bench("Profile")
        self._figure = Figure()
        bench.column.addWidget(self._figure)
        self.name = QLineEdit()
        self.name.editingFinished.connect(self._renamed)
        bench.column.addWidget(labelled("Name", self.name, 56))
        self.on = CheckBox("On: offered for frames of this camera")
        self.on.toggled.connect(self._switched)
        bench.column.addWidget(self.on)
        bench.section("Where it comes from")
        self._facts = Facts(64)
        bench.column.addWidget(self._facts)
        self._same = soft()
        bench.column.addWidget(self._same)
        bench.section("Used by")
        self._used = Words()
        self._used.setWordWrap(True)
        bench.column.addWidget(self._used)
        bench.section("Notes")
        self.notes = QPlainTextEdit()
        self.notes.setFixedHeight(72)
        self.notes.setTabChangesFocus(True)
        self.notes.setAccessibleName("Notes")
        self.notes.setPlaceholderText("What is worth knowing next month")
        bench.column.addWidget(self.notes)
        self.keep_notes = button("Keep the notes", self._noted)
        bench.column.addWidget(self.keep_notes)
        bench.end()
        self.sentence = bench.sentence
        self.give_button = button("", self._give, primary=True)
        self.variant = button(
            "Variant…", self._variant, tip="Shift its balance's reach, exchange channels, soften or take out colour"
        )
        self.export = button("Export…", self._export)
        self.off = button(
            "Remove from the shelf", self._remove, tip="Its file goes into the folder “removed”; shoots keep their copies"
        )
        bench.foot.addWidget(self.give_button)
        bench.foot.addWidget(row_of(self.variant, self.export))
        bench.foot.addWidget(self.off)
        return bench

    # ---- coming and going -------------------------------------------------------------------------------------

    def unsaved(self) -> str:
        """Notes that were typed and not kept."""
        entry = self.entry
        return "What was typed under Notes" if entry is not None and self.notes.toPlainText() != entry.kept.notes else ""

    def enter(self, place: Place) -> None:
        """Show the shelf as it is."""
        self._shelf.look()
        self.tree.clear()  # the profile of the frame in the viewer is chosen anew
        self.refresh()
        self.tree.setFocus()

    # ---- showing ----------------------------------------------------------------------------------------------

    @property
    def entry(self) -> ShelfEntry | None:
        """The chosen entry."""
        item = self.tree.currentItem()
        path = item.data(0, _ENTRY) if item is not None else None
        return next((e for e in self._shelf.shelf.entries if str(e.path) == path), None)

    def _frames_of(self, entry: ShelfEntry) -> list[str]:
        """Names of the shoot's frames that render through this profile."""
        if self._model.shoot is None or not entry.digest:
            return []
        state = self._model.state
        same = {i for i, p in state.profiles.items() if fingerprint(p) == entry.digest}
        return [state.frames[f].name for f in state.order() if state.frames[f].profile in same]

    def _of_frame(self) -> Path | None:
        """Where the profile of the frame in the viewer lies on the shelf."""
        frame = self._model.frame
        if frame is None or frame.profile is None:
            return None
        digest = fingerprint(self._model.state.profiles[frame.profile])
        return next((e.path for e in self._shelf.shelf.entries if e.digest == digest), None)

    def refresh(self) -> None:
        """Follow the shelf and the shoot."""
        label = self._shelf.undo_label()
        self.undo.setText(f"Undo: {label}" if len(label) < 30 else f"Undo: {label[:28]}…")
        self.undo.setVisible(bool(label))
        if not self.isVisible():
            return
        chosen = self.entry
        path = chosen.path if chosen is not None else self._of_frame()
        self._filling = True
        self.tree.clear()
        entries = self._shelf.shelf.entries
        here = set() if self._model.shoot is None else {f.facts.unique for f in self._model.state.frames.values()}
        cameras = sorted(
            {e.camera for e in entries if e.profile is not None}, key=lambda c: (c not in here, c == "", c.lower())
        )
        groups = [(c or "Any camera", [e for e in entries if e.profile is not None and e.camera == c]) for c in cameras]
        broken = [e for e in entries if e.profile is None]
        if broken:
            groups.append(("Cannot be read", broken))
        select = None
        for title, members in groups:
            top = QTreeWidgetItem([title])
            top.setFlags(Qt.ItemFlag.ItemIsEnabled)
            top.setSizeHint(0, QSize(0, 26))
            top.setFont(0, theme.font(13, 700))
            top.setFirstColumnSpanned(True)
            self.tree.addTopLevelItem(top)
            top.setFirstColumnSpanned(True)
            for entry in sorted(members, key=lambda e: (e.light.lower(), e.name.lower())):
                item = self._row(entry)
                top.addChild(item)
                item.setFirstColumnSpanned(entry.profile is None)
                if entry.path == path or select is None:
                    select = item
            top.setExpanded(True)
        if select is not None:
            self.tree.setCurrentItem(select)
        self._filling = False
        self.tree.setVisible(bool(entries))
        self.empty.setVisible(not entries)
        self._side.setVisible(bool(entries))
        folder = str(self._shelf.shelf.folder)
        self._where.setText(folder if len(folder) < 60 else "…" + folder[-58:])
        self._where.setToolTip(folder)
        self._show_entry()

    def _row(self, entry: ShelfEntry) -> QTreeWidgetItem:
        profile = entry.profile
        if profile is None:
            item = QTreeWidgetItem([f"{entry.path.name}: {entry.problem}"])
            item.setToolTip(0, entry.problem)
        else:
            f = profile.quality
            used = len(self._frames_of(entry))
            texts = [entry.name, "", model_words(profile), temperature_words(profile)]
            texts += [f"{f.mean:.2f}", f"{f.leave_one_out:.2f}"] if f is not None else ["", ""]
            item = QTreeWidgetItem([*texts, str(used) if used else ""])
            item.setCheckState(1, Qt.CheckState.Checked if entry.kept.on else Qt.CheckState.Unchecked)
            item.setToolTip(0, entry.name)
        for column in (4, 5, 6):
            item.setTextAlignment(column, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        item.setData(0, _ENTRY, str(entry.path))
        item.setSizeHint(0, QSize(0, 22))
        return item

    def _show_entry(self) -> None:
        entry = self.entry
        profile = entry.profile if entry is not None else None
        for part in (self.name, self.on, self.notes, self.keep_notes, self.give_button, self.variant, self.export):
            part.setEnabled(profile is not None)
        self.off.setEnabled(entry is not None)
        self._filling = True
        self.name.setText(entry.name if entry is not None else "")
        self.name.setCursorPosition(0)
        self.on.setChecked(entry is not None and entry.kept.on)
        self.notes.setPlainText(entry.kept.notes if entry is not None else "")
        self._filling = False
        self._same.setText("")
        self._used.setText("")
        if entry is None or profile is None:
            self._figure.show_value("", entry.problem if entry is not None else "No profile is chosen.")
            self._facts.show_rows([("File", entry.path.name)] if entry is not None else [])
            self.sentence.setText("")
            self.give_button.setText("Give it to frames")
            return
        f = profile.quality
        if f is not None:
            self._figure.show_value(
                f"ΔE {f.mean:.2f}", f"mean on its chart, worst {f.worst:.1f}; unseen patches {f.leave_one_out:.2f}"
            )
        else:
            own = isinstance(profile, CameraProfile)
            told = (
                "A variant: its colours are not meant to be the chart's."
                if own
                else "From elsewhere: no chart told how well it does."
            )
            self._figure.show_value("", told)
        self._facts.show_rows(self._provenance(entry))
        twins = [e.name for e in self._shelf.shelf.duplicates().get(entry.digest, ()) if e.path != entry.path]
        self._same.setText(f"Does exactly the same as {', '.join(twins)}: one of them can go." if twins else "")
        self._same.setVisible(bool(twins))
        names = self._frames_of(entry)
        self._used.setText(
            ", ".join(names[:6]) + (f" and {len(names) - 6} more" if len(names) > 6 else "")
            if names
            else "no frame of this shoot"
        )
        self._show_foot(entry)

    def _show_foot(self, entry: ShelfEntry) -> None:
        profile = entry.profile
        assert profile is not None
        chosen = self._model.selected if self._model.shoot is not None else ()
        frames = [self._model.state.frames[f].facts for f in chosen]
        pictures = profile.for_pictures
        self.variant.setEnabled(isinstance(profile, CameraProfile) and not pictures)
        self.give_button.setText(f"Give it to {count(len(chosen), 'selected frame')}")
        fits = bool(chosen) and (not profile.camera or any(is_shot_with(f, profile.camera) for f in frames)) and not pictures
        self.give_button.setEnabled(fits and entry.kept.on)
        if pictures:
            self.sentence.setText("It was fitted on a finished picture and goes to such, as an ICC profile or a .cube.")
        elif not entry.kept.on:
            self.sentence.setText(
                "Switched off: it is not offered. Frames that have it keep rendering from their shoot's copy."
            )
        elif chosen and not fits:
            self.sentence.setText(
                f"It was made for {profile.camera}; the selected frames come from {', '.join(sorted({f.unique for f in frames}))}."
            )
        else:
            self.sentence.setText("Giving it keeps a copy in the shoot; exposure stays.")

    def _provenance(self, entry: ShelfEntry) -> list[tuple[str, str]]:
        profile = entry.profile
        assert profile is not None
        rows = [("Camera", profile.camera or "any"), ("Kind", model_words(profile))]
        if isinstance(profile, CameraProfile):
            rows.append(("Chart", f"{profile.fits[0].chart} in {profile.chart_frame}"))
            rows.append(("Light", f"{temperature_words(profile)}, reference for {profile.light}"))
            if profile.made:
                rows.append(("Made", profile.made.replace("T", " ")[:16]))
            choices = ["exposure kept" if profile.keep_exposure else "exposure fitted"]
            choices += ["standard tone curve"] if profile.tone == "standard" else []
            choices += [profile.variant.words()] if profile.variant.words() else []
            choices += ["finished picture"] if profile.for_pictures else []
            rows.append(("Choices", ", ".join(choices)))
        elif temperature_words(profile):
            rows.append(("Lights", temperature_words(profile)))
        rows.append(("File", entry.path.name))
        return rows

    # ---- doing ------------------------------------------------------------------------------------------------

    def _ticked(self, item: QTreeWidgetItem, column: int) -> None:
        if self._filling or column != 1:
            return
        path = item.data(0, _ENTRY)
        entry = next((e for e in self._shelf.shelf.entries if str(e.path) == path), None)
        if entry is not None:
            self._shelf.decide(entry, on=item.checkState(1) == Qt.CheckState.Checked)

    def _switched(self, on: bool) -> None:
        if not self._filling and self.entry is not None:
            self._shelf.decide(self.entry, on=on)

    def _renamed(self) -> None:
        entry, name = self.entry, self.name.text().strip()
        if entry is not None and name and name != entry.name:
            self._shelf.decide(entry, name=name)

    def _noted(self) -> None:
        if self.entry is not None:
            self._shelf.decide(self.entry, notes=self.notes.toPlainText())

    def _give(self) -> None:
        profile = self.entry.named() if self.entry is not None else None
        if profile is not None:
            self._jobs.fits.keep(profile, self._model.selected)

    def _variant(self) -> None:
        profile = self.entry.named() if self.entry is not None else None
        if isinstance(profile, CameraProfile):
            self.variant_wanted.emit(profile)

    def _export(self) -> None:
        profile = self.entry.named() if self.entry is not None else None
        if profile is not None:
            self.export_wanted.emit(profile)

    def _remove(self) -> None:
        if self.entry is not None:
            name = self.entry.name
            self._shelf.remove(self.entry)
            self._model.say(f"{name} was removed from the shelf; its file lies in “removed” in the same folder.")

    def dropped(self, paths: list[Path]) -> None:
        """Profile files dropped on the window."""

        def done(came: list[Path]) -> None:
            if came:
                self._model.say(f"On the shelf now: {', '.join(p.name for p in came)}.")

        self._shelf.bring(paths, done)
