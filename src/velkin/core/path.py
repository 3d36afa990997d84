"""The colour path: one frozen description of how a frame's numbers become what is shown, measured or written.

Source → Camera → Working → Proof → Hand-off. Window, scope, command line, hand-off and check all use the same path through
`render.py`, so that what is shown, what is measured and what is written cannot differ.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.builtin import built_in
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.files.raw import RawFacts
from velkin.core.spaces.rgb import ROMM, SRGB, RGBSpace

Floats = NDArray[np.float64]
Matrix = tuple[tuple[float, ...], ...]


@dataclass(frozen=True)
class CameraStage:
    """How camera numbers become colours.

    Attributes
    ----------
    balance : 3 floats
        White balance multipliers, green 1.
    balance_from : str
        ``as shot``, ``chart``, ``picked`` …
    matrix : 3×3
        Balanced camera RGB → XYZ D50.
    profile : str
        Name of the fitted profile; empty for the camera's built-in one.
    mean_error : float or None
        The fitted profile's mean ΔE00 on its chart.
    """

    balance: tuple[float, ...]
    balance_from: str
    matrix: Matrix
    profile: str = ""
    mean_error: float | None = None


@dataclass(frozen=True)
class ColourPath:
    """A frame's path from camera numbers to a destination.

    Attributes
    ----------
    camera : CameraStage
    exposure : float
        EV, applied to linear light.
    working, destination : RGBSpace
    """

    camera: CameraStage
    exposure: float = 0.0
    working: RGBSpace = ROMM
    destination: RGBSpace = SRGB

    def to_working(self) -> Floats:
        """The 3×3 matrix from balanced camera RGB to linear working RGB, exposure included."""
        return np.asarray(self.working.from_xyz @ np.array(self.camera.matrix)) * 2.0**self.exposure


def as_matrix(matrix: Floats) -> Matrix:
    """A 3×3 array as nested tuples, for frozen descriptions."""
    return tuple(tuple(float(v) for v in row) for row in matrix)


def built_in_stage(facts: RawFacts, balance: Floats | None = None, balance_from: str = "as shot") -> CameraStage:
    """The camera's own way: its built-in matrices, and its as-shot balance unless another is given."""
    chosen = facts.as_shot if balance is None else np.asarray(balance, dtype=np.float64)
    return CameraStage(tuple(float(v) for v in chosen), balance_from, as_matrix(built_in(facts).matrix(chosen)))


def profile_stage(profile: CameraProfile, balance: Floats | None = None, balance_from: str = "chart") -> CameraStage:
    """A fitted profile, with the balance of its chart frame unless another is given."""
    chosen = profile.balance if balance is None else tuple(float(v) for v in balance)
    return CameraStage(chosen, balance_from, profile.matrix, profile.name, profile.figures.mean)
