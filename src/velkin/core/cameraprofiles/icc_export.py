"""A fitted profile as an ICC input profile, matrix or table."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.models import Matrix
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.icc.write_input import Version, input_matrix_profile, input_table_profile
from velkin.core.spaces.lab import xyz_to_lab

Floats = NDArray[np.float64]


def icc_profile(profile: CameraProfile, encoding: str = "linear", version: Version = 4) -> bytes:
    """The ICC input profile that does what a fitted one does at the balance of its (first) chart frame.

    Parameters
    ----------
    encoding : ``linear`` or ``srgb``
        Of the balanced camera RGB that it takes; a profile of finished pictures takes the picture's own numbers.
    version : 2 or 4
    """
    takes = "picture" if profile.for_pictures else encoding
    curves = tuple(np.array(c) for c in profile.curves)
    colours = profile.colours(np.array(profile.fits[0].balance))
    notice = profile.copyright or "No copyright, use freely"
    tone = profile.tone_curve()
    if isinstance(colours, Matrix) and tone is None:
        return input_matrix_profile(
            profile.name, np.array(colours.matrix), takes=takes, curves=curves, copyright_text=notice, version=version
        )

    def lab_of(rgb: Floats) -> Floats:
        return xyz_to_lab(toned_xyz(profile, rgb))

    return input_table_profile(profile.name, lab_of, takes=takes, curves=curves, copyright_text=notice, version=version)


def toned_xyz(profile: CameraProfile, rgb: Floats) -> Floats:
    """XYZ D50 (N, 3) of linear balanced camera RGB (N, 3) at the balance of the chart frame, tone curve included."""
    from velkin.core.spaces.rgb import ROMM

    xyz = profile.colours(np.array(profile.fits[0].balance)).xyz(rgb)
    tone = profile.tone_curve()
    return xyz if tone is None else np.asarray(tone.apply(xyz @ ROMM.from_xyz.T) @ ROMM.to_xyz.T)
