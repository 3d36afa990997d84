"""What menus, benches and rooms do with camera profiles: report, shelf, export, variants."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velkin.app.jobs.desk import Desk
from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.profile import CameraProfile

if TYPE_CHECKING:
    from velkin.app.window import Window


class ProfileActions:
    """Actions on the profile of the frame in the viewer, or on one that a room shows."""

    def __init__(self, window: Window, desk: Desk) -> None:
        self._window = window
        self._desk = desk
        self._model = desk.model

    # ---- rooms ------------------------------------------------------------------------------------------------

    def report(self) -> None:
        """Open the fit report on the chart of this frame or of its light."""
        frame = self._model.raw_frame
        if frame is None:
            return
        state = self._model.state
        chart = frame.id if frame.id in state.readings else state.chart_frame(frame.light)
        if chart is None or chart not in state.readings:
            self._model.report(
                f"No chart has been read under {state.light_of(frame.id).name}. Read one first (K), then its fit can be seen."
            )
            return
        self.report_on(chart)

    def report_on(self, frame: int) -> None:
        """Open the fit report on a chart frame."""
        window = self._window
        window.chart_room.frame = None
        self._model.open_stop("camera")
        self._model.select(frame)
        window.rooms.setCurrentWidget(window.fit_room)
        window.fit_room.enter(frame)

    def open_shelf(self) -> None:
        """Open the profile shelf."""
        window = self._window
        window.chart_room.frame = None
        window.rooms.setCurrentWidget(window.shelf_room)
        window.shelf_room.enter()

    def ask_spectrum(self) -> None:
        """Ask for a light's spectrum and fit with it."""
        path = self._window.asking.spectrum()
        if path is not None:
            self._window.fit_room.use_spectrum(path)

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

        sheet = ExportSheet(profile, self._model.raw_frame, self._window.settings, self._window)
        if sheet.exec() and sheet.plan is not None:
            plan = sheet.plan
            picture = self._model.raw_frame if plan.picture else None
            self._desk.fitting.export(
                plan.profile, plan.folder, plan.pattern, plan.suffixes, plan.choices, picture, plan.replace
            )

    def vary_frame(self) -> None:
        """Derive a variant from the profile of this frame."""
        profile = self.of_frame()
        if profile is not None and not isinstance(profile, CameraProfile):
            self._model.report("Variants are made from profiles that Velkin fitted; this one is from a file of another kind.")
        elif profile is not None:
            self.vary(profile)

    def vary(self, profile: CameraProfile) -> None:
        """Ask how a variant departs; it goes onto the shelf and to the chosen frames."""
        from velkin.app.sheets.variant_sheet import VariantSheet

        frame = self._model.raw_frame
        balance = self._model.state.path(frame.id).raw_stage.balance if frame is not None else None
        sheet = VariantSheet(profile, balance, self._window)
        if sheet.exec() and sheet.variant is not None:
            self._desk.shelving.add(sheet.variant)
            if self._model.shoot is not None:
                self._desk.fitting.keep(sheet.variant, self._model.selected)
