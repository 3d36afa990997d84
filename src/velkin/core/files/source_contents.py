"""What any source file, raw or finished, holds beside the picture that is read of it."""

from __future__ import annotations

import warnings
from dataclasses import dataclass
from pathlib import Path

from velkin.core.errors import UnreadableFile, VelkinError
from velkin.core.files.contents import Part
from velkin.core.files.formats import format_at
from velkin.core.files.metadata import Resolution
from velkin.core.files.raw_contents import raw_parts
from velkin.core.files.raw_names import is_raw_name


@dataclass(frozen=True)
class SourceContents:
    """The parts of a source, how its stored picture is turned, and what it says of resolution."""

    path: Path
    parts: tuple[Part, ...] = ()
    orientation: int = 1
    resolution: Resolution | None = None


def contents_of(path: Path, page: int = 0) -> SourceContents:
    """What a file holds; nothing, for one that is damaged so far that nothing can be found in it.

    Raises
    ------
    UnreadableFile
        When it is missing or cannot be read.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            if is_raw_name(path):
                return SourceContents(path, tuple(raw_parts(path)))
            known = format_at(path)
            head = known.head(path, page)
            return SourceContents(path, tuple(known.parts(path, page)), head.orientation, head.resolution)
    except VelkinError:
        raise
    except FileNotFoundError as error:
        raise UnreadableFile("the file is not there any more", path) from error
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror or error})", path) from error
    except Exception:  # readers raise what they like on damaged files
        return SourceContents(path)
