"""Finding sources that were moved: by name first, then by their bytes."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from pathlib import Path

from velkin.core.errors import VelkinError
from velkin.core.files.digest import digest_of
from velkin.core.shoot.frame import Frame


def missing_in(
    frames: Iterable[Frame], folder: Path, tell: Callable[[int, int], None], stopped: Callable[[], bool]
) -> dict[int, Path]:
    """Where the sources of frames lie in a folder and those inside it; only files with the same bytes count.

    Parameters
    ----------
    frames : iterable of Frame
    folder : Path
    tell : callable
        Told how many of how many files were looked at.
    stopped : callable
        Whether to end with what was found.

    Returns
    -------
    dict of int to Path
        By frame; frames that were not found are left out.
    """
    wanted: dict[str, list[Frame]] = {}
    for frame in frames:
        wanted.setdefault(frame.path.name.lower(), []).append(frame)
    files = [
        Path(root) / name for root, _, names in os.walk(folder) for name in sorted(names) if name.lower() in wanted
    ]  # links are not followed, so that loops end
    found: dict[int, Path] = {}
    for number, path in enumerate(files, start=1):
        if stopped():
            break
        try:
            digest = digest_of(path)
        except (VelkinError, OSError):
            continue
        for frame in wanted[path.name.lower()]:
            if frame.digest == digest:
                found.setdefault(frame.id, path)
        tell(number, len(files))
    return found
