"""What the Help menu does: the guide, the keys, what was said, the log, what Velkin is."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from velkin import __version__
from velkin.app import log
from velkin.app.actions.actions import Actions
from velkin.app.menus import Menus
from velkin.app.model.shoot_model import ShootModel


class HelpActions:
    """Fills the Help menu."""

    def __init__(self, menus: Menus, model: ShootModel, parent: QWidget) -> None:
        self._menus, self._model, self._parent = menus, model, parent

    def fill(self, actions: Actions) -> None:
        """Add the commands."""
        menu, add = self._menus.help_menu, self._menus.add
        add(menu, "&Guide", self.guide, "F1", "How the job is done, in its order; it needs no network")
        add(menu, "&Keys", self.keys, "Ctrl+F1", "Every command that has a key")
        add(menu, "What the &links of the path mean", actions.space.explain_links)
        menu.addSeparator()
        add(menu, "&Messages", self.messages, tip="Everything that was said since the program was started")
        add(menu, "&Open the log", self.open_log, tip="What went wrong inside the program, for whoever looks into it")
        menu.addSeparator()
        add(menu, "&About Velkin", self.about)

    def guide(self) -> None:
        """Open the guide inside the program."""
        from velkin.app.sheets.guide_sheet import GuideSheet

        GuideSheet(self._parent).show()

    def keys(self) -> None:
        """List the commands with their keys."""
        from velkin.app.sheets.keys_sheet import KeysSheet

        KeysSheet(self._menus.keys(), self._parent).show()

    def messages(self) -> None:
        """Show everything that was said."""
        from velkin.app.sheets.text_sheet import TextSheet

        lines = [f"{m.at:%H:%M:%S}  {'problem: ' if m.problem else ''}{m.text}" for m in self._model.messages.history]
        TextSheet("Messages", "\n".join(lines) or "Nothing was said yet.", self._parent).show()

    def open_log(self) -> None:
        """Show the log's last lines and where it lies."""
        from velkin.app.sheets.text_sheet import TextSheet

        path = log.path()
        text = log.last_lines()
        TextSheet("Log", f"{path}\n\n{text or 'The log is empty: nothing went wrong.'}", self._parent).show()

    def about(self) -> None:
        """Say what Velkin is."""
        self._model.say(
            f"Velkin {__version__}, free software under the GPL, version 3 or later. Its demo pictures are simulated."
        )
