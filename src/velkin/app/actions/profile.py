"""What menus, benches and rooms do with camera profiles: report, import, export, variants, the shelf's folder."""

from __future__ import annotations

from PyQt6.QtCore import QSettings

from velkin.app.actions.dialogs import Dialogs
from velkin.app.benches.benches import Benches
from velkin.app.benches.camera import chart_read
from velkin.app.context import Context
from velkin.app.model.places import Page
from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.errors import VelkinError
from velkin.core.files.names import file_name
from velkin.core.files.safely import write_whole

_PROFILES = "Camera profiles (*.dcp *.icc *.icm *.json)"


class ProfileActions:
    """Actions on the profile of the frame in the viewer, or on one that a room shows."""

    def __init__(self, context: Context, dialogs: Dialogs, benches: Benches) -> None:
        self._context = context
        self._benches = benches
        self._jobs = context.jobs
        self._model = context.model
        self._settings: QSettings = context.settings
        self._dialogs = dialogs

    def report(self) -> None:
        """Open the fit report on the chart of this frame or of its light."""
        chart = chart_read(self._model)
        if chart is not None and self._model.places.go(Page.FIT, chart):
            self._model.open_stop("camera")

    def open_shelf(self) -> None:
        """Open the profile shelf."""
        self._model.places.go(Page.SHELF)

    # ---- a profile --------------------------------------------------------------------------------------------

    def of_frame(self) -> AnyProfile | None:
        """The profile of the frame in the viewer; None, with a word, where it is the built-in one."""
        frame = self._model.raw_frame
        if frame is None or frame.profile is None:
            self._model.report("This frame uses the camera's built-in profile, which belongs to its files already.")
            return None
        return self._model.state.profiles[frame.profile]

    def export_of_frame(self) -> None:
        """Export the profile of this frame."""
        profile = self.of_frame()
        if profile is not None:
            self.export(profile)

    def export(self, profile: AnyProfile) -> None:
        """Ask how a profile is to be written, and write it."""
        from velkin.app.sheets.export_sheet import ExportSheet  # sheets load when they are needed

        frame = self._model.raw_frame
        sheet = ExportSheet(profile, frame, self._settings, self._dialogs.parent)
        if sheet.exec() and sheet.plan is not None:
            plan = sheet.plan
            picture = frame if plan.picture else None
            self._jobs.fits.export(plan.profile, plan.folder, plan.pattern, plan.suffixes, plan.choices, picture, plan.replace)

    def vary_frame(self) -> None:
        """Derive a variant from the profile of this frame."""
        profile = self.of_frame()
        if profile is not None and not isinstance(profile, CameraProfile):
            self._model.report("Variants are made from profiles that Velkin fitted; this one is from a file of another kind.")
        elif profile is not None:
            self.vary(profile)

    def vary(self, profile: CameraProfile) -> None:
        """Make a variant beside the picture; it goes onto the shelf and to the frames that are selected then."""
        from velkin.app.benches.variant import VariantBench

        bench = VariantBench(self._context, profile)
        bench.kept.connect(self._keep_variant)
        self._benches.put_aside(bench)

    def _keep_variant(self, made: CameraProfile, frames: tuple[int, ...]) -> None:
        self._jobs.shelf.add(made)
        if self._model.shoot is not None:
            self._jobs.fits.keep(made, frames)

    # ---- files ------------------------------------------------------------------------------------------------

    def import_to_frames(self) -> None:
        """Ask for a profile file to give to the selected frames."""
        path = self._dialogs.open_file("Import a profile", _PROFILES)
        if path is not None and self._model.shoot is not None:
            self._jobs.fits.import_profile(path, self._model.selected)

    def import_to_shelf(self) -> None:
        """Ask for profile files to copy onto the shelf."""
        paths = self._dialogs.open_files("Import profiles to the shelf", _PROFILES)
        if paths:
            self._jobs.shelf.bring(paths)

    def choose_shelf(self) -> None:
        """Ask which folder the shelf is kept in."""
        folder = self._dialogs.folder("Where the shelf is kept", self._jobs.shelf.shelf.folder)
        if folder is not None:
            self._settings.setValue("shelf", str(folder))
            self._jobs.shelf.use(folder)

    def save_table(self, name: str, text: str) -> None:
        """Ask where a table goes."""
        out = self._dialogs.save_file("Save the report", f"{file_name(name, 'report')}.csv", "Tables (*.csv)", (".csv",))
        if out is None:
            return
        try:
            write_whole(out, text.encode(), True)
        except VelkinError as error:
            self._model.report(error)
        else:
            self._model.say(f"{out.name} was written.")
