"""The even field, on the Camera bench: what the light's flat frame showed, how much of it is taken out, and of which frames."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.parts import Facts, Slide, soft
from velkin.app.words import count, localised
from velkin.core.fields import Field
from velkin.core.gamut.masks import Window
from velkin.core.shoot.even_fields import KeptField, does_not_suit
from velkin.core.shoot.frame import Frame

_MAP_HEIGHT, _MAP_PIXELS = 84, 126


class _Map(QWidget):
    """The light over the picture, in greys: white where there is most, black where there is half of it or less."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(_MAP_HEIGHT)
        self.setAccessibleName("How the light falls off over the picture")
        self._image: QImage | None = None
        self._shown: Field | None = None

    def show_field(self, field: Field, wide: float) -> None:
        """Show a field over a picture that is so many times as wide as high."""
        if field is self._shown:
            return
        self._shown = field
        width, height = _MAP_PIXELS, max(round(_MAP_PIXELS / wide), 8)
        light = 1.0 / field.gains(Window(width, height), height, width)[..., 1]
        grey = np.clip(np.round(255 * (2 * light - 1)), 0, 255).astype(np.uint8)
        self._image = QImage(grey.tobytes(), width, height, width, QImage.Format.Format_Grayscale8).copy()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._image is None:
            return
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        scale = min(self.width() / self._image.width(), self.height() / self._image.height())
        at = QRectF(0, 0, self._image.width() * scale, self._image.height() * scale)
        p.drawImage(at, self._image)
        p.setPen(theme.current().colour("edge"))
        p.drawRect(at.adjusted(0, 0, -1, -1))


class FieldSection(QWidget):
    """There while the light of the frame in the viewer has a flat frame."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._jobs = context.jobs
        self._model = context.model
        self._flat: Frame | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.map = _Map()
        column.addWidget(self.map)
        self.facts = Facts(92)
        column.addWidget(self.facts)
        self.strength = Slide("Strength", 0.0, 1.0, lambda v: f"{100 * v:.0f} %", 20)
        self._drags = False
        self.strength.moved.connect(lambda v: self._keep(True, strength=v))
        self.strength.settled.connect(lambda v: self._keep(False, strength=v))
        column.addWidget(self.strength)
        self.others = CheckBox("Frames of another aperture or lens too")
        self.others.setToolTip("The field of another aperture, lens or camera is another; shoot a flat frame for it")
        self.others.clicked.connect(lambda on: self._keep(False, others_too=on))
        column.addWidget(self.others)
        self.words = soft()
        column.addWidget(self.words)

    def show_frame(self, frame: Frame | None) -> None:
        """Follow the frame in the viewer."""
        state = self._model.state if frame is not None else None
        self._flat = flat = state.flat(frame.light) if state is not None and frame is not None else None
        self.setVisible(flat is not None)
        if flat is None or state is None or frame is None:
            return
        kept = state.fields[flat.id]
        self.map.show_field(kept.field, flat.facts.width / flat.facts.height)
        red, green, blue = (f"{100 * v:.0f} %" for v in kept.field.falloff)
        left = [
            (f.name, max(v.falloff))
            for f, v in ((state.frames[i], k.field) for i, k in state.fields.items())
            if f.light == flat.light
        ]
        rows = [("Flat frame", flat.name), ("Fall-off", f"R {red}, G {green}, B {blue}")]
        rows += [("Also measured", f"{name}: {100 * fall:.0f} %") for name, fall in left if name != flat.name]
        self.facts.show_rows([(name, localised(text)) for name, text in rows])
        self.strength.show_value(kept.strength)
        self.others.setChecked(kept.others_too)
        raw = [state.frames[f] for f in state.light(flat.light).frames if state.frames[f].is_raw]
        unlike = {f.name: why for f in raw if (why := does_not_suit(f.facts, flat.facts))}
        self.others.setVisible(bool(unlike))
        self.words.setText(_in_words(len(raw), unlike, kept))

    def _keep(self, drags: bool, **what: float | bool) -> None:
        """The moments of one drag are one step of undo."""
        flat = self._flat
        if flat is not None:
            kept = replace(self._model.state.fields[flat.id], **what)  # type: ignore[arg-type]
            if kept != self._model.state.fields[flat.id]:
                self._jobs.camera.keep_fields({flat.id: kept}, self._drags)
        self._drags = drags


def _in_words(raw: int, unlike: dict[str, str], kept: KeptField) -> str:
    if not kept.strength:
        return "Nothing is evened."
    evened = raw if kept.others_too else raw - len(unlike)
    said = [f"It evens {count(evened, 'frame')} of this light, before anything else is done to them."]
    if unlike:
        name, why = next(iter(unlike.items()))
        more = f" and {len(unlike) - 1} more" if len(unlike) > 1 else ""
        said.append(
            f"Beware: {name}{more} was shot with {why}, whose field is another."
            if kept.others_too
            else f"Not {name}{more}: shot with {why}, whose field is another."
        )
    return " ".join(said)
