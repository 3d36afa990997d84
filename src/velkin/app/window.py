"""The main window: colour path on top, frames left, picture in the middle, bench right, scope and status below."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QPoint, QSettings, Qt, QTimer
from PyQt6.QtGui import (
    QAction,
    QActionGroup,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
)
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMenu,
    QMenuBar,
    QPushButton,
    QSlider,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
    QWidgetAction,
)

from velkin import __version__
from velkin.app import theme
from velkin.app.benches.camera import CameraBench
from velkin.app.benches.handoff import HandoffBench
from velkin.app.benches.proof import ProofBench
from velkin.app.benches.source import SourceBench
from velkin.app.benches.working import WorkingBench
from velkin.app.desk import Desk
from velkin.app.finder import Finder
from velkin.app.frames_panel import THUMB_W, FramesPanel
from velkin.app.model import STOPS, ShootModel
from velkin.app.path_bar import PathBar
from velkin.app.rooms.chart_room import ChartRoom
from velkin.app.scope import Scope
from velkin.app.service import Measured, Rendered, RenderService
from velkin.app.status_line import StatusLine
from velkin.app.stops import stops_of
from velkin.app.viewer import PictureView, surround_grey
from velkin.app.words import count, share, signed
from velkin.core.errors import VelkinError
from velkin.core.files.raw import SUFFIXES
from velkin.core.render import to_space
from velkin.core.spaces.lab import xyz_to_lab

_NAMES = {"source": "Source", "camera": "Camera", "working": "Working", "proof": "Proof", "handoff": "Hand-off"}


class _TopBar(QWidget):
    """Menus, the shoot's name in the middle, whether it is saved at the right."""

    def __init__(self, menus: QMenuBar) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(28)
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 0, 16, 0)
        row.addWidget(menus)
        row.addStretch(1)
        self.saved = QLabel()
        self.saved.setProperty("soft", True)
        row.addWidget(self.saved)
        self.title = QLabel(self)
        self.title.setFont(theme.font(13, 600))
        self.title.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.title.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def resizeEvent(self, event: object) -> None:
        self.title.setGeometry(self.width() // 2 - 200, 0, 400, 28)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        p = QPainter(self)
        p.setPen(theme.current().colour("line"))
        p.drawLine(0, self.height() - 1, self.width(), self.height() - 1)


class _Notice(QWidget):
    """One line under the path that says what happened; a problem stays until it is dismissed."""

    _SECONDS = 8

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 4, 8, 4)
        self.label = QLabel()
        self.label.setWordWrap(True)
        self.label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.label.setAccessibleName("Message")
        row.addWidget(self.label, 1)
        close = QPushButton("Dismiss")
        close.clicked.connect(self.hide)
        row.addWidget(close)
        self._fade = QTimer(self)
        self._fade.setSingleShot(True)
        self._fade.timeout.connect(self.hide)
        self.hide()

    def say(self, text: str) -> None:
        """Show what was done for some seconds; an empty text hides the line."""
        self.insist(text)
        self._fade.start(1000 * self._SECONDS)

    def insist(self, text: str) -> None:
        """Show a problem until it is dismissed or something else is said."""
        self._fade.stop()
        self.label.setFont(theme.font(13))
        self.label.setText(text)
        self.setVisible(bool(text))


class Window(QMainWindow):
    """The program's one window."""

    def __init__(self, settings: QSettings | None = None, service: RenderService | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Velkin")
        self.setAcceptDrops(True)
        self.settings = settings or QSettings("velkin", "velkin")
        self.model = ShootModel()
        self.service = service or RenderService()
        self.desk = Desk(self.model, self.service)
        self.measured: Measured | None = None
        self.rendered: Rendered | None = None
        self._wants_full = False
        self._pointer: tuple[float, float] | None = None
        self._thumbnails_due = QTimer(self)
        self._thumbnails_due.setSingleShot(True)
        self._thumbnails_due.setInterval(400)  # after the picture; it starts them earlier when it is there
        self._thumbnails_due.timeout.connect(self._draw_thumbnails)
        self._progress: dict[str, tuple[int, int, bool]] = {}

        self.path_bar = PathBar()
        self.frames = FramesPanel(self.model)
        self.view = PictureView()
        self.view.empty_text = "Drop raw files here, or open a shoot from the Shoot menu"
        self.scope = Scope()
        self.status = StatusLine()
        self.notice = _Notice()
        self.chart_room = ChartRoom(self.desk)
        self.camera_bench = CameraBench(self.desk, self.read_chart)
        self.working_bench = WorkingBench(self.desk)
        self.proof_bench = ProofBench(self.desk)
        self.handoff_bench = HandoffBench(self.desk)
        self.benches: dict[str, QWidget] = {
            "source": SourceBench(self.model),
            "camera": self.camera_bench,
            "working": self.working_bench,
            "proof": self.proof_bench,
            "handoff": self.handoff_bench,
        }
        self._lay_out()
        self.actions_by_name: dict[str, QAction] = {}
        self._make_menus()
        self._connect()
        self._restore()
        self._follow_shoot()
        self._stop_opened(self.model.stop)
        self._for_keys = QApplication.instance()
        if self._for_keys is not None:
            self._for_keys.installEventFilter(self)
        self._backup = QTimer(self)
        self._backup.setInterval(10 * 60 * 1000)
        self._backup.timeout.connect(self._write_backup)
        self._backup.start()

    # ---- building ---------------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        self.bench_stack = QStackedWidget()
        for key in STOPS:
            self.bench_stack.addWidget(self.benches[key])
        self.bench_stack.setFixedWidth(336)
        desk = QWidget()
        row = QHBoxLayout(desk)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.view, 1)
        middle.addWidget(self.scope)
        row.addLayout(middle, 1)
        row.addWidget(_Line())
        row.addWidget(self.bench_stack)
        self.rooms = QStackedWidget()
        self.rooms.addWidget(desk)
        self.rooms.addWidget(self.chart_room)
        body = QHBoxLayout()
        body.setSpacing(0)
        body.addWidget(self.frames)
        body.addWidget(_Line())
        body.addWidget(self.rooms, 1)
        central = QWidget()
        column = QVBoxLayout(central)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.menus = QMenuBar()
        self.top = _TopBar(self.menus)
        for widget in (self.top, self.path_bar, _Line(horizontal=True), self.notice):
            column.addWidget(widget)
        column.addLayout(body, 1)
        column.addWidget(self.status)
        self.setCentralWidget(central)
        self.setMinimumSize(1000, 640)
        for stop in self.path_bar.buttons.values():
            stop.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        for button in central.findChildren(QPushButton):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keys with the picture

    def _action(self, menu: QMenu, text: str, act: Callable[[], Any], keys: str = "", tip: str = "") -> QAction:
        action = QAction(text, self)
        if keys:
            action.setShortcut(QKeySequence(keys))
        action.setToolTip((tip or text.replace("&", "")) + (f" ({keys})" if keys else ""))
        action.triggered.connect(lambda _=False: act())
        menu.addAction(action)
        self.addAction(action)
        self.actions_by_name[text.replace("&", "")] = action
        return action

    def _make_menus(self) -> None:
        def menu(name: str) -> QMenu:
            made = self.menus.addMenu(name)
            assert made is not None
            made.setToolTipsVisible(True)
            return made

        shoot = menu("&Shoot")
        self._action(shoot, "&New shoot…", self.ask_new, "Ctrl+N")
        self._action(shoot, "&Open a shoot…", self.ask_open, "Ctrl+O")
        shoot.addSeparator()
        self._action(shoot, "&Add raw files…", self.ask_files, "Ctrl+I")
        self._action(shoot, "Add a &folder…", self.ask_folder, "Ctrl+Shift+I")
        shoot.addSeparator()
        self._undo = self._action(shoot, "&Undo", self.model.undo, "Ctrl+Z")
        self._redo = self._action(shoot, "&Redo", self.model.redo, "Ctrl+Shift+Z")
        shoot.addSeparator()
        self._action(shoot, "&Hand off", self.hand_off, "Ctrl+Return")
        shoot.addSeparator()
        self._action(shoot, "&Quit", self.close, "Ctrl+Q")

        frame = menu("&Frame")
        self._action(frame, "&Next frame", lambda: self.model.step(1), "PgDown")
        self._action(frame, "&Previous frame", lambda: self.model.step(-1), "PgUp")
        self._action(frame, "Select &all frames", self.select_all, "Ctrl+A")
        self._action(frame, "Select the frames of this &light", self.select_light, "Ctrl+L")
        frame.addSeparator()
        for role, name in (
            ("chart", "Mark as &chart frame"),
            ("neutral", "Mark as ne&utral frame"),
            ("subject", "Mark as &subject"),
        ):
            self._action(frame, name, partial(self._mark, role))
        frame.addSeparator()
        self._action(
            frame, "Move to a new light", lambda: self.desk.command(lambda s: s.move_to_light(self.model.selected, None))
        )
        self._action(frame, "Rename this light…", self.ask_light_name, "F2")
        self._action(frame, "Find a missing source…", self.ask_source)
        self._action(frame, "Remove from the shoot", self._remove, "Del", "The files stay where they are")
        self._frame_menu = frame

        chart = menu("&Chart")
        self._action(chart, "&Read the chart in this frame", self.camera_bench.read_chart_here, "K")
        chart.addSeparator()
        self._action(chart, "&Give the profile to this light", self.camera_bench._give_clicked, "Ctrl+G")
        self._action(chart, "&Back to the built-in profile", self.camera_bench._back_clicked)
        chart.addSeparator()
        self._action(chart, "&Import a profile…", self.ask_profile)
        self._action(chart, "&Export this frame's profile…", self.ask_export)

        colour = menu("C&olour")
        for number, key in enumerate(STOPS, start=1):
            self._action(colour, f"Open {_NAMES[key]}", partial(self.open_stop, key), str(number))
        colour.addSeparator()
        self._hatch = self._action(
            colour, "&Hatch what is outside", lambda: self.model.show_hatching(not self.model.hatching), "X"
        )
        self._hatch.setCheckable(True)

        view = menu("&View")
        self._action(view, "&Fit the picture", self._fit, "F")
        self._action(view, "&Actual pixels", self._actual, "A")
        self._action(view, "Zoom in", lambda: self._current_view().zoom_by(1.25), "Ctrl++")
        self._action(view, "Zoom out", lambda: self._current_view().zoom_by(0.8), "Ctrl+-")
        before = self._action(
            view, "Before: the built-in rendering", lambda: self.model.show_before(not self.model.before), "B"
        )
        before.setCheckable(True)
        before.setToolTip("Show the camera's built-in rendering (B; or hold Space)")
        self.model.before_changed.connect(before.setChecked)
        view.addSeparator()
        self._scope_action = self._action(view, "&Scope shelf", lambda: self._fold(self.scope), "H")
        self._frames_action = self._action(view, "Frames &panel", lambda: self._fold(self.frames), "F7")
        self._bench_action = self._action(view, "&Bench", lambda: self._fold(self.bench_stack), "F8")
        for action in (self._scope_action, self._frames_action, self._bench_action):
            action.setCheckable(True)
            action.setChecked(True)
        view.addSeparator()
        themes = QActionGroup(self)
        for name in theme.THEMES:
            action = self._action(view, f"{name} theme", partial(self.set_theme, name))
            action.setCheckable(True)
            themes.addAction(action)
        self._surround_menu(view)

        help_menu = menu("&Help")
        self._action(help_menu, "Find a &command…", self.find_command, "Ctrl+K")
        self._action(help_menu, "What the &links of the path mean", self._explain_links)
        self._action(help_menu, "&About Velkin", self._about)

    def _surround_menu(self, view: QMenu) -> None:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(28, 4, 16, 4)
        label = QLabel("Surround, L*")
        self.surround = QSlider(Qt.Orientation.Horizontal)
        self.surround.setRange(15, 90)
        self.surround.setFixedWidth(130)
        self.surround.setAccessibleName("Lightness of the surround, L* 15 to 90")
        self.surround.valueChanged.connect(self._surround_changed)
        row.addWidget(label)
        row.addWidget(self.surround)
        action = QWidgetAction(self)
        action.setDefaultWidget(holder)
        view.addAction(action)

    def _connect(self) -> None:
        m = self.model
        m.opened.connect(self._opened)
        m.changed.connect(self._follow_shoot)
        m.selection_changed.connect(self._show_frame)
        m.stop_changed.connect(self._stop_opened)
        m.before_changed.connect(lambda _: self._render())
        m.hatching_changed.connect(self._hatching)
        m.notice.connect(self.notice.say)
        m.problem.connect(self.notice.insist)
        self.path_bar.chosen.connect(self.open_stop)
        self.service.rendered.connect(self._rendered)
        self.service.measured.connect(self._measured)
        self.service.failed.connect(self._failed)
        self.service.thumbnail.connect(self.frames.list.set_thumbnail)
        self.service.thumbnails_left.connect(
            lambda left, total: self._show_progress("Drawing thumbnails", total - left, total if left else 0, False)
        )
        self.desk.progress.connect(lambda words, done, total: self._show_progress(words or "job", done, total, True))
        self.status.cancelled.connect(self.desk.cancel)
        self.view.pointed.connect(self._pointed)
        self.view.zoomed.connect(self._zoomed)
        self.chart_room.left.connect(self._leave_room)
        self.chart_room.view.pointed.connect(self._pointed)
        self.frames.list.menu_wanted.connect(self._frame_popup)

    # ---- settings ---------------------------------------------------------------------------------------------

    def _restore(self) -> None:
        self.resize(1280, 800)
        geometry = self.settings.value("geometry")
        if geometry is not None:
            self.restoreGeometry(geometry)
        name = str(self.settings.value("theme", "Card"))
        self.set_theme(name if name in theme.THEMES else "Card")
        for widget, action, key in self._foldable():
            shown = str(self.settings.value(key, "true")) == "true"
            widget.setVisible(shown)
            action.setChecked(shown)

    def _foldable(self) -> list[tuple[QWidget, QAction, str]]:
        return [
            (self.scope, self._scope_action, "scope"),
            (self.frames, self._frames_action, "frames"),
            (self.bench_stack, self._bench_action, "bench"),
        ]

    def _fold(self, which: QWidget) -> None:
        for widget, action, key in self._foldable():
            if widget is which:
                shown = not widget.isVisible()
                widget.setVisible(shown)
                action.setChecked(shown)
                self.settings.setValue(key, "true" if shown else "false")

    def set_theme(self, name: str) -> None:
        """Change the theme."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme.apply(app, theme.THEMES[name])
        self.settings.setValue("theme", name)
        self.actions_by_name[f"{name} theme"].setChecked(True)
        kept = self.settings.value(f"surround/{name}")
        self.surround.blockSignals(True)
        self.surround.setValue(int(kept) if kept is not None else (50 if name == "Card" else 24))
        self.surround.blockSignals(False)
        for view in (self.view, self.chart_room.view):
            view.set_surround(surround_grey(int(kept)) if kept is not None else None)
        for widget in self.findChildren(QWidget):
            widget.update()

    def _surround_changed(self, lightness: int) -> None:
        self.settings.setValue(f"surround/{theme.current().name}", lightness)
        for view in (self.view, self.chart_room.view):
            view.set_surround(surround_grey(lightness))

    # ---- following the model ----------------------------------------------------------------------------------

    def _opened(self) -> None:
        self.measured = self.rendered = None
        if self.rooms.currentWidget() is self.chart_room:
            self._leave_room()
        self.notice.say("")

    def _follow_shoot(self) -> None:
        shoot = self.model.shoot
        self.top.title.setText(shoot.state.name if shoot else "Velkin")
        self.top.saved.setText("●  saved" if shoot else "")
        self.setWindowTitle(f"{shoot.state.name} – Velkin" if shoot else "Velkin")
        undo, redo = (shoot.undo_label(), shoot.redo_label()) if shoot else (None, None)
        self._undo.setText(f"Undo: {undo}" if undo else "Undo")
        self._redo.setText(f"Redo: {redo}" if redo else "Redo")
        self._undo.setEnabled(undo is not None)
        self._redo.setEnabled(redo is not None)
        self._show_frame()
        if shoot is not None:
            self._thumbnails_due.start()

    def _draw_thumbnails(self) -> None:
        self._thumbnails_due.stop()
        if self.model.shoot is None:
            return
        wishes = [(f, self.model.state.frames[f].path, path) for f, path in self.frames.list.wanted_thumbnails()]
        if wishes:
            self.service.draw_thumbnails(wishes, self.model.screen, 2 * THUMB_W)

    def _show_frame(self) -> None:
        frame = self.model.frame
        if frame is None:
            self.view.clear()
            if self.model.shoot is not None:
                self.view.empty_text = "Drop raw files here, or add them from the Shoot menu"
            self.measured = None
            self._show_measured()
            return
        self._render()

    def _render(self) -> None:
        frame, path = self.model.frame, self.model.path()
        if frame is None or path is None:
            return
        if self.rendered is not None and self.rendered.frame != frame.id:
            self._wants_full = False
        if self.measured is not None and (self.measured.frame, self.measured.path) != (frame.id, path):
            self.measured = None
        self._pointed(self._pointer)  # numbers of another frame or path are never left standing
        self.service.show(frame.id, frame.path, path, self.model.screen, self._wants_full, self.model.hatching)
        self._show_stops()

    def _show_stops(self) -> None:
        frame, path = self.model.frame, self.model.path()
        if frame is not None and path is not None:
            self.path_bar.show_stops(stops_of(self.model.state, frame.id, path, self.measured, self.model.written()))

    def _rendered(self, rendered: Rendered) -> None:
        frame = self.model.frame
        if frame is None or rendered.frame != frame.id or rendered.path != self.model.path():
            return
        self.rendered = rendered
        self.view.set_picture(rendered.image, (frame.facts.width, frame.facts.height), rendered.hatch)
        self._pointed(self._pointer)
        self._captions()
        if self._thumbnails_due.isActive():
            self._thumbnails_due.start(30)

    def _failed(self, frame: int, text: str) -> None:
        if frame == self.model.current:
            self.view.clear()
            self.view.empty_text = "This picture cannot be shown; the reason is above"
            self.rendered = None
            self.model.report(f"{text}. Its place in the shoot is kept; Frame ▸ Find a missing source… brings it back.")

    def _measured(self, measured: Measured) -> None:
        if measured.frame == self.model.current and measured.path == self.model.path():
            self.measured = measured
            self._show_measured()

    def _show_measured(self) -> None:
        name = self.model.state.proof_destination().name if self.model.shoot is not None else ""
        self.scope.show_measured(self.measured, name)
        self.proof_bench.show_measured(self.measured)
        self.working_bench.show_measured(self.measured)
        self._show_stops()
        self._captions()

    def _captions(self) -> None:
        frame = self.model.frame
        if frame is None:
            return
        zoom = 100 * self.view.scale * self.view.devicePixelRatioF()
        left = f"{frame.name}   {'fit, ' if self.view.is_fit else ''}{zoom:.0f} %"
        if self.model.before:
            left += "   before: built-in profile, as shot"
        right = ""
        if self.model.hatching and self.measured is not None:
            right = f"hatched: outside {self.measured.path.destination.name}, {share(self.measured.there_outside.share)} %"
        self.view.set_captions(left, right)

    def _hatching(self, on: bool) -> None:
        self._hatch.setChecked(on)
        self.view.show_hatch = on
        self.view.update()
        self._captions()
        if on and self.rendered is not None and self.rendered.hatch is None:
            self._render()

    def _zoomed(self, scale: float) -> None:
        self._captions()
        if scale * self.view.devicePixelRatioF() > 0.55 and not self._wants_full and self.rendered is not None:
            self._wants_full = True
            self._render()

    def _pointed(self, at: tuple[float, float] | None) -> None:
        self._pointer = at
        r = self.rendered
        frame = self.model.frame
        if at is None or r is None or frame is None or r.frame != frame.id or r.path != self.model.path():
            self.status.show_numbers("", "", "", "")
            return
        height, width = r.working.shape[:2]
        x = min(int(at[0] * width / frame.facts.width), width - 1)
        y = min(int(at[1] * height / frame.facts.height), height - 1)
        pixel = r.working[y : y + 1, x : x + 1]
        here = r.path.working.encode(pixel.astype(np.float64))[0, 0]
        lab = xyz_to_lab(r.path.working.to_xyz @ pixel[0, 0].astype(np.float64))
        there = r.path.destination.encode(to_space(pixel, r.path, r.path.destination).astype(np.float64))[0, 0]
        out = bool(there.min() < -0.5 / 255 or there.max() > 1 + 0.5 / 255)
        codes = "  ".join(str(round(float(v) * 255)) for v in np.clip(there, 0, 1))
        self.status.show_numbers(
            f"{int(at[0])}, {int(at[1])}",
            "  ".join(signed(float(v), 3) for v in here),
            "  ".join(signed(float(v)) for v in lab),
            codes + ("   ▨ outside" if out else ""),
        )

    def _show_progress(self, words: str, done: int, total: int, cancellable: bool) -> None:
        if total:
            self._progress[words] = (done, total, cancellable)
        elif words == "job":
            self._progress = {k: v for k, v in self._progress.items() if not v[2]}
        else:
            self._progress.pop(words, None)
        if not self._progress:
            self.status.show_progress("", 0, 0, False)
            return
        shown = max(self._progress, key=lambda k: self._progress[k][2])
        self.status.show_progress(shown, *self._progress[shown])

    # ---- stops and rooms --------------------------------------------------------------------------------------

    def open_stop(self, key: str) -> None:
        """Open a stop's bench, from wherever one is."""
        if self.rooms.currentWidget() is self.chart_room:
            self.chart_room.leave()
        self.model.open_stop(key)

    def _stop_opened(self, key: str) -> None:
        self.path_bar.show_open(key)
        self.bench_stack.setCurrentWidget(self.benches[key])

    def read_chart(self, frame: int) -> None:
        """Open the chart room on a frame."""
        self.model.open_stop("camera")
        self.model.show_before(False)
        self.model.select(frame)
        self.rooms.setCurrentWidget(self.chart_room)
        self.chart_room.enter(frame)
        self._render()

    def _leave_room(self) -> None:
        self.rooms.setCurrentIndex(0)
        self.view.setFocus()

    def _current_view(self) -> PictureView:
        return self.chart_room.view if self.rooms.currentWidget() is self.chart_room else self.view

    def _fit(self) -> None:
        self._current_view().fit()

    def _actual(self) -> None:
        self._current_view().actual()

    # ---- what menus do ----------------------------------------------------------------------------------------

    def _folder(self) -> str:
        return str(self.settings.value("folder", str(Path.home())))

    def _remember(self, path: str) -> None:
        self.settings.setValue("folder", str(Path(path).parent))

    def ask_new(self) -> None:
        """Ask for a new shoot's name and place."""
        chosen, _ = QFileDialog.getSaveFileName(
            self, "New shoot", str(Path(self._folder()) / "Untitled.velkin"), "Shoots (*.velkin)"
        )
        if chosen:
            self._remember(chosen)
            self.desk.new_shoot(Path(chosen))

    def ask_open(self) -> None:
        """Ask for a shoot to open."""
        chosen, _ = QFileDialog.getOpenFileName(self, "Open a shoot", self._folder(), "Shoots (*.velkin)")
        if chosen:
            self._remember(chosen)
            self.desk.open_shoot(Path(chosen))

    def ask_files(self) -> None:
        """Ask for raw files to add."""
        pattern = " ".join(f"*{s} *{s.upper()}" for s in sorted(SUFFIXES))
        chosen, _ = QFileDialog.getOpenFileNames(self, "Add raw files", self._folder(), f"Raw files ({pattern})")
        if chosen:
            self._remember(chosen[0])
            self.desk.add_files([Path(c) for c in chosen])

    def ask_folder(self) -> None:
        """Ask for a folder of raw files to add."""
        chosen = QFileDialog.getExistingDirectory(self, "Add a folder", self._folder())
        if chosen:
            self.desk.add_files([Path(chosen)])

    def ask_light_name(self) -> None:
        """Ask for a light's new name."""
        frame = self.model.frame
        if frame is None:
            return
        light = self.model.state.light_of(frame.id)
        name, ok = QInputDialog.getText(self, "Rename this light", "Name", text=light.name)
        if ok and name.strip():
            self.desk.command(lambda s: s.rename_light(light.id, name.strip()))

    def ask_source(self) -> None:
        """Ask where a missing source lies now."""
        frame = self.model.frame
        if frame is None:
            return
        chosen, _ = QFileDialog.getOpenFileName(self, f"Where is {frame.path.name}", self._folder())
        if chosen:
            self.desk.command(lambda s: s.relocate(frame.id, Path(chosen)))

    def ask_profile(self) -> None:
        """Ask for a profile file to give to the chosen frames."""
        chosen, _ = QFileDialog.getOpenFileName(self, "Import a profile", self._folder(), "Velkin camera profiles (*.json)")
        if chosen and self.model.shoot is not None:
            self.desk.import_profile(Path(chosen))

    def ask_export(self) -> None:
        """Ask where to write this frame's profile."""
        frame = self.model.frame
        if frame is None or frame.profile is None:
            self.model.report("This frame uses the camera's built-in profile; there is nothing to export.")
            return
        name = self.model.state.profiles[frame.profile].name.replace("/", "-")
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Export the profile", str(Path(self._folder()) / f"{name}.json"), "(*.json)"
        )
        if chosen:
            self.desk.export_profile(frame.profile, Path(chosen))

    def select_all(self) -> None:
        """Choose every frame."""
        if self.model.shoot is not None:
            self.model.select(self.model.current, tuple(self.model.state.order()))

    def select_light(self) -> None:
        """Choose every frame of the light."""
        if self.model.frame is not None:
            self.model.select(self.model.current, self.model.frames_of_light(self.model.frame.id))

    def _mark(self, role: str) -> None:
        self.desk.command(lambda shoot: shoot.set_role(self.model.selected, role))

    def _remove(self) -> None:
        chosen = self.model.selected
        if chosen and self.desk.command(lambda s: s.remove_frames(chosen)):
            self.model.notice.emit(
                f"{count(len(chosen), 'frame')} removed from the shoot; the files stay where they are. Ctrl+Z brings them back."
            )

    def hand_off(self) -> None:
        """Open the Hand-off bench and start."""
        if self.model.shoot is not None:
            self.open_stop("handoff")
            self.handoff_bench.start()

    def find_command(self) -> None:
        """Find any command by name."""
        finder = Finder(list(self.actions_by_name.values()), self)
        finder.move(self.mapToGlobal(QPoint(self.width() // 2 - 210, 110)))
        finder.show()
        finder.field.setFocus()

    def _frame_popup(self, at: QPoint) -> None:
        self._frame_menu.popup(at)

    def _explain_links(self) -> None:
        self.model.notice.emit(
            "Dotted link: numbers stay, look changes. Solid link: look stays, numbers change. Hairline: nothing happens between two stops."
        )

    def _about(self) -> None:
        self.model.notice.emit(
            f"Velkin {__version__}, free software under the GPL, version 3 or later. Its demo pictures are simulated."
        )

    def _write_backup(self) -> None:
        if self.model.shoot is not None:
            try:
                self.model.shoot.backup()
            except VelkinError as error:
                self.model.report(error)

    # ---- events -----------------------------------------------------------------------------------------------

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Space held shows *before*; arrows step frames from the picture."""
        if isinstance(event, QKeyEvent) and self.isActiveWindow() and QApplication.activePopupWidget() is None:
            if event.key() == Qt.Key.Key_Space and not event.modifiers():
                pressed = event.type() == QEvent.Type.KeyPress
                released = event.type() == QEvent.Type.KeyRelease
                if released and self.model.before and not event.isAutoRepeat():
                    self.model.show_before(False)
                    return True
                if pressed and self._space_is_free():
                    if not event.isAutoRepeat():
                        self.model.show_before(True)
                    return True
            elif (
                event.type() == QEvent.Type.KeyPress
                and watched is self.view
                and event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down)
            ):
                self.model.step(1 if event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Down) else -1)
                return True
        return super().eventFilter(watched, event)

    def _space_is_free(self) -> bool:
        focus = QApplication.focusWidget()
        return not isinstance(focus, (QLineEdit, QAbstractSpinBox, QComboBox, QAbstractButton))

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and (data := event.mimeData()) is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is None or data is None:
            return
        self.dropped([Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()])
        event.acceptProposedAction()

    def dropped(self, paths: list[Path]) -> None:
        """Files dropped on the window: a shoot is opened, raw files and folders come into the shoot."""
        shoots = [p for p in paths if p.suffix == ".velkin"]
        if shoots:
            self.desk.open_shoot(shoots[0])
        elif paths:
            self.desk.add_files(paths)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Close cleanly: a running hand-off ends after the files that were begun."""
        self.desk.cancel()
        self._backup.stop()
        self._thumbnails_due.stop()
        if self._for_keys is not None:
            self._for_keys.removeEventFilter(self)
        self.settings.setValue("geometry", self.saveGeometry())
        self.service.close()
        self._write_backup()
        self.model.close()
        if event is not None:
            event.accept()


class _Line(QWidget):
    """A thin line between parts of the window."""

    def __init__(self, horizontal: bool = False) -> None:
        super().__init__()
        if horizontal:
            self.setFixedHeight(1)
        else:
            self.setFixedWidth(1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        QPainter(self).fillRect(self.rect(), theme.current().colour("line"))
