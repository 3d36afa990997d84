"""What is said of a picture beside its pixels, as a writer puts it into a file."""

from __future__ import annotations

from dataclasses import dataclass

from velkin.core.files.exif_block import RESOLUTION_UNIT, X_RESOLUTION, Y_RESOLUTION, ExifTree
from velkin.core.files.iim import DataSet
from velkin.core.files.image_resources import Resource

_CM_PER_INCH = 2.54
#: Tags of a primary directory that say what a picture is of, whence and whose it is.
DESCRIBING = frozenset(
    [11, 269, 270, 271, 272, 285, 305, 306, 315, 316, 337, 18246, 18249, 33432, 36867, 37393, 37394, 37398]
    + [40091, 40092, 40093, 40094, 40095, 50341]
)
#: Tags that say how pixels lie or what their numbers mean, which follows from the file they lie in.
STRUCTURAL = frozenset(
    [
        *range(254, 267),
        273,
        274,
        *range(277, 285),
        *range(288, 294),
        296,
        297,
        301,
        *range(317, 329),
        330,
        *range(332, 335),
        336,
    ]
    + [
        338,
        339,
        340,
        341,
        342,
        347,
        *range(512, 522),
        *range(529, 533),
        559,
        700,
        33723,
        34377,
        34665,
        34675,
        34853,
        37724,
        40965,
    ]
    + [*range(50706, 51200), *range(52525, 52560)]
)
#: Of places on earth (GeoTIFF): true while the picture is whole and of its size.
GEO = frozenset((33550, 33922, 34264, 34735, 34736, 34737, 42112, 42113))


@dataclass(frozen=True)
class Resolution:
    """Pixels per inch across and down. As TIFF, JPEG and PNG may, a file that gives no unit says the shape of its pixels only, which is none."""

    x: float
    y: float

    @classmethod
    def of(cls, x: float, y: float, per: float) -> Resolution | None:
        """From pixels per so many inches; None for what is no resolution. Rounded to a hundredth."""
        if not (0 < x < 1e7 and 0 < y < 1e7):
            return None
        return cls(round(x / per, 2), round(y / per, 2))


@dataclass(frozen=True)
class Text:
    """A text with a keyword (PNG), or a comment (JPEG) under the keyword ``Comment``."""

    keyword: str
    data: bytes
    #: How it stands in a PNG: name of its chunk and the chunk's own bytes; empty where it comes from elsewhere.
    chunk: tuple[bytes, bytes] = (b"", b"")


@dataclass(frozen=True)
class Metadata:
    """What goes into a file beside the picture; see the modules of the types for how each is carried."""

    exif: ExifTree | None = None
    xmp: bytes = b""
    iptc: tuple[DataSet, ...] = ()
    resources: tuple[Resource, ...] = ()
    texts: tuple[Text, ...] = ()
    resolution: Resolution | None = None


def resolution_in(tree: ExifTree) -> Resolution | None:
    """The resolution that Exif or TIFF tags say; None where they say none that can be used."""
    x, y = (tree.image[t].numbers(tree.order) if t in tree.image else () for t in (X_RESOLUTION, Y_RESOLUTION))
    if not x:
        return None
    unit = tree.image[RESOLUTION_UNIT].numbers(tree.order) if RESOLUTION_UNIT in tree.image else (2.0,)
    per = {2: 1.0, 3: 1 / _CM_PER_INCH}.get(int(unit[0]) if unit else 2)
    return Resolution.of(x[0], y[0] if y else x[0], per) if per is not None else None
