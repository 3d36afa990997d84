"""What the command line says: one JSON document or a short report, and how things go wrong."""

from __future__ import annotations

import json
import re
import sys
from typing import Any

#: How Python holds a byte of a name that is no UTF-8.
_BYTE = re.compile("[\udc80-\udcff]")


class Wrong(Exception):
    """Wrong use of the command line."""


def say(text: str) -> None:
    """Progress and messages go to standard error."""
    print(text, file=sys.stderr, flush=True)


def fail(error: Exception, as_json: bool) -> None:
    """Say what went wrong and to which file, on standard error and, where asked for, as JSON."""
    file = getattr(error, "file", None) or getattr(error, "filename", None)
    if as_json:
        print_json({"error": getattr(error, "message", str(error)), "file": str(file) if file else None})
    say(str(error))


def print_json(document: Any) -> None:
    """Print one JSON document, UTF-8."""
    text = json.dumps(document, ensure_ascii=False, indent=1, allow_nan=False)
    # the bytes of a file name that is no UTF-8 are spelled out, so that the document is valid Unicode all through
    sys.stdout.buffer.write(
        _BYTE.sub(lambda m: f"\\\\x{ord(m.group(0)) - 0xDC00:02x}", text).encode("utf-8", "replace") + b"\n"
    )
    sys.stdout.buffer.flush()
