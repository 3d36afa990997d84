"""Writing one frame for one destination: rendered, encoded, tagged, checked, and only then under its name."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from velkin.core.destinations.destination import Destination
from velkin.core.destinations.naming import free_name
from velkin.core.errors import OutputFailed
from velkin.core.files.coding import Coding
from velkin.core.files.contents import Carried, left_behind
from velkin.core.files.encode import write_numbers
from velkin.core.files.picture import Picture
from velkin.core.files.safely import being_written, publish, refuse_output, write_whole
from velkin.core.handoff.check import Check, check_file
from velkin.core.handoff.rendering import AtDestination, at_destination
from velkin.core.icc.space import family, profile_of
from velkin.core.path import ColourPath
from velkin.core.sources import Levels
from velkin.core.stages.source import PictureSource

#: The folder next to written files where those go whose check failed.
SET_ASIDE = "failed checks"


@dataclass(frozen=True)
class Mark:
    """What a file is known by before and after it gets its name: inode, bytes, time of the last change in nanoseconds."""

    inode: int
    bytes: int
    changed: int

    @classmethod
    def of(cls, path: Path) -> Mark:
        """The mark of a file. Raises OSError."""
        at = path.stat()
        return cls(at.st_ino, at.st_size, at.st_mtime_ns)


@dataclass(frozen=True)
class Written:
    """One file handed off.

    Attributes
    ----------
    out : Path
        Where it lies: under its name, or in the folder of those that failed their check.
    check : Check
    before, after : float
        Share outside without easings, and with them.
    size : (width, height)
    bytes : int
    kept : bool
        Whether the source's own numbers were kept.
    left : str
        What of the source the file does not hold, in words; empty where it holds all of it.
    """

    out: Path
    check: Check
    before: float
    after: float
    size: tuple[int, int]
    bytes: int
    kept: bool
    left: str = ""


def hand_off_frame(
    source: Path,
    levels: Callable[[], Levels],
    path: ColourPath,
    destination: Destination,
    out: Path,
    *,
    replace: bool = False,
    token: str = "",
    told: Callable[[str], None] = lambda stage: None,
    naming: Callable[[Mark], None] = lambda mark: None,
) -> Written:
    """Write one frame for one destination and check the file by reading it back before it gets its name.

    Parameters
    ----------
    source : Path
        Whose metadata are carried over.
    levels : callable
        Gives the frame at full size (`sources.levels_of`); asked once, so that nobody need keep it while the file is written and checked.
    path : ColourPath
        Led to the destination.
    replace : bool
        Whether a file of that name may be replaced.
    token : str
        Stands in the name of the half-written file.
    told : callable
        Called with ``rendering``, ``writing``, ``checking`` as they begin.
    naming : callable
        Called with the finished file's mark just before it gets its name.

    Raises
    ------
    OutputRefused, OutputFailed
        When the file must not or cannot be written; nothing is left under its name.
    BadProfile
    """
    refuse_output(out, [source], replace)
    told("rendering")
    meant = at_destination(levels(), path, destination)
    with being_written(out, token) as temporary:
        told("writing")
        account = _encode(temporary, source, meant, path, destination)
        told("checking")
        check = check_file(temporary, meant, destination, path.destination)
        kept_in = out if check.ok else _aside(out, check)
        naming(Mark.of(temporary))
        size = temporary.stat().st_size
        publish(temporary, kept_in, replace and check.ok)
    height, width = meant.codes.shape[:2]
    return Written(
        kept_in, check, meant.before.share, meant.after.share, (width, height), size, meant.kept, left_behind(account)
    )


def _encode(out: Path, source: Path, meant: AtDestination, path: ColourPath, destination: Destination) -> tuple[Carried, ...]:
    file, space = destination.file, path.destination
    coding = Coding(file.quality, file.subsampling, file.compression, destination.metadata, meant.ppi)
    picture = Picture(meant.codes, meant.alpha, space.model)
    try:
        return write_numbers(
            out,
            picture,
            file.kind,
            profile_of(space, destination.icc_version),
            family=family(space),
            source=source,
            page=path.source.page if isinstance(path.source, PictureSource) else 0,
            coding=coding,
            whole=meant.whole,
        )
    except OSError:
        raise
    except MemoryError:
        raise
    except Exception as error:  # encoders and exiv2 raise what they like, also for a full disk
        if "space" in str(error).lower() and os.statvfs(out.parent).f_bavail == 0:
            raise OSError(28, "No space left on device") from error
        raise OutputFailed(f"the {file.kind.upper()} could not be written ({error}); nothing was left there", out) from error


def _aside(out: Path, check: Check) -> Path:
    """Where a file goes whose check failed, with a note that says why."""
    folder = out.parent / SET_ASIDE
    folder.mkdir(exist_ok=True)
    taken: set[str] = set()
    aside = free_name(folder / out.name, taken)
    while os.path.lexists(note_of(aside)):
        aside = free_name(folder / out.name, taken)
    words = [f"{out.name} did not pass its check and was not handed off.", ""]
    words += [f"{'passed' if i.ok else 'FAILED'}  {i.about}: {i.finding}" for i in check.items]
    write_whole(note_of(aside), ("\n".join(words) + "\n").encode(), replace=False)
    return aside


def note_of(aside: Path) -> Path:
    """The note beside a file that was set aside."""
    return aside.with_name(aside.name + ".txt")
