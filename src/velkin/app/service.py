"""The render service: decodes, renders and measures on worker threads; the newest wish wins; results come as signals.

The GUI thread never decodes, fits or converts. Decoded frames are kept within a memory budget, newest longest.
"""

from __future__ import annotations

import contextlib
import os
import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from velkin.app.small_pictures import SmallPictures
from velkin.core.cameraprofiles.models import Matrix
from velkin.core.errors import VelkinError
from velkin.core.files.source import decode_source
from velkin.core.gamut.outside import Outside, measure_outside, outside_mask
from velkin.core.path import CameraStage, ColourPath, PictureStage
from velkin.core.render import for_screen, histogram, to_space, to_working
from velkin.core.shoot.state import Frame
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]

_BUDGET = 900_000_000
#: Any raw frame's stage: decoding asks only whether it is raw.
_RAW = CameraStage((1.0, 1.0, 1.0), "", Matrix(((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))))


def to_image(pixels: NDArray[np.uint8]) -> QImage:
    """A QImage of encoded RGB (H, W, 3) uint8, holding its own copy."""
    data = np.ascontiguousarray(pixels)
    height, width = data.shape[:2]
    return QImage(data.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def _mask_image(mask: NDArray[np.bool_]) -> QImage:
    height, width = mask.shape
    return QImage((mask.astype(np.uint8) * 255).tobytes(), width, height, width, QImage.Format.Format_Alpha8).copy()


@dataclass(frozen=True)
class Rendered:
    """A frame rendered for the viewer.

    Attributes
    ----------
    frame : int
    path : ColourPath
    image : QImage
    hatch : QImage or None
        Mask (8-bit) of what the destination cannot hold, when it was asked for.
    working : ndarray (H, W, 3), float32
        Linear working numbers for the readout.
    full : bool
        Whether this is the full-size decode.
    others : tuple of QImage
        The same picture through other paths, to compare with.
    source : ndarray (H, W, C)
        What was decoded, for the numbers of the frame's own space.
    """

    frame: int
    path: ColourPath
    image: QImage
    hatch: QImage | None
    working: Pixels
    full: bool
    others: tuple[QImage, ...] = ()
    source: NDArray[Any] | None = None


@dataclass(frozen=True)
class Measured:
    """What the scope and the stops show of a frame: counts over the full picture (or, until that is there, its half size)."""

    frame: int
    path: ColourPath
    here: NDArray[np.int64]
    there: NDArray[np.int64]
    here_outside: Outside
    there_outside: Outside
    exact: bool


class _Decoded:
    """Decoded sources at half and full size, within a budget; one decode of a file at a time."""

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[str, int, bool], NDArray[Any]] = OrderedDict()
        self._lock = threading.Lock()
        self._busy: dict[tuple[str, int, bool], threading.Lock] = {}

    def get(self, path: Path, camera: CameraStage | PictureStage, half: bool) -> NDArray[Any]:
        key = (str(path), camera.page if isinstance(camera, PictureStage) else -1, half)
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
            gate = self._busy.setdefault(key, threading.Lock())
        with gate:
            with self._lock:
                if key in self._kept:
                    return self._kept[key]
            pixels = decode_source(path, camera, half)
            with self._lock:
                self._kept[key] = pixels
                while len(self._kept) > 1 and sum(p.nbytes for p in self._kept.values()) > _BUDGET:
                    self._kept.popitem(last=False)
            return pixels

    def forget(self, path: Path) -> None:
        with self._lock:
            for key in [k for k in self._kept if k[0] == str(path)]:
                del self._kept[key]


class RenderService(QObject):
    """Work on pixels for the window."""

    rendered = pyqtSignal(object)
    measured = pyqtSignal(object)
    thumbnail = pyqtSignal(int, object, QImage)
    failed = pyqtSignal(int, str)
    thumbnails_left = pyqtSignal(int, int)
    finished = pyqtSignal(object, object)  # callback, result or VelkinError

    def __init__(self, small: SmallPictures | None = None) -> None:
        super().__init__()
        self._decoded = _Decoded()
        self._small = small or SmallPictures()
        self._front = ThreadPoolExecutor(max_workers=1, thread_name_prefix="viewer")
        self._back = ThreadPoolExecutor(max_workers=1, thread_name_prefix="measure")
        self._work = ThreadPoolExecutor(max_workers=1, thread_name_prefix="work")
        self._thumbs = ThreadPoolExecutor(max_workers=max((os.cpu_count() or 2) - 1, 1), thread_name_prefix="thumbs")
        self._wish = 0
        self._thumb_wish = 0
        self._exact: OrderedDict[Any, Measured] = OrderedDict()
        self._closing = False
        self.finished.connect(self._deliver)

    def close(self) -> None:
        """Stop taking work; what runs is let finish."""
        self._closing = True
        self._wish += 1
        self._thumb_wish += 1
        self._small.prune()
        for pool in (self._front, self._back, self._work, self._thumbs):
            pool.shutdown(wait=True, cancel_futures=True)

    def forget(self) -> None:
        """Drop what is under way for thumbnails, when another shoot is opened; decoded pixels go by age."""
        self._thumb_wish += 1

    def half(self, path: Path) -> Pixels:
        """A raw frame's half-size decode, from memory when it is there. For worker threads. Raises UnreadableFile."""
        return self.source(path, _RAW, True)

    def source(self, path: Path, camera: CameraStage | PictureStage, half: bool) -> NDArray[Any]:
        """A frame's decoded source, from memory when it is there. For worker threads. Raises UnreadableFile, NotSupported."""
        return self._decoded.get(path, camera, half)

    def read_again(self, path: Path) -> None:
        """Forget a source whose file was written anew."""
        self._decoded.forget(path)

    # ---- the viewer's frame -----------------------------------------------------------------------------------

    def expect(self, source: Path, camera: CameraStage | PictureStage) -> None:
        """Begin to decode a frame that will be shown next; errors are left to its showing."""

        def early() -> None:
            with contextlib.suppress(VelkinError):
                self._decoded.get(source, camera, True)

        self._front.submit(early)

    def show(
        self,
        frame: int,
        source: Path,
        path: ColourPath,
        screen: RGBSpace,
        full: bool = False,
        hatching: bool = False,
        others: tuple[ColourPath, ...] = (),
    ) -> None:
        """Render a frame for the viewer and measure it; an older wish that has not begun is dropped."""
        self._wish += 1
        self._front.submit(self._render, self._wish, frame, source, path, screen, full, hatching, others)

    def _render(
        self,
        wish: int,
        frame: int,
        source: Path,
        path: ColourPath,
        screen: RGBSpace,
        full: bool,
        hatching: bool,
        others: tuple[ColourPath, ...],
    ) -> None:
        if wish != self._wish:
            return
        try:
            camera = self._decoded.get(source, path.camera, not full)
            working = to_working(camera, path)
            image = to_image(for_screen(working, path, screen))
            hatch = _mask_image(outside_mask(to_space(working, path, path.destination), path.destination)) if hatching else None
            beside = tuple(to_image(for_screen(to_working(camera, other), other, screen)) for other in others)
        except VelkinError as error:
            self.failed.emit(frame, str(error))
            return
        except (cv2.error, MemoryError) as error:
            self.failed.emit(frame, f"{source.name} could not be rendered ({error})")
            return
        if wish == self._wish:
            self.rendered.emit(Rendered(frame, path, image, hatch, working, full, beside, camera))
            self._back.submit(self._measure, wish, frame, source, path)  # the picture first, its numbers after

    def _measure(self, wish: int, frame: int, source: Path, path: ColourPath) -> None:
        if wish != self._wish:
            return
        key = (str(source), path)
        if key in self._exact:
            self.measured.emit(self._exact[key])
            return
        try:
            self.measured.emit(self._numbers(frame, self._decoded.get(source, path.camera, True), path, False))
            if wish != self._wish:
                return
            result = self._numbers(frame, self._decoded.get(source, path.camera, False), path, True)
        except (VelkinError, cv2.error, MemoryError):
            return  # the viewer's own wish reports it
        self._exact[key] = result
        while len(self._exact) > 200:
            self._exact.popitem(last=False)
        if wish == self._wish:
            self.measured.emit(result)

    @staticmethod
    def _numbers(frame: int, camera: NDArray[Any], path: ColourPath, exact: bool) -> Measured:
        working = to_working(camera, path)
        there = to_space(working, path, path.destination)
        return Measured(
            frame,
            path,
            histogram(working, path.working),
            histogram(there, path.destination),
            measure_outside(working, path.working),
            measure_outside(there, path.destination),
            exact,
        )

    # ---- thumbnails -------------------------------------------------------------------------------------------

    def small(self, frame: Frame, path: ColourPath) -> Pixels:
        """A frame's small picture, linear camera RGB or a finished picture's numbers. For worker threads. Raises VelkinError."""
        key = f"{frame.digest}-{path.camera.page}" if isinstance(path.camera, PictureStage) else frame.digest
        small = self._small.get(key)
        if small is None:
            return self._small.make(key, self._decoded.get(frame.path, path.camera, True))
        if not frame.path.exists():
            raise VelkinError("the source is not there any more")
        return small

    def draw_thumbnails(self, wishes: list[tuple[Frame, ColourPath]], screen: RGBSpace) -> None:
        """Draw thumbnails in the given order; an older list is dropped."""
        self._thumb_wish += 1
        wish, total = self._thumb_wish, len(wishes)
        left = [total]

        def one(frame: Frame, path: ColourPath) -> None:
            if wish != self._thumb_wish:
                return
            try:
                small = self.small(frame, path)
                plain = replace(path, destination=path.working)
                image = to_image(for_screen(to_working(small, plain), plain, screen))
            except (VelkinError, cv2.error, MemoryError):
                image = QImage()
            left[0] -= 1
            if wish == self._thumb_wish:
                self.thumbnail.emit(frame.id, path, image)
                self.thumbnails_left.emit(left[0], total)

        for item in wishes:
            self._thumbs.submit(one, *item)

    # ---- anything else ----------------------------------------------------------------------------------------

    def do(self, work: Callable[[], Any], done: Callable[[Any], None]) -> None:
        """Run `work` on a worker and give its result, or the VelkinError it raised, to `done` on the GUI thread."""

        def task() -> None:
            try:
                result = work()
            except VelkinError as error:
                result = error
            except (OSError, MemoryError, cv2.error, np.linalg.LinAlgError) as error:
                result = VelkinError(f"the work stopped ({error}); nothing was changed")
            except Exception as error:  # whatever it is, the window must not wait for it for ever
                result = VelkinError(f"the work stopped unexpectedly ({type(error).__name__}: {error}); nothing was changed")
            if not self._closing:
                self.finished.emit(done, result)

        if not self._closing:
            self._work.submit(task)

    def _deliver(self, done: Callable[[Any], None], result: Any) -> None:
        done(result)
