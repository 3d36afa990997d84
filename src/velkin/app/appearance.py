"""How the window looks, remembered from one time to the next: place and size, theme, surround, what is folded away."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QApplication, QWidget

from velkin.app import theme
from velkin.app.widgets.viewer import surround_grey

if TYPE_CHECKING:
    from velkin.app.window import Window


class Appearance:
    """The look of a window, kept in its settings."""

    def __init__(self, window: Window) -> None:
        self._window = window

    def restore(self) -> None:
        """Look as the last time."""
        window = self._window
        window.resize(1280, 800)
        geometry = window.settings.value("geometry")
        if geometry is not None:
            window.restoreGeometry(geometry)
        name = str(window.settings.value("theme", "Card"))
        self.set_theme(name if name in theme.THEMES else "Card")
        for widget, action, key in self._foldable():
            shown = str(window.settings.value(key, "true")) == "true"
            widget.setVisible(shown)
            action.setChecked(shown)

    def remember(self) -> None:
        """Keep place and size."""
        self._window.settings.setValue("geometry", self._window.saveGeometry())

    def _foldable(self) -> list[tuple[QWidget, QAction, str]]:
        window = self._window
        return [
            (window.scope, window.menu.scope, "scope"),
            (window.frames, window.menu.frames, "frames"),
            (window.bench_stack, window.menu.bench, "bench"),
        ]

    def fold(self, which: QWidget) -> None:
        """Fold a part of the window away, or show it again."""
        for widget, action, key in self._foldable():
            if widget is which:
                shown = not widget.isVisible()
                widget.setVisible(shown)
                action.setChecked(shown)
                self._window.settings.setValue(key, "true" if shown else "false")

    def set_theme(self, name: str) -> None:
        """Change the theme."""
        window = self._window
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme.apply(app, theme.THEMES[name])
        window.settings.setValue("theme", name)
        window.menu.by_name[f"{name} theme"].setChecked(True)
        kept = window.settings.value(f"surround/{name}")
        window.menu.surround.blockSignals(True)
        window.menu.surround.setValue(int(kept) if kept is not None else (50 if name == "Card" else 24))
        window.menu.surround.blockSignals(False)
        for view in (window.view, window.chart_room.view):
            view.set_surround(surround_grey(int(kept)) if kept is not None else None)
        for widget in window.findChildren(QWidget):
            widget.update()

    def set_surround(self, lightness: int) -> None:
        """Change the lightness (L*) of the surround, which each theme has of its own."""
        window = self._window
        window.settings.setValue(f"surround/{theme.current().name}", lightness)
        for view in (window.view, window.chart_room.view):
            view.set_surround(surround_grey(lightness))
