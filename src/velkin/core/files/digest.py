"""The hash by which a source is known again, wherever it lies."""

from __future__ import annotations

import hashlib
from pathlib import Path

from velkin.core.errors import UnreadableFile


def digest_of(path: Path) -> str:
    """BLAKE2 hash (RFC 7693, 16 bytes, hexadecimal) of a file's bytes. Raises UnreadableFile."""
    total = hashlib.blake2b(digest_size=16)
    try:
        with path.open("rb") as stream:
            while block := stream.read(1 << 20):
                total.update(block)
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror})", path) from error
    return total.hexdigest()
