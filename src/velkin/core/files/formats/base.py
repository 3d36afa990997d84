"""What every format of finished pictures does: it is recognised, tells facts, decodes, lists what it holds, encodes, and takes another tag.

One class, one format. Nothing outside its class knows how a format lays out its parts.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass, field
from enum import IntEnum
from pathlib import Path
from typing import Any, ClassVar

from numpy.typing import NDArray

from velkin.core.errors import NotSupported
from velkin.core.files.coding import Coding
from velkin.core.files.contents import Part, PartKind
from velkin.core.files.exif_block import ORIENTATION, ExifTree
from velkin.core.files.kinds import FormatKind
from velkin.core.files.layers.stack import LayerFacts
from velkin.core.files.metadata import Metadata, Resolution, resolution_in
from velkin.core.files.picture import Picture
from velkin.core.files.xmp import orientation_of


class Extra(IntEnum):
    """What a channel beside the colours is, as TIFF 6.0 numbers it."""

    OTHER = 0
    MULTIPLIED = 1
    SEPARATE = 2


@dataclass(frozen=True)
class ColourSaid:
    """What a container says of the colour of its picture.

    Attributes
    ----------
    icc : bytes or None
        The embedded profile, put together from its segments.
    icc_where : str
        Where it lies: ``APP2``, ``iCCP``, ``ICCP``, ``colr`` …
    cicp : (primaries, transfer, matrix, full range) or None
        Code points of ISO/IEC 23091-2; unspecified ones (2, 2) say nothing and are None.
    srgb : bool
        Whether there is a PNG sRGB chunk.
    gamma : float or None
        PNG gAMA: the exponent that encoded the picture.
    chromaticities : 8 floats or None
        PNG cHRM: white, red, green, blue.
    linear : bool
        Whether its colour model itself says that its numbers are linear light of sRGB's primaries (LogLuv).
    by_format : bool
        Whether the format itself says that numbers are sRGB's where no profile says otherwise (OpenRaster).
    """

    icc: bytes | None = None
    icc_where: str = ""
    cicp: tuple[int, int, int, int] | None = None
    srgb: bool = False
    gamma: float | None = None
    chromaticities: tuple[float, ...] | None = None
    linear: bool = False
    by_format: bool = False


@dataclass(frozen=True, kw_only=True)
class Head:
    """What a picture's header says; no pixel is decoded for it.

    Attributes
    ----------
    format : str
        Id of its format.
    width, height : int
        As stored, before it is turned upright.
    channels : int
        Alpha counted; colours of a palette as 3.
    bits : int
        Of a sample.
    model : str
        ``rgb``, ``gray``, ``cmyk`` or ``lab``.
    alpha : bool
        Whether it has transparent parts.
    pages : int
        Pictures of their own in the file; previews and maps are none.
    orientation : int
        1 to 8, as Exif numbers it: what stands between the stored picture and the upright one.
    colour : ColourSaid
    exif : ExifTree
    resolution : Resolution or None
    damage : tuple of str
        What is wrong with what is said beside the picture.
    layers : tuple of LayerFacts
        Of a layered picture, the topmost first.
    """

    format: str
    width: int
    height: int
    channels: int
    bits: int
    model: str
    alpha: bool = False
    pages: int = 1
    orientation: int = 1
    colour: ColourSaid = ColourSaid()
    exif: ExifTree = field(default_factory=ExifTree, repr=False)
    resolution: Resolution | None = None
    damage: tuple[str, ...] = ()
    layers: tuple[LayerFacts, ...] = ()


@dataclass(frozen=True)
class Samples:
    """Decoded samples as they are stored.

    Attributes
    ----------
    numbers : ndarray (H, W) or (H, W, n)
        Any integer or floating dtype; integers over the whole range of their dtype, CMYK as the amount of ink.
    model : str
    orientation : int
    extra : Extra
        Of the first channel beyond the model's.
    """

    numbers: NDArray[Any]
    model: str
    orientation: int = 1
    extra: Extra = Extra.SEPARATE


class Format(ABC):
    """A format of finished pictures.

    Attributes
    ----------
    kind : FormatKind
        How it is called and what it holds when written.
    holds : frozenset of type
        What it has a place for beside the picture (see `carrying.Target`).
    keywords : frozenset of str, or None
        Of the texts that it has a place for; None where any will do.
    retags : bool
        Whether its tag is replaced without writing the pixels anew.
    most_exif : int
    """

    kind: ClassVar[FormatKind]
    holds: ClassVar[frozenset[type]] = frozenset()
    keywords: ClassVar[frozenset[str] | None] = None
    retags: ClassVar[bool] = False
    most_exif: ClassVar[int] = 1 << 28
    #: How `tags` says where an embedded profile lies.
    icc_place: ClassVar[str] = ""

    @abstractmethod
    def recognises(self, head: bytes) -> bool:
        """Whether a file of this format begins with these bytes (64 of them, or the whole file)."""

    @abstractmethod
    def head(self, path: Path, page: int = 0) -> Head:
        """The header. Raises what readers raise: OSError, ValueError, struct.error, VelkinError."""

    @abstractmethod
    def decode(self, path: Path, page: int = 0) -> Samples:
        """The samples of one picture. Raises what decoders raise."""

    def decode_half(self, path: Path, page: int = 0) -> Samples | None:
        """The samples at half size, means of four pixels, of a picture that can be read so without decoding all of it; None of others. Raises what
        decoders raise."""
        return None

    @abstractmethod
    def parts(self, path: Path, page: int = 0) -> list[Part]:
        """Everything the file holds beside the pixels of the picture. Raises as `head`."""

    def stored_bits(self, bits: int) -> int:
        """The bits that a file says which was written from samples of so many."""
        return bits

    def encode(self, picture: Picture, icc: bytes | None, metadata: Metadata, coding: Coding) -> bytes:
        """A whole file. Raises NotSupported."""
        raise NotSupported(f"{self.kind.name} is read and not written; use TIFF, PNG or JPEG")

    def write(self, out: Path, picture: Picture, icc: bytes | None, metadata: Metadata, coding: Coding) -> None:
        """As `encode`, into a file. Raises NotSupported, OSError."""
        out.write_bytes(self.encode(picture, icc, metadata, coding))

    def retagged(self, data: bytes, icc: bytes, family: str, page: int = 0) -> bytes:
        """The file's bytes with another profile, every sample as it was. Raises NotSupported, ValueError, struct.error."""
        raise NotSupported(
            f"{self.kind.name} files cannot be given a tag without writing their pixels anew; write a TIFF or PNG"
        )


def exif_parts(tree: ExifTree, block: int) -> list[Part]:
    """Exif, its maker's note and its preview as parts; `block` is the length of all of it."""
    found: list[Part] = []
    note = len(tree.maker_note)
    if not tree.empty:
        found.append(Part("Exif", PartKind.METADATA, max(block - note - tree.thumbnail, 0), tree))
    if note:
        found.append(Part("maker's notes", PartKind.MAKER_NOTE, note, tree))
    if tree.thumbnail:
        found.append(Part("preview in Exif", PartKind.PREVIEW, tree.thumbnail))
    return found


def turned_by(tree: ExifTree, packet: bytes) -> int:
    """The orientation that Exif says, or else an XMP packet."""
    said = tree.image[ORIENTATION].numbers(tree.order) if ORIENTATION in tree.image else ()
    if said and 1 <= said[0] <= 8:
        return int(said[0])
    return orientation_of(packet)


def said_resolution(tree: ExifTree, otherwise: Resolution | None) -> Resolution | None:
    """What Exif says of resolution, or else the container itself."""
    return resolution_in(tree) or otherwise
