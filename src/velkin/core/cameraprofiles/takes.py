"""What numbers a written profile takes, as its own file says, so that its input is made for it and never guessed."""

from __future__ import annotations

from pathlib import Path

from velkin.core.cameraprofiles.cube import CAMERA_INPUT, PICTURE_INPUT
from velkin.core.cameraprofiles.icc_input import load_icc, stated_input
from velkin.core.errors import BadProfile, NotSupported, UnreadableFile

#: Of a `.cube`, what is looked through for its comments, bytes.
_HEAD = 65536

_PICTURE = "it takes the numbers of a finished picture, which are there already; nothing is to be rendered for it"
_SILENT = "the file does not say what numbers it takes; say it with --encoding in the place of --for"


def encoding_taken(path: Path) -> str:
    """How the balanced camera RGB is encoded that a profile takes: ``linear`` or ``srgb`` (by sRGB's curve).

    Raises
    ------
    UnreadableFile, BadProfile
    NotSupported
        When the file takes no camera numbers, does not say which, or is a profile that is applied to raw files directly.
    """
    suffix = path.suffix.lower()
    if suffix in (".dcp", ".json"):
        raise NotSupported("such a profile is applied to the raw file itself: render --profile", path)
    if suffix in (".icc", ".icm"):
        said = stated_input(load_icc(path).data)
    elif suffix == ".cube":
        said = _of_cube(path)
    else:
        raise NotSupported(f"{suffix or 'a file without suffix'} is no profile that takes pictures; use .icc or .cube", path)
    if said == "picture":
        raise NotSupported(_PICTURE, path)
    if not said:
        raise NotSupported(_SILENT, path)
    return said


def _of_cube(path: Path) -> str:
    try:
        with path.open("rb") as stream:
            head = stream.read(_HEAD).decode("utf-8", "replace")
    except OSError as error:
        raise UnreadableFile(f"the table cannot be read ({error.strerror})", path) from error
    if "LUT_" not in head:
        raise BadProfile("this is no .cube table", path)
    said = [line[len("# input:") :].strip() for line in head.splitlines() if line.startswith("# input:")]
    return {CAMERA_INPUT: "srgb", PICTURE_INPUT: "picture"}.get(said[0] if said else "", "")
