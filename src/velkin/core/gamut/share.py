"""How much of a picture a space cannot hold, before anything is converted."""

from __future__ import annotations

import numpy as np

from velkin.core.conversion.codes import Numbers, as_float
from velkin.core.conversion.light import lab_of, linear_in
from velkin.core.conversion.outside import measure_outside
from velkin.core.gamut.roundtrip import outside_by_profile
from velkin.core.icc.space import ICCSpace, Space
from velkin.core.sampling import spread
from velkin.core.spaces.rgb import RGBSpace


def share_outside(numbers: Numbers, source: Space, destination: Space) -> float:
    """Share of pixels that a destination cannot hold; of spaces known by their profile, an even sample of up to 2 million.

    Raises
    ------
    BadProfile
        When the destination has no way from colours to device values.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.spaces.rgb import P3, SRGB
    >>> share_outside(np.array([[[255, 0, 0], [128, 128, 128]]], np.uint8), P3, SRGB)
    0.5
    """
    flat = numbers.reshape(-1, numbers.shape[-1])
    sample = as_float(spread(flat, 2_000_000))
    if isinstance(destination, RGBSpace):
        return measure_outside(linear_in(sample, source, destination)[None], destination).share
    assert isinstance(destination, ICCSpace)
    return float(np.mean(outside_by_profile(lab_of(sample, source), destination)))
