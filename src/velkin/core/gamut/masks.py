"""Where an easing acts, as a mask: round what is outside, or where the brush went."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import BAND, in_bands
from velkin.core.gamut.easing import Stroke
from velkin.core.gamut.kernels import dabs

Pixels = NDArray[np.float32]
T = TypeVar("T")


@dataclass(frozen=True)
class Window:
    """The part of a picture that is at hand: size of the whole at this scale, and where the part begins, in pixels."""

    width: int
    height: int
    left: int = 0
    top: int = 0


def by_rows(work: Callable[[slice, Window], T], width: int, height: int, by_bands: bool = True) -> list[T]:
    """What `work` makes of the rows of a picture, told which and where they lie: in bands on all cores, so that what is made on the way takes
    little memory and stays near the processor; all rows at once where what is done `by_bands` would show."""

    def band(first: int, last: int) -> T:
        return work(slice(first, last), Window(width, height, 0, first))

    return in_bands(band, height, max(BAND // max(width, 1), 1)) if by_bands else [band(0, height)]


#: Strokes are painted at this size of the longest side at most and enlarged; brushes are soft.
_LARGEST = 2048


def feathered(outside: NDArray[np.bool_], width: float) -> Pixels:
    """A mask (H, W) that is 1 where something is outside and falls off round it over `width` pixels."""
    hard = outside.astype(np.float32)
    if width < 0.5 or not outside.any():
        return hard
    # in a quarter of the size where the edge is wide: it is smooth there
    small = width > 12
    size = (max(outside.shape[1] // 4, 1), max(outside.shape[0] // 4, 1)) if small else outside.shape[::-1]
    work = cv2.resize(hard, size, interpolation=cv2.INTER_AREA) if small else hard
    reach = width / 4 if small else width
    side = 2 * round(reach) + 1
    grown = cv2.dilate((work > 0).astype(np.float32), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))
    soft = cv2.GaussianBlur(grown, (0, 0), max(reach / 2, 0.5))
    if small:
        soft = cv2.resize(soft, outside.shape[::-1], interpolation=cv2.INTER_LINEAR)
    return np.maximum(hard, np.asarray(soft, dtype=np.float32))


def painted(strokes: tuple[Stroke, ...], height: int, width: int, window: Window) -> Pixels:
    """The mask (H, W) that strokes paint, in order, on the part of the picture that `window` says. Do not write into it."""
    scale = min(1.0, _LARGEST / max(window.height, window.width))
    h, w = max(round(window.height * scale), 1), max(round(window.width * scale), 1)
    mask = _painted_at(strokes, h, w)
    if (h, w) == (height, width):
        return mask
    across, down = w / window.width, h / window.height
    # pixel centres of the part in the painted mask
    place = np.array([[across, 0.0, across * (window.left + 0.5) - 0.5], [0.0, down, down * (window.top + 0.5) - 0.5]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(
        cv2.warpAffine(mask, place, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE), dtype=np.float32
    )


_lock = threading.Lock()
#: For each size, strokes that were painted last and their mask: a new stroke goes over them and costs only itself.
_last: OrderedDict[tuple[int, int], tuple[tuple[Stroke, ...], Pixels]] = OrderedDict()


def _painted_at(strokes: tuple[Stroke, ...], height: int, width: int) -> Pixels:
    with _lock:
        before, mask = _last.get((height, width), ((), np.zeros((height, width), dtype=np.float32)))
    if strokes[: len(before)] != before:
        before, mask = (), np.zeros((height, width), dtype=np.float32)
    mask = mask.copy()
    for stroke in strokes[len(before) :]:
        _paint(mask, stroke)
    with _lock:
        _last[(height, width)] = (strokes, mask)
        while len(_last) > 6:
            _last.popitem(last=False)
    return mask


def _paint(mask: Pixels, stroke: Stroke) -> None:
    height, width = mask.shape
    x, y, pressure = _dense(stroke, height, width)
    radius = 0.5 * stroke.size * max(height, width) * (0.35 + 0.65 * pressure)
    # dabs lie a quarter of the radius apart: about eight of them cover a point, and together they come to the flow
    amount = 1.0 - (1.0 - np.clip(stroke.flow, 0.0, 0.995) * pressure) ** 0.25
    dabs(
        mask,
        *(v.astype(np.float32) for v in (x, y, np.maximum(radius, 0.5), amount)),
        np.float32(stroke.softness),
        stroke.erase,
    )


def _dense(stroke: Stroke, height: int, width: int) -> tuple[NDArray[np.float64], ...]:
    """Points in pixels and pressure along a stroke, no further apart than a quarter of its radius."""
    points = np.array(stroke.points, dtype=np.float64).reshape(-1, 3) * np.array([width, height, 1.0])
    step = max(0.125 * stroke.size * max(height, width), 0.5)
    lengths = np.hypot(*np.diff(points[:, :2], axis=0).T) if len(points) > 1 else np.zeros(0)
    along = np.concatenate([[0.0], np.cumsum(lengths)])
    places = np.linspace(0.0, along[-1], max(int(np.ceil(along[-1] / step)) + 1, 1))
    x, y, pressure = (np.interp(places, along, points[:, k]) for k in range(3))
    return x, y, np.clip(pressure, 0.0, 1.0)
