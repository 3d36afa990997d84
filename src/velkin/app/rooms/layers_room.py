"""The layers room: what a layered picture is made of, and where converting layer by layer would have moved it."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout

from velkin.app.context import Context
from velkin.app.flow.loss_map import TOP
from velkin.app.jobs.layers import Shifted
from velkin.app.model.places import Page, Place
from velkin.app.rooms.room import Room
from velkin.app.widgets.change_map import ChangeMap
from velkin.app.widgets.layer_rows import layer_row
from velkin.app.widgets.parts import Bench, Elided, Facts, Figure, labelled, soft
from velkin.app.widgets.space_box import SpaceBox
from velkin.app.words import localised, whole_percent
from velkin.core.icc.space import Space
from velkin.core.layered import Shift
from velkin.core.path import ColourPath
from velkin.core.spaces.pictures import SEEN
from velkin.core.spaces.rgb import SRGB, RGBSpace
from velkin.core.stages.stage import Place as Stop
from velkin.core.stages.steps import read_as


class LayersRoom(Room):
    """Takes the place of viewer and bench."""

    page = Page.LAYERS

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Layers")
        self._which = Elided()
        self.head.addWidget(self._which, 1)
        self.add_back()
        self.map = ChangeMap(
            "Where converting layer by layer would have moved the picture", f"ΔE {SEEN / 2:.0f}", f"ΔE {TOP:.0f} and more"
        )
        main = QVBoxLayout()
        main.addWidget(self.map, 1)
        bench = Bench("Layer by layer")
        self.figure = Figure()
        bench.column.addWidget(self.figure)
        self.to = SpaceBox("The space that it would be converted to")
        self.to.picked.connect(lambda _: self._measure())
        bench.column.addWidget(labelled("Converted to", self.to))
        self.facts = Facts(150)
        bench.column.addWidget(self.facts)
        bench.section("Caused by")
        self.causes = Facts(150)
        bench.column.addWidget(self.causes)
        self._cause_hint = soft()
        bench.column.addWidget(self._cause_hint)
        bench.section("Layers, the topmost first")
        self.stack = Facts(110)
        bench.column.addWidget(self.stack)
        self.unknown = soft()
        bench.column.addWidget(self.unknown)
        bench.end()
        self._bench = bench
        self.lay_out(main, bench)
        context.jobs.layers.shifted.connect(self._show)

    def takes(self, frame: int) -> bool:
        """Another layered picture can be looked at here too."""
        return self._model.state.frames[frame].is_layered

    def enter(self, place: Place) -> None:
        """Show the frame in the viewer."""
        frame, path = self._model.frame, self._path()
        if frame is None or path is None or not frame.is_layered:
            return
        self._which.setText(frame.name)
        self.stack.show_rows([layer_row(layer) for layer in frame.picture.layers])
        notes = [n for n in frame.picture.notes if n.startswith("not known: ")]
        self.unknown.setText("\n".join(f"{n[:1].upper()}{n[1:]}." for n in notes))
        self.unknown.setVisible(bool(notes))
        spaces: list[Space] = [s for s in self._jobs.spaces.of_model("rgb") if isinstance(s, RGBSpace)]
        self.to.offer(spaces, self._first(path).id)
        self.to.setFocus()
        self._measure()

    def left_behind(self) -> None:
        """Nothing is measured for it any more."""
        self._jobs.layers.forget()

    def _path(self) -> ColourPath | None:
        """The frame's path without its look: what converting acts on."""
        return None if self._model.frame is None else self._model.state.path(self._model.frame.id).put(Stop.LOOK)

    def _first(self, path: ColourPath) -> Space:
        """The space that is most likely asked about: the shoot's, or the destination's where the picture is in that already."""
        wanted: list[Space] = [self._model.state.working, path.destination, SRGB]
        return next(
            (s for s in wanted if isinstance(s, RGBSpace) and s.id != read_as(path.start, path.steps).id),
            self._model.state.working,
        )

    def _measure(self) -> None:
        frame, path, to = self._model.frame, self._path(), self.to.space()
        if frame is None or path is None or to is None:
            return
        self.figure.show_value("", "Measuring …")
        self.facts.show_rows([])
        self.causes.show_rows([])
        self._cause_hint.setText("")
        self.map.show_map(None, "Merging it in both orders …")
        self._bench.sentence.setText("Velkin merges first and converts then; the source file is not touched.")
        self._jobs.layers.measure(frame.id, path, to)

    def _show(self, shifted: Shifted) -> None:
        to = self.to.space()
        if not self.isVisible() or shifted.frame != self._model.current or to is None or shifted.to.id != to.id:
            return
        if shifted.shift is None:
            self.figure.show_value("", f"It cannot be measured: {shifted.problem}.")
            self.map.show_map(None, shifted.problem)
            return
        self._show_shift(shifted.shift, to)
        self.map.show_map(shifted.map, shifted.shift.words())

    def _show_shift(self, shift: Shift, to: Space) -> None:
        self.figure.show_value(
            whole_percent(shift.share),
            f"of the picture would have moved by more than ΔE {SEEN:.0f} if each layer were converted by itself",
        )
        rows = (("Mean", shift.mean), ("95th percentile", shift.p95), ("Largest", shift.largest))
        self.facts.show_rows([(name, localised(f"ΔE {value:.1f}")) for name, value in rows])
        self.causes.show_rows([(c.name, c.operator, localised(f"{100 * c.share:.1f} %")) for c in shift.causes])
        self._cause_hint.setText(
            "The share that each alone brings to move."
            if shift.causes
            else "No layer by its operator or opacity; soft edges, if any."
        )
        self._bench.sentence.setText(f"Merged first, then converted to {to.name}: the look stays, and nothing of this happens.")
