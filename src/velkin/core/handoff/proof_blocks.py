"""What a written file is checked against: the colours that the proof shows on blocks spread over it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.gamut.simulation import Paper, linear_there
from velkin.core.handoff.rows import BAND
from velkin.core.icc.transform import Intent
from velkin.core.path import ColourPath
from velkin.core.spaces.pictures import lab

Pixels = NDArray[np.float32]

#: Side of the blocks that the check compares, and about how many of them: enough for a 99th percentile, and read pixel by pixel in LittleCMS.
BLOCK = 8
_ACROSS, _DOWN = 32, 20


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


def places_in(window: tuple[int, int, int, int]) -> tuple[list[tuple[int, int]], int]:
    """Left and top of blocks spread over a part of the scaled picture, none across two bands, row by row; and their side."""
    left, top, right, bottom = window
    side = min(BLOCK, right - left, bottom - top)

    def along(first: int, last: int, number: int) -> list[int]:
        room = last - first - side
        return sorted({first + round(room * (i + 0.5) / number) for i in range(number)})

    downwards = set()
    for y in along(top, bottom, _DOWN):
        end = (y // BAND + 1) * BAND
        downwards.add(max(min(y, end - side), top) if end - side >= top else y)
    if any(y // BAND != (y + side - 1) // BAND for y in downwards):  # a sliver across two bands: looked at in one row
        side, downwards = 1, {top}
    return [(x, y) for y in sorted(downwards) for x in along(left, right, _ACROSS)], side


def blocks_of(pixels: NDArray[Any], places: list[tuple[int, int]], side: int) -> NDArray[Any]:
    """Pixels (N · side, side, C) of the blocks."""
    return np.concatenate([pixels[y : y + side, x : x + side] for x, y in places])


def proofed(linear: Pixels, path: ColourPath, places: list[tuple[int, int]], side: int) -> Pixels:
    """Mean Lab (N, 3) that the destination shows on blocks of linear working rows; the medium's black is not wished away."""
    there = linear_there(np.ascontiguousarray(blocks_of(linear, places, side)), path.proof, Paper(black=True))
    return means(lab(there, path.working), len(places))


def means(colours: Pixels, number: int) -> Pixels:
    return np.asarray(colours.reshape(number, -1, 3).mean(axis=1), dtype=np.float32)
