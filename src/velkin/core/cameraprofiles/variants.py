"""Variants: what can be derived from one fitted profile for infrared, other odd light, and softer or colourless renderings."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.models import Model, Rows
from velkin.core.errors import FitRefused
from velkin.core.spaces.rgb import ROMM

Floats = NDArray[np.float64]

IDENTITY: Rows = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))

#: Mixers that have a name: rows give the new red, green and blue out of the camera's.
MIXERS: dict[str, Rows] = {
    "none": IDENTITY,
    "exchange red and blue": ((0.0, 0.0, 1.0), (0.0, 1.0, 0.0), (1.0, 0.0, 0.0)),
    "exchange red and green": ((0.0, 1.0, 0.0), (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
    "exchange green and blue": ((1.0, 0.0, 0.0), (0.0, 0.0, 1.0), (0.0, 1.0, 0.0)),
}


@dataclass(frozen=True)
class Variant:
    """How a profile departs from its fit.

    Attributes
    ----------
    mixer : 3 × 3
        Exchanges or mixes the balanced camera channels before anything else; rows sum to 1, so that neutrals stay.
    saturation : float
        Factor on saturation in linear ROMM RGB, 0 (monochrome) to 1.
    reach : 3 floats
        Multipliers on the camera's neutral, green 1, before its temperature is asked for: shifts the range of
        temperatures so that a balance far outside the usual sits in it.
    """

    mixer: Rows = IDENTITY
    saturation: float = 1.0
    reach: tuple[float, float, float] = (1.0, 1.0, 1.0)

    def __post_init__(self) -> None:
        mixer = np.array(self.mixer, dtype=np.float64)
        if mixer.shape != (3, 3) or not np.all(np.isfinite(mixer)) or np.abs(mixer.sum(axis=1) - 1.0).max() > 1e-6:
            raise FitRefused("the rows of a channel mixer must each sum to 1, so that neutrals stay neutral")
        if abs(np.linalg.det(mixer)) < 1e-3 or np.abs(mixer).max() > 4.0:
            raise FitRefused("this channel mixer makes two channels the same, or multiplies by more than 4")
        if not 0.0 <= self.saturation <= 1.0:
            raise FitRefused("saturation goes from 0 to 1")
        reach = np.array(self.reach)
        if reach.shape != (3,) or not np.all(np.isfinite(reach)) or reach.min() <= 0.01 or reach.max() > 100:
            raise FitRefused("the reach of the balance must be three positive multipliers")

    @property
    def changes_colours(self) -> bool:
        """Whether colours come out differently from what was fitted; a shifted reach alone changes none."""
        return self.mixer != IDENTITY or self.saturation != 1.0

    def words(self) -> str:
        """What it does, for people."""
        parts = []
        if self.mixer != IDENTITY:
            parts.append(next((name for name, m in MIXERS.items() if m == self.mixer), "channels mixed"))
        if self.saturation == 0.0:
            parts.append("monochrome")
        elif self.saturation < 1.0:
            parts.append(f"saturation {self.saturation:.0%}".replace("%", " %"))
        if self.reach != (1.0, 1.0, 1.0):
            parts.append("reach of the balance shifted")
        return ", ".join(parts)


def reach_for(balance: Floats, usual: Floats) -> tuple[float, float, float]:
    """The reach that makes a balance (3,) read as the temperature that `usual` (3,) reads as without it."""
    factor = np.asarray(balance) / np.asarray(usual)
    factor = factor / factor[1]
    return float(factor[0]), 1.0, float(factor[2])


@dataclass(frozen=True)
class Varied:
    """A model with a variant's mixer before it and its saturation after it."""

    model: Model
    variant: Variant

    @property
    def exposure_invariant(self) -> bool:
        """See `ColourMap`."""
        return self.model.exposure_invariant

    def xyz(self, rgb: Floats) -> Floats:
        """See `ColourMap`."""
        mixed = np.asarray(rgb, dtype=np.float64) @ np.array(self.variant.mixer).T
        xyz = self.model.xyz(mixed)
        if self.variant.saturation == 1.0:
            return xyz
        romm = xyz @ ROMM.from_xyz.T
        grey = xyz[..., 1:2]  # a neutral of the same luminance
        return np.asarray((grey + self.variant.saturation * (romm - grey)) @ ROMM.to_xyz.T)
