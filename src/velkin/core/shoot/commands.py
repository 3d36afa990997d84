"""What all commands of a shoot share: the file, the state read from it, and the steps that can be undone."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from datetime import datetime

from velkin.core.icc.space import Space, built_in_space
from velkin.core.shoot.records import space_to_json
from velkin.core.shoot.state import State
from velkin.core.shoot.state_reader import StateReader
from velkin.core.shoot.store import Store


class Commands:
    """The base of `Shoot`'s parts."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._reader = StateReader(store)
        self._state: State | None = None

    @property
    def state(self) -> State:
        """Everything in the shoot, read once after each change."""
        if self._state is None:
            self._state = self._reader.read()
        return self._state

    @contextmanager
    def _step(self, label: str, joins: bool = False) -> Iterator[None]:
        """One undoable step; with `joins` one with the step before, when that was of the same kind."""
        with self._store.step(label, joins):
            if self._store.changed_elsewhere():
                self._state = None  # what is decided inside stands on what is in the file now
            yield
        self._state = None  # what failed was taken back whole, so that the state before it still holds

    def _raw_among(self, frames: Iterable[int]) -> list[int]:
        return [f for f in frames if self.state.frames[f].is_raw]

    def _find_space(self, identifier: str) -> Space | None:
        try:
            return self.state.space(identifier)
        except KeyError:
            return None

    def _remember(self, space: Space) -> None:
        """Keep a space that is not built in; inside a step."""
        if built_in_space(space.id) is None and space.id != "plain-ink":
            self._store.run("INSERT OR IGNORE INTO spaces VALUES (?, ?)", space.id, space_to_json(space))


def count_words(number: int, thing: str) -> str:
    """A number and its noun, for the names of steps."""
    return f"{number} {thing}" if number == 1 else f"{number} {thing}s"


def now() -> str:
    """The local time to a second, with its offset (ISO 8601)."""
    return datetime.now().astimezone().isoformat(timespec="seconds")
