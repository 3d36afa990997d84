"""A frame at a destination: eased, converted, in the file's own numbers.

Pictures are worked through in bands of rows, so that a large one takes little more memory than its source and its result.
On the way it is noted what stayed outside, and on a few hundred blocks which colours the proof shows: what a written file is
checked against.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.codes import Numbers, as_float, in_bits
from velkin.core.conversion.light import linear_in
from velkin.core.conversion.outside import Outside
from velkin.core.destinations.destination import SHARPENING, Destination
from velkin.core.destinations.sizing import Fitted, fitted
from velkin.core.files.transparency import opacity
from velkin.core.gamut.masks import Window
from velkin.core.gamut.membership import count_outside
from velkin.core.handoff.canvas import alpha_codes, canvas, put, visible
from velkin.core.handoff.proof_blocks import ProofBlocks, blocks_of, means, places_in, proofed
from velkin.core.handoff.rows import BAND, INVISIBLE, Rows, sharpened
from velkin.core.icc.space import CHANNELS, ICCSpace, same_numbers
from velkin.core.icc.transform import Intent
from velkin.core.path import ColourPath
from velkin.core.render import codes_there, eased
from velkin.core.sampling import spread
from velkin.core.sources import Levels
from velkin.core.spaces.pictures import lab
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]

#: Rows beyond a band that sharpening looks at.
_HALO = 8
#: Up to so many pixels all are counted; of larger pictures, and at destinations known by their profile, an even sample.
_COUNTED, _SAMPLE = 4_000_000, 1_000_000


@dataclass(frozen=True)
class AtDestination:
    """A picture as it will be written.

    Attributes
    ----------
    codes : ndarray (H, W, C), uint8 or uint16
        In the destination's space; CMYK is the amount of ink.
    before, after : Outside
        What was outside without easings, and is with them; of what is visible.
    proof : ProofBlocks
    kept : bool
        Whether the source's own numbers were kept: it was in this space, at this size, in these bits already.
    ppi : float or None
        Of a print.
    alpha : ndarray (H, W) or None
        Of the same dtype as the codes, where transparent parts stay so.
    whole : bool
        Whether all of the source is seen in it: it was neither cut nor put on white.
    """

    codes: Numbers
    before: Outside
    after: Outside
    proof: ProofBlocks
    kept: bool
    ppi: float | None
    alpha: Numbers | None = None
    whole: bool = True


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


# ---- rendering ----------------------------------------------------------------------------------------------------


def _rendered(source: Levels, path: ColourPath, destination: Destination, fit: Fitted) -> AtDestination:
    rows = Rows(source, path, fit.scaled, destination.file.bits)
    amount = SHARPENING[destination.sharpen]
    file, to = destination.file, path.destination
    codes = canvas(fit, CHANNELS[to.model], file.bits, to.model)
    window = visible(fit)
    places, side = places_in(window)
    colours: list[Pixels] = []
    before: Outside | None = None
    after: Outside | None = None
    step = BAND if path.by_bands else rows.height
    for first in range(0, rows.height, step):
        last = min(first + step, rows.height)
        if amount:
            top = max(first - _HALO, 0)
            wide = sharpened(rows(top, min(last + _HALO, rows.height)), path.working, amount)
            working = wide[first - top : first - top + last - first]
        else:
            working = rows(first, last)
        now = eased(working, path, Window(rows.width, rows.height, 0, first))
        seen = None if rows.opacity is None else rows.opacity[first:last] > INVISIBLE
        found = _outside(now, path, rows.width * rows.height, seen)
        after = found if after is None else after + found
        if now is not working:
            found = _outside(working, path, rows.width * rows.height, seen)
        before = found if before is None else before + found
        inside = [(x, y) for x, y in places if first <= y < last]
        if inside:
            colours.append(proofed(now, path, [(x, y - first) for x, y in inside], side))
        put(codes, codes_there(now, path, file.bits, dither=file.dither, first_row=first), fit, first)
    assert before is not None and after is not None
    at = np.array(places, dtype=np.int64).reshape(-1, 2) + np.array([fit.left, fit.top])
    read = Intent.ABSOLUTE if path.intent is Intent.ABSOLUTE and isinstance(to, ICCSpace) else Intent.RELATIVE
    alpha = None if rows.opacity is None else alpha_codes(rows.opacity, fit, file.bits)
    proof = ProofBlocks(at, side, np.concatenate(colours), read)
    return AtDestination(codes, before, after, proof, False, fit.ppi, alpha, fit.out == fit.scaled)


def _outside(linear: Pixels, path: ColourPath, pixels: int, seen: NDArray[np.bool_] | None = None) -> Outside:
    flat = linear.reshape(-1, 3) if seen is None else linear[seen]
    if not len(flat) or pixels <= (_COUNTED if isinstance(path.destination, RGBSpace) else _SAMPLE):
        return count_outside(flat[None], path.proof)
    return count_outside(spread(flat, max(round(len(flat) * _SAMPLE / pixels), 1))[None], path.proof)


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
            numbers = numbers / np.maximum(covers, INVISIBLE)[..., None]
    numbers = in_bits(numbers, bits, dither=destination.file.dither)
    codes = numbers
    if fit.out != fit.scaled:
        codes = canvas(fit, numbers.shape[2], bits, path.destination.model)
        put(codes, numbers, fit, 0)
    places, side = places_in(visible(fit))
    own = blocks_of(numbers, places, side)
    colours = lab(linear_in(own, path.here, path.working, intent=Intent.RELATIVE, black_point=False), path.working)
    at = np.array(places, dtype=np.int64).reshape(-1, 2) + np.array([fit.left, fit.top])
    ends = count_outside(np.zeros((0, 1, 3), dtype=np.float32), path.proof)
    nothing = Outside(codes.shape[0] * codes.shape[1], 0, ends.channels)
    kept = numbers is source.pixels
    alpha = None if covers is None else alpha_codes(covers, fit, bits)
    proof = ProofBlocks(at, side, means(colours, len(places)))
    return AtDestination(codes, nothing, nothing, proof, kept, fit.ppi, alpha, fit.out == fit.scaled)
