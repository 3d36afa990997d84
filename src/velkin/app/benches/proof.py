"""Proof: what the chosen destination can hold of this picture, seen and marked on it, and easing it in."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QWidget

from velkin.app import theme
from velkin.app.benches.easing import EasingSection
from velkin.app.context import Context
from velkin.app.flow.drawing import Measured
from velkin.app.model.places import Page
from velkin.app.model.proof_view import MARKS
from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.parts import Bench, Figure, Slide, Words, button, compact, labelled, row_of, soft
from velkin.app.widgets.space_box import second_line, space_label
from velkin.app.words import CONVERT, percent, share, signed
from velkin.core.conversion.effect import intent_name
from velkin.core.conversion.outside import Outside
from velkin.core.gamut.simulation import white_seen
from velkin.core.icc.space import ICCSpace, Space
from velkin.core.icc.transform import Intent
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Alters

_SCREEN = "this screen"
CHANNELS = {"rgb": ("red", "green", "blue"), "cmyk": ("cyan", "magenta", "yellow", "black"), "gray": ("gray",)}


class ProofBench(Bench):
    """The destination, the share outside by channel and end, how it is seen and marked, and easing."""

    def __init__(self, context: Context) -> None:
        super().__init__("Proof")
        self._jobs = context.jobs
        self._model = context.model
        self._flow = context.flow
        self._figure = Figure()
        self.column.addWidget(self._figure)
        self._table = _EndsTable()
        self.column.addWidget(self._table)
        self._diagnosis = Words()
        self._diagnosis.setWordWrap(True)
        self.column.addWidget(self._diagnosis)
        self._build_goal()
        self._build_seen()
        self.section("Easing")
        self.easing = EasingSection(context, self)
        self.column.addWidget(self.easing)
        self.end()
        self.follow(self._model)
        for signal in (context.jobs.spaces.changed, self._model.proof.changed, self._model.screen_changed):
            signal.connect(self.stale)
        self._model.proof.tried.connect(lambda dragging: None if dragging else self.easing.refresh())
        self._model.hatching_changed.connect(self.marking.setChecked)
        self._flow.measured_changed.connect(lambda: self.where_seen(lambda: self.show_measured(self._flow.measured)))
        self._goal_shown: tuple[str, int | None] = ("", None)
        self.marking.setChecked(self._model.hatching)

    def _build_goal(self) -> None:
        self.section("Proof for")
        places = self._model.places
        self.goal = compact(QComboBox())
        self.goal.setAccessibleName("What is proofed for")
        self.goal.activated.connect(lambda _: self._choose())
        self.column.addWidget(self.goal)
        self.intent = compact(QComboBox())
        for intent in Intent:
            self.intent.addItem(intent_name(intent), intent)
        self.intent.activated.connect(lambda _: self._choose())
        self._intent_row = labelled("Intent", self.intent, 56)
        self.column.addWidget(self._intent_row)
        self.black_point = CheckBox("Black point compensation")
        self.black_point.clicked.connect(lambda _: self._choose())
        self.column.addWidget(self.black_point)
        self._goal_words = soft()
        self.column.addWidget(self._goal_words)
        self.intents = button(
            "Intents side by side",
            lambda: places.go(Page.INTENTS, self._model.current),
            tip="Each intent on this picture, with figures",
        )
        self.gamut = button(
            "Gamut room",
            lambda: places.go(Page.GAMUT, self._model.current),
            tip="Spaces, profiles and this picture, in two and three dimensions (G)",
        )
        for each in (self.intents, self.gamut):
            each.setProperty("narrow", True)
        self.column.addWidget(row_of(self.intents, self.gamut))

    def _build_seen(self) -> None:
        proof = self._model.proof
        self.section("On the picture")
        self.shown = CheckBox("Soft proof   D")
        self.shown.setToolTip("Show the colours that the destination has in place of those meant (D)")
        self.shown.toggled.connect(proof.show)
        self.marking = CheckBox("Mark out of gamut   X")
        self.marking.setToolTip("Mark on the picture what the destination cannot hold (X)")
        self.marking.toggled.connect(self._model.show_hatching)
        self.column.addWidget(row_of(self.shown, self.marking))
        self.white = CheckBox("Paper white")
        self.black = CheckBox("Ink black")
        self.white.setToolTip("Show the paper as light and as tinted as it is")
        self.black.setToolTip("Show the darkest ink as light as it is on this paper")
        for box in (self.white, self.black):
            box.clicked.connect(lambda _: proof.simulate(self.white.isChecked(), self.black.isChecked()))
        self._paper_row = row_of(self.white, self.black)
        self.column.addWidget(self._paper_row)
        self.mark = compact(QComboBox())
        for key, words in MARKS.items():
            self.mark.addItem(words, key)
        self.mark.activated.connect(lambda _: self._mark_chosen())
        self.mark.setAccessibleName("How it is marked")
        self.threshold = Slide("Threshold", 0.0, 10.0, lambda v: f"ΔE {v:.1f}" if v else "any", 40, 66)
        self.threshold.setToolTip("Mark only what the destination changes by at least this ΔE")
        self.threshold.settled.connect(proof.mark_from)
        self.threshold.moved.connect(proof.mark_from)
        self.threshold.show_value(0.0)
        self.column.addWidget(labelled("Marked by", self.mark, 66))
        self.column.addWidget(self.threshold)

    # ---- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Follow the shoot, the frame and how it is seen."""
        if self._model.shoot is None:
            return
        state, proof = self._model.state, self._model.proof
        self._offer()
        space = self.space()
        curves = isinstance(space, RGBSpace)
        intent, black_point = state.proof_way()
        self.intent.setCurrentIndex(int(intent))
        self.black_point.setChecked(black_point)
        self._intent_row.setVisible(not curves)
        self.black_point.setVisible(not curves)
        self.black_point.setEnabled(intent is not Intent.ABSOLUTE)
        self._goal_words.setText(_about(space))
        self._goal_words.setVisible(not curves)
        self._paper_row.setVisible(not curves)
        self.shown.setChecked(proof.shown)
        self.white.setChecked(proof.paper.white)
        self.black.setChecked(proof.paper.black)
        self.black.setEnabled(not proof.paper.white)
        self.mark.setCurrentIndex(self.mark.findData(proof.mark))
        self.threshold.setVisible(proof.mark != "delta")
        if (space.id, self._model.current) != self._goal_shown:
            self._goal_shown = (space.id, self._model.current)
            self.easing.forget_solution()
        self.easing.refresh()
        self.show_measured(self._flow.measured)

    def space(self) -> Space:
        """What is proofed for."""
        return self._model.screen if self._model.proof.on_screen else self._model.state.proof_space()

    def _offer(self) -> None:
        state = self._model.state
        items = [
            ("", f"{state.proof_destination().name}, as ticked", ""),
            (_SCREEN, _SCREEN, "Colours that this screen cannot show"),
        ]
        spaces = {s.id: s for s in self._jobs.spaces.destinations()}
        if state.goal.space:
            spaces.setdefault(state.goal.space, state.proof_space())
        items += [(s.id, space_label(s), second_line(s)) for s in spaces.values()]
        now = [(self.goal.itemData(i), self.goal.itemText(i)) for i in range(self.goal.count())]
        if now != [i[:2] for i in items]:
            self.goal.clear()
            for identifier, name, tip in items:
                self.goal.addItem(name, identifier)
                self.goal.setItemData(self.goal.count() - 1, tip, Qt.ItemDataRole.ToolTipRole)
            self.goal.insertSeparator(2)
        wanted = _SCREEN if self._model.proof.on_screen else state.goal.space
        self.goal.setCurrentIndex(self.goal.findData(wanted))
        self._spaces = spaces

    def _choose(self) -> None:
        chosen = self.goal.currentData()
        self._model.proof.proof_screen(chosen == _SCREEN)
        if chosen == _SCREEN:
            return
        intent, black_point = Intent(self.intent.currentData()), self.black_point.isChecked()
        if not chosen and self._model.state.goal.space:  # back to the destination, which has its own way
            d = self._model.state.proof_destination()
            intent, black_point = d.intent, d.black_point
        self._jobs.proof.set_goal(self._spaces.get(chosen), intent, black_point)

    def _mark_chosen(self) -> None:
        self._model.proof.mark_by(self.mark.currentData())
        self._model.show_hatching(True)

    def choose(self, identifier: str) -> None:
        """Proof for a space by its id; empty for the ticked destination."""
        self.goal.setCurrentIndex(self.goal.findData(identifier))
        self._choose()

    def show_measured(self, measured: Measured | None) -> None:
        """Show what the destination cannot hold."""
        self.easing.show_measured(measured)
        if measured is None:
            self._figure.show_value("", "No picture is measured yet.")
            self._table.hide()
            self._diagnosis.setText("")
            self.sentence.setText("")
            return
        outside, name = measured.there_outside, measured.path.destination.name
        total = max(outside.pixels, 1)
        patch = f"; the largest patch is {percent(outside.largest / total)}" if outside.largest else ""
        eased = ", as eased," if measured.proofed.change is not None else ""
        self._figure.show_value(percent(outside.share), f"of this picture{eased} is out of gamut for {name}{patch}")
        self._table.show()
        self._table.show_shares(measured.path.destination.model, outside.shares())
        told = diagnosis(outside, measured.path.destination.model)
        if outside.by_hull:
            told += f" The tables of {name} lead back to other colours, so that the hull of all its colours decides here."
        self._diagnosis.setText(told)
        lost = measured.proofed.loss
        change = f" What it shows differs by ΔE {lost.mean:.1f} mean, {lost.p95:.1f} at the 95th percentile."
        when = "On hand-off" if not self._model.state.goal.space and not self._model.proof.on_screen else "Converted"
        how = f"eased, then converted: {Alters.BOTH.value}" if measured.proofed.change is not None else f"the {CONVERT}"
        cut = f"{percent(outside.share)} is cut off." if outside.outside else "nothing is cut off."
        to = f" to {name}" if when == "On hand-off" else ""
        goal = "" if to else f" to {name}"
        self.sentence.setText(f"{when}{goal}: {how}{to}; {cut}{change if outside.outside else ''}")


def _about(space: Space) -> str:
    """What a destination is, where that matters to the proof."""
    if isinstance(space, ICCSpace):
        light, a, b = white_seen(space)
        return f"Its white is L* {light:.0f}, a* {signed(a, 0)}, b* {signed(b, 0)}."
    return ""


def diagnosis(outside: Outside, model: str) -> str:
    """The largest loss in words, a colour problem told from a tone problem."""
    if outside.outside == 0:
        return "Nothing is out of gamut: no colour and no tone is lost."
    names = CHANNELS[model]
    ends = [(e.low, e.low_tone, "bottom", n) for e, n in zip(outside.channels, names, strict=True)]
    ends += [(e.high, e.high_tone, "top", n) for e, n in zip(outside.channels, names, strict=True)]
    most, tone, end, name = max(ends, key=lambda e: e[0])
    total = max(outside.pixels, 1)
    if most / total < 0.0005:
        by_tone = outside.tone > outside.outside / 2
        return f"{percent(outside.share)} is out of gamut by its {'tone' if by_tone else 'saturation'}."
    # in inks the end that is driven says little of light or dark
    light = ("bright", "dark") if model != "cmyk" else ("dark or too bright", "dark or too bright")
    extreme = light[0] if end == "top" else light[1]
    why = f"too {extreme}, a tone problem" if tone > most / 2 else f"too saturated, not too {extreme}"
    rest = outside.tone / total
    both = f" {share(rest)} % of the picture is out by its tone." if rest >= 0.0005 and tone <= most / 2 else ""
    return f"{name.capitalize()} at the {end}, {share(most / total)} %: {why}.{both}"


class _EndsTable(QWidget):
    """Shares by channel and end, right-aligned, units in the header."""

    def __init__(self) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(2)
        self._heads = [soft(text) for text in ("outside, %", "", "", "", "")]
        for column, label in enumerate(self._heads):
            label.setFont(theme.font(11, 600))
            label.setAlignment(Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft)
            grid.addWidget(label, 0, column)
        self._cells: list[list[Words]] = []
        for row, text in enumerate(("at the top", "at the bottom"), start=1):
            grid.addWidget(soft(text), row, 0)
            cells = [Words() for _ in range(4)]
            for column, cell in enumerate(cells, start=1):
                cell.setAlignment(Qt.AlignmentFlag.AlignRight)
                grid.addWidget(cell, row, column)
            self._cells.append(cells)
        grid.setColumnStretch(0, 2)
        for column in range(1, 5):
            grid.setColumnStretch(column, 1)

    def show_shares(self, model: str, shares: tuple[tuple[float, float], ...]) -> None:
        """Show the shares of each channel."""
        letters = {"rgb": "RGB", "cmyk": "CMYK", "gray": "K"}[model]
        for channel in range(4):
            there = channel < len(letters)
            self._heads[channel + 1].setText(letters[channel] if there else "")
            for row, end in enumerate((1, 0)):
                cell = self._cells[row][channel]
                value = shares[channel][end] if there else 0.0
                cell.setText(share(value) if there else "")
                cell.setFont(theme.font(13, 700 if value >= 0.0005 else 400))
