"""The open shoot file: the state read from it, and the steps that change it and can be undone. Commands are given one and share nothing else."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from datetime import datetime

from velkin.core.icc.space import Space, built_in_space
from velkin.core.shoot.arrivals import Arrival
from velkin.core.shoot.records import space_to_json
from velkin.core.shoot.state import State
from velkin.core.shoot.state_reader import StateReader
from velkin.core.shoot.store import Store
from velkin.core.tags.facts import PictureFacts
from velkin.core.tags.rules import Ruled, ruled


class Document:
    """A shoot file with the state read from it.

    Attributes
    ----------
    store : Store
    """

    def __init__(self, store: Store) -> None:
        self.store = store
        self._reader = StateReader(store)
        self._state: State | None = None

    @property
    def state(self) -> State:
        """Everything in the shoot, read once after each change."""
        if self._state is None:
            self._state = self._reader.read()
        return self._state

    @contextmanager
    def step(self, label: str, joins: bool = False) -> Iterator[None]:
        """One undoable step; with `joins` one with the step before, when that was of the same kind."""
        with self.store.step(label, joins):
            if self.store.changed_elsewhere():
                self._state = None  # what is decided inside stands on what is in the file now
            yield
        self._state = None  # what failed was taken back whole, so that the state before it still holds

    def read_anew(self) -> None:
        """Forget the state: the file was changed by other ways than a step."""
        self._state = None

    def raw_among(self, frames: Iterable[int]) -> list[int]:
        """Those of some frames that are raw."""
        return [f for f in frames if self.state.frames[f].is_raw]

    def remember(self, space: Space) -> None:
        """Keep a space that is not built in; inside a step."""
        if built_in_space(space.id) is None and space.id != "plain-ink":
            self.store.run("INSERT OR IGNORE INTO spaces VALUES (?, ?)", space.id, space_to_json(space))

    def ruled(self, arrival: Arrival, facts: PictureFacts) -> Ruled:
        """What the intake rules make of a finished picture that came; its space is kept. Inside a step."""
        if arrival.said is not None:
            self.remember(arrival.said)
        state = self.state
        return ruled(
            facts.tag.state,
            facts.colour_model,
            arrival.said,
            working=state.working,
            rules=state.rules,
            space=state.known_space,
            at=now(),
        )


def count_words(number: int, thing: str) -> str:
    """A number and its noun, for the names of steps."""
    return f"{number} {thing}" if number == 1 else f"{number} {thing}s"


def now() -> str:
    """The local time to a second, with its offset (ISO 8601)."""
    return datetime.now().astimezone().isoformat(timespec="seconds")
