"""Camera: how camera numbers become colours, and the light they arrive as."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.anyprofile import AnyProfile, on_body
from velkin.core.cameraprofiles.applying import apply_colours, apply_tone
from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.matrices import baseline_of, built_in
from velkin.core.cameraprofiles.models import ColourMap, Matrix, as_rows
from velkin.core.cameraprofiles.tone import ToneCurve
from velkin.core.files.raw import RawFacts
from velkin.core.spaces.rgb import ROMM, RGBSpace, between
from velkin.core.stages.stage import Alters, Flow, Line, Place

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
    baseline : float
        EV by which the file asks for its exposure to be moved, where `colours` does not hold it already.
    exposure : float
        The frame's own EV.
    arrival : RGBSpace
        The space of the light.
    """

    balance: tuple[float, ...]
    balance_from: str
    colours: ColourMap
    profile: str = ""
    mean_error: float | None = None
    tone: ToneCurve | None = None
    baseline: float = 0.0
    exposure: float = 0.0
    arrival: RGBSpace = ROMM

    place = Place.CAMERA

    @property
    def gain(self) -> float:
        """The factor by which exposure multiplies light: the frame's own, and what the file asks for."""
        return float(2.0 ** (self.exposure + self.baseline))

    def xyz(self, rgb: Floats) -> Floats:
        """XYZ D50 (..., 3) of single colours in camera RGB, as exposed, without the profile's tone curve."""
        return np.asarray(self.colours.xyz(rgb * np.array(self.balance)) * self.gain)

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        lines = [Line(f"{self.profile or 'built-in profile'}, balance {self.balance_from}", Alters.LOOK)]
        if self.exposure:
            sign = "\u2212" if self.exposure < 0 else "+"
            lines.append(Line(f"exposure {sign}{abs(self.exposure):.2f} EV", Alters.BOTH))
        return (*lines, Line(f"converted to {self.arrival.name}", Alters.NUMBERS))

    def apply(self, flow: Flow) -> Flow:
        """Linear RGB in the space of arrival of linear camera RGB (H, W, 3), unclipped."""
        camera_rgb = flow.pixels
        if self.tone is None:
            to_arrival = np.asarray(self.arrival.from_xyz) * self.gain
            return flow.as_light(apply_colours(camera_rgb, self.colours, to_arrival, self.balance), self.arrival)
        romm = apply_colours(camera_rgb, self.colours, np.asarray(ROMM.from_xyz) * self.gain, self.balance)
        return flow.as_light(apply_tone(romm, self.tone, between(ROMM, self.arrival)), self.arrival)


def built_in_stage(facts: RawFacts, balance: Floats | None = None, balance_from: str = "as shot") -> CameraStage:
    """The camera's own way: its built-in matrices, and its as-shot balance unless another is given."""
    chosen = facts.as_shot if balance is None else np.asarray(balance, dtype=np.float64)
    colours = Matrix(as_rows(built_in(facts).matrix(chosen)))
    return CameraStage(tuple(float(v) for v in chosen), balance_from, colours, baseline=baseline_of(facts))


def profile_stage(
    profile: AnyProfile,
    facts: RawFacts,
    *,
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
    of_body = on_body(profile, facts.colour)
    return CameraStage(
        tuple(float(v) for v in chosen),
        balance_from,
        of_body.colours(chosen),
        profile.name,
        profile.quality.mean if profile.quality is not None else None,
        profile.tone_curve() if tone else None,
        0.0 if isinstance(profile, DNGProfile) else baseline_of(facts),
    )


def exposed(camera: CameraStage, exposure: float, arrival: RGBSpace) -> CameraStage:
    """A camera stage with a frame's exposure, arriving in a space."""
    return replace(camera, exposure=exposure, arrival=arrival)
