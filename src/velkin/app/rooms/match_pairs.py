"""The evidence of a match, beside the picture: its pairs, what adds to them, and what is done with the selected one."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QComboBox, QMenu, QPushButton, QVBoxLayout, QWidget

from velkin.app.widgets.change_views import screen_codes
from velkin.app.widgets.pair_list import PairList, PairRow
from velkin.app.widgets.parts import Heading, button, compact, row_of, soft
from velkin.core.looks.to_targets import PIN
from velkin.core.match.draft import Draft, key
from velkin.core.match.outcome import Outcome
from velkin.core.match.pair import Origin, Pair

#: How much a pair may count.
_WEIGHTS = (0.25, 0.5, 1.0, 2.0, 4.0)


class EvidencePanel(QWidget):
    """Shows pairs and says what is wanted of them; it decides nothing itself."""

    charts_wanted = pyqtSignal()
    aligned_wanted = pyqtSignal()
    area_wanted = pyqtSignal()
    left_out_wanted = pyqtSignal()
    pins_wanted = pyqtSignal()
    leaving_out = pyqtSignal()
    removing = pyqtSignal()
    weighed = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setMinimumWidth(240)
        self.setMaximumWidth(292)
        self.pairs = PairList()
        self.pairs.leaving_out.connect(self.leaving_out)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 8, 10)
        column.setSpacing(6)
        self._heading = Heading("Pairs")
        column.addWidget(self._heading)
        column.addWidget(self.pairs, 1)
        column.addWidget(soft("left: here; right: wanted; notch: got; ΔE00"))
        self.add = QPushButton("Add pairs")
        self.add.setToolTip("From charts, an aligned picture, or pins")
        self.add.setMenu(self._menu())
        tip = "Leave the selected pair out of the match, or take it in again (Del)"
        self.out = button("Leave out", self.leaving_out.emit, tip=tip)
        column.addWidget(row_of(self.add, self.out))
        self.weight = compact(QComboBox())
        for weight in _WEIGHTS:
            self.weight.addItem(f"counts × {weight:g}", weight)
        self.weight.setAccessibleName("How much the selected pair counts")
        self.weight.activated.connect(lambda n: self.weighed.emit(float(self.weight.itemData(n))))
        self.clear = button("Remove all", self.removing.emit, tip="Begin anew; pins stay")
        column.addWidget(row_of(self.weight, self.clear))

    def _menu(self) -> QMenu:
        menu = QMenu(self.add)
        menu.addAction("From the &charts", self.charts_wanted.emit)
        aligned = menu.addAction("From the reference as an &aligned picture", self.aligned_wanted.emit)
        area = menu.addAction("&Leave an area out of it: drag over it", self.area_wanted.emit)
        used = menu.addAction("Show what of it was left &out", self.left_out_wanted.emit)
        menu.addAction("From &pins: click in both pictures", self.pins_wanted.emit)
        assert aligned is not None and area is not None and used is not None
        used.setCheckable(True)
        self._used, self._of_aligned = used, (aligned, area, used)
        return menu

    @property
    def shows_left_out(self) -> bool:
        """Whether what was left out of an aligned picture is to be seen."""
        return self._used.isChecked()

    def offer_aligned(self, on: bool) -> None:
        """Whether there is a picture that could be aligned."""
        for action in self._of_aligned:
            action.setEnabled(on)
            action.setToolTip("" if on else "Choose a frame as the reference first")

    def show_pairs(self, draft: Draft, found: Outcome | None, names: dict[str, str]) -> None:
        """Show all pairs of a draft with what became of them; `names` are those of patches by their ids."""
        rows = []
        if found is not None:
            here, wanted, got = (
                [QColor(*(int(v) for v in c)) for c in screen_codes(x)] for x in (found.here, found.wanted, found.got)
            )
            rows = [
                PairRow(
                    p.origin,
                    p.name,
                    _named(p, names),
                    (here[n], wanted[n], got[n]),
                    float(found.errors[n]),
                    draft.weight(p),
                    key(p) in draft.left_out,
                )
                for n, p in enumerate(draft.pairs)
            ]
        self.pairs.show_pairs(rows)
        self._heading.setText(f"Pairs   {len(draft.used)}" if rows else "Pairs")
        self.clear.setEnabled(bool(rows))

    def show_choice(self, draft: Draft) -> int:
        """Show what can be done with the selected pair; the number of its pin, 0 where it has none."""
        chosen = self.pairs.chosen()
        self.out.setEnabled(chosen is not None)
        self.weight.setEnabled(chosen is not None)
        self.out.setText("Take in" if chosen in draft.left_out else "Leave out")
        pair = next((p for p in draft.pairs if key(p) == chosen), None)
        weight = 1.0 if pair is None else draft.weight(pair)
        self.weight.setCurrentIndex(min(range(len(_WEIGHTS)), key=lambda n: abs(_WEIGHTS[n] - weight)))
        number = chosen[1].removeprefix(PIN) if chosen is not None and chosen[0] in (Origin.PINS, Origin.NUMBER) else ""
        return int(number) if number.isdigit() else 0


def _named(pair: Pair, names: dict[str, str]) -> str:
    """A pair's name in the list: a patch with what it is called, a pin with its number."""
    if pair.origin is Origin.CHART and names.get(pair.name, pair.name) != pair.name:
        return f"{pair.name}  {names[pair.name]}"
    return f"{PIN}{pair.name}" if pair.origin is Origin.PINS else pair.name
