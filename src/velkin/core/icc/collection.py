"""The ICC files that lie in the user's and the system's colour folders, read once and again only where they changed."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

from velkin.core.errors import BadProfile
from velkin.core.icc.space import Space, load_space

SUFFIXES = (".icc", ".icm")
#: Files beyond this number are left alone; a colour folder holds dozens.
MOST_FILES = 2000


def usual_folders() -> list[Path]:
    """Where ICC files lie on Linux: the user's folders first (freedesktop.org base directories), then the system's."""
    home = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    shared = (os.environ.get("XDG_DATA_DIRS") or "/usr/local/share:/usr/share").split(":")
    folders = [home / "icc", home / "color" / "icc", Path.home() / ".color" / "icc"]
    return [*folders, *(Path(s) / "color" / "icc" for s in shared if s), Path("/var/lib/color/icc")]


@dataclass(frozen=True)
class Found:
    """One ICC file: its space, or why it cannot be used."""

    path: Path
    space: Space | None
    problem: str = ""


class Collection:
    """The profiles of some folders."""

    def __init__(self, folders: list[Path] | None = None) -> None:
        self.folders = usual_folders() if folders is None else folders
        self._known: dict[Path, tuple[tuple[int, int], Found]] = {}

    def scan(self) -> bool:
        """Read what is new or changed; whether anything is."""
        before = {p: stamp for p, (stamp, _) in self._known.items()}
        now: dict[Path, tuple[tuple[int, int], Found]] = {}
        for path in self._files():
            try:
                status = path.stat()
            except OSError:
                continue
            stamp = (status.st_mtime_ns, status.st_size)
            kept = self._known.get(path)
            now[path] = kept if kept is not None and kept[0] == stamp else (stamp, self._read(path))
        self._known = now
        return {p: stamp for p, (stamp, _) in now.items()} != before

    def _files(self) -> list[Path]:
        found: list[Path] = []
        for folder in self.folders:
            for root, _, names in os.walk(folder):  # not through links, so that loops end
                found += [Path(root) / n for n in sorted(names) if n.lower().endswith(SUFFIXES)]
                if len(found) >= MOST_FILES:
                    return found[:MOST_FILES]
        return found

    @staticmethod
    def _read(path: Path) -> Found:
        try:
            return Found(path, load_space(path))
        except BadProfile as error:
            return Found(path, None, error.message)

    def found(self) -> list[Found]:
        """Every file, usable or not, by path."""
        return [f for _, (_, f) in sorted(self._known.items())]

    def spaces(self) -> list[Space]:
        """The usable spaces, each once, by name."""
        once: dict[str, Space] = {}
        for f in self.found():
            if f.space is not None:
                once.setdefault(f.space.id, f.space)
        return sorted(once.values(), key=lambda s: s.name.casefold())
