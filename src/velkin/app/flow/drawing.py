"""What the viewer is given: pictures, parts and masks as drawn, and what is said of them. Plain functions for worker threads."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QImage

from velkin.app.flow.loss_map import ONLY_GREY, map_colours
from velkin.core.conversion.outside import Outside
from velkin.core.gamut.masks import Window
from velkin.core.gamut.membership import outside
from velkin.core.gamut.simulation import PLAIN, Paper, lost_there
from velkin.core.icc.space import Space
from velkin.core.measures import ProofMeasures, measure_source
from velkin.core.path import ColourPath
from velkin.core.render import eased, for_screen, to_working
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.pictures import lab

Pixels = NDArray[np.float32]

_LARGEST_MASK = 2048


def to_image(pixels: NDArray[np.uint8]) -> QImage:
    """A QImage of encoded RGB (H, W, 3) uint8, holding its own copy."""
    data = np.ascontiguousarray(pixels)
    height, width = data.shape[:2]
    return QImage(data.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def _mask_image(mask: NDArray[np.bool_]) -> QImage:
    height, width = mask.shape
    return QImage((mask.astype(np.uint8) * 255).tobytes(), width, height, width, QImage.Format.Format_Alpha8).copy()


def pooled(mask: NDArray[np.bool_], width: int, height: int) -> QImage:
    """A mask in another size in which nothing that is marked goes missing."""
    return _mask_image(_pooled(mask, width, height))


def _pooled(mask: NDArray[np.bool_], width: int, height: int) -> NDArray[np.bool_]:
    if mask.shape == (height, width):
        return mask
    return np.asarray(cv2.resize(mask.astype(np.float32), (width, height), interpolation=cv2.INTER_AREA) > 0)


def kept_mask(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """A mask no larger than screens are, nothing missing, to be remembered with the numbers of a frame."""
    by = min(1.0, _LARGEST_MASK / max(mask.shape))
    return _pooled(mask, max(round(mask.shape[1] * by), 1), max(round(mask.shape[0] * by), 1))


@dataclass(frozen=True)
class Seen:
    """How the viewer shows a frame.

    Attributes
    ----------
    screen : Space
    room : (width, height)
        Device pixels that the whole picture has when it is fitted; (0, 0) for as many as the half-size decode has.
    part : (left, top, width, height) or None
        What is visible when zoomed in, as shares of the picture; it is rendered by itself, as sharp as the screen shows it.
    scale : float
        Device pixels per picture pixel of that part.
    proofed : bool
        Show the colours that the destination has.
    paper : Paper
    mark : str
        ``hatch``, ``delta`` (the ΔE map) or ``only`` (only what is outside); ``change`` for the ΔE map of what a match or a look changes;
        empty for none.
    threshold : float
        Mark from this ΔE00 on; 0 marks all that is outside.
    """

    screen: Space
    room: tuple[int, int] = (0, 0)
    part: tuple[float, float, float, float] | None = None
    scale: float = 1.0
    proofed: bool = False
    paper: Paper = PLAIN
    mark: str = ""
    threshold: float = 0.0


@dataclass(frozen=True)
class Drawn:
    """One state of a picture as drawn: the whole, the visible part where it is sharper, and masks of what is marked on them."""

    image: QImage
    hatch: QImage | None = None
    part: QImage | None = None
    part_hatch: QImage | None = None
    #: Where the part lies: left, top, width, height as shares of the picture.
    part_at: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)


@dataclass(frozen=True)
class Rendered:
    """A frame rendered for the viewer.

    Attributes
    ----------
    frame : int
    path : ColourPath
    seen : Seen
    now : Drawn
    working : ndarray (H, W, 3), float32
        Linear working numbers of the whole at the size shown, before easing.
    others : tuple of Drawn
        The same picture in other states, to compare with.
    source : ndarray (H, W, C)
        What was decoded, for the numbers of the frame's own space.
    """

    frame: int
    path: ColourPath
    seen: Seen
    now: Drawn
    working: Pixels
    others: tuple[Drawn, ...] = ()
    source: NDArray[Any] | None = None

    @property
    def image(self) -> QImage:
        """The whole picture."""
        return self.now.image

    @property
    def hatch(self) -> QImage | None:
        """The mask of what is hatched on it."""
        return self.now.hatch


@dataclass(frozen=True)
class Measured:
    """What the scope and the stops show of a frame: counts over the full picture (or, until that is there, its half size).

    Attributes
    ----------
    here : ndarray (3, bins), int64
        Histogram of the working numbers, of an even sample.
    here_outside : Outside
    proofed : ProofMeasures
    exact : bool
    mask : ndarray (H, W), bool, or None
        What is outside, of the half size, at `kept_mask`'s size at most.
    """

    frame: int
    path: ColourPath
    here: NDArray[np.int64]
    here_outside: Outside
    proofed: ProofMeasures
    exact: bool
    mask: NDArray[np.bool_] | None = None

    @property
    def there(self) -> NDArray[np.int64]:
        """Histogram of the numbers there."""
        return self.proofed.there

    @property
    def there_outside(self) -> Outside:
        """What the destination cannot hold of the picture as eased."""
        return self.proofed.after


#: Gives what was made under a key before, or makes it.
Keep = Callable[[tuple[Any, ...], Callable[[], Any]], Any]


def _anew(key: tuple[Any, ...], make: Callable[[], Any]) -> Any:
    return make()


def draw(working: Pixels, path: ColourPath, seen: Seen, window: Window | None, keep: Keep = _anew) -> Drawn:
    """A picture, or the part of it that `window` says, as the screen is given it, with the mask of what is marked.

    `keep` may give what was made before for another way of seeing the same path.
    """
    now: list[Pixels] = []

    def eased_now() -> Pixels:
        if not now:
            now.append(eased(working, path, window))
        return now[0]

    def lost() -> Pixels:
        found: Pixels = keep(("lost", path), lambda: lost_there(eased_now(), path.proof))
        return found

    def out() -> NDArray[np.bool_]:
        found: NDArray[np.bool_] = keep(("outside", path), lambda: outside(eased_now(), path.proof))
        return found

    if seen.mark == "delta":
        return Drawn(to_image(map_colours(lost(), out(), eased_now(), path)))
    image = keep(
        ("image", path, seen.screen, seen.proofed, seen.paper),
        lambda: for_screen(eased_now(), path, seen.screen, proofed=seen.proofed, paper=seen.paper),
    )
    if not seen.mark:
        return Drawn(to_image(image))
    marked = out() & (lost() >= seen.threshold) if seen.threshold > 0 else out()
    if seen.mark == "only":
        return Drawn(to_image(np.where(marked[..., None], image, np.uint8(ONLY_GREY))))
    return Drawn(to_image(image), _mask_image(marked))


def draw_change(light: Pixels, looked: Pixels, path: ColourPath) -> Drawn:
    """The ΔE map of what a match or a look makes of light (H, W, 3) in the working space."""
    moved = ciede2000(lab(light, path.working), lab(looked, path.working)).astype(np.float32)
    return Drawn(to_image(map_colours(moved, np.ones(moved.shape, dtype=np.bool_), looked, path)))


def numbers_of(
    frame: int, source: NDArray[Any], path: ColourPath, exact: bool, known: ProofMeasures | None
) -> tuple[Measured, NDArray[np.bool_] | None]:
    """What is said of a picture, of its decode at any size; `known` are the numbers of the half size."""
    said = measure_source(source, path, known)
    return Measured(frame, path, said.here, said.here_outside, said.proofed, exact), said.mask


def draw_part(pixels: NDArray[Any], is_half: bool, path: ColourPath, seen: Seen) -> Drawn:
    """The visible part of a picture, from a decode of full or half size, as sharp as the screen shows it."""
    height, width = pixels.shape[:2]
    assert seen.part is not None
    left, top = int(seen.part[0] * width), int(seen.part[1] * height)
    right = min(max(round((seen.part[0] + seen.part[2]) * width), left + 1), width)
    bottom = min(max(round((seen.part[1] + seen.part[3]) * height), top + 1), height)
    working = to_working(pixels[top:bottom, left:right], path, Window(width, height, left, top))
    by = min(seen.scale * (2 if is_half else 1), 1.0)
    size = (max(round(working.shape[1] * by), 1), max(round(working.shape[0] * by), 1))
    if size != working.shape[1::-1]:
        working = np.asarray(cv2.resize(working, size, interpolation=cv2.INTER_AREA), dtype=np.float32)
    window = Window(round(width * by), round(height * by), round(left * by), round(top * by))
    at = (left / width, top / height, (right - left) / width, (bottom - top) / height)
    return replace(draw(working, path, seen, window), part_at=at)
