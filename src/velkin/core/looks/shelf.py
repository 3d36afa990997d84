"""The shelf of matches: a folder of Velkin's match files, each with its pairs, so that it serves the next shoot too."""

from __future__ import annotations

from pathlib import Path

from velkin.core.errors import OutputFailed, VelkinError
from velkin.core.files.names import file_name
from velkin.core.files.safely import write_named
from velkin.core.looks.kept import KeptLook, LookKind
from velkin.core.match.match_file import KeptMatch, load_match


def kept_matches(folder: Path) -> list[KeptMatch]:
    """The matches in a folder by name; a file that cannot be read, or holds something else, is passed over."""
    found = []
    for path in sorted(folder.glob("*.json")) if folder.is_dir() else ():
        try:
            found.append(load_match(path))
        except VelkinError:
            continue
    return sorted(found, key=lambda kept: kept.name.casefold())


def keep_match(folder: Path, look: KeptLook) -> Path:
    """Write a match into the folder under its name, with a number where another one has it; the very same is there already.

    Raises
    ------
    OutputFailed
        When the folder cannot be written to.
    """
    assert look.kind is LookKind.MATCH
    try:
        folder.mkdir(parents=True, exist_ok=True)
        return write_named(folder, file_name(look.name, "match"), ".json", look.content)
    except OSError as error:
        raise OutputFailed(f"the shelf of matches cannot be written to ({error.strerror}); nothing was lost", folder) from error
