"""Plausible surfaces: reflectances as objects have them, for asking what a camera would see beyond a chart's patches.

Natural and dyed surfaces have smooth spectra (Maloney 1986): these are logistic transforms of smooth random curves, made
from a fixed seed.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from velkin.core.spectra import WAVELENGTHS

Floats = NDArray[np.float64]

_ALIKE = 60.0  # nm over which a reflectance changes little


@lru_cache(maxsize=4)
def plausible_surfaces(count: int = 200) -> Floats:
    """Reflectances (count, 81) in 0.03..0.93 at `WAVELENGTHS`."""
    rng = np.random.default_rng(3)
    nm = WAVELENGTHS
    like = np.exp(-0.5 * ((nm[:, None] - nm) / _ALIKE) ** 2) + 1e-6 * np.eye(len(nm))
    swing, level = rng.uniform(0.3, 2.2, (count, 1)), rng.uniform(-2.5, 1.0, (count, 1))
    curves = rng.standard_normal((count, len(nm))) @ np.linalg.cholesky(like).T
    surfaces: Floats = np.asarray(0.03 + 0.9 / (1.0 + np.exp(-(level + swing * curves))))
    surfaces.setflags(write=False)
    return surfaces
