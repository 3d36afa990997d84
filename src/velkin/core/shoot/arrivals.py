"""Files that arrive: looked at before they become frames, and what is recognised in them."""

from __future__ import annotations

import os
from dataclasses import dataclass, replace
from pathlib import Path

from velkin.core.charts.reading_job import JudgedReading
from velkin.core.errors import UnreadableFile
from velkin.core.files.contents import also_holds
from velkin.core.files.digest import digest_of
from velkin.core.files.raw import RawFacts, read_facts
from velkin.core.files.raw_names import is_raw_name
from velkin.core.files.safely import is_text_name
from velkin.core.icc.space import Space
from velkin.core.shoot.frame import Role
from velkin.core.tags.facts import PictureFacts, facts_of


@dataclass(frozen=True)
class Arrival:
    """A source file looked at and ready to become a frame; `said` is what a finished picture's tag or claim means."""

    facts: RawFacts | PictureFacts
    digest: str
    said: Space | None = None


@dataclass(frozen=True)
class Recognised:
    """What was recognised in a frame on arrival: its role, the chart's reading, the neutral's balance."""

    role: Role
    reading: JudgedReading | None = None
    neutral: tuple[float, float, float] | None = None


def stamp_of(path: Path) -> tuple[str, int]:
    """Size and time of a file as text, and the time it was written, nanoseconds; nothing and 0 where it is missing."""
    try:
        found = os.stat(path)
    except OSError:
        return "", 0
    return f"{found.st_size}-{found.st_mtime_ns}", found.st_mtime_ns


def look_at(path: Path, page: int = 0) -> Arrival:
    """Facts and hash of an arriving file, raw or finished; `page` is the picture of a file that holds several.

    Raises
    ------
    UnreadableFile
    """
    if not is_text_name(path):
        raise UnreadableFile("its name or folder is not valid text (UTF-8), which a shoot cannot keep; rename it", path)
    from velkin.core.files.source_contents import contents_of  # what reads files of all kinds loads when one arrives

    stamp, _ = stamp_of(path)  # before it is read, so that a change meanwhile is noticed later
    if is_raw_name(path):
        return Arrival(replace(read_facts(path), also=also_holds(contents_of(path).parts), stamp=stamp), digest_of(path))
    from velkin.core.tags.inspect import inspect  # the libraries that read pictures load when one arrives

    found = inspect(path, page)
    facts = replace(facts_of(found), also=also_holds(contents_of(path, page).parts), stamp=stamp)
    return Arrival(facts, digest_of(path), found.said)
