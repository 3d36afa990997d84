"""Files coming into a shoot: looked at, taken in, and recognised; what cannot be read is named, the rest comes in."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from itertools import islice
from pathlib import Path
from typing import TypeVar

from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Ground, Work
from velkin.app.words import count
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.reading_job import read_found
from velkin.core.errors import VelkinError
from velkin.core.files.digest import digest_of
from velkin.core.files.kinds import is_picture_name
from velkin.core.files.raw_names import is_raw_name
from velkin.core.shoot.arrivals import Arrival, Recognised, look_at
from velkin.core.shoot.frame import Frame, Role
from velkin.core.shoot.missing import missing_in
from velkin.core.shoot.recognising import recognised_chart, recognised_neutral
from velkin.core.shoot.shoot import Shoot

#: Frames that are taken in at once, at least.
_AT_ONCE = 20


#: Where this many files take so many seconds each, the rest are looked at by as many threads.
_FEW, _LONG, _THREADS = 8, 0.01, 4

T = TypeVar("T")


def each_of(files: Iterable[Path], look: Callable[[Path], T]) -> Iterator[T]:
    """What is seen in each file, in their order.

    What takes long of a file is its hash, or a disk that is slow to answer, of which several threads do or await some at once. The
    rest is the interpreter's work, of which one thread at a time does any: a second one would only keep the window waiting.
    """
    rest = iter(files)
    while few := list(islice(rest, _FEW)):
        begun = time.perf_counter()
        yield from map(look, few)
        if time.perf_counter() - begun > _LONG * len(few):
            break
    with ThreadPoolExecutor(_THREADS) as pool:
        yield from pool.map(look, rest)


@dataclass(frozen=True)
class _Looked:
    """Files that were looked at: those that can come in, and why others cannot."""

    arrivals: list[Arrival]
    reasons: list[str]
    cancelled: bool


class Importing(Work):
    """Takes files in and looks for chart and neutral frames among them."""

    def __init__(self, ground: Ground) -> None:
        super().__init__(ground)
        #: What was left out of the last import, with the reasons.
        self.left_out: list[str] = []
        self._under_way = 0

    @property
    def coming_in(self) -> bool:
        """Whether files are on their way into the shoot."""
        return self._under_way > 0

    def add_files(self, paths: Iterable[Path]) -> None:
        """Take raw files, finished pictures and folders of them into the shoot."""
        model, wanted = self._model, list(paths)
        shoot = model.shoot
        if shoot is None:
            model.report("Make or open a shoot first (Shoot menu); files belong to a shoot.")
            return

        before = self._where()

        def work(job: Job) -> _Looked:
            files, reasons = files_in(wanted)
            arrivals: list[Arrival] = []

            def one(path: Path) -> Arrival | str | None:
                if job.stopped:
                    return None
                try:
                    return look_at(path)
                except VelkinError as error:
                    return str(error)

            for number, result in enumerate(each_of(files, one), start=1):
                if isinstance(result, Arrival):
                    arrivals.append(result)
                elif result is not None:
                    reasons.append(result)
                job.tell(number, len(files))
            return _Looked(arrivals, reasons, job.stopped)

        def done(looked: _Looked | VelkinError) -> None:
            if isinstance(looked, VelkinError):
                self._under_way -= 1
                model.report(looked)
            elif not self._is_open(shoot):
                self._under_way -= 1
            else:
                # who went on to another frame, or into a room, meanwhile stays there
                self._take_in(shoot, looked, model.places.at_picture and before == self._where())

        self._under_way += 1
        self._lanes.start(Lane.IMPORT, work, done, name="Looking at files", cancellable=True)

    def _where(self) -> tuple[object, ...]:
        """The page that is open, the frame at hand and those that are selected."""
        return self._model.places.now, self._model.current, self._model.selected

    def _is_open(self, shoot: Shoot) -> bool:
        """Whether a shoot is the one at hand still; one whose opening had begun before may have taken its place, and it is said."""
        if self._model.shoot is not shoot:
            self._model.report(
                f"Another shoot was opened meanwhile; files that were coming into {shoot.path.stem} are left out. Add them again there."
            )
            return False
        return True

    def _take_in(self, shoot: Shoot, looked: _Looked, show: bool) -> None:
        """Take files in, some at a time; frames are there as they come."""
        added: list[int] = []

        def steps() -> Iterator[tuple[int, int]]:
            parts = shoot.frames.add_in_parts(looked.arrivals, _AT_ONCE)
            while self._model.shoot is shoot and (part := next(parts, None)) is not None:
                first = not added
                added.extend(part)
                yield len(added), len(looked.arrivals)
                if self._model.shoot is not shoot:
                    return
                shoot.state  # noqa: B018  reads what came in: not in the turn that shows it, nor in the middle of a painting
                yield len(added), len(looked.arrivals)
                if self._model.shoot is not shoot:
                    return
                self._model.changes()
                here = self._where()
                yield len(added), len(looked.arrivals)
                if show and first and part and here == self._where():
                    self._model.select(part[0])
                    yield len(added), len(looked.arrivals)

        def done(result: bool | VelkinError) -> None:
            self._under_way -= 1
            if not self._is_open(shoot):
                return
            self._model.changes()  # of what came in last, where it was cancelled just then
            if isinstance(result, VelkinError):
                self._model.report(f"{result}. Added before: {count(len(added), 'frame')}." if added else result)
            else:
                self._taken_in(added, replace(looked, cancelled=looked.cancelled or result))

        self._lanes.step(Lane.IMPORT, steps(), done, name="Taking files in")

    def _taken_in(self, added: list[int], looked: _Looked) -> None:
        model = self._model
        reasons = self.left_out = looked.reasons
        known = 0 if looked.cancelled else len(looked.arrivals) - len(added)
        words = [f"{count(len(added), 'frame')} added."]
        held = sum(model.state.frames[f].held for f in added if f in model.state.frames)
        if held:
            words.append(f"{count(held, 'frame')} held: a decision waits on the Source bench.")
        if known:
            words.append(f"{count(known, 'file')} already in the shoot.")
        if looked.cancelled:
            words.append("Cancelled; the rest was left out.")
        if reasons:
            words.append(f"Left out {len(reasons)}: " + "; ".join(reasons[:2]) + ("; …" if len(reasons) > 2 else ""))
            if len(reasons) > 2:
                words.append("Shoot ▸ What was left out lists them all.")
        (model.report if reasons else model.say)(" ".join(words))
        self.spot(tuple(f for f in added if f in model.state.frames))

    def find_source(self, frame: int, path: Path) -> None:
        """Say where a missing source lies now, after its bytes were compared aside."""
        shoot = self._model.shoot
        wanted = self._model.state.frames[frame]

        def done(digest: str) -> None:
            if self._model.shoot is not shoot:
                return
            if digest != wanted.digest:
                self._model.report(f"{path.name}: this is not the file that {wanted.name} was made from; nothing was changed.")
            else:
                self._command(lambda s: s.frames.relocate_all({frame: path}))

        self._aside(Lane.HAND, lambda job: digest_of(path), done, name=f"Comparing {path.name}")

    def find_missing(self, folder: Path) -> None:
        """Look in a folder for the sources that are missing, by their bytes, and say where they lie now; one undoable step."""
        model = self._model
        shoot = model.shoot
        if shoot is None:
            return
        frames = list(model.state.frames.values())

        def work(job: Job) -> tuple[dict[int, Path], int]:
            missing = [f for f in frames if not f.path.is_file()]
            return missing_in(missing, folder, job.tell, lambda: job.stopped), len(missing)

        def done(result: tuple[dict[int, Path], int]) -> None:
            found, missing = result
            if model.shoot is not shoot:
                return
            if not missing:
                model.say("No source is missing.")
            elif not found:
                model.report(f"None of the {count(missing, 'missing source')} lies in {folder}; the shoot is as it was.")
            elif self._command(lambda s: s.frames.relocate_all(found)):
                left = missing - len(found)
                model.say(
                    f"{count(len(found), 'missing source')} found in {folder.name}."
                    + (f" {left} are still missing." if left else "")
                )

        self._aside(Lane.IMPORT, work, done, name="Looking for missing sources", cancellable=True)

    def spot(self, frames: tuple[int, ...]) -> None:
        """Look for chart frames and frames of a neutral card, mark them and keep what was read; one undoable step."""
        model = self._model
        shoot = model.shoot
        if shoot is None or not frames:
            return
        state = model.state
        wanted = [state.frames[f] for f in frames if state.frames[f].role is Role.SUBJECT and state.frames[f].is_raw]
        charts = list(state.charts.values())
        if not wanted:
            return

        def one(frame: Frame) -> Recognised | None:
            try:
                image = self._sources.half(frame.path)
                found = recognised_chart(image, charts)
                if found is not None:
                    return Recognised(Role.CHART, read_found(image, replace(found, corners=found.corners * 2.0), 0.5))
                neutral = recognised_neutral(image, built_in(frame.raw), frame.raw.as_shot)
                return None if neutral is None else Recognised(Role.NEUTRAL, neutral=neutral)
            except VelkinError:
                return None  # the viewer says it when the frame is shown

        def work(job: Job) -> dict[int, Recognised]:
            recognised = {}
            for number, frame in enumerate(wanted, start=1):
                if job.stopped:
                    break
                job.give_way()  # a chart that is read by hand is not to wait for this
                result = one(frame)
                if result is not None:
                    recognised[frame.id] = result
                job.tell(number, len(wanted))
            return recognised

        def done(recognised: dict[int, Recognised]) -> None:
            if model.shoot is not shoot or not recognised:
                return
            if self._command(lambda s: s.frames.mark_recognised(recognised)):
                charts_found = sum(s.role is Role.CHART for s in recognised.values())
                kinds = ((charts_found, "chart"), (len(recognised) - charts_found, "neutral"))
                parts = [count(n, f"{kind} frame") for n, kind in kinds if n]
                model.say("Recognised and marked: " + " and ".join(parts) + ". Ctrl+Z takes the marks back.")

        self._aside(Lane.BACKGROUND, work, done, name="Looking for charts", cancellable=True)


def files_in(paths: Iterable[Path]) -> tuple[list[Path], list[str]]:
    """Raw files and finished pictures among paths and inside folders (not through links), and why others were left out."""
    files: list[Path] = []
    reasons: list[str] = []
    for path in paths:
        if path.is_dir():
            for root, folders, names in os.walk(path):  # links are not followed, so that loops end
                folders.sort()
                inside = (Path(root) / n for n in sorted(names) if not n.startswith("."))
                files += [p for p in inside if (is_raw_name(p) or is_picture_name(p)) and p.is_file()]
        elif is_raw_name(path) or is_picture_name(path):
            files.append(path)
        else:
            reasons.append(f"{path.name}: neither a raw file nor a picture that Velkin reads")
    return files, reasons
