"""Hand-off from the window: what is to be known before it starts, the run with pause and cancel, going on after a crash, receipts."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QTimer, pyqtSignal

from velkin.app.jobs.lanes import Job as Aside
from velkin.app.jobs.lanes import Lane
from velkin.app.jobs.shares import share_outside
from velkin.app.jobs.work import Ground, Work
from velkin.app.words import count
from velkin.core.destinations.destination import Destination
from velkin.core.errors import VelkinError
from velkin.core.icc.space import Space
from velkin.core.shoot.shoot import Shoot

if TYPE_CHECKING:
    from velkin.core.handoff.jobs import Job, Plan
    from velkin.core.handoff.journal import Journal
    from velkin.core.handoff.preflight import Concern
    from velkin.core.handoff.run import Control, Done, Pace
    from velkin.core.shoot.handoffs import KeptRun

#: What a run's stages are called.
STAGES = {"decoding": "reading", "rendering": "rendering", "writing": "writing", "checking": "reading back"}


def _breathe(job: Aside) -> None:
    """Let the window's thread come to its turn: what a plan is made of is Python's work, of which one thread at a time does any.

    Raises VelkinError where the job was cancelled meanwhile, or another took its place.
    """
    time.sleep(5e-4)
    if job.stopped:
        raise VelkinError("cancelled")


@dataclass(frozen=True)
class Ended:
    """How a run ended."""

    good: int
    failed: int
    cancelled: bool


class Handoff(Work):
    """The hand-off of the open shoot; one run at a time."""

    concerns_changed = pyqtSignal()
    started = pyqtSignal(object)  # list of Job
    stage = pyqtSignal(object, str)  # Job, what begins
    file = pyqtSignal(object)  # Done
    ended = pyqtSignal(object)  # Ended
    pause_changed = pyqtSignal(bool)
    _stage_from_worker = pyqtSignal(object, str)
    _done_from_worker = pyqtSignal(object)
    _concerns_from_worker = pyqtSignal(int, object)

    def __init__(self, ground: Ground) -> None:
        super().__init__(ground)
        self._job: Aside | None = None
        self._control: Control | None = None
        self.pace: Pace | None = None
        #: What the last run of this shoot did, in the order it was done, and its number in the shoot's memory.
        self.results: list[Done] = []
        self.last_run: int | None = None
        #: What is to be known before the next start; None while it is looked up.
        self.concerns: tuple[Concern, ...] | None = None
        #: Whether sources that changed since they came in are used as they are now.
        self.changed_too = False
        self._leaving = self._starting = False
        self._asked: tuple[int, ...] = ()
        self._wish = 0
        self._look_soon = QTimer(self)
        self._look_soon.setSingleShot(True)
        self._look_soon.setInterval(350)
        self._look_soon.timeout.connect(self._look)
        self._stage_from_worker.connect(lambda job, stage: None if self._leaving else self.stage.emit(job, stage))
        self._done_from_worker.connect(self._one_done)
        self._concerns_from_worker.connect(self._concerned)

    # ---- destinations -----------------------------------------------------------------------------------------

    def set_destination(self, destination: Destination, space: Space | None = None) -> bool:
        """Change a destination; whether it was done."""
        return self._command(lambda s: s.destinations.set_destination(destination, space))

    def add(self, pairs: list[tuple[Destination, Space | None]]) -> list[str]:
        """Add destinations; their ids, none where it was refused."""
        made: list[str] = []
        self._command(lambda s: made.extend(s.destinations.add_destinations(pairs)))
        return made

    def remove(self, identifier: str) -> None:
        """Take a destination away."""
        self._command(lambda s: s.destinations.remove_destination(identifier))

    # ---- before the start -------------------------------------------------------------------------------------

    def look(self, frames: tuple[int, ...]) -> None:
        """Look on a worker, a moment later, for what is to be known before these frames are handed off."""
        self._asked = frames
        self._wish += 1
        self._look_soon.start()

    def _look(self) -> None:
        shoot = self._model.shoot
        if shoot is None or self.running:
            return
        from velkin.core.handoff.jobs import planned  # the libraries that write files load when they are needed
        from velkin.core.handoff.preflight import concerns_of

        wish, state, home, frames, changed_too = self._wish, shoot.state, shoot.path.parent, self._asked, self.changed_too
        self.concerns = None
        self.concerns_changed.emit()

        def share(frame: int, destination: Destination) -> float | None:
            try:
                path = state.toward_destination(frame, destination)
            except (VelkinError, KeyError):
                return None
            return share_outside(self._sources, state.frames[frame], path)

        def work(job: Aside) -> None:
            try:
                plan = planned(state, home, frames, state.ticked(), changed_too=changed_too, between=lambda: _breathe(job))
            except VelkinError:
                self._concerns_from_worker.emit(wish, ())  # the start says it
                return
            found = concerns_of(state, plan, share_outside=share, changed_too=changed_too, stopped=lambda: job.stopped)
            self._concerns_from_worker.emit(wish, tuple(found))

        self._lanes.start(Lane.ROOM, work, purpose="before the hand-off")

    def _concerned(self, wish: int, found: tuple[Concern, ...]) -> None:
        if wish == self._wish:
            self.concerns = found
            self.concerns_changed.emit()

    def use_changed(self, on: bool) -> None:
        """Use sources that changed since they came in as they are now, or not."""
        self.changed_too = on
        self.look(self._asked)

    # ---- the run ----------------------------------------------------------------------------------------------

    @property
    def running(self) -> bool:
        """Whether files are being written."""
        return self._starting or self._control is not None

    @property
    def paused(self) -> bool:
        """Whether the run pauses."""
        return self._control is not None and self._control.paused

    def start(self, frames: tuple[int, ...], replacing: int = 0) -> None:
        """Write frames to the ticked destinations and check each file; `replacing` files may be replaced, no more."""
        from velkin.core.handoff.jobs import planned

        shoot = self._model.shoot
        if shoot is None or self.running:
            return
        state, home, changed_too = shoot.state, shoot.path.parent, self.changed_too
        if not state.ticked():
            self._model.report("No destination is ticked; tick one on the Hand-off bench.")
            return

        def work(job: Aside) -> tuple[Plan, int]:
            plan = planned(state, home, frames, state.ticked(), changed_too=changed_too, between=lambda: _breathe(job))
            return plan, sum(j.replace and os.path.lexists(j.out) for j in plan.jobs)

        def then(found: tuple[Plan, int]) -> None:
            plan, replaced = found
            if replaced > replacing:
                self.look(frames)
                self._model.report(
                    f"{count(replaced, 'file')} would be replaced. The button says so in a moment; press it again if you mean it."
                )
            else:
                self._carry_out(shoot, plan)

        self._prepare(shoot, work, then, cancellable=True)

    def _prepare(
        self, shoot: Shoot, work: Callable[[Aside], Any], then: Callable[[Any], None], cancellable: bool = False
    ) -> None:
        """Look aside for what a run needs, since folders and files may be slow to look into, and go on with what was found."""

        def done(result: Any) -> None:
            self._starting = False
            if self._leaving or self._model.shoot is not shoot:
                return
            if job.stopped:
                self._model.say("The hand-off was cancelled before it began; nothing was written.")
                self._model.changes()
            elif isinstance(result, VelkinError):
                self._model.report(result)
                self._model.changes()
            else:
                then(result)

        self._starting = True
        self._wish += 1
        job = self._lanes.start(Lane.HANDOFF, work, done, name="Looking at folders and names", cancellable=cancellable)

    def _carry_out(self, shoot: Shoot, plan: Plan) -> None:
        from velkin.core.handoff.jobs import UNKNOWN

        waiting = {x.frame for x in plan.left if x.why == UNKNOWN}
        if waiting:
            self._model.report(
                f"{count(len(waiting), 'frame')} left out of the hand-off: nothing says what {'its' if len(waiting) == 1 else 'their'} "
                "numbers mean. Decide on the Source bench."
            )
        if not plan.jobs:
            self._model.say("Nothing was left to write: every file is there already, or its frame waits for a decision.")
        self._begin(shoot, list(plan.jobs))

    def retry(self) -> None:
        """Write once more what failed in the last run."""
        shoot = self._model.shoot
        failed = [d.job for d in self.results if not d.ok]
        if shoot is None or self.running or not failed:
            return
        from dataclasses import replace

        from velkin.core.destinations.naming import free_name
        from velkin.core.handoff.jobs import job_of

        state, changed_too = shoot.state, self.changed_too
        destinations = {d.id: d for d in state.destinations}

        def work(job: Aside) -> list[Job]:
            taken, jobs = set[str](), []
            for before in failed:
                _breathe(job)
                d = destinations.get(before.destination.id)
                if d is None or before.frame not in state.frames or state.known_space(d.space_id) is None:
                    continue
                folder = shoot.folder_of(d)
                out = folder / before.out.name if before.replace else free_name(folder / before.out.name, taken)
                fresh = job_of(state, before.frame, d, out)
                jobs.append(replace(fresh, replace=before.replace, digest="" if changed_too else fresh.digest))
            return jobs

        self._prepare(shoot, work, lambda jobs: self._begin(shoot, jobs), cancellable=True)

    def interrupted(self) -> KeptRun | None:
        """A run of this shoot that a crash cut off and that can go on."""
        shoot = self._model.shoot
        return None if shoot is None or self.running else shoot.handoffs.interrupted()

    def resume(self) -> None:
        """Resume the interrupted run where it stopped."""
        from velkin.core.handoff.journal import close_account, jobs_left

        shoot, kept = self._model.shoot, self.interrupted()
        if shoot is None or kept is None:
            return
        state = shoot.state

        def work(job: Aside) -> tuple[list[Job], int]:
            jobs, finished = jobs_left(state, kept)
            close_account(shoot.path, kept, finished)
            return jobs, len(finished)

        def then(left: tuple[list[Job], int]) -> None:
            jobs, finished = left
            self._model.say(
                f"{count(finished, 'file')} of the interrupted hand-off {'was' if finished == 1 else 'were'} finished and checked."
            )
            if jobs:
                self._begin(shoot, jobs)
            else:
                self._model.changes()

        self._prepare(shoot, work, then)

    def give_up(self) -> None:
        """Do not go on with the interrupted run; what it wrote stays."""
        kept = self.interrupted()
        if kept is not None:
            self._command(lambda s: s.handoffs.give_up(kept.id))

    def _begin(self, shoot: Shoot, jobs: list[Job]) -> None:
        from velkin.core.handoff.journal import Journal

        if jobs:
            self._prepare(shoot, lambda job: Journal.begin(shoot.path, jobs), lambda journal: self._run(jobs, journal))

    def _run(self, jobs: list[Job], journal: Journal) -> None:
        from velkin.core.handoff.run import Control, Pace, run

        control = self._control = Control()
        self.pace, self.results, self.last_run = Pace(len(jobs)), [], journal.run
        self.started.emit(jobs)

        def work(job: Aside) -> str:
            number = 0
            job.tell(0, len(jobs))
            try:
                for number, done in enumerate(run(jobs, control, self._stage_from_worker.emit, journal), start=1):
                    self._done_from_worker.emit(done)
                    job.tell(number, len(jobs))
            finally:
                if self._leaving and number < len(jobs):
                    journal.leave()
                else:
                    journal.end(number < len(jobs))
            return journal.trouble

        self._job = self._lanes.start(Lane.HANDOFF, work, self._ended, name="Handing off", cancellable=True)
        self._job.on_cancel = self.cancel

    def pause(self, on: bool) -> None:
        """Begin no more files for now, or go on."""
        if self._control is None or self.pace is None or on == self._control.paused:
            return
        if on:
            self._control.pause()
            self.pace.pause()
        else:
            self._control.go_on()
            self.pace.go_on()
        self.pause_changed.emit(on)

    def cancel(self) -> None:
        """Begin no more files and end; what is finished stays."""
        if self._control is not None:
            self._control.cancel()

    def leave(self) -> None:
        """The program ends: files begun are finished, and the next start offers to go on with the rest."""
        self._leaving = True
        self.cancel()

    def _one_done(self, done: Done) -> None:
        self.results.append(done)
        if self.pace is not None:
            self.pace.finished()
        if self._leaving:
            return
        self.file.emit(done)

    def _ended(self, result: Any) -> None:
        cancelled = self._control is not None and self._control.cancelled
        self._control = None
        if self._leaving:
            return
        if isinstance(result, VelkinError) or result:
            self._model.report(result if isinstance(result, VelkinError) else result[:1].upper() + result[1:] + ".")
        good = sum(d.ok for d in self.results)
        self.ended.emit(Ended(good, len(self.results) - good, cancelled))
        if self._model.shoot is not None:
            self._model.changes()

    def stop(self) -> None:
        """Look for nothing more."""
        self._look_soon.stop()

    def forget(self) -> None:
        """Another shoot is open."""
        self.results, self.last_run, self.concerns, self.changed_too = [], None, None, False
        self._wish += 1

    # ---- afterwards -------------------------------------------------------------------------------------------

    def write_receipt(self, out: Path, done: Callable[[], None] = lambda: None) -> None:
        """Write the receipt of the last run on a worker; `out` ends with .html or .pdf."""
        shoot = self._model.shoot
        if shoot is None:
            return
        run = self.last_run
        if run is None:
            run = next((r.id for r in shoot.handoffs.runs()), None)
        if run is None:
            self._model.report("Nothing was handed off in this shoot yet; a receipt tells of a hand-off.")
            return
        from velkin.core.files.safely import write_whole
        from velkin.core.handoff.receipt import receipt_of, with_pictures
        from velkin.core.handoff.receipt_page import as_html
        from velkin.core.handoff.receipt_paper import as_pdf

        try:
            receipt = receipt_of(shoot, run)
        except VelkinError as error:
            self._model.report(error)
            return

        def work(job: Aside) -> Path:
            full = with_pictures(receipt)
            write_whole(out, as_pdf(full) if out.suffix.lower() == ".pdf" else as_html(full).encode(), True)
            return out

        def finished(result: Any) -> None:
            if isinstance(result, VelkinError):
                self._model.report(result)
            else:
                self._model.say(f"The receipt was written: {result}")
            done()

        self._lanes.start(Lane.HAND, work, finished, name="Writing the receipt")
