"""What a camera would see of surfaces that are not on the chart, from its reading of those that are.

Camera RGB is linear in a surface's reflectance: each patch says what the reflectance times the light sums to under three
unknown sensitivities. Those are estimated as smooth curves (a Gaussian process round the best combination of the standard
observer's functions), and with them the RGB of any surface follows as a weighted sum of the patches' own. Smoothness as
the only assumption is that of Wiener estimation of reflectances and sensitivities (Pratt and Mancill 1976; Hardeberg 2001).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.spectra import WAVELENGTHS, observer

Floats = NDArray[np.float64]

_LENGTH = 28.0  # nm over which sensitivities are alike
_NOISES = (0.0015, 0.004, 0.01, 0.025)  # relative; which of them fits is seen by leaving patches out
_DOUBTLESS = 0.006  # relative: what no patch is doubted for
_PRIOR = 10.0  # how far sensitivities may depart from the observer's, as a multiple of the white's response


@dataclass(frozen=True)
class SeenThrough:
    """Weights that turn patches' camera RGB into that of other surfaces, and what they were found by.

    Attributes
    ----------
    noise : float
        Relative noise of the reading that fits best.
    surprise : ndarray (N,)
        How far each patch lies from what the others predict, as a multiple of what is usual; above 3 it is not believed.
    """

    noise: float
    surprise: Floats
    _gram: Floats
    _cross: Floats
    _lit: Floats
    _trust: Floats
    _level: Floats

    def predict(self, rgb: Floats, surfaces: Floats, use: Floats | None = None) -> Floats:
        """Balanced camera RGB of surfaces.

        Parameters
        ----------
        rgb : ndarray (N, 3)
            Of the patches; balanced, a perfect diffuser at 1.
        surfaces : ndarray (M, 81)
            Reflectances.
        use : ndarray (N,) or None
            0 for a patch that is to be left out.

        Returns
        -------
        ndarray (M, 3)
        """
        keep = np.append(np.ones(len(rgb)) if use is None else use, 1.0) > 0
        lit, wanted = self._lit[keep], surfaces * self._lit[-1]  # the perfect diffuser's row is the light itself
        values = np.vstack([rgb, np.ones(3)])[keep]
        mean = _observer_mean(lit, values, self._weights()[keep])
        residual = values - lit @ mean
        noise = np.diag(1.0 / self._weights()[keep])
        solved = np.linalg.solve(self._gram[np.ix_(keep, keep)] + noise, residual)
        return np.asarray(wanted @ (mean + self._cross[:, keep] @ solved))

    def _weights(self) -> Floats:
        return self._trust / (self.noise * self._level) ** 2


def _observer_mean(lit: Floats, values: Floats, weights: Floats) -> Floats:
    """The combination (81, 3) of observer functions that explains responses best."""
    root = np.sqrt(weights / weights.max())[:, None]
    design = lit @ observer()
    size = np.linalg.norm(design * root) * 1e-4
    stacked = np.vstack([design * root, size * np.eye(3)])
    return np.asarray(observer() @ np.linalg.lstsq(stacked, np.vstack([values * root, np.zeros((3, 3))]), rcond=None)[0])


def seen_through(rgb: Floats, reflectances: Floats, power: Floats) -> SeenThrough:
    """How a camera's reading of known reflectances under a known light predicts its response to others.

    Patches that the others contradict (a reflection, a finger) lose their say.

    Parameters
    ----------
    rgb : ndarray (N, 3)
        Balanced camera RGB, a perfect diffuser at 1.
    reflectances : ndarray (N, 81)
    power : ndarray (81,)
        Of the light.
    """
    nm = WAVELENGTHS
    light = power / power.max()
    envelope = np.exp(-0.5 * ((nm - 545.0) / 75.0) ** 4)
    like = envelope[:, None] * envelope * np.exp(-0.5 * ((nm[:, None] - nm) / _LENGTH) ** 2)
    lit = np.vstack([reflectances, np.ones((1, len(nm)))]) * light
    cross = like @ lit.T
    scale = _PRIOR / (lit[-1] @ cross[:, -1])
    cross, gram = cross * scale, lit @ cross * scale
    level = np.append(np.maximum(rgb.mean(axis=1), 0.02), 0.02)
    values = np.vstack([rgb, np.ones(3)])
    trust = np.ones(len(values))
    best: tuple[float, float, Floats] | None = None
    for noise in _NOISES:
        trust = np.ones(len(values))
        for _ in range(4):
            weights = trust / (noise * level) ** 2
            residual = values - lit @ _observer_mean(lit, values, weights)
            inverse = np.linalg.inv(gram + np.diag(1.0 / weights))
            # leave-one-out residual of a Gaussian process (Rasmussen and Williams 2006, eq. 5.12)
            missed = (inverse @ residual) / np.diag(inverse)[:, None] / level[:, None]
            size = np.sqrt((missed[:-1] ** 2).mean(axis=1))
            usual = max(1.4826 * float(np.median(size)), noise, _DOUBTLESS)
            trust[:-1] = 1.0 / (1.0 + (size / (3.0 * usual)) ** 4)
        score = float(np.median(size) + 0.25 * np.minimum(size, 3.0 * usual).mean())
        if best is None or score < best[0] * 0.97:
            best = (score, noise, size / usual)
            kept = trust.copy()
    assert best is not None
    return SeenThrough(best[1], best[2], gram, cross, lit, kept, level)
