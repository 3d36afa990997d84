"""Hand-off: where files go, what should be known before, the run, and what the check of every file found."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRect, QTimer, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QButtonGroup, QVBoxLayout, QWidget

from velkin.app import theme
from velkin.app.context import Context
from velkin.app.jobs.handoff import STAGES, Ended
from velkin.app.model.changes import Change
from velkin.app.model.places import Page
from velkin.app.widgets.checkable import CheckBox, RadioButton
from velkin.app.widgets.outcomes import Outcome, Outcomes
from velkin.app.widgets.parts import Bench, Rule, Words, button, emptied, keep_room, row_of, soft, state_label
from velkin.app.words import CONVERT, count, time_left
from velkin.core.destinations.destination import Destination
from velkin.core.icc.space import same
from velkin.core.shoot.state import State

if TYPE_CHECKING:
    from velkin.core.handoff.jobs import Job
    from velkin.core.handoff.preflight import Concern
    from velkin.core.handoff.run import Done
    from velkin.core.shoot.handoffs import KeptRun

#: Files that passed, and files that failed, are listed up to so many, the latest first.
_LISTED, _LISTED_FAILED = 40, 200
#: Milliseconds between two words of how far the run is.
_PACE = 250
#: The choice of frames that follows what is chosen in the shoot.
_CHOSEN = 2


def what_it_writes(state: State, d: Destination) -> str:
    """A destination in a line: space, format, size and folder."""
    space = state.known_space(d.space_id)
    if space is None:
        why = "Its profile is gone from the shoot" if d.space_id else "No profile chosen yet"
        return f"{why}; choose one under Edit destinations."
    return f"{space.name}, {d.file.words()}, {d.size.words()}, into {d.folder}"


class HandoffBench(Bench):
    """Destinations, frames, what to know before, run and results."""

    receipt_wanted = pyqtSignal()

    def __init__(self, context: Context) -> None:
        super().__init__("Hand-off")
        self._jobs = context.jobs
        self._model = context.model
        self._job = context.jobs.handoff
        self._state = state_label()
        self.column.addWidget(self._state)
        self._build_interrupted()
        self._results_heading = self.section("Written and checked", rule=False)
        self.failures, self.successes = Outcomes("Files that failed"), Outcomes("Files written and checked")
        for rows in (self.failures, self.successes):
            rows.frame_wanted.connect(self._go_to)
            rows.reached.connect(lambda place, rows=rows: self._follow_keys(rows, place))
            self.column.addWidget(rows)
        self._more = soft()
        self._more.hide()
        self.column.addWidget(self._more)
        self._results_end = Rule()
        self.column.addWidget(self._results_end)
        for part in (self._results_heading, self._results_end):
            part.hide()
        self.section("Destinations", rule=False)
        self._destinations = QVBoxLayout()
        self._destinations.setSpacing(6)
        self.column.addLayout(self._destinations)
        self.ticks: dict[str, CheckBox] = {}
        self.edit = button(
            "Edit destinations…",
            lambda: self._model.places.go(Page.DESTINATIONS),
            tip="Add, change, remove, exchange as files (Ctrl+Shift+D)",
        )
        self.column.addWidget(self.edit)
        self.section("Frames")
        self._which = QButtonGroup(self)
        self._all = RadioButton()
        self._subjects = RadioButton()
        self._chosen = RadioButton()
        for index, choice in enumerate((self._subjects, self._all, self._chosen)):
            self._which.addButton(choice, index)
            self.column.addWidget(choice)
        self._subjects.setChecked(True)
        self._which.idToggled.connect(lambda _, on: self._frames_chosen() if on else None)
        self.section("Before it starts")
        self._concerns_state = soft()
        self.column.addWidget(self._concerns_state)
        self.concerns = Outcomes("What should be known before it starts", keys=False)
        self.column.addWidget(self.concerns)
        self.use_changed = CheckBox("Use changed sources as they are now")
        self.use_changed.toggled.connect(self._job.use_changed)
        self.column.addWidget(self.use_changed)
        self.end()
        self._build_foot()
        self._passed = self._failed = 0
        self._total = 0
        self._shown: State | None = None
        self._stages: dict[str, str] = {}
        self._arrived: list[Done] = []
        self._pace = QTimer(self)
        self._pace.setInterval(_PACE)
        self._pace.timeout.connect(lambda: self._show_arrived() if self.isVisible() else None)
        self.follow(self._model)
        self._model.opened.connect(self._clear_results)
        self._job.started.connect(self._started)
        self._job.stage.connect(self._stage)
        self._job.file.connect(self._file_done)
        self._job.ended.connect(self._ended)
        self._job.pause_changed.connect(lambda _: self._show_progress())
        self._job.concerns_changed.connect(self._show_concerns)
        self._tell_concerns()

    def _build_interrupted(self) -> None:
        self._cut_off = QWidget()
        column = QVBoxLayout(self._cut_off)
        column.setContentsMargins(0, 0, 0, 4)
        column.setSpacing(6)
        self._cut_off_words = Words()
        self._cut_off_words.setWordWrap(True)
        column.addWidget(self._cut_off_words)
        self.resume_button = button("Resume the hand-off", self._job.resume, True)
        self.give_up_button = button("Do not resume", self._job.give_up, tip="What it wrote stays; the rest is not written")
        column.addWidget(row_of(self.resume_button, self.give_up_button))
        self._cut_off.hide()
        self.column.addWidget(self._cut_off)

    def _build_foot(self) -> None:
        self.run_button = button("", self.start, primary=True, tip="Hand off (Ctrl+Return)")
        self.pause_button = button("Pause", lambda: self._job.pause(not self._job.paused))
        self.cancel_button = button("Cancel", self._job.cancel, tip="Finished files stay, nothing is left half written")
        self._running = row_of(self.pause_button, self.cancel_button)
        self.retry_button = button("", self._job.retry)
        self.receivers_button = button(
            "As receivers see it",
            lambda: self._model.places.go(Page.RECEIVERS, self._model.current),
            tip="The written file beside the picture here (E)",
        )
        self.receipt_button = button(
            "Receipt…", self.receipt_wanted.emit, tip="What was sent and how it was checked, as HTML or PDF"
        )
        for each in (self.receivers_button, self.receipt_button):
            each.setProperty("narrow", True)
        self._after = keep_room(row_of(self.receivers_button, self.receipt_button))
        for item in (self.retry_button, self.run_button, self._running, self._after):
            self.foot.addWidget(item)
        for item in (self._running, self.retry_button, self._after):
            item.hide()

    # ---- showing ----------------------------------------------------------------------------------------------

    def concerned(self, change: Change) -> bool:
        """Every change of frames or destinations may change what is written."""
        return change.anything

    def refresh(self) -> None:
        """Follow the shoot."""
        if self._model.shoot is None:
            return
        state = self._model.state
        if self._shown is None or self._shown.destinations is not state.destinations or self._shown.spaces is not state.spaces:
            self._show_destinations(state)
        others = self._shown is not state or self._which.checkedId() == _CHOSEN
        self._shown = state
        if others:
            self._frames_chosen()
        else:
            self._show_foot()

    def _show_destinations(self, state: State) -> None:
        focused = next((i for i, tick in self.ticks.items() if tick.hasFocus()), None)
        emptied(self._destinations)
        self.ticks = {}
        for d in state.destinations:
            holder = QWidget()
            column = QVBoxLayout(holder)
            column.setContentsMargins(0, 0, 0, 0)
            column.setSpacing(0)
            tick = CheckBox(d.name)
            tick.setFont(theme.font(13, 600))
            tick.setChecked(d.ticked)
            tick.setToolTip(d.about)
            tick.setAccessibleName(f"{d.name}, written by the next hand-off")
            tick.toggled.connect(lambda on, d=d: self._tick(d, on))
            column.addWidget(tick)
            words = soft(what_it_writes(state, d))
            words.setContentsMargins(22, 0, 0, 0)
            column.addWidget(words)
            self._destinations.addWidget(holder)
            self.ticks[d.id] = tick
        if focused in self.ticks:
            self.ticks[focused].setFocus()

    def _tick(self, d: Destination, on: bool) -> None:
        if not self._job.set_destination(replace(d, ticked=on)):
            self.refresh()

    def to_write(self) -> tuple[int, ...]:
        """The frames that the next run writes."""
        if self._model.shoot is None:
            return ()
        state = self._model.state
        which = self._which.checkedId()
        if which == _CHOSEN:
            return tuple(f for f in state.order() if f in self._model.selected)
        return tuple(state.order() if which == 1 else state.subjects())

    def _frames_chosen(self) -> None:
        self._show_foot()
        self._look()

    def _look(self) -> None:
        if self._model.shoot is not None and not self._job.running:
            self._job.look(self.to_write())

    def _show_foot(self) -> None:
        if self._model.shoot is None:
            return
        state = self._model.state
        subjects = len(state.subjects())
        self._subjects.setText(f"All {count(subjects, 'frame')} without chart and neutral")
        self._all.setText(f"All {count(len(state.frames), 'frame')}")
        number = len(self._model.selected)
        self._chosen.setText("Only the selected frame" if number == 1 else f"The {number} selected frames")
        if self._job.running:
            return
        cut_off = self._job.interrupted()
        self._show_interrupted(cut_off)
        self.receivers_button.setEnabled(self._model.current is not None)
        self._after.setVisible(self._model.shoot.handoffs.has_written())
        frames, ticked = self.to_write(), state.ticked()
        taken = [f for f in frames if state.frames[f].is_raw or state.path(f).known]
        files, left = len(taken) * len(ticked), len(frames) - len(taken)
        ready = bool(taken) and bool(ticked)
        self.run_button.setEnabled(ready)
        self.run_button.setText(self._run_words(len(taken), len(ticked)) if ready else "Hand off")
        self.sentence.setText(self._closing(state, tuple(taken), left))
        if not self._job.results:
            self._state.setText(
                "Interrupted" if cut_off else f"Ready for {count(files, 'file')}" if ready else "Nothing to write"
            )

    def _run_words(self, frames: int, destinations: int) -> str:
        if self._replaced():
            return f"Replace {count(self._replaced(), 'file')} and hand off"
        where = f" to {destinations} destinations" if destinations > 1 else ""
        return f"Hand off {count(frames, 'frame')}{where}"

    def _replaced(self) -> int:
        """How many files the next run replaces, as the button says."""
        return sum(len(c.frames) for c in self._job.concerns or () if c.kind == "replaces")

    def _closing(self, state: State, frames: tuple[int, ...], left: int) -> str:
        ticked = state.ticked()
        if not ticked:
            return "No destination is ticked, so that nothing would be written."
        spaces = [s.name for d in ticked if (s := state.known_space(d.space_id)) is not None]
        named = " and ".join(dict.fromkeys(spaces)) if len(set(spaces)) < 3 else f"{len(set(spaces))} spaces"
        if any(_converts(state, f, ticked) for f in _one_of_a_kind(state, frames)):
            words = f"The {CONVERT} to {named}; the tag goes inside and each file is read back."
        else:
            words = f"What is in {named} already stays so; the tag goes inside and each file is read back."
        if left:
            words += f" {count(left, 'frame')} {'waits' if left == 1 else 'wait'} for a decision and will be left out."
        without = sum(state.frames[f].is_raw and state.frames[f].profile is None for f in frames)
        if without:
            words += f" {count(without, 'frame')} {'has' if without == 1 else 'have'} no chart profile."
        return words

    def _show_interrupted(self, kept: KeptRun | None) -> None:
        self._cut_off.setVisible(kept is not None)
        if kept is not None:
            there = sum(f.state in ("written", "naming") for f in kept.files)
            self._cut_off_words.setText(
                f"A hand-off was interrupted: {there} of {count(len(kept.files), 'file')} had their names. Whatever was half written is removed."
            )

    def _show_concerns(self) -> None:
        self._tell_concerns()
        self._show_foot()

    def _tell_concerns(self) -> None:
        found = self._job.concerns
        self._concerns_state.setVisible(not found)
        if found is None:
            self._concerns_state.setText("Looking at sources, folders and colours …")
        elif not found:
            self._concerns_state.setText("Nothing stands in the way.")
        self.concerns.show_rows([Outcome("missing" if _is_grave(c) else "", c.what, c.then) for c in found or ()])
        changed = any(c.kind == "changed" for c in found or ())
        self.use_changed.setVisible(changed or self._job.changed_too)
        self.use_changed.blockSignals(True)
        self.use_changed.setChecked(self._job.changed_too)
        self.use_changed.blockSignals(False)

    def _clear_results(self) -> None:
        self._arrived = []
        for rows in (self.failures, self.successes):
            rows.show_rows(())
        self._passed = self._failed = 0
        for part in (self._more, self._results_heading, self._results_end, self.retry_button):
            part.hide()

    # ---- running ----------------------------------------------------------------------------------------------

    def start(self) -> None:
        """Hand off the frames that are chosen here."""
        if self.run_button.isEnabled() and not self._job.running:
            self._job.start(self.to_write(), self._replaced())

    def _started(self, jobs: list[Job]) -> None:
        self._clear_results()
        self._results_heading.show()
        self._results_end.show()
        self._cut_off.hide()
        self._to_top()
        self._total, self._stages = len(jobs), {}
        self.run_button.hide()
        self.retry_button.hide()
        self._after.hide()
        self._running.show()
        self._pace.start()
        self._show_progress()

    def _to_top(self) -> None:
        bar = self.scroller.verticalScrollBar()
        if bar is not None:
            bar.setValue(0)

    def _stage(self, job: Job, stage: str) -> None:
        self._stages[job.out.name] = STAGES[stage]

    def _show_progress(self) -> None:
        if not self._job.running:
            return
        done = len(self._job.results)
        self.pause_button.setText("Resume" if self._job.paused else "Pause")
        left = self._job.pace.left() if self._job.pace is not None else None
        self._state.setText("Paused" if self._job.paused else f"{done} of {count(self._total, 'file')}")
        now = [f"{name}: {stage}" for name, stage in self._stages.items()][-2:]
        words = f"{done} of {self._total} are written. " if self._job.paused else ""
        words += f"About {time_left(left)} left.\n" if left is not None and not self._job.paused else ""
        self.sentence.setText(words + ("\n".join(now) if now else "Files appear under their names only when they are checked."))

    def _file_done(self, done: Done) -> None:
        self._stages.pop(done.job.out.name, None)
        self._arrived.append(done)

    def showEvent(self, event: QShowEvent | None) -> None:
        """What was done while another bench was seen is listed now."""
        super().showEvent(event)
        if self._pace.isActive():
            self._show_arrived()

    def _show_arrived(self) -> None:
        """List the files that were done since the last time, and how far the run is."""
        arrived, self._arrived = self._arrived, []
        passed, failed = [d for d in arrived if d.ok], [d for d in arrived if not d.ok]
        self._passed += len(passed)
        self._failed += len(failed)
        several = len(self._model.state.ticked()) > 1
        self.successes.put_first([_outcome(d, several) for d in passed[-_LISTED:]], _LISTED)
        self.failures.put_first([_outcome(d, several) for d in failed[-_LISTED_FAILED:]], _LISTED_FAILED)
        unlisted = (self._failed - _LISTED_FAILED, "more that failed"), (self._passed - _LISTED, "more, checked")
        more = [f"{number} {words}" for number, words in unlisted if number > 0]
        self._more.setText(f"and {' and '.join(more)}")
        self._more.setVisible(bool(more))
        self._show_progress()

    def _go_to(self, frame: int) -> None:
        if frame in self._model.state.frames:
            self._model.select(frame)

    def _follow_keys(self, rows: Outcomes, place: QRect) -> None:
        inside = self.scroller.widget()
        if inside is not None:
            at = rows.mapTo(inside, place.center())
            self.scroller.ensureVisible(0, at.y(), 0, place.height())

    def _ended(self, ended: Ended) -> None:
        self._pace.stop()
        self._show_arrived()
        self._running.hide()
        self.run_button.show()
        if ended.failed:
            self._state.setText(f"{count(ended.good, 'file')} checked, {ended.failed} failed")
            self.retry_button.setText(f"Retry the {ended.failed} that failed")
            self.retry_button.show()
        elif ended.cancelled:
            self._state.setText(f"Cancelled: {count(ended.good, 'file')} written and checked")
        else:
            self._state.setText(f"{count(ended.good, 'file')} written and checked")
        self._show_foot()


def _outcome(done: Done, several: bool) -> Outcome:
    """A file as it is listed, with its destination where there are several."""
    job, written = done.job, done.written
    return Outcome(
        "check" if done.ok else "missing",
        f"{job.out.name}, {job.destination.name}" if several else job.out.name,
        done.finding if written is None else written.check.brief(),
        not done.ok,
        f"{job.out if written is None else written.out}\n{done.finding}",
        written.out if done.ok and written is not None else None,
        job.frame,
    )


def _one_of_a_kind(state: State, frames: tuple[int, ...]) -> list[int]:
    """One frame of each kind that stands in another space than the others."""
    kinds: dict[object, int] = {}
    for f in frames:
        frame = state.frames[f]
        says = None if frame.is_raw else (frame.picture.said, frame.picture.tag.state, frame.picture.colour_model)
        kinds.setdefault((says, frame.ledger), f)
    return list(kinds.values())


def _converts(state: State, frame: int, ticked: tuple[Destination, ...]) -> bool:
    here = state.path(frame).here
    return any((s := state.known_space(d.space_id)) is not None and not same(here, s) for d in ticked)


def _is_grave(concern: Concern) -> bool:
    """Whether files will be missing at the end."""
    return concern.kind in ("missing", "changed", "untagged", "name", "folder", "space")
