"""Camera profiles of any kind behind one face: Velkin's own, DNG camera profiles, ICC input profiles."""

from __future__ import annotations

import base64
import json
from pathlib import Path

from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.dng_file import dng_from_bytes, dng_to_bytes, load_dng
from velkin.core.cameraprofiles.icc_input import ICCInput, icc_from_bytes, load_icc
from velkin.core.cameraprofiles.profile import CameraProfile, load_profile, profile_from_json
from velkin.core.errors import BadProfile, NotSupported
from velkin.core.files.camera_names import same_camera
from velkin.core.files.checked_json import refused_as
from velkin.core.files.dng_colour import DNGColour

AnyProfile = CameraProfile | DNGProfile | ICCInput

#: Suffixes of profile files, and what they are.
SUFFIXES = {".json": "Velkin profile", ".dcp": "DNG profile", ".icc": "ICC profile", ".icm": "ICC profile"}

_KEPT = "Velkin kept profile"


def load_any(path: Path) -> AnyProfile:
    """The camera profile in a file, by its suffix.

    Raises
    ------
    UnreadableFile, BadProfile, NotSupported
    """
    suffix = path.suffix.lower()
    if suffix == ".json":
        return load_profile(path)
    if suffix == ".dcp":
        return load_dng(path)
    if suffix in (".icc", ".icm"):
        return load_icc(path)
    raise NotSupported(f"{suffix or 'a file without suffix'} is not a camera profile; use {', '.join(SUFFIXES)}", path)


def to_text(profile: AnyProfile) -> str:
    """A profile as text, for keeping: nothing is lost."""
    if isinstance(profile, CameraProfile):
        return profile.to_json()
    kind, data = ("dng", dng_to_bytes(profile)) if isinstance(profile, DNGProfile) else ("icc", profile.data)
    return json.dumps({"format": _KEPT, "kind": kind, "data": base64.b64encode(data).decode()})


def from_text(text: str) -> AnyProfile:
    """The profile that `to_text` wrote. Raises BadProfile."""
    with refused_as(lambda why: BadProfile(f"the kept profile is damaged: it {why}")):
        data = json.loads(text)
        if data.get("format") != _KEPT:
            return profile_from_json(text)
        payload = base64.b64decode(data["data"], validate=True)
        return dng_from_bytes(payload) if data["kind"] == "dng" else icc_from_bytes(payload)


def on_body(profile: AnyProfile, body: DNGColour | None) -> AnyProfile:
    """A profile as it acts on the pictures of one body: a DNG profile takes its calibration and the exposure its files ask for."""
    return profile.on(body) if isinstance(profile, DNGProfile) and body is not None else profile


def calibrated_for(profile: AnyProfile, body: DNGColour | None) -> AnyProfile:
    """As `on_body`, at the profile's own exposure: for measuring and comparing colours."""
    return profile.calibrated(body) if isinstance(profile, DNGProfile) and body is not None else profile


def check_camera(profile: AnyProfile, camera: str, force: bool = False) -> None:
    """Refuse a profile that was made for another camera, unless forced. One that names none is for any.

    Raises
    ------
    BadProfile
    """
    if profile.for_pictures:
        raise BadProfile(f"{profile.name} was fitted on a finished picture and takes such numbers, not a sensor's")
    if not force and profile.camera and not same_camera(profile.camera, camera):
        raise BadProfile(f"the profile was made for {profile.camera}, and the frame was shot with {camera}")
