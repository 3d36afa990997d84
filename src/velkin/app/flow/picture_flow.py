"""From the model's path to what the viewer shows: the frame at hand is asked for as it is to be seen, and what comes back is told.

There is one picture flow in a window. The newest wish wins; one render is under way at a time, and what a drag asks for meanwhile waits
as one wish. Numbers of another frame or path are never left standing.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from velkin.app.flow.drawing import Measured, Rendered, Seen, draw
from velkin.app.flow.readout import PinNumbers, numbers_under, read_pin
from velkin.app.flow.service import RenderService
from velkin.app.flow.stops import IF_GIVEN, IF_PUT_ON, Stop, stops_of
from velkin.app.model.places import Page
from velkin.app.model.shoot_model import ShootModel
from velkin.core.errors import VelkinError
from velkin.core.gamut.masks import Window
from velkin.core.path import ColourPath
from velkin.core.render import to_working
from velkin.core.shoot.alternatives import THERE
from velkin.core.stages.given_look import GivenLook
from velkin.core.stages.source import Source
from velkin.core.tags.ledger import Verb
from velkin.core.tags.pins import Pin

#: After so long without its picture a frame's place says that it is being read, milliseconds.
_PATIENCE = 150
#: What is said of a preview: one of the file's own numbers, and one that the camera put into the file.
COARSE, EMBEDDED = "coarse, being read", "embedded preview, the camera\u2019s own colours"


@dataclass(frozen=True)
class Geometry:
    """How the viewer holds the picture.

    Attributes
    ----------
    fitted : (width, height)
        Device pixels of the whole picture when it is fitted.
    visible : (left, top, width, height) or None
        What is visible when zoomed in, as shares of the picture.
    scale : float
        Device pixels per picture pixel.
    """

    fitted: tuple[int, int] = (0, 0)
    visible: tuple[float, float, float, float] | None = None
    scale: float = 1.0


@dataclass(frozen=True)
class PinsRead:
    """What the pins of the frame at hand read.

    Attributes
    ----------
    pins : tuple of Pin
    now : list of PinNumbers
        Along the frame's path as it is.
    after : list of PinNumbers
        Along the path with the decision that is tried; empty while none is.
    path : ColourPath
    """

    pins: tuple[Pin, ...]
    now: list[PinNumbers]
    after: list[PinNumbers]
    path: ColourPath


class PictureFlow(QObject):
    """What is seen of the frame at hand: its picture, its numbers, its stops."""

    shown = pyqtSignal(object)  # Rendered
    glimpsed = pyqtSignal(QImage)  # the preview of the frame at hand, until its picture is there
    reading = pyqtSignal(str)  # the name of the frame whose picture is awaited; empty when it is there or there is none
    failed = pyqtSignal(str)  # why there is no picture
    measured_changed = pyqtSignal()
    stops_changed = pyqtSignal(object)  # list of Stop
    pointed_changed = pyqtSignal(object)  # four texts: place, here, Lab, there
    pins_changed = pyqtSignal(object)  # PinsRead, or None while they cannot be read

    def __init__(self, model: ShootModel, service: RenderService) -> None:
        super().__init__()
        self._model = model
        self._service = service
        self.rendered: Rendered | None = None
        self.measured: Measured | None = None
        #: How the viewer holds the picture; the viewer sets it.
        self.geometry: Callable[[], Geometry] = Geometry
        self._held: Callable[[], Geometry] | None = None
        self._maps_change = False
        #: The point under the pointer, in full-size pixels.
        self.pointer: tuple[float, float] | None = None
        #: What the pins read; None until the picture is there.
        self.pins: PinsRead | None = None
        #: Why the frame at hand has no picture; empty when it has one or it is awaited.
        self.problem = ""
        #: What is shown in the picture's place until it is there, in words; empty when nothing is.
        self.glimpse = ""
        self._awaited: int | None = None
        #: What is read ahead, as of the moment at which the frame at hand was first asked for.
        self._next: tuple[tuple[Path, Source], ...] = ()
        self._patience = QTimer(self)
        self._patience.setSingleShot(True)
        self._patience.setInterval(_PATIENCE)
        self._patience.timeout.connect(self._still_waiting)
        self._sharper_due = QTimer(self)
        self._sharper_due.setSingleShot(True)
        self._sharper_due.setInterval(40)  # while one zooms or pans, what is there is enough
        self._sharper_due.timeout.connect(self.request)
        model.opened.connect(self._opened)
        model.changed.connect(lambda _: self.request())
        model.selection_changed.connect(self.request)
        model.places.changed.connect(lambda _: self._place_changed())
        for changed in (model.before_changed, model.hatching_changed, model.proof.tried):
            changed.connect(lambda _: self.request())
        for signal in (model.comparison_changed, model.tried_changed, model.screen_changed, model.proof.changed):
            signal.connect(self.request)
        model.source_changed.connect(self._source_changed)
        service.rendered.connect(self._rendered)
        service.glimpsed.connect(self._glimpsed)
        service.measured.connect(self._measured)
        service.failed.connect(self._failed)

    # ---- what is there ----------------------------------------------------------------------------------------

    @property
    def ready(self) -> bool:
        """Whether what is seen is the frame at hand, so that one can pick on it."""
        r = self.rendered
        return r is not None and r.frame == self._model.current

    @property
    def current(self) -> Rendered | None:
        """The picture of the frame at hand along its path as it is shown now; None until it is there."""
        r, frame = self.rendered, self._model.frame
        if r is None or frame is None or r.frame != frame.id or r.path != self._model.path():
            return None
        return r

    def seen(self) -> Seen:
        """How the picture is to be drawn now; the chart room is given the whole half-size picture, plain."""
        proof, model = self._model.proof, self._model
        if model.places.now.page is Page.CHART:
            return Seen(model.screen)
        geometry = (self._held or self.geometry)()
        if self._maps_change and not model.before:
            return Seen(model.screen, geometry.fitted, mark="change")
        there = proof.shown or (model.before and not model.trying and model.against[0] == THERE)
        return Seen(
            model.screen,
            geometry.fitted,
            geometry.visible,
            geometry.scale,
            there,
            proof.paper,
            proof.mark if model.hatching else "",
            proof.threshold,
        )

    def hold_by(self, geometry: Callable[[], Geometry] | None) -> None:
        """Have the picture drawn for a room that shows it itself; None for the viewer again."""
        self._held = geometry
        self._maps_change = False

    def map_change(self, on: bool) -> None:
        """Have the ΔE map drawn of what a match changes, for as long as a room holds the picture."""
        self._maps_change = on
        self.request()

    # ---- asking -----------------------------------------------------------------------------------------------

    def _opened(self) -> None:
        self.rendered, self.problem = None, ""
        self._set_measured(None)

    def _source_changed(self, frame: int) -> None:
        """The file of a frame is another: what was shown of it is not left standing."""
        if frame == self._model.current:
            self.rendered, self.problem = None, ""
            self._set_measured(None)
            self.request()

    def _place_changed(self) -> None:
        r = self.rendered
        if r is not None and (r.seen != self.seen() or len(r.others) != len(self._model.other_paths())):
            self.request()

    def request(self) -> None:
        """The picture is to be seen, or its path is, as the model says now."""
        self._sharper_due.stop()
        frame, path = self._model.frame, self._model.path()
        if frame is None or path is None:
            self._nothing()
            return
        if self.measured is not None and (self.measured.frame, self.measured.path) != (frame.id, path):
            self._set_measured(None)
        self.point_at(self.pointer)
        unseen = self.rendered is None or self.rendered.frame != frame.id
        if unseen:
            self._await(frame.id)
            self._next = self._ahead()
        others = tuple(zip(self._model.other_paths(), self._model.others_there(), strict=False))
        self._service.show(
            frame.id,
            frame.path,
            path,
            self.seen(),
            others,
            self._model.dragging,
            unseen=frame if unseen else None,
            ahead=self._next,
        )
        self._tell_stops(path)
        self._read_pins()

    def _ahead(self) -> tuple[tuple[Path, Source], ...]:
        """The frames that a step would lead to, with their sources."""
        state = self._model.state
        return tuple((state.frames[f].path, state.path(f).source) for f in self._model.neighbours())

    def sharper_soon(self) -> None:
        """The viewer holds the picture otherwise than it was drawn."""
        if self.rendered is not None and self.seen() != self.rendered.seen:
            self._sharper_due.start()

    def _nothing(self) -> None:
        self._patience.stop()
        self._awaited, self.rendered, self.problem, self.glimpse = None, None, "", ""
        self._set_measured(None)
        self.stops_changed.emit([])
        self.reading.emit("")
        self.point_at(None)
        self._read_pins()

    def _await(self, frame: int) -> None:
        if self._awaited != frame:
            self._awaited, self.problem, self.glimpse = frame, "", ""
            self._patience.start()

    def _still_waiting(self) -> None:
        frame = self._model.frame
        if frame is not None and self._awaited == frame.id and not self.glimpse:
            self.reading.emit(frame.name)

    def stop(self) -> None:
        """Ask for nothing more."""
        self._sharper_due.stop()
        self._patience.stop()

    # ---- what comes back --------------------------------------------------------------------------------------

    def _glimpsed(self, frame: int, image: QImage, own: bool) -> None:
        if frame == self._awaited:
            self.glimpse = COARSE if own else EMBEDDED
            self.glimpsed.emit(image)

    def _rendered(self, rendered: Rendered) -> None:
        frame = self._model.frame
        if frame is None or rendered.frame != frame.id or rendered.path != self._model.path():
            return
        self.rendered, self.problem, self.glimpse, self._awaited = rendered, "", "", None
        self._patience.stop()
        self.reading.emit("")
        self.shown.emit(rendered)
        self.point_at(self.pointer)
        self._read_pins()

    def _failed(self, frame: int, text: str) -> None:
        if frame != self._model.current:
            return
        self._patience.stop()
        self._awaited, self.rendered, self.problem, self.glimpse = None, None, text, ""
        self._set_measured(None)  # numbers of the frame before must not stand beside an empty picture
        self.point_at(None)
        self.reading.emit("")
        self.failed.emit(text)

    def _measured(self, measured: Measured) -> None:
        if measured is not self.measured and measured.frame == self._model.current and measured.path == self._model.path():
            self._set_measured(measured)

    def _set_measured(self, measured: Measured | None) -> None:
        if measured is None and self.measured is None:
            return
        self.measured = measured
        self.measured_changed.emit()
        path = self._model.path()
        if path is not None:
            self._tell_stops(path)

    def _read_pins(self) -> None:
        """The pins' numbers, as they are and as they would be after a decision that is tried."""
        model, frame, r = self._model, self._model.frame, self.rendered
        if frame is None or r is None or r.frame != frame.id or r.source is None:
            if self.pins is not None:
                self.pins = None
                self.pins_changed.emit(None)
            return
        plain, path = model.state.path(frame.id), model.path()
        try:
            now = [read_pin(r.source, plain, p) for p in frame.pins]
            trying = model.trying and path is not None and not model.before
            after = [read_pin(r.source, path, p) for p in frame.pins] if trying and path is not None else []
        except VelkinError as error:
            model.report(error)
            return
        self.pins = PinsRead(frame.pins, now, after, plain)
        self.pins_changed.emit(self.pins)

    # ---- numbers and stops ------------------------------------------------------------------------------------

    def point_at(self, at: tuple[float, float] | None) -> None:
        """The pointer is over a point of the picture, in full-size pixels, or over none."""
        self.pointer = at
        r, frame = self.current, self._model.frame
        if at is None or r is None or frame is None:
            self.pointed_changed.emit(("", "", "", ""))
        else:
            self.pointed_changed.emit(numbers_under(at, r, (frame.facts.width, frame.facts.height)))

    def close_up(self, side: int) -> QImage | None:
        """The decoded pixels round the pointer, `side` × `side`, as the picture is seen; None where there are none."""
        r, frame, at = self.current, self._model.frame, self.pointer
        if r is None or frame is None or at is None or r.source is None or min(r.source.shape[:2]) < side:
            return None
        height, width = r.source.shape[:2]
        left = min(max(int(at[0] * width / frame.facts.width) - side // 2, 0), width - side)
        top = min(max(int(at[1] * height / frame.facts.height) - side // 2, 0), height - side)
        patch = r.source[top : top + side, left : left + side]
        plain = replace(r.seen, room=(0, 0), part=None, mark="")
        window = Window(width, height, left, top)
        return draw(to_working(patch, r.path, window), r.path, plain, window).image

    def stops(self) -> list[Stop]:
        """The five stops of the frame at hand; none without one."""
        frame, path = self._model.frame, self._model.path()
        return [] if frame is None or path is None else self._stops(frame.id, path)

    def _stops(self, frame: int, path: ColourPath) -> list[Stop]:
        model = self._model
        tried = "" if not model.tried or model.before else "if assigned"
        if tried and model.tried[-1].verb == Verb.CONVERT:
            tried = "if converted"
        if model.tried_profile is not None and not model.before:
            tried = IF_GIVEN
        kept = model.state.look_of(frame)
        brushing = isinstance(model.tried_look, GivenLook) and kept is not None and model.tried_look.look == kept.look
        if model.tried_look is not None and not model.before and not brushing:
            tried = IF_PUT_ON
        return stops_of(model.state, frame, path, self.measured, model.written(frame), tried, model.proof_name())

    def _tell_stops(self, path: ColourPath) -> None:
        frame = self._model.frame
        if frame is not None:
            self.stops_changed.emit(self._stops(frame.id, path))
