"""The shelf: a folder of camera profiles, which of them are on, and what is noted of them.

Profiles are files of any readable kind; what a person decides about them (on or off, another name, notes) is kept beside
them in `shelf.json`. Anything else in the folder is left alone. A profile is told by what it does, so that copies under
other names are found.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import asdict, dataclass, replace
from functools import lru_cache
from pathlib import Path

import numpy as np

from velkin.core.cameraprofiles.anyprofile import SUFFIXES, AnyProfile, load_any
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.errors import BadProfile, OutputRefused, VelkinError
from velkin.core.files.camera_names import same_camera
from velkin.core.files.checked_json import refused_as
from velkin.core.files.names import file_name
from velkin.core.files.safely import write_named, write_whole

_INDEX = "shelf.json"
_REMOVED = "removed"


@lru_cache(maxsize=256)
def fingerprint(profile: AnyProfile) -> str:
    """What a profile does, as a short hash: the same for two profiles that give the same colours to the same camera."""
    steps = np.array([0.02, 0.2, 0.6, 1.0])
    rgb = np.stack(np.meshgrid(steps, steps, steps), axis=-1).reshape(-1, 3)
    parts = [profile.camera.encode()]
    for balance in ((2.0, 1.0, 1.5), (1.4, 1.0, 2.6)):
        xyz = np.round(profile.colours(np.array(balance)).xyz(rgb), 5) + 0.0
        parts.append(xyz.astype(np.float32).tobytes())
    if isinstance(profile, CameraProfile):
        parts.append(repr((profile.tone, profile.curves and profile.curves[0][::97])).encode())
    return hashlib.blake2b(b"".join(parts), digest_size=10).hexdigest()


@dataclass(frozen=True)
class Kept:
    """What a person decided about a profile on the shelf."""

    on: bool = True
    name: str = ""
    notes: str = ""


@dataclass(frozen=True)
class ShelfEntry:
    """One profile file.

    Attributes
    ----------
    path : Path
    profile : AnyProfile or None
        None when it cannot be read.
    problem : str
        Why it cannot be read.
    kept : Kept
    digest : str
        `fingerprint`; empty when it cannot be read.
    """

    path: Path
    profile: AnyProfile | None
    problem: str
    kept: Kept
    digest: str

    @property
    def name(self) -> str:
        """The name given on the shelf, else the profile's own."""
        return self.kept.name or (self.profile.name if self.profile is not None else self.path.name)

    def named(self) -> AnyProfile | None:
        """The profile under the name that it has on the shelf; None when it cannot be read."""
        return None if self.profile is None else replace(self.profile, name=self.name)

    @property
    def camera(self) -> str:
        """The camera it is for; empty for any."""
        return self.profile.camera if self.profile is not None else ""

    @property
    def light(self) -> str:
        """The light it was fitted in, where that is known."""
        return self.profile.light if isinstance(self.profile, CameraProfile) else ""


class Shelf:
    """The profiles in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.entries: tuple[ShelfEntry, ...] = ()
        self._read: dict[tuple[Path, int, int], tuple[AnyProfile | None, str, str]] = {}

    def scan(self) -> bool:
        """Read what is new or changed in the folder; whether anything is different from before."""
        kept = self._index()
        found, read = [], {}
        for path in sorted(self._files(), key=lambda p: p.name.lower()):
            try:
                stat = path.stat()
            except OSError:
                continue  # it went while it was looked at
            key = (path, stat.st_mtime_ns, stat.st_size)
            read[key] = self._read.get(key) or _look(path)
            profile, problem, digest = read[key]
            found.append(ShelfEntry(path, profile, problem, kept.get(path.name, Kept()), digest))
        self._read = read
        changed = tuple(found) != self.entries
        self.entries = tuple(found)
        return changed

    def _files(self) -> Iterable[Path]:
        try:
            return [p for p in self.folder.iterdir() if p.suffix.lower() in SUFFIXES and p.name != _INDEX and p.is_file()]
        except OSError:
            return []

    def _index(self) -> dict[str, Kept]:
        try:
            with refused_as(BadProfile):
                data = json.loads((self.folder / _INDEX).read_text(encoding="utf-8"))
                return {str(k): Kept(bool(v["on"]), str(v["name"]), str(v["notes"])) for k, v in data.items()}
        except (OSError, BadProfile):
            return {}

    # ---- asking -----------------------------------------------------------------------------------------------

    def usable(self, camera: str) -> tuple[ShelfEntry, ...]:
        """Entries that are on and fit a camera."""
        return tuple(
            e
            for e in self.entries
            if e.kept.on
            and e.profile is not None
            and (not e.camera or same_camera(e.camera, camera))
            and not e.profile.for_pictures
        )

    def state_of(self, profile: AnyProfile) -> str:
        """``on``, ``off`` or ``gone``: where a profile that a shoot keeps stands on the shelf."""
        digest = fingerprint(profile)
        same = [e for e in self.entries if e.digest == digest]
        return ("on" if any(e.kept.on for e in same) else "off") if same else "gone"

    def duplicates(self) -> dict[str, tuple[ShelfEntry, ...]]:
        """Entries that do the same, by digest."""
        groups: dict[str, list[ShelfEntry]] = {}
        for entry in self.entries:
            if entry.digest:
                groups.setdefault(entry.digest, []).append(entry)
        return {digest: tuple(group) for digest, group in groups.items() if len(group) > 1}

    # ---- changing ---------------------------------------------------------------------------------------------

    def decide(self, entry: ShelfEntry, **changes: object) -> None:
        """Switch a profile on or off, name it or note something: `on`, `name`, `notes`. Raises OutputFailed."""
        index = self._index()
        index[entry.path.name] = replace(index.get(entry.path.name, Kept()), **changes)  # type: ignore[arg-type]
        present = {p.name for p in self._files()}
        data = {name: asdict(kept) for name, kept in sorted(index.items()) if name in present}
        write_whole(self.folder / _INDEX, (json.dumps(data, indent=1, ensure_ascii=False) + "\n").encode(), True)
        self.scan()

    def add(self, profile: CameraProfile) -> Path:
        """Put a fitted profile on the shelf, unless one that does the same is there; where it lies."""
        digest = fingerprint(profile)
        self.scan()
        for entry in self.entries:
            if entry.digest == digest:
                return entry.path
        return self._write(file_name(profile.name, "profile"), ".json", profile.to_json().encode())

    def bring(self, path: Path) -> Path:
        """Copy a profile file onto the shelf; refused when it cannot be read as one. Where it lies there.

        Raises
        ------
        UnreadableFile, BadProfile, NotSupported, OutputFailed
        """
        load_any(path)
        if path.parent == self.folder:
            return path
        return self._write(path.stem, path.suffix.lower(), path.read_bytes())

    def _write(self, stem: str, suffix: str, data: bytes) -> Path:
        self.folder.mkdir(parents=True, exist_ok=True)
        out = write_named(self.folder, stem, suffix, data)
        self.scan()
        return out

    def remove(self, entry: ShelfEntry) -> Path:
        """Move a profile's file into the folder *removed*, where it can be found again; where it lies then."""
        folder = self.folder / _REMOVED
        folder.mkdir(parents=True, exist_ok=True)
        for number in range(1, 1000):
            out = folder / (entry.path.name if number == 1 else f"{entry.path.stem} {number}{entry.path.suffix}")
            if not out.exists():
                entry.path.rename(out)
                break
        self.scan()
        return out

    def put_back(self, entry: ShelfEntry, moved: Path) -> None:
        """Undo `remove`: the file goes where it was, with its name, notes and switch. Raises OutputRefused, OutputFailed."""
        if entry.path.exists():
            raise OutputRefused("another profile of that name is on the shelf by now; nothing was changed", entry.path)
        moved.rename(entry.path)
        self.decide(entry, **asdict(entry.kept))


def _look(path: Path) -> tuple[AnyProfile | None, str, str]:
    try:
        profile = load_any(path)
        return profile, "", fingerprint(profile)
    except VelkinError as error:
        return None, error.message, ""


def name_by_pattern(pattern: str, profile: AnyProfile, date: str) -> str:
    """A file's name by a pattern of {name}, {camera}, {light}, {model} and {date}; words around stay.

    Raises
    ------
    OutputRefused
        For a field that is not known.
    """
    light = profile.light if isinstance(profile, CameraProfile) else ""
    fields = {"name": profile.name, "camera": profile.camera, "light": light, "model": profile.model, "date": date}
    try:
        return file_name(pattern.format(**fields), "profile")
    except (KeyError, IndexError, ValueError, AttributeError) as error:
        known = ", ".join("{" + f + "}" for f in fields)
        raise OutputRefused(f"the name pattern {pattern!r} has a field that is not known; there are {known}") from error
