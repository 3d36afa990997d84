"""What a shoot's commands about looks change; each command is one undoable step."""

from __future__ import annotations

from collections.abc import Iterable

from velkin.core.errors import ShootError
from velkin.core.gamut.easing import BRUSHED, Place, Stroke
from velkin.core.looks.kept import STRONGEST, KeptLook
from velkin.core.shoot.document import Document, count_words
from velkin.core.shoot.records import look_to_json, place_to_json


class LookCommands:
    """The part of a shoot that decides about looks."""

    def __init__(self, document: Document) -> None:
        self._document = document

    def give(self, frames: Iterable[int], look: KeptLook, strength: float = 1.0, stays_brushed: bool = False) -> None:
        """Give frames a look, in the place of any that they have; the shoot keeps it.

        It acts everywhere, or with `stays_brushed` where the one before was brushed.

        Raises
        ------
        ShootError
            For one of which nobody said what numbers it takes, and for a strength outside 0 to 1.5.
        """
        if look.asks:
            raise ShootError(f"{look.name} does not say what numbers it takes; say it first")
        _check(strength)
        chosen = list(frames)
        with self._document.step(f"give {look.name} to {count_words(len(chosen), 'frame')}"):
            kept = next((i for i, known in self._document.state.looks.items() if known == look), None)
            if kept is None:
                kept = self._document.store.run("INSERT INTO looks(json) VALUES (?)", look_to_json(look))
            self._document.store.many(
                "INSERT INTO given_looks(frame, look, strength) VALUES (?, ?, ?) ON CONFLICT(frame) DO UPDATE SET"
                f" look = excluded.look, strength = excluded.strength{'' if stays_brushed else ', place = NULL'}",
                [(f, kept, strength) for f in chosen],
            )
            self._drop_unused()

    def set_strength(self, frames: Iterable[int], strength: float, joins: bool = False) -> None:
        """How strong the looks of frames are; frames without one are left alone. Raises ShootError."""
        _check(strength)
        given = self._document.state.given_looks
        changing = [f for f in frames if f in given and given[f][1] != strength]
        with self._document.step("change the strength of a look", joins):
            self._document.store.many("UPDATE given_looks SET strength = ? WHERE frame = ?", [(strength, f) for f in changing])

    def act(self, frame: int, place: Place | None) -> None:
        """Say where the look of a frame acts: where strokes lie, or (None) everywhere. Raises ShootError where there is none."""
        state = self._document.state
        if frame not in state.given_looks:
            raise ShootError(f"{state.frames[frame].name} has no look that could act somewhere")
        with self._document.step(f"say where the look of {state.frames[frame].name} acts"):
            text = None if place is None else place_to_json(place)
            self._document.store.run("UPDATE given_looks SET place = ? WHERE frame = ?", text, frame)

    def paint(self, frame: int, stroke: Stroke) -> None:
        """Paint a stroke into where the look of a frame acts. Raises ShootError."""
        state = self._document.state
        facts = state.frames[frame].facts
        size, before = (facts.width, facts.height), state.look_places.get(frame)
        strokes = before.strokes if before is not None and before.painted_on == size else ()
        self.act(frame, Place(BRUSHED, strokes=(*strokes, stroke), painted_on=size))

    def take_off(self, frames: Iterable[int]) -> None:
        """Take the looks off frames; one that no frame has any more leaves the shoot."""
        wearing = [f for f in frames if f in self._document.state.given_looks]
        with self._document.step(f"take the look off {count_words(len(wearing), 'frame')}"):
            self._document.store.many("DELETE FROM given_looks WHERE frame = ?", [(f,) for f in wearing])
            self._drop_unused()

    def _drop_unused(self) -> None:
        self._document.store.run("DELETE FROM looks WHERE id NOT IN (SELECT look FROM given_looks)")


def _check(strength: float) -> None:
    if not 0.0 <= strength <= STRONGEST:
        raise ShootError(f"a look's strength goes from 0 to {STRONGEST:g}, not to {strength:g}")
