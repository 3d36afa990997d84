"""Gathering pairs: from charts in both pictures, from points, and from numbers.

Pictures are linear ROMM RGB (H, W, 3) float32, upright, whatever space their numbers were in.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.charts.find import find_all
from velkin.core.charts.read import read
from velkin.core.errors import ChartNotFound, FitRefused
from velkin.core.match.pair import Colour, Origin, Pair
from velkin.core.spaces.lab import lab_to_xyz
from velkin.core.spaces.oklab import xyz_to_oklab
from velkin.core.spaces.rgb import ROMM

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: Half the side of the square that a point is read in.
_AROUND = 2
#: A patch cut off in more than this share of its pixels says nothing of its colour.
_CUT = 0.05


def oklab_of(linear: Floats) -> Colour:
    """Oklab of linear ROMM RGB (3,)."""
    found = xyz_to_oklab(np.asarray(linear, dtype=np.float64) @ ROMM.to_xyz.T)
    return float(found[0]), float(found[1]), float(found[2])


# ---- charts -------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Patches:
    """The patches of a chart: colours by name, and their spread in about ΔE*76."""

    colours: dict[str, Colour]
    spread: dict[str, float]

    def without(self, names: Collection[str]) -> Patches:
        """All but some."""
        kept = [i for i in self.colours if i not in names]
        return Patches({i: self.colours[i] for i in kept}, {i: self.spread[i] for i in kept})

    def paired(self, wanted: Patches) -> list[Pair]:
        """Pairs of the patches that have a name in common; the colours here are these. Raises FitRefused where there are none."""
        both = [i for i in self.colours if i in wanted.colours]
        if not both:
            raise FitRefused("the two charts share no patch of the same name that is not cut off")
        return [
            Pair(self.colours[i], wanted.colours[i], Origin.CHART, i, float(np.hypot(self.spread[i], wanted.spread[i])))
            for i in both
        ]


def patches_in(picture: Pixels, chart: Chart, which: str, corners: Floats | None = None) -> Patches:
    """The patches of a chart in a picture, found in it, or at corners (4, 2) in its pixels.

    Raises
    ------
    ChartNotFound
        Naming `which` picture.
    """
    if corners is None:
        found = find_all(picture, chart)
        if not found:
            raise ChartNotFound(f"no {len(chart.ids)}-patch chart was found in {which}; set points instead")
        corners, chart = found[0].corners, found[0].chart
    reading = read(picture, corners, chart)
    kept = [p for p in reading.patches if p.clipped <= _CUT]
    # a spread of a few per cent of light is about as many thirds of a unit of lightness
    return Patches({p.id: oklab_of(np.array(p.rgb)) for p in kept}, {p.id: max(33.0 * p.spread, 0.2) for p in kept})


def patches_of_reference(chart: Chart) -> Patches:
    """The colours that a chart is meant to have, under D50, a perfect diffuser being white."""
    reference = zip(chart.ids, chart.reference_d50(), strict=True)
    return Patches({i: _oklab_of_xyz(xyz) for i, xyz in reference}, dict.fromkeys(chart.ids, 0.0))


def patches_wanted(pairs: Iterable[Pair]) -> Patches:
    """What pairs of charts want, so that another picture of the same chart can be brought to it without the reference picture."""
    charts = [p for p in pairs if p.origin is Origin.CHART]
    return Patches({p.name: p.wanted for p in charts}, {p.name: p.spread for p in charts})


def pairs_of_charts(here: Pixels, reference: Pixels, chart: Chart, other: Chart | None = None) -> list[Pair]:
    """Pairs of the patches of the same name in both pictures; `other` is the reference's chart where it is another.

    Raises
    ------
    ChartNotFound, FitRefused
    """
    return patches_in(here, chart, "the picture").paired(patches_in(reference, other or chart, "the reference"))


def pairs_to_chart(here: Pixels, chart: Chart) -> list[Pair]:
    """Pairs of a chart's patches in a picture and the chart's own reference.

    Raises
    ------
    ChartNotFound, FitRefused
    """
    return patches_in(here, chart, "the picture").paired(patches_of_reference(chart))


def _oklab_of_xyz(xyz: Floats) -> Colour:
    found = xyz_to_oklab(xyz)
    return float(found[0]), float(found[1]), float(found[2])


# ---- points and numbers -------------------------------------------------------------------------------------------


def colour_at(picture: Pixels, x: float, y: float) -> tuple[Colour, float]:
    """The mean of 5 × 5 pixels round a point of a picture, and their spread in about ΔE*76. Raises FitRefused outside it."""
    height, width = picture.shape[:2]
    if not (0.0 <= x < width and 0.0 <= y < height):
        raise FitRefused(f"the point {x:g}, {y:g} does not lie on the picture of {width} × {height} pixels")
    column, row = int(x), int(y)
    return mean_colour(picture[around(row)][:, around(column)])


def around(place: int) -> slice:
    """The rows, or columns, that a point is read in."""
    return slice(max(place - _AROUND, 0), place + _AROUND + 1)


def mean_colour(part: Pixels) -> tuple[Colour, float]:
    """The mean of pixels, linear ROMM RGB (H, W, 3), and the spread of that mean in about ΔE*76."""
    flat = part.reshape(-1, 3)
    mean = flat.mean(axis=0, dtype=np.float64)
    deviation = float(flat.std(axis=0).mean() / max(float(mean.mean()), 1e-4))
    return oklab_of(mean), max(33.0 * deviation / np.sqrt(len(flat)), 0.2)


def pairs_of_table(text: str, here: Pixels, reference: Pixels | None, decode: Callable[[Floats], Floats]) -> list[Pair]:
    """Pairs of a CSV with a header: ``file_x, file_y`` and ``ref_x, ref_y``, or ``L, a, b`` (Lab D50), or ``r, g, b`` (encoded, 0..1).

    Parameters
    ----------
    reference : ndarray or None
        None where all of them give numbers.
    decode : callable
        Linear ROMM RGB (3,) of encoded numbers (3,) of the picture's own space.

    Raises
    ------
    FitRefused
        Naming the line.
    """
    rows = list(csv.reader(io.StringIO(text)))
    if not rows:
        raise FitRefused("the pairs are empty")
    names = [n.strip() for n in rows[0]]
    if "file_x" not in names or "file_y" not in names:
        raise FitRefused("line 1: the header has no file_x and file_y")
    pairs = []
    for number, row in enumerate(rows[1:], start=2):
        if not any(cell.strip() for cell in row):
            continue
        given = {n: cell.strip() for n, cell in zip(names, row, strict=False) if cell.strip()}
        try:
            pairs.append(_pair_of(given, here, reference, decode, number))
        except FitRefused as error:
            raise FitRefused(f"line {number}: {error.message}") from error
    if not pairs:
        raise FitRefused("the pairs hold a header and no line")
    return pairs


def _pair_of(
    given: dict[str, str], here: Pixels, reference: Pixels | None, decode: Callable[[Floats], Floats], line: int
) -> Pair:
    def number(name: str) -> float:
        try:
            value = float(given[name])
        except KeyError:
            raise FitRefused(f"{name} is missing") from None
        except ValueError:
            raise FitRefused(f"{name} is {given[name]!r}, which is no number") from None
        if not np.isfinite(value):
            raise FitRefused(f"{name} is no finite number")
        return value

    mine, spread = colour_at(here, number("file_x"), number("file_y"))
    origin = Origin.NUMBER
    if "ref_x" in given or "ref_y" in given:
        if reference is None:
            raise FitRefused("it points into a reference, and none is given")
        wanted, other = colour_at(reference, number("ref_x"), number("ref_y"))
        spread, origin = float(np.hypot(spread, other)), Origin.PINS
    elif {"L", "a", "b"} <= given.keys():
        lab = np.array([number(n) for n in ("L", "a", "b")])
        if not 0.0 <= lab[0] <= 100.0:
            raise FitRefused(f"L is {lab[0]:g}, and must lie within 0 to 100")
        wanted = _oklab_of_xyz(lab_to_xyz(lab))
    elif {"r", "g", "b"} <= given.keys():
        wanted = oklab_of(decode(np.array([number(n) for n in ("r", "g", "b")])))
    else:
        raise FitRefused("it gives neither ref_x and ref_y, nor L, a and b, nor r, g and b")
    weight = number("weight") if "weight" in given else 1.0
    if weight <= 0.0:
        raise FitRefused(f"weight is {weight:g}, and must be above 0")
    return Pair(mine, wanted, origin, given.get("name", f"line {line}"), spread, weight)
