"""The part of the window that looks at pixels: it asks for the frame in the viewer as it is to be seen, and gives viewer, scope,
stops, benches and status line what comes back. Numbers of another frame or path are never left standing.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QTimer

from velkin.app.flow.drawing import Measured, Rendered, Seen, pooled
from velkin.app.flow.readout import numbers_under
from velkin.app.flow.stops import stops_of
from velkin.app.words import share
from velkin.core.tags.ledger import CONVERT as CONVERTED

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QStackedWidget

    from velkin.app.actions.proof import ProofActions
    from velkin.app.actions.space import SpaceActions
    from velkin.app.benches.proof import ProofBench
    from velkin.app.benches.working import WorkingBench
    from velkin.app.flow.service import RenderService
    from velkin.app.menus import Menus
    from velkin.app.model.shoot_model import ShootModel
    from velkin.app.rooms.chart_room import ChartRoom
    from velkin.app.widgets.easing_view import EasingView
    from velkin.app.widgets.frames_panel import FramesPanel
    from velkin.app.widgets.path_bar import PathBar
    from velkin.app.widgets.scope import Scope
    from velkin.app.widgets.status_line import StatusLine


class Viewing:
    """Mixed into the window."""

    model: ShootModel
    service: RenderService
    view: EasingView
    scope: Scope
    status: StatusLine
    path_bar: PathBar
    frames: FramesPanel
    menu: Menus
    rooms: QStackedWidget
    chart_room: ChartRoom
    proof_bench: ProofBench
    working_bench: WorkingBench
    proofs: ProofActions
    spaces: SpaceActions
    rendered: Rendered | None
    measured: Measured | None
    _pointer: tuple[float, float] | None
    _sharper_due: QTimer
    _thumbnails_due: QTimer

    if TYPE_CHECKING:

        def _draw_thumbnails(self) -> None: ...

    def follow_path(self) -> None:
        """The picture is to be seen another way, or its path is tried otherwise."""
        self._render()
        self._captions()

    def _render(self) -> None:
        frame, path = self.model.frame, self.model.path()
        if frame is None or path is None:
            return
        if self.measured is not None and (self.measured.frame, self.measured.path) != (frame.id, path):
            self.measured = None
        self._pointed(self._pointer)  # numbers of another frame or path are never left standing
        others = tuple(zip(self.model.other_paths(), self.model.looks_there(), strict=False))
        self.service.show(frame.id, frame.path, path, self.seen(), others, self.model.proof.dragging)
        self._show_stops()

    def seen(self) -> Seen:
        """How the viewer shows the picture now; the chart room is given the whole half-size picture, plain."""
        proof, view = self.model.proof, self.view
        if self.rooms.currentWidget() is self.chart_room:
            return Seen(self.model.screen)
        there = proof.shown or (self.model.before and not self.model.tried and self.model.against[0] == "there")
        return Seen(
            self.model.screen,
            view.fitted(),
            view.visible(),
            view.scale * view.devicePixelRatioF(),
            there,
            proof.paper,
            proof.mark if self.model.hatching else "",
            proof.threshold,
        )

    def _show_stops(self) -> None:
        frame, path = self.model.frame, self.model.path()
        if frame is not None and path is not None:
            tried = "" if not self.model.tried or self.model.before else "if given"
            if tried and self.model.tried[-1].verb == CONVERTED:
                tried = "if converted"
            stops = stops_of(
                self.model.state, frame.id, path, self.measured, self.model.written(), tried, self.model.proof_name()
            )
            self.path_bar.show_stops(stops)

    def _rendered(self, rendered: Rendered) -> None:
        frame = self.model.frame
        if frame is None or rendered.frame != frame.id or rendered.path != self.model.path():
            return
        self.rendered = rendered
        size = (frame.facts.width, frame.facts.height)
        self.view.set_picture(rendered.image, size, rendered.hatch)
        if rendered.now.part is not None:
            left, top, width, height = rendered.now.part_at
            at = QRectF(left * size[0], top * size[1], width * size[0], height * size[1])
            self.view.set_part(rendered.now.part, rendered.now.part_hatch, at)
        looks = self.model.against if self.model.comparison == "grid" else self.model.against[:1]
        names = ("now", *(self.model.look_words(look) for look in looks))
        if self.model.tried:
            entry = self.model.tried[-1]
            space = self.model.space(entry.space).name
            found = "now" if self.model.state.path(frame.id).known else f"as found: shown as {rendered.path.start.name} for now"
            names = (f"converted to {space}" if entry.verb == CONVERTED else f"given {space}: the same numbers", found)
        others = rendered.others
        self.view.show_others(
            self.model.comparison if others else "off", tuple(o.image for o in others), names, tuple(o.part for o in others)
        )
        self._hatch_all()
        self._pointed(self._pointer)
        self.spaces.show_pins()
        self._captions()
        if self._thumbnails_due.isActive():
            self._thumbnails_due.start(30)

    def _failed(self, frame: int, text: str) -> None:
        if frame == self.model.current:
            self.view.clear()
            self.view.empty_text = "This picture cannot be shown; the reason is above"
            self.rendered = self.measured = None
            self._pointed(None)
            self._show_measured()  # numbers of the frame before must not stand beside an empty picture
            self.model.report(f"{text}. Its place in the shoot is kept; Frame ▸ Find a missing source… brings it back.")

    def _measured(self, measured: Measured) -> None:
        if measured is not self.measured and measured.frame == self.model.current and measured.path == self.model.path():
            self.measured = measured
            self._show_measured()
            self._hatch_all()

    def _hatch_all(self) -> None:
        """Hatch by the mask of the half size: what is smaller than a pixel of the screen is not left out."""
        m, r, proof = self.measured, self.rendered, self.model.proof
        if m is None or m.mask is None or r is None or r.path != m.path or r.hatch is None or proof.threshold > 0:
            return
        self.view.set_hatch(pooled(m.mask, r.hatch.width(), r.hatch.height()))

    def _show_measured(self) -> None:
        name = self.model.proof_name() if self.model.shoot is not None else ""
        self.scope.show_measured(self.measured, name)
        self.proof_bench.show_measured(self.measured)
        self.working_bench.show_measured(self.measured)
        self._show_stops()
        self._captions()

    def _captions(self) -> None:
        frame = self.model.frame
        if frame is None:
            return
        zoom = 100 * self.view.scale * self.view.devicePixelRatioF()
        left = f"{frame.name}   {'fit, ' if self.view.is_fit else ''}{zoom:.0f} %"
        if self.model.before:
            left += f"   before: {self.model.look_words(self.model.against[0])}"
        elif self.model.proof.shown:
            left += f"   at {self.model.proof_name()}"
        if not frame.is_raw and frame.picture.alpha:
            left += "   transparent parts over white"
        right = ""
        if self.model.hatching and self.measured is not None and self.rendered is not None:
            what = {"hatch": "hatched: outside", "delta": "ΔE map: outside", "only": "only what is outside"}
            goal = self.measured.path.destination.name
            right = f"{what[self.model.proof.mark]} {goal}, {share(self.measured.there_outside.share)} %"
        self.view.set_captions(left, right)

    def _screen_changed(self) -> None:
        self._render()
        self.frames.list.forget_thumbnails()
        self._draw_thumbnails()
        self.proof_bench.refresh()

    def _hatching(self, on: bool) -> None:
        self.menu.hatch.setChecked(on)
        self.view.show_hatch = on
        self.proofs.show_legend()
        self._captions()
        self._render()

    def _compared(self) -> None:
        self.menu.show_comparison()
        if self.model.comparison == "off":
            self.view.show_others("off", (), ())
        self._render()

    def _zoomed(self, scale: float) -> None:
        self._captions()
        if self.rendered is not None and self.seen() != self.rendered.seen:
            self._sharper_due.start()

    def _pointed(self, at: tuple[float, float] | None) -> None:
        self._pointer = at
        r, frame = self.rendered, self.model.frame
        if at is None or r is None or frame is None or r.frame != frame.id or r.path != self.model.path():
            self.status.show_numbers("", "", "", "")
        else:
            self.status.show_numbers(*numbers_under(at, r, (frame.facts.width, frame.facts.height)))
