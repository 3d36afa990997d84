"""The viewer of the frame at hand: it follows model and picture flow, and tells them where the pointer is and how it holds the picture."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QContextMenuEvent, QImage, QPainter, QPen

from velkin.app import theme
from velkin.app.flow.drawing import Rendered, pooled
from velkin.app.flow.picture_flow import Geometry, PictureFlow
from velkin.app.model.shoot_model import ShootModel
from velkin.app.widgets.easing_view import EasingView
from velkin.app.words import percent
from velkin.core.tags.ledger import Verb

NO_SHOOT = "Make or open a shoot to begin"
NO_FRAME = "Drop raw files or pictures here, or add them from the Shoot menu"
#: Pixels of the source along the loupe, and how many pixels of the screen each gets.
_LOUPE, _ENLARGED = 27, 7
_MARKED = {
    "hatch": "hatched: out of gamut for",
    "delta": "ΔE map: out of gamut for",
    "only": "only what is out of gamut for",
}


class FrameView(EasingView):
    """The window's viewer."""

    menu_wanted = pyqtSignal(QPoint)

    def __init__(self, model: ShootModel, flow: PictureFlow) -> None:
        super().__init__(model.proof)
        self._model = model
        self._flow = flow
        #: Said in the place of the picture while there is no shoot; what is being made or opened.
        self._opening = ""
        flow.geometry = self._geometry
        flow.shown.connect(self._show)
        flow.glimpsed.connect(self._glimpse)
        flow.reading.connect(self._reading)
        flow.failed.connect(self._failed)
        flow.measured_changed.connect(self._measured)
        self.pointed.connect(self._point)
        self.zoomed.connect(lambda _: self._zoomed())
        model.changed.connect(lambda _: self._follow())
        model.selection_changed.connect(self._follow)
        model.before_changed.connect(lambda _: self._captions())
        model.hatching_changed.connect(lambda _: self._marking())
        model.comparison_changed.connect(self._compared)
        model.picking_changed.connect(self._picking)
        model.loupe_changed.connect(lambda _: self.update())
        model.proof.changed.connect(self._marking)
        self._follow()

    def _geometry(self) -> Geometry:
        return Geometry(self.fitted(), self.visible(), self.scale * self.devicePixelRatioF())

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None and self._model.frame is not None:
            self.menu_wanted.emit(event.globalPos())

    @property
    def ready(self) -> bool:
        """Picking, brush and pins wait until the picture is that of the frame at hand."""
        return self.has_picture and self._flow.ready

    def say_instead(self, text: str) -> None:
        """What to say while there is no shoot: what is being opened or made; empty for how to begin."""
        self._opening = text
        self._follow()

    # ---- following --------------------------------------------------------------------------------------------

    def _follow(self) -> None:
        frame = self._model.frame
        if frame is None:
            self.empty_text = (self._opening or NO_SHOOT) if self._model.shoot is None else NO_FRAME
            self.clear()
            self.set_pins(())
            self.set_captions("", "")
            return
        self.set_pins(tuple((p.x, p.y) for p in frame.pins))
        if self._model.comparison == "off":
            self.show_others("off", (), ())
        self._captions()

    def _reading(self, name: str) -> None:
        if name:
            self.clear()
            self.empty_text = f"Reading {name} …"
            self.update()

    def _failed(self, text: str) -> None:
        self.clear()
        self.empty_text = f"{text}. Its place in the shoot is kept; Frame ▸ Find a missing source… brings it back."
        self.update()

    def _glimpse(self, image: QImage) -> None:
        frame = self._model.frame
        assert frame is not None
        self.set_picture(image, (frame.facts.width, frame.facts.height))
        self.show_others("off", (), ())
        self._captions()

    def _show(self, rendered: Rendered) -> None:
        frame = self._model.frame
        assert frame is not None
        size = (frame.facts.width, frame.facts.height)
        self.set_picture(rendered.image, size, rendered.hatch)
        if rendered.now.part is not None:
            left, top, width, height = rendered.now.part_at
            at = QRectF(left * size[0], top * size[1], width * size[0], height * size[1])
            self.set_part(rendered.now.part, rendered.now.part_hatch, at)
        others = rendered.others
        self.show_others(
            self._model.comparison if others else "off",
            tuple(o.image for o in others),
            self._names(rendered),
            tuple(o.part for o in others),
        )
        self._hatch_all()
        self._captions()

    def _names(self, rendered: Rendered) -> tuple[str, ...]:
        """What the states are called that are seen beside each other, the present one first."""
        model, frame = self._model, self._model.frame
        assert frame is not None
        if model.tried_profile is not None:
            return (model.tried_profile.name, "now")
        if not model.tried:
            return ("now", *(model.words_for(other) for other in model.compared()))
        entry = model.tried[-1]
        space = model.space(entry.space).name
        found = "now" if model.state.path(frame.id).known else f"as found: shown as {rendered.path.start.name} for now"
        return (f"converted to {space}" if entry.verb == Verb.CONVERT else f"{space} assigned: the same numbers", found)

    def _measured(self) -> None:
        self._hatch_all()
        self._captions()

    def _hatch_all(self) -> None:
        """Hatch by the mask of the half size: what is smaller than a pixel of the screen is not left out."""
        m, r = self._flow.measured, self._flow.rendered
        if m is None or m.mask is None or r is None or r.path != m.path or r.hatch is None or self._model.proof.threshold > 0:
            return
        self.set_hatch(pooled(m.mask, r.hatch.width(), r.hatch.height()))

    def _marking(self) -> None:
        self.show_hatch = self._model.hatching
        self.legend = self._model.hatching and self._model.proof.mark == "delta"
        self._captions()
        self.update()

    def _compared(self) -> None:
        if self._model.comparison == "off":
            self.show_others("off", (), ())

    def _point(self, at: tuple[float, float] | None) -> None:
        self._flow.point_at(at)
        if self._model.loupe:
            self.update()

    def paint_over(self, p: QPainter) -> None:
        """The loupe, beside the pointer, over everything else."""
        super().paint_over(p)
        image = self._flow.close_up(_LOUPE) if self._model.loupe else None
        pointer = self._flow.pointer
        if image is None or pointer is None:
            return
        side = _LOUPE * _ENLARGED
        at = self.to_widget(*pointer)
        x = at.x() + 20 if at.x() + 20 + side < self.width() else at.x() - 20 - side
        y = at.y() + 20 if at.y() + 20 + side < self.height() else at.y() - 20 - side
        box = QRectF(x, y, side, side)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        p.drawImage(box, image)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(theme.current().colour("ink"), 1))
        p.drawRect(box)
        middle = QRectF(box.center().x() - _ENLARGED / 2, box.center().y() - _ENLARGED / 2, _ENLARGED, _ENLARGED)
        for colour, grown in (("#161616", 1), ("#F2F2F2", 0)):
            p.setPen(QPen(QColor(colour), 1))
            p.drawRect(middle.adjusted(-grown, -grown, grown, grown))

    def _zoomed(self) -> None:
        self._captions()
        self._flow.sharper_soon()

    def _picking(self, what: str) -> None:
        self.picking = self._model.picked_area if what else 0.0
        self.setCursor(Qt.CursorShape.CrossCursor if what else Qt.CursorShape.ArrowCursor)
        self.update()

    def _captions(self) -> None:
        frame, model = self._model.frame, self._model
        if frame is None:
            return
        zoom = 100 * self.scale * self.devicePixelRatioF()
        left = f"{frame.name}   {'fit, ' if self.is_fit else ''}{zoom:.0f}\u00a0%"
        if self._flow.glimpse:
            left += f"   {self._flow.glimpse}"
        elif model.before:
            left += f"   before: {model.words_for(model.against[0])}"
        elif model.proof.shown:
            left += f"   at {model.proof_name()}"
        if frame.is_layered:
            left += "   layers merged over white"
        elif not frame.is_raw and frame.picture.alpha:
            left += "   transparent parts over white"
        right, m = "", self._flow.measured
        if model.hatching and m is not None and self._flow.rendered is not None:
            right = f"{_MARKED[model.proof.mark]} {m.path.destination.name}, {percent(m.there_outside.share)}"
        self.setAccessibleName(f"Picture of {frame.name}")
        self.setAccessibleDescription(f"{left}. {right}".strip(". "))
        self.set_captions(left, right)
