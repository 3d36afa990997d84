"""A finished picture eased towards a destination and written in its own space: what needs no change keeps its very numbers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.codes import bits_of, in_bits
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import from_linear, linear_in
from velkin.core.conversion.outside import Outside, added
from velkin.core.files.coding import Coding
from velkin.core.files.contents import left_behind
from velkin.core.files.encode import write_picture
from velkin.core.files.kinds import best_bits, check_format, format_of
from velkin.core.files.picture import Picture, decode_picture
from velkin.core.files.safely import refuse_output
from velkin.core.files.transparency import held_by
from velkin.core.gamut.ease import ease
from velkin.core.gamut.easing import EVERYWHERE, OVERALL, Easing
from velkin.core.gamut.masks import Window, by_rows
from velkin.core.gamut.membership import Mask, count_and_mask, largest_patch
from velkin.core.handoff.copies import CopyWish, alpha_in
from velkin.core.icc.space import Space, check_model, family, profile_of
from velkin.core.spaces.pictures import difference, lab
from velkin.core.spaces.rgb import ROMM, RGBSpace

Pixels = NDArray[np.float32]

#: Rounding to codes may push a colour out again; it is brought in a little further up to so many times.
_ROUNDS = 12
_FURTHER = 0.02


@dataclass(frozen=True)
class Eased:
    """A written picture: what was outside before and is after (of the numbers written), the mean ΔE00 of the change; what
    of the source was left behind, in words."""

    out: Path
    before: Outside
    after: Outside
    mean_change: float
    not_numbers: int
    left: str = ""


def write_eased(source: Path, start: Space, to: Space, *, easings: Sequence[Easing], wish: CopyWish) -> Eased:
    """Ease a finished picture towards a destination and write it in its own space, bits and colour model.

    Parameters
    ----------
    start : Space
        What the source's numbers mean.
    to : Space

    Raises
    ------
    NotSupported
        When the format cannot hold the picture.
    OutputRefused, OutputFailed, UnreadableFile, BadProfile
    """
    refuse_output(wish.out, [source], wish.replace)
    kind = format_of(wish.out)
    picture = held_by(decode_picture(source, wish.page), kind)
    check_model(start, picture.model, source)
    own = bits_of(picture.numbers)
    bits = best_bits(kind, own)
    check_format(kind, bits, picture.model, wish.out)
    picture = replace(picture, numbers=np.require(picture.numbers, requirements=["C", "W"]))
    before, after, change = ease_numbers(picture.numbers, start, to, easings)
    numbers = in_bits(picture.numbers, bits)
    account = write_picture(
        wish.out,
        Picture(numbers, alpha_in(picture, bits), picture.model, clear=picture.clear),
        kind,
        profile_of(start),
        family=family(start),
        source=source,
        page=wish.page,
        coding=Coding(wish.quality),
        replace=wish.replace,
    )
    return Eased(wish.out, before, after, change, picture.not_numbers, left_behind(account))


def ease_numbers(numbers: NDArray[Any], space: Space, to: Space, easings: Sequence[Easing]) -> tuple[Outside, Outside, float]:
    """Ease the numbers (H, W, C) of a picture where they are: a second one of their size is not to be had for a large one.

    Returns
    -------
    before, after : Outside
        What was outside and what is.
    change : float
        Mean ΔE00.

    Raises
    ------
    BadProfile
    """
    height, width = numbers.shape[:2]
    was, stays = (np.empty((height, width), dtype=np.bool_) for _ in range(2))

    def band(rows: slice, window: Window) -> tuple[Outside, Outside, float]:
        made = _eased_band(numbers[rows], space, to, easings, window)
        was[rows], stays[rows] = made.was, made.stays
        if made.numbers is not None:
            numbers[rows] = made.numbers
        return made.before, made.after, made.moved

    before, after, moved = zip(*by_rows(band, width, height, not any(e.looks_around for e in easings)), strict=True)
    told = replace(added(before), largest=largest_patch(was)), replace(added(after), largest=largest_patch(stays))
    return *told, sum(moved) / (height * width)


@dataclass(frozen=True)
class _Band:
    """Some rows of a picture eased: their numbers (None where nothing changed), what was and what is outside, and the sum of the change in ΔE00."""

    numbers: NDArray[Any] | None
    before: Outside
    after: Outside
    was: Mask
    stays: Mask
    moved: float


def _eased_band(numbers: NDArray[Any], space: Space, to: Space, easings: Sequence[Easing], window: Window) -> _Band:
    working = space if isinstance(space, RGBSpace) else ROMM
    proof = Conversion(working, to)
    linear = linear_in(numbers, space, working)
    before, was = count_and_mask(linear, proof)
    wanted = ease(linear, working, to, easings, window=window)
    changed = np.any(wanted != linear, axis=-1)
    if not changed.any():
        return _Band(None, before, before, was, was, 0.0)
    bits = bits_of(numbers)
    out = numbers.copy()
    out[changed] = _own(wanted[changed], working, space, bits)
    full = all(e.strength == 1.0 and e.place.kind == EVERYWHERE for e in easings)
    read = linear.copy()
    read[changed] = linear_in(out[changed], space, working)
    after, outside = count_and_mask(read, proof)
    for further in range(1, _ROUNDS + 1 if full and bits < 32 else 1):
        stray = outside & changed
        if not stray.any():
            break
        nearer = ease(wanted[stray][None], working, to, (Easing(OVERALL, further * _FURTHER, 1.0),))[0]
        out[stray] = _own(nearer, working, space, bits)
        read[stray] = linear_in(out[stray], space, working)
        after, outside = count_and_mask(read, proof)
    return _Band(
        out, before, after, was, outside, float(difference(lab(linear, working), lab(read, working)).sum(dtype=np.float64))
    )


def _own(linear: Pixels, working: RGBSpace, space: Space, bits: int) -> NDArray[Any]:
    """Numbers (N, C) in the picture's own space and type of linear working RGB (N, 3)."""
    return in_bits(from_linear(linear[None], Conversion(working, space)), bits)[0]
