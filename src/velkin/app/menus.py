"""The menus: every action of the window, its words and its keys."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QActionGroup, QKeySequence
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QMenuBar, QSlider, QWidget, QWidgetAction

from velkin.app import theme
from velkin.app.model.shoot_model import STOPS

if TYPE_CHECKING:
    from velkin.app.window import Window

_NAMES = {"source": "Source", "camera": "Camera", "working": "Working", "proof": "Proof", "handoff": "Hand-off"}


class Menus:
    """Builds the menu bar of a window and keeps the actions that follow its state."""

    def __init__(self, bar: QMenuBar, window: Window) -> None:
        self.bar = bar
        self._window = window
        self.by_name: dict[str, QAction] = {}
        self._build(window)

    def _add(self, menu: QMenu, text: str, act: Callable[[], Any], keys: str = "", tip: str = "") -> QAction:
        action = QAction(text, self._window)
        if keys:
            action.setShortcut(QKeySequence(keys))
        action.setToolTip((tip or text.replace("&", "")) + (f" ({keys})" if keys else ""))
        action.triggered.connect(lambda _=False: act())
        menu.addAction(action)
        self._window.addAction(action)
        self.by_name[text.replace("&", "")] = action
        return action

    def _build(self, window: Window) -> None:
        def menu(name: str) -> QMenu:
            made = self.bar.addMenu(name)
            assert made is not None
            made.setToolTipsVisible(True)
            return made

        shoot = menu("&Shoot")
        self._add(shoot, "&New shoot…", window.asking.new, "Ctrl+N")
        self._add(shoot, "&Open a shoot…", window.asking.open, "Ctrl+O")
        shoot.addSeparator()
        self._add(shoot, "&Add files…", window.asking.files, "Ctrl+I")
        self._add(shoot, "Add a &folder…", window.asking.folder, "Ctrl+Shift+I")
        self._add(
            shoot,
            "&Paste a picture or files",
            window.spaces.paste,
            "Ctrl+V",
            "The intake rules decide about pasted pictures too",
        )
        self._add(
            shoot,
            "What was &left out",
            window.frame_actions.show_left_out,
            tip="Files of the last arrival that could not come in",
        )
        self._add(shoot, "Intake &rules…", window.spaces.rules, tip="What happens to a file's colour as it arrives")
        shoot.addSeparator()
        self.undo = self._add(shoot, "&Undo", window.model.undo, "Ctrl+Z")
        self.redo = self._add(shoot, "&Redo", window.model.redo, "Ctrl+Shift+Z")
        shoot.addSeparator()
        self._add(shoot, "&Hand off", window.hand_off, "Ctrl+Return")
        self._add(
            shoot, "P&ause the hand-off, or go on", window.handoffs.pause, "Ctrl+Shift+Return", "Files begun are finished"
        )
        self._add(
            shoot,
            "&Finish the last hand-off",
            window.handoffs.retry,
            tip="Try what failed again, or go on where it was cut off",
        )
        self._add(
            shoot, "&Destinations…", window.handoffs.destinations, "Ctrl+Shift+D", "Where files go and how they are written"
        )
        self._add(shoot, "As &receivers see it", window.handoffs.receivers, "E", "A written file beside the picture here")
        self._add(
            shoot, "Write a rece&ipt…", window.handoffs.receipt, tip="What was sent and how it was checked, as HTML or PDF"
        )
        shoot.addSeparator()
        self._add(shoot, "&Quit", window.close, "Ctrl+Q")

        frame = menu("&Frame")
        self._add(frame, "&Next frame", lambda: window.model.step(1), "PgDown")
        self._add(frame, "&Previous frame", lambda: window.model.step(-1), "PgUp")
        self._add(frame, "Select &all frames", window.frame_actions.select_all, "Ctrl+A")
        self._add(frame, "Select the frames of this &light", window.frame_actions.select_light, "Ctrl+L")
        frame.addSeparator()
        for role, name in (
            ("chart", "Mark as &chart frame"),
            ("neutral", "Mark as ne&utral frame"),
            ("subject", "Mark as &subject"),
        ):
            self._add(frame, name, partial(window.frame_actions.mark, role))
        frame.addSeparator()
        self._add(
            frame, "Move to a new light", lambda: window.desk.command(lambda s: s.move_to_light(window.model.selected, None))
        )
        self._add(frame, "Begin a new light with this frame", window.frame_actions.split_light)
        self._add(frame, "Merge the lights of the chosen frames", window.frame_actions.merge_lights)
        self._add(frame, "Rename this light…", window.asking.light_name, "F2")
        self._add(frame, "Name all lights by a pattern…", window.asking.light_pattern)
        self._add(frame, "Find a missing source…", window.asking.source)
        remove = self._add(frame, "Remove from the shoot", window.frame_actions.remove, "Del", "The files stay where they are")
        remove.setShortcutContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)  # Del in a list or a room means something else
        window.removeAction(remove)
        for place in (window.frames, window.view):
            place.addAction(remove)
        self.frame_menu = frame

        chart = menu("&Chart")
        self._add(chart, "&Read the chart in this frame", window.camera_bench.read_chart_here, "K")
        self._add(chart, "&Pick a neutral", window.camera.pick_neutral, "N", "Click what was neutral in front of the lens")
        self._add(
            chart,
            "&Look for charts in the chosen frames",
            lambda: window.desk.arriving.spot(window.model.selected),
            tip="Marks chart frames and frames of a neutral card",
        )
        chart.addSeparator()
        self._add(chart, "&Give to other frames…", window.camera.give, "Ctrl+G")
        self._add(chart, "&Back to the built-in profile", window.camera_bench.back_to_built_in)
        chart.addSeparator()
        self._add(chart, "&Open a chart file…", window.asking.chart_file)
        self._add(chart, "&Define a chart…", window.camera.edit_chart)
        self._add(chart, "P&rint a chart…", window.asking.print_chart)
        self._add(chart, "&Measure a print with the stand-in…", window.asking.measure_print)
        chart.addSeparator()
        self._add(chart, "Fit re&port…", window.profiles.report, "Ctrl+R", "How good the fit is, and every choice of it")
        self._add(chart, "Fit on a finished pict&ure…", window.asking.finished_picture)
        self._add(
            chart, "Profile &shelf…", window.profiles.open_shelf, "Ctrl+P", "All profiles: on or off, named, noted, given"
        )
        self._add(chart, "&Import a profile…", window.asking.profile)
        self._add(chart, "&Export this frame's profile…", window.profiles.export_of_frame, "Ctrl+E")
        self._add(chart, "&Variant of this frame's profile…", window.profiles.vary_frame)

        colour = menu("C&olour")
        for number, key in enumerate(STOPS, start=1):
            self._add(colour, f"Open {_NAMES[key]}", partial(window.open_stop, key), str(number))
        colour.addSeparator()
        self._add(colour, "Next held frame", window.next_held, "Ctrl+D", "Go to the next frame that waits for a decision")
        self._add(colour, "&Try-on sheet", window.spaces.try_on, "T", "An untagged picture under every plausible space at once")
        self._add(colour, "&Assign a space…", partial(window.open_verb, 1), "Ctrl+Shift+A", "Numbers stay, look changes")
        self._add(colour, "&Convert to a space…", partial(window.open_verb, 2), "Ctrl+Shift+C", "Look stays, numbers change")
        self._add(colour, "Save a tagged cop&y…", window.spaces.save_copy, "Ctrl+Shift+S")
        self._add(
            colour, "Tag the source file itself…", window.spaces.retag_source, tip="Only an assignment, and only after asking"
        )
        self._add(
            colour,
            "Copy the ledger to the chosen frames",
            window.spaces.copy_ledger,
        )
        colour.addSeparator()
        self._add(
            colour, "&Pin the point under the pointer", window.spaces.pin, ".", "Its numbers stay in view; up to eight a frame"
        )
        colour.addSeparator()
        self._add(colour, "A space of your &own…", window.spaces.own_space)
        self._add(colour, "A space from an &ICC file…", window.spaces.add_profile)
        self._add(colour, "Spaces &beside each other…", window.spaces.cards)
        self._add(colour, "Which &working space suits…", window.spaces.purpose)
        colour.addSeparator()
        self.shown_there = self._add(
            colour, "&Soft proof", window.proofs.toggle, "D", "The colours that the destination has, and back"
        )
        self.shown_there.setCheckable(True)
        self.hatch = self._add(
            colour, "&Mark what is outside", lambda: window.model.show_hatching(not window.model.hatching), "X"
        )
        self.hatch.setCheckable(True)
        self._add(colour, "&Intents side by side", window.proofs.intents, "I", "Each intent on this picture, with figures")
        self._add(colour, "&Gamut room", window.proofs.gamut, "G", "Spaces, profiles, screens and this picture together")
        self._add(
            colour,
            "Least change that eases it &in",
            window.proofs.least_change,
            tip="What brings 99.9 % in, found and explained",
        )
        self._add(colour, "Add an easing…", window.proofs.add_easing)
        self._add(colour, "Copy the easings to the chosen frames", window.desk.proofing.copy_easings)

        view = menu("&View")
        self._add(view, "&Fit the picture", window._fit, "F")
        self._add(view, "&Actual pixels", window._actual, "A")
        self._add(view, "Zoom in", lambda: window._current_view().zoom_by(1.25), "Ctrl++")
        self._add(view, "Zoom out", lambda: window._current_view().zoom_by(0.8), "Ctrl+-")
        before = self._add(view, "Swap with before", lambda: window.model.show_before(not window.model.before), "B")
        before.setCheckable(True)
        before.setToolTip("Show the state chosen under Compare with, and back (B; or hold Space)")
        window.model.before_changed.connect(before.setChecked)
        self._add_comparisons(view, window)
        view.addSeparator()
        self.scope = self._add(view, "&Scope shelf", lambda: window.appearance.fold(window.scope), "H")
        self.frames = self._add(view, "Frames &panel", lambda: window.appearance.fold(window.frames), "F7")
        self.bench = self._add(view, "&Bench", lambda: window.appearance.fold(window.bench_stack), "F8")
        for action in (self.scope, self.frames, self.bench):
            action.setCheckable(True)
            action.setChecked(True)
        view.addSeparator()
        themes = QActionGroup(window)
        for name in theme.THEMES:
            action = self._add(view, f"{name} theme", partial(window.appearance.set_theme, name))
            action.setCheckable(True)
            themes.addAction(action)
        self._add(view, "This s&creen…", window.proofs.screen, tip="What pictures are drawn for on this monitor")
        self._add_surround(view, window)

        help_menu = menu("&Help")
        self._add(help_menu, "Find a &command…", window.find_command, "Ctrl+K")
        self._add(help_menu, "What the &links of the path mean", window._explain_links)
        self._add(help_menu, "&About Velkin", window._about)

    def _add_comparisons(self, view: QMenu, window: Window) -> None:
        self._add(view, "Step through the ways to compare", window.step_comparison, "V")
        ways = QActionGroup(window)
        self._ways: dict[str, QAction] = {}
        names = {"off": "One state", "wipe": "Wipe", "side": "Side by side", "grid": "Grid of up to four"}
        for way, name in names.items():
            action = self._add(view, name, partial(window.model.compare, way))
            action.setCheckable(True)
            ways.addAction(action)
            self._ways[way] = action
        self._ways["off"].setChecked(True)
        looks = view.addMenu("Compare &with")
        assert looks is not None
        self._looks = looks
        looks.aboutToShow.connect(self.fill_looks)

    def show_comparison(self) -> None:
        """Tick the way that is used."""
        self._ways[self._window.model.comparison].setChecked(True)

    def fill_looks(self) -> None:
        """What the picture can be compared with: in the grid up to three, ticked on and off; else one."""
        model = self._window.model
        self._looks.clear()
        if model.shoot is None:
            return
        for look in ("built-in", "as shot", "without easing", "there", *(f"profile {p}" for p in model.state.profiles)):
            action = self._looks.addAction(model.look_words(look) if look == "there" else model.state.look_name(look))
            assert action is not None
            action.setCheckable(True)
            action.setChecked(look in (model.against if model.comparison == "grid" else model.against[:1]))
            action.triggered.connect(partial(self._look_chosen, look))

    def _look_chosen(self, look: str, on: bool) -> None:
        model = self._window.model
        if model.comparison != "grid":
            model.compare_with((look,))
            return
        left = tuple(chosen for chosen in model.against if chosen != look)
        model.compare_with((*left, look)[-3:] if on else left)

    def _add_surround(self, view: QMenu, window: Window) -> None:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(28, 4, 16, 4)
        label = QLabel("Surround, L*")
        self.surround = QSlider(Qt.Orientation.Horizontal)
        self.surround.setRange(15, 90)
        self.surround.setFixedWidth(130)
        self.surround.setAccessibleName("Lightness of the surround, L* 15 to 90")
        self.surround.valueChanged.connect(window.appearance.set_surround)
        row.addWidget(label)
        row.addWidget(self.surround)
        action = QWidgetAction(window)
        action.setDefaultWidget(holder)
        view.addAction(action)
