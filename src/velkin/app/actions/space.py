"""What menus and benches do about spaces and tags: try-on sheet, rules, custom spaces, pins, tagged copies."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QMessageBox

from velkin.app.actions.dialogs import Dialogs
from velkin.app.benches.benches import Benches
from velkin.app.context import Context
from velkin.app.model.places import Page
from velkin.app.widgets.viewer import PictureView
from velkin.core.errors import VelkinError
from velkin.core.files.safely import refuse_output, write_whole
from velkin.core.icc.space import Space, profile_of
from velkin.core.icc.write import matrix_profile
from velkin.core.shoot.frame import Frame
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Place
from velkin.core.tags.pins import MOST_PINS

_ICC = "ICC profiles (*.icc *.icm)"


class SpaceActions:
    """Actions of the Source and Working stops."""

    def __init__(self, context: Context, dialogs: Dialogs, view: PictureView, benches: Benches) -> None:
        self._context = context
        self._jobs = context.jobs
        self._model = context.model
        self._dialogs = dialogs
        self._view = view
        self._benches = benches

    # ---- layers ------------------------------------------------------------------------------------------------

    def layers(self) -> None:
        """What a layered picture is made of, and what converting layer by layer would do to it."""
        frame = self._model.frame
        if frame is None:
            return
        if not frame.is_layered:
            self._model.say(f"{frame.name} has no layers; OpenRaster files (.ora) have.")
            return
        self._model.places.go(Page.LAYERS, frame.id)

    # ---- try-on, rules, spaces --------------------------------------------------------------------------------

    def try_on(self) -> None:
        """Open the try-on sheet on a picture whose numbers mean nothing known."""
        frame = self._model.frame
        if frame is None:
            return
        if frame.is_raw:
            self._model.say("A raw frame gets its meaning from a camera profile; the try-on sheet is for finished pictures.")
            return
        if not frame.held and self._model.state.path(frame.id).known:
            here = self._model.state.path(frame.id).here.name
            self._model.say(
                f"{frame.name} is known to be in {here}. Assign another space on the Working bench if that is wrong."
            )
            return
        if self._model.places.go(Page.TRY_ON, frame.id):
            self._model.open_stop("source")

    def try_profile(self) -> None:
        """Add an ICC file to the try-on sheet."""
        path = self._dialogs.open_file("Try a profile", _ICC)
        if path is not None:
            self.try_file(path)

    def try_file(self, path: Path) -> None:
        """Add an ICC file's space to the try-on sheet."""
        frame = self._model.frame
        if frame is None or frame.is_raw:
            return

        def tried(space: Space) -> None:
            if self._model.current != frame.id:
                return  # another frame is at hand by now
            if space.model != frame.picture.colour_model:
                self._model.report(f"{space.name} is for {space.model} pictures; this one is {frame.picture.colour_model}.")
                return
            self._model.places.go(Page.TRY_ON, frame.id, space)

        self._jobs.spaces.read(path, tried)

    def import_space(self) -> None:
        """Ask for an ICC file whose space is kept in the shoot."""
        path = self._dialogs.open_file("A space from an ICC file", _ICC) if self._model.shoot is not None else None
        if path is not None:
            self._jobs.spaces.keep(path)

    def rules(self) -> None:
        """Edit the intake rules."""
        if self._model.shoot is None:
            return
        from velkin.app.sheets.rules_sheet import RulesSheet

        sheet = RulesSheet(self._context, self._dialogs.parent)
        if sheet.exec():
            rules = sheet.rules()
            self._jobs.command(lambda s: s.colour.set_rules(rules))

    def profile_folders(self) -> None:
        """Edit the folders that profiles are looked for in."""
        from velkin.app.sheets.folders_sheet import FoldersSheet

        sheet = FoldersSheet(self._jobs.spaces.collection.folders, self._dialogs.parent)
        if sheet.exec():
            folders = sheet.folders()
            self._context.settings.setValue("icc_folders", [str(f) for f in folders])
            self._jobs.spaces.use(folders)

    def custom_space(self) -> None:
        """Make a custom space beside the picture."""
        if self._model.shoot is None:
            return
        from velkin.app.benches.custom_space import CustomSpaceBench

        bench = CustomSpaceBench(self._context)
        bench.save_wanted.connect(self.save_space)
        bench.kept.connect(self._keep_space)
        self._benches.put_aside(bench)

    def _keep_space(self, space: RGBSpace) -> None:
        if self._jobs.command(lambda s: s.colour.keep_space(space)):
            self._model.say(f"{space.name} is kept in the shoot; it can be assigned, converted to and worked in.")

    def save_space(self, space: RGBSpace, version: int) -> None:
        """Save a space as an ICC profile."""
        out = self._dialogs.save_file("Save as ICC", f"{space.name}.icc", "ICC profile (*.icc)", (".icc", ".icm"))
        if out is None:
            return
        try:
            write_whole(out, matrix_profile(space, 2 if version == 2 else 4), True)
        except VelkinError as error:
            self._model.report(error)
        else:
            self._model.say(f"{out.name} was written, ICC version {version}.")

    def compare_spaces(self) -> None:
        """Compare the spaces and work in the selected one."""
        if self._model.shoot is None:
            return
        from velkin.app.sheets.space_cards import SpaceCards

        sheet = SpaceCards(self._context, self._dialogs.parent)
        if sheet.exec() and sheet.space().id != self._model.state.working.id:
            space = sheet.space()
            self._jobs.command(lambda s: s.colour.set_working(space))

    def help_choose(self) -> None:
        """Ask what the shoot is for and take the working space that suits."""
        if self._model.shoot is None:
            return
        from velkin.app.sheets.purpose_sheet import PurposeSheet

        sheet = PurposeSheet(self._dialogs.parent)
        if sheet.exec():
            space = sheet.space()
            self._jobs.command(lambda s: s.colour.set_working(space))

    def begin(self, verb: int) -> None:
        """Open the Working bench on assigning (1) or converting (2)."""
        frame = self._model.frame
        if frame is None or not self._model.open_bench("working"):
            return
        if verb == 2 and not self._model.state.path(frame.id).known:
            self._model.report("Nothing says what its numbers mean; assign a space on the Source bench first.")
            return
        self._benches.working.begin(verb)

    def explain_links(self) -> None:
        """Say what the links of the colour path mean."""
        self._model.say(
            "Dotted link: numbers stay, look changes. Solid link: look stays, numbers change. "
            "Double link: look and numbers change (matched, a look, or eased). Hairline: nothing happens between two stops."
        )

    # ---- pins -------------------------------------------------------------------------------------------------

    def pin(self) -> None:
        """Pin the point under the pointer, or the middle of what is seen."""
        frame, flow = self._model.frame, self._context.flow
        if frame is None or not flow.ready:
            return
        if len(frame.pins) >= MOST_PINS:
            self._model.report(f"A frame has up to {MOST_PINS} pins; remove one on the Working bench first.")
            return
        at = flow.pointer
        if at is None:
            middle = self._view.to_picture(self._view.rect().center().toPointF())
            at = (middle.x(), middle.y())
        x, y = at[0] / frame.facts.width, at[1] / frame.facts.height
        if 0 <= x < 1 and 0 <= y < 1:
            self._jobs.colour.add_pin(frame.id, float(x), float(y))

    # ---- files ------------------------------------------------------------------------------------------------

    def save_copy(self) -> None:
        """Write a tagged copy of the frame in the viewer."""
        from velkin.app.sheets.copy_sheet import CopySheet

        frame = self._finished()
        if frame is None:
            return
        path = self._model.state.path(frame.id)
        if path.at(Place.LOOK) and not path.known:
            self._model.report(
                f"{frame.name}: nothing says what its numbers mean, so that its look cannot be written; decide on the Source bench first."
            )
            return

        def lost(kind: str, then: Callable[[str], None]) -> None:
            self._jobs.colour.tell_lost(frame.id, kind, then)

        sheet = CopySheet(frame, path, frame.path.parent, self._dialogs.parent, lost)
        if sheet.exec():
            wish = sheet.wish()
            try:
                refuse_output(wish.out, [frame.path], wish.replace)
            except VelkinError as error:
                self._model.report(error)
                return
            self._jobs.colour.save_copy(frame.id, wish)

    def retag_source(self) -> None:
        """Give the source file itself the space assigned in the ledger, after asking."""
        frame = self._finished()
        if frame is None:
            return
        path = self._model.state.path(frame.id)
        if path.at(Place.LOOK):
            self._model.report(
                f"{frame.name}: its look changes its numbers, which is saved as a copy; take it off to tag the source."
            )
            return
        if not path.steps:
            self._model.report(f"{frame.name}: no space was assigned here, so that there is nothing to write into the source.")
            return
        if not path.keeps_numbers:
            self._model.report(
                f"{frame.name}: only an assignment can be written into the source itself; a conversion is saved as a copy."
            )
            return
        box = QMessageBox(self._dialogs.parent)
        box.setWindowTitle("Tag the source file itself")
        box.setText(f"Write {path.here.name} into {frame.path.name} itself?")
        box.setInformativeText(
            f"Its numbers stay, its tag becomes {path.here.name} ({len(profile_of(path.here))} bytes). The old bytes are kept until "
            "the new file has been read back. Undo cannot take this back, nor the steps before it."
        )
        yes = box.addButton("Write into the source", QMessageBox.ButtonRole.AcceptRole)
        no = box.addButton(QMessageBox.StandardButton.Cancel)
        box.setDefaultButton(no)
        box.exec()
        if box.clickedButton() is yes:
            self._jobs.colour.retag(frame.id)

    def copy_ledger(self) -> None:
        """Copy the ledger of the frame in the viewer to the selected frames."""
        if self._model.current is not None:
            self._jobs.colour.copy_ledger(self._model.current, self._model.selected)

    def _finished(self) -> Frame | None:
        frame = self._model.frame
        if frame is not None and frame.is_raw:
            self._model.say("Raw frames are written by a hand-off; tagged copies are of finished pictures.")
            return None
        return frame
