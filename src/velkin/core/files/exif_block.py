"""Exif as a tree of values, read from wherever it lies and written as a TIFF structure (Exif 2.32 / CIPA DC-008; TIFF 6.0).

Values are carried as their bytes, in the byte order they came in. Makers' notes are private structures whose offsets mostly count from
the beginning of the whole: the note is written where it lay, and everything else round it, so that it means what it meant.
"""

from __future__ import annotations

import struct
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from io import BytesIO

from velkin.core.files import tiff_fields
from velkin.core.files.tiff_structure import SIZES, Directory, Entry, NoTIFF, Structure, numbers_in

#: Tags that lead to other directories.
EXIF_IFD, GPS_IFD, INTEROP_IFD, SUB_IFDS = 34665, 34853, 40965, 330
MAKER_NOTE = 37500
ORIENTATION, X_RESOLUTION, Y_RESOLUTION, RESOLUTION_UNIT = 274, 282, 283, 296
COLOUR_SPACE, PIXEL_X, PIXEL_Y = 40961, 40962, 40963
_INTEROP_INDEX = 1
#: A note that lay further on than this is written where there is room.
_FURTHEST = 1 << 20
#: So many bytes behind a note are looked at for what it refers to.
_BEYOND = 1 << 15


@dataclass(frozen=True)
class Value:
    """One value: TIFF type, count, and its bytes in the byte order of its tree."""

    type: int
    count: int
    data: bytes

    def numbers(self, order: str) -> tuple[float, ...]:
        """Its numbers, rationals divided; empty for text."""
        return numbers_in(self.data, self.type, order)

    def text(self) -> str:
        """Its text, to the first null."""
        return self.data.split(b"\0")[0].decode("utf-8", "replace").strip()


@dataclass(frozen=True)
class ExifTree:
    """Exif values by tag.

    Attributes
    ----------
    order : ``<`` or ``>``
        Byte order of the values, as `struct` writes it.
    image, photo, gps, interop : mapping of int to Value
        The primary directory and those it leads to.
    maker_at : int
        Where the maker's note lay from the beginning of the structure; 0 where it has none.
    beyond : bytes
        What lay behind the note, which some notes refer to; carried with it where they do.
    thumbnail : int
        Bytes of the preview in the second directory, which is not part of the tree.
    """

    order: str = "<"
    image: Mapping[int, Value] = field(default_factory=dict)
    photo: Mapping[int, Value] = field(default_factory=dict)
    gps: Mapping[int, Value] = field(default_factory=dict)
    interop: Mapping[int, Value] = field(default_factory=dict)
    maker_at: int = 0
    beyond: bytes = b""
    thumbnail: int = 0

    def short(self, number: int) -> Value:
        """A SHORT."""
        return Value(3, 1, struct.pack(self.order + "H", number))

    def long(self, number: int) -> Value:
        """A LONG."""
        return Value(4, 1, struct.pack(self.order + "I", number))

    def rational(self, number: float) -> Value:
        """A RATIONAL, exact to a hundredth."""
        return Value(5, 1, struct.pack(self.order + "II", round(number * 100), 100))

    @property
    def maker_note(self) -> bytes:
        """The maker's note as it is; empty where there is none."""
        note = self.photo.get(MAKER_NOTE)
        return note.data if note is not None else b""

    def without_note(self) -> ExifTree:
        """The same without the maker's note."""
        return replace(self, photo={t: v for t, v in self.photo.items() if t != MAKER_NOTE}, maker_at=0, beyond=b"")

    @property
    def empty(self) -> bool:
        """Whether it says nothing."""
        return not (self.image or self.photo or self.gps)


def read_block(block: bytes) -> ExifTree:
    """Exif of a block as it lies in JPEG, PNG, WebP and others. Raises NoTIFF."""
    structure = Structure(block)
    return tree_of(structure, structure.directory(structure.first))


def tree_of(structure: Structure, directory: Directory) -> ExifTree:
    """Exif of a directory and those it leads to; what is damaged in them is left out."""
    image = _values(structure, directory)
    parts: dict[int, dict[int, Value]] = {}
    places: dict[int, Directory] = {}
    inner = directory
    for tag in (EXIF_IFD, GPS_IFD, INTEROP_IFD):
        inner = places.get(EXIF_IFD, directory) if tag == INTEROP_IFD else directory
        at = structure.number(inner, tag)
        if not at:
            continue
        try:
            places[tag] = structure.directory(at)
        except (NoTIFF, struct.error):
            continue
        parts[tag] = _values(structure, places[tag])
    note = places[EXIF_IFD].entries.get(MAKER_NOTE) if EXIF_IFD in places else None
    pointers = (EXIF_IFD, GPS_IFD, SUB_IFDS)
    at = note.at if note is not None and note.bytes > 4 and MAKER_NOTE in parts[EXIF_IFD] else 0
    return ExifTree(
        structure.order,
        {t: v for t, v in image.items() if t not in pointers},
        {t: v for t, v in parts.get(EXIF_IFD, {}).items() if t != INTEROP_IFD},
        parts.get(GPS_IFD, {}),
        parts.get(INTEROP_IFD, {}),
        at,
        structure.bytes_at(note.at + note.bytes, _BEYOND) if note is not None and at else b"",
        _thumbnail(structure, directory),
    )


#: Of a TIFF's own directory: where its pixels lie.
_PIXELS = frozenset(
    (
        tiff_fields.STRIPS,
        tiff_fields.STRIP_BYTES,
        tiff_fields.TILES,
        tiff_fields.TILE_BYTES,
        tiff_fields.FREE,
        tiff_fields.FREE_BYTES,
    )
)


def _values(structure: Structure, directory: Directory) -> dict[int, Value]:
    found: dict[int, Value] = {}
    for tag, entry in directory.entries.items():
        if entry.type not in SIZES or tag in _PIXELS:
            continue
        data = structure.value(entry)
        if len(data) == entry.bytes:
            found[tag] = Value(entry.type, entry.count, data)
    return found


def _thumbnail(structure: Structure, directory: Directory) -> int:
    try:
        second = structure.directory(directory.following)
    except (NoTIFF, struct.error):
        return 0
    return structure.number(second, tiff_fields.JPEG_BYTES)


# ---- writing ------------------------------------------------------------------------------------------------------


class _Room:
    """Places in a structure: one after the other, round the place that is taken."""

    def __init__(self, first: int, taken: tuple[int, int]) -> None:
        self.at = first
        self._from, self._to = taken

    def place(self, length: int) -> int:
        at = self.at + self.at % 2
        if at < self._to and at + length > self._from:
            at = self._to + self._to % 2
        self.at = at + length
        return at


def written(tree: ExifTree, *, big: bool = False, following: int = 0) -> bytes:
    """A tree as a TIFF structure: header, directories, values; the maker's note where it lay, where that can be.

    Parameters
    ----------
    big : bool
        As BigTIFF.
    following : int
        Where the next directory of the chain begins.
    """
    pointer, lead, row, inline, header = ("Q", "Q", 20, 8, 16) if big else ("I", "H", 12, 4, 8)
    lead_size = struct.calcsize("<" + lead)

    def directory_size(values: Mapping[int, Value], pointers: int) -> int:
        return lead_size + row * (len(values) + pointers) + inline

    has_photo = bool(tree.photo or tree.interop)
    sizes = [
        directory_size(tree.image, has_photo + bool(tree.gps)),
        directory_size(tree.photo, bool(tree.interop)) if has_photo else 0,
        directory_size(tree.gps, 0) if tree.gps else 0,
        directory_size(tree.interop, 0) if tree.interop else 0,
    ]
    note = tree.maker_note
    fits = note and len(note) > inline and header + 6 <= tree.maker_at <= _FURTHEST
    room = _Room(header, (tree.maker_at, tree.maker_at + len(note) + len(tree.beyond)) if fits else (0, 0))
    image_at, photo_at, gps_at, interop_at = (room.place(size) for size in sizes)
    out = BytesIO()
    out.write({"<": b"II", ">": b"MM"}[tree.order])
    out.write(struct.pack(tree.order + ("HHHQ" if big else "HI"), *((43, 8, 0, image_at) if big else (42, image_at))))

    def directory(at: int, values: Mapping[int, Value], pointers: Iterable[tuple[int, int]], then: int = 0) -> None:
        rows = {tag: Value(16 if big else 4, 1, struct.pack(tree.order + pointer, to)) for tag, to in pointers}
        everything = sorted({**values, **rows}.items())
        out.seek(at)
        out.write(struct.pack(tree.order + lead, len(everything)))
        at += lead_size
        for tag, value in everything:
            cell = value.data.ljust(inline, b"\0")
            if len(value.data) > inline:
                pinned = fits and tag == MAKER_NOTE and values is tree.photo
                place = tree.maker_at if pinned else room.place(len(value.data))
                out.seek(place)
                out.write(value.data + tree.beyond if pinned else value.data)
                cell = struct.pack(tree.order + pointer, place)
            out.seek(at)
            out.write(struct.pack(tree.order + ("HHQ" if big else "HHI"), tag, value.type, value.count) + cell)
            at += row
        out.seek(at)
        out.write(struct.pack(tree.order + pointer, then))

    links = [(EXIF_IFD, photo_at)] * has_photo + [(GPS_IFD, gps_at)] * bool(tree.gps)
    directory(image_at, tree.image, links, following)
    if has_photo:
        directory(photo_at, tree.photo, [(INTEROP_IFD, interop_at)] * bool(tree.interop))
    if tree.gps:
        directory(gps_at, tree.gps, ())
    if tree.interop:
        directory(interop_at, tree.interop, ())
    return out.getvalue()


# ---- agreeing with a tag ------------------------------------------------------------------------------------------


def agreeing(block: bytes, family: str) -> bytes:
    """An Exif block whose ColorSpace and interoperability index, where there, agree with a space; nothing in it moves.

    Parameters
    ----------
    family : str
        Id of the built-in space that the picture's profile equals: ``srgb``, ``oprgb``, or another.
    """
    out = bytearray(block)
    try:
        structure = Structure(block)
        agree_in(out, structure, structure.number(structure.directory(structure.first), EXIF_IFD), family)
    except (NoTIFF, struct.error):
        return block
    return bytes(out)


def agree_in(out: bytearray, structure: Structure, photo_at: int, family: str) -> None:
    """As `agreeing`, in the bytes of a whole file, for the Exif directory at a place. Raises NoTIFF, struct.error."""
    photo = structure.directory(photo_at)
    space = photo.entries.get(COLOUR_SPACE)
    if space is not None:
        struct.pack_into(structure.order + "H", out, space.at, colour_space_of(family))
    inner = structure.number(photo, INTEROP_IFD)
    index: Entry | None = structure.directory(inner).entries.get(_INTEROP_INDEX) if inner else None
    if index is not None and index.bytes == 4:
        out[index.at : index.at + 4] = interoperability_of(family) or b"\0\0\0\0"


def colour_space_of(family: str) -> int:
    """Exif ColorSpace: 1 for sRGB, 65535 (uncalibrated) for everything else."""
    return 1 if family == "srgb" else 65535


def interoperability_of(family: str) -> bytes:
    """Exif's InteroperabilityIndex: R98 for sRGB, R03 for opRGB; empty for spaces that it has no name for."""
    return {"srgb": b"R98\0", "oprgb": b"R03\0"}.get(family, b"")
