"""The shelf of matches: a folder of Velkin's match files, each with its pairs, so that it serves the next shoot too."""

from __future__ import annotations

import re
from pathlib import Path

from velkin.core.errors import OutputFailed, VelkinError
from velkin.core.files.safely import write_whole
from velkin.core.looks.kept import KeptLook, LookKind
from velkin.core.match.match_file import KeptMatch, load_match

_NO_NAME = re.compile(r'[\\/:*?"<>|\x00-\x1f]+')


def kept_matches(folder: Path) -> list[KeptMatch]:
    """The matches in a folder by name; a file that cannot be read, or holds something else, is passed over."""
    found = []
    for path in sorted(folder.glob("*.json")) if folder.is_dir() else ():
        try:
            found.append(load_match(path))
        except VelkinError:
            continue
    return sorted(found, key=lambda kept: kept.name.casefold())


def file_stem(name: str) -> str:
    """A match's name as that of a file, without suffix.

    Examples
    --------
    >>> file_stem("north/0412: skeins")
    'north 0412 skeins'
    """
    return " ".join(_NO_NAME.sub(" ", name).split()).strip(" .") or "match"


def keep_match(folder: Path, look: KeptLook) -> Path:
    """Write a match into the folder under its name, with a number where another one has it; the very same is there already.

    Raises
    ------
    OutputFailed
        When the folder cannot be written to.
    """
    assert look.kind is LookKind.MATCH
    stem = file_stem(look.name)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        number = 1
        while True:
            path = folder / (f"{stem}.json" if number == 1 else f"{stem} {number}.json")
            if not path.exists():
                break
            if path.read_bytes() == look.content:
                return path
            number += 1
    except OSError as error:
        raise OutputFailed(f"the shelf of matches cannot be written to ({error.strerror}); nothing was lost", folder) from error
    write_whole(path, look.content, False)
    return path
