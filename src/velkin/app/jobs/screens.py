"""The profile of the screen that the window is on, followed while the program runs: when it changes, and when the window moves.

A file chosen for the monitor comes first, then the X11 property, then the colour daemon, then generic sRGB.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QSettings, QTimer, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QScreen

from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.screen_sources import XProperties, daemon_profile, property_name
from velkin.app.jobs.work import Ground, Work
from velkin.core.errors import BadProfile
from velkin.core.gamut.solid import common, solid_of
from velkin.core.icc.space import Space, load_space, space_of
from velkin.core.spaces.rgb import SRGB

SYSTEM, GENERIC = "", "generic"
_EVERY_MS = 1500
#: The colour daemon is asked at every so many looks.
_DAEMON_EVERY = 8


@dataclass(frozen=True)
class ScreenProfile:
    """What a screen is drawn through, where that is told, and what is wrong with what was told."""

    space: Space
    told_by: str
    problem: str = ""


_PLAIN = ScreenProfile(SRGB, "nothing tells its profile: generic sRGB")


class Screens(Work):
    """Follows the profile of the window's screen and gives it to the model."""

    changed = pyqtSignal()

    def __init__(self, ground: Ground, settings: QSettings) -> None:
        super().__init__(ground)
        self._settings = settings
        self._x = XProperties() if QGuiApplication.platformName() == "xcb" else None
        self._monitor: QScreen | None = None
        self._stamp: object = None
        self._daemon: dict[str, Path | None] = {}
        self.now = _PLAIN
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY_MS)
        self._timer.timeout.connect(self._tick)
        self._ticks = 0

    def start(self, monitor: QScreen | None) -> None:
        """Begin to follow."""
        self.move_to(monitor)
        self._timer.start()

    def stop(self) -> None:
        """Follow no longer."""
        self._timer.stop()
        if self._x is not None:
            self._x.close()

    def move_to(self, monitor: QScreen | None) -> None:
        """The window is on another monitor."""
        self._monitor = monitor
        self._ask_daemon()
        self.look()

    @property
    def monitor(self) -> str:
        """The name of the monitor that the window is on."""
        return self._monitor.name() if self._monitor is not None else ""

    def chosen(self) -> str:
        """What was chosen for the monitor: a file's path, ``generic``, or nothing (as the system says)."""
        return str(self._settings.value(f"screen profile/{self.monitor or 'screen'}", SYSTEM) or SYSTEM)

    def choose(self, what: str) -> None:
        """Choose a file, ``generic``, or (empty) what the system says."""
        self._settings.setValue(f"screen profile/{self.monitor or 'screen'}", what)
        self.look()

    def measure(self, tell: Callable[[Space, float, float], None]) -> None:
        """Measure on a worker the screen's volume, and the share of sRGB that it shows, both in sRGB's volumes."""
        space = self.now.space

        def work(job: Job) -> tuple[float, float]:
            screen, srgb = solid_of(space), solid_of(SRGB)
            return screen.volume / srgb.volume, common(srgb, screen) / srgb.volume

        def done(result: object) -> None:
            if isinstance(result, tuple):
                with contextlib.suppress(RuntimeError):  # its sheet was closed in the meantime
                    tell(space, *result)

        self._lanes.start(Lane.ROOM, work, done, purpose="volume of the screen")

    def _tick(self) -> None:
        self._ticks += 1
        if self._ticks % _DAEMON_EVERY == 0:
            self._ask_daemon()
        self.look()

    def _number(self) -> int:
        screens = QGuiApplication.screens()
        return screens.index(self._monitor) if self._monitor in screens else 0

    def _ask_daemon(self) -> None:
        name = self.monitor
        if QGuiApplication.platformName() not in ("xcb", "wayland") or not name:
            return

        def done(found: object) -> None:
            path = found if isinstance(found, Path) else None
            if self._daemon.get(name) != path:
                self._daemon[name] = path
                self.look()

        self._lanes.start(Lane.BACKGROUND, lambda job: daemon_profile(name), done, purpose="colour daemon")

    def look(self) -> None:
        """Look what is told now; the picture is drawn anew only when that changed."""
        chosen = self.chosen()
        if chosen == GENERIC:
            self._take((GENERIC,), lambda: ScreenProfile(SRGB, "chosen: generic sRGB"))
            return
        if chosen:
            self._take_file(Path(chosen), "chosen")
            return
        data = self._x.read(property_name(self._number())) if self._x is not None else b""
        if data:
            self._take(("x", data), lambda: ScreenProfile(space_of(data), "told by the X11 property of this monitor"))
            return
        known = self._daemon.get(self.monitor)
        if known is not None:
            self._take_file(known, "told by the system's colour daemon")
            return
        self._take(("plain",), lambda: _PLAIN)

    def _take_file(self, path: Path, told_by: str) -> None:
        try:
            status = path.stat()
            stamp: object = (str(path), status.st_mtime_ns, status.st_size)
        except OSError:
            stamp = (str(path), None)
        self._take(stamp, lambda: ScreenProfile(load_space(path), f"{told_by}: {path.name}"))

    def _take(self, stamp: object, read: Callable[[], ScreenProfile]) -> None:
        if stamp == self._stamp:
            return
        self._stamp = stamp
        try:
            found = read()
            if found.space.model != "rgb":
                raise BadProfile(f"{found.space.name} is for {found.space.model} and cannot be a screen's")
        except BadProfile as error:
            found = ScreenProfile(SRGB, "generic sRGB", str(error))
            self._model.report(f"The screen's profile cannot be used ({error}); pictures are drawn for generic sRGB.")
        self.now = found
        self._model.set_screen(found.space)
        self.changed.emit()
