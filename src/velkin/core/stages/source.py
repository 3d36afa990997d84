"""Source: what a file's numbers are on arrival."""

from __future__ import annotations

from dataclasses import dataclass

from velkin.core.icc.space import Space
from velkin.core.stages.stage import Flow, Line, Place


@dataclass(frozen=True)
class RawSource:
    """Linear camera numbers of a raw file."""

    known = True
    place = Place.SOURCE

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        return (Line("arrived as camera numbers"),)

    def apply(self, flow: Flow) -> Flow:
        """Camera numbers mean nothing yet."""
        return flow


@dataclass(frozen=True)
class PictureSource:
    """The numbers of a finished picture.

    Attributes
    ----------
    space : Space
        What they mean.
    known : bool
        False where nothing says what they mean and the space is only what they are shown in for now.
    page : int
        Which picture of a file that holds several.
    """

    space: Space
    known: bool = True
    page: int = 0

    place = Place.SOURCE

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        return (Line("arrived, numbers as found"),)

    def apply(self, flow: Flow) -> Flow:
        """The decoded numbers, in their space."""
        return flow.as_numbers(flow.pixels, self.space)


Source = RawSource | PictureSource
