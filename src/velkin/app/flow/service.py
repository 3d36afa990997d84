"""The render service: decodes, renders and measures on worker threads; the newest wish wins; results come as signals.

The GUI thread never decodes, fits or converts. Decoded frames are kept within a memory budget, newest longest.
"""

from __future__ import annotations

import contextlib
import logging
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from velkin.app.flow.decoded import Decoded
from velkin.app.flow.drawing import (
    Drawn,
    Measured,
    Rendered,
    Seen,
    draw,
    draw_change,
    draw_part,
    kept_mask,
    numbers_of,
    to_image,
)
from velkin.app.flow.memory import LEAST, Shares, usual
from velkin.app.flow.small_pictures import SmallPictures
from velkin.app.workers import workers
from velkin.core.cache import Cache, file_stamp
from velkin.core.conversion.codes import as_float
from velkin.core.conversion.light import linear_in
from velkin.core.cores import all_cores
from velkin.core.errors import VelkinError
from velkin.core.files.previews import preview_of
from velkin.core.icc.space import ICCSpace, Space, same_numbers
from velkin.core.path import ColourPath
from velkin.core.render import eased, for_screen, light_within, looked, shown, to_working
from velkin.core.sampling import spread
from velkin.core.shoot.arrivals import stamp_of
from velkin.core.shoot.frame import Frame
from velkin.core.spaces.rgb import SRGB
from velkin.core.stages.source import PictureSource, RawSource, Source
from velkin.core.stages.stage import Place

Pixels = NDArray[np.float32]
_log = logging.getLogger("velkin")

#: Bytes of what is said of frames.
_SAID = 60_000_000
#: Seconds for which a drag rests before its numbers are counted, and on how many pixels.
_PAUSE = 0.06
_QUICK = 100_000


def _weight_of_drawn(drawn: Drawn) -> int:
    images = (drawn.image, drawn.hatch, drawn.part, drawn.part_hatch)
    return sum(int(i.sizeInBytes()) for i in images if i is not None)


def _weight_of_measured(measured: Measured) -> int:
    return 65536 + (0 if measured.mask is None else int(measured.mask.nbytes))


def _larger(room: tuple[int, int], half: NDArray[Any]) -> bool:
    """Whether a fitted picture has clearly more room than its half size fills."""
    return bool(min(room[0] / half.shape[1], room[1] / half.shape[0]) > 1.1)


def _sharper(pixels: NDArray[Any], is_half: bool, path: ColourPath, seen: Seen, shown: int) -> Drawn | None:
    """The visible part, where it is sharper than the whole picture as shown, `shown` pixels wide."""
    width = pixels.shape[1] * (2 if is_half else 1)
    if seen.part is None or seen.scale * width <= 1.1 * shown:
        return None
    return draw_part(pixels, is_half, path, seen)


class RenderService(QObject):
    """Work on pixels for the window."""

    rendered = pyqtSignal(object)
    glimpsed = pyqtSignal(int, QImage, bool)  # frame, its preview, whether the preview is of the file's own numbers
    measured = pyqtSignal(object)
    thumbnail = pyqtSignal(int, object, QImage)
    failed = pyqtSignal(int, str)
    preparing = pyqtSignal(str)  # the profile whose tables are being made; empty when they are there
    thumbnails_left = pyqtSignal(int, int)

    def __init__(self, small: SmallPictures | None = None) -> None:
        super().__init__()
        shares = Shares.of(usual())
        self._decoded = Decoded(shares.decoded)
        self._small = small or SmallPictures()
        self._front = workers(1, "viewer")
        self._back = workers(1, "measure")
        self._thumbs = workers(max(all_cores() - 1, 1), "thumbs")
        self._wish = 0
        self._thumb_wish = 0
        self._exact: Cache[Measured] = Cache(_SAID, _weight_of_measured)
        #: What was said last of the half size, of which picture along which path: it is often asked for again before the exact numbers are there.
        self._of_half: tuple[object, Measured] | None = None
        self._kept_working: Cache[Pixels] = Cache(shares.rendered)
        self._kept_drawn: Cache[Drawn] = Cache(shares.drawn, _weight_of_drawn)
        self._kept_pieces: Cache[Any] = Cache(shares.pieces)  # so that marking does not render anew, nor proofing mark anew
        self._prepared: set[tuple[str, int]] = set()

    def close(self) -> None:
        """Stop taking work; the little that runs is let finish."""
        self._wish += 1
        self._thumb_wish += 1
        for pool in (self._front, self._back, self._thumbs):
            pool.shutdown(wait=True, cancel_futures=True)
        self._small.prune()
        self._decoded.clear()
        for kept in (self._exact, self._kept_working, self._kept_drawn, self._kept_pieces):
            kept.clear()

    def keep_within(self, total: int) -> None:
        """Keep pictures in no more than so many bytes from now on."""
        shares = Shares.of(max(total, LEAST))
        self._decoded.keep_within(shares.decoded)
        self._kept_working.keep_within(shares.rendered)
        self._kept_drawn.keep_within(shares.drawn)
        self._kept_pieces.keep_within(shares.pieces)

    @property
    def held(self) -> int:
        """Bytes that pictures are kept in now."""
        return self._decoded.held + sum(k.total for k in (self._kept_working, self._kept_drawn, self._kept_pieces))

    def forget(self) -> None:
        """Drop what is under way for thumbnails, when another shoot is opened; decoded pixels go by age."""
        self._thumb_wish += 1

    def half(self, path: Path) -> Pixels:
        """A raw frame's half-size decode, from memory when it is there. For worker threads. Raises UnreadableFile."""
        return as_float(self.source(path, RawSource(), True))

    def source(self, path: Path, of: Source, half: bool) -> NDArray[Any]:
        """A frame's decoded source, from memory when it is there. For worker threads. Raises UnreadableFile, NotSupported."""
        return self._decoded.get(path, of, half)

    def sample(self, path: Path, of: Source) -> NDArray[Any]:
        """About a million pixels (1, N, C) of a frame's full size. For worker threads. Raises UnreadableFile, NotSupported."""
        self._decoded.get(path, of, False)
        return self._decoded.sample(path, of)

    def read_again(self, path: Path) -> None:
        """Forget a source whose file was written anew."""
        self._decoded.forget(path)
        self._kept_working.clear()
        self._kept_drawn.clear()
        self._kept_pieces.clear()
        self._exact.clear()
        self._of_half = None

    # ---- the viewer's frame -----------------------------------------------------------------------------------

    def expect(self, source: Path, of: Source) -> None:
        """Begin to decode a frame that will be shown next; errors are left to its showing."""

        def early() -> None:
            with contextlib.suppress(VelkinError):
                self._decoded.get(source, of, True)

        self._back.submit(early)  # the one who shows it is free to show a preview meanwhile

    def show(
        self,
        frame: int,
        source: Path,
        path: ColourPath,
        seen: Seen,
        others: tuple[tuple[ColourPath, bool], ...] = (),
        dragged: bool = False,
        *,
        unseen: Frame | None = None,
        ahead: tuple[tuple[Path, Source], ...] = (),
    ) -> None:
        """Render a frame for the viewer and measure it; an older wish that has not begun is dropped.

        `others` are the states to compare with: a path, and whether it is seen at the destination. While something is
        `dragged` only a quick count of a sample is made. `unseen` is the frame while nothing of it is shown yet: a preview comes first where
        the picture takes longer. The frames `ahead` are decoded once this one is there.
        """
        self._wish += 1
        self._front.submit(self._render, self._wish, frame, source, path, seen, others, dragged, unseen, ahead)

    def _glimpse(self, unseen: Frame, path: ColourPath, seen: Seen) -> None:
        """What can be shown of a frame before it is decoded."""
        if self._decoded.has(unseen.path, path.source, True):
            return
        page = path.source.page if isinstance(path.source, PictureSource) else 0
        preview = preview_of(unseen.facts, max(seen.room), page)
        if preview is not None and not preview.own:
            codes = preview.pixels
            if not same_numbers(SRGB, seen.screen):
                codes = shown(linear_in(codes, SRGB, path.working), path.working, seen.screen)
            self.glimpsed.emit(unseen.id, to_image(codes), False)
            return
        coarse = preview.pixels if preview is not None else self.small_of(unseen, path)
        if coarse is not None:
            drawn = for_screen(eased(to_working(coarse, path), path), path, seen.screen, proofed=seen.proofed, paper=seen.paper)
            self.glimpsed.emit(unseen.id, to_image(drawn), True)

    def _render(
        self,
        wish: int,
        frame: int,
        source: Path,
        path: ColourPath,
        seen: Seen,
        others: tuple[tuple[ColourPath, bool], ...],
        dragged: bool,
        unseen: Frame | None,
        ahead: tuple[tuple[Path, Source], ...],
    ) -> None:
        if wish != self._wish:
            return
        if unseen is not None:
            try:
                self._glimpse(unseen, path, seen)
            except Exception:  # whatever it is, the picture itself is made all the same, and tells what is wrong
                _log.info("no preview of %s", source, exc_info=True)
        self._prepare(path, seen)
        states = [(path, seen), *((other, replace(seen, proofed=there, mark="")) for other, there in others)]
        try:
            half = self._decoded.get(source, path.source, True)
            enlarged = _larger(seen.room, half)  # even the whole picture has more room than the half size
            deep = enlarged or (seen.part is not None and seen.scale > 0.5)
            ready = self._decoded.has(source, path.source, False)
            for full in (False, True) if deep and not ready else (deep,):  # the full decode takes a moment
                pixels = self._decoded.get(source, path.source, False) if full else half
                whole = [self._whole(source, pixels if enlarged else half, p, s) for p, s in states]
                parts = [_sharper(pixels, not full, p, s, whole[0][1].image.width()) for p, s in states]
                if wish != self._wish:
                    return
                self.rendered.emit(self._put_together(frame, path, seen, whole, parts, half))
        except VelkinError as error:
            self.failed.emit(frame, str(error))
            return
        except Exception as error:  # whatever it is, the viewer is told that there will be no picture
            _log.exception("%s could not be rendered", source)
            self.failed.emit(frame, f"{source.name} could not be rendered ({error})")
            return
        if wish == self._wish:
            self._back.submit(self._measure, wish, frame, source, path, dragged, ahead)  # the picture first, its numbers after

    def _prepare(self, path: ColourPath, seen: Seen) -> None:
        """Say so while the tables of a destination's profile are made, once; errors are left to the rendering."""
        space = path.destination
        needed = path.easings or seen.proofed or seen.mark
        if not needed or not isinstance(space, ICCSpace) or (space.id, path.intent) in self._prepared:
            return
        self.preparing.emit(space.name)
        with contextlib.suppress(VelkinError):
            draw(np.full((320, 320, 3), 0.4, dtype=np.float32), path, replace(seen, mark="hatch", proofed=True), None)
        self._prepared.add((space.id, path.intent))
        self.preparing.emit("")

    @staticmethod
    def _put_together(
        frame: int,
        path: ColourPath,
        seen: Seen,
        whole: list[tuple[Pixels, Drawn]],
        parts: list[Drawn | None],
        half: NDArray[Any],
    ) -> Rendered:
        drawn = [
            d if p is None else replace(d, part=p.image, part_hatch=p.hatch, part_at=p.part_at)
            for (_, d), p in zip(whole, parts, strict=True)
        ]
        return Rendered(frame, path, seen, drawn[0], whole[0][0], tuple(drawn[1:]), half)

    def _whole(self, source: Path, pixels: NDArray[Any], path: ColourPath, seen: Seen) -> tuple[Pixels, Drawn]:
        """The whole picture at the size it has when fitted: its working numbers, kept for the next time, and as drawn."""
        stamp, plain = file_stamp(source), path.put(Place.LOOK).to_work
        light = self._kept_working.made((stamp, plain, seen.room, pixels.shape), lambda: light_within(pixels, path, seen.room))
        key = (stamp, path.to_work, seen.room, pixels.shape)
        working = self._kept_pieces.made(key, lambda: looked(light, path)) if path.at(Place.LOOK) else light
        again = (key, path, replace(seen, part=None, scale=1.0))

        def keep(piece: tuple[Any, ...], make: Callable[[], Any]) -> Any:
            return self._kept_pieces.made((key, piece), make)

        if seen.mark == "change":
            return working, self._kept_drawn.made(again, lambda: draw_change(light, working, path))
        return working, self._kept_drawn.made(again, lambda: draw(working, path, seen, None, keep))

    def _measure(
        self, wish: int, frame: int, source: Path, path: ColourPath, dragged: bool, ahead: tuple[tuple[Path, Source], ...]
    ) -> None:
        if wish != self._wish:
            return
        key = (file_stamp(source), path)
        known = self._exact.get(key)
        if known is not None:
            self.measured.emit(known)
            return
        try:
            if dragged and path.by_pixel:
                time.sleep(_PAUSE)  # while the hand moves, cores are for the picture
                if wish != self._wish:
                    return
                few = self._decoded.sample(source, path.source)
                quick = spread(few.reshape(-1, few.shape[-1]), _QUICK)[None]
                self.measured.emit(numbers_of(frame, quick, path, False, None)[0])
                return
            of_half = self._of_half
            if of_half is None or of_half[0] != key or of_half[1].frame != frame:
                half, mask = numbers_of(frame, self._decoded.get(source, path.source, True), path, False, None)
                of_half = self._of_half = (key, replace(half, mask=None if mask is None else kept_mask(mask)))
            half = of_half[1]
            self.measured.emit(half)
            if dragged or wish != self._wish:
                return
            self._read_ahead(wish, ahead)
            time.sleep(0.15)  # who drags or steps on soon has no use for the long count
            if wish != self._wish:
                return
            result, _ = numbers_of(frame, self._decoded.get(source, path.source, False), path, True, half.proofed)
        except Exception:  # the viewer's own wish reports what concerns the picture
            _log.info("%s could not be measured", source, exc_info=True)
            return
        result = replace(result, mask=half.mask)
        self._exact.put(key, result)
        if wish == self._wish:
            self.measured.emit(result)

    def _read_ahead(self, wish: int, frames: tuple[tuple[Path, Source], ...]) -> None:
        """Decode frames that may be stepped to next, as long as nothing else is wished for; errors are left to their showing."""
        for source, of in frames:
            with contextlib.suppress(VelkinError):
                if wish == self._wish:
                    self._decoded.get(source, of, True)

    # ---- thumbnails -------------------------------------------------------------------------------------------

    def small(self, frame: Frame, path: ColourPath) -> Pixels:
        """A frame's small picture, linear camera RGB or a finished picture's numbers. For worker threads. Raises VelkinError."""
        key = _small_key(frame, path)
        small = self._small.get(key)
        if small is None:
            same = frame.facts.stamp in ("", stamp_of(frame.path)[0])
            return self._small.make(key, self._decoded.get(frame.path, path.source, True), same)
        if not frame.path.exists():
            raise VelkinError("the source is not there any more")
        return small

    def small_of(self, frame: Frame, path: ColourPath) -> Pixels | None:
        """A frame's small picture where it was made before, whatever lies in its file now. For worker threads."""
        return self._small.get(_small_key(frame, path))

    def draw_thumbnails(self, wishes: list[tuple[Frame, ColourPath]], screen: Space) -> None:
        """Draw thumbnails in the given order; an older list is dropped."""
        self._thumb_wish += 1
        wish, total = self._thumb_wish, len(wishes)
        left = [total]

        def one(frame: Frame, path: ColourPath) -> None:
            if wish != self._thumb_wish:
                return
            try:
                small = self.small(frame, path)
                image = to_image(for_screen(eased(to_working(small, path), path), path, screen))
            except Exception:  # said when the frame is shown
                _log.info("no thumbnail of %s", frame.path, exc_info=True)
                image = QImage()
            left[0] -= 1
            if wish == self._thumb_wish:
                self.thumbnail.emit(frame.id, path, image)
                self.thumbnails_left.emit(left[0], total)

        for item in wishes:
            self._thumbs.submit(one, *item)


def _small_key(frame: Frame, path: ColourPath) -> str:
    return f"{frame.digest}-{path.source.page}" if isinstance(path.source, PictureSource) else frame.digest
