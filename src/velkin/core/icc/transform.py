"""The one gateway to LittleCMS (through imagecodecs). Optimisation is off: what goes through here is measured or written."""

from __future__ import annotations

from enum import IntEnum

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import BadProfile

_LAB = imagecodecs.cms_profile("lab4")
_CHANNELS = {"rgb": 3, "gray": 1, "cmyk": 4, "lab": 3}


class Intent(IntEnum):
    """The four rendering intents of ICC.1:2022 6.2."""

    PERCEPTUAL = 0
    RELATIVE = 1
    SATURATION = 2
    ABSOLUTE = 3


def to_lab(values: NDArray[np.floating], profile: bytes, model: str, intent: Intent = Intent.RELATIVE) -> NDArray[np.float64]:
    """Lab D50 (N, 3) of device values (N, channels) 0..1 in the colour model `model`, read through a profile.

    Raises
    ------
    BadProfile
        When LittleCMS cannot use the profile that way.
    """
    row = np.ascontiguousarray(values, dtype=np.float64)[None, :, :]
    if model == "cmyk":
        row = row * 100.0  # LittleCMS takes floating ink amounts in per cent
    try:
        lab = imagecodecs.cms_transform(
            row,
            profile,
            _LAB,
            colorspace=model,
            outcolorspace="lab",
            outdtype=np.float64,
            intent=int(intent),
            flags=int(imagecodecs.CMS.FLAGS.NOOPTIMIZE),
        )
    except Exception as error:  # imagecodecs raises its own and plain errors alike
        raise BadProfile(f"the ICC profile cannot be used for {model} pictures ({error})") from error
    return np.asarray(lab[0], dtype=np.float64)


def convert(
    values: NDArray[np.generic],
    source: bytes,
    destination: bytes,
    intent: Intent = Intent.RELATIVE,
    black_point: bool = True,
    optimise: bool = False,
) -> NDArray[np.generic]:
    """RGB pixels (H, W, 3) of one profile in another, dtype kept (uint8, uint16, float32)."""
    flags = int(imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION) if black_point else 0
    if not optimise:
        flags |= int(imagecodecs.CMS.FLAGS.NOOPTIMIZE)
    try:
        return np.asarray(
            imagecodecs.cms_transform(
                values,
                source,
                destination,
                colorspace="rgb",
                outcolorspace="rgb",
                outdtype=values.dtype,
                intent=int(intent),
                flags=flags,
            )
        )
    except Exception as error:
        raise BadProfile(f"the ICC profiles cannot be combined ({error})") from error
