"""What should be known before a hand-off starts: frames that are not settled, files in the way, folders that take none."""

from __future__ import annotations

import os
import shutil
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from velkin.core.destinations.destination import Destination
from velkin.core.destinations.sizing import PRINT, fitted
from velkin.core.errors import VelkinError
from velkin.core.files.coding import Coding
from velkin.core.files.contents import Fate, PartKind
from velkin.core.files.digest import digest_of
from velkin.core.files.encode import account_of
from velkin.core.files.source_contents import SourceContents, contents_of
from velkin.core.handoff.jobs import UNKNOWN, Job, Plan
from velkin.core.icc.space import family
from velkin.core.shoot.state import State
from velkin.core.stages.source import PictureSource
from velkin.core.tags.facts import PictureFacts

#: A print of fewer pixels per inch than this is named.
FEW_PPI = 150
#: Sources are looked at by their bytes for so many seconds; what is left then is found out by the run.
HASHING = 4.0
#: And so long for what else they hold.
LOOKING = 4.0
#: Kinds of concern, the gravest first.
MISSING, CHANGED, UNTAGGED, NAME, FOLDER, SPACE, REPLACES, SKIPS, HELD, OUTSIDE, FEW, ALPHA, LEFT = (
    "missing", "changed", "untagged", "name", "folder", "space", "replaces", "skips", "held", "outside", "few", "alpha", "left",
)  # fmt: skip
_KINDS = (MISSING, CHANGED, UNTAGGED, NAME, FOLDER, SPACE, REPLACES, SKIPS, HELD, OUTSIDE, FEW, ALPHA, LEFT)


@dataclass(frozen=True)
class Concern:
    """Something to know before the start.

    Attributes
    ----------
    kind : str
    frames : tuple of int
    what : str
        What it is about, in words, with frames by their names.
    then : str
        What will happen.
    """

    kind: str
    frames: tuple[int, ...]
    what: str
    then: str


def concerns_of(
    state: State,
    plan: Plan,
    *,
    share_outside: Callable[[int, Destination], float | None] = lambda frame, destination: None,
    changed_too: bool = False,
    stopped: Callable[[], bool] = lambda: False,
    hashed: bool = True,
) -> list[Concern]:
    """What should be known before a plan is carried out, the gravest first.

    Parameters
    ----------
    share_outside : callable
        About how much of a frame lies outside a destination, None where that is not known.
    changed_too : bool
        Whether sources that changed since they came in will be used.
    stopped : callable
        Asked between files; what is found so far is given back then.
    hashed : bool
        Look by their bytes whether sources changed; the run does that again, so that one may leave it to the run.
    """
    found: list[Concern] = []

    def add(kind: str, frames: Iterable[int], what: str, then: str) -> None:
        found.append(Concern(kind, tuple(frames), what, then))

    names = {f: state.frames[f].name for f in state.frames}
    sources: dict[int, Job] = {}
    for job in plan.jobs:
        sources.setdefault(job.frame, job)
    missing, changed = _sources(state, sources, stopped, hashed)
    if missing:
        add(MISSING, missing, f"The source of {_some(missing, names)} is not there.", "Not written; the run goes on.")
    if changed:
        then = (
            "Written from the file as it is now." if changed_too else "Not written, unless you decide to use it as it is now."
        )
        add(CHANGED, changed, f"The source of {_some(changed, names)} changed since it came in.", then)
    untagged = list(dict.fromkeys(x.frame for x in plan.left if x.why == UNKNOWN))
    if untagged:
        add(
            UNTAGGED,
            untagged,
            f"Nothing says what the numbers of {_some(untagged, names)} mean.",
            "Left out; decide on the Source bench.",
        )
    for x in plan.left:
        if x.why != UNKNOWN and x.out is None:
            add(NAME, (x.frame,), f"{names[x.frame]} gets no name for {x.destination.name}: {x.why}.", "Left out.")
    skipped = [x.frame for x in plan.left if x.out is not None]
    if skipped:
        add(SKIPS, skipped, f"{_files(len(skipped))} of {_some(skipped, names)} there already.", "Left as they are.")
    replaced = [j.frame for j in plan.jobs if j.replace and os.path.lexists(j.out)]
    if replaced:
        add(REPLACES, replaced, f"{_files(len(replaced))} of {_some(replaced, names)} there already.", "Replaced.")
    found += _folders(plan)
    held = [f for f in sources if state.frames[f].held]
    if held:
        add(
            HELD,
            held,
            f"{_some(held, names)} still waits for a decision."
            if len(held) == 1
            else f"{_some(held, names)} still wait for a decision.",
            "Written by what the tag says.",
        )
    found += _pictures(state, plan, names, share_outside, stopped)
    return sorted(found, key=lambda c: _KINDS.index(c.kind))


def _files(number: int) -> str:
    return "1 file" if number == 1 else f"{number} files"


def _some(frames: Iterable[int], names: dict[int, str], most: int = 3) -> str:
    """Frames by their names, the first few of many."""
    chosen = [names[f] for f in dict.fromkeys(frames)]
    if len(chosen) > most:
        return f"{', '.join(chosen[:most])} and {len(chosen) - most} more"
    return ", ".join(chosen[:-1]) + (" and " if len(chosen) > 1 else "") + chosen[-1]


@lru_cache(maxsize=4096)
def _digest(path: Path, size: int, changed: int) -> str:
    """A file's hash, found once while its size and time stay."""
    return digest_of(path)


def _sources(state: State, jobs: dict[int, Job], stopped: Callable[[], bool], hashed: bool) -> tuple[list[int], list[int]]:
    missing, changed = [], []
    until = time.monotonic() + HASHING
    for f, job in jobs.items():
        if stopped():
            break
        try:
            if not job.source.exists():
                missing.append(f)
            elif hashed and time.monotonic() < until:
                at = job.source.stat()
                if _digest(job.source, at.st_size, at.st_mtime_ns) != state.frames[f].digest:
                    changed.append(f)
        except (VelkinError, OSError):
            missing.append(f)
    return missing, changed


def _folders(plan: Plan) -> list[Concern]:
    """Folders that take no files, and disks that are too full for about what will be written."""
    found = []
    needs: dict[int, tuple[Path, int]] = {}
    frames: dict[Path, list[Job]] = {}
    for job in plan.jobs:
        frames.setdefault(job.out.parent, []).append(job)
    for folder, jobs in frames.items():
        there = folder
        while not os.path.exists(there) and there != there.parent:
            there = there.parent
        if not os.path.isdir(there) or not os.access(there, os.W_OK | os.X_OK):
            ids = tuple(dict.fromkeys(j.frame for j in jobs))
            found.append(
                Concern(FOLDER, ids, f"{folder} takes no files.", f"Its {_files(len(jobs))} will fail; choose another folder.")
            )
            continue
        device = there.stat().st_dev
        needs[device] = (folder, needs.get(device, (folder, 0))[1] + sum(_about_bytes(j) for j in jobs))
    for folder, bytes_needed in needs.values():
        there = next(p for p in (folder, *folder.parents) if os.path.exists(p))
        free = shutil.disk_usage(there).free
        if bytes_needed > free:
            what = f"The disk of {folder} has {free / 1e9:.1f} GB free, and about {bytes_needed / 1e9:.1f} GB will be written."
            found.append(Concern(SPACE, (), what, "What does not fit fails; what is written stays."))
    return found


def _about_bytes(job: Job) -> int:
    d = job.destination
    side = job.pixels**0.5
    fit = fitted(d.size, round(side), round(side))
    pixels = fit.out[0] * fit.out[1]
    if d.file.lossless:
        return pixels * 3 * d.file.bits // 8
    return pixels * d.file.quality // 130


def _pictures(
    state: State,
    plan: Plan,
    names: dict[int, str],
    share_outside: Callable[[int, Destination], float | None],
    stopped: Callable[[], bool],
) -> list[Concern]:
    """What is outside above a destination's limit, prints of too few pixels, transparent parts that a destination cannot hold."""
    found = []
    outside: dict[str, list[tuple[float, int, Destination]]] = {}
    few: dict[str, list[tuple[float, int, Destination]]] = {}
    for job in plan.jobs:
        if stopped():
            break
        d, facts = job.destination, state.frames[job.frame].facts
        share = share_outside(job.frame, d)
        if share is not None and share > d.outside_limit:
            outside.setdefault(d.id, []).append((share, job.frame, d))
        fit = fitted(d.size, facts.width, facts.height)
        if d.size.kind == PRINT and fit.ppi is not None and fit.ppi < min(FEW_PPI, d.size.ppi):
            few.setdefault(d.id, []).append((fit.ppi, job.frame, d))
    for rows in outside.values():
        share, worst, d = max(rows, key=lambda r: r[0])
        frames = [f for _, f, _ in rows]
        hold = "holds" if len(rows) == 1 else "hold"
        most = f"about {100 * share:.0f} %" if len(rows) == 1 else f"up to about {100 * share:.0f} %, {names[worst]}"
        what = f"{_some(frames, names)} {hold} colours out of gamut for {d.name}: {most}."
        found.append(Concern(OUTSIDE, tuple(frames), what, "Cut off there, unless they are eased on the Proof bench."))
    for rows in few.values():
        ppi, _, d = min(rows, key=lambda r: r[0])
        frames = [f for _, f, _ in rows]
        found.append(
            Concern(
                FEW,
                tuple(frames),
                f"{_some(frames, names)} at {d.size.words()}: only {ppi:.0f} ppi.",
                "Written with the pixels that are there.",
            )
        )
    clear: dict[str, list[int]] = {}
    for job in plan.jobs:
        if _loses_transparency(state, job):
            clear.setdefault(job.destination.name, []).append(job.frame)
    for name, frames in clear.items():
        has = "has" if len(frames) == 1 else "have"
        what = f"{_some(frames, names)} {has} transparent parts, and files for {name} hold none."
        found.append(Concern(ALPHA, tuple(frames), what, "Laid over white."))
    return found + _left(plan, names, stopped)


#: Parts that are worth a word before a hand-off: previews show what is made anew, and what nobody understands is named in the receipt.
_WORTH = (
    PartKind.METADATA, PartKind.MAKER_NOTE, PartKind.TEXT, PartKind.PATH, PartKind.PICTURE, PartKind.GAIN_MAP, PartKind.AUXILIARY, PartKind.LAYERS,
)  # fmt: skip


@lru_cache(maxsize=4096)
def _contents(path: Path, page: int, changed: int) -> SourceContents:
    """What a source holds, looked for once while its time stays."""
    return contents_of(path, page)


def _left(plan: Plan, names: dict[int, str], stopped: Callable[[], bool]) -> list[Concern]:
    """What files of a destination's format have no place for, though it is to be kept."""
    until = time.monotonic() + LOOKING
    gone: dict[tuple[str, str], list[int]] = {}
    for job in plan.jobs:
        if stopped() or time.monotonic() > until:
            break
        d, source = job.destination, job.path.source
        page = source.page if isinstance(source, PictureSource) else 0
        try:
            contents = _contents(job.source, page, job.source.stat().st_mtime_ns)
        except (VelkinError, OSError):
            continue
        _, account = account_of(
            contents, d.file.kind, family=family(job.path.destination), size=(1, 1), coding=Coding(policy=d.metadata)
        )
        for c in account:
            if c.fate is Fate.NO and c.part.kind in _WORTH and not c.by_wish:
                gone.setdefault((d.name, c.part.name), []).append(job.frame)
    return [
        Concern(
            LEFT,
            tuple(frames),
            f"{about[:1].upper()}{about[1:]} of {_some(frames, names)} will not be in files for {name}.",
            "Left behind; the receipt names it.",
        )
        for (name, about), frames in gone.items()
    ]


def _loses_transparency(state: State, job: Job) -> bool:
    facts = state.frames[job.frame].facts
    return (
        isinstance(facts, PictureFacts)
        and facts.alpha
        and not job.destination.file.keeps_transparency(job.path.destination.model)
    )
