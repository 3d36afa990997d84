"""The TIFF that an ICC profile or a `.cube` of a camera takes: its balanced numbers, with no matrix and no tag."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from velkin.core.cameraprofiles.highlights import balanced
from velkin.core.conversion.codes import codes_of_light
from velkin.core.files import raw
from velkin.core.files.encode import encode_numbers
from velkin.core.files.picture import Picture
from velkin.core.spaces.rgb import ROMM_LINEAR, SRGB

#: Spaces whose curves are those of the two encodings.
_CURVES = {"linear": ROMM_LINEAR, "srgb": SRGB}


def camera_tiff(file: Path, balance: tuple[float, ...], encoding: str, exposure: float = 0.0) -> bytes:
    """A raw file's balanced camera RGB as a 16-bit TIFF with the file's metadata.

    Parameters
    ----------
    balance : 3 floats
        Multipliers, green 1.
    encoding : ``linear`` or ``srgb``
    exposure : float
        EV; 0 keeps the white level at full scale.

    Raises
    ------
    UnreadableFile
    """
    numbers = balanced(raw.decode(file), balance) * np.float32(2.0**exposure)
    return encode_numbers(
        Picture(codes_of_light(numbers, _CURVES[encoding], 16), None, "rgb"), "tiff", None, family="", source=file
    ).data
