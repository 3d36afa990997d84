"""Tables of hue, saturation and value: how DNG profiles and Velkin's own tables bend colours (DNG 1.4 chapter 6).

A colour is taken as linear ROMM RGB, written as hue (0..6 round the circle), saturation and value, and the table gives
for it a shift of hue in degrees, a factor on saturation and one on value. A table with one division of value does the
same to a colour at every exposure.

The specification clips its colours to 0..1 first. Here they stay unclipped: a saturation above 1 is looked up at 1 and
keeps what it had over it, a value above 1 is looked up at 1 and scaled.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import BadProfile
from velkin.core.spaces.rgb import SRGB

Floats = NDArray[np.float64]

#: Entries that a profile may have at most: far above what any in use has, far below what would exhaust memory.
LARGEST = 400_000


@dataclass(frozen=True, eq=False)
class HueSatMap:
    """A table of corrections.

    Attributes
    ----------
    data : ndarray (values, hues, saturations, 3), float32
        Hue shift in degrees, saturation factor, value factor.
    encoding : ``linear`` or ``srgb``
        How value is laid out along its axis; without meaning for a single division.
    """

    data: NDArray[np.float32] = field(repr=False)
    encoding: Literal["linear", "srgb"] = "linear"
    digest: str = field(init=False)

    def __post_init__(self) -> None:
        data = np.ascontiguousarray(self.data, dtype=np.float32)
        if data.ndim != 4 or data.shape[3] != 3 or min(data.shape[:3]) < 1 or data.shape[2] < 2 or data.size > 3 * LARGEST:
            raise BadProfile(
                f"a hue and saturation table of the size {'×'.join(str(n) for n in data.shape[:3])} cannot be used"
            )
        if not np.all(np.isfinite(data)) or data[..., 1:].min() < 0 or np.abs(data).max() > 1e4:
            raise BadProfile("a hue and saturation table holds numbers that cannot be meant")
        object.__setattr__(self, "data", data)
        text = f"{data.shape} {self.encoding}".encode()
        object.__setattr__(self, "digest", hashlib.blake2b(text + data.tobytes(), digest_size=12).hexdigest())

    def __eq__(self, other: object) -> bool:
        return isinstance(other, HueSatMap) and other.digest == self.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    @property
    def exposure_invariant(self) -> bool:
        """Whether it does the same at every exposure."""
        return self.data.shape[0] == 1

    def apply(self, rgb: Floats) -> Floats:
        """Corrected linear ROMM RGB (..., 3), float64, of linear ROMM RGB; unclipped."""
        h, s, v = to_hsv(rgb)
        values, hues, saturations = self.data.shape[:3]
        encoded: Floats = (
            np.asarray(SRGB.encode(np.clip(v, 0.0, 1.0)), dtype=np.float64)
            if self.encoding == "srgb" and values > 1
            else np.clip(v, 0.0, 1.0)
        )
        h0, fh = _cell(h * hues / 6.0, hues)
        s0, fs = _cell(np.clip(s, 0.0, 1.0) * (saturations - 1), saturations - 1)
        v0, fv = _cell(encoded * (values - 1), values - 1)
        found = np.zeros((*h.shape, 3))
        for dv in (0, 1) if values > 1 else (0,):
            for dh in (0, 1):
                for ds in (0, 1):
                    weight = np.where(dh, fh, 1 - fh) * np.where(ds, fs, 1 - fs)
                    if values > 1:
                        weight = weight * np.where(dv, fv, 1 - fv)
                    found += weight[..., None] * self.data[v0 + dv, (h0 + dh) % hues, s0 + ds]
        new_s = np.minimum(s * found[..., 1], np.maximum(s, 1.0))
        if self.encoding == "srgb" and values > 1:
            over = np.maximum(v, 1.0)
            new_v: Floats = np.asarray(SRGB.decode(np.minimum(encoded * found[..., 2], 1.0)) * over, dtype=np.float64)
        else:
            new_v = v * found[..., 2]
        return from_hsv(h + found[..., 0] / 60.0, new_s, new_v)


def mixed_tables(tables: tuple[HueSatMap, ...], weights: tuple[float, ...]) -> HueSatMap:
    """Tables of the same size mixed by weights that sum to 1.

    Raises
    ------
    BadProfile
        When the sizes differ.
    """
    if any(t.data.shape != tables[0].data.shape for t in tables):
        raise BadProfile("the profile's hue and saturation tables differ in size")
    data = sum(w * t.data for w, t in zip(weights, tables, strict=True))
    return HueSatMap(np.asarray(data, dtype=np.float32), tables[0].encoding)


def _cell(position: Floats, cells: int) -> tuple[NDArray[np.int64], Floats]:
    """The cell a position lies in, and how far into it (0..1); positions past the last cell lie at its end."""
    index = np.clip(np.floor(position), 0, max(cells - 1, 0)).astype(np.int64)
    return index, position - index


def to_hsv(rgb: Floats) -> tuple[Floats, Floats, Floats]:
    """Hue 0..6, saturation and value of linear RGB (..., 3).

    Examples
    --------
    >>> import numpy as np
    >>> [float(v) for v in to_hsv(np.array([0.2, 0.4, 0.2]))]
    [2.0, 0.5, 0.4]
    """
    r, g, b = rgb[..., 0], rgb[..., 1], rgb[..., 2]
    v, low = rgb.max(axis=-1), rgb.min(axis=-1)
    gap = v - low
    flat = (gap <= 0) | (v <= 0)
    safe = np.where(flat, 1.0, gap)
    h = np.where(v == r, (g - b) / safe, np.where(v == g, 2.0 + (b - r) / safe, 4.0 + (r - g) / safe))
    h = np.where(h < 0, h + 6.0, h)
    return np.where(flat, 0.0, h), np.where(flat, 0.0, gap / np.where(flat, 1.0, v)), v


def from_hsv(h: Floats, s: Floats, v: Floats) -> Floats:
    """Linear RGB (..., 3) of hue 0..6 (any turn), saturation and value.

    Examples
    --------
    >>> import numpy as np
    >>> from_hsv(*to_hsv(np.array([0.2, 0.4, 0.1]))).round(6).tolist()
    [0.2, 0.4, 0.1]
    """
    h = np.mod(h, 6.0)
    chroma = v * s
    ramps = [1.0 - np.clip(np.abs(h - 3.0) - 1.0, 0, 1), 1.0 - np.clip(2.0 - np.abs(h - 2.0), 0, 1)]
    ramps.append(1.0 - np.clip(2.0 - np.abs(h - 4.0), 0, 1))
    return np.stack([v - chroma * r for r in ramps], axis=-1)
