"""A frame at a destination: resized in linear light, sharpened where wanted, eased, converted, in the file's own numbers.

Pictures are worked through in bands of rows, so that a large one takes little more memory than its source and its result.
On the way it is noted what stayed outside, and on a few hundred blocks which colours the proof shows: what a written file is
checked against.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.codes import Numbers, as_float, in_bits, quantised
from velkin.core.conversion.dither import SIDE
from velkin.core.conversion.light import linear_in
from velkin.core.conversion.outside import Outside
from velkin.core.destinations.destination import SHARPENING, Destination
from velkin.core.destinations.sizing import Fitted, fitted
from velkin.core.files.transparency import opacity
from velkin.core.gamut.easing import DETAIL, WHERE_OUT, Easing
from velkin.core.gamut.masks import Window
from velkin.core.gamut.proof import Paper, count_outside, lab, linear_there
from velkin.core.icc.space import CHANNELS, ICCSpace, same_numbers
from velkin.core.icc.transform import Intent
from velkin.core.path import ColourPath
from velkin.core.render import codes_there, eased, to_working
from velkin.core.sampling import spread
from velkin.core.sources import Levels
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]

#: Rows of a band: as the dither repeats, so that it goes on from band to band.
_BAND = SIDE
#: Rows beyond a band that sharpening looks at.
_HALO = 8
#: What covers less than this of what lies below is not seen.
_INVISIBLE = np.float32(1 / 1024)
#: Side of the blocks that the check compares, and about how many of them.
BLOCK = 8
_ACROSS, _DOWN = 48, 32
#: Up to so many pixels all are counted; of larger pictures, and at destinations known by their profile, an even sample.
_COUNTED, _SAMPLE = 4_000_000, 1_000_000


@dataclass(frozen=True)
class ProofBlocks:
    """What the proof shows on blocks of `BLOCK` pixels (fewer in tiny pictures) spread over the file.

    Attributes
    ----------
    places : ndarray (N, 2), int64
        Left and top of each in the file.
    side : int
    lab : ndarray (N, 3), float32
        Mean Lab D50 of each.
    intent : Intent
        How the file's numbers are to be read to compare with it.
    """

    places: NDArray[np.int64]
    side: int
    lab: Pixels
    intent: Intent = Intent.RELATIVE


@dataclass(frozen=True)
class AtDestination:
    """A picture as it will be written.

    Attributes
    ----------
    codes : ndarray (H, W, C), uint8 or uint16
        In the destination's space; CMYK is the amount of ink.
    alpha : ndarray (H, W) or None
        Of the same dtype, where transparent parts stay so.
    before, after : Outside
        What was outside without easings, and is with them; of what is visible.
    proof : ProofBlocks
    kept : bool
        Whether the source's own numbers were kept: it was in this space, at this size, in these bits already.
    ppi : float or None
        Of a print.
    """

    codes: Numbers
    before: Outside
    after: Outside
    proof: ProofBlocks
    kept: bool
    ppi: float | None
    alpha: Numbers | None = None


def at_destination(source: Levels, path: ColourPath, destination: Destination) -> AtDestination:
    """Render a frame for a destination.

    Parameters
    ----------
    source : Levels
        Its transparent parts stay so where the destination keeps them, and are laid over white elsewhere.
    path : ColourPath
        Led to the destination's space (`State.toward_destination`).
    destination : Destination

    Raises
    ------
    BadProfile
    """
    height, width = source.pixels.shape[:2]
    if not destination.file.keeps_transparency(path.destination.model):
        source = Levels(source.merged(), None, source.model)
    fit = fitted(destination.size, width, height)
    plain = not path.easings and not SHARPENING[destination.sharpen]
    same = path.keeps_numbers and same_numbers(path.here, path.destination)
    if same and plain and (fit.scaled == (width, height) or isinstance(path.destination, ICCSpace)):
        return _own_numbers(source, path, destination, fit)
    return _rendered(source, path, destination, fit)


# ---- the picture's rows -------------------------------------------------------------------------------------------


class _Rows:
    """Linear working rows of a picture at its written size, and how opaque it is there."""

    def __init__(self, levels: Levels, path: ColourPath, size: tuple[int, int], bits: int) -> None:
        self._path = path
        source, self._alpha = levels.pixels, levels.alpha
        # linear camera numbers are resized as they are, which costs one pass; everything else as linear working light
        self._raw = path.is_raw and not path.steps
        self._source = source
        self._resized: Pixels | None = None
        self.width, self.height = size
        #: (H, W), 0..1; None where all of it is.
        self.opacity: Pixels | None = opacity(self._alpha) if self._alpha is not None else None
        if size == (source.shape[1], source.shape[0]):
            return
        if self._raw and bits == 8 and size[0] < source.shape[1]:  # a level is a twentieth of the darkest code, or less
            self._resized = as_float(np.asarray(cv2.resize(source, size, interpolation=cv2.INTER_AREA)))
        elif self.opacity is None:
            self._resized = resized(self._linear, source.shape[1], source.shape[0], size)
        else:  # what is not seen must not run into what is: light is resized by how much of it there is
            covers = self.opacity
            light = resized(lambda a, z: self._linear(a, z) * covers[a:z, :, None], source.shape[1], source.shape[0], size)
            self.opacity = np.clip(resized(lambda a, z: covers[a:z], source.shape[1], source.shape[0], size), 0.0, 1.0)
            self._resized = np.asarray(light / np.maximum(self.opacity, _INVISIBLE)[..., None], dtype=np.float32)

    def _linear(self, first: int, last: int) -> Pixels:
        part = self._source[first:last]
        if self._raw:
            return as_float(part)
        return self._working(part)

    def _working(self, part: NDArray[Any]) -> Pixels:
        return to_working(as_float(part) if self._path.is_raw else part, self._path)

    def __call__(self, first: int, last: int) -> Pixels:
        """Rows from `first` up to `last`."""
        if self._resized is None:
            return self._working(self._source[first:last])
        part = self._resized[first:last]
        return to_working(part, self._path) if self._raw else part


def resized(rows: Any, width: int, height: int, size: tuple[int, int]) -> Pixels:
    """A picture brought to another size, from a function that gives its rows: means of areas when smaller, cubic when larger.

    Both are separable, so that each band is brought to its width and then all of it to its height.
    """
    across = cv2.INTER_AREA if size[0] < width else cv2.INTER_CUBIC
    down = cv2.INTER_AREA if size[1] < height else cv2.INTER_CUBIC
    narrow: Pixels | None = None
    for first in range(0, height, _BAND):
        part = np.ascontiguousarray(rows(first, min(first + _BAND, height)), dtype=np.float32)
        if narrow is None:
            narrow = np.empty((height, size[0], *part.shape[2:]), dtype=np.float32)
        narrow[first : first + len(part)] = cv2.resize(part, (size[0], len(part)), interpolation=across)
    assert narrow is not None
    return np.asarray(cv2.resize(narrow, size, interpolation=down), dtype=np.float32)


def sharpened(linear: Pixels, space: RGBSpace, amount: float) -> Pixels:
    """Local lightness contrast raised without halos: cube-root luminance is sharpened, held within its neighbours' range.

    Hue and chroma stay: each pixel is scaled as a whole.
    """
    luminance = np.maximum(linear @ space.to_xyz[1].astype(np.float32), 0.0)
    light = np.cbrt(luminance)
    wanted = light + np.float32(amount) * (light - cv2.GaussianBlur(light, (0, 0), 0.9))
    kernel = np.ones((3, 3), dtype=np.uint8)
    wanted = np.clip(wanted, cv2.erode(light, kernel), cv2.dilate(light, kernel))
    gain = np.where(light > 1e-3, (wanted / np.maximum(light, 1e-3)) ** 3, 1.0).astype(np.float32)
    return np.asarray(linear * gain[..., None], dtype=np.float32)


# ---- rendering ----------------------------------------------------------------------------------------------------


def working_at(source: NDArray[Any], path: ColourPath, size: tuple[int, int]) -> Pixels:
    """Linear working RGB (H, W, 3) of a whole frame at another size, not eased and unclipped: what files are compared with."""
    rows = _Rows(Levels(source), path, size, 16)
    return np.concatenate([rows(first, min(first + _BAND, rows.height)) for first in range(0, rows.height, _BAND)])


def _whole(easing: Easing) -> bool:
    """Whether an easing looks far round each pixel, so that bands would show."""
    return easing.kind == DETAIL or easing.place.kind == WHERE_OUT


def _rendered(source: Levels, path: ColourPath, destination: Destination, fit: Fitted) -> AtDestination:
    rows = _Rows(source, path, fit.scaled, destination.file.bits)
    amount = SHARPENING[destination.sharpen]
    file, to = destination.file, path.destination
    codes = _canvas(fit, CHANNELS[to.model], file.bits, to.model)
    window = _visible(fit)
    places, side = _places(window)
    colours: list[Pixels] = []
    before: Outside | None = None
    after: Outside | None = None
    step = rows.height if any(_whole(e) for e in path.easings) else _BAND
    for first in range(0, rows.height, step):
        last = min(first + step, rows.height)
        if amount:
            top = max(first - _HALO, 0)
            wide = sharpened(rows(top, min(last + _HALO, rows.height)), path.working, amount)
            working = wide[first - top : first - top + last - first]
        else:
            working = rows(first, last)
        now = eased(working, path, Window(rows.width, rows.height, 0, first))
        seen = None if rows.opacity is None else rows.opacity[first:last] > _INVISIBLE
        found = _outside(now, path, rows.width * rows.height, seen)
        after = found if after is None else after + found
        if now is not working:
            found = _outside(working, path, rows.width * rows.height, seen)
        before = found if before is None else before + found
        inside = [(x, y) for x, y in places if first <= y < last]
        if inside:
            colours.append(_proofed(now, path, [(x, y - first) for x, y in inside], side))
        _put(codes, codes_there(now, path, file.bits, file.dither, first), fit, first)
    assert before is not None and after is not None
    at = np.array(places, dtype=np.int64).reshape(-1, 2) + np.array([fit.left, fit.top])
    read = Intent.ABSOLUTE if path.intent is Intent.ABSOLUTE and isinstance(to, ICCSpace) else Intent.RELATIVE
    alpha = None if rows.opacity is None else _alpha_codes(rows.opacity, fit, file.bits)
    return AtDestination(codes, before, after, ProofBlocks(at, side, np.concatenate(colours), read), False, fit.ppi, alpha)


def _alpha_codes(covers: Pixels, fit: Fitted, bits: int) -> Numbers:
    """Alpha (H, W) of the file; nothing covers what lies round the picture."""
    codes = quantised(covers[..., None], bits)[..., 0]
    if fit.out == fit.scaled:
        return codes
    whole = np.zeros((fit.out[1], fit.out[0], 1), dtype=codes.dtype)
    _put(whole, codes[..., None], fit, 0)
    return whole[..., 0]


def _outside(linear: Pixels, path: ColourPath, pixels: int, seen: NDArray[np.bool_] | None = None) -> Outside:
    flat = linear.reshape(-1, 3) if seen is None else linear[seen]
    if not len(flat) or pixels <= (_COUNTED if isinstance(path.destination, RGBSpace) else _SAMPLE):
        return count_outside(flat[None], path.proof)
    return count_outside(spread(flat, max(round(len(flat) * _SAMPLE / pixels), 1))[None], path.proof)


def _canvas(fit: Fitted, channels: int, bits: int, model: str) -> NDArray[Any]:
    """The file's pixels, white where no picture will stand."""
    kind = np.uint8 if bits == 8 else np.uint16
    white = 0 if model == "cmyk" else 255 if bits == 8 else 65535
    if fit.out == fit.scaled:
        return np.empty((fit.out[1], fit.out[0], channels), dtype=kind)
    return np.full((fit.out[1], fit.out[0], channels), white, dtype=kind)


def _visible(fit: Fitted) -> tuple[int, int, int, int]:
    """Left, top, right, bottom of what of the scaled picture stands in the file."""
    left, top = max(-fit.left, 0), max(-fit.top, 0)
    return left, top, min(fit.scaled[0], left + fit.out[0]), min(fit.scaled[1], top + fit.out[1])


def _put(codes: NDArray[Any], part: NDArray[Any], fit: Fitted, first: int) -> None:
    left, top, right, bottom = _visible(fit)
    a, z = max(first, top), min(first + len(part), bottom)
    if a < z:
        x, y = max(fit.left, 0), a + fit.top
        codes[y : y + z - a, x : x + right - left] = part[a - first : z - first, left:right]


# ---- what the file is checked against -----------------------------------------------------------------------------


def _places(window: tuple[int, int, int, int]) -> tuple[list[tuple[int, int]], int]:
    """Left and top of blocks spread over a part of the scaled picture, none across two bands, row by row; and their side."""
    left, top, right, bottom = window
    side = min(BLOCK, right - left, bottom - top)

    def along(first: int, last: int, number: int) -> list[int]:
        room = last - first - side
        return sorted({first + round(room * (i + 0.5) / number) for i in range(number)})

    downwards = set()
    for y in along(top, bottom, _DOWN):
        end = (y // _BAND + 1) * _BAND
        downwards.add(max(min(y, end - side), top) if end - side >= top else y)
    if any(y // _BAND != (y + side - 1) // _BAND for y in downwards):  # a sliver across two bands: looked at in one row
        side, downwards = 1, {top}
    return [(x, y) for y in sorted(downwards) for x in along(left, right, _ACROSS)], side


def _blocks(pixels: NDArray[Any], places: list[tuple[int, int]], side: int) -> NDArray[Any]:
    """Pixels (N · side, side, C) of the blocks."""
    return np.concatenate([pixels[y : y + side, x : x + side] for x, y in places])


def _proofed(linear: Pixels, path: ColourPath, places: list[tuple[int, int]], side: int) -> Pixels:
    """Mean Lab (N, 3) that the destination shows on blocks of linear working rows; the medium's black is not wished away."""
    there = linear_there(np.ascontiguousarray(_blocks(linear, places, side)), path.proof, Paper(black=True))
    return _means(lab(there, path.working), len(places))


def _means(colours: Pixels, number: int) -> Pixels:
    return np.asarray(colours.reshape(number, -1, 3).mean(axis=1), dtype=np.float32)


# ---- numbers that are right already -------------------------------------------------------------------------------


def _own_numbers(source: Levels, path: ColourPath, destination: Destination, fit: Fitted) -> AtDestination:
    """A picture that is in the destination's space: its numbers are kept, or resized as they are where they are ink or tables."""
    bits = destination.file.bits
    numbers = source.pixels
    covers = None if source.alpha is None else opacity(source.alpha)
    if fit.scaled != (numbers.shape[1], numbers.shape[0]):
        way = cv2.INTER_AREA if fit.scaled[0] < numbers.shape[1] else cv2.INTER_CUBIC
        floats = as_float(numbers)
        if covers is not None:
            floats = floats * covers[..., None]
            covers = np.clip(np.asarray(cv2.resize(covers, fit.scaled, interpolation=way), dtype=np.float32), 0.0, 1.0)
        numbers = np.asarray(cv2.resize(floats, fit.scaled, interpolation=way)).reshape(*fit.scaled[::-1], -1)
        if covers is not None:
            numbers = numbers / np.maximum(covers, _INVISIBLE)[..., None]
    numbers = in_bits(numbers, bits, destination.file.dither)
    codes = numbers
    if fit.out != fit.scaled:
        codes = _canvas(fit, numbers.shape[2], bits, path.destination.model)
        _put(codes, numbers, fit, 0)
    places, side = _places(_visible(fit))
    own = _blocks(numbers, places, side)
    colours = lab(linear_in(own, path.here, path.working, Intent.RELATIVE, False), path.working)
    at = np.array(places, dtype=np.int64).reshape(-1, 2) + np.array([fit.left, fit.top])
    ends = count_outside(np.zeros((0, 1, 3), dtype=np.float32), path.proof)
    nothing = Outside(codes.shape[0] * codes.shape[1], 0, ends.channels)
    kept = numbers is source.pixels
    alpha = None if covers is None else _alpha_codes(covers, fit, bits)
    return AtDestination(codes, nothing, nothing, ProofBlocks(at, side, _means(colours, len(places))), kept, fit.ppi, alpha)
