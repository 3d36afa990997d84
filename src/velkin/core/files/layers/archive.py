"""An OpenRaster file as an archive of parts: a ZIP whose first entry says what it is.

Nothing is unpacked to disk, names lead nowhere but into the archive, and no entry is unpacked beyond what it declares and what is wanted.
"""

from __future__ import annotations

import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from velkin.core.errors import UnreadableFile
from velkin.core.files.limits import LARGEST

MIMETYPE = b"image/openraster"
STACK, MERGED, THUMBNAIL = "stack.xml", "mergedimage.png", "Thumbnails/thumbnail.png"
#: More entries than this, and more bytes of the stack's description, are refused.
_MOST_ENTRIES, _LONGEST_STACK = 20_000, 1 << 24
#: A part that declares more bytes than the largest picture could have is refused.
_LONGEST_PART = 10 * LARGEST
#: How a ZIP's first entry must lie: its name and contents at fixed places, so that a file is known by its first bytes (PKWARE APPNOTE 4.3.7).
_NAME_AT = 30
#: Ways of packing that Python unpacks a little at a time.
_PACKINGS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)


def is_openraster(head: bytes) -> bool:
    """Whether a file begins as the format demands (64 bytes of it)."""
    if head[:4] != b"PK\3\4" or head[_NAME_AT : _NAME_AT + 8] != b"mimetype":
        return False
    extra = int.from_bytes(head[28:30], "little")  # none is allowed, and some writers put one
    return head[_NAME_AT + 8 + extra :].startswith(MIMETYPE[: max(len(head) - _NAME_AT - 8 - extra, 1)])


class Archive:
    """The parts of one file; `close` it, or use it in a ``with``.

    Raises
    ------
    UnreadableFile
        When it is no sound archive.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            self._zip = zipfile.ZipFile(path)
        except (zipfile.BadZipFile, ValueError, NotImplementedError, UnicodeError) as error:
            raise UnreadableFile(f"the layered picture is damaged or cut short ({error})", path) from error
        entries = self._zip.infolist()
        if len(entries) > _MOST_ENTRIES:
            self._zip.close()
            raise UnreadableFile(
                f"the layered picture says it has {len(entries)} parts; more than {_MOST_ENTRIES} are refused", path
            )
        self._entries = {e.filename: e for e in entries}

    def __enter__(self) -> Archive:
        return self

    def __exit__(self, *_: object) -> None:
        self._zip.close()

    @property
    def sizes(self) -> dict[str, int]:
        """The parts by name, with the bytes that each takes in the file."""
        return {name: e.compress_size for name, e in self._entries.items() if not e.is_dir()}

    def holds(self, name: str) -> bool:
        """Whether there is such a part."""
        return name in self._entries

    @contextmanager
    def opened(self, name: str) -> Iterator[IO[bytes]]:
        """A part, to be read a little at a time. Raises UnreadableFile."""
        entry = self._entries.get(name)
        if entry is None:
            raise UnreadableFile(f"the layered picture lacks its part {name}", self.path)
        if entry.flag_bits & 1:
            raise UnreadableFile(f"the part {name} of the layered picture is encrypted", self.path)
        if entry.file_size > _LONGEST_PART:
            raise UnreadableFile(
                f"the part {name} of the layered picture says it has {entry.file_size} bytes, which is refused", self.path
            )
        if entry.compress_type not in _PACKINGS:
            raise UnreadableFile(
                f"the part {name} of the layered picture is packed in a way that the format does not know", self.path
            )
        try:
            with self._zip.open(entry) as stream:
                yield stream
        except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
            raise UnreadableFile(f"the part {name} of the layered picture is damaged ({error})", self.path) from error

    def stack(self) -> bytes:
        """The description of the stack. Raises UnreadableFile."""
        with self.opened(STACK) as stream:
            data = stream.read(_LONGEST_STACK + 1)
        if len(data) > _LONGEST_STACK:
            raise UnreadableFile(f"its {STACK} has more than {_LONGEST_STACK >> 20} MB, which is refused", self.path)
        return data
