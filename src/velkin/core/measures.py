"""Everything that is said of a picture on the way to its destination, measured once: here, eased, and there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.codes import Numbers, histogram_of_light, histogram_of_numbers
from velkin.core.conversion.light import carried, from_linear
from velkin.core.conversion.outside import Outside, added, measure_outside
from velkin.core.gamut.masks import Window, by_rows
from velkin.core.gamut.membership import Mask, count_and_mask, largest_patch
from velkin.core.gamut.simulation import lost_there
from velkin.core.path import ColourPath
from velkin.core.render import eased, to_working
from velkin.core.sampling import every, step_of
from velkin.core.spaces.pictures import difference, lab
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]

#: Histograms are of about so many pixels spread over the picture, and so is all that is said of destinations known by their profile.
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
        Histogram of the destination's numbers, as eased, of an even sample.
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


@dataclass(frozen=True)
class Measures:
    """Everything that is said of a picture.

    Attributes
    ----------
    here : ndarray (3, bins), int64
        Histogram of the working numbers, of an even sample of the picture.
    here_outside : Outside
        Of the working space.
    proofed : ProofMeasures
    mask : ndarray (H, W), bool, or None
        What stays outside; None where it was not looked at pixel by pixel.
    """

    here: NDArray[np.int64]
    here_outside: Outside
    proofed: ProofMeasures
    mask: Mask | None


def measure_source(source: Numbers, path: ColourPath, known: ProofMeasures | None = None) -> Measures:
    """Measure a decoded source (H, W, C) along its path, in bands of rows wherever the path allows it.

    Parameters
    ----------
    source : ndarray (H, W, C)
        As `render.to_working` takes it.
    known : ProofMeasures, optional
        What a smaller decode of the picture said. A destination known by its profile, whose tables are slow to read, is then asked about an
        even sample of `NUMBERS` pixels, and the largest patch is taken from what is known.

    Raises
    ------
    BadProfile
    """
    height, width = source.shape[:2]
    sampled = known is not None and not isinstance(path.destination, RGBSpace)
    tally: _EveryPixel | _Sample = (
        _Sample(path, width, height, known) if sampled and known else _EveryPixel(path, width, height)
    )
    drawn = step_of(width * height, NUMBERS)

    def band(rows: slice, window: Window) -> tuple[NDArray[np.int64], Outside, Any]:
        working = to_working(source[rows], path, window)
        few = every(working.reshape(-1, 3), drawn, window.top * width)[None]
        return histogram_of_light(few, path.working), measure_outside(working, path.working), tally.of(working, window)

    here, here_outside, parts = zip(*by_rows(band, width, height, path.by_bands), strict=True)
    return Measures(np.sum(here, axis=0), added(here_outside), *tally.said(parts))


def loss_of(source: Numbers, path: ColourPath) -> tuple[Outside, NDArray[np.float32]]:
    """What a destination cannot hold of a decoded source (H, W, C), and the ΔE00 (H, W) by which it shows each pixel differently.

    Raises
    ------
    BadProfile
    """
    height, width = source.shape[:2]
    stays, lost = np.empty((height, width), dtype=np.bool_), np.empty((height, width), dtype=np.float32)

    def band(rows: slice, window: Window) -> Outside:
        now = eased(to_working(source[rows], path, window), path, window)
        counts, stays[rows] = count_and_mask(now, path.proof)
        lost[rows] = lost_there(now, path.proof)
        return counts

    return replace(added(by_rows(band, width, height, path.by_bands)), largest=largest_patch(stays)), lost


def measure_proof(working: Pixels, path: ColourPath) -> tuple[ProofMeasures, Mask]:
    """Measure linear working RGB (H, W, 3) on its way to the path's destination; and what stays outside (H, W).

    Raises
    ------
    BadProfile
    """
    height, width = working.shape[:2]
    tally = _EveryPixel(path, width, height)
    return tally.said([tally.of(working, Window(width, height))])


@dataclass(frozen=True)
class _Counted:
    """What is said of some rows of a picture from all their pixels; of `few` of them, before, as eased, and which were outside, ΔE is told."""

    before: Outside
    after: Outside
    there: NDArray[np.int64]
    few: tuple[Pixels, Pixels, Mask]
    eases: bool


class _EveryPixel:
    """What is said of a picture from all its pixels; ΔE from a sample of them."""

    def __init__(self, path: ColourPath, width: int, height: int) -> None:
        self._path = path
        self._step = step_of(width * height, _SAMPLE)
        self._numbers = step_of(width * height, NUMBERS)
        self._outside, self._stays = (np.empty((height, width), dtype=np.bool_) for _ in range(2))

    def of(self, working: Pixels, window: Window) -> _Counted:
        """Count a band of rows, linear working RGB."""
        path = self._path
        now = eased(working, path, window)
        before, outside = count_and_mask(working, path.proof)
        after, stays = (before, outside) if now is working else count_and_mask(now, path.proof)
        rows = slice(window.top, window.top + len(working))
        self._outside[rows], self._stays[rows] = outside, stays
        at = window.top * window.width
        there = _histogram(every(now.reshape(-1, 3), self._numbers, at)[None], path)
        flat = every(working.reshape(-1, 3), self._step, at)[None]
        flat_now = flat if now is working else every(now.reshape(-1, 3), self._step, at)[None]
        few = (flat, flat_now, every(outside.ravel(), self._step, at))
        return _Counted(before, after, there, few, now is not working)

    def said(self, parts: Sequence[_Counted]) -> tuple[ProofMeasures, Mask]:
        """The whole picture, of its bands in order."""
        eases = any(p.eases for p in parts)
        before = replace(added([p.before for p in parts]), largest=largest_patch(self._outside))
        after = replace(added([p.after for p in parts]), largest=largest_patch(self._stays)) if eases else before
        few, few_now, out = (np.concatenate([p.few[k] for p in parts], axis=-2 if k < 2 else 0) for k in range(3))
        loss, change = _in_delta_e(few, few_now if eases else None, out, self._path)
        return ProofMeasures(np.sum([p.there for p in parts], axis=0), before, after, loss, change), self._stays


class _Sample:
    """What is said of a picture from an even sample of its pixels."""

    def __init__(self, path: ColourPath, width: int, height: int, known: ProofMeasures) -> None:
        self._path, self._known, self._pixels = path, known, width * height
        self._step = step_of(width * height, NUMBERS)

    def of(self, working: Pixels, window: Window) -> tuple[Pixels, Pixels]:
        """A sample of a band of rows, linear working RGB, and the same as eased."""
        path, at = self._path, window.top * window.width
        few = every(working.reshape(-1, 3), self._step, at)[None]
        if path.by_pixel:
            return few, eased(few, path)
        whole = eased(working, path, window)
        return few, few if whole is working else every(whole.reshape(-1, 3), self._step, at)[None]

    def said(self, parts: Sequence[tuple[Pixels, Pixels]]) -> tuple[ProofMeasures, None]:
        """The whole picture, with the largest patches as known, brought to its size."""
        path, eases = self._path, any(now is not few for few, now in parts)
        few, now = (np.concatenate([p[k] for p in parts], axis=1) for k in (0, 1))
        counts, out = count_and_mask(few, path.proof)
        left = count_and_mask(now, path.proof)[0] if eases else counts
        by = self._pixels / max(self._known.after.pixels, 1)
        before = replace(counts, largest=round(self._known.before.largest * by))
        after = replace(left, largest=round(self._known.after.largest * by))
        step = step_of(now.shape[1], _SAMPLE)
        moved = every(now[0], step)[None] if eases else None
        loss, change = _in_delta_e(every(few[0], step)[None], moved, every(out[0], step), path)
        return ProofMeasures(_histogram(now, path), before, after, loss, change), None


def _histogram(now: Pixels, path: ColourPath) -> NDArray[np.int64]:
    """Counts of the destination's numbers of a sample (1, N, 3) as eased."""
    if isinstance(path.destination, RGBSpace):
        return histogram_of_light(carried(now, path.working, path.destination), path.destination)
    return histogram_of_numbers(from_linear(now, path.proof))


def _in_delta_e(few: Pixels, now: Pixels | None, out: Mask, path: ColourPath) -> tuple[Loss, Change | None]:
    """What the destination loses of a sample (1, N, 3) as eased, and what the easings changed; `now` is None where nothing eases, `out` is
    what was outside before."""
    lost = lost_there(few if now is None else now, path.proof)
    loss = Loss(float(lost.mean()), float(np.percentile(lost, 95)), float(lost.max()))
    if now is None:
        return loss, None
    moved = difference(lab(few, path.working), lab(now, path.working))[0]
    return loss, Change(float(moved.mean()), float(moved[~out].mean()) if not out.all() else 0.0)
