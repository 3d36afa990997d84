"""Looks from files: a match of Velkin's (`.json`), a table (`.cube`), or an ICC profile."""

from __future__ import annotations

from pathlib import Path

from velkin.core.errors import BadProfile, NotSupported, UnreadableFile
from velkin.core.icc.read import LARGEST, parse
from velkin.core.looks.device_link import device_link
from velkin.core.looks.kept import KeptLook, LookKind
from velkin.core.match.cube_file import load_cube
from velkin.core.match.match_file import KeptMatch, load_match, match_to_json
from velkin.core.spaces.rgb import BUILT_IN, RGBSpace


def read_look(path: Path) -> KeptLook:
    """The look in a file, wholly checked.

    Raises
    ------
    NotSupported
        For a file of another kind.
    UnreadableFile, BadProfile
        Naming the file, and the line where it is one of a table.
    """
    suffix = path.suffix.lower()
    if suffix == ".json":
        return KeptLook(load_match(path).name or path.stem, LookKind.MATCH, _content(path))
    if suffix == ".cube":
        cube = load_cube(path)
        says = _said(cube.comments)
        return KeptLook(cube.title or path.stem, LookKind.TABLE, _content(path), says, says)
    if suffix in (".icc", ".icm"):
        return _profile(path)
    raise NotSupported(f"{suffix or 'a file without suffix'} is not put on pictures; use .json, .cube or .icc", path)


def look_of_match(match: KeptMatch) -> KeptLook:
    """A match as a look."""
    return KeptLook(match.name, LookKind.MATCH, match_to_json(match).encode())


def _profile(path: Path) -> KeptLook:
    try:
        if path.stat().st_size > LARGEST:
            raise BadProfile("the ICC profile is far larger than any profile needs")
        content = _content(path)
        profile = parse(content)
    except OSError as error:
        raise UnreadableFile(f"the profile cannot be read ({error.strerror})", path) from error
    except BadProfile as error:
        raise BadProfile(error.message, path) from error
    name = profile.description or path.stem
    if profile.kind == "abstract" and profile.model == "lab":
        return KeptLook(name, LookKind.ABSTRACT, content)
    if profile.kind == "link":
        try:
            device_link(content)
        except BadProfile as error:
            raise BadProfile(error.message, path) from error
        return KeptLook(name, LookKind.LINK, content)
    if profile.kind not in ("input", "display", "output", "space") or profile.model != "rgb":
        raise BadProfile(
            f"a profile of the class {profile.kind} for {profile.model} is no look: abstract profiles, RGB profiles and device links of RGB are",
            path,
        )
    return KeptLook(name, LookKind.PROFILE, content)


def _content(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise UnreadableFile(f"it cannot be read ({error.strerror})", path) from error


def _said(comments: tuple[str, ...]) -> RGBSpace | None:
    """The space that a table's comments name, as those of Velkin's do."""
    said = next((c.removeprefix("space:").strip() for c in comments if c.startswith("space:")), "")
    return BUILT_IN.get(said)
