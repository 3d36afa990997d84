"""What menus, benches and drops do about looks."""

from __future__ import annotations

from pathlib import Path

from velkin.app.actions.dialogs import Dialogs, pattern
from velkin.app.benches.look import LookSection
from velkin.app.context import Context
from velkin.app.model.places import Page
from velkin.app.sheets.look_sheet import LookSheet
from velkin.core.looks.kept import SUFFIXES, KeptLook


class LookActions:
    """Actions about looks."""

    def __init__(self, context: Context, dialogs: Dialogs, section: LookSection) -> None:
        self._jobs = context.jobs
        self._model = context.model
        self._dialogs = dialogs
        section.wanted.connect(self.put_on)
        section.match_wanted.connect(self.match)

    def match(self) -> None:
        """Open the match room on the frame in the viewer; of two that are selected the other one is its reference."""
        current, selected = self._model.current, self._model.selected
        if current is not None:
            others = [f for f in selected if f != current]
            self._model.places.go(Page.MATCH, current, others[0] if len(others) == 1 else None)

    def put_on(self) -> None:
        """Ask for a look and put it on."""
        if self._model.frame is not None:
            path = self._dialogs.open_file("Put on a match or a look", f"Matches and looks ({pattern(SUFFIXES)})")
            if path is not None:
                self.take(path)

    def take(self, path: Path) -> None:
        """Read a look; then ask what it is put on."""
        if self._model.frame is None:
            self._model.report(f"{path.name} is a look, which is put on frames; choose a frame first.")
            return
        self._jobs.looks.read(path, self._ask)

    def take_off(self) -> None:
        """Take the look off the selected frames."""
        if self._model.frame is not None:
            self._jobs.looks.take_off(self._model.selected)

    def _ask(self, look: KeptLook) -> None:
        model = self._model
        if model.current is None:
            return
        spaces = self._jobs.spaces.of_model("rgb")
        sheet = LookSheet(look, spaces, model.state, model.current, model.selected, self._dialogs.parent)
        if sheet.exec() and model.shoot is not None:
            self._jobs.looks.give(sheet.chosen(), sheet.look(), sheet.strength.value())
            model.open_stop("working")
