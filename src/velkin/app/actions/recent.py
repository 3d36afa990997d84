"""The shoots that were open lately: kept in the settings, offered in a menu and on the start bench."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QMenu

from velkin.app.benches.start import StartBench
from velkin.app.context import Context

_KEPT = 8


class Recent:
    """Remembers shoots and offers those that are still there."""

    def __init__(self, context: Context, menu: QMenu | None, bench: StartBench) -> None:
        self._jobs, self._model, self._settings = context.jobs, context.model, context.settings
        self._menu, self._bench = menu, bench
        context.model.opened.connect(self._opened)
        bench.recent_wanted.connect(lambda path: self._jobs.shoots.open(Path(path)))
        if menu is not None:
            menu.aboutToShow.connect(self._fill)
        bench.show_recent(self.paths())

    def paths(self) -> list[Path]:
        """The shoots, the latest first."""
        kept = self._settings.value("recent")
        names = [kept] if isinstance(kept, str) else list(kept or [])
        return [p for p in map(Path, names) if p.is_file()]

    def _opened(self) -> None:
        shoot = self._model.shoot
        if shoot is None:
            self._bench.show_recent(self.paths())
            return
        here = shoot.path.absolute()
        self._settings.setValue("recent", [str(p) for p in [here, *(p for p in self.paths() if p != here)][:_KEPT]])

    def _fill(self) -> None:
        assert self._menu is not None
        self._menu.clear()
        for path in self.paths():
            action = self._menu.addAction(f"{path.stem}   {path.parent}")
            assert action is not None
            action.triggered.connect(partial(lambda p, _=False: self._jobs.shoots.open(p), path))
        if self._menu.isEmpty():
            nothing = self._menu.addAction("No shoot was open yet")
            assert nothing is not None
            nothing.setEnabled(False)
