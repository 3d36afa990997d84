"""A conversion: from one space to another, with an intent. Look stays, numbers change."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from velkin.core.icc.space import LAB, Space
from velkin.core.icc.transform import Intent, device_values
from velkin.core.spaces.rgb import RGBSpace


@dataclass(frozen=True)
class Conversion:
    """From one space to another.

    Attributes
    ----------
    source, destination : Space
    intent : Intent
    black_point : bool
        Black point compensation; never used with the absolute intent.
    """

    source: Space
    destination: Space
    intent: Intent = Intent.RELATIVE
    black_point: bool = True

    @property
    def light(self) -> RGBSpace:
        """The source of a conversion of light, which is a space of matrix and curves."""
        assert isinstance(self.source, RGBSpace)
        return self.source


def is_destination(space: Space) -> bool:
    """Whether pictures can be converted to a space: RGB of curves, or a profile with a way back from colours."""
    if isinstance(space, RGBSpace):
        return True
    if space.id == LAB.id:
        return False
    try:
        device_values(np.zeros((1, 3)), LAB.icc, "lab", space.icc, space.model)
    except Exception:
        return False
    return True
