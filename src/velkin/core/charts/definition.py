"""Charts as data: a grid of patches with reference reflectances or colours.

Chart coordinates: (0, 0) is the outer corner of the first patch, (1, 0) that of the last patch of the first row, (1, 1) and
(0, 1) those of the last row, so that the outer corners of the four corner patches are the unit square.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spectra import Illuminant, daylight, xyz_of_surfaces

Floats = NDArray[np.float64]

#: A chart that a camera can read has at most this many patches.
LARGEST = 1000


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
    reflectances : ndarray (rows * columns, 81) or None
        0..1 at `velkin.core.spectra.WAVELENGTHS`, where they are known.
    colours : ndarray (rows * columns, 3) or None
        XYZ D50 of the patches, a perfect diffuser at Y = 1, where only colours are known.
    proportion : float
        Width over height of a patch with its share of the gap.
    marks : bool
        Whether registration marks lie outside the four corners (`marks.py`).
    sure : bool
        Whether rows and columns are known; False for files that may have meant them the other way round.
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
    reflectances: Floats | None = field(default=None, repr=False, compare=False)
    colours: Floats | None = field(default=None, repr=False, compare=False)
    proportion: float = 1.0
    marks: bool = False
    sure: bool = True

    @property
    def aspect(self) -> float:
        """Width over height of the unit square in the real world."""
        return self.proportion * (self.columns - self.gap) / (self.rows - self.gap)

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
        """XYZ D50 (N, 3) of the patches under a light, Bradford-adapted, a perfect diffuser at Y = 1.

        Without reflectances the light cannot be taken into account, and the known colours are returned.
        """
        if self.reflectances is None:
            assert self.colours is not None
            return self.colours
        return np.asarray(xyz_of_surfaces(self.reflectances, light.power) @ bradford(light.white, D50).T)

    def reference_d50(self) -> Floats:
        """XYZ (N, 3) of the patches under CIE D50."""
        return self.reference(Illuminant("D50", daylight(5003.0)))

    def transposed(self) -> Chart:
        """The same patches with rows and columns exchanged, for files that do not say which way they count."""
        order = np.arange(len(self.ids)).reshape(self.rows, self.columns).T.ravel()
        return replace(
            self,
            rows=self.columns,
            columns=self.rows,
            proportion=1.0 / self.proportion,
            ids=tuple(self.ids[i] for i in order),
            names=tuple(self.names[i] for i in order),
            reflectances=None if self.reflectances is None else self.reflectances[order],
            colours=None if self.colours is None else self.colours[order],
        )


def neutral_patches(ids: tuple[str, ...], xyz: Floats) -> tuple[str, ...]:
    """Ids of the patches that are nearly neutral under D50 (chroma below 3, or below 6 where there is none), light to dark.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.spaces.adaptation import D50
    >>> neutral_patches(("A1", "A2"), np.array([0.5 * D50, [0.3, 0.2, 0.1]]))
    ('A1',)
    """
    lab = xyz_to_lab(xyz)
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    for limit in (3.0, 6.0):
        chosen = np.flatnonzero((chroma < limit) & (lab[:, 0] > 12.0))
        if len(chosen):
            return tuple(ids[i] for i in sorted(chosen, key=lambda i: -lab[i, 0]))
    return (ids[int(np.argmin(chroma))],)
