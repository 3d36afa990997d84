"""A kept look on the path: read and learnt when the first pixel asks, so that a path costs nothing to make."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from velkin.core.cache import cached
from velkin.core.gamut.easing import Place as Painted
from velkin.core.gamut.masks import Window, painted
from velkin.core.looks.kept import GIVING, KeptLook, LookKind
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.stages.stage import Alters, Flow, Line, Place

if TYPE_CHECKING:
    from velkin.core.stages.looking import Look, ProfileLook
    from velkin.core.stages.matching import Matched


@dataclass(frozen=True)
class GivenLook:
    """A look at a strength of 0 (nothing) over 1 (as it was made) to 1.5.

    Attributes
    ----------
    look : KeptLook
        One that says what numbers it takes.
    strength : float
    where : gamut.easing.Place or None
        Where the brush went; None for everywhere.
    """

    look: KeptLook
    strength: float = 1.0
    where: Painted | None = None

    place = Place.LOOK

    def describe(self) -> tuple[Line, ...]:
        """What it says of itself."""
        brushed = "" if self.where is None else ", brushed"
        return (Line(f"{self.look.words(self.strength)}{brushed}", Alters.BOTH),)

    @property
    def by_pixel(self) -> bool:
        """Whether it acts everywhere."""
        return self.where is None

    def apply(self, flow: Flow) -> Flow:
        """Light, as the look has it; where it is brushed, as far as the brush says. Raises BadProfile, FitRefused."""
        found = replace(_stage(self.look), strength=self.strength).apply(flow)
        if self.where is None:
            return found
        height, width = flow.pixels.shape[:2]
        window = flow.window or Window(width, height)
        if not self.where.fits(window.width, window.height):
            return flow  # the picture was cropped or turned: what was painted lies elsewhere
        mask = painted(self.where.strokes, height, width, window)[..., None]
        return replace(flow, pixels=flow.pixels + mask * (found.pixels - flow.pixels))


@cached(200_000_000)
def _stage(look: KeptLook) -> Matched | Look | ProfileLook:
    """What the look's file holds. What reads and learns is loaded here: every path knows this module, and few have a look."""
    from velkin.core.looks.device_link import device_link
    from velkin.core.match.cube_file import cube_of_text
    from velkin.core.match.match_file import match_from_json
    from velkin.core.stages.looking import Look, ProfileLook
    from velkin.core.stages.matching import Matched

    if look.kind is LookKind.MATCH:
        kept = match_from_json(look.content.decode("utf-8"))
        return Matched(kept.learnt().match, kept.amounts)
    if look.kind in GIVING:
        assert look.takes is not None
        text = look.kind is LookKind.TABLE
        table = cube_of_text(look.content.decode("utf-8", "replace")) if text else device_link(look.content)
        return Look(table, look.takes, look.gives or look.takes, name=look.name)
    return ProfileLook(look.content, look.takes, name=look.name)


def make_ready(look: KeptLook, working: RGBSpace, strength: float = 1.0) -> None:
    """Read and learn a look now, for light in a working space: what is wrong is told before it is put on, and nobody waits for it later.

    Raises
    ------
    BadProfile, FitRefused
    """
    grey = np.full((1, 1, 3), 0.18, dtype=np.float32)
    GivenLook(look, strength).apply(Flow(grey, working, linear=True))
