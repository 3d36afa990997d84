"""Profiles as files: which formats can carry one, their bytes, and what each takes and gives in words."""

from __future__ import annotations

from dataclasses import dataclass

from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.cube import cube_input, cube_output, cube_text
from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.dng_export import dng_profile
from velkin.core.cameraprofiles.dng_file import dng_to_bytes
from velkin.core.cameraprofiles.icc_export import icc_profile
from velkin.core.cameraprofiles.icc_input import ICCInput
from velkin.core.errors import NotSupported
from velkin.core.icc.write_input import Version
from velkin.core.spaces.rgb import ROMM, RGBSpace

#: Suffix of each format, and its name.
FORMATS = {".dcp": "DNG profile", ".icc": "ICC profile", ".cube": "3-D table", ".json": "Velkin profile"}


@dataclass(frozen=True)
class ExportChoices:
    """What a person decides about exported files.

    Attributes
    ----------
    encoding : ``linear`` or ``srgb``
        Of the balanced camera RGB that an ICC profile takes.
    icc_version : 2 or 4
    space : RGBSpace
        What a `.cube` gives, encoded.
    cube_size : 33 or 65
    policy : int
        Embedding policy of a DNG profile.
    """

    encoding: str = "linear"
    icc_version: Version = 4
    space: RGBSpace = ROMM
    cube_size: int = 65
    policy: int = 3


@dataclass(frozen=True)
class ExportedProfile:
    """A profile's file: its bytes, what numbers it takes and gives, and whether they are camera numbers to be rendered for it."""

    data: bytes
    input: str
    output: str
    of_camera: bool = False


def cannot(profile: AnyProfile, suffix: str) -> str:
    """Why a profile cannot be written in a format; empty when it can."""
    if suffix not in FORMATS:
        return f"{suffix or 'a file without suffix'} is no profile format; use {', '.join(FORMATS)}"
    if isinstance(profile, DNGProfile):
        return "" if suffix == ".dcp" else "a DNG profile from a file is written back as what it is, .dcp, only"
    if isinstance(profile, ICCInput):
        return "" if suffix == ".icc" else "an ICC profile from a file is written back as what it is, .icc, only"
    if profile.for_pictures and suffix == ".dcp":
        return (
            "a DNG camera profile takes a sensor's own numbers, and this profile takes those of a finished picture; "
            "an ICC profile or a .cube can carry it"
        )
    if len(profile.fits) == 2 and suffix in (".icc", ".cube"):
        return f"{FORMATS[suffix]}s know one light only, and this profile is for all between two; write each light's own"
    return ""


def exported(profile: AnyProfile, suffix: str, choices: ExportChoices | None = None) -> ExportedProfile:
    """A profile's file in a format.

    Raises
    ------
    NotSupported
        When the format cannot carry it.
    """
    choices = choices or ExportChoices()
    reason = cannot(profile, suffix)
    if reason:
        raise NotSupported(reason)
    camera = "balanced camera RGB, linear"
    if isinstance(profile, ICCInput):
        return ExportedProfile(profile.data, f"balanced camera RGB, {profile.takes}", "as the profile says")
    if isinstance(profile, DNGProfile):
        return ExportedProfile(dng_to_bytes(profile), camera, "XYZ D50")
    if suffix == ".dcp":
        return ExportedProfile(dng_to_bytes(dng_profile(profile, choices.policy)), camera, "XYZ D50")
    if suffix == ".json":
        takes = "the picture's own encoded numbers" if profile.for_pictures else camera
        return ExportedProfile(profile.to_json().encode(), takes, "XYZ D50")
    if suffix == ".icc":
        takes = "the picture's own encoded numbers" if profile.for_pictures else f"balanced camera RGB, {choices.encoding}"
        connection = "XYZ D50" if profile.model == "matrix" and profile.tone == "none" else "Lab D50"
        data = icc_profile(profile, choices.encoding, choices.icc_version)
        return ExportedProfile(data, takes, connection, not profile.for_pictures)
    text = cube_text(profile, choices.space, choices.cube_size)
    return ExportedProfile(text.encode(), cube_input(profile), cube_output(choices.space), not profile.for_pictures)
