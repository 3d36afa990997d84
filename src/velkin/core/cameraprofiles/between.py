"""Two profiles mixed by what they give: for a light that moves from one chart to the next."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.models import ColourMap

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Between:
    """A share of the second map's colours, and the rest of the first's; the maps may be of any kinds.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.cameraprofiles.models import Matrix, as_rows
    >>> dark, light = (Matrix(as_rows(np.eye(3) * v)) for v in (0.0, 1.0))
    >>> Between(dark, light, 0.25).xyz(np.ones(3)).tolist()
    [0.25, 0.25, 0.25]
    """

    first: ColourMap
    second: ColourMap
    share: float

    @property
    def exposure_invariant(self) -> bool:
        """See `ColourMap`."""
        return self.first.exposure_invariant and self.second.exposure_invariant

    def xyz(self, rgb: Floats) -> Floats:
        """See `ColourMap`."""
        return np.asarray((1.0 - self.share) * self.first.xyz(rgb) + self.share * self.second.xyz(rgb))
