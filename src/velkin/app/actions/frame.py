"""What the Frame menu does: selecting, marking, removing frames, and putting them under other lights."""

from __future__ import annotations

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QApplication

from velkin.app.actions.dialogs import Dialogs, pattern
from velkin.app.context import Context
from velkin.app.model.places import Page
from velkin.app.words import count
from velkin.core.files.kinds import PICTURES
from velkin.core.files.raw_names import SUFFIXES
from velkin.core.shoot.frame import Role
from velkin.core.shoot.lights import light_words
from velkin.core.shoot.whites import white_of


class FrameActions:
    """Actions on the selected frames."""

    def __init__(self, context: Context, dialogs: Dialogs) -> None:
        self._jobs = context.jobs
        self._model = context.model
        self._dialogs = dialogs

    # ---- selecting --------------------------------------------------------------------------------------------

    def select_all(self) -> None:
        """Select every frame."""
        if self._model.shoot is not None:
            self._model.select(self._model.current, tuple(self._model.state.order()))

    def select_light(self) -> None:
        """Select every frame of the light."""
        if self._model.frame is not None:
            self._model.select(self._model.current, self._model.frames_of_light(self._model.frame.id))

    def next_held(self) -> None:
        """Go to the next held frame, on the Source bench."""
        held = self._model.state.held() if self._model.shoot is not None else []
        if not held:
            self._model.say("Nothing is held: no frame waits for a decision.")
            return
        if self._model.open_bench("source"):
            order = held if self._model.current not in held else held[held.index(self._model.current) + 1 :] + held
            self._model.select(order[0])

    # ---- lights -----------------------------------------------------------------------------------------------

    def new_light(self) -> None:
        """Put the selected frames under a light of their own."""
        self._jobs.command(lambda shoot: shoot.frames.move_to_light(self._model.selected, None))

    def split_light(self) -> None:
        """Begin a new light with the frame in the viewer."""
        frame = self._model.frame
        if frame is None:
            return
        if self._model.frames_of_light(frame.id)[0] == frame.id:
            self._model.say(f"{frame.name} is the first of its light already.")
        else:
            self._jobs.command(lambda shoot: shoot.frames.split_light(frame.id))

    def merge_lights(self) -> None:
        """Make one light of those that the selected frames are under."""
        lights = {self._model.state.frames[f].light for f in self._model.selected} if self._model.shoot is not None else set()
        if len(lights) < 2:
            self._model.say("Select frames of two or more lights first: a click on a light's name selects all of it.")
        else:
            self._jobs.command(lambda shoot: shoot.frames.merge_lights(lights))

    def rename_light(self) -> None:
        """Ask for a light's new name."""
        frame = self._model.frame
        if frame is None:
            return
        light = self._model.state.light_of(frame.id)
        name = self._dialogs.text("Rename this light", "Name", light.name)
        if name:
            self._jobs.command(lambda s: s.frames.rename_light(light.id, name))

    def name_lights(self) -> None:
        """Ask for the pattern that lights are named by."""
        if self._model.shoot is None:
            return
        pattern = self._dialogs.text(
            "Name all lights by a pattern",
            "Text and {camera}, {lens}, {light}, {date}; parts stand between  · ",
            self._model.state.light_pattern,
        )
        if pattern:
            state = self._model.state
            words = {k.id: light_words(white.kelvin) for k in state.lights if (white := white_of(state, k.id))}
            self._jobs.command(lambda s: s.frames.name_lights(pattern, words))

    # ---- frames -----------------------------------------------------------------------------------------------

    def mark(self, role: Role) -> None:
        """Mark the selected frames as chart, neutral, flat or subject; a flat frame is measured first."""
        if role is Role.FLAT:
            self._jobs.camera.measure_flats(self._model.selected)
            return
        self._jobs.command(lambda shoot: shoot.frames.set_role(self._model.selected, role))

    def compare(self) -> None:
        """Compare the frame in the viewer with another; of two that are selected with the other one."""
        current, selected = self._model.current, self._model.selected
        if current is not None:
            others = [f for f in selected if f != current]
            self._model.places.go(Page.COMPARE, current, others[0] if len(others) == 1 else None)

    def compare_file(self) -> None:
        """Ask for a file and compare the frame in the viewer with it."""
        current = self._model.current
        path = self._dialogs.open_file(
            "Compare with a file", f"Raw files and pictures ({pattern(SUFFIXES | PICTURES)});;All files (*)"
        )
        if path is not None and current is not None:
            self._model.places.go(Page.COMPARE, current, path)

    def look_for_charts(self) -> None:
        """Look for chart and neutral frames among the selected ones."""
        self._jobs.importing.spot(self._model.selected)

    def remove(self) -> None:
        """Remove the selected frames from the shoot; their files stay."""
        selected = self._model.selected
        if selected and self._jobs.command(lambda s: s.frames.remove_frames(selected)):
            self._model.say(
                f"{count(len(selected), 'frame')} removed from the shoot; the files stay where they are. Ctrl+Z brings them back."
            )

    def find_source(self) -> None:
        """Ask where a missing source lies now."""
        frame = self._model.frame
        if frame is None:
            return
        path = self._dialogs.open_file(f"Where is {frame.path.name}")
        if path is not None:
            self._jobs.importing.find_source(frame.id, path)

    def find_sources(self) -> None:
        """Ask for a folder in which all missing sources are looked for."""
        folder = self._dialogs.folder("Where the missing sources lie now")
        if folder is not None:
            self._jobs.importing.find_missing(folder)

    def show_in_folder(self) -> None:
        """Open the folder that the source of the frame in the viewer lies in."""
        frame = self._model.frame
        if frame is None:
            return
        if not frame.path.parent.is_dir():
            self._model.report(f"{frame.path.parent}: the folder is not there any more.")
        else:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(frame.path.parent)))

    def copy_name(self) -> None:
        """Put the source's path on the clipboard."""
        frame, board = self._model.frame, QApplication.clipboard()
        if frame is not None and board is not None:
            board.setText(str(frame.path))
            self._model.say(f"{frame.path} is on the clipboard.")
