"""Samples of one's own: Madderfold dyes wool to colours that a chart lacks, and the stand-in instrument measures them."""

from __future__ import annotations

from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.built_in import iso24
from velkin.core.charts.definition import Chart
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spectra import daylight, xyz_of_light, xyz_of_surfaces
from velkin.sim.dyes import DYES, DyeBath
from velkin.sim.printing import Instrument

Floats = NDArray[np.float64]

#: Patches in a row; and depths to which each bath, and each mixture of two, is tried.
_ROW = 6
_DEPTHS = np.geomspace(0.03, 6.0, 24)
_SHARES = (0.15, 0.5, 0.85)


def _baths() -> list[DyeBath]:
    plain = [DyeBath(((name, 1.0),)) for name in DYES]
    mixed = [DyeBath(((a, share), (b, 1.0 - share))) for a, b in combinations(DYES, 2) for share in _SHARES]
    return plain + mixed


def sample_chart(wanted: list[tuple[float, float, float]], name: str) -> Chart:
    """A chart of dyed samples nearest to colours that are wanted, over a row of greys, as the stand-in instrument measured it.

    Parameters
    ----------
    wanted : list of (L, a, b)
        D50; the first six are dyed, and where there are fewer the rest of the row in other depths of them.
    """
    surfaces = np.vstack([bath.reflectance(_DEPTHS) for bath in _baths()])
    light = daylight(5003.0)
    labs = xyz_to_lab(xyz_of_surfaces(surfaces, light) @ bradford(xyz_of_light(light), D50).T)
    chosen: list[int] = []
    for number in range(_ROW):
        goal = np.array(wanted[number % len(wanted)])
        far = ciede2000(labs, np.broadcast_to(goal, labs.shape)) + np.isin(np.arange(len(labs)), chosen) * 1e6
        chosen.append(int(np.argmin(far)))
    greys = iso24()
    known = greys.reflectances
    assert known is not None
    ids = tuple(f"{row}{column}" for row in "AB" for column in range(1, _ROW + 1))
    names = tuple([f"sample {i}" for i in range(1, _ROW + 1)] + [f"grey {i}" for i in range(1, _ROW + 1)])
    samples = np.vstack([surfaces[chosen], known[greys.neutral_rows()]])
    plain = Chart("", name, "", 2, _ROW, 0.1, ids, names, ids[_ROW:], samples)
    return Instrument().measure(plain, samples)
