"""The RGB spaces Velkin knows by name, and how numbers in them become light.

A space is primaries, white and transfer function; or the matrix and the curves that an ICC profile gives.
"""

from __future__ import annotations

from dataclasses import dataclass, field, fields
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from velkin.core.spaces.adaptation import D50, bradford, xy_to_xyz
from velkin.core.spaces.transfer import AnyTransfer, Transfer

Floats = NDArray[np.float64]


@dataclass(frozen=True, repr=False)
class RGBSpace:
    """An RGB space: primaries, white and transfer function.

    Attributes
    ----------
    id : str
        The short name of the command line.
    name : str
        As shown.
    trade_name : str
        What labs and other files may call it; empty when there is no other name.
    primaries : tuple of three (x, y)
    white : (x, y)
    transfer : Transfer, Sampled or ByChannel
    given : 3×3 rows, optional
        Linear RGB to XYZ D50 as a profile states it, used in place of what primaries and white give.
    family : str
        Id of the built-in space that it equals to within 1.0 ΔE00; empty where it equals none.
    icc : bytes, optional
        The profile that it was read from, embedded as it is wherever pictures in this space are written.
    to_xyz : ndarray (3, 3)
        Linear RGB to XYZ D50 (profile connection space), Bradford-adapted from the space's white.
    from_xyz : ndarray (3, 3)
        The inverse.
    """

    id: str
    name: str
    trade_name: str
    primaries: tuple[tuple[float, float], tuple[float, float], tuple[float, float]]
    white: tuple[float, float]
    transfer: AnyTransfer
    given: tuple[tuple[float, float, float], ...] | None = None
    family: str = ""
    icc: bytes | None = field(default=None, repr=False, compare=False)
    to_xyz: Floats = field(init=False, repr=False, compare=False)
    from_xyz: Floats = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        columns = np.stack([xy_to_xyz(p) for p in self.primaries], axis=1)
        white = xy_to_xyz(self.white)
        native = columns * np.linalg.solve(columns, white)
        to_xyz = self.adaptation @ native if self.given is None else np.array(self.given)
        object.__setattr__(self, "to_xyz", to_xyz)
        object.__setattr__(self, "from_xyz", np.linalg.inv(to_xyz))

    model = "rgb"

    @cached_property
    def _told(self) -> str:
        return f"RGBSpace({', '.join(f'{f.name}={getattr(self, f.name)!r}' for f in fields(self) if f.repr)})"

    def __repr__(self) -> str:
        """As a dataclass tells itself, but put together once: whether files are out of date is told from what their paths say."""
        return self._told

    @property
    def adaptation(self) -> Floats:
        """The 3×3 Bradford matrix from the space's white to the connection space's D50 (what ICC calls ``chad``)."""
        return bradford(xy_to_xyz(self.white), D50)

    def encode(self, linear: NDArray[np.floating]) -> NDArray[np.floating]:
        """Encoded numbers of linear RGB (..., 3), unclipped."""
        return self.transfer.encode(linear)

    def decode(self, encoded: NDArray[np.floating]) -> NDArray[np.floating]:
        """Linear RGB of encoded numbers (..., 3)."""
        return self.transfer.decode(encoded)


_D65 = (0.3127, 0.3290)
_D50 = (0.3457, 0.3585)
_SRGB_CURVE = Transfer(2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)
_ROMM_PRIMARIES = ((0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001))

SRGB = RGBSpace("srgb", "sRGB", "", ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)), _D65, _SRGB_CURVE)
OPRGB = RGBSpace("oprgb", "opRGB", "Adobe RGB (1998)", ((0.64, 0.33), (0.21, 0.71), (0.15, 0.06)), _D65, Transfer(563 / 256))
P3 = RGBSpace("p3", "P3 (D65)", "", ((0.68, 0.32), (0.265, 0.69), (0.15, 0.06)), _D65, _SRGB_CURVE)
ROMM = RGBSpace("romm", "ROMM RGB", "ProPhoto RGB", _ROMM_PRIMARIES, _D50, Transfer(1.8, 1.0, 0.0, 1 / 16, 16 * 0.001953125))
BT2020 = RGBSpace(
    "bt2020",
    "BT.2020",
    "",
    ((0.708, 0.292), (0.17, 0.797), (0.131, 0.046)),
    _D65,
    Transfer(1 / 0.45, 1 / 1.0993, 0.0993 / 1.0993, 1 / 4.5, 4.5 * 0.0181),
)
ECIRGB = RGBSpace(
    "ecirgb",
    "eciRGB v2",
    "",
    ((0.67, 0.33), (0.21, 0.71), (0.14, 0.08)),
    _D50,
    Transfer(3.0, 1 / 1.16, 0.16 / 1.16, 2700 / 24389, 0.08),
)
ROMM_LINEAR = RGBSpace("romm-linear", "ROMM RGB, linear", "", _ROMM_PRIMARIES, _D50, Transfer(1.0))

BUILT_IN: dict[str, RGBSpace] = {s.id: s for s in (SRGB, OPRGB, P3, ROMM, BT2020, ECIRGB, ROMM_LINEAR)}


def family_of(space: RGBSpace) -> str:
    """Id of the built-in space that a space is or equals; empty where there is none.

    Examples
    --------
    >>> family_of(SRGB), family_of(RGBSpace("mine", "mine", "", SRGB.primaries, SRGB.white, SRGB.transfer))
    ('srgb', '')
    """
    return space.id if space.id in BUILT_IN else space.family


def between(source: RGBSpace, destination: RGBSpace) -> Floats:
    """The 3×3 matrix from linear RGB in one space to linear RGB in another (colorimetric, through D50).

    Examples
    --------
    >>> (between(P3, SRGB).round(3) + 0.0).tolist()
    [[1.225, -0.225, 0.0], [-0.042, 1.042, 0.0], [-0.02, -0.079, 1.098]]
    """
    return np.asarray(destination.from_xyz @ source.to_xyz)
