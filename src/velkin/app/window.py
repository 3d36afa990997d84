"""The main window: colour path on top, frames left, picture in the middle, bench right, scope and status below. It only assembles."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QLocale, QPoint, QRect, QSettings, Qt, QTime
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QShowEvent
from PyQt6.QtWidgets import QMainWindow, QMenuBar, QSplitter, QVBoxLayout, QWidget

from velkin.app.actions.actions import Actions
from velkin.app.actions.closing import may_close
from velkin.app.actions.recent import Recent
from velkin.app.appearance import Appearance, Parts
from velkin.app.benches.benches import Benches
from velkin.app.context import Context
from velkin.app.flow.memory import remembered
from velkin.app.flow.picture_flow import PictureFlow
from velkin.app.flow.service import RenderService
from velkin.app.flow.thumbnails import Thumbnails
from velkin.app.help import HelpActions
from velkin.app.jobs.jobs import Jobs
from velkin.app.jobs.lanes import Lanes
from velkin.app.jobs.screens import Screens
from velkin.app.keys import Keys
from velkin.app.menus import Menus
from velkin.app.model.shoot_model import ShootModel
from velkin.app.navigator import Navigator
from velkin.app.rooms.room import Room
from velkin.app.sheets.finder import Finder
from velkin.app.turns import paint_next_turn
from velkin.app.widgets.chrome import Line, TopBar
from velkin.app.widgets.frame_view import FrameView
from velkin.app.widgets.frames_panel import FramesPanel
from velkin.app.widgets.message_strip import MessageStrip
from velkin.app.widgets.parts import WIDTH, clicks_leave_the_keys
from velkin.app.widgets.path_bar import PathBar
from velkin.app.widgets.scope import Scope
from velkin.app.widgets.status_line import Running, StatusLine
from velkin.app.widgets.viewer import PictureView

#: Said while the tables of a profile are made, which takes seconds the first time.
_READING = "Reading the destination's profile"


class Window(QMainWindow):
    """The program's one window."""

    def __init__(self, settings: QSettings | None = None, service: RenderService | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Velkin")
        self.setAcceptDrops(True)
        self.settings = settings or QSettings("velkin", "velkin")
        self.service = service or RenderService()
        self.service.keep_within(remembered(self.settings))
        self.model = ShootModel()
        self.lanes = Lanes()
        self.jobs = _jobs(self.model, self.service, self.lanes, self.settings)
        self.flow = PictureFlow(self.model, self.service)
        self.thumbnails = Thumbnails(self.model, self.flow, self.service)
        self.screens = Screens(self.jobs.ground, self.settings)
        self.context = Context(self.model, self.jobs, self.flow, self.screens, self.settings)
        self._follows_screen = self._closed = False
        #: Work of the picture flow that is shown in the status line beside the jobs, by what it is.
        self._flow_work: dict[str, Running] = {}

        self.path_bar = PathBar(self.model, self.flow)
        self.frames = FramesPanel(self.model, self.thumbnails, self.jobs.survey.is_out)
        self.view = FrameView(self.model, self.flow)
        self.scope = Scope(self.model, self.flow)
        self.status = StatusLine()
        self.benches = Benches(self.context)
        self.actions_ = Actions(self.context, self.view, self.benches, self)
        self.navigator = Navigator(self.context, self._desk(), self.view)
        self._lay_out()
        self.appearance = Appearance(self, Parts(self._foldable, self.splitter), self.settings)
        self.menu = Menus(self.menus, self, self.model, self.actions_, self.appearance)
        self.help = HelpActions(self.menu, self.model, self)
        self._connect()
        self.appearance.restore()
        self.view.setFocus()
        self._keys = Keys(self, self.view, self.model, self.actions_.picking.end)

    # ---- building ---------------------------------------------------------------------------------------------

    def _desk(self) -> QWidget:
        """The picture, the scope under it, the bench at its right."""
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.view, 1)
        column.addWidget(self.scope)
        return _split(middle, self.benches, grows=0)

    def _lay_out(self) -> None:
        self.splitter = _split(self.frames, self.navigator.stack, grows=1)
        self._foldable: dict[str, QWidget] = {"scope": self.scope, "frames": self.frames, "bench": self.benches}
        central = QWidget()
        column = QVBoxLayout(central)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.menus = QMenuBar()
        self.top = TopBar(self.menus)
        for widget in (self.top, self.path_bar, Line(horizontal=True)):
            column.addWidget(widget)
        column.addWidget(self.splitter, 1)
        column.addWidget(self.status)
        self.setCentralWidget(central)
        self.messages = MessageStrip(self.model.messages, central, self._seen, self.view, self.navigator.stack)
        self.model.places.changed.connect(lambda _: self.messages.place())
        self.setMinimumSize(850, 520)
        clicks_leave_the_keys(central)

    def _connect(self) -> None:
        m, jobs = self.model, self.jobs
        m.opened.connect(self._opened)
        m.changed.connect(lambda _: self._name())
        jobs.shoots.may_leave = lambda: self.navigator.may_leave() and self.benches.may_leave()
        self.navigator.room_made.connect(self.actions_.serve)
        self.navigator.room_made.connect(self._surround_room)
        self.path_bar.chosen.connect(self.actions_.open_stop)
        self.flow.pointed_changed.connect(self.status.show_numbers)
        self.lanes.changed.connect(self._show_running)
        self.service.preparing.connect(lambda name: self._flow_runs(_READING, 0, 1 if name else 0))
        self.thumbnails.left.connect(
            lambda left, total: self._flow_runs("Drawing thumbnails", total - left, total if left else 0)
        )
        self.frames.rows.dropped.connect(lambda frames, light: jobs.command(lambda s: s.frames.move_to_light(frames, light)))
        self.frames.out_of_gamut_wanted.connect(jobs.survey.follow)
        jobs.survey.changed.connect(self.frames.measured)
        self.frames.list.menu_wanted.connect(lambda at: self.menu.frame_menu.popup(at))
        self.view.menu_wanted.connect(lambda at: self.menu.frame_menu.popup(at))
        jobs.shoots.opening.connect(lambda name: self.view.say_instead(f"Opening {name} …" if name else ""))
        for place in (self.frames, self.view):
            place.addAction(self.menu.remove)
        self.menu.viewer = self._viewer
        self.appearance.surround_changed.connect(self._surround)
        self.menu.add(self.menu.help_menu, "Find a &command…", self.find_command, "Ctrl+K")
        self.help.fill(self.actions_)
        self.recent = Recent(self.context, self.menu.recent, self.benches.start)

    # ---- following --------------------------------------------------------------------------------------------

    def _opened(self) -> None:
        paint_next_turn(self.splitter)
        self._name()
        self.view.setFocus()  # keys belong to the picture

    def _name(self) -> None:
        shoot = self.model.shoot
        self.top.title.setText(shoot.state.name if shoot else "Velkin")
        self.top.saved.setText(self._saved())
        self.setWindowTitle(f"{shoot.state.name} – Velkin" if shoot else "Velkin")

    def _saved(self) -> str:
        """When what is seen came onto the disk, or that it is only looked at here."""
        shoot, at = self.model.shoot, self.model.changed_at
        if shoot is None:
            return ""
        if shoot.look_only:
            return "open elsewhere: to look at only"
        return (
            "●  saved"
            if at is None
            else f"●  saved {QLocale().toString(QTime(at.hour, at.minute), QLocale.FormatType.ShortFormat)}"
        )

    def _flow_runs(self, name: str, done: int, total: int) -> None:
        if total:
            self._flow_work[name] = Running(name, done, total)
        else:
            self._flow_work.pop(name, None)
        self._show_running()

    def _show_running(self) -> None:
        if self._closed:
            return
        jobs = [Running(j.name, j.done, j.total, j.cancel if j.cancellable else None) for j in self.lanes.shown()]
        self.status.show_running([*jobs, *self._flow_work.values()])
        if self.model.shoot is None and jobs and self.jobs.demo.awaited:
            self.view.say_instead(
                f"{jobs[0].name}, {jobs[0].done} of {jobs[0].total}" if jobs[0].total else f"{jobs[0].name} …"
            )

    def _seen(self) -> QRect:
        """What messages lie over: the picture, or what a room has beside its bench."""
        at_picture = self.model.places.at_picture
        over = self.view if at_picture else self.navigator.stack
        central = self.centralWidget()
        rect = QRect(over.mapTo(central, QPoint(0, 0)), over.size())
        if not at_picture:
            return rect.adjusted(0, 0, -WIDTH, 0)
        if self.view.has_picture:  # over the picture's own edge, so that its name under it can be read
            rect.setBottom(rect.top() + int(self.view.chips_at()) + 6)
        return rect

    def _viewer(self) -> PictureView:
        """The viewer that is seen: the picture's, or that of a room that has one."""
        view = getattr(self.navigator.room, "view", None)
        return view if isinstance(view, PictureView) else self.view

    def _surround(self, colour: object) -> None:
        self.view.set_surround(colour)  # type: ignore[arg-type]
        viewer = self._viewer()
        if viewer is not self.view:
            viewer.set_surround(colour)  # type: ignore[arg-type]

    def _surround_room(self, room: Room) -> None:
        view = getattr(room, "view", None)
        if isinstance(view, PictureView):
            view.set_surround(self.appearance.surround())

    def find_command(self) -> None:
        """Find any command by name."""
        finder = Finder(list(self.menu.by_name.values()), self)
        finder.move(self.mapToGlobal(QPoint(self.width() // 2 - 210, 110)))
        finder.show()
        finder.field.setFocus()

    # ---- events -----------------------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent | None) -> None:
        """From now on the profile of the screen that the window is on is followed."""
        super().showEvent(event)
        handle = self.windowHandle()
        if handle is not None and not self._follows_screen:
            self._follows_screen = True
            handle.screenChanged.connect(self.screens.move_to)
            self.screens.start(handle.screen())

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and (data := event.mimeData()) is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is None or data is None:
            return
        self.actions_.dropped.take([Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()])
        event.acceptProposedAction()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Close cleanly: a running hand-off ends after the files that were begun, and can be resumed later."""
        if event is None:
            return
        if not may_close(self.jobs, self):
            event.ignore()
            return
        self.appearance.remember()
        self.hide()  # what is being decoded ends first, and nobody is to look at a window that stands still
        self._closed = True  # workers may have something to tell yet
        self.jobs.handoff.leave()
        self.jobs.stop()
        self.lanes.cancel_all()
        self.screens.stop()
        self.thumbnails.stop()
        self.flow.stop()
        self._keys.stop()
        self.lanes.close()
        self.service.close()
        self.jobs.shoots.leave()
        event.accept()


def _jobs(model: ShootModel, service: RenderService, lanes: Lanes, settings: QSettings) -> Jobs:
    kept, icc = settings.value("shelf"), settings.value("icc_folders")
    folders = None if icc is None else [Path(p) for p in ([icc] if isinstance(icc, str) else icc)]
    return Jobs(model, service, lanes, Path(str(kept)) if kept else None, folders)


def _split(left: QWidget, right: QWidget, grows: int) -> QSplitter:
    """Two parts side by side with a line between them that can be dragged; `grows` takes what a wider window gives."""
    splitter = QSplitter(Qt.Orientation.Horizontal)
    splitter.setHandleWidth(1)
    splitter.setChildrenCollapsible(False)
    splitter.addWidget(left)
    splitter.addWidget(right)
    splitter.setStretchFactor(grows, 1)
    return splitter
