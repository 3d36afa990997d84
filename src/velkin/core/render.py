"""Applying a colour path to pixels: the only place where its stages are chained.

Pixels in flight are float32, linear, (H, W, 3) and unclipped. Clipping happens in the last step, on purpose, and is counted.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import BAND, in_bands
from velkin.core.conversion.codes import Codes, Numbers, as_float, codes_of_light, quantised
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import from_linear
from velkin.core.conversion.pictures import Converted, by_bands
from velkin.core.gamut.masks import Window
from velkin.core.gamut.simulation import PLAIN, Paper, linear_there
from velkin.core.icc.space import Space
from velkin.core.path import ColourPath
from velkin.core.sampling import at_most, means_of_squares, reduced
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Flow, Place, Stage

Pixels = NDArray[np.float32]
Bytes = NDArray[np.uint8]


def through(flow: Flow, stages: Iterable[Stage]) -> Flow:
    """Pixels through stages, one after the other. Raises BadProfile."""
    for stage in stages:
        flow = stage.apply(flow)
    return flow


def camera_numbers(source: Numbers, path: ColourPath) -> Pixels:
    """Linear camera RGB (H, W, 3) of a whole raw picture as its camera profile takes it: evened where a flat frame evens it."""
    return as_float(through(Flow(source), path.at(Place.FIELD)).pixels)


def to_working(source: Pixels | Numbers, path: ColourPath, window: Window | None = None) -> Pixels:
    """Linear working RGB (H, W, 3), unclipped, of linear camera RGB (H, W, 3), or of a finished picture's numbers (H, W, C).

    `window` says which part of the picture it is; None for all of it.
    """
    return through(Flow(source, window=window), path.before(Place.EASING)).light_in(path.working)


def to_light(source: Pixels | Numbers, path: ColourPath) -> Pixels:
    """The same before what changes look and numbers: linear working RGB (H, W, 3) that `looked` goes on with."""
    return through(Flow(source), path.before(Place.LOOK)).light_in(path.working)


def light_within(source: Numbers, path: ColourPath, room: tuple[int, int]) -> Pixels:
    """As `to_light`, no larger than so many pixels across and down; camera numbers, which are linear, are reduced as they are."""
    if path.is_raw and not path.steps:
        return to_light(reduced(source, room), path)
    height, width = source.shape[:2]
    most = 1 if path.at(Place.FIELD) or not all(room) else min(width // (2 * room[0]), height // (2 * room[1]))
    side = next((n for n in range(most, 1, -1) if width % n == height % n == 0), 1)
    if side == 1:
        return at_most(to_light(source, path), room)
    # light is not held for all pixels of a picture that is much larger than its room: squares of them become their means, band by band
    light = np.empty((height // side, width // side, 3), dtype=np.float32)

    def band(first: int, last: int) -> None:
        light[first:last] = means_of_squares(to_light(source[first * side : last * side], path), side)

    in_bands(band, len(light), max(BAND // (width * side), 1))
    return at_most(light, room)


def looked(light: Pixels, path: ColourPath) -> Pixels:
    """Linear working RGB with the path's match or look; the very array where there is none. Raises BadProfile."""
    return through(Flow(light, path.working, linear=True), path.at(Place.LOOK)).light_in(path.working)


def numbers_here(source: Pixels | Numbers, path: ColourPath, window: Window | None = None) -> Pixels:
    """Encoded numbers (H, W, C) after the last step of the path, 0..1 of full scale, unclipped where the space is of curves.

    What changes look and numbers is in them; numbers are then those of the working space.
    """
    if path.at(Place.LOOK):
        return through(Flow(source, window=window), path.before(Place.EASING)).floats()
    return through(Flow(source, window=window), path.before(Place.WORKING)).floats()


def eased(working: Pixels, path: ColourPath, window: Window | None = None) -> Pixels:
    """Linear working RGB with the path's easings; the very array where there are none.

    `window` says which part of the picture it is. Raises BadProfile.
    """
    return through(Flow(working, path.working, linear=True, window=window), path.at(Place.EASING)).pixels


def codes_there(working: Pixels, path: ColourPath, bits: int, *, dither: bool = False, first_row: int = 0) -> Codes:
    """The destination's codes (H, W, C) of linear working RGB, eased where the path eases; what is written.

    `first_row` is where the first row stands in the picture, so that dither goes on from band to band. Raises BadProfile.
    """
    return codes_of(through(Flow(working, path.working, linear=True), path.at(Place.DESTINATION)), bits, dither, first_row)


def codes_of(flow: Flow, bits: int, dither: bool = False, first_row: int = 0) -> Codes:
    """Codes (H, W, C) of 8 or 16 bits of what flows, in its space."""
    if flow.linear:
        assert isinstance(flow.space, RGBSpace)
        return codes_of_light(flow.pixels, flow.space, bits, dither=dither, first_row=first_row)
    return quantised(flow.floats(), bits, dither=dither, first_row=first_row)


def picture_through(numbers: Numbers, stages: tuple[Stage, ...], to: Space, *, bits: int, dither: bool = True) -> Converted:
    """A whole picture's numbers (H, W, C) through stages that end in the space `to`, in 8, 16 or 32 bits, and what left that space.

    Nothing is rounded between stages; see `conversion.pictures.convert_picture`. Raises BadProfile.
    """

    height, width = numbers.shape[:2]

    def band(part: Numbers, first: int) -> Pixels:
        flow = through(Flow(part, window=Window(width, height, 0, first)), stages)
        return flow.light_in(to) if isinstance(to, RGBSpace) else flow.floats()

    return by_bands(numbers, to, bits=bits, dither=dither, give=band)


def for_screen(working: Pixels, path: ColourPath, screen: Space, *, proofed: bool = False, paper: Paper = PLAIN) -> Bytes:
    """What a screen is given, (H, W, 3) uint8, without dither.

    Parameters
    ----------
    working : ndarray (H, W, 3), float32
        Linear working RGB, eased where the path eases.
    proofed : bool
        Show the colours that the destination has in place of those meant.
    paper : Paper
        What of the destination's medium is simulated.

    Raises
    ------
    BadProfile
        When destination or screen is a profile that cannot be used that way.
    """
    return shown(linear_there(working, path.proof, paper) if proofed else working, path.working, screen)


def shown(linear: Pixels, space: RGBSpace, screen: Space) -> Bytes:
    """What a screen is given, (H, W, 3) uint8, for linear RGB (H, W, 3) in `space`. Raises BadProfile."""
    flow = Flow(linear, space, linear=True)
    if isinstance(screen, RGBSpace):
        flow = flow.as_light(flow.light_in(screen), screen)
    else:
        flow = flow.as_numbers(from_linear(linear, Conversion(space, screen)), screen)
    return np.asarray(codes_of(flow, 8), dtype=np.uint8)
