"""A fitted profile as a `.cube` 3-D table: text that most colour tools read."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.icc_export import toned_xyz
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.spaces.rgb import SRGB, RGBSpace

Floats = NDArray[np.float64]


#: What a `.cube` of Velkin's takes; stands in the file, by which its input is made (`takes`).
CAMERA_INPUT = "balanced camera RGB through the sRGB transfer curve, 0..1"
PICTURE_INPUT = "the picture's own encoded numbers, 0..1"


def cube_input(profile: CameraProfile) -> str:
    """What a `.cube` of a profile takes, in words."""
    return PICTURE_INPUT if profile.for_pictures else CAMERA_INPUT


def cube_output(space: RGBSpace) -> str:
    """What a `.cube` gives, in words."""
    return f"{space.name}, encoded, 0..1"


def cube_text(profile: CameraProfile, space: RGBSpace, size: int = 65) -> str:
    """The file's text; red changes fastest."""
    axis = np.linspace(0.0, 1.0, size)
    blue, green, red = np.meshgrid(axis, axis, axis, indexing="ij")
    encoded = np.stack([red, green, blue], axis=-1).reshape(-1, 3)
    if profile.for_pictures:
        steps = [np.linspace(0.0, 1.0, len(c)) for c in profile.curves]
        linear = np.stack([np.interp(encoded[:, i], steps[i], profile.curves[i]) for i in range(3)], axis=1)
    else:
        linear = np.asarray(SRGB.decode(encoded))
    values = np.clip(space.encode(toned_xyz(profile, linear) @ space.from_xyz.T), 0.0, 1.0)
    title = profile.name.replace('"', "'").replace("\n", " ")
    head = [
        f'TITLE "{title}"',
        f"# camera: {profile.camera}",
        f"# input: {cube_input(profile)}",
        f"# output: {cube_output(space)}",
        *(
            []
            if profile.for_pictures
            else ["# its input is written by: velkin render RAW --camera-rgb --for THIS.cube --out INPUT.tif"]
        ),
        f"LUT_3D_SIZE {size}",
        "DOMAIN_MIN 0.0 0.0 0.0",
        "DOMAIN_MAX 1.0 1.0 1.0",
    ]
    rows = [f"{r:.7f} {g:.7f} {b:.7f}" for r, g, b in values.tolist()]
    return "\n".join([*head, *rows]) + "\n"
