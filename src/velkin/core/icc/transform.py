"""The one gateway to LittleCMS (through imagecodecs). Optimisation is off: what goes through here is measured or written."""

from __future__ import annotations

from enum import IntEnum

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import BadProfile
from velkin.core.spaces.lab import lab_of_numbers, numbers_of_lab

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

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.icc.write import matrix_profile
    >>> from velkin.core.spaces.rgb import SRGB
    >>> (to_lab(np.ones((1, 3)), matrix_profile(SRGB), "rgb").round(1) + 0.0).tolist()
    [[100.0, 0.0, 0.0]]
    """
    row = np.ascontiguousarray(values, dtype=np.float64)[None, :, :]
    if model == "cmyk":
        row = row * 100.0  # LittleCMS takes floating ink amounts in per cent
    elif model == "lab":  # and Lab as it is
        row = lab_of_numbers(row)
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
    return np.asarray(lab, dtype=np.float64).reshape(len(row[0]), 3)


def check_source(profile: bytes, model: str) -> None:
    """Refuse a profile that gives pictures of a colour model no colour. Raises BadProfile."""
    if not np.all(np.isfinite(to_lab(np.full((2, _CHANNELS[model]), 0.5), profile, model))):
        raise BadProfile("the ICC profile gives colours that are not numbers")


def device_values(
    values: NDArray[np.floating],
    source: bytes,
    source_model: str,
    destination: bytes,
    destination_model: str,
    *,
    intent: Intent = Intent.RELATIVE,
    black_point: bool = True,
) -> NDArray[np.float64]:
    """Device values (N, channels) 0..1 of one profile in another, computed in floating point and unoptimised.

    Values of a Lab source are Lab itself, those of a Lab destination device values as everywhere: L / 100 and (a, b + 128) / 255.
    `destination_model` may be ``xyz`` (with LittleCMS's XYZ profile), giving XYZ D50 with Y = 1 for white.

    Raises
    ------
    BadProfile
        When LittleCMS cannot combine the two, as with a destination that has no way from colours to device values.

    Examples
    --------
    >>> import numpy as np
    >>> from velkin.core.icc.write import matrix_profile
    >>> from velkin.core.spaces.rgb import P3, SRGB
    >>> red = np.array([[1.0, 0.0, 0.0]])
    >>> device_values(red, matrix_profile(SRGB), "rgb", matrix_profile(P3), "rgb").round(2).tolist()
    [[0.92, 0.2, 0.14]]
    """
    row = np.ascontiguousarray(values, dtype=np.float64)[None, :, :]
    if source_model == "cmyk":
        row = row * 100.0
    flags = int(imagecodecs.CMS.FLAGS.NOOPTIMIZE)
    if black_point and intent is not Intent.ABSOLUTE:
        flags |= int(imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION)
    try:
        out = imagecodecs.cms_transform(
            row,
            source,
            destination,
            colorspace=source_model,
            outcolorspace=destination_model,
            outdtype=np.float64,
            intent=int(intent),
            flags=flags,
        )
    except Exception as error:
        raise BadProfile(f"the ICC profiles cannot be combined ({error})") from error
    found = np.asarray(out, dtype=np.float64).reshape(len(values), -1)
    if destination_model == "cmyk":
        found = found / 100.0
    elif destination_model == "lab":
        found = numbers_of_lab(found)
    return found


def convert(
    values: NDArray[np.generic],
    source: bytes,
    destination: bytes,
    intent: Intent = Intent.RELATIVE,
    black_point: bool = True,
    optimise: bool = False,
) -> NDArray[np.generic]:
    """RGB pixels (H, W, 3) of one profile in another, dtype kept (uint8, uint16, float32); for comparing."""
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
