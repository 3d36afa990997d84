"""The rows of a PNG from the top down, some at a time, so that many large layers are read at once without being held.

PNGs of 8 and 16 bits a channel that are not interlaced are undone here, row by row (W3C PNG, third edition, sections 9 and 10); all others
are decoded by the library as a whole, and kept.
"""

from __future__ import annotations

import struct
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.compiled import exact_loop
from velkin.core.errors import UnreadableFile
from velkin.core.files.limits import check_size
from velkin.core.files.signatures import PNG_HEAD

_CHANNELS = {0: 1, 2: 3, 4: 2, 6: 4}
#: Bytes of packed rows that are taken at once.
_GULP = 1 << 18
#: Bytes that a PNG may have beside its pixels.
_BESIDE = 1 << 26


@dataclass(frozen=True)
class PNGShape:
    """What the first chunk says: size, bits of a channel, colour type, and whether it is interlaced."""

    width: int
    height: int
    depth: int
    kind: int
    interlaced: bool


def shape_of(stream: IO[bytes], path: Path, what: str) -> PNGShape:
    """The shape of a PNG, from its first bytes. Raises UnreadableFile."""
    head = stream.read(29)
    if head[:8] != PNG_HEAD or head[12:16] != b"IHDR" or len(head) < 29:
        raise UnreadableFile(f"{what} is no PNG, and nothing else is allowed there", path)
    width, height, depth, kind, _packing, _filter, interlace = struct.unpack(">IIBBBBB", head[16:29])
    check_size(width, height, path)
    return PNGShape(width, height, depth, kind, bool(interlace))


class PNGRows:
    """The rows of a PNG as red, green, blue and alpha.

    Parameters
    ----------
    stream : binary file
        At the PNG's first byte; stays open while rows are read.
    path : Path
        Of the file, for messages.
    what : str
        What this is, for messages.

    Raises
    ------
    UnreadableFile
    """

    def __init__(self, stream: IO[bytes], path: Path, what: str) -> None:
        self._stream, self._path, self._what = stream, path, what
        self.shape = shape_of(stream, path, what)
        stream.read(4)  # its checksum
        s = self.shape
        self._whole: NDArray[Any] | None = None
        self._next = 0
        self._left_in_chunk = 0
        self._packed = zlib.decompressobj()
        self._waiting = b""
        self._channels = _CHANNELS.get(s.kind, 0)
        if s.interlaced or s.depth not in (8, 16) or not self._channels or not self._at_rows():
            self._whole = self._decoded()
        self.dtype = np.dtype(
            np.uint16 if (self._whole.dtype == np.uint16 if self._whole is not None else s.depth == 16) else np.uint8
        )
        self._line = s.width * self._channels * max(s.depth // 8, 1)
        self._above: NDArray[np.uint8] = np.zeros(self._line if self._whole is None else 0, dtype=np.uint8)

    def read(self, first: int, last: int) -> NDArray[Any]:
        """Rows `first` up to `last` as (rows, width, 4), uint8 or uint16; never rows above those that were read before.

        Raises
        ------
        UnreadableFile
        """
        if self._whole is not None:
            return self._whole[first:last]
        while self._next < first:  # in steps, so that what is passed over takes no memory
            self._rows(min(first - self._next, 64))
        return self._in_four(self._rows(last - first))

    # ---- as a whole -------------------------------------------------------------------------------------------

    def _decoded(self) -> NDArray[Any]:
        import imagecodecs

        from velkin.core.files.formats.png import bare

        most = self.shape.width * self.shape.height * 8 + _BESIDE
        self._stream.seek(0)
        data = self._stream.read(most + 1)
        if len(data) > most:
            raise UnreadableFile(f"{self._what} has far more bytes than pixels, which is refused", self._path)
        try:
            pixels = np.asarray(imagecodecs.png_decode(bare(data)))
        except Exception as error:  # the decoder raises what it likes on damaged files
            raise UnreadableFile(f"{self._what} is damaged or cut short", self._path) from error
        return in_four(pixels if pixels.ndim == 3 else pixels[..., None])

    # ---- row by row -------------------------------------------------------------------------------------------

    def _at_rows(self) -> bool:
        """Go to the first packed row; false where a colour is declared transparent, which the library undoes."""
        while True:
            lead = self._stream.read(8)
            if len(lead) < 8:
                raise UnreadableFile(f"{self._what} is cut short", self._path)
            length, name = struct.unpack(">I4s", lead)
            if name == b"IDAT":
                self._left_in_chunk = length
                return True
            if name == b"tRNS":
                return False
            self._stream.seek(length + 4, 1)

    def _gulp(self) -> bytes:
        """Some more packed bytes; none after the last. Checksums of chunks are left to that of the packed rows (RFC 1950)."""
        while self._left_in_chunk == 0:
            tail = self._stream.read(12)
            if len(tail) < 12 or tail[8:] != b"IDAT":
                return b""
            self._left_in_chunk = int.from_bytes(tail[4:8], "big")
        data = self._stream.read(min(self._left_in_chunk, _GULP))
        if not data:
            return b""
        self._left_in_chunk -= len(data)
        return data

    def _unpacked(self, count: int) -> bytearray:
        found = bytearray()
        try:
            while len(found) < count:
                if not self._waiting:
                    self._waiting = self._gulp()
                    if not self._waiting:
                        raise UnreadableFile(f"{self._what} is cut short", self._path)
                found += self._packed.decompress(self._waiting, count - len(found))
                self._waiting = self._packed.unconsumed_tail
                if self._packed.eof and len(found) < count:
                    raise UnreadableFile(f"{self._what} is cut short", self._path)
        except zlib.error as error:
            raise UnreadableFile(f"{self._what} is damaged ({error})", self._path) from error
        return found

    def _rows(self, count: int) -> NDArray[np.uint8]:
        """The next rows, their filters undone: (count, bytes of a row)."""
        data = np.frombuffer(self._unpacked(count * (self._line + 1)), dtype=np.uint8)
        raw = data.reshape(count, self._line + 1)
        if raw[:, 0].max(initial=0) > 4:
            raise UnreadableFile(f"{self._what} is damaged (a row of unknown kind)", self._path)
        _undo_filters(data, self._above, self._line, self._channels * (self.shape.depth // 8))
        self._next += count
        self._above = raw[-1, 1:].copy()
        return raw[:, 1:]

    def _in_four(self, raw: NDArray[np.uint8]) -> NDArray[Any]:
        rows = np.ascontiguousarray(raw)
        pixels: NDArray[Any] = rows.view(">u2").astype(np.uint16) if self.shape.depth == 16 else rows
        return in_four(pixels.reshape(len(raw), self.shape.width, self._channels))


def in_four(pixels: NDArray[Any]) -> NDArray[Any]:
    """Gray, gray with alpha, RGB or RGB with alpha (h, w, 1..4) as red, green, blue and alpha."""
    channels = pixels.shape[2]
    if channels == 4:
        return pixels
    out = np.empty((*pixels.shape[:2], 4), dtype=pixels.dtype)
    out[..., :3] = pixels[..., :3] if channels == 3 else pixels[..., :1]
    out[..., 3] = np.iinfo(pixels.dtype).max if channels in (1, 3) else pixels[..., 1]
    return out


@exact_loop("u1:1 u1:1 i8 i8")
def _undo_filters(rows: Any, above: Any, line: int, step: int) -> None:
    """Undo the filters of rows in place (section 9.2).

    `rows` are the bytes of rows one after the other, each with its kind of filter before its `line` bytes; `above` are those of the row
    before them, `step` is the bytes of a pixel.
    """
    for at in range(0, len(rows), line + 1):
        kind, row = rows[at], rows[at + 1 : at + 1 + line]
        up = rows[at - line : at] if at > 0 else above
        if kind == 1:
            for j in range(step, line):
                row[j] = (np.int64(row[j]) + np.int64(row[j - step])) & 255
        elif kind == 2:
            for j in range(line):
                row[j] = (np.int64(row[j]) + np.int64(up[j])) & 255
        elif kind == 3:
            for j in range(step):
                row[j] = (np.int64(row[j]) + np.int64(up[j]) // 2) & 255
            for j in range(step, line):
                row[j] = (np.int64(row[j]) + (np.int64(row[j - step]) + np.int64(up[j])) // 2) & 255
        elif kind == 4:
            for j in range(step):
                row[j] = (np.int64(row[j]) + np.int64(up[j])) & 255
            for j in range(step, line):
                a, b, c = np.int64(row[j - step]), np.int64(up[j]), np.int64(up[j - step])
                from_left, from_up, from_corner = abs(b - c), abs(a - c), abs(a + b - c - c)
                nearest = a if from_left <= from_up and from_left <= from_corner else b if from_up <= from_corner else c
                row[j] = (np.int64(row[j]) + nearest) & 255
