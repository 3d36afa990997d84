"""The structure of TIFF: header, directories, entries; read with bounds, so that nothing in a file can make it run on (TIFF 6.0, BigTIFF).

Exif, multi-picture indexes and most raw files have the same structure.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass, field
from io import BytesIO
from typing import BinaryIO

#: Bytes of one value of each type: BYTE, ASCII, SHORT, LONG, RATIONAL, SBYTE, UNDEFINED, SSHORT, SLONG, SRATIONAL, FLOAT, DOUBLE,
#: IFD, and LONG8, SLONG8, IFD8 of BigTIFF.
SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4, 16: 8, 17: 8, 18: 8}
_LETTERS = {1: "B", 3: "H", 4: "I", 6: "b", 7: "B", 8: "h", 9: "i", 11: "f", 12: "d", 13: "I", 16: "Q", 17: "q", 18: "Q"}
#: More directories than this, or entries in one, are not followed.
_MOST_DIRECTORIES = 65536
_MOST_ENTRIES = 4096
#: Values of more bytes than this are not read into memory.
_LONGEST = 1 << 28


class NoTIFF(ValueError):
    """What was to be read has not the structure of TIFF."""


@dataclass(frozen=True)
class Entry:
    """One entry of a directory.

    Attributes
    ----------
    tag, type, count : int
    at : int
        Where its value begins, in the file.
    bytes : int
        Length of its value.
    """

    tag: int
    type: int
    count: int
    at: int
    bytes: int


@dataclass(frozen=True)
class Directory:
    """An image file directory: where it begins, its entries by tag, where the next begins (0: nowhere), and where that stands."""

    at: int
    entries: dict[int, Entry] = field(default_factory=dict)
    following: int = 0
    end: int = 0


class Structure:
    """A TIFF structure to be read.

    Parameters
    ----------
    source : bytes or binary stream
    start : int
        Where it begins in a stream; all its offsets count from there.

    Raises
    ------
    NoTIFF
        When its header is none.
    """

    def __init__(self, source: bytes | BinaryIO, start: int = 0) -> None:
        self._stream: BinaryIO = BytesIO(source) if isinstance(source, (bytes, bytearray)) else source
        self._start = start
        self._stream.seek(0, 2)
        self.size = self._stream.tell() - start
        head = self._take(0, 16)
        self.order = {b"II": "<", b"MM": ">"}.get(head[:2], "")
        if not self.order or len(head) < 8:
            raise NoTIFF("no TIFF header")
        version = struct.unpack(self.order + "H", head[2:4])[0]
        self.big = version == 43
        if self.big and (len(head) < 16 or struct.unpack(self.order + "HH", head[4:8]) != (8, 0)):
            raise NoTIFF("a BigTIFF header of another kind")
        self.pointer = "Q" if self.big else "I"
        self.first = int(struct.unpack_from(self.order + self.pointer, head, 8 if self.big else 4)[0])

    def _take(self, at: int, count: int) -> bytes:
        self._stream.seek(self._start + at)
        return self._stream.read(count)

    def directory(self, at: int) -> Directory:
        """The directory that begins at an offset. Raises NoTIFF when there is none."""
        count_form, size, form = ("Q", 20, "HHQ") if self.big else ("H", 12, "HHI")
        lead = struct.calcsize(count_form)
        if not 0 < at <= self.size - lead:
            raise NoTIFF(f"a directory at {at}, beyond its end")
        count = struct.unpack(self.order + count_form, self._take(at, lead))[0]
        if count > _MOST_ENTRIES:
            raise NoTIFF(f"a directory of {count} entries")
        rows = self._take(at + lead, count * size)
        inline = 8 if self.big else 4
        entries: dict[int, Entry] = {}
        for i in range(len(rows) // size):
            tag, kind, number = struct.unpack_from(self.order + form, rows, i * size)
            length = SIZES.get(kind, 0) * number
            value_at = at + lead + i * size + size - inline
            if length > inline:
                value_at = struct.unpack_from(self.order + self.pointer, rows, i * size + size - inline)[0]
            entries.setdefault(tag, Entry(tag, kind, number, value_at, length))
        tail = self._take(at + lead + count * size, inline)
        following = struct.unpack(self.order + self.pointer, tail)[0] if len(tail) == inline else 0
        return Directory(at, entries, following, at + lead + count * size)

    def chain(self, first: int | None = None) -> Iterator[Directory]:
        """The directories of a chain; one that is damaged, or leads back, ends it."""
        at, seen = self.first if first is None else first, set[int]()
        while at and at not in seen and len(seen) < _MOST_DIRECTORIES:
            seen.add(at)
            try:
                found = self.directory(at)
            except (NoTIFF, struct.error, OSError, OverflowError):
                return
            yield found
            at = found.following

    def bytes_at(self, at: int, most: int) -> bytes:
        """Bytes at a place, as many as there are up to a number."""
        return self._take(at, most) if 0 <= at < self.size else b""

    def rows(self, directory: Directory) -> bytes:
        """The rows of a directory as they stand."""
        at = directory.at + (8 if self.big else 2)
        return self._take(at, directory.end - at)

    def value(self, entry: Entry | None) -> bytes:
        """The bytes of a value as they stand; shorter where the file ends before, empty where there is none."""
        if entry is None or not 0 <= entry.at < self.size or entry.bytes > _LONGEST:
            return b""
        return self._take(entry.at, entry.bytes)

    def numbers(self, entry: Entry | None, most: int = 4096) -> tuple[float, ...]:
        """The first numbers of a value, rationals divided (over zero: 0); empty where it holds none."""
        if entry is None:
            return ()
        part = Entry(entry.tag, entry.type, entry.count, entry.at, min(entry.bytes, most * SIZES.get(entry.type, 1)))
        return numbers_in(self.value(part), entry.type, self.order)

    def number(self, directory: Directory, tag: int, otherwise: int = 0) -> int:
        """The first number of a tag as a whole one."""
        found = self.numbers(directory.entries.get(tag), 1)
        return int(found[0]) if found else otherwise


def numbers_in(data: bytes, kind: int, order: str) -> tuple[float, ...]:
    """The numbers of a value's bytes; empty for text and unknown types."""
    if kind in (5, 10):
        pairs = struct.iter_unpack(order + ("II" if kind == 5 else "ii"), data[: len(data) // 8 * 8])
        return tuple(a / b if b else 0.0 for a, b in pairs)
    letter = _LETTERS.get(kind)
    if letter is None:
        return ()
    size = SIZES[kind]
    return struct.unpack(f"{order}{len(data) // size}{letter}", data[: len(data) // size * size])


def is_tiff(head: bytes) -> bool:
    """Whether a file's first bytes are those of a TIFF or BigTIFF."""
    return head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")
