"""The main window: colour path on top, frames left, picture in the middle, bench right, scope and status below."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPoint, QSettings, Qt, QTimer
from PyQt6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QShowEvent,
)
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QMainWindow,
    QMenuBar,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from velkin import __version__
from velkin.app.actions.camera import CameraActions
from velkin.app.actions.frame import FrameActions
from velkin.app.actions.handoff import HandoffActions
from velkin.app.actions.profile import ProfileActions
from velkin.app.actions.proof import ProofActions
from velkin.app.actions.space import SpaceActions
from velkin.app.appearance import Appearance
from velkin.app.asking import Asking
from velkin.app.benches.camera import CameraBench
from velkin.app.benches.handoff import HandoffBench
from velkin.app.benches.picture import PictureBench
from velkin.app.benches.proof import ProofBench
from velkin.app.benches.source import SourceBench
from velkin.app.benches.start import StartBench
from velkin.app.benches.working import WorkingBench
from velkin.app.dropping import sorted_drop
from velkin.app.flow.drawing import Measured, Rendered
from velkin.app.flow.service import RenderService
from velkin.app.jobs.desk import Desk
from velkin.app.jobs.screens import Screens
from velkin.app.menus import Menus
from velkin.app.model.shoot_model import COMPARISONS, STOPS, ShootModel
from velkin.app.rooms.chart_editor import ChartEditor
from velkin.app.rooms.chart_room import ChartRoom
from velkin.app.rooms.fit_room import FitRoom
from velkin.app.rooms.shelf_room import ShelfRoom
from velkin.app.rooms.try_on_room import TryOnRoom
from velkin.app.sheets.finder import Finder
from velkin.app.viewing import Viewing
from velkin.app.widgets.chrome import Line, Notice, TopBar
from velkin.app.widgets.easing_view import EasingView
from velkin.app.widgets.frames_panel import FramesPanel
from velkin.app.widgets.path_bar import PathBar
from velkin.app.widgets.room import Room
from velkin.app.widgets.scope import Scope
from velkin.app.widgets.status_line import JOB, StatusLine
from velkin.app.widgets.viewer import PictureView
from velkin.app.window_keys import WindowKeys
from velkin.core.errors import VelkinError

_NO_SHOOT = "Make or open a shoot to begin"
#: Said while the tables of a profile are made, which takes seconds the first time.
_READING = "Reading the destination's profile"


class Window(Viewing, QMainWindow):
    """The program's one window."""

    def __init__(self, settings: QSettings | None = None, service: RenderService | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Velkin")
        self.setAcceptDrops(True)
        self.settings = settings or QSettings("velkin", "velkin")
        self.model = ShootModel()
        self.service = service or RenderService()
        kept = self.settings.value("shelf")
        icc = self.settings.value("icc_folders")
        folders = None if icc is None else [Path(p) for p in str(icc).split(":") if p]
        self.desk = Desk(self.model, self.service, Path(str(kept)) if kept else None, folders)
        self.screens = Screens(self.model, self.service, self.settings)
        self.measured: Measured | None = None
        self.rendered: Rendered | None = None
        self._sharper_due = QTimer(self)
        self._sharper_due.setSingleShot(True)
        self._sharper_due.setInterval(40)  # while one zooms or pans, what is there is enough
        self._sharper_due.timeout.connect(self._render)
        self._pointer: tuple[float, float] | None = None
        self._thumbnails_due = QTimer(self)
        self._thumbnails_due.setSingleShot(True)
        self._thumbnails_due.setInterval(400)  # after the picture; it starts them earlier when it is there
        self._thumbnails_due.timeout.connect(self._draw_thumbnails)
        self._wiped_for_trying = False
        self._follows_screen = False

        self.path_bar = PathBar()
        self.frames = FramesPanel(self.model)
        self.view = EasingView(self.model.proof)
        self.view.empty_text = _NO_SHOOT
        self.scope = Scope()
        self.status = StatusLine()
        self.notice = Notice()
        self.chart_room = ChartRoom(self.desk)
        self.chart_editor = ChartEditor(self.desk)
        self.fit_room = FitRoom(self.desk)
        self.shelf_room = ShelfRoom(self.desk)
        self.camera = CameraActions(self)
        self.camera_bench = CameraBench(self.desk, self.camera.read_chart, self.camera.pick_neutral, self.camera.give)
        self.try_on_room = TryOnRoom(self.desk)
        self.source_bench = SourceBench(self.desk)
        self.picture_bench = PictureBench(self.model)
        self.working_bench = WorkingBench(self.desk)
        self.proof_bench = ProofBench(self.desk)
        self.handoff_bench = HandoffBench(self.desk)
        self.benches: dict[str, QWidget] = {
            "source": self.source_bench,
            "camera": self.camera_bench,
            "working": self.working_bench,
            "proof": self.proof_bench,
            "handoff": self.handoff_bench,
        }
        self._lay_out()
        self.appearance = Appearance(self)
        self.frame_actions = FrameActions(self, self.desk)
        self.asking = Asking(self, self.desk, self.settings)
        self.asking.chart_opened = self.camera.chart_opened
        self.profiles = ProfileActions(self, self.desk)
        self.spaces = SpaceActions(self)
        self.proofs = ProofActions(self)
        self.handoffs = HandoffActions(self)
        self.menu = Menus(self.menus, self)
        self._connect()
        self.appearance.restore()
        self._follow_shoot()
        self._stop_opened(self.model.stop)
        self.view.setFocus()
        self._keys = WindowKeys(self)
        self._backup = QTimer(self)
        self._backup.setInterval(10 * 60 * 1000)
        self._backup.timeout.connect(self._write_backup)
        self._backup.start()

    # ---- building ---------------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        self.bench_stack = QStackedWidget()
        for key in STOPS:
            self.bench_stack.addWidget(self.benches[key])
        self.start_bench = StartBench(lambda: self.asking.new(), lambda: self.asking.open(), self.desk.open_demo)
        self.bench_stack.addWidget(self.start_bench)
        self.bench_stack.addWidget(self.picture_bench)
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
        row.addWidget(Line())
        row.addWidget(self.bench_stack)
        self.rooms = QStackedWidget()
        self.rooms.addWidget(desk)
        self.rooms.addWidget(self.chart_room)
        self.rooms.addWidget(self.chart_editor)
        self.rooms.addWidget(self.fit_room)
        self.rooms.addWidget(self.shelf_room)
        self.rooms.addWidget(self.try_on_room)
        body = QHBoxLayout()
        body.setSpacing(0)
        body.addWidget(self.frames)
        body.addWidget(Line())
        body.addWidget(self.rooms, 1)
        central = QWidget()
        column = QVBoxLayout(central)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.menus = QMenuBar()
        self.top = TopBar(self.menus)
        for widget in (self.top, self.path_bar, Line(horizontal=True), self.notice):
            column.addWidget(widget)
        column.addLayout(body, 1)
        column.addWidget(self.status)
        self.setCentralWidget(central)
        self.setMinimumSize(1000, 640)
        for stop in self.path_bar.buttons.values():
            stop.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        for button in central.findChildren(QPushButton):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keys with the picture

    def _connect(self) -> None:
        m = self.model
        m.opened.connect(self._opened)
        m.changed.connect(self._follow_shoot)
        m.selection_changed.connect(self._show_frame)
        m.stop_changed.connect(self._stop_opened)
        m.before_changed.connect(lambda _: self._render())
        m.hatching_changed.connect(self._hatching)
        m.comparison_changed.connect(self._compared)
        m.picking_changed.connect(self.camera.show_picking)
        m.tried_changed.connect(self._tried)
        m.screen_changed.connect(self._screen_changed)
        self.proof_bench.intents_wanted.connect(self.proofs.intents)
        self.proof_bench.gamut_wanted.connect(self.proofs.gamut)
        self.view.picked.connect(self.camera.picked)
        self.source_bench.try_on_wanted.connect(self.spaces.try_on)
        self.source_bench.rules_wanted.connect(self.spaces.rules)
        self.source_bench.pins_wanted.connect(self.spaces.show_pins)
        self.working_bench.pins_wanted.connect(self.spaces.show_pins)
        self.working_bench.own_space_wanted.connect(self.spaces.own_space)
        self.working_bench.purpose_wanted.connect(self.spaces.purpose)
        self.working_bench.cards_wanted.connect(self.spaces.cards)
        self.try_on_room.given.connect(self.source_bench.give)
        self.try_on_room.profile_wanted.connect(self.spaces.try_profile)
        self.chart_editor.file_wanted.connect(lambda: self.asking.chart_file())
        self.chart_editor.save_wanted.connect(lambda chart: self.asking.save_chart(chart))
        self.chart_room.other_file_wanted.connect(lambda: self.asking.chart_file())
        self.chart_room.report_wanted.connect(self.profiles.report_on)
        self.camera_bench.report_wanted.connect(self.profiles.report)
        self.camera_bench.shelf_wanted.connect(self.profiles.open_shelf)
        for room in (self.chart_room, self.chart_editor, self.fit_room, self.shelf_room, self.try_on_room):
            room.left.connect(self._leave_room)
        for room in (self.fit_room, self.shelf_room):
            room.export_wanted.connect(self.profiles.export)
        self.fit_room.csv_wanted.connect(lambda name, text: self.asking.csv(name, text))
        self.fit_room.spectrum_wanted.connect(self.profiles.ask_spectrum)
        self.shelf_room.import_wanted.connect(lambda: self.asking.profiles())
        self.shelf_room.folder_wanted.connect(lambda: self.asking.shelf_folder())
        self.shelf_room.variant_wanted.connect(self.profiles.vary)
        m.notice.connect(self.notice.say)
        m.problem.connect(self.notice.insist)
        self.path_bar.chosen.connect(self.open_stop)
        self.service.rendered.connect(self._rendered)
        self.service.measured.connect(self._measured)
        self.service.failed.connect(self._failed)
        self.service.preparing.connect(lambda name: self.status.follow(_READING, 0, 1 if name else 0, False))
        self.service.thumbnail.connect(self.frames.list.set_thumbnail)
        self.service.thumbnails_left.connect(
            lambda left, total: self.status.follow("Drawing thumbnails", total - left, total if left else 0, False)
        )
        self.desk.progress.connect(lambda words, done, total: self.status.follow(words or JOB, done, total, True))
        self.desk.progress.connect(self._say_what_is_awaited)
        self.status.cancelled.connect(self.desk.cancel)
        self.view.pointed.connect(self._pointed)
        self.view.zoomed.connect(self._zoomed)
        self.chart_room.view.pointed.connect(self._pointed)
        self.frames.list.menu_wanted.connect(self._frame_popup)

    # ---- following the model ----------------------------------------------------------------------------------

    def _opened(self) -> None:
        self.measured = self.rendered = None
        if self.rooms.currentIndex() != 0:
            self._leave_room()
        self.notice.say("")
        self._stop_opened(self.model.stop)
        self.view.setFocus()  # keys belong to the picture

    def _follow_shoot(self) -> None:
        shoot = self.model.shoot
        self.top.title.setText(shoot.state.name if shoot else "Velkin")
        self.top.saved.setText("●  saved" if shoot else "")
        self.frames.filter.setVisible(shoot is not None)
        self.setWindowTitle(f"{shoot.state.name} – Velkin" if shoot else "Velkin")
        undo, redo = (shoot.undo_label(), shoot.redo_label()) if shoot else (None, None)
        self.menu.undo.setText(f"Undo: {undo}" if undo else "Undo")
        self.menu.redo.setText(f"Redo: {redo}" if redo else "Redo")
        self.menu.undo.setEnabled(undo is not None)
        self.menu.redo.setEnabled(redo is not None)
        self._show_frame()
        if shoot is not None:
            self._thumbnails_due.start()

    def _say_what_is_awaited(self, words: str, done: int, total: int) -> None:
        """While a shoot is being made there is no picture yet; its place says what comes."""
        if self.model.shoot is None:
            self.view.empty_text = f"{words}, {done} of {total}" if total else _NO_SHOOT
            self.view.update()

    def _draw_thumbnails(self) -> None:
        self._thumbnails_due.stop()
        if self.model.shoot is None:
            return
        wishes = [(self.model.state.frames[f], path) for f, path in self.frames.list.wanted_thumbnails()]
        if wishes:
            self.service.draw_thumbnails(wishes, self.model.screen)

    def _show_frame(self) -> None:
        frame = self.model.frame
        if frame is None:
            self.view.clear()
            if self.model.shoot is not None:
                self.view.empty_text = "Drop raw files or pictures here, or add them from the Shoot menu"
            self.spaces.show_pins()
            self.measured = None
            self._show_measured()
            return
        self._stop_opened(self.model.stop)
        self._render()
        self.spaces.show_pins()

    def _tried(self) -> None:
        """A decision is tried, or not any more: wipe between now and then, unless another way to compare is in use."""
        if self.model.tried and self.model.comparison == "off":
            self.model.comparison = "wipe"
            self._wiped_for_trying = True
        elif not self.model.tried and self._wiped_for_trying:
            self.model.comparison = "off"
            self._wiped_for_trying = False
            self.view.show_others("off", (), ())
        self.menu.show_comparison()
        self._render()

    def step_comparison(self) -> None:
        """The next way to compare."""
        if self.model.frame is not None:
            ways = COMPARISONS
            self.model.compare(ways[(ways.index(self.model.comparison) + 1) % len(ways)])

    # ---- stops and rooms --------------------------------------------------------------------------------------

    def open_stop(self, key: str) -> None:
        """Open a stop's bench, from wherever one is."""
        if isinstance(room := self.rooms.currentWidget(), Room):
            room.leave()
        self.model.open_stop(key)

    def _stop_opened(self, key: str) -> None:
        self.path_bar.show_open(key)
        frame = self.model.frame
        finished = frame is not None and not frame.is_raw and key == "camera"
        bench = self.picture_bench if finished else self.benches[key]
        self.bench_stack.setCurrentWidget(bench if self.model.shoot is not None else self.start_bench)

    def add_room(self, room: Room) -> None:
        """Take in a room that is made when it is first entered."""
        self.rooms.addWidget(room)
        room.left.connect(self._leave_room)
        for each in room.findChildren(QPushButton):
            each.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def _leave_room(self) -> None:
        self.rooms.setCurrentIndex(0)
        self.view.setFocus()
        if self.rendered is not None and self.rendered.seen != self.seen():
            self._render()

    def _current_view(self) -> PictureView:
        return self.chart_room.view if self.rooms.currentWidget() is self.chart_room else self.view

    def _fit(self) -> None:
        self._current_view().fit()

    def _actual(self) -> None:
        self._current_view().actual()

    # ---- what menus do ----------------------------------------------------------------------------------------

    def hand_off(self) -> None:
        """Open the Hand-off bench and start."""
        if self.model.shoot is not None:
            self.open_stop("handoff")
            self.handoff_bench.start()

    def next_held(self) -> None:
        """Go to the next held frame, on the Source bench."""
        held = self.model.state.held() if self.model.shoot is not None else []
        if not held:
            self.model.notice.emit("Nothing is held: no frame waits for a decision.")
            return
        order = held if self.model.current not in held else held[held.index(self.model.current) + 1 :] + held
        self.model.select(order[0])
        self.open_stop("source")

    def open_verb(self, verb: int) -> None:
        """Open the Working bench on assigning (1) or converting (2)."""
        if self.model.frame is None:
            return
        self.open_stop("working")
        if verb == 2 and not self.model.state.path(self.model.frame.id).known:
            self.model.report("Nothing says what its numbers mean; give it a space on the Source bench first.")
            return
        self.working_bench.begin(verb)

    def find_command(self) -> None:
        """Find any command by name."""
        finder = Finder(list(self.menu.by_name.values()), self)
        finder.move(self.mapToGlobal(QPoint(self.width() // 2 - 210, 110)))
        finder.show()
        finder.field.setFocus()

    def _frame_popup(self, at: QPoint) -> None:
        self.menu.frame_menu.popup(at)

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
        self.dropped([Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()])
        event.acceptProposedAction()

    def dropped(self, paths: list[Path]) -> None:
        """Files dropped on the window: a shoot is opened, profiles are kept, raw files, pictures and folders come into the shoot."""
        drop = sorted_drop(paths, self.model.shoot is not None)
        if drop.shoot is not None:
            self.desk.open_shoot(drop.shoot)
            return
        for path in drop.spaces:
            if self.rooms.currentWidget() is self.try_on_room:
                self.spaces.try_file(path)
            else:
                self.spaces.bring_profile(path)
        for path in drop.destinations:
            self.handoffs.bring(path)
        if drop.profiles:
            self.shelf_room.dropped(drop.profiles)
        if drop.files:
            self.desk.arriving.add_files(drop.files)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Close cleanly: a running hand-off ends after the files that were begun, and can be gone on with later."""
        self.desk.handoff.leave()
        self.desk.cancel()
        self._backup.stop()
        self.desk.spaces.stop()
        self.screens.stop()
        self._thumbnails_due.stop()
        self._keys.stop()
        self.appearance.remember()
        self.service.close()
        self._write_backup()
        self.model.close()
        if event is not None:
            event.accept()
