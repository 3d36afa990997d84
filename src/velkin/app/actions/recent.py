"""The shoots that were open lately: kept in the settings, offered in a menu and on the start bench where they are still there."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QMenu

from velkin.app.benches.start import StartBench
from velkin.app.context import Context

#: How many are offered, and how many are remembered: one on a disk that is not plugged in now may be there again.
_OFFERED, _REMEMBERED = 8, 16


class Recent:
    """Remembers shoots and offers those that are still there, which is looked for aside: a disk may be slow to answer."""

    def __init__(self, context: Context, menu: QMenu | None, bench: StartBench) -> None:
        self._jobs, self._model, self._settings = context.jobs, context.model, context.settings
        self._menu, self._bench = menu, bench
        #: Those that were there when it was last looked, the latest first.
        self.offered: list[Path] = []
        context.model.opened.connect(self._opened)
        bench.recent_wanted.connect(lambda path: self._jobs.shoots.open(Path(path)))
        if menu is not None:
            menu.aboutToShow.connect(self._fill)
        self.look()

    def look(self) -> None:
        """Look which of those that are remembered are there."""
        self._jobs.shoots.look_for(self._remembered(), self._found)

    def _found(self, there: list[Path]) -> None:
        if there[:_OFFERED] != self.offered:  # else what has the keys there stays
            self.offered = there[:_OFFERED]
            self._bench.show_recent(self.offered)

    def _remembered(self) -> list[Path]:
        kept = self._settings.value("recent")
        return [Path(name) for name in ([kept] if isinstance(kept, str) else list(kept or []))]

    def _opened(self) -> None:
        shoot = self._model.shoot
        if shoot is not None:
            here = shoot.path.absolute()
            names = [here, *(p for p in self._remembered() if p != here)]
            self._settings.setValue("recent", [str(p) for p in names[:_REMEMBERED]])
        self.look()

    def _fill(self) -> None:
        assert self._menu is not None
        self._menu.clear()
        for path in self.offered:
            action = self._menu.addAction(f"{path.stem}   {path.parent}")
            assert action is not None
            action.triggered.connect(partial(lambda p, _=False: self._jobs.shoots.open(p), path))
        if self._menu.isEmpty():
            nothing = self._menu.addAction("No shoot was open yet")
            assert nothing is not None
            nothing.setEnabled(False)
        self.look()
