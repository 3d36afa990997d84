"""What the Frame menu does: choosing, marking, removing frames, and putting them under other lights."""

from __future__ import annotations

from PyQt6.QtWidgets import QMessageBox, QWidget

from velkin.app.jobs.desk import Desk
from velkin.app.words import count


class FrameActions:
    """Actions on the chosen frames."""

    def __init__(self, window: QWidget, desk: Desk) -> None:
        self._window = window
        self._desk = desk
        self._model = desk.model

    def select_all(self) -> None:
        """Choose every frame."""
        if self._model.shoot is not None:
            self._model.select(self._model.current, tuple(self._model.state.order()))

    def select_light(self) -> None:
        """Choose every frame of the light."""
        if self._model.frame is not None:
            self._model.select(self._model.current, self._model.frames_of_light(self._model.frame.id))

    def split_light(self) -> None:
        """Begin a new light with the frame in the viewer."""
        frame = self._model.frame
        if frame is None:
            return
        if self._model.frames_of_light(frame.id)[0] == frame.id:
            self._model.notice.emit(f"{frame.name} is the first of its light already.")
        else:
            self._desk.command(lambda shoot: shoot.split_light(frame.id))

    def merge_lights(self) -> None:
        """Make one light of those that the chosen frames are under."""
        lights = {self._model.state.frames[f].light for f in self._model.selected} if self._model.shoot is not None else set()
        if len(lights) < 2:
            self._model.notice.emit("Choose frames of two or more lights first: a click on a light's name chooses all of it.")
        else:
            self._desk.command(lambda shoot: shoot.merge_lights(lights))

    def show_left_out(self) -> None:
        """List the files that could not come in."""
        reasons = self._desk.arriving.left_out
        if not reasons:
            self._model.notice.emit("Nothing was left out of the last arrival.")
            return
        box = QMessageBox(self._window)
        box.setWindowTitle("What was left out")
        box.setText(f"{count(len(reasons), 'file')} of the last arrival could not come in; nothing was changed in them.")
        box.setInformativeText("\n".join(reasons[:12]) + ("\n…" if len(reasons) > 12 else ""))
        box.setDetailedText("\n".join(reasons))
        box.exec()

    def mark(self, role: str) -> None:
        """Mark the chosen frames as chart, neutral or subject."""
        self._desk.command(lambda shoot: shoot.set_role(self._model.selected, role))

    def remove(self) -> None:
        """Take the chosen frames out of the shoot; their files stay."""
        chosen = self._model.selected
        if chosen and self._desk.command(lambda s: s.remove_frames(chosen)):
            self._model.notice.emit(
                f"{count(len(chosen), 'frame')} removed from the shoot; the files stay where they are. Ctrl+Z brings them back."
            )
