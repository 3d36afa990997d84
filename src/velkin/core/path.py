"""The colour path: one frozen description of how a frame's numbers become what is shown, measured or written.

Source → Camera → Working → Ease → Destination. Window, scope, command line, hand-off and check all use the same path through
`render.py`, so that what is shown, what is measured and what is written cannot differ.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.matrices import baseline_of, built_in
from velkin.core.cameraprofiles.models import ColourMap, Matrix, as_rows
from velkin.core.cameraprofiles.tone import ToneCurve
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.steps import Step
from velkin.core.files.raw import RawFacts
from velkin.core.gamut.easing import Easing
from velkin.core.icc.space import Space
from velkin.core.icc.transform import Intent
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
    baseline : float
        EV by which the file asks for its exposure to be moved, where `colours` does not hold it already.
    """

    balance: tuple[float, ...]
    balance_from: str
    colours: ColourMap
    profile: str = ""
    mean_error: float | None = None
    tone: ToneCurve | None = None
    baseline: float = 0.0


@dataclass(frozen=True)
class PictureStage:
    """What the numbers of a finished picture mean on arrival.

    Attributes
    ----------
    space : Space
    known : bool
        False where nothing says what they mean and the space is only what they are shown in for now.
    page : int
        Which picture of a file that holds several.
    """

    space: Space
    known: bool = True
    page: int = 0


@dataclass(frozen=True)
class ColourPath:
    """A frame's path from camera numbers, or a finished picture's own, to a destination.

    Attributes
    ----------
    camera : CameraStage or PictureStage
    exposure : float
        EV, applied to linear light of raw frames.
    working : RGBSpace
        What the picture is seen and measured in as linear light: the space of its numbers, or where that is none of matrix
        and curves, the shoot's.
    destination : Space
    arrival : RGBSpace, optional
        The shoot's working space, in which raw frames arrive, where `working` is another.
    steps : tuple of Step
        The assignments and conversions of the ledger, in order.
    intent, black_point
        How the destination is reached.
    easings : tuple of Easing
        What brings colours in on the way to it, in order.
    """

    camera: CameraStage | PictureStage
    exposure: float = 0.0
    working: RGBSpace = ROMM
    destination: Space = SRGB
    arrival: RGBSpace | None = None
    steps: tuple[Step, ...] = ()
    intent: Intent = Intent.RELATIVE
    black_point: bool = True
    easings: tuple[Easing, ...] = ()

    @property
    def proof(self) -> Conversion:
        """The last conversion: from the working space to the destination."""
        return Conversion(self.working, self.destination, self.intent, self.black_point)

    @property
    def to_work(self) -> ColourPath:
        """The path as far as the working space, the same for every destination."""
        return replace(self, destination=self.working, intent=Intent.RELATIVE, black_point=True, easings=())

    @property
    def raw_stage(self) -> CameraStage:
        """The camera stage of a raw frame's path."""
        assert isinstance(self.camera, CameraStage)
        return self.camera

    @property
    def arrives_in(self) -> RGBSpace:
        """The space that raw frames arrive in."""
        return self.arrival or self.working

    @property
    def start(self) -> Space:
        """What the numbers mean before the first step."""
        return self.camera.space if isinstance(self.camera, PictureStage) else self.arrives_in

    @property
    def here(self) -> Space:
        """What the numbers mean after the last step."""
        return self.steps[-1].space if self.steps else self.start

    @property
    def known(self) -> bool:
        """Whether it is known what the numbers mean; a step settles it."""
        return bool(self.steps) or not isinstance(self.camera, PictureStage) or self.camera.known

    @property
    def gain(self) -> float:
        """The factor by which exposure multiplies linear light: the frame's own, and what a raw file asks for."""
        return float(2.0 ** (self.exposure + (self.camera.baseline if isinstance(self.camera, CameraStage) else 0.0)))

    def from_xyz(self) -> Floats:
        """The 3×3 matrix from the XYZ D50 of the camera stage to linear RGB in the space of arrival, exposure included."""
        return np.asarray(self.arrives_in.from_xyz) * self.gain


def path_of(
    camera: CameraStage | PictureStage,
    shoot_space: RGBSpace,
    destination: Space,
    exposure: float = 0.0,
    steps: tuple[Step, ...] = (),
) -> ColourPath:
    """The path of a frame in a shoot that works in `shoot_space`."""
    path = ColourPath(camera, exposure, shoot_space, destination, shoot_space, steps)
    return replace(path, working=path.here) if isinstance(path.here, RGBSpace) else path


def built_in_stage(facts: RawFacts, balance: Floats | None = None, balance_from: str = "as shot") -> CameraStage:
    """The camera's own way: its built-in matrices, and its as-shot balance unless another is given."""
    chosen = facts.as_shot if balance is None else np.asarray(balance, dtype=np.float64)
    colours = Matrix(as_rows(built_in(facts).matrix(chosen)))
    return CameraStage(tuple(float(v) for v in chosen), balance_from, colours, baseline=baseline_of(facts))


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
    baseline = baseline_of(facts)
    if isinstance(profile, DNGProfile):
        profile, baseline = profile.on(facts.colour), 0.0
    return CameraStage(
        tuple(float(v) for v in chosen),
        balance_from,
        profile.colours(chosen),
        profile.name,
        profile.quality.mean if profile.quality is not None else None,
        profile.tone_curve() if tone else None,
        baseline,
    )
