"""Working: the space edits happen in, this frame's own, and the two verbs: assign and convert."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QComboBox, QLineEdit

from velkin.app.benches.look import LookSection
from velkin.app.context import Context
from velkin.app.flow.drawing import Measured
from velkin.app.flow.picture_flow import PinsRead
from velkin.app.flow.readout import PinNumbers
from velkin.app.jobs.colour import Forecast, warn_of_wrong_verb
from velkin.app.jobs.layers import Shifted
from velkin.app.widgets.checkable import CheckBox, RadioButton
from velkin.app.widgets.parts import Bench, Facts, Figure, Words, button, compact, labelled, row_of, soft
from velkin.app.widgets.pin_table import PinTable, full_scale
from velkin.app.widgets.space_box import SpaceBox, second_line
from velkin.app.words import ASSIGN, CONVERT, MINUS, count, localised, percent, share, signed
from velkin.core.conversion.effect import in_words, intent_name
from velkin.core.icc.space import Space, same
from velkin.core.icc.transform import Intent
from velkin.core.path import ColourPath
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.purposes import COSTS, PURPOSES
from velkin.core.spaces.rgb import SRGB, RGBSpace, family_of
from velkin.core.spaces.volume import lab_volume
from velkin.core.stages.stage import Place
from velkin.core.tags.facts import MODELS
from velkin.core.tags.ledger import Entry, Verb
from velkin.core.tags.pins import Pin, Target, distance, nearest

NEITHER, ASSIGNING, CONVERTING = range(3)
_TARGETS = ("none", "neutral", "Lab as it is now", "skin balance")


class WorkingBench(Bench):
    """The shoot's working space, this frame's, assign and convert with their outcome, and the pins."""

    custom_space_wanted = pyqtSignal()
    purpose_wanted = pyqtSignal()
    compare_wanted = pyqtSignal()
    layers_wanted = pyqtSignal()

    def __init__(self, context: Context) -> None:
        super().__init__("Working")
        self._jobs = context.jobs
        self._model = context.model
        self._flow = context.flow
        self._now: list[PinNumbers] = []
        self._figure = Figure()
        self.column.addWidget(self._figure)
        self.section("This frame")
        self._frame = Facts()
        self.column.addWidget(self._frame)
        self._build_verbs()
        self.section("Match or look")
        self.look = LookSection(context, self)
        self.column.addWidget(self.look)
        self._build_pins()
        self._build_working()
        self.end()
        self.act = button("Assign", self._act, True)
        self.foot.addWidget(self.act)
        self.follow(self._model)
        self._model.tried_changed.connect(self._tried_elsewhere)
        context.jobs.spaces.changed.connect(self.stale)
        self._flow.measured_changed.connect(lambda: self.where_seen(lambda: self.show_measured(self._flow.measured)))
        self._flow.pins_changed.connect(lambda read: self.where_seen(lambda: None if read is None else self._show_pins(read)))
        context.jobs.colour.forecast_ready.connect(self._forecast_ready)
        context.jobs.layers.shifted.connect(self._shifted)

    def _build_verbs(self) -> None:
        self.section("Change what its numbers are")
        self.verbs = QButtonGroup(self)
        names = ("Leave as it is", f"Assign: {ASSIGN}", f"Convert: {CONVERT}")
        for number, name in enumerate(names):
            radio = RadioButton(name)
            self.verbs.addButton(radio, number)
            self.column.addWidget(radio)
        self.verbs.button(NEITHER).setChecked(True)  # type: ignore[union-attr]
        self.verbs.idClicked.connect(lambda _: self._verb_chosen())
        self.to = SpaceBox("Space to assign or to convert to")
        self.to.picked.connect(lambda _: self.try_it())
        self.column.addWidget(self.to)
        self.intent = QComboBox()
        for intent in Intent:
            self.intent.addItem(intent_name(intent), intent)
        self.intent.setCurrentIndex(int(Intent.RELATIVE))
        self.intent.activated.connect(lambda _: self.try_it())
        self._intent_row = labelled("Intent", compact(self.intent), 56)
        self.column.addWidget(self._intent_row)
        self.black_point = CheckBox("Black point compensation")
        self.black_point.setChecked(True)
        self.black_point.toggled.connect(lambda _: self.try_it())
        self.column.addWidget(self.black_point)
        self._warning = Words()
        self._warning.setWordWrap(True)
        self.column.addWidget(self._warning)
        self.instead = button("Show what converting would do", self._instead)
        self.column.addWidget(self.instead)
        self.change = PinTable()
        self.codes = PinTable()
        self.column.addWidget(self.change)
        self.column.addWidget(self.codes)
        self._leaves = Facts(150)
        self.column.addWidget(self._leaves)
        self._effect = soft()
        self.column.addWidget(self._effect)
        self.merged = Words()
        self.merged.setWordWrap(True)
        self.column.addWidget(self.merged)
        self.where = button("Show where   Y", self.layers_wanted.emit, tip="The layers, and a map of what would have moved")
        self.column.addWidget(self.where)

    def _build_pins(self) -> None:
        self.section("Pins")
        self.pins = PinTable()
        self.pins.chosen.connect(self._pin_chosen)
        self.column.addWidget(self.pins)
        self._no_pins = soft("Press . over the picture to pin a colour: its numbers here, in Lab and there stay in view.")
        self.column.addWidget(self._no_pins)
        self.target = QComboBox()
        self.target.addItems(_TARGETS)
        self.target.activated.connect(self._target_chosen)
        self._target_row = labelled("Target", self.target, 56)
        self.unpin = button("Remove the pin", self._unpin)
        self.column.addWidget(self._target_row)
        self.lab = QLineEdit()
        self.lab.setAccessibleName("L*, a* and b* of the target")
        self.lab.setToolTip("Three numbers, as they were measured: L* a* b*")
        self.lab.editingFinished.connect(self._lab_typed)
        self._lab_row = labelled("Lab", self.lab, 56)
        self.column.addWidget(self._lab_row)
        self._target_words = soft()
        self.column.addWidget(self._target_words)
        self.with_lightness = CheckBox("Lightness too")
        self.column.addWidget(self.with_lightness)
        self.bring = button(
            "Bring it there",
            self._bring,
            tip="A match of all pins of this frame that have a target; colours far from them stay",
        )
        self.column.addWidget(row_of(self.bring, self.unpin))

    def _build_working(self) -> None:
        self.section("Working space of the shoot")
        self._space = SpaceBox("Working space of the shoot")
        self._space.picked.connect(self._chosen)
        self.column.addWidget(self._space)
        self.column.addWidget(
            row_of(
                button("Compare spaces…", self.compare_wanted.emit, tip="What each is for, costs, holds of this shoot"),
                button("Help me choose…", self.purpose_wanted.emit, tip="Three plain questions"),
            )
        )
        self.column.addWidget(
            button(
                "Custom space…", self.custom_space_wanted.emit, tip="Primaries, white point and curve of your own; save as ICC"
            )
        )
        self._why = Words()
        self._why.setWordWrap(True)
        self.column.addWidget(self._why)
        self._costs = soft()
        self.column.addWidget(self._costs)
        self._facts = Facts()
        self.column.addWidget(self._facts)

    # ---- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Follow the shoot and the frame."""
        if self._model.shoot is None:
            return
        state = self._model.state
        space = state.working
        choices = [s for s in self._jobs.spaces.of_model("rgb") if isinstance(s, RGBSpace)]
        self._space.offer([*choices, *([] if space.id in {c.id for c in choices} else [space])], space.id)
        family = family_of(space)
        second = f" {second_line(space)[:1].upper()}{second_line(space)[1:]}." if second_line(space) else ""
        self._why.setText(PURPOSES.get(family, "A custom space, or one of a profile.") + second)
        self._costs.setText(COSTS.get(family, ""))
        volume = lab_volume(space) / lab_volume(SRGB)
        self._facts.show_rows(
            [
                ("White", "D50" if space.white[0] > 0.33 else "D65"),
                ("Primaries", "   ".join(f"{x:.3f} {y:.3f}" for x, y in space.primaries)),
                ("Volume", f"{volume:.2f} × sRGB, {lab_volume(space) / 1e6:.2f} million ΔE³"),
            ]
        )
        self.look.refresh()
        self.show_measured(self._flow.measured)
        if self._flow.pins is None:  # not read yet; what another frame's read is not left standing
            self._now = []
            self.pins.clear()
            self._show_verbs()
        else:
            self._show_pins(self._flow.pins)

    def _show_verbs(self) -> None:
        frame, path = self._model.frame, self._plain_path()
        verb = self.verbs.checkedId()
        if frame is None or path is None:
            self.act.hide()
            return
        known = path.known
        bits = f"{frame.facts.bits}-bit" if frame.facts.bits <= 16 else "32-bit float"
        here = path.here.name if known else f"not known, shown as {path.here.name} for now"
        own = (
            "same as the shoot"
            if same(path.here, self._model.state.working)
            else f"the shoot: {self._model.state.working.name}"
        )
        self._frame.show_rows([("Numbers in", here), ("", own), ("As", f"{MODELS[path.here.model]}, {bits}")])
        for button_ in self.verbs.buttons():
            button_.setEnabled(True)
        self.verbs.button(CONVERTING).setEnabled(known)  # type: ignore[union-attr]
        self.to.setVisible(verb != NEITHER)
        for widget in (self._intent_row, self.black_point, self._leaves, self._effect, self.codes):
            widget.setVisible(verb == CONVERTING and not (widget is self.codes and not self.codes.cells()))
        for widget in (self.merged, self.where):
            widget.setVisible(verb == CONVERTING and frame.is_layered)
        self.change.setVisible(verb != NEITHER and bool(self.change.cells()))
        self._warning.setVisible(verb == ASSIGNING and bool(self._warning.text()))
        self.instead.setVisible(self._warning.isVisibleTo(self))
        self.act.setVisible(verb != NEITHER)
        space = self.to.space()
        chosen = count(len(self.frames), "frame")
        if verb == NEITHER or space is None:
            words = f"Frames are worked on in {self._model.state.working.name}, 32-bit float; nothing is clipped before the hand-off."
            self.sentence.setText(words)
        elif verb == ASSIGNING:
            self.sentence.setText(f"{space.name} goes into the ledger of {chosen}: every number stays, the look changes.")
            self.act.setText(f"Assign {space.name}")
        else:
            self.sentence.setText(f"{chosen} will be converted to {space.name}: the look stays, the numbers change.")
            self.act.setText(f"Convert to {space.name}")

    def _plain_path(self) -> ColourPath | None:
        """The path without its look, before which the verbs act."""
        return None if self._model.frame is None else self._model.state.path(self._model.frame.id).put(Place.LOOK)

    def show_measured(self, measured: Measured | None) -> None:
        """Show what the working space holds of the frame."""
        if measured is None:
            self._figure.show_value("", "No picture is measured yet.")
            return
        outside, name = measured.here_outside, measured.path.working.name
        self._figure.show_value(percent(outside.share), f"of this picture is out of gamut for {name}, in which it is worked on")

    def _show_pins(self, read: PinsRead) -> None:
        """Numbers at the pins as they are, and after what is tried."""
        pins, now, after, path = read.pins, read.now, read.after, read.path
        self._now = now
        self.pins.show_numbers(pins, now, path)
        self._no_pins.setVisible(not pins)
        verb, space, frame = self.verbs.checkedId(), self.to.space(), self._model.frame
        if after and space is not None and frame is not None and verb != NEITHER:
            self.change.show_change(now, after, "assigned" if verb == ASSIGNING else "converted")
            bits = frame.facts.bits
            if verb == CONVERTING:
                self.codes.show_codes(now, after, (full_scale(path.here, bits), full_scale(space, bits)))
            else:
                self.codes.clear()
        else:
            self.change.clear()
            self.codes.clear()
        self._warn(now, after)
        self._show_pin_controls()
        self._show_verbs()

    def _warn(self, now: list[PinNumbers], after: list[PinNumbers]) -> None:
        path, space = self._plain_path(), self.to.space()
        if path is None or space is None or self.verbs.checkedId() != ASSIGNING:
            self._warning.setText("")
            return
        moved = sorted(float(ciede2000(a.lab, b.lab)) for a, b in zip(now, after, strict=False))
        self._warning.setText(warn_of_wrong_verb(path, Verb.ASSIGN, space, moved[len(moved) // 2] if moved else None))

    # ---- trying and doing -------------------------------------------------------------------------------------

    def _verb_chosen(self) -> None:
        path = self._plain_path()
        if path is None:
            return
        if self.verbs.checkedId() == ASSIGNING:
            self.to.offer(self._jobs.spaces.of_model(path.here.model))
        elif self.verbs.checkedId() == CONVERTING:
            self.to.offer(self._jobs.spaces.destinations(), "" if self.to.count() else self._model.state.working.id)
        self.try_it()

    def begin(self, verb: int) -> None:
        """Choose a verb and leave its space to the person."""
        self.verbs.button(verb).setChecked(True)  # type: ignore[union-attr]
        self._verb_chosen()
        self.to.setFocus()

    def choose(self, verb: int, identifier: str) -> None:
        """Choose a verb and a space, as the menu and the wrong-verb button do."""
        self.verbs.button(verb).setChecked(True)  # type: ignore[union-attr]
        self._verb_chosen()
        self.to.choose(identifier)
        self.try_it()

    def _instead(self) -> None:
        space = self.to.space()
        if space is not None:
            self.choose(CONVERTING, space.id)

    def entry(self) -> Entry | None:
        """What the choice would put into the ledger."""
        verb, space = self.verbs.checkedId(), self.to.space()
        if verb == NEITHER or space is None:
            return None
        if verb == ASSIGNING:
            return Entry(Verb.ASSIGN, space.id)
        return Entry(Verb.CONVERT, space.id, Intent(self.intent.currentData()), self.black_point.isChecked())

    def try_it(self) -> None:
        """Show the outcome on the picture, at the pins and in figures."""
        entry, space, frame, path = self.entry(), self.to.space(), self._model.frame, self._plain_path()
        self._leaves.show_rows([])
        self._effect.setText("")
        if entry is None or space is None or frame is None or path is None:
            self._model.try_entries(())
        else:
            self._model.try_entries((entry,), (space,))
            if entry.verb == Verb.CONVERT:
                self._effect.setText("measuring what it does to this picture")
                self._jobs.colour.forecast(frame.id, path, space, entry.intent, entry.black_point)
                if frame.is_layered:
                    self.merged.setText("Merged first, then converted; what layer by layer would do is being measured.")
                    self._jobs.layers.measure(frame.id, path, space)
        self._show_verbs()

    def _forecast_ready(self, f: Forecast) -> None:
        entry = self.entry()
        if (
            self._model.frame is None
            or f.frame != self._model.frame.id
            or entry is None
            or entry.space != f.conversion.destination.id
        ):
            return
        rows = [("out of gamut", f"{percent(f.share)} of the picture")]
        if f.outside is not None:
            for name, (low, high) in zip(("red", "green", "blue"), f.outside.shares(), strict=True):
                if low >= 0.0005 or high >= 0.0005:
                    rows.append((f"{name}, bottom and top", f"{share(low)} % and {share(high)} %"))
        self._leaves.show_rows(rows)
        self._effect.setText(" ".join(in_words(f.effects, f.conversion.destination)))
        self._show_verbs()

    def _shifted(self, shifted: Shifted) -> None:
        """What converting a layered picture layer by layer would have moved, which does not happen."""
        entry = self.entry()
        if shifted.frame != self._model.current or entry is None or entry.space != shifted.to.id:
            return
        rest = "" if shifted.shift is None else f"; {shifted.shift.words()}"
        self.merged.setText(f"Merged first, then converted{rest}.")

    def _tried_elsewhere(self) -> None:
        if not self._model.tried and self.verbs.checkedId() != NEITHER:
            self.verbs.button(NEITHER).setChecked(True)  # type: ignore[union-attr]
        self._show_verbs()

    def _act(self) -> None:
        entry, space = self.entry(), self.to.space()
        frames = self.frames
        if entry is None or space is None or not frames:
            return
        self.verbs.button(NEITHER).setChecked(True)  # type: ignore[union-attr]
        if entry.verb == Verb.ASSIGN:
            self._jobs.colour.assign(frames, space)
        else:
            self._jobs.colour.convert(frames, space, entry.intent, entry.black_point)

    def _chosen(self, space: Space) -> None:
        if isinstance(space, RGBSpace) and space.id != self._model.state.working.id:
            self._jobs.command(lambda s: s.colour.set_working(space))

    # ---- pins -------------------------------------------------------------------------------------------------

    def _pin_chosen(self, index: int) -> None:
        self.pins.current = index if self.pins.current != index else -1
        self.pins.update()
        self._show_pin_controls()

    def _pin(self) -> Pin | None:
        frame = (
            self._model.state.frames.get(self.frame_id) if self._model.shoot is not None and self.frame_id is not None else None
        )
        return frame.pins[self.pins.current] if frame is not None and 0 <= self.pins.current < len(frame.pins) else None

    def _show_pin_controls(self) -> None:
        pin = self._pin()
        self._target_row.setVisible(pin is not None)
        self._target_words.setVisible(pin is not None and pin.target is not None)
        if pin is not None and pin.target is not None and 0 <= self.pins.current < len(self._now):
            lab = self._now[self.pins.current].lab
            goal = nearest(lab, pin.target)
            self._target_words.setText(
                f"{pin.target.words()}: a* {signed(goal[1] - lab[1])}, b* {signed(goal[2] - lab[2])} away, "
                f"ΔE {distance(lab, pin.target):.1f}"
            )
        target = None if pin is None else pin.target
        self.bring.setVisible(target is not None)
        is_lab = target is not None and target.kind == "lab"
        self.with_lightness.setVisible(is_lab)
        self._lab_row.setVisible(is_lab)
        if target is not None and is_lab and not self.lab.hasFocus():
            self.lab.setText(_typed(target.lab))
        self.unpin.setVisible(pin is not None)
        if pin is not None:
            kinds = {"neutral": 1, "lab": 2, "skin": 3}
            self.target.setCurrentIndex(kinds[pin.target.kind] if pin.target is not None else 0)

    def _target_chosen(self, index: int) -> None:
        pin, frame = self._pin(), self.frame_id
        if pin is None or frame is None:
            return
        target: Target | None = None
        if index == 1:
            target = Target("neutral")
        elif index == 2:
            lab = self.lab_at_pin(self.pins.current)
            target = None if lab is None else Target("lab", lab)
        elif index == 3:
            target = Target("skin")
        self._jobs.colour.change_pin(frame, self.pins.current, replace(pin, target=target))

    def _lab_typed(self) -> None:
        """Take three numbers; anything else is put back as it was."""
        pin, frame = self._pin(), self.frame_id
        if pin is None or pin.target is None or frame is None:
            return
        lab = lab_of_text(self.lab.text())
        if lab is None:
            self._model.report(
                f"{self.lab.text()!r} is no Lab: three numbers are needed, L* from 0 to 100, a* and b* from −128 to 128."
            )
            self.lab.setText(_typed(pin.target.lab))
        elif self.lab.text() != _typed(pin.target.lab):
            self._jobs.colour.change_pin(frame, self.pins.current, replace(pin, target=Target("lab", lab)))

    def lab_at_pin(self, index: int) -> tuple[float, float, float] | None:
        """The Lab that a pin reads now; the window sets it."""
        numbers = self._now
        if 0 <= index < len(numbers):
            lab = numbers[index].lab
            return (round(float(lab[0]), 1), round(float(lab[1]), 1), round(float(lab[2]), 1))
        return None

    def _bring(self) -> None:
        if self.frame_id is not None:
            self._jobs.looks.bring(self.frame_id, self.frames, self.with_lightness.isChecked())

    def _unpin(self) -> None:
        if self.frame_id is not None:
            index, self.pins.current = self.pins.current, -1
            self._jobs.colour.change_pin(self.frame_id, index, None)


def _typed(lab: tuple[float, float, float]) -> str:
    return localised("  ".join(signed(v) for v in lab))


def lab_of_text(text: str) -> tuple[float, float, float] | None:
    """Lab of three numbers with spaces or semicolons between them; None for anything else."""
    parts = text.replace(MINUS, "-").replace(";", " ").split()
    try:
        light, a, b = (float(part.replace(",", ".")) for part in parts)
    except ValueError:
        return None
    return (light, a, b) if 0.0 <= light <= 100.0 and abs(a) <= 128.0 and abs(b) <= 128.0 else None
