"""Writing whole or not at all: temporary file, fsync, then one atomic step to the final name."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Iterable
from pathlib import Path

from velkin.core.errors import OutputFailed, OutputRefused


def is_text_name(path: Path) -> bool:
    """Whether a path can be written as UTF-8; Linux allows names that cannot."""
    try:
        str(path).encode("utf-8")
    except UnicodeEncodeError:
        return False
    return True


def same_file(a: Path, b: Path) -> bool:
    """Whether two paths are the same file, also through links."""
    with contextlib.suppress(OSError):
        return os.path.samefile(a, b)
    return os.path.abspath(a) == os.path.abspath(b)


def refuse_output(out: Path, inputs: Iterable[Path], replace: bool) -> None:
    """Stop before work is done for an output that must not be written.

    Raises
    ------
    OutputRefused
        When it is one of the inputs, a folder, or there already and `replace` is not given.
    """
    for source in inputs:
        if same_file(out, source):
            raise OutputRefused("the output is the input itself; source files are never written", out)
    if out.is_dir():
        raise OutputRefused("the output is a folder", out)
    if os.path.lexists(out) and not replace:
        raise OutputRefused("there is a file of that name already; nothing was written", out)


def write_whole(out: Path, data: bytes, replace: bool) -> None:
    """Write a file under its final name only once all of it is on the disk.

    Raises
    ------
    OutputRefused
        When the name is taken and `replace` is False, also when it was taken a moment ago.
    OutputFailed
        When the folder is not there or not writable, or the disk is full; nothing is left behind.
    """
    temporary = ""
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{out.name[:40]}.", suffix=".part", dir=out.parent)
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            stream.flush()
            os.fsync(stream.fileno())
        os.chmod(temporary, 0o666 & ~_umask())
        if replace:
            os.replace(temporary, out)
        else:
            _link_new(temporary, out)
        temporary = ""
    except FileExistsError as error:
        raise OutputRefused("there is a file of that name already; nothing was written", out) from error
    except OSError as error:
        reason = {"No space left on device": "the disk is full"}.get(error.strerror or "", error.strerror or str(error))
        raise OutputFailed(f"could not be written into {out.parent} ({reason}); nothing was left there", out) from error
    finally:
        if temporary:
            with contextlib.suppress(OSError):
                os.unlink(temporary)


def _link_new(temporary: str, out: Path) -> None:
    try:
        os.link(temporary, out)
    except FileExistsError:
        raise
    except OSError:  # a file system without links
        if os.path.lexists(out):
            raise FileExistsError from None
        os.rename(temporary, out)
        return
    os.unlink(temporary)


def _umask() -> int:
    current = os.umask(0o022)
    os.umask(current)
    return current
