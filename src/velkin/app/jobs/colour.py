"""What can be done with the colour of frames from the window: decisions, conversions, ledgers, tagged copies, pasted pictures."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QImage

from velkin.app.jobs.importing import Importing
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Ground, Work
from velkin.app.words import ASSIGN, CONVERT, count, percent
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.effect import Effect, effect_of
from velkin.core.conversion.light import linear_in
from velkin.core.conversion.outside import Outside, measure_outside
from velkin.core.errors import VelkinError
from velkin.core.gamut.share import share_outside
from velkin.core.icc.space import Space, same
from velkin.core.icc.transform import Intent
from velkin.core.path import ColourPath
from velkin.core.render import numbers_here
from velkin.core.sampling import spread
from velkin.core.shoot.arrivals import Arrival, look_at
from velkin.core.shoot.outside import ShootOutside, shoot_outside
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Alters, Place
from velkin.core.tags.ledger import Verb
from velkin.core.tags.pins import Pin

if TYPE_CHECKING:
    from velkin.core.handoff.copies import Copied, CopyWish


@dataclass(frozen=True)
class Forecast:
    """What a conversion would do to a frame: what leaves the destination, and each intent's effect on this picture."""

    frame: int
    conversion: Conversion
    share: float
    outside: Outside | None
    effects: tuple[Effect, ...]


class Colour(Work):
    """Decisions about colour."""

    forecast_ready = pyqtSignal(object)  # Forecast

    def __init__(self, ground: Ground, importing: Importing) -> None:
        super().__init__(ground)
        self._importing = importing

    # ---- decisions --------------------------------------------------------------------------------------------

    def _said(self, frames: tuple[int, ...], words: str) -> None:
        self._model.say(f"{count(len(frames), 'frame')}: {words}. The source files are not touched.")

    def assign(self, frames: tuple[int, ...], space: Space) -> None:
        """Give frames a space."""
        if self._command(lambda s: s.colour.assign(frames, space)):
            self._said(frames, f"{space.name} assigned, {ASSIGN}")

    def convert(self, frames: tuple[int, ...], space: Space, intent: Intent, black_point: bool) -> None:
        """Convert frames to a space."""
        if self._command(lambda s: s.colour.convert(frames, space, intent, black_point)):
            self._said(frames, f"converted to {space.name}, {CONVERT}")

    def give_and_convert(self, frames: tuple[int, ...], given: Space, to: Space) -> None:
        """Give frames a space, then convert them."""
        if self._command(lambda s: s.colour.give_and_convert(frames, given, to)):
            self._said(frames, f"{given.name} assigned, then converted to {to.name}")

    def leave(self, frames: tuple[int, ...]) -> None:
        """Keep held frames as they came."""
        if self._command(lambda s: s.colour.leave(frames)):
            self._said(frames, "left as they came; copies of them are written without a new tag")

    def go_back(self, frame: int, entries: int) -> None:
        """Take a ledger back."""
        self._command(lambda s: s.colour.go_back(frame, entries))

    def copy_ledger(self, source: int, frames: tuple[int, ...]) -> None:
        """Copy a ledger to other frames."""
        others = [f for f in frames if f != source]
        if not others:
            self._model.say("Choose the frames that are to take this ledger too: Ctrl+click in the frames panel.")
            return
        took: list[int] = []
        if self._command(lambda s: took.extend(s.colour.copy_ledger(source, others))):
            left = len(others) - len(took)
            extra = f" {count(left, 'frame')} of another colour model kept their own." if left else ""
            self._model.say(f"The ledger was copied to {count(len(took), 'frame')}.{extra}")

    def choose_page(self, frame: int, page: int) -> None:
        """Look at another picture of a file that holds several."""
        path = self._model.state.frames[frame].path

        def done(arrival: Arrival) -> None:
            self._command(lambda s: s.colour.choose_page(frame, arrival))

        self._aside(Lane.HAND, lambda job: look_at(path, page), done, name="Looking at the file", here=True)

    # ---- pins -------------------------------------------------------------------------------------------------

    def add_pin(self, frame: int, x: float, y: float) -> None:
        """Pin a point, in shares of the picture."""
        pins = self._model.state.frames[frame].pins
        self._command(lambda s: s.colour.set_pins(frame, (*pins, Pin(x, y)), "add a pin to the pins"))

    def change_pin(self, frame: int, index: int, pin: Pin | None) -> None:
        """Move a pin, give it another target, or (None) take it away."""
        pins = list(self._model.state.frames[frame].pins)
        if index < len(pins):
            pins[index : index + 1] = [] if pin is None else [pin]
            self._command(lambda s: s.colour.set_pins(frame, tuple(pins)))

    # ---- forecasts --------------------------------------------------------------------------------------------

    def forecast(self, frame: int, path: ColourPath, space: Space, intent: Intent, black_point: bool) -> None:
        """Measure on a worker what a conversion of a frame would do; the newest wish wins."""
        source = self._model.state.frames[frame].path
        conversion = Conversion(path.here, space, intent, black_point)

        def work(job: Job) -> Forecast:
            numbers = numbers_here(self._sources.source(source, path.source, True), path)
            flat = numbers.reshape(-1, numbers.shape[-1])
            outside = None
            if isinstance(space, RGBSpace):
                outside = measure_outside(
                    linear_in(flat, path.here, space, intent=intent, black_point=black_point)[None], space
                )
            sample = spread(flat, 30_000)
            share = outside.share if outside is not None else share_outside(sample, path.here, space)
            few = spread(sample, 4000)
            return Forecast(frame, conversion, share, outside, effect_of(few[:4096], path.here, space))

        self._aside(Lane.ROOM, work, self.forecast_ready.emit, purpose="forecast")

    def measure_shoot(self, spaces: tuple[RGBSpace, ...], tell: Callable[[list[ShootOutside]], None]) -> None:
        """Measure on a worker how much of the shoot each space cannot hold, from small pictures of its frames."""
        state, sources = self._model.state, self._sources
        frames = [(state.frames[f], state.path(f)) for f in state.order()]

        def pictures() -> Iterator[tuple[str, Any, ColourPath]]:
            for frame, path in frames:
                with contextlib.suppress(VelkinError):
                    yield frame.name, sources.small(frame, path), path

        def done(result: list[ShootOutside]) -> None:
            with contextlib.suppress(RuntimeError):  # its sheet was closed in the meantime
                tell(result)

        self._aside(Lane.ROOM, lambda job: shoot_outside(pictures(), spaces), done, purpose="outside of the shoot")

    # ---- files ------------------------------------------------------------------------------------------------

    def tell_lost(self, frame: int, kind: str, then: Callable[[str], None]) -> None:
        """Tell what of a finished picture's file a new one of a format would not hold."""
        found = self._model.state.frames[frame]
        source, page = found.path, found.picture.page

        def work(job: Job) -> str:
            from velkin.core.files.encode import lost_in

            return lost_in(source, page, kind)

        self._aside(Lane.HAND, work, then, here=True)

    def save_copy(self, frame: int, wish: CopyWish) -> None:
        """Write a tagged copy of a finished picture."""
        from velkin.core.handoff.copies import write_copy  # the libraries that write files load when they are needed

        state = self._model.state
        path, source = state.path(frame), state.frames[frame].path
        if path.at(Place.LOOK):
            self._save_looked(source, path, wish)
            return
        start = path.start if path.source.known else None

        def done(copied: Copied) -> None:
            space = copied.space.name if copied.space is not None else "no tag"
            how = "every number as it was" if copied.in_place else f"{space} embedded"
            lost = f", {100 * copied.share_outside:.1f} % out of gamut" if copied.share_outside else ""
            left = f"; left behind: {copied.left}" if copied.left else ""
            self._model.say(f"{copied.out.name} was written: {space}, {how}{lost}{left}.")

        self._aside(Lane.HAND, lambda job: write_copy(source, start, path.steps, wish), done, name="Writing the copy")

    def _save_looked(self, source: Path, path: ColourPath, wish: CopyWish) -> None:
        from velkin.core.handoff.looked import Looked, write_looked

        to = path.led_to(path.numbers_in)

        def done(looked: Looked) -> None:
            lost = (
                f", {percent(looked.outside.share)} out of gamut" if looked.outside is not None and looked.outside.share else ""
            )
            left = f"; left behind: {looked.left}" if looked.left else ""
            self._model.say(f"{looked.out.name} was written: {to.destination.name} embedded, {Alters.BOTH.value}{lost}{left}.")

        self._aside(Lane.HAND, lambda job: write_looked(source, to, wish), done, name="Writing the copy")

    def retag(self, frame: int) -> None:
        """Give the source file itself the space that the ledger assigned; asked for by name only."""
        state, shoot = self._model.state, self._model.shoot
        f, path = state.frames[frame], state.path(frame)

        def work(job: Job) -> Arrival:
            from velkin.core.handoff.copies import retag_source

            page = f.picture.page
            retag_source(f.path, path.here, page)
            return look_at(f.path, page)

        def done(result: Arrival | VelkinError) -> None:
            self._sources.read_again(f.path)
            if isinstance(result, VelkinError):
                self._model.report(result)
            elif self._model.shoot is shoot and self._command(lambda s: s.colour.source_rewritten(frame, result)):
                self._model.say(f"{f.path.name} itself is now tagged {path.here.name}; its numbers are the same.")

        self._lanes.start(Lane.HAND, work, done, name="Tagging the source")

    def paste(self, image: QImage) -> None:
        """Take a picture from the clipboard into the shoot, as a file of its own beside it; the intake rules decide."""
        shoot = self._model.shoot
        if shoot is None:
            self._model.report("Make or open a shoot first (Shoot menu); a pasted picture belongs to a shoot.")
            return
        folder = shoot.path.parent / f"{shoot.path.stem} pasted"
        icc = bytes(image.colorSpace().iccProfile().data()) if image.colorSpace().isValid() else None

        def work(job: Job) -> Path:
            from velkin.core.files.encode import encode_numbers
            from velkin.core.files.picture import Picture
            from velkin.core.files.safely import write_whole

            pixels = _pixels(image)
            try:
                folder.mkdir(exist_ok=True)
            except OSError as error:
                raise VelkinError(f"{folder.name}: the folder cannot be made ({error.strerror}); nothing was pasted") from error
            stem = datetime.now().strftime("pasted %Y-%m-%d %H.%M.%S")
            out = folder / f"{stem}.png"
            number = 2
            while os.path.lexists(out):
                out, number = folder / f"{stem}-{number}.png", number + 1
            alpha = pixels[..., 3] if pixels.shape[2] == 4 else None
            made = encode_numbers(Picture(pixels[..., :3].copy(), alpha, "rgb"), "png", icc, family="", source=None)
            write_whole(out, made.data, False)
            return out

        self._aside(Lane.HAND, work, lambda out: self._importing.add_files([out]), name="Pasting")


def _pixels(image: QImage) -> Any:
    """RGBA or RGB numbers (H, W, n) of an image, 16 bits where it has more than 8."""
    deep = image.depth() > 32
    kind = QImage.Format.Format_RGBA64 if deep else QImage.Format.Format_RGBA8888
    plain = image.convertToFormat(kind)
    bits = plain.constBits()
    assert bits is not None
    raw = bits.asstring(plain.sizeInBytes())
    samples = np.frombuffer(raw, np.uint16 if deep else np.uint8)
    row = plain.bytesPerLine() // samples.itemsize
    pixels = samples.reshape(plain.height(), row)[:, : 4 * plain.width()].reshape(plain.height(), plain.width(), 4)
    return pixels.copy() if image.hasAlphaChannel() else pixels[..., :3].copy()


def warn_of_wrong_verb(path: ColourPath, verb: Verb, space: Space, sample_lab_change: float | None) -> str:
    """A sentence where assigning looks like the wrong verb; empty where it does not."""
    if verb is not Verb.ASSIGN or not path.known or same(path.here, space):
        return ""
    change = f" by ΔE {sample_lab_change:.0f} in the middle" if sample_lab_change is not None else ""
    return (
        f"These numbers are known to mean {path.here.name}. Assigning {space.name} keeps them and changes the look{change}; "
        f"to keep the look and have it in {space.name}, convert."
    )
