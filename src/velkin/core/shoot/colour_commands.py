"""What a shoot's commands about colour change: spaces, intake rules, ledgers, pins."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from velkin.core.conversion.conversion import is_destination
from velkin.core.errors import BadProfile, ShootError
from velkin.core.icc.space import Space, check_model
from velkin.core.icc.transform import Intent
from velkin.core.shoot.arrivals import Arrival
from velkin.core.shoot.document import Document, count_words, now
from velkin.core.shoot.following import Followed, cannot_follow, differences, no_longer_fits
from velkin.core.shoot.mapping import to_text
from velkin.core.shoot.records import facts_to_json, ledger_to_json, picture_to_json, pins_to_json
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.tags.facts import PictureFacts
from velkin.core.tags.ledger import Entry, Verb
from velkin.core.tags.pins import MOST_PINS, Pin
from velkin.core.tags.rules import IntakeRules


class ColourCommands:
    """The part of a shoot that decides about colour; each command is one undoable step."""

    def __init__(self, document: Document) -> None:
        self._document = document

    def keep_space(self, space: Space) -> None:
        """Keep a space in the shoot: one's own, or an ICC profile's."""
        with self._document.step(f"keep the space {space.name}"):
            self._document.remember(space)

    def set_rules(self, rules: IntakeRules) -> None:
        """Change the intake rules; they hold for files that arrive from now on."""
        text = to_text(rules)
        with self._document.step("change the intake rules"):
            if self._document.state.rules != rules:
                self._document.store.run("INSERT OR REPLACE INTO facts VALUES ('rules', ?)", text)

    def assign(self, frames: Iterable[int], space: Space, why: str = "by hand") -> None:
        """Give frames another space: numbers stay, look changes.

        Raises
        ------
        BadProfile
            When the space is for another colour model than a frame's.
        """
        chosen = list(frames)
        for f in chosen:
            check_model(space, self._document.state.path(f).here.model, self._document.state.frames[f].path)
        self._enter(
            chosen, f"assign {space.name} to {count_words(len(chosen), 'frame')}", space, Entry(Verb.ASSIGN, space.id, why=why)
        )

    def convert(
        self,
        frames: Iterable[int],
        space: Space,
        intent: Intent = Intent.RELATIVE,
        black_point: bool = True,
        why: str = "by hand",
    ) -> None:
        """Convert frames to a space: look stays, numbers change.

        Raises
        ------
        ShootError
            When a frame's numbers have no known meaning.
        BadProfile
            When the space cannot be converted to.
        """
        chosen = list(frames)
        unknown = [f for f in chosen if not self._document.state.path(f).known]
        if unknown:
            name = self._document.state.frames[unknown[0]].name
            raise ShootError(f"nothing says what the numbers of {name} mean; assign a space first")
        if not is_destination(space):
            raise BadProfile(f"{space.name} has no way from colours to device values; nothing can be converted to it")
        entry = Entry(Verb.CONVERT, space.id, intent, black_point, why=why)
        self._enter(chosen, f"convert {count_words(len(chosen), 'frame')} to {space.name}", space, entry)

    def give_and_convert(self, frames: Iterable[int], given: Space, to: Space) -> None:
        """Give frames a space and convert them to another, in one step. Raises BadProfile."""
        chosen = list(frames)
        for f in chosen:
            check_model(given, self._document.state.path(f).here.model, self._document.state.frames[f].path)
        with self._document.step(f"assign {given.name} to {count_words(len(chosen), 'frame')} and convert to {to.name}"):
            for space in (given, to):
                self._document.remember(space)
            for f in chosen:
                self._append(f, Entry(Verb.ASSIGN, given.id, why="by hand"), Entry(Verb.CONVERT, to.id, why="by hand"))

    def leave(self, frames: Iterable[int]) -> None:
        """Decide that held frames stay as they came."""
        chosen = [f for f in frames if self._document.state.frames[f].held]
        with self._document.step(f"leave {count_words(len(chosen), 'frame')} as they came"):
            for f in chosen:
                self._append(f, Entry(Verb.LEAVE, why="by hand"))

    def go_back(self, frame: int, entries: int) -> None:
        """Take a frame's ledger back to its first `entries` entries; with none, what was held is held again."""
        kept = self._document.state.frames[frame].ledger[: max(entries, 0)]
        with self._document.step(f"take {self._document.state.frames[frame].name} back to entry {len(kept)}"):
            if kept != self._document.state.frames[frame].ledger:
                self._document.store.run("UPDATE frames SET ledger = ? WHERE id = ?", ledger_to_json(kept), frame)

    def copy_ledger(self, source: int, frames: Iterable[int]) -> list[int]:
        """Give a frame's ledger to others whose numbers are of the same colour model; the frames that took it."""
        state = self._document.state
        from_frame = state.frames[source]
        model = state.path_with(source, ()).here.model
        taking = [f for f in frames if f != source and state.path_with(f, ()).here.model == model]
        why = f"copied from {from_frame.name}"
        ledger = ledger_to_json(tuple(replace(e, at=now(), why=why) for e in from_frame.ledger))
        with self._document.step(f"copy the ledger of {from_frame.name} to {count_words(len(taking), 'frame')}"):
            for f in taking:
                if state.frames[f].ledger != from_frame.ledger:
                    self._document.store.run("UPDATE frames SET ledger = ? WHERE id = ?", ledger, f)
        return taking

    def _enter(self, frames: list[int], label: str, space: Space, entry: Entry) -> None:
        with self._document.step(label):
            self._document.remember(space)
            for f in frames:
                self._append(f, entry)

    def _append(self, frame: int, *entries: Entry) -> None:
        ledger = self._document.state.frames[frame].ledger + tuple(replace(e, at=now()) for e in entries)
        self._document.store.run("UPDATE frames SET ledger = ? WHERE id = ?", ledger_to_json(ledger), frame)

    def set_pins(self, frame: int, pins: tuple[Pin, ...], what: str = "change the pins") -> None:
        """Set the pins of a frame. Raises ShootError for more than eight."""
        if len(pins) > MOST_PINS:
            raise ShootError(f"a frame has up to {MOST_PINS} pins; take one away first")
        text = pins_to_json(pins)
        with self._document.step(f"{what} of {self._document.state.frames[frame].name}"):
            self._document.store.run("UPDATE frames SET pins = ?1 WHERE id = ?2 AND pins <> ?1", text, frame)

    def choose_page(self, frame: int, arrival: Arrival) -> None:
        """Look at another picture of a file that holds several; its ledger begins anew."""
        assert isinstance(arrival.facts, PictureFacts)
        facts, state = arrival.facts, self._document.state
        with self._document.step(f"take picture {facts.page + 1} of {state.frames[frame].name}"):
            made = self._document.ruled(arrival, facts)
            self._document.store.run(
                "UPDATE frames SET facts = ?, held = ?, ledger = ? WHERE id = ?",
                picture_to_json(facts), made.case if made.held else "", ledger_to_json(made.entries), frame,
            )  # fmt: skip

    def source_rewritten(self, frame: int, arrival: Arrival) -> None:
        """Follow a source file that was given another tag on purpose: new hash, new facts, a ledger that begins anew.

        A fact about the disk, which undo does not take back; steps before it would bring the old facts back, and are forgotten.
        """
        assert isinstance(arrival.facts, PictureFacts)
        with self._document.store.plain():
            self._document.store.run("DELETE FROM inverses")
            self._document.store.run("DELETE FROM steps")
            if arrival.said is not None:
                self._document.remember(arrival.said)
            self._document.store.run(
                "UPDATE frames SET digest = ?, facts = ?, held = '', ledger = '[]' WHERE id = ?",
                arrival.digest, picture_to_json(arrival.facts), frame,
            )  # fmt: skip
        self._document.read_anew()

    def follow_source(self, frame: int, arrival: Arrival) -> Followed:
        """Follow a source file that was changed elsewhere.

        Where what was decided still fits, it stays, and that the file is another is a fact about the disk, which is no step. Where it does
        not, the frame is held for a decision, in a step that can be undone.
        """
        state, new = self._document.state, arrival.facts
        f = state.frames[frame]
        refused = cannot_follow(f, new)
        if refused:
            return Followed(refused=refused)
        differs, held = differences(f.facts, new), no_longer_fits(f, new)
        text = picture_to_json(new) if isinstance(new, PictureFacts) else facts_to_json(new)
        sizes = (f.facts.width, f.facts.height), (new.width, new.height)
        if held or (frame in state.readings and sizes[0] != sizes[1]):
            with self._document.step(
                f"hold {f.name}, which changed elsewhere" if held else f"follow {f.name}, which changed elsewhere"
            ):
                self._take_source(frame, arrival, text)
                if held and isinstance(new, PictureFacts):
                    case = self._document.ruled(arrival, new).case
                    self._document.store.run("UPDATE frames SET held = ?, ledger = '[]' WHERE id = ?", case, frame)
                if sizes[0] != sizes[1]:
                    self._document.store.run("DELETE FROM readings WHERE frame = ?", frame)
            return Followed(differs, held)
        with self._document.store.plain():
            self._take_source(frame, arrival, text)
            if isinstance(new, PictureFacts) and not f.ledger:
                made = self._document.ruled(arrival, new)
                held_for, ledger = (made.case if made.held else ""), ledger_to_json(made.entries)
                self._document.store.run("UPDATE frames SET held = ?, ledger = ? WHERE id = ?", held_for, ledger, frame)
        self._document.read_anew()
        return Followed(differs)

    def _take_source(self, frame: int, arrival: Arrival, facts: str) -> None:
        if arrival.said is not None:
            self._document.remember(arrival.said)
        self._document.store.run("UPDATE frames SET digest = ?, facts = ? WHERE id = ?", arrival.digest, facts, frame)

    def set_working(self, space: RGBSpace) -> None:
        """Choose the shoot's working space."""
        with self._document.step(f"work in {space.name}"):
            self._document.remember(space)
            self._document.store.run("UPDATE facts SET value = ? WHERE key = 'working' AND value <> ?", space.id, space.id)
