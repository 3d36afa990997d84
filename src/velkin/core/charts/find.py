"""Finding charts in linear camera RGB or a finished picture, at any rotation and up to 45° of tilt, without any profile.

The way: flat quadrilateral regions → a lattice grown from neighbour to neighbour → a homography (`regions.py`) → the one
placement and turn of the reference whose colours agree, up to one gain per channel (`placing.py`) → the corners refined on the
patches' real edges (`refining.py`). All that is found can be explained: how well the grid fits, how well the colours agree, and
how much worse the next best way of laying the chart is.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.charts.placing import LARGEST_DISAGREEMENT, Placement, place
from velkin.core.charts.refining import refine, snap
from velkin.core.charts.regions import Cells, Neighbourhood, flat_regions, grow, lattice_homographies, prepare
from velkin.core.errors import ChartNotFound

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

_SEARCH_EDGES = (600, 1500, 3200)
_THRESHOLDS = (10, 18, 30)
_LEAST_RANGE = 40.0  # codes of 8 bits, square-root encoded, that the regions of a chart differ by at least
_ROUGH = 0.015  # edges that fit the grid worse than this (in patches) are looked for again from farther away
_SURE = 0.32  # colours that agree this well (log2) end the search at coarser thresholds


@dataclass(frozen=True)
class FoundChart:
    """Where a chart was found.

    Attributes
    ----------
    chart : Chart
        The chart looked for; its transposed reading where the definition left that open and only that agrees.
    corners : ndarray (4, 2)
        Outer corners of the corner patches in pixels, from the first patch clockwise; (0, 0) is the top-left pixel's corner.
    grid_error : float
        Root mean square distance of patch edges from the fitted grid, as a share of a patch.
    colour_error : float
        Root mean square disagreement with the reference in log2 units after one gain per channel.
    turn_margin : float
        How much worse the colours of the best other turn agree, in log2 units; infinity when no other turn fits the place.
    """

    chart: Chart
    corners: Floats
    grid_error: float
    colour_error: float
    turn_margin: float

    @property
    def confidence(self) -> float:
        """0..1: the product of what grid, colours and the distance to any other turn say."""
        grid = 1.0 / (1.0 + (min(self.grid_error, 10.0) / 0.12) ** 2)
        colours = 1.0 / (1.0 + (self.colour_error / 0.4) ** 4)
        turn = min(self.turn_margin / 0.2, 1.0)
        return float(grid * colours * max(turn, 0.0))


def find_all(image: Pixels, chart: Chart, thorough: bool = True) -> list[FoundChart]:
    """Every place where a chart lies, the surest first; none when nothing agrees in both grid and colours.

    Parameters
    ----------
    image : ndarray (H, W, 3), float32
        Linear camera RGB or a finished picture's numbers, upright; half-size decodes are enough.
    chart : Chart
    thorough : bool
        Also search at the finest scale, which finds charts below a tenth of a large frame and takes seconds where there is none.
    """
    return find_any(image, [chart], thorough)


def find_any(image: Pixels, charts: Iterable[Chart], thorough: bool = True) -> list[FoundChart]:
    """As `find_all`, for several charts at once."""
    wanted = [c for chart in charts for c in ([chart] if chart.sure else [chart, chart.transposed()])]
    placed: list[Placement] = []
    for edge in _SEARCH_EDGES if thorough else _SEARCH_EDGES[:2]:
        encoded, scale = prepare(image, edge)
        placed = _search(encoded, wanted, 600 if thorough else 120)
        if placed or max(image.shape[:2]) <= edge:
            break
    found = []
    for p in placed:
        corners, grid_error = refine(image, p.corners / scale, p.chart)
        if not grid_error < _ROUGH:  # the first placement was rougher than the fine search reaches
            again = snap(image, p.corners / scale, p.chart)
            corners, grid_error = min(((corners, grid_error), again), key=lambda pair: pair[1])
        found.append(FoundChart(p.chart, corners, grid_error, p.error, p.runner_up - p.error))
    return sorted(found, key=lambda f: -f.confidence)


def find(image: Pixels, chart: Chart) -> FoundChart:
    """The chart in a picture, the surest where there are several; parameters as `find_all`.

    Raises
    ------
    ChartNotFound
        When nothing in the picture agrees with the chart in both grid and colours.
    """
    found = find_all(image, chart)
    if not found:
        raise ChartNotFound(f"no {len(chart.ids)}-patch chart found; place its corners by hand")
    return found[0]


def _search(encoded: NDArray[np.uint8], charts: list[Chart], seeds: int) -> list[Placement]:
    linear = cv2.blur(encoded, (3, 3)).astype(np.float32) ** 2
    enough, most = 0.4 * min(len(c.ids) for c in charts), 3 * max(len(c.ids) for c in charts) + 20
    best: list[Placement] = []
    for threshold in _THRESHOLDS:
        blobs = flat_regions(encoded, threshold)
        if len(blobs) < 8:
            continue
        near = Neighbourhood(blobs)
        used: set[int] = set()
        tried = planes = 0
        for seed in np.argsort([-b.area for b in blobs]).tolist():
            if seed in used:
                continue
            tried += 1
            if tried > seeds:  # a texture of thousands of regions: what is a chart is among the larger ones
                break
            cells: Cells = {}
            for pitch in (1.17, 1.35):
                cells = grow(near, seed, pitch, most)
                if len(cells) >= enough:
                    break
            if len(cells) < enough:
                continue
            # the seed's own neighbours need no second try; what was reached over several steps may belong to another grid
            used.update(blob for (i, j), blob in cells.items() if abs(i) + abs(j) <= 1)
            if np.ptp(np.quantile([blobs[b].level for b in cells.values()], [0.1, 0.9])) < _LEAST_RANGE:
                used.update(cells.values())  # all alike: a weave, tiles, a keyboard
                continue
            planes += 1
            if planes > seeds // 2:
                break
            for plane in lattice_homographies(cells, near.centres):
                for chart in charts:
                    placed = place(*plane, chart, linear)
                    if placed is not None and placed.error < LARGEST_DISAGREEMENT:
                        best = _with(best, placed)
                        used.update(cells.values())
        if best and min(p.error for p in best) < _SURE:
            break
    return best


def _with(placements: list[Placement], new: Placement) -> list[Placement]:
    """The placements with a new one; of two on the same place, the one whose colours agree better."""
    size = float(np.linalg.norm(new.corners[2] - new.corners[0]))
    for i, old in enumerate(placements):
        if np.linalg.norm(old.corners.mean(axis=0) - new.corners.mean(axis=0)) < 0.4 * size:
            return [*placements[:i], new if new.error < old.error else old, *placements[i + 1 :]]
    return [*placements, new]
