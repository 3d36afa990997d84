"""Picking on the picture: a click is a neutral, or the hue of an easing; Esc ends it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velkin.app.benches.benches import Benches
from velkin.app.context import Context
from velkin.app.model.proof_view import RESTS
from velkin.app.widgets.easing_view import EasingView
from velkin.core.spaces.oklab import hue_of, xyz_to_oklab

if TYPE_CHECKING:
    from velkin.app.benches.easing import EasingSection
    from velkin.app.benches.look import LookSection


class Picking:
    """What is picked on the viewer."""

    def __init__(self, context: Context, view: EasingView, benches: Benches) -> None:
        self._jobs = context.jobs
        self._model = context.model
        self._flow = context.flow
        self._view = view
        self._benches = benches
        context.model.picking_changed.connect(self._explain)
        view.picked.connect(self._picked)
        self._explained = ""

    def strokes_for(self, section: EasingSection | LookSection) -> None:
        """Give what is brushed on the picture to a bench's section; it looks whether its own brush is in the hand."""
        self._view.stroking.connect(section.stroking)
        self._view.stroked.connect(section.stroked)

    def neutral(self) -> None:
        """Begin or end picking a neutral."""
        frame = self._model.frame
        if frame is not None and not frame.is_raw:
            self._model.say("White balance is for raw frames; a pin with the target neutral shows how far a grey is off here.")
        elif frame is not None and self._model.open_bench("camera"):
            self._model.pick("" if self._model.picking == "neutral" else "neutral")

    def end(self) -> bool:
        """End picking, or lay the easing brush down; whether either was in hand."""
        if self._model.picking:
            self._model.pick("")
        elif self._model.proof.brushing:
            self._model.proof.paint(RESTS)
        else:
            return False
        return True

    def _explain(self, what: str) -> None:
        if what == "hue" and self._explained != what:
            self._model.say("Click the colour whose hue is to be eased. Esc ends picking.")
        elif what == "neutral" and self._explained != what:
            self._model.say("Click what was neutral in front of the lens: a grey card, a grey patch. Esc ends picking.")
        self._explained = what

    def _picked(self, x: float, y: float) -> None:
        """A point of the full picture."""
        frame, what = self._model.frame, self._model.picking
        if frame is not None and what == "hue":
            hue = self.hue_at(x, y)
            if hue is not None:
                self._benches.proof.easing.hue_picked(hue)
                self._model.say(f"Hues round {hue:.0f}° are eased; the ring on the bench says how wide.")
        elif frame is not None and what == "neutral":
            self._jobs.camera.pick_neutral(frame.id, (x, y), self._model.picked_area, self._model.selected)
        self._model.pick("")

    def hue_at(self, x: float, y: float) -> float | None:
        """The hue of the picture before easing, degrees in Oklab, round a point of the full picture; None before it is there."""
        r, frame = self._flow.rendered, self._model.frame
        if r is None or frame is None or r.frame != frame.id:
            return None
        height, width = r.working.shape[:2]
        row = min(int(y / frame.facts.height * height), height - 1)
        column = min(int(x / frame.facts.width * width), width - 1)
        patch = r.working[max(row - 2, 0) : row + 3, max(column - 2, 0) : column + 3].reshape(-1, 3).mean(axis=0)
        return float(hue_of(xyz_to_oklab(r.path.working.to_xyz @ patch)))
