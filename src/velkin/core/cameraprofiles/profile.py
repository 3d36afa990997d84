"""A fitted camera profile and everything that has to be known about it next month; its lossless JSON file."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import BadProfile, UnreadableFile
from velkin.core.spaces.adaptation import D50

Floats = NDArray[np.float64]

_FORMAT = "Velkin camera profile"
_VERSION = 1


@dataclass(frozen=True)
class PatchError:
    """ΔE00 of one patch through the built-in profile and through the fitted one."""

    id: str
    before: float
    after: float


@dataclass(frozen=True)
class Figures:
    """How well a profile does on the chart it was fitted on (ΔE00), after one common exposure factor.

    Attributes
    ----------
    mean, p95, worst : float
    leave_one_out : float
        Mean over patches, each predicted by a fit that did not see it.
    neutral : float
        Mean over the neutral patches.
    before : float
        Mean through the camera's built-in profile.
    """

    mean: float
    p95: float
    worst: float
    leave_one_out: float
    neutral: float
    before: float


@dataclass(frozen=True)
class CameraProfile:
    """Balanced camera RGB → XYZ D50.

    Attributes
    ----------
    name : str
    camera : str
        Unique camera model it was made for.
    model : str
        ``matrix``.
    matrix : 3 tuples of 3 floats
        Rows sum to D50 white, so that equal numbers are neutral.
    balance : 3 floats
        White balance of the chart frame, multipliers, green 1.
    exposure : float
        Factor that matches the chart's neutrals to their reference.
    light : str
        The light of the reference.
    cct, duv : float
        Of the chart frame's neutral through the built-in profile.
    chart : str
    chart_frame : str
        File name of the frame it was fitted on.
    made : str
        ISO 8601 time; empty when not recorded.
    figures : Figures
    patches : tuple of PatchError
    """

    name: str
    camera: str
    model: str
    matrix: tuple[tuple[float, ...], ...]
    balance: tuple[float, ...]
    exposure: float
    light: str
    cct: float
    duv: float
    chart: str
    chart_frame: str
    made: str
    figures: Figures
    patches: tuple[PatchError, ...]

    def array(self) -> Floats:
        """The matrix as an array (3, 3)."""
        return np.array(self.matrix, dtype=np.float64)

    def to_json(self) -> str:
        """The file's text; every number is written in full."""
        return json.dumps({"format": _FORMAT, "version": _VERSION, **asdict(self)}, indent=1, ensure_ascii=False) + "\n"


def profile_from_json(text: str) -> CameraProfile:
    """The profile in a file's text.

    Raises
    ------
    BadProfile
        When it is not Velkin's, from a newer version, or its numbers cannot be a profile.
    """
    try:
        data: Any = json.loads(text)
        if not isinstance(data, dict) or data.get("format") != _FORMAT:
            raise BadProfile("this is not a Velkin camera profile")
        if data.get("version") != _VERSION:
            raise BadProfile(f"the profile was written by another version of Velkin (format {data.get('version')!r})")
        matrix = np.array(data["matrix"], dtype=np.float64)
        balance = np.array(data["balance"], dtype=np.float64)
        profile = CameraProfile(
            name=str(data["name"]),
            camera=str(data["camera"]),
            model=str(data["model"]),
            matrix=tuple(tuple(float(v) for v in row) for row in matrix),
            balance=tuple(float(v) for v in balance),
            exposure=float(data["exposure"]),
            light=str(data["light"]),
            cct=float(data["cct"]),
            duv=float(data["duv"]),
            chart=str(data["chart"]),
            chart_frame=str(data["chart_frame"]),
            made=str(data["made"]),
            figures=Figures(**{k: float(v) for k, v in data["figures"].items()}),
            patches=tuple(PatchError(str(p["id"]), float(p["before"]), float(p["after"])) for p in data["patches"]),
        )
    except BadProfile:
        raise
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise BadProfile(f"the camera profile is damaged ({type(error).__name__}: {error})") from error
    if profile.model != "matrix":
        raise BadProfile(f"the profile's model {profile.model!r} is not known to this version")
    if matrix.shape != (3, 3) or balance.shape != (3,) or not (np.all(np.isfinite(matrix)) and np.all(np.isfinite(balance))):
        raise BadProfile("the profile's numbers are not a 3×3 matrix and three multipliers")
    if balance.min() <= 0 or abs(np.linalg.det(matrix)) < 1e-6 or np.abs(matrix.sum(axis=1) - D50).max() > 1e-3:
        raise BadProfile("the profile's matrix does not keep white white, or cannot be undone")
    return profile


def load_profile(path: Path) -> CameraProfile:
    """The profile in a file.

    Raises
    ------
    UnreadableFile, BadProfile
    """
    try:
        if path.stat().st_size > 4_000_000:
            raise BadProfile("the file is far larger than a camera profile", path)
        return profile_from_json(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise UnreadableFile(f"the profile cannot be read ({error.strerror})", path) from error
    except UnicodeDecodeError as error:
        raise BadProfile("this is not a Velkin camera profile", path) from error
    except BadProfile as error:
        raise BadProfile(error.message, path) from error
