"""The colour path: one frozen description of how a frame's numbers become what is shown, measured or written.

Source → Camera → Working → Proof → Hand-off. Window, scope, command line, hand-off and check all use the same path through
`render.py`, so that what is shown, what is measured and what is written cannot differ.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.cameraprofiles.models import ColourMap, Matrix, as_rows
from velkin.core.cameraprofiles.tone import ToneCurve
from velkin.core.files.raw import RawFacts
from velkin.core.spaces.rgb import ROMM, SRGB, RGBSpace

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class CameraStage:
    """How camera numbers become colours.

    Attributes
    ----------
    balance : 3 floats
        White balance multipliers, green 1.
    balance_from : str
        ``as shot``, ``chart``, ``picked`` …
    colours : ColourMap
        Balanced camera RGB → XYZ D50.
    profile : str
        Name of the fitted profile; empty for the camera's built-in one.
    mean_error : float or None
        The fitted profile's mean ΔE00 on its chart.
    tone : ToneCurve or None
        The profile's tone curve where it is to be used.
    """

    balance: tuple[float, ...]
    balance_from: str
    colours: ColourMap
    profile: str = ""
    mean_error: float | None = None
    tone: ToneCurve | None = None


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

    def from_xyz(self) -> Floats:
        """The 3×3 matrix from the XYZ D50 of the camera stage to linear working RGB, exposure included."""
        return np.asarray(self.working.from_xyz) * 2.0**self.exposure


def built_in_stage(facts: RawFacts, balance: Floats | None = None, balance_from: str = "as shot") -> CameraStage:
    """The camera's own way: its built-in matrices, and its as-shot balance unless another is given."""
    chosen = facts.as_shot if balance is None else np.asarray(balance, dtype=np.float64)
    return CameraStage(tuple(float(v) for v in chosen), balance_from, Matrix(as_rows(built_in(facts).matrix(chosen))))


def profile_stage(
    profile: AnyProfile,
    facts: RawFacts,
    balance: Floats | None = None,
    balance_from: str = "chart",
    tone: bool = False,
) -> CameraStage:
    """A profile, with its tone curve where wanted.

    Its balance is that of its chart frame unless another is given; a profile that knows none takes the camera's own.
    """
    if balance is None and profile.balance is None:
        balance, balance_from = facts.as_shot, "as shot"
    chosen = np.array(profile.balance if balance is None else balance, dtype=np.float64)
    return CameraStage(
        tuple(float(v) for v in chosen),
        balance_from,
        profile.colours(chosen),
        profile.name,
        profile.quality.mean if profile.quality is not None else None,
        profile.tone_curve() if tone else None,
    )
