"""How the brush is set that paints where an easing or a look acts."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from velkin.app.model.proof_view import ProofView
from velkin.app.widgets.checkable import CheckBox, ToggleButton
from velkin.app.widgets.parts import Slide, row_of, soft
from velkin.core.gamut.easing import Stroke

Points = tuple[tuple[float, float, float], ...]


class BrushControls(QWidget):
    """Takes the brush up and sets it; there is one brush, whatever it paints into."""

    taken = pyqtSignal(bool)

    def __init__(self, proof: ProofView, name: str, what: str) -> None:
        super().__init__()
        self._proof = proof
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.brush = ToggleButton(name)
        self.brush.setToolTip(f"Paint where {what} acts; S makes the brush smaller and L larger, Shift drags the picture")
        self.erase = CheckBox("Erase")
        self.size_slide = Slide("Size", 0.004, 0.3, lambda v: f"{100 * v:.1f} %", 148)
        self.softness = Slide("Softness", 0.0, 1.0, lambda v: f"{100 * v:.0f} %")
        self.flow = Slide("Flow", 0.05, 1.0, lambda v: f"{100 * v:.0f} %", 95)
        column.addWidget(row_of(self.brush, self.erase))
        self.aside = soft()
        column.addWidget(self.aside)
        for slide, field in ((self.size_slide, "size"), (self.softness, "softness"), (self.flow, "flow")):
            column.addWidget(slide)
            slide.moved.connect(lambda v, f=field: proof.set_brush(**{f: v}))
            slide.settled.connect(lambda v, f=field: proof.set_brush(**{f: v}))
        self.brush.clicked.connect(self.taken)
        self.erase.clicked.connect(lambda on: proof.set_brush(erase=on))

    def show_painted(self, strokes: int, fits: bool) -> None:
        """Show what was painted."""
        counted = f"{strokes} stroke{'' if strokes == 1 else 's'}; S smaller, L larger, Shift drags the picture."
        lost = "Painted on a picture of another shape, before the source was cropped or turned: it is not applied. Paint anew."
        self.aside.setText(counted if fits else lost)

    def show_brush(self, taken: bool) -> None:
        """Show whether the brush is in hand, and how it is set."""
        brush = self._proof.brush
        self.brush.setChecked(taken)
        self.erase.setChecked(brush.erase)
        self.size_slide.show_value(brush.size)
        self.softness.show_value(brush.softness)
        self.flow.show_value(brush.flow)

    def stroke(self, points: Points) -> Stroke:
        """A stroke through points, as the brush is set."""
        b = self._proof.brush
        return Stroke(points, b.size, b.softness, b.flow, b.erase)
