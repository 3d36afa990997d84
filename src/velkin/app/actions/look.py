"""What menus, benches and drops do about looks."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from velkin.app.actions.dialogs import Dialogs, pattern
from velkin.app.context import Context
from velkin.app.model.places import Page
from velkin.app.words import count
from velkin.core.files.names import file_name
from velkin.core.looks.kept import SUFFIXES, KeptLook, LookKind

if TYPE_CHECKING:
    from velkin.core.match.match_file import KeptMatch


class LookActions:
    """Actions about looks."""

    def __init__(self, context: Context, dialogs: Dialogs) -> None:
        self._jobs = context.jobs
        self._model = context.model
        self._dialogs = dialogs
        self._settings = context.settings

    def match(self) -> None:
        """Open the match room on the frame in the viewer; of two that are selected the other one is its reference."""
        current, selected = self._model.current, self._model.selected
        if current is not None and self._model.places.now.page is not Page.MATCH:
            others = [f for f in selected if f != current]
            self._model.places.go(Page.MATCH, current, others[0] if len(others) == 1 else None)

    def put_on(self) -> None:
        """Ask for a look, on the shelf of matches or in a file, and put it on."""
        if self._model.frame is None:
            return
        title, shelf = "Put on a match or a look", self._jobs.looks.on_shelf
        chosen: int | None = len(shelf)
        if shelf:
            names = [f"{kept.name}, {count(len(kept.pairs), 'pair')}, from the shelf" for kept in shelf]
            chosen = self._dialogs.one_of(title, "Which one", [*names, "from a file…"], 0)
        if chosen is None:
            return
        if chosen < len(shelf):
            from velkin.core.looks.reading import look_of_match

            self._ask(look_of_match(shelf[chosen]))
            return
        path = self._dialogs.open_file(title, f"Matches and looks ({pattern(SUFFIXES)})")
        if path is not None:
            self.take(path)

    def take(self, path: Path) -> None:
        """Read a look; then ask what it is put on."""
        if self._model.frame is None:
            self._model.report(f"{path.name} is a look, which is put on frames; choose a frame first.")
            return
        self._jobs.looks.read(path, self._ask)

    def export(self) -> None:
        """Export the match of the frame in the viewer."""
        given = None if self._model.frame is None else self._model.state.look_of(self._model.frame.id)
        if given is not None and given.look.kind is LookKind.MATCH:
            from velkin.core.match.match_file import match_from_json

            self.export_match(match_from_json(given.look.content.decode()))
        else:
            self._model.report("This frame has no match on; learn one in the match room (Ctrl+M), or put one on first.")

    def export_match(self, kept: KeptMatch) -> None:
        """Ask how and where a match is written, and write it."""
        from velkin.app.sheets.match_export_sheet import MatchExportSheet

        flat = kept.wish.normalise == "auto"
        sheet = MatchExportSheet(kept.name, flat, self._jobs.spaces.of_model("rgb"), self._settings, self._dialogs.parent)
        if sheet.exec():
            wish = sheet.wish()
            path = self._dialogs.save_file(
                "Export the match", f"{file_name(kept.name, 'match')}{wish.suffix}", f"*{wish.suffix}", (wish.suffix,)
            )
            if path is not None:
                self._jobs.looks.export(kept, wish, path)

    def take_off(self) -> None:
        """Take the look off the selected frames."""
        if self._model.frame is not None:
            self._jobs.looks.take_off(self._model.selected)

    def _ask(self, look: KeptLook) -> None:
        model = self._model
        if model.current is None:
            return
        from velkin.app.sheets.look_sheet import LookSheet

        spaces = self._jobs.spaces.of_model("rgb")
        sheet = LookSheet(look, spaces, model.state, model.current, model.selected, self._dialogs.parent)
        if sheet.exec() and model.shoot is not None:
            self._jobs.looks.give(sheet.chosen(), sheet.look(), sheet.strength.value())
            model.open_stop("working")
