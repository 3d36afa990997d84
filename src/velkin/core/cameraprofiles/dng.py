"""DNG camera profiles as the specification applies them (DNG 1.4, chapter 6): from camera numbers to XYZ D50.

Matrices, hue and saturation maps for one to three lights, a look table and a tone curve. What may be done with one:
`DNGProfile.colours` gives the map at a white balance, which `render` applies. Files: `dng_file`. Making one of a fitted
profile: `dng_export`.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.huesat import HueSatMap, mixed_tables
from velkin.core.cameraprofiles.matrices import ColourMatrices
from velkin.core.cameraprofiles.models import Matrix, Rows, as_rows
from velkin.core.cameraprofiles.tone import ToneCurve
from velkin.core.files.dng_colour import DNGColour
from velkin.core.spaces.rgb import ROMM

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class DNGMap:
    """Matrix, hue and saturation map, exposure, look table, in this order; the last three in linear ROMM RGB.

    Attributes
    ----------
    matrix : 3 × 3
        Balanced camera RGB → XYZ D50.
    table : HueSatMap or None
    factor : float
        Exposure that the profile brings.
    look : HueSatMap or None
    """

    matrix: Rows
    table: HueSatMap | None
    factor: float = 1.0
    look: HueSatMap | None = None

    @property
    def exposure_invariant(self) -> bool:
        """See `ColourMap`."""
        return all(t is None or t.exposure_invariant for t in (self.table, self.look))

    def xyz(self, rgb: Floats) -> Floats:
        """See `ColourMap`."""
        romm = np.asarray(rgb, dtype=np.float64) @ (ROMM.from_xyz @ np.array(self.matrix)).T
        if self.table is not None:
            romm = self.table.apply(romm)
        romm = romm * self.factor
        if self.look is not None:
            romm = self.look.apply(romm)
        return np.asarray(romm @ ROMM.to_xyz.T)


@dataclass(frozen=True)
class DNGProfile:
    """A DNG camera profile.

    Attributes
    ----------
    name, camera, copyright : str
        `camera` is the unique camera model it is for; empty for any.
    policy : int
        Embedding policy: 0 copying allowed, 1 embed if used, 2 never embed, 3 no restrictions.
    illuminants : tuple of int
        Exif LightSource code of each light, one to three.
    matrices : ColourMatrices
        Colour matrices, with the forward matrices where there are any.
    tables : tuple of HueSatMap
        None, one, or one for each light.
    look : HueSatMap or None
    tone : ToneCurve or None
        None leaves the curve to the reader.
    exposure : float
        Baseline exposure offset, EV.
    black : bool
        Whether readers may render blacks in their own way.
    signature : str
        The calibrations in a file hold for it where the camera's signature is the same.
    """

    name: str
    camera: str
    illuminants: tuple[int, ...]
    matrices: ColourMatrices
    tables: tuple[HueSatMap, ...] = ()
    look: HueSatMap | None = None
    tone: ToneCurve | None = None
    exposure: float = 0.0
    black: bool = True
    copyright: str = ""
    policy: int = 3
    signature: str = ""

    def calibrated(self, body: DNGColour) -> DNGProfile:
        """The profile with the calibration of the body that made a file."""
        return replace(self, matrices=self.matrices.on(body, self.signature))

    def on(self, body: DNGColour) -> DNGProfile:
        """The profile on the body that made a file, with the exposure that the file asks for too."""
        return replace(self.calibrated(body), exposure=self.exposure + body.baseline)

    def colours(self, balance: Floats) -> Matrix | DNGMap:
        """The map from balanced camera RGB at a white balance (3,)."""
        matrix = self.matrices.matrix(np.asarray(balance))
        factor = 2.0**self.exposure
        if not self.tables and self.look is None:
            return Matrix(as_rows(matrix * factor))
        table = next(iter(self.tables), None)
        if len(self.tables) > 1:
            table = mixed_tables(self.tables, self.matrices.weights_at(np.asarray(balance)))
        return DNGMap(as_rows(matrix), table, factor, self.look)

    @property
    def model(self) -> str:
        """What kind of profile it is, for people."""
        return "DNG profile"

    @property
    def for_pictures(self) -> bool:
        """Never: a DNG profile takes a sensor's numbers."""
        return False

    @property
    def balance(self) -> None:
        """No chart frame's balance is known."""
        return None

    @property
    def quality(self) -> None:
        """No error figures are known."""
        return None

    def tone_curve(self) -> ToneCurve | None:
        """The curve that goes with it, where there is one that bends."""
        return None if self.tone is None or self.tone.is_straight else self.tone
