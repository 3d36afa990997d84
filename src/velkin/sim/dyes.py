"""Spectral dyes on wool, paints, and smooth test reflectances.

A dyed fibre follows the single-constant theory of Kubelka and Munk: the ratio of absorption to scattering of the bare
fibre plus that of each dye times its strength gives the reflectance.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.spectra import WAVELENGTHS

Floats = NDArray[np.float64]


def _band(centre: float, left: float, right: float) -> Floats:
    width = np.where(centre > WAVELENGTHS, left, right)
    return np.asarray(np.exp(-0.5 * ((WAVELENGTHS - centre) / width) ** 2))


#: Absorption of each dye per unit of strength, (81,).
DYES: dict[str, Floats] = {
    "madder": _band(505.0, 60.0, 38.0) + 0.35 * _band(430.0, 40.0, 40.0),
    "cochineal": _band(530.0, 42.0, 32.0) + 0.18 * _band(440.0, 40.0, 30.0),
    "weld": _band(418.0, 60.0, 42.0),
    "indigo": _band(645.0, 62.0, 60.0) + 0.10 * _band(420.0, 40.0, 30.0),
    "teal": _band(650.0, 58.0, 80.0) + 0.20 * _band(415.0, 30.0, 22.0),
    "fuchsia": _band(545.0, 34.0, 26.0) + 0.06 * _band(420.0, 40.0, 40.0),
    "walnut": _band(400.0, 80.0, 130.0) + 0.25,
}


def absorption_ratio(reflectance: Floats) -> Floats:
    """Absorption over scattering of an opaque layer from its reflectance (Kubelka and Munk)."""
    return (1.0 - reflectance) ** 2 / (2.0 * reflectance)


def reflectance_of_ratio(ratio: Floats) -> Floats:
    """Reflectance of an opaque layer from its absorption over scattering (Kubelka and Munk)."""
    return 1.0 + ratio - np.sqrt(ratio**2 + 2.0 * ratio)


#: Undyed wool, slightly yellow.
WOOL: Floats = 0.80 - 0.24 * np.exp(-(WAVELENGTHS - 380.0) / 70.0)


@dataclass(frozen=True)
class DyeBath:
    """Dyes with their strengths at full depth."""

    dyes: tuple[tuple[str, float], ...]

    def reflectance(self, depth: Floats) -> Floats:
        """Reflectances (N, 81) of wool dyed to relative depths (N,)."""
        full = sum((strength * DYES[name] for name, strength in self.dyes), np.zeros_like(WAVELENGTHS))
        return reflectance_of_ratio(absorption_ratio(WOOL)[None, :] + np.asarray(depth)[:, None] * full[None, :])


BATHS: dict[str, DyeBath] = {
    "magenta": DyeBath((("fuchsia", 13.0),)),
    "crimson": DyeBath((("cochineal", 9.0), ("madder", 2.5))),
    "rust": DyeBath((("madder", 5.5), ("weld", 2.5), ("walnut", 0.35))),
    "ochre": DyeBath((("weld", 12.0), ("madder", 0.55))),
    "teal": DyeBath((("teal", 8.5), ("weld", 0.25))),
    "indigo": DyeBath((("indigo", 9.0), ("cochineal", 1.0))),
    "moss": DyeBath((("weld", 9.0), ("indigo", 1.4))),
    "plum": DyeBath((("cochineal", 5.0), ("indigo", 3.0))),
    "orange": DyeBath((("madder", 3.0), ("weld", 13.0))),
    "natural": DyeBath((("walnut", 0.03),)),
    "skin": DyeBath((("cochineal", 0.62), ("weld", 0.10), ("walnut", 0.10))),
}


def smooth_reflectances(count: int, seed: int) -> Floats:
    """Smooth random reflectances (count, 81) in 0.03..0.92: dye mixtures on wool, made from a seed."""
    rng = np.random.default_rng(seed)
    names = list(DYES)
    rows = []
    for _ in range(count):
        chosen = rng.choice(len(names), size=int(rng.integers(1, 4)), replace=False)
        bath = DyeBath(tuple((names[i], float(10 ** rng.uniform(-1.2, 0.85))) for i in chosen))
        rows.append(bath.reflectance(np.ones(1))[0])
    return np.clip(np.array(rows), 0.03, 0.92)


def _edge(middle: float, width: float) -> Floats:
    """Absorption of a semiconductor-like pigment: all below an edge, nothing above."""
    return np.asarray(1.0 / (1.0 + np.exp((WAVELENGTHS - middle) / width)))


#: Absorption over scattering of paints at full strength in a white base, (81,).
PAINTS: dict[str, Floats] = {
    "lemon": 5.0 * _edge(485.0, 8.0),
    "amber": 6.0 * _edge(530.0, 9.0),
    "scarlet": 7.0 * _edge(590.0, 10.0),
    "oxide": 2.6 * _edge(575.0, 22.0) + 0.25,
    "ultramarine": 4.5 * _band(595.0, 42.0, 48.0),
    "cyan": 5.0 * _band(625.0, 40.0, 30.0) + 2.4 * _band(680.0, 30.0, 60.0),
    "green": 4.0 * _band(645.0, 50.0, 60.0) + 3.2 * _band(425.0, 40.0, 32.0),
    "violet": 4.5 * _band(560.0, 40.0, 34.0) + 0.4 * _band(420.0, 30.0, 30.0),
    "soot": 3.0 + 0.0 * WAVELENGTHS,
}


def paint_reflectances(count: int, seed: int) -> Floats:
    """Reflectances (count, 81) in 0.02..0.95 of paints mixed into a white base and with each other, made from a seed."""
    rng = np.random.default_rng(seed)
    base = absorption_ratio(0.93 - 0.08 * _edge(395.0, 8.0))
    names = list(PAINTS)
    rows = []
    for _ in range(count):
        chosen = rng.choice(len(names), size=int(rng.integers(1, 4)), replace=False)
        ratio = base + sum(PAINTS[names[i]] * float(10 ** rng.uniform(-2.2, 0.0)) for i in chosen)
        rows.append(reflectance_of_ratio(ratio))
    return np.clip(np.array(rows), 0.02, 0.95)
