"""Everything that is said of a picture on the way to its destination, measured once: here, eased, and there."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.codes import histogram_of_light, histogram_of_numbers
from velkin.core.conversion.light import carried, from_linear
from velkin.core.conversion.outside import Outside
from velkin.core.gamut.membership import Mask, measure
from velkin.core.gamut.simulation import lost_there
from velkin.core.path import ColourPath
from velkin.core.render import eased
from velkin.core.sampling import spread
from velkin.core.spaces.pictures import difference, lab
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]

#: Destinations known by their profile are measured on about so many pixels.
NUMBERS = 2_000_000
#: ΔE is measured on about so many pixels spread over the picture.
_SAMPLE = 300_000


@dataclass(frozen=True)
class Loss:
    """ΔE00 between the colours meant (as eased) and those the destination shows: mean, 95th percentile, largest of a sample."""

    mean: float
    p95: float
    largest: float


@dataclass(frozen=True)
class Change:
    """What the easings changed, mean ΔE00: of the whole picture, and of what was inside before."""

    mean: float
    inside: float


@dataclass(frozen=True)
class ProofMeasures:
    """A picture at its destination.

    Attributes
    ----------
    there : ndarray (channels, bins), int64
        Histogram of the destination's numbers, as eased.
    before, after : Outside
        Without easings, and with them.
    loss : Loss
    change : Change or None
        None where nothing eases.
    """

    there: NDArray[np.int64]
    before: Outside
    after: Outside
    loss: Loss
    change: Change | None


def measure_proof(working: Pixels, path: ColourPath) -> tuple[ProofMeasures, Mask]:
    """Measure linear working RGB (H, W, 3) on its way to the path's destination; and what stays outside (H, W).

    Raises
    ------
    BadProfile
    """
    now = eased(working, path)
    before, outside = measure(working, path.proof)
    after, mask = (before, outside) if now is working else measure(now, path.proof)
    return _said(working, now, outside.ravel(), before, after, path), mask


def sample_proof(working: Pixels, path: ColourPath, patches: tuple[int, int] = (0, 0)) -> ProofMeasures:
    """As `measure_proof`, with the numbers of an even sample of `NUMBERS` pixels where the picture has more.

    For destinations known by their profile, whose tables are slow to read. `patches` are the pixels of the largest patch
    before and after, of the whole picture, where they are known.

    Raises
    ------
    BadProfile
    """
    now = eased(working, path)
    few, few_now = _spread(working, NUMBERS), _spread(now, NUMBERS)
    before, outside = measure(few, path.proof)
    after = before if now is working else measure(few_now, path.proof)[0]
    before, after = replace(before, largest=patches[0]), replace(after, largest=patches[1])
    return _said(few, few if now is working else few_now, outside.ravel(), before, after, path)


def _spread(pixels: Pixels, about: int) -> Pixels:
    """About so many pixels of a picture as one of a single row (1, N, 3)."""
    return spread(pixels.reshape(-1, 3), about)[None]


def _said(
    working: Pixels, now: Pixels, outside: NDArray[np.bool_], before: Outside, after: Outside, path: ColourPath
) -> ProofMeasures:
    few = _spread(now, _SAMPLE)
    lost = lost_there(few, path.proof)
    loss = Loss(float(lost.mean()), float(np.percentile(lost, 95)), float(lost.max()))
    change = None
    if now is not working:
        moved = difference(lab(_spread(working, _SAMPLE), path.working), lab(few, path.working))[0]
        inside = ~spread(outside, _SAMPLE)
        change = Change(float(moved.mean()), float(moved[inside].mean()) if inside.any() else 0.0)
    return ProofMeasures(_histogram(now, path), before, after, loss, change)


def _histogram(now: Pixels, path: ColourPath) -> NDArray[np.int64]:
    """Counts of the destination's numbers: of all pixels where it is a space of curves, of a sample where it is a profile."""
    if isinstance(path.destination, RGBSpace):
        return histogram_of_light(carried(now, path.working, path.destination), path.destination)
    return histogram_of_numbers(from_linear(_spread(now, NUMBERS), path.proof))
