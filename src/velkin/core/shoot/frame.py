"""A frame of a shoot: one picture, raw or finished, and what was decided of it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

from velkin.core.cameraprofiles.leaning import NEUTRAL, Lean
from velkin.core.errors import NotSupported
from velkin.core.files.raw import RawFacts
from velkin.core.tags.facts import PictureFacts
from velkin.core.tags.ledger import Entry
from velkin.core.tags.pins import Pin


class Role(StrEnum):
    """What a frame is there for; the values are those of the shoot file."""

    SUBJECT = "subject"
    CHART = "chart"
    NEUTRAL = "neutral"
    FLAT = "flat"


@dataclass(frozen=True)
class Frame:
    """One picture in a shoot.

    Attributes
    ----------
    facts : RawFacts or PictureFacts
    neutral : tuple or None
        The balance measured on it where it is a frame of a neutral card.
    lean : Lean
        How many steps warmer and pinker than its balance it is shown.
    waits : str
        The intake rules' case for which a decision was due on arrival; empty where there was none.
    ledger : tuple of Entry
    pins : tuple of Pin
    """

    id: int
    light: int
    name: str
    path: Path
    digest: str
    role: Role
    facts: RawFacts | PictureFacts
    balance: tuple[float, ...] | None
    balance_from: str
    exposure: float
    profile: int | None
    neutral: tuple[float, ...] | None = None
    lean: Lean = NEUTRAL
    waits: str = ""
    ledger: tuple[Entry, ...] = ()
    pins: tuple[Pin, ...] = ()

    @property
    def is_raw(self) -> bool:
        """Whether it is a raw frame rather than a finished picture."""
        return isinstance(self.facts, RawFacts)

    @property
    def raw(self) -> RawFacts:
        """The facts of a raw frame. Raises NotSupported for finished pictures."""
        if not isinstance(self.facts, RawFacts):
            raise NotSupported("it is a finished picture; chart, balance and camera profile are for raw frames", self.path)
        return self.facts

    @property
    def picture(self) -> PictureFacts:
        """The facts of a finished picture."""
        assert isinstance(self.facts, PictureFacts)
        return self.facts

    @property
    def is_layered(self) -> bool:
        """Whether it is a layered picture."""
        return not isinstance(self.facts, RawFacts) and bool(self.facts.layers)

    @property
    def held(self) -> bool:
        """Whether a decision waits."""
        return bool(self.waits) and not self.ledger
