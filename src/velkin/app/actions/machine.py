"""What menus do about the machine one sits at: its screen, its memory."""

from __future__ import annotations

from velkin.app.actions.dialogs import Dialogs
from velkin.app.context import Context


class MachineActions:
    """Actions about this machine."""

    def __init__(self, context: Context, dialogs: Dialogs) -> None:
        self._context, self._dialogs = context, dialogs

    def screen(self) -> None:
        """Show and choose what this screen is drawn for."""
        from velkin.app.sheets.screen_sheet import ScreenSheet

        ScreenSheet(self._context.screens, self._dialogs.parent).exec()

    def memory(self) -> None:
        """Show and set how much memory pictures may be kept in."""
        from velkin.app.sheets.memory_sheet import MemorySheet

        MemorySheet(self._context.jobs.sources, self._context.settings, self._dialogs.parent).exec()
