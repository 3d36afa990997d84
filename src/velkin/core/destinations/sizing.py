"""How large a picture is written: kept, by its long edge, to exact pixels, or for a print; never enlarged unless asked."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final, Literal

from velkin.core.errors import NotSupported

SizeKind = Literal["full", "long edge", "exact", "print"]
FULL: Final = "full"
LONG: Final = "long edge"
EXACT: Final = "exact"
PRINT: Final = "print"
KINDS: tuple[SizeKind, ...] = (FULL, LONG, EXACT, PRINT)
#: How an exact size of another shape is filled: what stands over is cut off evenly, or the whole picture stands on white.
Fill = Literal["cut", "white"]
CUT: Final = "cut"
WHITE: Final = "white"
_LARGEST = 65000


@dataclass(frozen=True)
class Size:
    """The size of written pictures.

    Attributes
    ----------
    kind : SizeKind
    long_edge : int
        Pixels, of ``long edge``.
    width, height : int
        Pixels, of ``exact``.
    fill : Fill
        Of ``exact``.
    print_width, print_height : float
        Centimetres of the paper's picture area, of ``print``; turned to lie as the picture does.
    ppi : int
        Pixels per inch, of ``print``.
    enlarge : bool
        Whether a smaller picture may be enlarged.
    """

    kind: SizeKind = FULL
    long_edge: int = 2048
    width: int = 2000
    height: int = 2000
    fill: Fill = CUT
    print_width: float = 30.0
    print_height: float = 20.0
    ppi: int = 300
    enlarge: bool = False

    def check(self) -> None:
        """Refuse sizes that make no sense. Raises NotSupported."""
        if self.kind not in KINDS or self.fill not in (CUT, WHITE):
            raise NotSupported(f"the size {self.kind!r} is not one of {', '.join(KINDS)}")
        if self.kind == LONG and not 16 <= self.long_edge <= _LARGEST:
            raise NotSupported(f"a long edge of {self.long_edge} pixels is not within 16 to {_LARGEST}")
        if self.kind == EXACT and not (16 <= self.width <= _LARGEST and 16 <= self.height <= _LARGEST):
            raise NotSupported(f"{self.width} × {self.height} pixels are not within 16 to {_LARGEST}")
        if self.kind == PRINT and not (0.5 <= self.print_width <= 2000 and 0.5 <= self.print_height <= 2000):
            raise NotSupported(f"a print of {self.print_width:g} × {self.print_height:g} cm is not within 0.5 to 2000")
        if self.kind == PRINT and not 30 <= self.ppi <= 2400:
            raise NotSupported(f"{self.ppi} pixels per inch are not within 30 to 2400")
        if self.kind == PRINT and max(self.print_width, self.print_height) / 2.54 * self.ppi > _LARGEST:
            raise NotSupported("a print of that size has more pixels than a file can hold; fewer pixels per inch will do")

    def words(self) -> str:
        """The size in words."""
        return {
            FULL: "full size",
            LONG: f"long edge {self.long_edge} px",
            EXACT: f"{self.width} × {self.height} px",
            PRINT: f"{self.print_width:g} × {self.print_height:g} cm at {self.ppi} ppi",
        }[self.kind]


@dataclass(frozen=True)
class Fitted:
    """What becomes of a picture's pixels.

    Attributes
    ----------
    scaled : (width, height)
        The whole picture is brought to this size first.
    out : (width, height)
        Of the file; smaller than `scaled` where something is cut off, larger where the picture stands on white.
    ppi : float or None
        To be written into the file, of prints: lower than asked for where the picture has too few pixels.
    """

    scaled: tuple[int, int]
    out: tuple[int, int]
    ppi: float | None = None

    @property
    def left(self) -> int:
        """Where the scaled picture begins in the file, in pixels; negative where it is cut."""
        return (self.out[0] - self.scaled[0]) // 2

    @property
    def top(self) -> int:
        """As `left`, downwards."""
        return (self.out[1] - self.scaled[1]) // 2


def fitted(size: Size, width: int, height: int) -> Fitted:
    """How a picture of width × height pixels is written."""
    if size.kind == FULL:
        return Fitted((width, height), (width, height))
    if size.kind == LONG:
        scaled = _scaled(width, height, size.long_edge / max(width, height), size.enlarge)
        return Fitted(scaled, scaled)
    if size.kind == PRINT:
        return _for_print(size, width, height)
    across, down = size.width / width, size.height / height
    if size.fill == WHITE:
        return Fitted(_scaled(width, height, min(across, down), size.enlarge), (size.width, size.height))
    scale = max(across, down) if size.enlarge else min(max(across, down), 1.0)
    scaled = (max(round(width * scale), 1), max(round(height * scale), 1))
    # a picture that is too small keeps the shape asked for, in the pixels that it has
    part = min(scaled[0] / size.width, scaled[1] / size.height, 1.0)
    wanted = (max(round(size.width * part), 1), max(round(size.height * part), 1))
    return Fitted(scaled, (min(wanted[0], scaled[0]), min(wanted[1], scaled[1])))


def _scaled(width: int, height: int, scale: float, enlarge: bool) -> tuple[int, int]:
    if scale >= 1.0 and not enlarge:
        return width, height
    return max(round(width * scale), 1), max(round(height * scale), 1)


def _for_print(size: Size, width: int, height: int) -> Fitted:
    turned = (width > height) != (size.print_width > size.print_height)
    paper = (size.print_height, size.print_width) if turned else (size.print_width, size.print_height)
    inches = (paper[0] / 2.54, paper[1] / 2.54)
    scale = min(inches[0] * size.ppi / width, inches[1] * size.ppi / height)
    scaled = _scaled(width, height, scale, size.enlarge)
    return Fitted(scaled, scaled, max(scaled[0] / inches[0], scaled[1] / inches[1]))


def long_edge(pixels: int) -> Size:
    """A size by its long edge; 0 keeps the full size."""
    return Size(LONG, pixels) if pixels else replace(Size(), kind=FULL)
