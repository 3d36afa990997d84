"""The match room's bench: how near it comes, greys, amounts, even or exact with its price, and what it cannot do."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QVBoxLayout

from velkin.app.widgets.checkable import CheckBox, RadioButton
from velkin.app.widgets.parts import WIDTH, Bench, Figure, Slide, button, row_of, soft
from velkin.app.words import count
from velkin.core.match.baked import Amounts
from velkin.core.match.course import colour_words
from velkin.core.match.outcome import Outcome, Price
from velkin.core.match.solver import Greys, Learnt, Wish
from velkin.core.stages.stage import Alters

_GREYS: tuple[tuple[Greys, str], ...] = (
    ("reference", "as in the reference"), ("neutral", "made neutral"), ("keep", "left as they are"),
)  # fmt: skip


class MatchBench(Bench):
    """Shows a match in the making and says what is wanted with it; it decides nothing itself."""

    wished = pyqtSignal(object, bool)  # Wish; whether a drag goes on
    amounts_wished = pyqtSignal(object, bool)  # Amounts; whether a drag goes on
    give_wanted = pyqtSignal(bool)  # to all of the light, or this frame only
    shelf_wanted = pyqtSignal()
    export_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__("Match")
        self.setFixedWidth(WIDTH)
        self._wish, self._amounts = Wish(), Amounts()
        self.figure = Figure()
        self.figure.setMinimumHeight(46)
        self.column.addWidget(self.figure)
        self.section("Greys and tone")
        choices = QVBoxLayout()
        choices.setSpacing(2)
        self.greys = QButtonGroup(self)
        for number, (_, words) in enumerate(_GREYS):
            choice = RadioButton(words)
            self.greys.addButton(choice, number)
            choices.addWidget(choice)
        self.greys.idClicked.connect(lambda n: self._wish_for(greys=_GREYS[n][0]))
        self.ends = CheckBox("Black and white stay")
        self.ends.clicked.connect(lambda on: self._wish_for(fixed_ends=on))
        self.normalise = CheckBox("Bring a flat picture to normal first")
        self.normalise.clicked.connect(lambda on: self._wish_for(normalise="auto" if on else "none"))
        choices.addWidget(self.ends)
        choices.addWidget(self.normalise)
        self.flat = soft()
        choices.addWidget(self.flat)
        self.column.addLayout(choices)
        self.section("How much")
        self.colour = Slide("Colour", 0.0, 1.0, lambda v: f"{100 * v:.0f} %", 100, 92)
        self.lightness = Slide("Lightness", 0.0, 1.0, lambda v: f"{100 * v:.0f} %", 100, 92)
        for slide in (self.colour, self.lightness):
            slide.moved.connect(lambda _: self._take(True))
            slide.settled.connect(lambda _: self._take(False))
            self.column.addWidget(slide)
        self.section("Even or exact")
        self.exact = Slide("even to exact", 0.0, 1.0, lambda v: f"{v:.2f}", 100, 92)
        self.exact.moved.connect(lambda v: self._wish_for(True, exact=v))
        self.exact.settled.connect(lambda v: self._wish_for(exact=v))
        self.column.addWidget(self.exact)
        self.by_itself = CheckBox("found by leaving pairs out in turn")
        self.by_itself.clicked.connect(self._found_by_itself)
        self.column.addWidget(self.by_itself)
        self.price = soft()
        self.price.setMinimumHeight(2 * self.price.fontMetrics().lineSpacing() + 2)
        self.column.addWidget(self.price)
        self.section("What it cannot do")
        self.cannot = soft()
        self.column.addWidget(self.cannot)
        self.end()
        self.give = button("", lambda: self.give_wanted.emit(True), primary=True)
        self.only = button("Only this frame", lambda: self.give_wanted.emit(False))
        self.export = button("Export…", self.export_wanted.emit, tip="As a table, an ICC profile, or Velkin's own file")
        self.keep = button(
            "Keep", self.shelf_wanted.emit, tip="On the shelf of matches, with its pairs, for the next shoot of the same chart"
        )
        for other in (self.only, self.keep, self.export):
            other.setProperty("narrow", True)
        self.foot.addWidget(self.give)
        self.foot.addWidget(row_of(self.only, self.keep, self.export))

    # ---- what is wished ---------------------------------------------------------------------------------------

    def _wish_for(self, dragging: bool = False, **changes: object) -> None:
        self._wish = replace(self._wish, **changes)  # type: ignore[arg-type]
        self.wished.emit(self._wish, dragging)

    def _found_by_itself(self, on: bool) -> None:
        self._wish_for(exact=None if on else self.exact.value())

    def _take(self, dragging: bool) -> None:
        self._amounts = Amounts(self.colour.value(), self.lightness.value())
        self.amounts_wished.emit(self._amounts, dragging)

    def show_wish(self, wish: Wish, amounts: Amounts) -> None:
        """Show how the match is learnt, and how much of it is taken."""
        self._wish, self._amounts = wish, amounts
        shown = self.greys.button([g for g, _ in _GREYS].index(wish.greys))
        assert shown is not None
        shown.setChecked(True)
        self.by_itself.setChecked(wish.exact is None)
        self.ends.setChecked(wish.fixed_ends)
        self.ends.setEnabled(wish.greys != "keep")
        self.normalise.setChecked(wish.normalise == "auto")
        self.colour.show_value(amounts.colour)
        self.lightness.show_value(amounts.lightness)

    # ---- what came of it --------------------------------------------------------------------------------------

    def show_nothing(self, words: str) -> None:
        """Show that there is no match, and what to do."""
        self.figure.show_value("", words)
        self.price.setText("")
        self.flat.hide()
        self.cannot.setText("")
        for action in (self.give, self.only, self.keep, self.export):
            action.setEnabled(False)
        self.exact.setEnabled(False)

    def show_learnt(self, learnt: Learnt, found: Outcome, wish: Wish) -> None:
        """Show how near a match comes to its pairs (`found`), and what it cannot do."""
        f = learnt.figures
        many = len(learnt.match.pairs)
        left = f"; pairs left out: {f.leave_one_out:.1f}" if many > 1 else ""
        self.figure.show_value(
            f"ΔE {found.errors.mean():.1f}", f"mean at {count(many, 'pair')}, {found.before.mean():.1f} before{left}"
        )
        self.exact.setEnabled(True)
        self.exact.show_value(f.exact)
        normalising = learnt.match.normalising
        flat = "It was flat: " + f"chroma × {normalising.chroma:.2f}, and a curve of lightness, come first."
        self.flat.setText(
            flat if normalising.changes else "It is not flat; nothing is done." if wish.normalise == "auto" else ""
        )
        self.flat.setVisible(bool(self.flat.text()))
        self.cannot.setText(" ".join(self._limits(learnt, found)))
        for action in (self.give, self.only, self.keep, self.export):
            action.setEnabled(True)

    @staticmethod
    def _limits(learnt: Learnt, found: Outcome) -> list[str]:
        f, many = learnt.figures, len(learnt.match.pairs)
        part = f.exact < 0.99 and found.errors.mean() > 0.5 * found.before.mean() > 0.5
        words = ["The pairs are met in part only; take the slider towards exact for more."] if part else []
        words += [f"{c.words()}." for c in f.contradictions[:2]]
        if len(f.contradictions) > 2:
            words.append(f"{count(len(f.contradictions) - 2, 'more contradiction')}.")
        if f.steepness.folds > 0:
            words.append("It folds: some colours would change places. Take the slider towards even.")
        times = f.steepness.largest_gain / max(f.steepness.grey_gain, 1e-6)
        if times > 4.0:
            words.append(
                f"Small differences among {colour_words(f.steepness.at)} become {times:.1f} times as large as among the greys: noise shows there."
            )
        if many == 1:
            words.append("One pair says little of other colours: only what lies near it moves.")
        elif not any(p.here != p.wanted for p in learnt.match.pairs):
            words.append("The pairs are alike already: there is nothing to change.")
        return words or ["No limit was found: the pairs agree, and nothing folds."]

    def show_prices(self, prices: tuple[Price, ...], learnt: Learnt) -> None:
        """What more even and more exact would cost."""
        now = learnt.figures
        if not prices:
            self.price.setText("")
            return
        lines = []
        even, exact = prices[0], prices[-1]
        if now.exact < 0.99:
            lines.append(
                f"Exact: {_than(exact.mean, now.mean)} at the pairs, {_than(exact.left_out, now.leave_one_out)} at pairs left out."
            )
        if now.exact > 0.01:
            lines.append(
                f"Even: {_than(even.mean, now.mean)} at the pairs, {_than(even.left_out, now.leave_one_out)} at pairs left out."
            )
        self.price.setText(" ".join(lines))

    def show_foot(self, frames: int, light: str, name: str, amounts: Amounts) -> None:
        """The closing sentence: what the main action does."""
        self.give.setText(f"Match the {frames} frames of this light" if frames > 1 else "Match this frame")
        self.only.setEnabled(frames > 1 and self.give.isEnabled())
        shares = (("colour", amounts.colour), ("lightness", amounts.lightness))
        taken = "".join(f", {what} by {100 * share:.0f} %" for what, share in shares if share < 1.0)
        where = f"On {count(frames, 'frame')} of {light}" if frames > 1 else f"On {name}"
        self.sentence.setText(f"{where}: {Alters.BOTH.value}{taken}. Undone in one step.")


def _than(other: float, now: float) -> str:
    """How an error compares with the present one."""
    off = other - now
    if abs(off) < 0.05:
        return "as near"
    return f"{abs(off):.1f} ΔE {'further off' if off > 0 else 'nearer'}"
