"""What a camera profile is made of: maps from balanced camera RGB to XYZ D50, from plain to rich.

All of them keep equal numbers neutral (their white is D50 exactly), and do the same at every exposure: twice the light
gives twice the XYZ.
"""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.huesat import HueSatMap, mixed_tables
from velkin.core.spaces.rgb import ROMM

Floats = NDArray[np.float64]
Rows = tuple[tuple[float, ...], ...]

#: Share of the sum of the channels that is added under every root, so that slopes stay finite where a channel is empty.
ROOT_FLOOR = 0.2


class ColourMap(Hashable, Protocol):
    """A map from balanced camera RGB to XYZ D50."""

    @property
    def exposure_invariant(self) -> bool:
        """Whether it does the same at every exposure."""
        ...

    def xyz(self, rgb: Floats) -> Floats:
        """XYZ D50 (..., 3), float64, of balanced camera RGB (..., 3), 1 = the level of white; unclipped."""
        ...


def as_rows(array: Floats) -> Rows:
    """A 2-D array as nested tuples, for frozen descriptions.

    Examples
    --------
    >>> import numpy as np
    >>> as_rows(np.eye(2))
    ((1.0, 0.0), (0.0, 1.0))
    """
    return tuple(tuple(float(v) for v in row) for row in array)


@dataclass(frozen=True)
class Matrix:
    """XYZ = M · RGB; rows of `matrix` (3 × 3) sum to D50."""

    matrix: Rows
    exposure_invariant = True

    def xyz(self, rgb: Floats) -> Floats:
        """See `ColourMap`."""
        return np.asarray(np.asarray(rgb, dtype=np.float64) @ np.array(self.matrix).T)


def root_terms(rgb: Floats) -> Floats:
    """R, G, B, √RG, √GB, √RB of camera RGB (..., 3) as (..., 6); each is 1 for R = G = B = 1.

    Root-polynomial of degree 2 (Finlayson, Mackiewicz, Hurlbert 2015). Under the roots a little of the channels' sum is added
    (`ROOT_FLOOR`), which keeps the terms of the first degree in exposure and their slopes finite. Negative numbers count as 0
    under the roots.

    Examples
    --------
    >>> import numpy as np
    >>> root_terms(np.ones(3)).tolist()
    [1.0, 1.0, 1.0, 1.0, 1.0, 1.0]
    """
    positive = np.maximum(rgb, 0.0)
    lifted = (positive + ROOT_FLOOR * positive.sum(axis=-1, keepdims=True)) / (1.0 + 3.0 * ROOT_FLOOR)
    r, g, b = lifted[..., 0], lifted[..., 1], lifted[..., 2]
    return np.concatenate([rgb, np.sqrt(np.stack([r * g, g * b, r * b], axis=-1))], axis=-1)


@dataclass(frozen=True)
class RootPolynomial:
    """XYZ = C · `root_terms`; rows of `coefficients` (3 × 6) sum to D50."""

    coefficients: Rows
    exposure_invariant = True

    def xyz(self, rgb: Floats) -> Floats:
        """See `ColourMap`."""
        return np.asarray(root_terms(np.asarray(rgb, dtype=np.float64)) @ np.array(self.coefficients).T)


@dataclass(frozen=True)
class Table:
    """A matrix, then a table of hue, saturation and value in linear ROMM RGB that leaves neutrals alone."""

    matrix: Rows
    table: HueSatMap

    @property
    def exposure_invariant(self) -> bool:
        """See `ColourMap`."""
        return self.table.exposure_invariant

    def xyz(self, rgb: Floats) -> Floats:
        """See `ColourMap`."""
        romm = np.asarray(rgb, dtype=np.float64) @ (ROMM.from_xyz @ np.array(self.matrix)).T
        return np.asarray(self.table.apply(romm) @ ROMM.to_xyz.T)


Model = Matrix | RootPolynomial | Table

#: From plain to rich.
NAMES = ("matrix", "rootpoly", "table")
#: The same for people.
WORDS = {"matrix": "matrix", "rootpoly": "root-polynomial", "table": "matrix with table"}


def name_of(model: Model) -> str:
    """``matrix``, ``rootpoly`` or ``table``.

    Examples
    --------
    >>> name_of(Matrix(((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))))
    'matrix'
    """
    return NAMES[(Matrix, RootPolynomial, Table).index(type(model))]


def mixed(first: Model, second: Model, share: float) -> Model:
    """`share` of the first model and the rest of the second, which is of the same kind.

    Examples
    --------
    >>> import numpy as np
    >>> dark, light = (Matrix(as_rows(np.eye(3) * v)) for v in (0.0, 1.0))
    >>> mixed(dark, light, 0.25).matrix[0]
    (0.75, 0.0, 0.0)
    """

    def rows(a: Rows, b: Rows) -> Rows:
        return as_rows(share * np.array(a) + (1.0 - share) * np.array(b))

    if isinstance(first, Matrix) and isinstance(second, Matrix):
        return Matrix(rows(first.matrix, second.matrix))
    if isinstance(first, RootPolynomial) and isinstance(second, RootPolynomial):
        return RootPolynomial(rows(first.coefficients, second.coefficients))
    assert isinstance(first, Table) and isinstance(second, Table)
    return Table(rows(first.matrix, second.matrix), mixed_tables((first.table, second.table), (share, 1.0 - share)))
