"""The match room: pairs of colours, added from any evidence, become one smooth change that is seen at once and then put on frames."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout

from velkin.app.context import Context
from velkin.app.flow.drawing import Rendered, pooled
from velkin.app.flow.loss_map import TOP
from velkin.app.flow.picture_flow import Geometry
from velkin.app.jobs.matches import Reference
from velkin.app.model.changes import Change
from velkin.app.model.places import Page, Place
from velkin.app.rooms.match_bench import MatchBench
from velkin.app.rooms.match_course import CoursePanel
from velkin.app.rooms.match_making import Making
from velkin.app.rooms.match_pairs import EvidencePanel
from velkin.app.rooms.match_view import MatchView
from velkin.app.rooms.room import Room
from velkin.app.widgets.checkable import ToggleButton
from velkin.app.widgets.parts import Elided, compact
from velkin.app.words import count
from velkin.core.errors import VelkinError
from velkin.core.looks.kept import KeptLook, LookKind
from velkin.core.looks.reading import look_of_match
from velkin.core.looks.to_targets import PIN
from velkin.core.match.baked import Amounts
from velkin.core.match.draft import Draft, draft_of
from velkin.core.match.match_file import match_from_json
from velkin.core.match.pair import Origin, Pair
from velkin.core.match.solver import Learnt, Wish
from velkin.core.stages.matching import Matched

if TYPE_CHECKING:
    from velkin.core.match.aligned import Aligned
    from velkin.core.shoot.frame import Frame

_NOTHING = (
    "No pairs yet. Choose what the frame is to be like, then add pairs from the charts, from pins, or from an aligned picture."
)


class MatchRoom(Room):
    """Takes the place of viewer and bench."""

    export_wanted = pyqtSignal(object)  # KeptMatch

    page = Page.MATCH
    keeps_work = True

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Match")
        #: The frame that the match is learnt on; another one may be looked at.
        self.frame: int | None = None
        self.reference = Reference()
        self.making = Making(context.jobs.matches)
        self._pins_known = False
        #: Areas that are no evidence, as shares of the frame, and what of it was used of an aligned picture.
        self._areas: list[tuple[float, float, float, float]] = []
        self._used: NDArray[np.bool_] | None = None

        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(60)
        self._soon.timeout.connect(lambda: self._show() if self.frame is not None else None)
        self.making.changed.connect(self._show_now)
        self.making.prices_told.connect(self._show_prices)
        self.making.refused.connect(lambda why: self.bench.show_nothing(why))

        self.view = MatchView()
        self.evidence = EvidencePanel()
        self.pairs = self.evidence.pairs
        self.change = CoursePanel()
        self.bench = MatchBench()
        self._header()
        main = QVBoxLayout()
        main.setContentsMargins(0, 0, 0, 0)
        main.setSpacing(0)
        upper = QHBoxLayout()
        upper.setSpacing(0)
        upper.addWidget(self.view, 1)
        upper.addWidget(self.evidence, 2)
        main.addLayout(upper, 3)
        main.addWidget(self.change, 2)
        self.lay_out(main, self.bench)

        self.view.pointed.connect(context.flow.point_at)
        self.view.pinned.connect(self._pin)
        self.view.pinning_ended.connect(self._end_pinning)
        self.view.area_left_out.connect(self._area_left_out)
        self.view.zoomed.connect(lambda _: context.flow.sharper_soon())
        self.pairs.pair_chosen.connect(lambda _: self._show_choice())
        evidence = self.evidence
        for signal, act in (
            (evidence.charts_wanted, self.add_from_charts),
            (evidence.aligned_wanted, self.add_from_aligned),
            (evidence.area_wanted, self._begin_area),
            (evidence.left_out_wanted, self._show_left_out),
            (evidence.pins_wanted, self._begin_pins),
            (evidence.leaving_out, self.leave_out),
            (evidence.removing, self.remove_all),
        ):
            signal.connect(act)
        evidence.weighed.connect(self._weighed)
        self.bench.wished.connect(self._wished)
        self.bench.amounts_wished.connect(self._amounts_wished)
        self.bench.give_wanted.connect(self.give)
        self.bench.shelf_wanted.connect(self.keep)
        self.bench.export_wanted.connect(lambda: self.export_wanted.emit(self.draft.kept()))
        context.flow.shown.connect(self._rendered)
        context.model.changed.connect(self._changed)
        context.model.before_changed.connect(lambda _: self._name_view())
        self.on_keys((".", self.view.pin_under_pointer), ("P", self.set_pins.click))

    # ---- building ---------------------------------------------------------------------------------------------

    def _header(self) -> None:
        self._subtitle = Elided()
        self.head.addWidget(self._subtitle, 1)
        self.references = compact(QComboBox())
        self.references.setMinimumWidth(190)
        self.references.setAccessibleName("What the frame is to be like")
        self.references.setToolTip("Another frame, a match that was kept, or the chart's own colours")
        self.references.activated.connect(self._reference_chosen)
        self.head.addWidget(self.references)
        self.set_pins = ToggleButton("Set pins")
        self.set_pins.setToolTip("A click sets a pin in the picture under it (P; or . at the pointer)")
        self.set_pins.setProperty("narrow", True)
        self.set_pins.clicked.connect(self._picking)
        self.head.addWidget(self.set_pins)
        self.map = ToggleButton("ΔE map")
        self.map.setToolTip(f"How far each place is changed: dark where nothing is, light from {TOP:.0f} ΔE00 on")
        self.map.setProperty("narrow", True)
        self.map.clicked.connect(self._map_change)
        self.head.addWidget(self.map)
        self.add_back()

    # ---- coming and going -------------------------------------------------------------------------------------

    def takes(self, frame: int) -> bool:
        """A match can be looked at on any frame."""
        return True

    def enter(self, place: Place) -> None:
        """Begin a match on a frame, or go on with the one that it has; where one is in the making, look at it on this frame."""
        assert place.frame is not None
        if self.frame is None or self.frame not in self._model.state.frames:
            self._begin(place.frame, place.about if isinstance(place.about, int) else None)
        self._model.show_before(False)
        self._model.open_stop("working")
        self._model.select(place.frame, self._model.selected if place.frame in self._model.selected else None)
        self._flow.hold_by(self._geometry)
        self._show_pins()
        self._name_view()
        self._show_foot()
        self._try()
        self.view.setFocus()
        self._flow.request()

    def _begin(self, frame: int, reference: int | None) -> None:
        state = self._model.state
        self.frame, self.reference, draft = frame, Reference(), Draft()
        self._areas, self._used = [], None
        self.view.areas, self.view.show_hatch = (), False
        given = state.look_of(frame)
        if given is not None and given.look.kind is LookKind.MATCH and reference is None:
            kept = match_from_json(given.look.content.decode())
            same = next((f for f in state.frames.values() if f.name == kept.name and f.id != frame), None)
            self.reference = Reference(kept.name, None if same is None else same.id, kept)
            draft = draft_of(kept)
        elif reference is not None:
            self.reference = Reference(state.frames[reference].name, reference)
        self.making.begin(draft, self.reference.name)
        self._pins_known = False
        self._fill_references()
        self._show_reference()
        self._show_pairs()
        self.bench.show_wish(self.draft.wish, self.draft.amounts)
        self.bench.show_nothing(_NOTHING)
        self._read_pins()
        self.making.learn()

    def left_behind(self) -> None:
        """What is awaited is not shown any more, and nothing is tried."""
        self._jobs.matches.forget()
        self.frame = None
        self.making.stop()
        self.set_pins.setChecked(False)
        self.map.setChecked(False)
        self.view.picking = 0.0
        self._flow.hold_by(None)
        self._model.try_look(None)
        self._flow.request()  # the viewer holds the picture otherwise

    def unsaved(self) -> str:
        """The match in the making, where it was not given or kept as it is."""
        return f"the match of {count(len(self.draft.used), 'pair')}" if self.making.unsaved else ""

    @property
    def draft(self) -> Draft:
        """What the match is learnt from, and how."""
        return self.making.draft

    @property
    def learnt(self) -> Learnt | None:
        """The match as it is learnt; None where there is none."""
        return self.making.learnt

    def _geometry(self) -> Geometry:
        view = self.view
        return Geometry(view.fitted(), view.visible(), view.scale * view.devicePixelRatioF())

    def _rendered(self, rendered: Rendered) -> None:
        if self.frame is None or not self.isVisible():
            return
        frame = self._model.state.frames[rendered.frame]
        self.view.set_picture(rendered.image, (frame.facts.width, frame.facts.height))
        if self.view.show_hatch:
            self._show_left_out()

    def _changed(self, change: Change) -> None:
        """Pins were set, moved or taken away, here or by undoing."""
        if self.frame is None:
            return
        if self.frame in change.gone or self.reference.frame in change.gone:
            self.frame = None
            self._model.places.end()
            return
        if change.concerns(self.frame) or change.concerns(self.reference.frame):
            self._show_pins()
            self._read_pins()

    # ---- what it is to be like --------------------------------------------------------------------------------

    def _fill_references(self) -> None:
        state, box = self._model.state, self.references
        box.clear()
        box.addItem("like the chart's own colours", Reference())
        if self.reference.kept is not None:
            box.addItem(
                f"like {self.reference.kept.name}, as it was kept",
                Reference(self.reference.kept.name, None, self.reference.kept),
            )
        for kept in self._jobs.looks.on_shelf:
            box.addItem(f"like {kept.name}, from the shelf", Reference(kept.name, None, kept))
        first = box.count()
        for light in state.lights:
            for frame in light.frames:
                if frame != self.frame:
                    box.addItem(f"like {state.frames[frame].name}", Reference(state.frames[frame].name, frame))
        if first < box.count():
            box.insertSeparator(first)
        here = [n for n in range(box.count()) if isinstance(box.itemData(n), Reference) and self._is(box.itemData(n))]
        box.setCurrentIndex(here[0] if here else 0)

    def _is(self, other: Reference) -> bool:
        if self.reference.frame is not None or other.frame is not None:
            return self.reference.frame == other.frame
        return (self.reference.kept is None) == (other.kept is None) and self.reference.name == other.name

    def _reference_chosen(self, index: int) -> None:
        chosen = self.references.itemData(index)
        if isinstance(chosen, Reference) and not self._is(chosen):
            self.reference = chosen
            if any(p.origin in (Origin.CHART, Origin.ALIGNED) for p in self.draft.pairs):
                self._model.say(f"The pairs that are there stay; add pairs anew for those of {chosen.name}, or remove all.")
            self.making.take(self.draft.named(chosen.name))
            self._show_reference()
            self._read_pins()

    def use_reference(self, frame: int) -> None:
        """Take another frame as the reference."""
        for number in range(self.references.count()):
            data = self.references.itemData(number)
            if isinstance(data, Reference) and data.frame == frame:
                self.references.setCurrentIndex(number)
                self._reference_chosen(number)

    def _show_reference(self) -> None:
        assert self.frame is not None
        state, reference = self._model.state, self.reference
        self._subtitle.setText(f"{state.frames[self.frame].name} to be")
        self.evidence.offer_aligned(reference.frame is not None)
        self._show_pins()
        if reference.frame is None:
            self._hide_reference()
            return
        name = state.frames[reference.frame].name
        self._jobs.matches.draw(
            reference.frame, self.view.fitted(), lambda image: self.view.show_reference(image, f"{name}, reference")
        )

    def _hide_reference(self) -> None:
        self.view.show_reference(QImage(), "")

    # ---- evidence ---------------------------------------------------------------------------------------------

    def add_from_charts(self) -> None:
        """Add the pairs of the charts in the frame and in the reference."""
        if self.frame is not None:
            self._jobs.matches.from_charts(
                self.frame, self.reference, lambda pairs, words: self._take_in(pairs, words, Origin.CHART)
            )

    def add_from_aligned(self) -> None:
        """Add the pairs of the frame and the reference laid on each other."""
        if self.frame is not None:
            self._jobs.matches.from_aligned(self.frame, self.reference, tuple(self._areas), self._aligned)

    def _aligned(self, found: Aligned | VelkinError, words: str) -> None:
        self._used = None if isinstance(found, VelkinError) else found.used
        self._show_left_out()
        self._take_in(found if isinstance(found, VelkinError) else list(found.pairs), words, Origin.ALIGNED)

    def _end_pinning(self) -> None:
        self.set_pins.setChecked(False)
        self._picking(False)

    def _begin_area(self) -> None:
        self._end_pinning()
        self.view.leave_an_area_out()

    def _area_left_out(self, x: float, y: float, width: float, height: float) -> None:
        """An area of the frame is no evidence; what was gathered is gathered anew without it."""
        self._areas.append((x, y, width, height))
        self.view.areas = tuple(self._areas)
        self.view.update()
        if any(p.origin is Origin.ALIGNED for p in self.draft.pairs):
            self.add_from_aligned()
        else:
            self._model.say("The area is left out when the aligned picture is added.")

    def _show_left_out(self) -> None:
        self.view.show_hatch = self.evidence.shows_left_out and self._used is not None
        if self._used is not None:
            self.view.set_hatch(pooled(~self._used, self._used.shape[1], self._used.shape[0]))
        self.view.update()

    def _take_in(self, pairs: list[Pair] | VelkinError, words: str, origin: Origin) -> None:
        if self.frame is None:
            return
        if isinstance(pairs, VelkinError):
            self._model.report(pairs)
            return
        self._model.say(words)
        self.making.take(self.draft.with_pairs(pairs, lambda p: p.origin is origin))

    def _begin_pins(self) -> None:
        if not self.set_pins.isChecked():
            self.set_pins.click()

    def _picking(self, on: bool) -> None:
        self.view.picking = self._model.picked_area if on else 0.0
        self.view.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)
        self.view.setFocus()
        self.view.update()

    def _pin(self, on_reference: bool, x: float, y: float) -> None:
        """Pin a point of the frame the match is learnt on, or of its reference."""
        frame = self.reference.frame if on_reference else self._model.current
        if frame is not None and (on_reference or frame == self.frame):
            self._jobs.colour.add_pin(frame, x, y)
        elif self.frame is not None:
            name = self._model.state.frames[self.frame].name
            self._model.report(f"Pins of this match are set on {name}, which it is learnt on; select that frame first.")

    def _show_pins(self) -> None:
        state, current = self._model.state, self._model.current
        pins = state.frames[current].pins if current is not None else ()
        self.view.set_pins(tuple((p.x, p.y) for p in pins))
        reference = self.reference.frame
        there = state.frames[reference].pins if reference is not None and reference in state.frames else ()
        self.view.reference_pins = tuple((p.x, p.y) for p in there)
        mine, theirs = len(pins), len(there)
        words = "pins with the same number are a pair"
        if reference is not None and mine != theirs:
            words = f"pin {min(mine, theirs) + 1} is wanted in {'the reference' if mine > theirs else 'the picture'} too"
        if self.map.isChecked():
            words = f"ΔE map: dark, nothing changes; light, {TOP:.0f} and more"
        elif reference is None:
            words = "pins with a target are pairs"
        self.view.set_captions(words, "")
        self.view.update()

    def _map_change(self, on: bool) -> None:
        self._flow.map_change(on)
        self._show_pins()

    def _read_pins(self) -> None:
        if self.frame is not None:
            self._jobs.matches.from_pins(self.frame, self.reference, self._pins_read)

    def _pins_read(self, pairs: list[Pair] | VelkinError, words: str) -> None:
        if self.frame is None or isinstance(pairs, VelkinError):
            return  # what is wrong with the frame's numbers is said when evidence is asked for
        kept = self.reference.kept is not None

        def instead(pair: Pair) -> bool:
            live = pair.origin is Origin.PINS or (pair.origin is Origin.NUMBER and pair.name.startswith(PIN))
            return live and not kept

        draft = self.draft.with_pairs(pairs, instead)
        if draft.pairs != self.draft.pairs:
            self.making.take(draft)
        if not self._pins_known:  # those that were there already are kept with their frames: nothing is lost with them
            self._pins_known = True
            self.making.keep(self.draft)

    def leave_out(self) -> None:
        """Leave the chosen pair out, or take it in again."""
        chosen = self.pairs.chosen()
        if chosen is not None:
            self.making.take(self.draft.leaving_out([chosen], chosen not in self.draft.left_out))

    def _weighed(self, weight: float) -> None:
        chosen = self.pairs.chosen()
        if chosen is not None:
            self.making.take(self.draft.weighing(chosen, weight))

    def remove_all(self) -> None:
        """Begin anew with the pins alone."""
        self._areas, self._used = [], None
        self.view.areas, self.view.show_hatch = (), False
        self.making.take(replace(self.draft, pairs=(), left_out=frozenset(), weights={}))
        self._read_pins()

    def _show_choice(self) -> None:
        self.view.chosen_pin = self.evidence.show_choice(self.draft)
        self.view.update()

    # ---- how it is wished -------------------------------------------------------------------------------------

    def _wished(self, wish: Wish, dragging: bool) -> None:
        self.bench.show_wish(wish, self.draft.amounts)
        self.making.take(replace(self.draft, wish=wish), dragging)

    def _amounts_wished(self, amounts: Amounts, dragging: bool) -> None:
        self.making.take_amounts(replace(self.draft, amounts=amounts), dragging)

    def _show_prices(self) -> None:
        if self.learnt is not None:
            self.bench.show_prices(self.making.prices, self.learnt)

    # ---- showing ----------------------------------------------------------------------------------------------

    def _show_now(self) -> None:
        """Show the match as it is; while it is dragged the picture first, and the rest as often as there is time for it."""
        if self.frame is None:
            return
        if self.making.dragging and self.learnt is not None:
            self._try()
            if not self._soon.isActive():
                self._soon.start()
        else:
            self._soon.stop()
            self._show()

    def _show(self) -> None:
        """Show the match as it is now: pairs, figures, course, and the picture under it."""
        learnt, used = self.learnt, self.making.found(used=True)
        if learnt is None or used is None:
            if not self.draft.used:
                self.bench.show_nothing(_NOTHING)
        else:
            self.bench.show_learnt(learnt, used, self.draft.wish)
            self.bench.show_prices(self.making.prices, learnt)
        self._show_pairs()
        self.change.show_change(self.learnt, self.draft.amounts)
        self._show_foot()
        self._name_view()
        self._try()

    def _show_pairs(self) -> None:
        self.evidence.show_pairs(self.draft, self.making.found(used=False), self._patch_names())
        self._show_choice()

    def _patch_names(self) -> dict[str, str]:
        """What a chart calls its patches, by their ids; of several charts with the same ids the first."""
        names: dict[str, str] = {}
        for chart in self._model.state.charts.values():
            names = {**dict(zip(chart.ids, chart.names, strict=True)), **names}
        return names

    def _show_foot(self) -> None:
        state, frame = self._model.state, self._model.frame
        if frame is not None:
            light = state.light_of(frame.id)
            self.bench.show_foot(len(light.frames), light.name, frame.name, self.draft.amounts)

    def _try(self) -> None:
        """The frame that is looked at under the match."""
        learnt, rough = self.learnt, self.making.dragging
        self._model.try_look(None if learnt is None else Matched(learnt.match, self.draft.amounts, rough=rough), rough)

    def _name_view(self) -> None:
        frame: Frame | None = self._model.frame
        if frame is None:
            return
        how = "before" if self._model.before or self.learnt is None else "matched"
        self.view.name_own(f"{frame.name}, {how}" if self.learnt is not None else frame.name)

    # ---- what comes of it -------------------------------------------------------------------------------------

    def _look(self) -> KeptLook:
        return look_of_match(self.draft.kept())

    def give(self, all_of_light: bool) -> None:
        """Put the match on the frame that is looked at, or on all of its light, and go back to the picture."""
        current = self._model.current
        if current is None or self.learnt is None:
            return
        frames = self._model.frames_of_light(current) if all_of_light else (current,)
        draft, frame = self.draft, self.frame

        def given() -> None:
            if self.frame is not None and self.frame == frame:  # else the room was left meanwhile
                self.making.keep(draft)
                self.leave()

        self._jobs.looks.give(frames, self._look(), 1.0, given)

    def keep(self) -> None:
        """Keep the match on the shelf, with its pairs."""
        if self.learnt is not None:
            draft = self.draft
            self._jobs.looks.keep(self._look(), lambda: self.making.keep(draft))
