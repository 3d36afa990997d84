"""What a profile is fitted to: the chart's patches, and what the camera would see of plausible surfaces beyond them.

A chart of 24 patches says little about colours between and outside them, and a fit that only pleases the patches does
worse on the rest. Where the patches' reflectances are known, the reading tells what the camera sees of any surface
(`sensitivities`), and the fit is made to please those too. Where only the patches' colours are known, they stand alone.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.sensitivities import SeenThrough, seen_through
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spectra import Illuminant, xyz_of_surfaces
from velkin.core.spectra.surfaces import plausible_surfaces

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Training:
    """Colours to fit to, on the exposure at which a perfect diffuser is 1.

    Attributes
    ----------
    rgb : ndarray (N, 3)
        Balanced camera RGB of the patches.
    reference : ndarray (N, 3)
        XYZ D50 of the patches.
    weights : ndarray (N,)
        Of the patches.
    surfaces_rgb : ndarray (B, M, 3)
        Camera RGB of the surfaces: first as all patches tell, then (B − 1 times, or not at all) as they tell without one of them.
    surfaces_xyz : ndarray (M, 3)
    """

    rgb: Floats
    reference: Floats
    weights: Floats
    surfaces_rgb: Floats
    surfaces_xyz: Floats

    @property
    def known(self) -> bool:
        """Whether there are surfaces beyond the patches."""
        return len(self.surfaces_xyz) > 0

    def all_rgb(self) -> Floats:
        """Camera RGB of patches and surfaces, (B, N + M, 3)."""
        batch = len(self.surfaces_rgb)
        return np.concatenate([np.broadcast_to(self.rgb, (batch, *self.rgb.shape)), self.surfaces_rgb], axis=1)

    def all_xyz(self) -> Floats:
        """XYZ D50 of patches and surfaces, (N + M, 3)."""
        return np.vstack([self.reference, self.surfaces_xyz])

    def all_weights(self) -> Floats:
        """Weights (B, N + M): the surfaces together weigh as much as the patches; in fit b > 0 patch b − 1 counts nothing."""
        count, extra = len(self.rgb), len(self.surfaces_xyz)
        use = np.vstack([np.ones(count), 1.0 - np.eye(count)]) * self.weights
        beyond = np.full((count + 1, extra), self.weights.sum() / max(extra, 1))
        return np.concatenate([use, beyond], axis=1)[: len(self.surfaces_rgb)]


def training_of(
    rgb: Floats, reference: Floats, weights: Floats, *, reflectances: Floats | None, light: Illuminant, leave_out: bool = True
) -> Training:
    """The colours to fit to.

    Parameters
    ----------
    rgb : ndarray (N, 3)
        Balanced, a perfect diffuser at 1.
    reference : ndarray (N, 3)
        XYZ D50 under the light.
    weights : ndarray (N,)
    reflectances : ndarray (N, 81) or None
    light : Illuminant
    leave_out : bool
        Whether fits without one patch each are wanted too.
    """
    without = np.eye(len(rgb)) if leave_out else np.zeros((0, len(rgb)))
    if reflectances is None:
        return Training(rgb, reference, weights, np.zeros((len(without) + 1, 0, 3)), np.zeros((0, 3)))
    surfaces = plausible_surfaces()
    seen: SeenThrough = seen_through(rgb, reflectances, light.power)
    trusted = weights / (1.0 + (seen.surprise / 4.0) ** 4)
    told = [seen.predict(rgb, surfaces)] + [seen.predict(rgb, surfaces, 1.0 - row) for row in without]
    xyz = xyz_of_surfaces(surfaces, light.power) @ bradford(light.white, D50).T
    return Training(rgb, reference, trusted, np.maximum(np.stack(told), 1e-4), np.asarray(xyz))
