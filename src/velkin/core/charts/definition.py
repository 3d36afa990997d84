"""Charts as data: a grid of patches with reference reflectances.

Chart coordinates: (0, 0) is the outer corner of the first patch, (1, 0) that of the last patch of the first row, (1, 1) and
(0, 1) those of the last row, so that the outer corners of the four corner patches are the unit square.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from functools import lru_cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import NotSupported
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spectra import WAVELENGTHS, Illuminant, xyz_of_surfaces

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Chart:
    """A chart's layout and reference.

    Attributes
    ----------
    id, name, source : str
    rows, columns : int
    gap : float
        Space between patches as a share of their pitch.
    ids, names : tuple of str
        Row by row from the first patch.
    neutrals : tuple of str
        Ids of the neutral patches, light to dark.
    reflectances : ndarray (rows * columns, 81)
        0..1 at `velkin.core.spectra.WAVELENGTHS`.
    """

    id: str
    name: str
    source: str
    rows: int
    columns: int
    gap: float
    ids: tuple[str, ...]
    names: tuple[str, ...]
    neutrals: tuple[str, ...]
    reflectances: Floats = field(repr=False, compare=False)

    @property
    def aspect(self) -> float:
        """Width over height of the unit square in the real world."""
        return (self.columns - self.gap) / (self.rows - self.gap)

    def boxes(self) -> Floats:
        """Left, top, right, bottom of every patch in chart coordinates, (N, 4)."""
        side = 1.0 - self.gap
        columns, rows = np.meshgrid(np.arange(self.columns), np.arange(self.rows))
        left, top = columns.ravel() / (self.columns - self.gap), rows.ravel() / (self.rows - self.gap)
        return np.stack([left, top, left + side / (self.columns - self.gap), top + side / (self.rows - self.gap)], axis=1)

    def centres(self) -> Floats:
        """Centres of the patches in chart coordinates, (N, 2)."""
        boxes = self.boxes()
        return (boxes[:, :2] + boxes[:, 2:]) / 2.0

    def neutral_rows(self) -> list[int]:
        """Indices of the neutral patches."""
        return [self.ids.index(n) for n in self.neutrals]

    def reference(self, light: Illuminant) -> Floats:
        """XYZ D50 (N, 3) of the patches under a light, Bradford-adapted, a perfect diffuser at Y = 1."""
        return np.asarray(xyz_of_surfaces(self.reflectances, light.power) @ bradford(light.white, D50).T)


@lru_cache(maxsize=8)
def _load(name: str) -> Chart:
    data = json.loads((files(__package__) / "data" / f"{name}.json").read_text())
    sampling = data["wavelengths"]
    nm = sampling["start"] + sampling["step"] * np.arange(sampling["count"])
    rows = np.array([np.interp(WAVELENGTHS, nm, p["reflectance"]) for p in data["patches"]])
    return Chart(
        id=data["id"],
        name=data["name"],
        source=data["source"],
        rows=data["rows"],
        columns=data["columns"],
        gap=data["gap"],
        ids=tuple(p["id"] for p in data["patches"]),
        names=tuple(p["name"] for p in data["patches"]),
        neutrals=tuple(data["neutrals"]),
        reflectances=rows,
    )


def iso24() -> Chart:
    """The 24-patch chart of ISO 17321-1, six columns by four rows."""
    return _load("iso24")


def chart_named(name: str) -> Chart:
    """The chart that the command line's CHART names.

    Raises
    ------
    NotSupported
        For charts that this version does not know.
    """
    if name == "iso24":
        return iso24()
    raise NotSupported(f"the chart {name!r} is not supported; this version reads iso24")
