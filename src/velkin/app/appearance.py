"""How the window looks, remembered from one time to the next: place and size, widths of its parts, theme, surround, what is folded away."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QApplication, QMainWindow, QSplitter, QWidget

from velkin.app import theme
from velkin.app.widgets.viewer import surround_grey

#: Lightness (L*) of the surround that belongs to each theme.
_SURROUND = {"Card": 50, "Dim room": 24}


@dataclass(frozen=True)
class Parts:
    """The parts of a window that can be folded away, by name, and the splitter that gives them their widths."""

    foldable: dict[str, QWidget]
    splitter: QSplitter


class Appearance(QObject):
    """The look of a window, kept in its settings."""

    theme_changed = pyqtSignal(str)
    surround_changed = pyqtSignal(object)  # QColor of one's own, or None for the theme's
    folded_changed = pyqtSignal(str, bool)  # which part, whether it is shown

    def __init__(self, window: QMainWindow, parts: Parts, settings: QSettings) -> None:
        super().__init__(window)
        self._window, self._parts, self._settings = window, parts, settings

    def restore(self) -> None:
        """Look as the last time."""
        self._window.resize(1280, 800)
        geometry = self._settings.value("geometry")
        if geometry is not None:
            self._window.restoreGeometry(geometry)
        widths = self._settings.value("widths")
        if widths is not None:
            self._parts.splitter.restoreState(widths)
        name = str(self._settings.value("theme", "Card"))
        self.set_theme(name if name in theme.THEMES else "Card")
        for key in self._parts.foldable:
            self._show_part(key, str(self._settings.value(key, "true")) == "true")

    def remember(self) -> None:
        """Keep place, size and widths."""
        self._settings.setValue("geometry", self._window.saveGeometry())
        self._settings.setValue("widths", self._parts.splitter.saveState())

    # ---- folding ----------------------------------------------------------------------------------------------

    def fold(self, key: str) -> None:
        """Fold a part of the window away, or show it again."""
        shown = self._parts.foldable[key].isHidden()
        self._show_part(key, shown)
        self._settings.setValue(key, "true" if shown else "false")

    def _show_part(self, key: str, shown: bool) -> None:
        self._parts.foldable[key].setVisible(shown)
        self.folded_changed.emit(key, shown)

    # ---- theme and surround -----------------------------------------------------------------------------------

    def set_theme(self, name: str) -> None:
        """Change the theme."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme.apply(app, theme.THEMES[name])
        self._settings.setValue("theme", name)
        self.theme_changed.emit(name)
        self.surround_changed.emit(self.surround())
        for widget in self._window.findChildren(QWidget):
            widget.update()

    @property
    def lightness(self) -> int:
        """The lightness (L*) of the surround, which each theme has of its own."""
        name = theme.current().name
        kept = self._settings.value(f"surround/{name}")
        return int(kept) if kept is not None else _SURROUND[name]

    def surround(self) -> QColor | None:
        """The surround that was chosen for the theme; None where it is the theme's own."""
        kept = self._settings.value(f"surround/{theme.current().name}")
        return surround_grey(int(kept)) if kept is not None else None

    def set_surround(self, lightness: int) -> None:
        """Change the lightness (L*) of the surround."""
        self._settings.setValue(f"surround/{theme.current().name}", lightness)
        self.surround_changed.emit(self.surround())
