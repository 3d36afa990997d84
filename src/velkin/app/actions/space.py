"""What the menus do about spaces and tags: try-on sheet, rules, own spaces, pins, copies, pasting."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox

from velkin.app.flow.readout import PinNumbers, read_pin
from velkin.app.sheets.rules_sheet import RulesSheet
from velkin.app.sheets.space_cards import SpaceCards
from velkin.app.sheets.space_sheets import OwnSpaceSheet, PurposeSheet
from velkin.core.errors import VelkinError
from velkin.core.files.safely import refuse_output, write_whole
from velkin.core.icc.space import load_space, profile_of
from velkin.core.icc.write import matrix_profile
from velkin.core.path import chain_of
from velkin.core.shoot.state import Frame
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.tags.pins import MOST_PINS

if TYPE_CHECKING:
    from velkin.app.window import Window


class SpaceActions:
    """Actions of the window."""

    def __init__(self, window: Window) -> None:
        self._window = window
        self._desk = window.desk
        self._model = window.model

    # ---- try-on, rules, spaces --------------------------------------------------------------------------------

    def try_on(self) -> None:
        """Open the try-on sheet on a picture whose numbers mean nothing known."""
        frame = self._model.frame
        if frame is None:
            return
        if frame.is_raw:
            self._model.notice.emit(
                "A raw frame gets its meaning from a camera profile; the try-on sheet is for finished pictures."
            )
            return
        if not frame.held and self._model.state.path(frame.id).known:
            here = self._model.state.path(frame.id).here.name
            self._model.notice.emit(
                f"{frame.name} is known to be in {here}. Assign another space on the Working bench if that is wrong."
            )
            return
        self._window.open_stop("source")
        self._window.rooms.setCurrentWidget(self._window.try_on_room)
        self._window.try_on_room.enter(frame.id)

    def try_profile(self) -> None:
        """Add an ICC file to the try-on sheet."""
        chosen, _ = QFileDialog.getOpenFileName(self._window, "Try a profile", "", "ICC profiles (*.icc *.icm)")
        if chosen:
            self.try_file(Path(chosen))

    def try_file(self, path: Path) -> None:
        """Add an ICC file's space to the try-on sheet."""
        frame = self._model.frame
        if frame is None or frame.is_raw:
            return
        try:
            space = load_space(path)
        except VelkinError as error:
            self._model.report(error)
            return
        if space.model != frame.picture.colour_model:
            self._model.report(f"{space.name} is for {space.model} pictures; this one is {frame.picture.colour_model}.")
            return
        self._window.try_on_room.enter(frame.id, (space,))

    def add_profile(self) -> None:
        """Keep an ICC file's space in the shoot."""
        if self._model.shoot is None:
            return
        chosen, _ = QFileDialog.getOpenFileName(self._window, "A space from an ICC file", "", "ICC profiles (*.icc *.icm)")
        if chosen:
            self.bring_profile(Path(chosen))

    def bring_profile(self, path: Path) -> bool:
        """Keep the space of an ICC file in the shoot; whether it could be."""
        try:
            space = load_space(path)
        except VelkinError as error:
            self._model.report(error)
            return False
        if self._desk.command(lambda s: s.keep_space(space)):
            self._model.notice.emit(f"{space.name} can be assigned and converted to now.")
        return True

    def rules(self) -> None:
        """Edit the intake rules."""
        if self._model.shoot is None:
            return
        sheet = RulesSheet(self._desk, self._window)
        if sheet.exec():
            rules = sheet.rules()
            self._desk.command(lambda s: s.set_rules(rules))

    def own_space(self) -> None:
        """Make a space of one's own."""
        if self._model.shoot is None:
            return
        sheet = OwnSpaceSheet(self._desk, self._window)
        sheet.save_wanted.connect(self.save_space)
        if sheet.exec() and sheet.space is not None:
            space = sheet.space
            if self._desk.command(lambda s: s.keep_space(space)):
                self._model.notice.emit(f"{space.name} is kept in the shoot; it can be assigned, converted to and worked in.")

    def save_space(self, space: RGBSpace, version: int) -> None:
        """Save a space as an ICC profile."""
        chosen, _ = QFileDialog.getSaveFileName(self._window, "Save as ICC", f"{space.name}.icc", "ICC profile (*.icc)")
        if not chosen:
            return
        try:
            write_whole(Path(chosen), matrix_profile(space, 2 if version == 2 else 4), True)
        except VelkinError as error:
            self._model.report(error)
            return
        self._model.notice.emit(f"{Path(chosen).name} was written, ICC version {version}.")

    def cards(self) -> None:
        """Show the spaces beside each other and work in the chosen one."""
        if self._model.shoot is None:
            return
        sheet = SpaceCards(self._desk, self._window)
        if sheet.exec() and sheet.space().id != self._model.state.working.id:
            space = sheet.space()
            self._desk.command(lambda s: s.set_working(space))

    def purpose(self) -> None:
        """Ask what the shoot is for and take the working space that suits."""
        if self._model.shoot is None:
            return
        sheet = PurposeSheet(self._window)
        if sheet.exec():
            space = sheet.space()
            self._desk.command(lambda s: s.set_working(space))

    # ---- pins -------------------------------------------------------------------------------------------------

    def pin(self) -> None:
        """Pin the point under the pointer, or the middle of what is seen."""
        frame = self._model.frame
        if frame is None:
            return
        if len(frame.pins) >= MOST_PINS:
            self._model.report(f"A frame has up to {MOST_PINS} pins; take one away on the Working bench first.")
            return
        view = self._window.view
        at = self._window._pointer
        if at is None:
            middle = view.to_picture(view.rect().center().toPointF())
            at = (middle.x(), middle.y())
        x, y = at[0] / frame.facts.width, at[1] / frame.facts.height
        if 0 <= x < 1 and 0 <= y < 1:
            self._desk.deciding.add_pin(frame.id, float(x), float(y))

    def show_pins(self) -> None:
        """Bring the numbers at the pins up to date on the benches, and the pins on the picture."""
        frame, rendered, window = self._model.frame, self._window.rendered, self._window
        window.view.set_pins(tuple((p.x, p.y) for p in frame.pins) if frame is not None else ())
        if frame is None or rendered is None or rendered.frame != frame.id or rendered.source is None:
            return
        try:
            plain = self._model.state.path(frame.id)
            now = [read_pin(rendered.source, plain, p) for p in frame.pins]
            after: list[PinNumbers] = []
            path = self._model.path()
            if self._model.tried and path is not None and not self._model.before:
                after = [read_pin(rendered.source, path, p) for p in frame.pins]
        except VelkinError as error:
            self._model.report(error)
            return
        window.working_bench.remember(now)
        window.working_bench.show_pins(frame.pins, now, after, plain)
        window.source_bench.show_pins(now, after)

    # ---- files ------------------------------------------------------------------------------------------------

    def save_copy(self) -> None:
        """Write a tagged copy of the frame in the viewer."""
        from velkin.app.sheets.copy_sheet import CopySheet

        frame = self._finished()
        if frame is None:
            return
        sheet = CopySheet(frame, self._model.state.path(frame.id), frame.path.parent, self._window)
        if sheet.exec():
            wish = sheet.wish()
            try:
                refuse_output(wish.out, [frame.path], wish.replace)
            except VelkinError as error:
                self._model.report(error)
                return
            self._desk.deciding.save_copy(frame.id, wish)

    def retag_source(self) -> None:
        """Give the source file itself the space assigned in the ledger, after asking."""
        frame = self._finished()
        if frame is None:
            return
        path = self._model.state.path(frame.id)
        if not path.steps:
            self._model.report(f"{frame.name}: no space was assigned here, so that there is nothing to write into the source.")
            return
        if chain_of(path.start, path.steps)[0]:
            self._model.report(
                f"{frame.name}: only an assignment can be written into the source itself; a conversion is saved as a copy."
            )
            return
        box = QMessageBox(self._window)
        box.setWindowTitle("Tag the source file itself")
        box.setText(f"Write {path.here.name} into {frame.path.name} itself?")
        box.setInformativeText(
            f"Its numbers stay, its tag becomes {path.here.name} ({len(profile_of(path.here))} bytes). The old bytes are kept until "
            "the new file has been read back. Undo cannot take this back, nor the steps before it."
        )
        yes = box.addButton("Write into the source", QMessageBox.ButtonRole.AcceptRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.exec()
        if box.clickedButton() is yes:
            self._desk.deciding.retag(frame.id)

    def copy_ledger(self) -> None:
        """Give the ledger of the frame in the viewer to the chosen frames."""
        if self._model.current is not None:
            self._desk.deciding.copy_ledger(self._model.current, self._model.selected)

    def _finished(self) -> Frame | None:
        frame = self._model.frame
        if frame is not None and frame.is_raw:
            self._model.notice.emit("Raw frames are written by a hand-off; tagged copies are of finished pictures.")
            return None
        return frame

    def paste(self) -> None:
        """Take the clipboard's files or picture into the shoot."""
        board = QApplication.clipboard()
        data = board.mimeData() if board is not None else None
        files = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()] if data is not None else []
        if files:
            self._window.dropped(files)
        elif board is not None and data is not None and data.hasImage():
            self._desk.deciding.paste(board.image())
        else:
            self._model.notice.emit("There is neither a picture nor a file on the clipboard.")
