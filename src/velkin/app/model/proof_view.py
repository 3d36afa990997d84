"""How the window looks at the destination: shown on the picture or not, what is marked, the brush, and easings that are only tried."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PyQt6.QtCore import QObject, pyqtSignal

from velkin.core.gamut.easing import Easing
from velkin.core.gamut.simulation import PLAIN, Paper

#: Ways to mark what is outside, with their words.
MARKS = {"hatch": "hatching", "delta": "a ΔE map", "only": "only these pixels"}


#: The brush rests, or paints where the look of the frame in the viewer acts; from 0 on it paints into that easing.
RESTS, ON_LOOK = -1, -2


@dataclass(frozen=True)
class Brush:
    """The easing brush as it is set: shares of the picture's longest side and of what there is."""

    size: float = 0.06
    softness: float = 0.5
    flow: float = 1.0
    erase: bool = False


class ProofView(QObject):
    """What of the proof is seen; nothing of it is kept in the shoot."""

    changed = pyqtSignal()  # the picture is to be shown another way
    tried = pyqtSignal(bool)  # easings are tried; whether they are being dragged
    brush_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.shown = False
        self.paper: Paper = PLAIN
        self.mark = "hatch"
        self.threshold = 0.0
        #: Whether the screen itself is proofed for.
        self.on_screen = False
        #: Easings of the frame in the viewer that are only tried.
        self.trial: tuple[Easing, ...] | None = None
        self.dragging = False
        #: The easing that the brush paints into, or `RESTS`, or `ON_LOOK`.
        self.painting = RESTS
        self.brush = Brush()

    def _set(self, name: str, value: object) -> None:
        if getattr(self, name) != value:
            setattr(self, name, value)
            self.changed.emit()

    def show(self, on: bool) -> None:
        """Show the picture as it is at the destination."""
        self._set("shown", on)

    def simulate(self, white: bool, black: bool) -> None:
        """Simulate the medium's white, or its black; white brings black along."""
        self._set("paper", Paper(white, black or white))

    def mark_by(self, mark: str) -> None:
        """Mark what is outside in another way."""
        self._set("mark", mark)

    def mark_from(self, threshold: float) -> None:
        """Mark what is lost from a ΔE on."""
        self._set("threshold", threshold)

    def proof_screen(self, on: bool) -> None:
        """Proof for the screen that the window is on."""
        self._set("on_screen", on)

    def try_easings(self, easings: tuple[Easing, ...] | None, dragging: bool = False) -> None:
        """Show other easings than the shoot keeps; None ends it."""
        if easings != self.trial or dragging != self.dragging:
            self.trial, self.dragging = easings, dragging
            self.tried.emit(dragging)

    def paint(self, index: int) -> None:
        """Take up the brush for an easing or the look, or lay it down."""
        if index != self.painting:
            self.painting = index
            self.brush_changed.emit()

    @property
    def brushing(self) -> bool:
        """Whether the brush is in hand."""
        return self.painting != RESTS

    def set_brush(self, **what: float | bool) -> None:
        """Set the brush."""
        self.brush = replace(self.brush, **what)  # type: ignore[arg-type]
        self.brush_changed.emit()
