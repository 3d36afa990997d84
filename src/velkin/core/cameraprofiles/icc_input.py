"""ICC input profiles as camera profiles: read, checked, and applied through LittleCMS."""

from __future__ import annotations

import hashlib
import struct
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import BadProfile, UnreadableFile
from velkin.core.icc.read import parse
from velkin.core.icc.transform import Intent, to_lab
from velkin.core.icc.write_input import INPUT_TAG
from velkin.core.spaces.lab import lab_to_xyz
from velkin.core.spaces.rgb import SRGB

Floats = NDArray[np.float64]

_LARGEST = 64 * 1024 * 1024


@dataclass(frozen=True)
class ICCMap:
    """What an ICC input profile makes of balanced camera RGB; numbers outside 0..1 are clipped, as such profiles end there.

    Attributes
    ----------
    data : bytes
    takes : ``linear`` or ``srgb``
        How its input is encoded.
    digest : str
        Of the bytes, so that a description of it tells one from another.
    """

    data: bytes = field(repr=False)
    takes: str
    digest: str
    exposure_invariant = False

    def xyz(self, rgb: Floats) -> Floats:
        """See `ColourMap`."""
        numbers = np.clip(np.asarray(rgb, dtype=np.float64), 0.0, 1.0)
        if self.takes == "srgb":
            numbers = np.asarray(SRGB.encode(numbers))
        lab = to_lab(numbers.reshape(-1, 3), self.data, "rgb", Intent.RELATIVE)
        return lab_to_xyz(lab).reshape(rgb.shape)


@dataclass(frozen=True)
class ICCInput:
    """An ICC profile that stands for a camera.

    Attributes
    ----------
    name : str
    data : bytes
    takes : ``linear``, ``srgb`` or ``picture``
        As Velkin's own profiles say; others are taken to expect linear numbers.
    digest : str
    """

    name: str
    data: bytes = field(repr=False)
    takes: str
    digest: str

    camera = ""
    model = "ICC profile"
    balance = None
    quality = None

    @property
    def for_pictures(self) -> bool:
        """Whether it takes finished pictures rather than camera numbers, as Velkin's own profiles say."""
        return self.takes == "picture"

    def tone_curve(self) -> None:
        """None: a curve, if any, is in the table."""
        return

    def colours(self, balance: Floats) -> ICCMap:
        """The map from balanced camera RGB; the balance changes nothing."""
        return ICCMap(self.data, self.takes, self.digest)


def icc_from_bytes(data: bytes) -> ICCInput:
    """The camera profile in an ICC profile's bytes.

    Raises
    ------
    BadProfile
        When it is damaged, or not for RGB, or a device link or the like.
    """
    profile = parse(data)
    if profile.model != "rgb" or profile.kind not in ("input", "display", "space"):
        raise BadProfile(f"an ICC profile of the class {profile.kind} for {profile.model} cannot stand for a camera")
    numbers = np.array([[0.0, 0.0, 0.0], [0.18, 0.18, 0.18], [1.0, 1.0, 1.0], [0.4, 0.2, 0.1]])
    lab = to_lab(numbers, data, "rgb")
    if not np.all(np.isfinite(lab)) or lab[2, 0] - lab[0, 0] < 5.0:
        raise BadProfile("the ICC profile gives no usable colours")
    digest = hashlib.blake2b(data, digest_size=12).hexdigest()
    return ICCInput(profile.description or "unnamed ICC profile", data, stated_input(data) or "linear", digest)


def stated_input(data: bytes) -> str:
    """What an ICC profile says that it takes, as Velkin's own do: ``linear``, ``srgb``, ``picture``, or nothing."""
    count = struct.unpack_from(">I", data, 128)[0]
    for i in range(count):
        sign, offset, length = struct.unpack_from(">4sII", data, 132 + 12 * i)
        if sign == INPUT_TAG:
            said = data[offset + 8 : offset + length].split(b"\0")[0].decode("ascii", "replace")
            return said if said in ("linear", "srgb", "picture") else ""
    return ""


def load_icc(path: Path) -> ICCInput:
    """The ICC camera profile in a file. Raises UnreadableFile, BadProfile."""
    try:
        if path.stat().st_size > _LARGEST:
            raise BadProfile("the file is far larger than a camera profile", path)
        return icc_from_bytes(path.read_bytes())
    except OSError as error:
        raise UnreadableFile(f"the profile cannot be read ({error.strerror})", path) from error
    except BadProfile as error:
        raise BadProfile(error.message, path) from error
