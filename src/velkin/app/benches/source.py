"""Source: what the file says of itself, the decision if one is due, and what was done to this frame's colour so far."""

from __future__ import annotations

from PyQt6.QtCore import QLocale, QRectF, Qt, QTime, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from velkin.app import glyphs, theme
from velkin.app.benches.ledger import LedgerList
from velkin.app.context import Context
from velkin.app.flow.picture_flow import PinsRead
from velkin.app.flow.stops import tag_glyph
from velkin.app.model.places import Page
from velkin.app.widgets.checkable import RadioButton
from velkin.app.widgets.layer_rows import layer_row
from velkin.app.widgets.parts import Bench, Facts, Heading, Rule, beside, button, keep_room, labelled, soft, state_label
from velkin.app.widgets.pin_table import PinTable
from velkin.app.widgets.source_news import SourceNews
from velkin.app.widgets.space_box import SpaceBox, second_line
from velkin.app.words import ASSIGN, CONVERT, signed
from velkin.core.files.dng_colour import DNGColour
from velkin.core.files.facts import FileFacts
from velkin.core.icc.space import Space
from velkin.core.shoot.frame import Frame
from velkin.core.tags.facts import MODELS
from velkin.core.tags.ledger import Entry, Verb
from velkin.core.tags.rules import ACTION_WORDS, CASES, case_of

GIVE, GIVE_CONVERT, LEAVE = range(3)

_HEADS = {
    "tagged": ("Tagged", "The file says what its numbers mean"),
    "claimed": ("Claimed", "No profile, but its metadata claims a space"),
    "untagged": ("Untagged", "Nothing says what these numbers mean"),
    "damaged": ("Tag not usable", "Its tag cannot be used for this picture"),
}


class _Mark(QWidget):
    """The tag state's glyph, on ink while a decision waits."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(32, 32)
        self._glyph, self._waits = "raw", False

    def show_state(self, glyph: str, waits: bool) -> None:
        self._glyph, self._waits = glyph, waits
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.current()
        p = QPainter(self)
        if self._waits:
            p.fillRect(self.rect(), t.colour("chosen"))
        glyphs.draw(p, self._glyph, QRectF(7, 7, 18, 18), t.colour("chosen_ink" if self._waits else "ink"))


class SourceBench(Bench):
    """File facts, what it says of its colour, decision, ledger."""

    rules_wanted = pyqtSignal()
    layers_wanted = pyqtSignal()

    def __init__(self, context: Context) -> None:
        super().__init__("Source")
        self._jobs = context.jobs
        self._model = context.model
        self._flow = context.flow
        self._offered: int | None = None
        head = QWidget()
        row = QHBoxLayout(head)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        self._mark = _Mark()
        self._state = state_label()
        self._says = soft()
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(self._state)
        words.addWidget(self._says)
        row.addWidget(self._mark)
        row.addLayout(words, 1)
        self.column.addWidget(head)
        self._file = Facts()
        self.column.addWidget(self._file)
        self.page = QComboBox()
        self.page.activated.connect(self._page_chosen)
        self._page_row = labelled("Picture", self.page)
        self.column.addWidget(self._page_row)
        self.changed = SourceNews()
        self.column.addWidget(self.changed)
        self.section("What it says, and where")
        self._claims = Facts(126)
        self.column.addWidget(self._claims)
        self._notes = soft()
        self.column.addWidget(self._notes)
        self._applied = Facts(126)
        rules = button("Rules…", self.rules_wanted.emit, tip="What happens to files as they arrive")
        self._rule_row = QWidget()
        rule_row = QHBoxLayout(self._rule_row)
        rule_row.setContentsMargins(0, 0, 0, 0)
        rule_row.addWidget(self._applied, 1, Qt.AlignmentFlag.AlignVCenter)
        rule_row.addWidget(rules)
        self.column.addWidget(self._rule_row)
        self._build_decision()
        self._build_layers()
        self.section("Shot")
        self._shot = Facts()
        self.column.addWidget(self._shot)
        self.section("Ledger")
        self.ledger = LedgerList(context, self)
        self.column.addWidget(self.ledger)
        self.column.addWidget(Rule())
        self.end()
        self.decide = button("Assign", self._decide, True)
        self.decide_all = button("Assign it to all like this one", self._decide_all)
        self.foot.addWidget(self.decide)
        self.foot.addWidget(keep_room(self.decide_all))
        self.follow(self._model)
        self._model.tried_changed.connect(self._tried_elsewhere)
        context.jobs.spaces.changed.connect(self.stale)
        context.flow.pins_changed.connect(self._show_pins)
        context.jobs.watching.noticed.connect(lambda _: self.stale())
        context.flow.shown.connect(lambda _: self._show_news())

    def _build_layers(self) -> None:
        self._layers = QWidget()
        column = QVBoxLayout(self._layers)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(Rule())
        column.addWidget(Heading("Layers"))
        self.stack = Facts(110)
        column.addWidget(self.stack)
        column.addWidget(
            soft("They are merged first, then converted: blending computes on numbers that a conversion of each would change.")
        )
        column.addWidget(
            button(
                "What layer by layer would do   Y", self.layers_wanted.emit, tip="How far converting each first would move it"
            )
        )
        self.column.addWidget(self._layers)

    def _build_decision(self) -> None:
        self._decision = QWidget()
        column = QVBoxLayout(self._decision)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(Rule())
        top = soft("DECISION")
        top.setFont(theme.font(11, 600, True))
        self.try_on = button(
            "Try spaces on it   T",
            lambda: self._model.places.go(Page.TRY_ON, self._model.current),
            tip="See the picture in every space at once (T)",
        )
        column.addWidget(beside(top, self.try_on))
        self.choices = QButtonGroup(self)
        self.given = SpaceBox("The space to assign")
        self.given.picked.connect(lambda _: self._tried())
        texts = ("Assign", "Assign that space, then convert", "Keep it untagged")
        for number, text in enumerate(texts):
            radio = RadioButton(text)
            self.choices.addButton(radio, number)
            if number == GIVE:
                line = QWidget()
                row = QHBoxLayout(line)
                row.setContentsMargins(0, 0, 0, 0)
                row.addWidget(radio)
                row.addWidget(self.given, 1)
                column.addWidget(line)
                self._given_hint = self._indented(ASSIGN)
                column.addWidget(self._given_hint)
                self.table = PinTable()
                column.addWidget(self.table)
                self._no_pins = self._indented("Pin colours on the picture with . to see their Lab before and after.")
                column.addWidget(self._no_pins)
            else:
                column.addWidget(radio)
                hint = self._indented(f"then {CONVERT}")
                column.addWidget(hint)
                if number == LEAVE:
                    self._leave_hint = hint
        self.choices.idClicked.connect(lambda _: self._tried())
        self.column.addWidget(self._decision)

    @staticmethod
    def _indented(text: str) -> QLabel:
        label = soft(text)
        label.setContentsMargins(22, 0, 0, 2)
        return label

    # ---- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Follow the selected frame."""
        frame = self._model.frame
        self.decide.hide()
        self.decide_all.hide()
        self._page_row.hide()
        if frame is None:
            self._state.setText("No frame")
            self._says.setText("Drop files into the window, or add them from the Shoot menu.")
            self.sentence.setText("")
            return
        self._mark.show_state(tag_glyph(self._model.state, frame), frame.held)
        self._decision.setVisible(frame.held)
        self._rule_row.setVisible(not frame.is_raw)
        self._layers.setVisible(frame.is_layered)
        self._notes.hide()
        self._show_news()
        if frame.is_raw:
            self._show_raw(frame)
        else:
            self._show_picture(frame)
        exif = frame.facts.exif
        rows = [
            ("Maker", frame.facts.make),
            ("Camera", frame.facts.model),
            ("Lens", exif.lens),
            ("Time", exif.taken.strftime("%d %B %Y, %H:%M:%S") if exif.taken else ""),
            ("Exposure", ", ".join(v for v in (exif.shutter, exif.aperture, exif.iso) if v)),
        ]
        known = [r for r in rows if r[1]] or [("Metadata", "say nothing of it")]
        self._shot.show_rows([(n, v or "not set") for n, v in rows] if frame.is_raw else known)
        self.ledger.show_frame()

    def _show_news(self) -> None:
        """What happened to the source elsewhere in this session."""
        frame = self._model.frame
        news = None if frame is None else self._jobs.watching.news.get(frame.id)
        if news is None or frame is None:
            self.changed.show_news("", None, None)
            return
        f = news.followed
        what = f.differs or "its numbers, or what is said beside them"
        at = QLocale().toString(QTime(news.at.hour, news.at.minute), QLocale.FormatType.ShortFormat)
        kept = (
            f"The frame stays as it was: {f.refused}."
            if f.refused
            else f"Held: {f.held}."
            if f.held
            else "Every decision stays."
        )
        shown = self._flow.rendered
        now = shown.image if shown is not None and shown.frame == frame.id else None
        self.changed.show_news(f"At {at}: {what}. {kept}", news.before, now)

    def _show_raw(self, frame: Frame) -> None:
        facts = frame.raw
        self._state.setText("Raw")
        self._says.setText("Camera numbers; a camera profile gives them their meaning.")
        self._file.show_rows(
            [
                ("File", frame.path.name),
                ("Folder", str(frame.path.parent)),
                ("Pixels", f"{facts.width} × {facts.height}, {facts.bits}-bit"),
                *_also(facts),
            ]
        )
        colour = facts.colour
        where = "DNG" if facts.is_dng else "raw library"
        matrices = "none" if colour is None else f"{len(colour.matrices)}"
        red, _, blue = facts.as_shot
        self._claims.show_rows(
            [
                ("Embedded profile", "none in a raw file", ""),
                ("Unique camera model", facts.unique or "not set", "DNG" if facts.is_dng else "Exif"),
                ("Colour matrices", matrices, where),
                ("As-shot balance", f"{red:.3f}  1  {blue:.3f}", "R G B"),
                *_of_the_body(colour),
            ]
        )
        self.sentence.setText("The source file is not touched, whatever is done here.")

    def _show_picture(self, frame: Frame) -> None:
        facts, state = frame.picture, self._model.state
        word, says = _HEADS[facts.tag.state]
        self._state.setText(word)
        self._says.setText(says)
        model = MODELS[facts.colour_model] + (" in layers" if facts.layers else " with alpha" if facts.alpha else "")
        bits = "32-bit float" if facts.bits > 16 else f"{facts.bits}-bit"
        self._file.show_rows(
            [
                ("File", f"{frame.path.name}"),
                ("Folder", str(frame.path.parent)),
                ("Pixels", f"{model}, {bits}, {facts.width} × {facts.height}"),
                *_also(facts),
            ]
        )
        self.stack.show_rows([layer_row(layer) for layer in facts.layers])
        if facts.pages > 1:
            self._page_row.show()
            self.page.clear()
            self.page.addItems([f"{n + 1} of {facts.pages}" for n in range(facts.pages)])
            self.page.setCurrentIndex(facts.page)
        self._claims.show_rows([(s.about, s.says, s.where) for s in facts.statements])
        self._notes.setText("\n".join(n[:1].upper() + n[1:] + "." for n in facts.notes))
        self._notes.setVisible(bool(facts.notes))
        said = state.space(facts.said) if facts.said else None
        case = case_of(facts.tag.state, facts.colour_model, said, state.working)
        self._applied.show_rows([("Rule that applied", ACTION_WORDS[state.rules.of(case).action])])
        self._applied.setToolTip(f"For files that are {CASES[case][0]}")
        if not frame.held:
            path = state.path(frame.id)
            meaning = path.here.name if path.known else "nothing known"
            self.sentence.setText(f"Its numbers mean {meaning} now. The source file is not touched, whatever is done here.")
            return
        self._offer(frame)

    def _offer(self, frame: Frame) -> None:
        facts, state = frame.picture, self._model.state
        spaces = self._jobs.spaces.of_model(facts.colour_model)
        first = facts.said or (spaces[0].id if spaces else "")
        fresh = self._offered != frame.id
        bare = facts.tag.state == "untagged"
        self.choices.button(LEAVE).setText("Keep it untagged" if bare else "Leave it as it came")  # type: ignore[union-attr]
        self._leave_hint.setText("nothing changes; " + ("written without a tag" if bare else "a copy is the same file again"))
        self.given.offer(spaces, first if fresh else "")
        self.given.setEnabled(bool(spaces))
        self.try_on.setVisible(bool(spaces))
        self.choices.button(GIVE_CONVERT).setText(f"Assign that space, then convert to {state.working.name}")  # type: ignore[union-attr]
        if fresh:
            self._offered = frame.id
            self._choose_none()
        self._say(frame)

    def _choose_none(self) -> None:
        self.choices.setExclusive(False)
        for radio in self.choices.buttons():
            radio.setChecked(False)
        self.choices.setExclusive(True)
        self.table.clear()

    def _choice(self) -> int:
        return self.choices.checkedId()

    def _say(self, frame: Frame) -> None:
        space, choice = self.given.space(), self._choice()
        alike = len(self._model.state.like(frame.id)) - 1
        self._no_pins.setVisible(not frame.pins)
        self.decide.setVisible(choice >= 0)
        self.decide_all.setVisible(choice >= 0 and alike > 0)
        if choice < 0:
            self.sentence.setText("Choose a decision to see its outcome on the picture before it is taken.")
            return
        name = space.name if space is not None else "a space"
        others = f"the {alike} held like this one" if alike != 1 else "the other held like this"
        second = second_line(space)
        self._given_hint.setText(f"{ASSIGN}; {second}" if second else ASSIGN)
        if choice == LEAVE:
            bare = frame.picture.tag.state == "untagged"
            self.sentence.setText("It stays as it came: nothing says what its numbers mean, and no hand-off takes it.")
            self.decide.setText("Keep it untagged" if bare else "Leave it as it came")
            self.decide_all.setText(f"Keep {others} untagged" if bare else f"Leave {others}")
        elif choice == GIVE:
            self.sentence.setText(
                f"{name} goes into the ledger: every number stays, the look changes. The source file is not touched."
            )
            self.decide.setText(f"Assign {name}")
            self.decide_all.setText(f"Assign it to {others}")
        else:
            to = self._model.state.working.name
            self.sentence.setText(f"{name} is assigned, then it is converted to {to}. The source file is not touched.")
            self.decide.setText(f"Assign {name} and convert")
            self.decide_all.setText(f"The same for {others}")
        self.decide.setEnabled(space is not None or choice == LEAVE)

    def entries(self) -> tuple[Entry, ...]:
        """What the choice would put into the ledger."""
        space, choice = self.given.space(), self._choice()
        if space is None or choice in (-1, LEAVE):
            return ()
        given = Entry(Verb.ASSIGN, space.id)
        return (given,) if choice == GIVE else (given, Entry(Verb.CONVERT, self._model.state.working.id))

    def _tried(self) -> None:
        """Show the outcome of the choice on the picture and at the pins."""
        frame = self._model.frame
        if frame is None or not frame.held:
            return
        if self._choice() < 0:
            self.choices.button(GIVE).setChecked(True)  # type: ignore[union-attr]
        space = self.given.space()
        self._model.try_entries(self.entries(), () if space is None else (space,))
        self._say(frame)

    def _tried_elsewhere(self) -> None:
        """What was tried is over: no choice may look as if its outcome were still shown."""
        frame = self._model.frame
        if not self._model.tried and self._choice() in (GIVE, GIVE_CONVERT):
            self._choose_none()
            if frame is not None and frame.held:
                self._say(frame)
        if self.isVisible():
            self.ledger.show_frame()

    def give(self, space: Space) -> None:
        """Choose a space to give, as the try-on sheet does."""
        offered = self._jobs.spaces.of_model(space.model)
        self.given.offer([*offered, *([] if space.id in {s.id for s in offered} else [space])], space.id)
        self.choices.button(GIVE).setChecked(True)  # type: ignore[union-attr]
        self._tried()

    def _show_pins(self, read: PinsRead | None) -> None:
        """Lab at the pins now and after the choice."""
        space = self.given.space()
        if read is not None and read.now and read.after and space is not None:
            self.table.show_change(read.now, read.after, f"in {space.name}"[:20])
        else:
            self.table.clear()

    # ---- deciding ---------------------------------------------------------------------------------------------

    def _page_chosen(self, index: int) -> None:
        frame = self._model.state.frames[self.frame_id] if self.frame_id is not None else None
        if frame is not None and index != frame.picture.page:
            self._jobs.colour.choose_page(frame.id, index)

    def _decide(self) -> None:
        if self.frame_id is not None:
            self._take((self.frame_id,))

    def _decide_all(self) -> None:
        if self.frame_id is not None:
            self._take(tuple(self._model.state.like(self.frame_id)))

    def _take(self, frames: tuple[int, ...]) -> None:
        space, choice = self.given.space(), self._choice()
        deciding = self._jobs.colour
        if choice == LEAVE:
            deciding.leave(frames)
        elif space is not None and choice == GIVE:
            deciding.assign(frames, space)
        elif space is not None:
            deciding.give_and_convert(frames, space, self._model.state.working)


def _also(facts: FileFacts) -> list[tuple[str, str]]:
    """What else a file holds, as a row; none where there is nothing to tell."""
    return [("Also holds", facts.also)] if facts.also else []


def _of_the_body(colour: DNGColour | None) -> list[tuple[str, str, str]]:
    """What a DNG file says of this very body, and what it brings that is not applied."""
    if colour is None:
        return []
    rows = []
    if colour.analog != (1.0, 1.0, 1.0):
        rows.append(("Analogue balance", "  ".join(f"{v:.3f}" for v in colour.analog), "R G B"))
    if colour.calibrations:
        used = colour.camera_signature == colour.profile_signature
        rows.append(("Calibration of this body", "applied" if used else "for profiles of another signature", "DNG"))
    if colour.baseline:
        rows.append(("Baseline exposure", f"{signed(colour.baseline, 2)} EV", "DNG"))
    if colour.not_applied:
        rows.append(("Not applied", ", ".join(colour.not_applied), "DNG"))
    return rows
