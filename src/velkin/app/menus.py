"""The menus: every command of the window, its words, its keys, where they act, and why a command cannot act now."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QActionGroup, QKeySequence
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMainWindow, QMenu, QMenuBar, QSlider, QWidget, QWidgetAction

from velkin.app import theme
from velkin.app.actions.actions import Actions
from velkin.app.appearance import Appearance
from velkin.app.model.places import Page
from velkin.app.model.shoot_model import STOPS, ShootModel
from velkin.app.widgets.viewer import PictureView
from velkin.core.shoot.alternatives import THERE, Alternative, alternatives
from velkin.core.shoot.frame import Role

_NAMES = {"source": "Source", "camera": "Camera", "working": "Working", "proof": "Proof", "handoff": "Hand-off"}
_NO_SHOOT = "make or open a shoot first"
_NO_FRAME = "there is no frame"
#: Where plain keys act: on the page that shows what they are about.
_AT_PICTURE = (Page.PICTURE,)
_AT_A_VIEWER = (Page.PICTURE, Page.CHART, Page.MATCH, Page.COMPARE)


@dataclass(frozen=True)
class _Command:
    """An action, its keys, the pages where they act (none: everywhere), and what it needs."""

    action: QAction
    keys: str
    pages: tuple[Page, ...]
    needs: str
    tip: str


class Menus:
    """Builds the menu bar of a window and keeps its commands true."""

    def __init__(self, bar: QMenuBar, window: QMainWindow, model: ShootModel, actions: Actions, appearance: Appearance) -> None:
        self.bar = bar
        self._window, self._model, self._actions, self._appearance = window, model, actions, appearance
        self.by_name: dict[str, QAction] = {}
        self._commands: list[_Command] = []
        #: Why commands cannot act, by what they need; nothing where they can.
        self._lacking: dict[str, str] = {}
        #: The viewer that the View menu acts on.
        self.viewer: Callable[[], PictureView] = lambda: self._no_viewer
        self._no_viewer = PictureView()
        self._shoot_menu()
        self.frame_menu = self._frame_menu()
        self._chart_menu()
        self._colour_menu()
        self._view_menu()
        self.help_menu = self._menu("&Help")
        model.changed.connect(lambda _: self._follow())
        model.selection_changed.connect(self._follow)
        model.places.changed.connect(lambda _: self._follow_page())
        model.before_changed.connect(self.before.setChecked)
        model.hatching_changed.connect(self.hatch.setChecked)
        model.comparison_changed.connect(lambda: self._ways[model.comparison].setChecked(True))
        model.proof.changed.connect(lambda: self.shown_there.setChecked(model.proof.shown))
        appearance.theme_changed.connect(self._theme_changed)
        appearance.folded_changed.connect(lambda key, shown: self._parts[key].setChecked(shown))
        self._follow()
        self._follow_page()

    # ---- following --------------------------------------------------------------------------------------------

    def _follow(self) -> None:
        """Commands that cannot act are disabled, and say why."""
        shoot, frame = self._model.shoot, self._model.frame
        lacking = {
            "shoot": "" if shoot is not None else _NO_SHOOT,
            "frame": _NO_SHOOT if shoot is None else _NO_FRAME if frame is None else "",
        }
        if lacking != self._lacking:
            self._lacking = lacking
            for command in self._commands:
                self._enable(command)
        undo, redo = self._model.steps()
        for action, word, label in ((self.undo, "&Undo", undo), (self.redo, "R&edo", redo)):
            action.setText(f"{word}: {label}" if label else word)
            action.setEnabled(label is not None)

    def _enable(self, command: _Command) -> None:
        why = self._lacking.get(command.needs, "")
        command.action.setEnabled(not why)
        command.action.setToolTip(f"{command.tip}\nNot now: {why}." if why else command.tip)

    def _follow_page(self) -> None:
        """Plain keys act on the page that shows what they are about; elsewhere they are no command's."""
        page = self._model.places.now.page
        for command in self._commands:
            if command.pages:
                command.action.setShortcut(QKeySequence(command.keys if page in command.pages else ""))

    def keys(self) -> list[tuple[str, list[tuple[str, str]]]]:
        """Each menu's commands that have keys, with the keys as this desktop writes them."""
        groups = []
        for head in self.bar.actions():
            menu = head.menu()
            inside = set(menu.actions()) if menu is not None else set()
            rows = [
                (c.action.text().replace("&", ""), QKeySequence(c.keys).toString(QKeySequence.SequenceFormat.NativeText))
                for c in self._commands
                if c.keys and c.action in inside
            ]
            if rows:
                groups.append((head.text().replace("&", ""), rows))
        return groups

    # ---- building ---------------------------------------------------------------------------------------------

    def _menu(self, name: str) -> QMenu:
        made = self.bar.addMenu(name)
        assert made is not None
        made.setToolTipsVisible(True)
        return made

    def add(
        self,
        menu: QMenu,
        text: str,
        act: Callable[[], Any],
        keys: str = "",
        tip: str = "",
        needs: str = "",
        pages: tuple[Page, ...] = (),
    ) -> QAction:
        """Add a command; `needs` is ``shoot``, ``frame`` or nothing."""
        action = QAction(text, self._window)
        if keys:
            action.setShortcut(QKeySequence(keys))
        plain = text.replace("&", "")
        words = (tip or plain) + (f" ({keys})" if keys else "")
        action.triggered.connect(lambda _=False: act())
        menu.addAction(action)
        self._window.addAction(action)
        self.by_name[plain] = action
        self._commands.append(_Command(action, keys, pages, needs, words))
        self._enable(self._commands[-1])
        return action

    def _checked(self, action: QAction, on: bool = False) -> QAction:
        action.setCheckable(True)
        action.setChecked(on)
        return action

    def _shoot_menu(self) -> None:
        menu, a = self._menu("&Shoot"), self._actions
        self.add(menu, "&New shoot…", a.shoot.new, "Ctrl+N")
        self.add(menu, "&Open a shoot…", a.shoot.open, "Ctrl+O")
        self.recent = menu.addMenu("Recent shoot&s")
        self.add(menu, "&Close the shoot", a.shoot.close, "Ctrl+W", "Everything in it is saved already", "shoot")
        tip = "The copy that is written every ten minutes and when the shoot is closed"
        self.add(menu, "Restore the &backup…", a.shoot.restore, tip=tip, needs="shoot")
        menu.addSeparator()
        self.add(menu, "&Add files…", a.shoot.add_files, "Ctrl+I", needs="shoot")
        self.add(menu, "Add a &folder…", a.shoot.add_folder, "Ctrl+Shift+I", needs="shoot")
        tip = "The intake rules decide about pasted pictures too"
        self.add(menu, "&Paste a picture or files", a.paste, "Ctrl+V", tip, "shoot", _AT_PICTURE)
        self.add(menu, "What was &left out", a.shoot.show_left_out, tip="Files of the last import that could not come in")
        self.add(menu, "Intake &rules…", a.space.rules, tip="What happens to a file's colour as it arrives", needs="shoot")
        menu.addSeparator()
        self.undo = self.add(menu, "&Undo", self._model.undo, "Ctrl+Z")
        self.redo = self.add(menu, "R&edo", self._model.redo, "Ctrl+Shift+Z")
        menu.addSeparator()
        self.add(menu, "&Hand off", a.handoff.start, "Ctrl+Return", needs="shoot")
        tip = "Files begun are finished"
        self.add(menu, "Pause or resu&me the hand-off", a.handoff.pause, "Ctrl+Shift+Return", tip, "shoot")
        tip = "Retry what failed, or resume a hand-off that was interrupted"
        self.add(menu, "Re&try or resume the last hand-off", a.handoff.retry, tip=tip, needs="shoot")
        tip = "Where files go and how they are written"
        self.add(menu, "&Destinations…", a.handoff.destinations, "Ctrl+Shift+D", tip, "shoot")
        tip = "A written file beside the picture here"
        self.add(menu, "As recei&vers see it", a.handoff.receivers, "E", tip, "frame", _AT_PICTURE)
        tip = "What was sent and how it was checked, as HTML or PDF"
        self.add(menu, "Wr&ite a receipt…", a.handoff.receipt, tip=tip, needs="shoot")
        menu.addSeparator()
        self.add(menu, "&Quit", self._window.close, "Ctrl+Q")

    def _frame_menu(self) -> QMenu:
        menu, a = self._menu("&Frame"), self._actions.frame
        self.add(menu, "&Next frame", lambda: self._model.step(1), "PgDown", needs="frame")
        self.add(menu, "&Previous frame", lambda: self._model.step(-1), "PgUp", needs="frame")
        self.add(menu, "Select &all frames", a.select_all, "Ctrl+A", needs="frame")
        self.add(menu, "Select the frames of this &light", a.select_light, "Ctrl+L", needs="frame")
        menu.addSeparator()
        for role, name in (
            (Role.CHART, "Mark as &chart frame"),
            (Role.NEUTRAL, "Mark as ne&utral frame"),
            (Role.FLAT, "Mar&k as flat frame"),
            (Role.SUBJECT, "Mark as &subject"),
        ):
            self.add(menu, name, partial(a.mark, role), needs="frame")
        menu.addSeparator()
        self.add(menu, "&Move to a new light", a.new_light, needs="frame")
        self.add(menu, "&Begin a new light with this frame", a.split_light, needs="frame")
        self.add(menu, "Mer&ge the lights of the selected frames", a.merge_lights, needs="frame")
        self.add(menu, "&Rename this light…", a.rename_light, "F2", needs="frame")
        self.add(menu, "Name all lights by a pa&ttern…", a.name_lights, needs="frame")
        self.add(menu, "&Find a missing source…", a.find_source, needs="frame")
        tip = "All that are missing at once, by their bytes"
        self.add(menu, "Find all missing s&ources in a folder…", a.find_sources, tip=tip, needs="frame")
        self.add(menu, "Sho&w in its folder", a.show_in_folder, needs="frame")
        self.add(menu, "Cop&y the path of its file", a.copy_name, needs="frame")
        self.remove = self.add(menu, "Remov&e from the shoot", a.remove, "Del", "The files stay where they are", "frame")
        # Del in a list or a room means something else
        self.remove.setShortcutContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        self._window.removeAction(self.remove)
        return menu

    def _chart_menu(self) -> None:
        menu, a = self._menu("&Chart"), self._actions
        self.add(menu, "&Read the chart in this frame", a.camera.read_chart_here, "K", needs="frame", pages=_AT_PICTURE)
        tip = "Click what was neutral in front of the lens"
        self.add(menu, "Pick a &neutral", a.picking.neutral, "N", tip, "frame", _AT_PICTURE)
        tip = "A step from the neutral, which stays known; on all selected frames"
        self.add(menu, "&Warmer", partial(a.camera.lean, 1, 0), "W", tip, "frame", _AT_PICTURE)
        self.add(menu, "&Cooler", partial(a.camera.lean, -1, 0), "C", tip, "frame", _AT_PICTURE)
        self.add(menu, "Pin&ker", partial(a.camera.lean, 0, 1), "Shift+P", tip, "frame", _AT_PICTURE)
        self.add(menu, "Greener", partial(a.camera.lean, 0, -1), "Shift+G", tip, "frame", _AT_PICTURE)
        tip = "As neutral as it was measured, on all selected frames"
        self.add(menu, "Back &to the neutral", a.camera.to_neutral, "0", tip, "frame", _AT_PICTURE)
        tip = "Marks chart frames and frames of a neutral card"
        self.add(menu, "&Look for charts in the selected frames", a.frame.look_for_charts, tip=tip, needs="frame")
        menu.addSeparator()
        self.add(menu, "&Give to other frames…", a.camera.give, "Ctrl+G", needs="frame")
        self.add(menu, "&Back to the built-in profile", a.camera.back_to_built_in, needs="frame")
        menu.addSeparator()
        self.add(menu, "&Open a chart file…", a.chart.open_file, needs="shoot")
        self.add(menu, "&Define a chart…", a.camera.edit_chart, needs="shoot")
        self.add(menu, "&Print a chart…", a.chart.print_chart)
        self.add(menu, "&Measure a print with the stand-in…", a.chart.measure_print)
        menu.addSeparator()
        tip = "How good the fit is, and every choice of it"
        self.add(menu, "&Fit report…", a.profile.report, "Ctrl+R", tip, "frame")
        self.add(menu, "Fit on a finished pict&ure…", a.chart.fit_picture)
        tip = "How much of this frame lies beyond what its light's charts showed, and where"
        self.add(menu, "What no patch vouches for", a.camera.support, "U", tip, "frame", _AT_PICTURE)
        tip = "How far the same chart from two cameras lies apart, as built in and as given"
        self.add(menu, "Cameras side by side…", a.camera.compare_cameras, tip=tip, needs="shoot")
        tip = "All profiles: on or off, named, noted, given"
        self.add(menu, "Profile &shelf…", a.profile.open_shelf, "Ctrl+P", tip)
        self.add(menu, "&Import a profile…", a.profile.import_to_frames, needs="frame")
        self.add(menu, "&Export this frame's profile…", a.profile.export_of_frame, "Ctrl+E", needs="frame")
        self.add(menu, "&Variant of this frame's profile…", a.profile.vary_frame, needs="frame")

    def _colour_menu(self) -> None:
        menu, a = self._menu("C&olour"), self._actions
        for number, key in enumerate(STOPS, start=1):
            self.add(menu, f"Open {_NAMES[key]}", partial(a.open_stop, key), str(number))
        menu.addSeparator()
        tip = "Go to the next frame that waits for a decision"
        self.add(menu, "Ne&xt held frame", a.frame.next_held, "Ctrl+D", tip, "shoot")
        tip = "An untagged picture under every plausible space at once"
        self.add(menu, "&Try-on sheet", a.space.try_on, "T", tip, "frame", _AT_PICTURE)
        self.add(menu, "&Assign a space…", partial(a.space.begin, 1), "Ctrl+Shift+A", "Numbers stay, look changes", "frame")
        self.add(menu, "&Convert to a space…", partial(a.space.begin, 2), "Ctrl+Shift+C", "Look stays, numbers change", "frame")
        tip = "What a layered picture is made of, and what converting layer by layer would do to it"
        self.add(menu, "La&yers of this picture", a.space.layers, "Y", tip, "frame", _AT_PICTURE)
        self.add(menu, "Sa&ve a tagged copy…", a.space.save_copy, "Ctrl+Shift+S", needs="frame")
        tip = "Only an assignment, and only after asking"
        self.add(menu, "Tag the source fi&le itself…", a.space.retag_source, tip=tip, needs="frame")
        self.add(menu, "Copy the led&ger to the selected frames", a.space.copy_ledger, needs="frame")
        menu.addSeparator()
        tip = "Learn from charts, pins or an aligned picture what colours should be"
        self.add(menu, "Match to another picture…", a.look.match, "Ctrl+M", tip, "frame")
        tip = "A match of Velkin's, a .cube table or an ICC profile: look and numbers change"
        self.add(menu, "Put on a matc&h or a look…", a.look.put_on, tip=tip, needs="frame")
        self.add(menu, "Export its match…", a.look.export, tip="As a table, an ICC profile, or Velkin's own", needs="frame")
        self.add(menu, "Ta&ke off its look", a.look.take_off, tip="Off all selected frames", needs="frame")
        menu.addSeparator()
        tip = "Its numbers stay in view; up to eight a frame"
        self.add(menu, "&Pin the point under the pointer", a.space.pin, ".", tip, "frame", _AT_PICTURE)
        menu.addSeparator()
        self.add(menu, "C&ustom space…", a.space.custom_space, needs="shoot")
        self.add(menu, "A space from an ICC &file…", a.space.import_space, needs="shoot")
        self.add(menu, "Profile folders…", a.space.profile_folders, tip="Where ICC profiles are looked for")
        self.add(menu, "Compare &spaces…", a.space.compare_spaces, needs="shoot")
        self.add(menu, "Help me choose a &working space…", a.space.help_choose, needs="shoot")
        menu.addSeparator()
        tip = "The colours that the destination has, and back"
        self.shown_there = self._checked(self.add(menu, "S&oft proof", a.proof.toggle, "D", tip, "frame", _AT_PICTURE))
        self.hatch = self._checked(
            self.add(menu, "&Mark what is out of gamut", a.proof.toggle_marking, "X", needs="frame", pages=_AT_PICTURE)
        )
        tip = "Each intent on this picture, with figures"
        self.add(menu, "&Intents side by side", a.proof.intents, "I", tip, "frame", _AT_PICTURE)
        tip = "Spaces, profiles, screens and this picture together"
        self.add(menu, "Gamut &room", a.proof.gamut, "G", tip, "shoot", _AT_PICTURE)
        tip = "What brings 99.9\u00a0% in, found and explained"
        self.add(menu, "L&east change that eases it in", a.proof.least_change, tip=tip, needs="frame")
        self.add(menu, "A&dd an easing…", a.proof.add_easing, needs="frame")
        self.add(menu, "Copy the easi&ngs to the selected frames", a.proof.copy_easings, needs="frame")

    def _view_menu(self) -> None:
        menu, model, look = self._menu("&View"), self._model, self._appearance
        self.add(menu, "&Fit the picture", lambda: self.viewer().fit(), "F", pages=_AT_A_VIEWER)
        self.add(menu, "&Actual pixels", lambda: self.viewer().actual(), "A", pages=_AT_A_VIEWER)
        self.add(menu, "Zoom &in", lambda: self.viewer().zoom_by(1.25), "Ctrl++")
        self.add(menu, "Zoom o&ut", lambda: self.viewer().zoom_by(0.8), "Ctrl+-")
        tip = "The pixels under the pointer, enlarged"
        loupe = self.add(menu, "Loupe", lambda: model.show_loupe(not model.loupe), "M", tip, "frame", _AT_PICTURE)
        model.loupe_changed.connect(self._checked(loupe).setChecked)
        tip = "Any two frames, or a frame and a file: same zoom and place, numbers at the pins"
        self.add(menu, "Compare with a&nother picture", self._actions.frame.compare, "O", tip, "frame", _AT_PICTURE)
        tip = "Show the state chosen under Compare with, and back; or hold Space"
        self.before = self._checked(self.add(menu, "Show &before", self._swap_before, "B", tip, "frame", _AT_PICTURE))
        self.add(menu, "S&tep through the ways to compare", model.step_comparison, "V", needs="frame", pages=_AT_PICTURE)
        ways = QActionGroup(self._window)
        self._ways: dict[str, QAction] = {}
        names = {"off": "&One state", "wipe": "&Wipe", "side": "Side b&y side", "grid": "&Grid of up to four"}
        for way, name in names.items():
            self._ways[way] = self._checked(self.add(menu, name, partial(model.compare, way), needs="frame"), way == "off")
            ways.addAction(self._ways[way])
        self._looks = menu.addMenu("&Compare with")
        assert self._looks is not None
        self._looks.aboutToShow.connect(self.fill_looks)
        menu.addSeparator()
        self._parts = {
            "scope": self._checked(self.add(menu, "&Scope shelf", partial(look.fold, "scope"), "H", pages=_AT_PICTURE), True),
            "frames": self._checked(self.add(menu, "Frames &panel", partial(look.fold, "frames"), "F7"), True),
            "bench": self._checked(self.add(menu, "B&ench", partial(look.fold, "bench"), "F8"), True),
        }
        self.add(menu, "Fu&ll screen", self._full_screen, "F11")
        menu.addSeparator()
        themes = QActionGroup(self._window)
        for name, text in zip(theme.THEMES, ("Card t&heme", "&Dim room theme"), strict=True):
            themes.addAction(self._checked(self.add(menu, text, partial(look.set_theme, name))))
        tip = "What pictures are drawn for on this monitor"
        self.add(menu, "This sc&reen…", self._actions.machine.screen, tip=tip)
        tip = "How much memory pictures may be kept in"
        self.add(menu, "&Memory for pictures…", self._actions.machine.memory, tip=tip)
        self._add_surround(menu)

    def _swap_before(self) -> None:
        self._model.show_before(not self._model.before)

    def _full_screen(self) -> None:
        if self._window.isFullScreen():
            self._window.showNormal()
        else:
            self._window.showFullScreen()

    def fill_looks(self) -> None:
        """What the picture can be compared with: in the grid up to three, ticked on and off; else one."""
        model, menu = self._model, self._looks
        assert menu is not None
        menu.clear()
        if model.shoot is None:
            return
        for other in alternatives(model.state):
            action = menu.addAction(model.words_for(other) if other == THERE else other.name(model.state))
            assert action is not None
            action.setCheckable(True)
            action.setChecked(other in model.compared())
            action.triggered.connect(partial(self._other_chosen, other))

    def _other_chosen(self, other: Alternative, on: bool) -> None:
        model = self._model
        if model.comparison != "grid":
            model.compare_with((other,))
            return
        left = tuple(chosen for chosen in model.against if chosen != other)
        model.compare_with((*left, other)[-3:] if on else left)

    def _theme_changed(self, name: str) -> None:
        self.by_name[f"{name} theme"].setChecked(True)
        self.surround.blockSignals(True)
        self.surround.setValue(self._appearance.lightness)
        self.surround.blockSignals(False)

    def _add_surround(self, menu: QMenu) -> None:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(28, 4, 16, 4)
        self.surround = QSlider(Qt.Orientation.Horizontal)
        self.surround.setRange(15, 90)
        self.surround.setFixedWidth(130)
        self.surround.setAccessibleName("Lightness of the surround, L* 15 to 90")
        self.surround.valueChanged.connect(self._appearance.set_surround)
        row.addWidget(QLabel("Surround, L*"))
        row.addWidget(self.surround)
        action = QWidgetAction(self._window)
        action.setDefaultWidget(holder)
        menu.addAction(action)
