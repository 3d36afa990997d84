"""Starting the window."""

from __future__ import annotations

import sys
import time
from importlib import import_module
from pathlib import Path

from PyQt6.QtCore import QEvent, QEventLoop, QSettings, Qt, QTimer
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QApplication, QDoubleSpinBox

from velkin.app import glyphs, log, theme, words
from velkin.app.collecting import Collector
from velkin.app.flow.service import RenderService
from velkin.app.jobs.lanes import Lane
from velkin.app.model.shoot_model import first_frame
from velkin.app.widgets.focus_ring import FocusRing
from velkin.app.window import Window
from velkin.core.errors import VelkinError
from velkin.core.shoot.shoot import Shoot


def make_application() -> QApplication:
    """The Qt application with Velkin's fonts, theme and icon; the one that runs when there is one."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    QGuiApplication.setHighDpiScaleFactorRoundingPolicy(Qt.HighDpiScaleFactorRoundingPolicy.PassThrough)
    sys.setswitchinterval(2e-4)  # seconds: who draws must not wait long for who computes, which is the usual 5 ms each time
    app = QApplication(sys.argv[:1])
    app.setApplicationName("velkin")
    app.setApplicationDisplayName("Velkin")
    app.setDesktopFileName("velkin")
    app.setStyle("Fusion")
    theme.load_fonts()
    app.setFont(theme.font())  # the window applies its theme once it is built: styling widgets one by one is slow
    app.setWindowIcon(glyphs.app_icon())
    FocusRing(app)
    Collector(app)
    words.use_decimal(decimal_point())
    return app


def decimal_point() -> str:
    """What stands between ones and tenths here.

    A field for numbers is asked: for QLocale the binding makes names of some eight hundred languages and countries, 10 ms of a start.
    """
    return QDoubleSpinBox().textFromValue(0.5)[1]


def start(shoot: Path | None, demo: bool, screenshot: Path | None) -> int:
    """Open the window on a shoot, on the demo, or empty.

    Parameters
    ----------
    shoot : Path or None
    demo : bool
        Make the demo shoot when it is not there yet, and open it.
    screenshot : Path or None
        Write a picture of the window once it is drawn, and end.

    Returns
    -------
    int
        The exit status.
    """
    app = make_application()
    _collector(app).rest()  # while the program starts, what is made is there to stay
    log.begin()
    window = open_window(shoot)
    log.tell(window.model.report)
    window.show()
    if demo:
        window.jobs.demo.open()
    later = QTimer(window)
    later.setSingleShot(True)
    later.timeout.connect(lambda: look_ahead(window))
    later.start(2000)  # the first picture comes before what later ones may need
    if screenshot is not None:
        window.resize(1280, 800)
        settle(window, 120)
        opened = window.model.shoot is not None or not (demo or shoot)
        saved = opened and window.grab().save(str(screenshot))
        leave(window)
        reason = "" if opened else f": {window.model.messages.latest}"
        print(f"{'written' if saved else 'could not write'} {screenshot}{reason}", file=sys.stderr)
        return 0 if saved else 1
    status = app.exec()
    leave(window)
    return status


def leave(window: Window) -> None:
    """Close a window and take it down while the application still runs.

    What is left of it at the interpreter's exit the Qt binding deletes one by one while it walks through what there is; a day on the bench
    ended in a segmentation fault there, in one of some two hundred.
    """
    if window.isVisible():
        window.close()
    for widget in QApplication.topLevelWidgets():  # the window itself, and pages that are in no place now
        widget.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def _collector(app: QApplication) -> Collector:
    found = app.findChild(Collector)
    assert found is not None
    return found


def look_ahead(window: Window) -> None:
    """Have ready what the hand may want next: modules and compiled loops on a worker, then benches and rooms, in idle moments."""
    collector = _collector(make_application())

    def loaded(_: object) -> None:
        collector.keep()
        window.navigator.make_ahead(window.benches.make_ahead())

    collector.rest()
    window.lanes.start(Lane.BACKGROUND, lambda job: import_module("velkin.app.warming").warm_up(), loaded)


def open_window(path: Path | None, settings: QSettings | None = None) -> Window:
    """A window on a shoot, whose first picture is decoded while the window is built; why a shoot did not open is shown."""
    service = RenderService()
    shoot: Shoot | VelkinError | None = None
    if path is not None:
        try:
            shoot = Shoot.open(path)
            first = first_frame(shoot.state)
            if first is not None:
                service.expect(shoot.state.frames[first].path, shoot.state.path(first).source)
        except VelkinError as error:
            shoot = error
    window = Window(settings, service)
    if isinstance(shoot, Shoot):
        window.jobs.shoots.show(shoot)
    elif shoot is not None:
        window.model.report(shoot)
    return window


def settle(window: Window, seconds: float) -> bool:
    """Let the window work until its frame is drawn and measured and its thumbnails are there, at most `seconds`."""
    end = time.monotonic() + seconds
    loop = QEventLoop()
    while time.monotonic() < end:
        QTimer.singleShot(30, loop.quit)
        loop.exec()
        if window.model.shoot is None:
            if window.jobs.demo.awaited or window.lanes.running(Lane.HAND):
                continue
            return True
        flow, frame = window.flow, window.model.frame
        drawn = frame is None or (
            flow.current is not None
            and flow.rendered is not None
            and flow.rendered.seen == flow.seen()
            and flow.measured is not None
            and flow.measured.exact
        )
        if drawn and not window.thumbnails.wanted() and not window.jobs.handoff.running:
            return True
    return False
