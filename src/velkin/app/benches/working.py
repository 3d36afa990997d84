"""Working: the space edits happen in, and why one would choose it."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QLabel

from velkin.app.benches.parts import Bench, Facts, Figure, compact, soft
from velkin.app.desk import Desk
from velkin.app.service import Measured
from velkin.app.words import CONVERT, share
from velkin.core.spaces.rgb import BUILT_IN, RGBSpace

_WHY = {
    "srgb": "What screens and the web expect; saturated dyes and sea greens do not fit into it.",
    "oprgb": "Holds more greens and cyans than sRGB; much print and prepress work is exchanged in it.",
    "p3": "What many newer screens show; more reds and greens than sRGB.",
    "romm": "Holds nearly every colour a camera records, so that nothing is lost before a destination is chosen; use 16 bits.",
    "bt2020": "Wider than any screen; for pictures that will be shown in video.",
    "ecirgb": "Made for print: as wide as presses need, with steps of equal lightness.",
    "romm-linear": "The same colours as ROMM RGB in linear numbers; for compositing rather than for looking at.",
}


class WorkingBench(Bench):
    """The shoot's working space, and what it holds of this frame."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Working")
        self._desk = desk
        self._model = desk.model
        self._figure = Figure()
        self.column.addWidget(self._figure)
        self.section("Working space of the shoot")
        self._space = QComboBox()
        self._space.setAccessibleName("Working space of the shoot")
        for space in BUILT_IN.values():
            self._space.addItem(space.name + (f"   ({space.trade_name})" if space.trade_name else ""), space.id)
        self._space.activated.connect(self._chosen)
        self.column.addWidget(compact(self._space))
        self._why = QLabel()
        self._why.setWordWrap(True)
        self.column.addWidget(self._why)
        self.section("What it is")
        self._facts = Facts()
        self.column.addWidget(self._facts)
        self.section("This frame")
        self._frame = Facts()
        self.column.addWidget(self._frame)
        self.column.addWidget(soft("Camera to Working is a conversion: " + CONVERT + "."))
        self.end()
        self._model.changed.connect(self.refresh)
        self._model.selection_changed.connect(self.refresh)

    def refresh(self) -> None:
        """Follow the shoot."""
        if self._model.shoot is None:
            return
        space = self._model.state.working
        self._space.setCurrentIndex(self._space.findData(space.id))
        self._why.setText(_WHY[space.id])
        self._facts.show_rows(
            [
                ("White", "D50" if space.white[0] > 0.33 else "D65"),
                ("Red", _xy(space, 0)),
                ("Green", _xy(space, 1)),
                ("Blue", _xy(space, 2)),
            ]
        )
        self.sentence.setText(f"Frames are worked on in {space.name}, 32-bit float; nothing is clipped before the hand-off.")

    def show_measured(self, measured: Measured | None) -> None:
        """Show what the working space cannot hold of the frame."""
        if measured is None:
            self._figure.show_value("", "No picture is measured yet.")
            self._frame.show_rows([])
            return
        outside = measured.here_outside
        name = measured.path.working.name
        self._figure.show_value(f"{share(outside.share)} %", f"of this picture lies outside {name}, the shoot's working space")
        self._frame.show_rows(
            [
                (letter, f"{share(low)} % low, {share(high)} % high")
                for letter, (low, high) in zip("RGB", outside.shares(), strict=True)
            ]
        )

    def _chosen(self, index: int) -> None:
        space = BUILT_IN[self._space.itemData(index)]
        self._desk.command(lambda shoot: shoot.set_working(space))


def _xy(space: RGBSpace, channel: int) -> str:
    x, y = space.primaries[channel]
    return f"x {x:.4f}   y {y:.4f}"
