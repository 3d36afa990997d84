"""Proof: what the chosen destination can hold of this picture, and where it cannot."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLabel, QWidget

from velkin.app import theme
from velkin.app.benches.parts import Bench, Facts, Figure, soft
from velkin.app.desk import Desk
from velkin.app.service import Measured
from velkin.app.words import CONVERT, share


class ProofBench(Bench):
    """The share outside, by channel and end, and hatching."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Proof")
        self._model = desk.model
        self._figure = Figure()
        self.column.addWidget(self._figure)
        self._table = _EndsTable()
        self.column.addWidget(self._table)
        self._diagnosis = QLabel()
        self._diagnosis.setWordWrap(True)
        self.column.addWidget(self._diagnosis)
        self.section("Destination")
        self._destination = Facts()
        self.column.addWidget(self._destination)
        self.section("Mark")
        self.hatching = QCheckBox("Hatch what is outside   X")
        self.hatching.setToolTip("Hatch on the picture what the destination cannot hold (X)")
        self.hatching.toggled.connect(self._model.show_hatching)
        self.column.addWidget(self.hatching)
        self.column.addWidget(soft("Hatching is black and white, so that it cannot be mistaken for a colour of the picture."))
        self.end()
        self._model.hatching_changed.connect(self.hatching.setChecked)
        self._model.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Follow the shoot's destination."""
        if self._model.shoot is None:
            return
        d = self._model.state.proof_destination()
        edge = f"long edge {d.long_edge}" if d.long_edge else "full size"
        self._destination.show_rows(
            [
                ("Name", d.name),
                ("Space", d.space.name),
                ("Intent", "media-relative colorimetric"),
                ("File", f"JPEG 8-bit, {edge}, quality {d.quality}"),
            ]
        )

    def show_measured(self, measured: Measured | None) -> None:
        """Show what the destination cannot hold."""
        if measured is None:
            self._figure.show_value("", "No picture is measured yet.")
            self._table.hide()
            self._diagnosis.setText("")
            self.sentence.setText("")
            return
        outside, name = measured.there_outside, measured.path.destination.name
        self._figure.show_value(f"{share(outside.share)} %", f"of this picture lies outside {name}")
        self._table.show()
        self._table.show_shares(outside.shares())
        self._diagnosis.setText(_diagnosis(outside.shares()))
        if outside.outside:
            self.sentence.setText(f"On hand-off the {CONVERT} to {name}; {share(outside.share)} % of the picture is cut off.")
        else:
            self.sentence.setText(f"On hand-off the {CONVERT} to {name}; nothing is cut off.")


def _diagnosis(shares: tuple[tuple[float, float], ...]) -> str:
    """The largest loss in words, a colour problem told from a tone problem."""
    names = ("red", "green", "blue")
    worst, end = max(((c, e) for c in range(3) for e in range(2)), key=lambda ce: shares[ce[0]][ce[1]])
    value = shares[worst][end]
    if value < 0.0005:
        return "No channel is driven to an end."
    at = "bottom" if end == 0 else "top"
    all_together = min(s[end] for s in shares) > 0.5 * value
    if all_together:
        why = "too dark, in all channels together" if end == 0 else "too bright, in all channels together"
    else:
        why = "too saturated, not too dark" if end == 0 else "too saturated, not too bright"
    return f"{names[worst].capitalize()} at the {at}, {share(value)} %: {why}."


class _EndsTable(QWidget):
    """Shares by channel and end, right-aligned, units in the header."""

    def __init__(self) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(2)
        self._cells: list[list[QLabel]] = []
        for column, text in enumerate(("outside, %", "R", "G", "B")):
            label = soft(text)
            label.setFont(theme.font(11, 600))
            label.setAlignment(Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft)
            grid.addWidget(label, 0, column)
        for row, text in enumerate(("at the top", "at the bottom"), start=1):
            grid.addWidget(soft(text), row, 0)
            cells = [QLabel() for _ in range(3)]
            for column, cell in enumerate(cells, start=1):
                cell.setAlignment(Qt.AlignmentFlag.AlignRight)
                grid.addWidget(cell, row, column)
            self._cells.append(cells)
        grid.setColumnStretch(0, 2)
        for column in (1, 2, 3):
            grid.setColumnStretch(column, 1)

    def show_shares(self, shares: tuple[tuple[float, float], ...]) -> None:
        """Show the shares of each channel."""
        for row, end in enumerate((1, 0)):
            for channel in range(3):
                value = shares[channel][end]
                cell = self._cells[row][channel]
                cell.setText(share(value))
                cell.setFont(theme.font(13, 700 if value >= 0.0005 else 400))
