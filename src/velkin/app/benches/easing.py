"""Easing on the Proof bench: the stages in order, and the controls of the chosen one."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QEvent, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QListWidget, QListWidgetItem, QMenu, QPushButton, QVBoxLayout, QWidget

from velkin.app.context import Context
from velkin.app.flow.drawing import Measured
from velkin.app.model.proof_view import RESTS
from velkin.app.widgets.brush_controls import BrushControls
from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.hue_ring import HueRing
from velkin.app.widgets.parts import Bench, Facts, Slide, Words, button, compact, labelled, row_of, soft
from velkin.app.words import share
from velkin.core.gamut.ease import set_aside
from velkin.core.gamut.easing import (
    BRUSHED,
    DETAIL,
    EVERYWHERE,
    HUE,
    KNEE,
    OVERALL,
    WHERE_OUT,
    Easing,
    EasingKind,
    Place,
    new_easing,
)
from velkin.core.gamut.solve import Solution

NAMES = {KNEE: "Knee", HUE: "Hue reach", OVERALL: "Overall", DETAIL: "Detail rescue"}
WHAT = {
    KNEE: "Chroma above the knee is compressed towards what the destination holds at that hue and lightness; below it nothing is "
    "touched.",
    HUE: "The same, for a range of hues only: pick one on the picture.",
    OVERALL: "All chroma is scaled down, whether it is out or not.",
    DETAIL: "Lightness texture that the destination cuts off is restored.",
}
_PLACES = {EVERYWHERE: "everywhere", WHERE_OUT: "where it is out, feathered", BRUSHED: "where it is brushed"}


class _Stages(QListWidget):
    """The list of stages, with its keys."""

    removed = pyqtSignal()
    shifted = pyqtSignal(int)

    def event(self, event: QEvent | None) -> bool:
        """Del means the stage here, not the frame."""
        override = event is not None and event.type() == QEvent.Type.ShortcutOverride
        if override and isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Delete:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() == Qt.Key.Key_Delete:
            self.removed.emit()
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.shifted.emit(1 if event.key() == Qt.Key.Key_Down else -1)
        else:
            super().keyPressEvent(event)


class EasingSection(QWidget):
    """The easings of the frame that its bench shows."""

    def __init__(self, context: Context, bench: Bench) -> None:
        super().__init__()
        self._jobs = context.jobs
        self._model = context.model
        self._bench = bench
        self._row = -1
        self._solution: Easing | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self._build_list(column)
        self._build_controls(column)
        self._build_brush(column)
        self.figures = Facts(120)
        column.addWidget(self.figures)
        self._model.proof.brush_changed.connect(self._show_brush)
        context.jobs.proof.solved.connect(self._solved)

    # ---- building ---------------------------------------------------------------------------------------------

    def _build_list(self, column: QVBoxLayout) -> None:
        self.list = _Stages()
        self.list.setAccessibleName("Easings in the order they act")
        self.list.setFixedHeight(84)
        self.list.setToolTip("Space switches one on or off, Del removes it, Ctrl+Up and Ctrl+Down change the order")
        self.list.currentRowChanged.connect(self._chosen)
        self.list.itemChanged.connect(self._ticked)
        self.list.removed.connect(self.remove)
        self.list.shifted.connect(self.shift)
        column.addWidget(self.list)
        self.empty = soft("Nothing is eased: what is out of gamut is cut off. Find the least change, or add a stage.")
        column.addWidget(self.empty)
        self.add = QPushButton("Add a stage")
        menu = QMenu(self.add)
        menu.setToolTipsVisible(True)
        for kind, name in NAMES.items():
            action = menu.addAction(name)
            assert action is not None
            action.setToolTip(WHAT[kind])
            action.triggered.connect(lambda _=False, k=kind: self.add_stage(k))
        self.add.setMenu(menu)
        self.least = button("Least change", self.solve, tip="Find what brings 99.9 % in and changes the picture least")
        column.addWidget(row_of(self.least, self.add))
        self.found = Words()
        self.found.setWordWrap(True)
        column.addWidget(self.found)
        self.use_found = button("Ease like this", self._use_found, tip="Put the stage that was found in place of all others")
        column.addWidget(self.use_found)
        self.found.hide()
        self.use_found.hide()

    def _build_controls(self, column: QVBoxLayout) -> None:
        self.controls = QWidget()
        inner = QVBoxLayout(self.controls)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(6)
        self.what = soft()
        inner.addWidget(self.what)
        self.strength = Slide("Strength", 0.0, 1.0, lambda v: f"{100 * v:.0f} %")
        self.reach = Slide("Knee at", 0.0, 0.6, lambda v: f"{100 * (1 - v):.0f} %", 60)
        self.reach.setToolTip("Where compression begins: a share of what the destination holds")
        self.texture = Slide("Texture size", 0.001, 0.03, lambda v: f"{100 * v:.1f} %", 58)
        self.texture.setToolTip("Size of the texture, as a share of the picture's longest side")
        self.ring = HueRing()
        self.pick = button("Pick on the picture", lambda: self._model.pick("hue"), tip="Click the colour that is to be eased")
        self.ring_words = soft()
        beside = QWidget()
        right = QVBoxLayout(beside)
        right.setContentsMargins(0, 0, 0, 0)
        right.addWidget(self.pick)
        right.addWidget(self.ring_words)
        right.addStretch(1)
        self.ring_row = QWidget()
        row = QHBoxLayout(self.ring_row)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        row.addWidget(self.ring)
        row.addWidget(beside, 1)
        self.place = compact(QComboBox())
        for kind, name in _PLACES.items():
            self.place.addItem(name, kind)
        self.feather = Slide("Feather", 0.0, 0.03, lambda v: f"{100 * v:.1f} %", 60)
        self.only = CheckBox("Only for this destination")
        for widget in (self.strength, self.reach, self.texture, self.ring_row, labelled("Where", self.place, 76), self.feather):
            inner.addWidget(widget)
        inner.addWidget(self.only)
        column.addWidget(self.controls)
        for slide, field in ((self.strength, "strength"), (self.reach, "reach"), (self.texture, "reach")):
            slide.moved.connect(lambda v, f=field: self._try(**{f: v}))
            slide.settled.connect(lambda v, f=field: self._set(f"change the {f} of an easing", **{f: v}))
        self.feather.moved.connect(lambda v: self._try(place=self._place(feather=v)))
        self.feather.settled.connect(lambda v: self._set("change the feather of an easing", place=self._place(feather=v)))
        self.ring.dragged.connect(lambda hue, width: self._try(hue=hue, reach=width))
        self.ring.chosen.connect(lambda hue, width: self._set("change the hues of an easing", hue=hue, reach=width))
        self.place.activated.connect(lambda _: self._place_chosen())
        self.only.clicked.connect(self._only_clicked)

    def _build_brush(self, column: QVBoxLayout) -> None:
        self.brush_row = BrushControls(self._model.proof, "Easing brush", "this easing")
        self.brush_row.taken.connect(lambda on: self._model.proof.paint(self._row if on else RESTS))
        column.addWidget(self.brush_row)

    # ---- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Follow the frame in the viewer."""
        easings = self._model.easings() if self._model.shoot is not None else ()
        self.list.blockSignals(True)
        self.list.clear()
        for easing in easings:
            item = QListWidgetItem(self._line(easing))
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if easing.on else Qt.CheckState.Unchecked)
            item.setToolTip(WHAT[easing.kind])
            item.setSizeHint(QSize(0, 24))
            self.list.addItem(item)
        self._row = min(max(self._row, 0), len(easings) - 1)
        painting = self._model.proof.painting
        if painting >= len(easings) or (painting >= 0 and easings[painting].place.kind != BRUSHED):
            self._model.proof.paint(RESTS)  # what it painted into is gone
        self.list.setCurrentRow(self._row)
        self.list.blockSignals(False)
        self.list.setVisible(bool(easings))
        self.list.setFixedHeight(min(max(len(easings), 1), 4) * 24 + 4)
        self.empty.setVisible(not easings)
        self._show_controls()

    def _line(self, easing: Easing) -> str:
        words = [NAMES[easing.kind], f"{100 * easing.strength:.0f} %"]
        if easing.kind == HUE:
            words.append(f"{easing.hue:.0f}° ± {easing.reach / 2:.0f}°")
        if easing.place.kind != EVERYWHERE:
            words.append("where out" if easing.place.kind == WHERE_OUT else "brushed")
        if easing.destination and easing.destination != self._goal():
            words.append("another destination")
        return "   ".join(words)

    def _goal(self) -> str:
        path = self._model.path()
        return path.destination.id if path is not None else ""

    def _now(self) -> Easing | None:
        easings = self._model.easings() if self._model.shoot is not None else ()
        return easings[self._row] if 0 <= self._row < len(easings) else None

    def _show_controls(self) -> None:
        easing, frame = self._now(), self._model.frame
        self.controls.setVisible(easing is not None)
        self.brush_row.setVisible(easing is not None and easing.place.kind == BRUSHED)
        if easing is None or frame is None:
            return
        self.what.setText(WHAT[easing.kind])
        self.strength.show_value(easing.strength)
        self.reach.setVisible(easing.kind == KNEE)
        self.texture.setVisible(easing.kind == DETAIL)
        self.ring_row.setVisible(easing.kind == HUE)
        if easing.kind == KNEE:
            self.reach.show_value(easing.reach)
        elif easing.kind == DETAIL:
            self.texture.show_value(easing.reach)
        elif easing.kind == HUE:
            self.ring.show_range(easing.hue, easing.reach)
            self.ring_words.setText(f"{easing.reach:.0f}° wide; in full over {0.6 * easing.reach:.0f}°")
        self.place.setCurrentIndex(self.place.findData(easing.place.kind))
        self.feather.setVisible(easing.place.kind == WHERE_OUT or (easing.kind == DETAIL and easing.place.kind != BRUSHED))
        self.feather.show_value(easing.place.feather)
        self.only.setChecked(bool(easing.destination))
        lost = set_aside((easing,), frame.facts.width, frame.facts.height)
        self.brush_row.show_painted(len(easing.place.strokes), not lost)
        self._show_brush()

    def _show_brush(self) -> None:
        self.brush_row.show_brush(self._model.proof.painting >= 0)

    def show_measured(self, measured: Measured | None) -> None:
        """Figures before and after."""
        if measured is None or measured.proofed.change is None:
            self.figures.show_rows([])
            return
        a = measured.proofed
        assert a.change is not None
        self.figures.show_rows(
            [
                ("Outside before", f"{share(a.before.share)} %"),
                ("Outside after", f"{share(a.after.share)} %"),
                ("Changed, mean", f"ΔE {a.change.mean:.2f}"),
                ("Of what was inside", f"ΔE {a.change.inside:.2f}"),
            ]
        )

    # ---- changing ---------------------------------------------------------------------------------------------

    def _kept(self) -> tuple[Easing, ...]:
        frame = self._bench.frame_id
        return self._model.state.easings_of(frame) if self._model.shoot is not None and frame is not None else ()

    def _keep(self, easings: tuple[Easing, ...], what: str) -> bool:
        """Set the easings of the frame that is shown; whether it was done."""
        frame = self._bench.frame_id
        return frame is not None and self._jobs.proof.set_easings(frame, easings, what)

    def solve(self) -> None:
        """Look for the least change that brings the frame that is shown in."""
        frame, path = self._bench.frame_id, self._model.path()
        if frame is not None and frame == self._model.current and path is not None:
            self._jobs.proof.solve(frame, path)

    def _changed(self, **what: object) -> tuple[Easing, ...] | None:
        kept = self._kept()
        if not 0 <= self._row < len(kept):
            return None
        changed = replace(kept[self._row], **what)  # type: ignore[arg-type]
        return (*kept[: self._row], changed, *kept[self._row + 1 :])

    def _try(self, **what: object) -> None:
        easings = self._changed(**what)
        if easings is not None:
            self._model.proof.try_easings(easings, dragging=True)

    def _set(self, label: str, **what: object) -> None:
        easings = self._changed(**what)
        self._model.proof.try_easings(None)
        if easings is not None:
            self._keep(easings, label)

    def _place(self, **what: object) -> Place:
        easing = self._kept()[self._row]
        return replace(easing.place, **what)  # type: ignore[arg-type]

    def add_stage(self, kind: EasingKind) -> None:
        """Add a stage at the end, and choose it."""
        if self._model.frame is None:
            return
        easings = (*self._kept(), new_easing(kind))
        self._row = len(easings) - 1
        if self._keep(easings, f"add {NAMES[kind].lower()}") and kind == HUE:
            self._model.pick("hue")

    def hue_picked(self, hue: float) -> None:
        """The hue of a spot of the picture was picked."""
        self._set("pick a hue", hue=hue)

    def _chosen(self, row: int) -> None:
        if row >= 0:
            self._row = row
            if self._model.proof.painting >= 0:
                self._model.proof.paint(RESTS)
            self._show_controls()

    def _ticked(self, item: QListWidgetItem) -> None:
        self._row = self.list.row(item)
        on = item.checkState() == Qt.CheckState.Checked
        self._set("switch an easing " + ("on" if on else "off"), on=on)

    def remove(self) -> None:
        """Remove the stage that is selected."""
        kept = self._kept()
        if 0 <= self._row < len(kept):
            self._model.proof.paint(RESTS)
            self._keep(kept[: self._row] + kept[self._row + 1 :], "remove an easing")

    def shift(self, by: int) -> None:
        """Let the chosen stage act earlier or later."""
        kept = list(self._kept())
        to = self._row + by
        if 0 <= self._row < len(kept) and 0 <= to < len(kept):
            kept[self._row], kept[to] = kept[to], kept[self._row]
            self._row = to
            self._keep(tuple(kept), "change the order of the easings")

    def _place_chosen(self) -> None:
        kind = self.place.currentData()
        if 0 <= self._row < len(self._kept()):
            self._set("choose where an easing acts", place=self._place(kind=kind))
            self._model.proof.paint(self._row if kind == BRUSHED else RESTS)

    def _only_clicked(self, on: bool) -> None:
        self._set("choose an easing's destination", destination=self._goal() if on else "")

    # ---- brush ------------------------------------------------------------------------------------------------

    def stroking(self, points: tuple[tuple[float, float, float], ...]) -> None:
        """A stroke is being painted: show it."""
        frame, row, kept = self._model.frame, self._model.proof.painting, self._kept()
        if frame is None or not 0 <= row < len(kept):
            return
        size = (frame.facts.width, frame.facts.height)
        place = kept[row].place
        before = place.strokes if place.painted_on == size else ()
        self._row = row
        self._try(place=replace(place, kind=BRUSHED, strokes=(*before, self.brush_row.stroke(points)), painted_on=size))

    def stroked(self, points: tuple[tuple[float, float, float], ...]) -> None:
        """A stroke was painted: keep it."""
        self._model.proof.try_easings(None)
        if self._model.proof.painting >= 0 and self._bench.frame_id is not None:
            self._jobs.proof.add_stroke(self._bench.frame_id, self._model.proof.painting, self.brush_row.stroke(points))

    # ---- the least change -------------------------------------------------------------------------------------

    def _solved(self, frame: int, solution: Solution) -> None:
        path = self._model.path()
        if frame != self._bench.frame_id:
            return
        self._solution = solution.best.easing if solution.best is not None else None
        self.found.setText(solution.in_words(path.destination.name if path is not None else "the destination"))
        self.found.show()
        self.use_found.setVisible(self._solution is not None)
        self._bench.reveal(self.use_found if self._solution is not None else self.found)

    def forget_solution(self) -> None:
        """The picture or its goal is another: what was found for it does not hold."""
        self._solution = None
        self.found.hide()
        self.use_found.hide()

    def _use_found(self) -> None:
        if self._solution is not None:
            self._row = 0
            self._keep((self._solution,), "ease by the least change")
            self.forget_solution()
