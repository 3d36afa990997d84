"""Trials of easing: every hue, chroma and lightness as one picture, and what easing, plain clipping and desaturation make of it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.conversion import Conversion
from velkin.core.gamut.ease import ease, oklab_of
from velkin.core.gamut.easing import OVERALL, full_strength, new_easing
from velkin.core.gamut.membership import measure
from velkin.core.gamut.simulation import linear_there
from velkin.core.icc.space import Space
from velkin.core.spaces.oklab import hue_of, oklab_to_xyz
from velkin.core.spaces.pictures import difference, lab
from velkin.core.spaces.rgb import ROMM, RGBSpace

Pixels = NDArray[np.float32]


def sweep(levels: int = 80, chromas: int = 60, hues: int = 120, most: float = 0.37) -> Pixels:
    """Every hue, chroma and lightness of Oklab that ROMM RGB holds, as one picture (64, N, 3) of linear ROMM RGB."""
    light, chroma, hue = np.meshgrid(
        np.linspace(0.02, 0.99, levels), np.linspace(0.0, most, chromas), np.arange(hues) * 2 * np.pi / hues, indexing="ij"
    )
    oklab = np.stack([light, chroma * np.cos(hue), chroma * np.sin(hue)], axis=-1).reshape(-1, 3)
    linear = (oklab_to_xyz(oklab) @ ROMM.from_xyz.T).astype(np.float32)
    linear = linear[((linear >= 0) & (linear <= 1)).all(axis=1)]
    return linear[: len(linear) // 64 * 64].reshape(64, -1, 3)


def hue_shift(before: Pixels, after: Pixels, space: RGBSpace = ROMM) -> NDArray[np.float32]:
    """Hue shift (N,) in degrees of Oklab over the pixels that changed and still have a hue."""
    a, b = oklab_of(before, space), oklab_of(after, space)
    changed = (np.abs(before - after).max(axis=-1) > 1e-5) & (np.hypot(b[..., 1], b[..., 2]) > 0.01)
    return np.asarray(np.abs((hue_of(a) - hue_of(b) + 180) % 360 - 180)[changed], dtype=np.float32)


@dataclass(frozen=True)
class Trial:
    """One way of bringing a picture in: share outside after, mean ΔE00 of all and of what was inside, mean hue shift of what changed."""

    way: str
    after: float
    change: float
    inside: float
    hue: float


def trials(picture: Pixels, space: RGBSpace, destination: Space) -> tuple[float, tuple[Trial, ...]]:
    """The share outside before, and: easing by a knee at full strength, clipping at the destination, and scaling all chroma until
    99.9 % is in (in steps of a hundredth)."""
    proof = Conversion(space, destination)
    before, out = measure(picture, proof)
    meant = lab(picture, space)

    def trial(way: str, now: Pixels) -> Trial:
        change = difference(meant, lab(now, space))
        hue = hue_shift(picture, now, space)
        return Trial(
            way,
            measure(now, proof)[0].share,
            float(change.mean(dtype=np.float64)),
            float(change[~out].mean(dtype=np.float64)) if (~out).any() else 0.0,
            float(hue.mean()) if len(hue) else 0.0,
        )

    eased = trial("eased by a knee", ease(picture, space, destination, full_strength()))
    cut = trial("cut off", linear_there(picture, proof))
    low, high = 0, 100
    while low < high:  # the smallest share of chroma to take
        middle = (low + high) // 2
        now = ease(picture, space, destination, (replace(new_easing(OVERALL), strength=middle / 100),)) if middle else picture
        low, high = (low, middle) if measure(now, proof)[0].share <= 0.001 else (middle + 1, high)
    overall = replace(new_easing(OVERALL), strength=high / 100)
    pale = trial(f"all chroma less {high} %", ease(picture, space, destination, (overall,)) if high else picture)
    return before.share, (eased, cut, pale)
