"""What easings are: stages that bring colours into a destination's gamut, each with strength, reach and a place where it acts."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Final, Literal

from velkin.core.errors import NotSupported

EasingKind = Literal["knee", "hue", "overall", "detail"]
KNEE: Final = "knee"
HUE: Final = "hue"
OVERALL: Final = "overall"
DETAIL: Final = "detail"
KINDS: tuple[EasingKind, ...] = (KNEE, HUE, OVERALL, DETAIL)

PlaceKind = Literal["everywhere", "where out", "brushed"]
EVERYWHERE: Final = "everywhere"
WHERE_OUT: Final = "where out"
BRUSHED: Final = "brushed"

#: The reach that each kind begins with, and its ends.
REACHES: dict[EasingKind, tuple[float, float, float]] = {
    KNEE: (0.10, 0.0, 0.60),
    HUE: (60.0, 10.0, 180.0),
    OVERALL: (1.0, 1.0, 1.0),
    DETAIL: (0.006, 0.001, 0.03),
}


@dataclass(frozen=True)
class Stroke:
    """One stroke of the easing brush.

    Attributes
    ----------
    points : tuple of (x, y, pressure)
        Shares of the picture's width and height; pressure 0..1.
    size : float
        Diameter as a share of the picture's longest side.
    softness : float
        0 a hard edge, 1 falling off from the middle.
    flow : float
        How much one pass paints, 0..1.
    erase : bool
    """

    points: tuple[tuple[float, float, float], ...]
    size: float = 0.06
    softness: float = 0.5
    flow: float = 1.0
    erase: bool = False


@dataclass(frozen=True)
class Place:
    """Where an easing acts.

    Attributes
    ----------
    kind : PlaceKind
    feather : float
        Width of the edge round what is outside, as a share of the picture's longest side.
    strokes : tuple of Stroke
        In the order painted.
    painted_on : (width, height) or None
        The upright picture that the strokes were painted on.
    """

    kind: PlaceKind = EVERYWHERE
    feather: float = 0.004
    strokes: tuple[Stroke, ...] = ()
    painted_on: tuple[int, int] | None = None

    def fits(self, width: int, height: int) -> bool:
        """Whether strokes still lie where they were painted: not after the source was cropped or turned."""
        if self.kind != BRUSHED or self.painted_on is None:
            return True
        was = self.painted_on[0] / self.painted_on[1]
        # a proxy of odd size is a pixel off
        return abs(width / height - was) <= was * (0.003 + 1.0 / min(width, height))


@dataclass(frozen=True)
class Easing:
    """One stage.

    Attributes
    ----------
    kind : EasingKind
        ``knee``: chroma above a knee is compressed towards the boundary at its hue and lightness, below it untouched.
        ``hue``: the same for a range of hues only. ``overall``: all chroma is scaled. ``detail``: luminance texture that the
        destination cuts off is given back.
    strength : float
        0..1.
    reach : float
        Knee and hue: see `REACHES`; of the knee, how far below the boundary it lies as a share of it; of hue, the width of
        the range in degrees; of detail, the size of the texture as a share of the picture's longest side.
    hue : float
        Middle of the range, degrees in Oklab.
    place : Place
    on : bool
    destination : str
        Id of the only destination it is for; empty for all.
    """

    kind: EasingKind
    strength: float = 1.0
    reach: float = 0.0
    hue: float = 0.0
    place: Place = field(default_factory=Place)
    on: bool = True
    destination: str = ""

    def acts(self, destination: str) -> bool:
        """Whether it changes anything on the way to a destination."""
        return self.on and self.strength > 0.0 and self.destination in ("", destination)

    @property
    def by_pixel(self) -> bool:
        """Whether what it does to a pixel depends on that pixel only."""
        return self.kind != DETAIL and self.place.kind == EVERYWHERE

    @property
    def looks_around(self) -> bool:
        """Whether it looks far round each pixel, so that it has to be given the whole picture."""
        return self.kind == DETAIL or self.place.kind == WHERE_OUT

    def check(self) -> None:
        """Refuse an easing that makes no sense. Raises NotSupported."""
        if self.kind not in KINDS:
            raise NotSupported(f"the easing {self.kind!r} is not known")
        if not 0.0 <= self.strength <= 1.0:
            raise NotSupported(f"the strength {self.strength} is not within 0 to 1")
        low, high = REACHES[self.kind][1:]
        if not low <= self.reach <= high:
            raise NotSupported(f"the reach {self.reach} of {self.kind} is not within {low} to {high}")
        if self.place.kind not in (EVERYWHERE, WHERE_OUT, BRUSHED):
            raise NotSupported(f"an easing cannot act {self.place.kind!r}")


def new_easing(kind: EasingKind, hue: float = 0.0, destination: str = "") -> Easing:
    """An easing as it begins: full strength (overall: a tenth), everywhere.

    Examples
    --------
    >>> new_easing(OVERALL).strength, new_easing(HUE, 370.0).hue
    (0.1, 10.0)
    """
    return Easing(kind, 0.1 if kind == OVERALL else 1.0, REACHES[kind][0], hue % 360.0, destination=destination)


def full_strength(strength: float = 1.0) -> tuple[Easing, ...]:
    """What the command line eases with: a knee.

    Examples
    --------
    >>> [e.kind for e in full_strength(0.5)]
    ['knee']
    """
    return (replace(new_easing(KNEE), strength=strength),)
