"""Writing whole or not at all: temporary file, fsync, then one atomic step to the final name."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Iterable, Iterator
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
    with being_written(out) as temporary:
        temporary.write_bytes(data)
        publish(temporary, out, replace)


def write_named(folder: Path, stem: str, suffix: str, data: bytes) -> Path:
    """Write a file into a folder under a name, with a number where others have it; where the very same is there already, that one.

    Raises
    ------
    OutputRefused
        When a thousand files have the name.
    OutputFailed
        As `write_whole`.
    """
    for number in range(1, 1000):
        out = folder / (f"{stem}{suffix}" if number == 1 else f"{stem} {number}{suffix}")
        try:
            write_whole(out, data, False)
        except OutputRefused:
            if out.read_bytes() == data:
                return out
            continue
        return out
    raise OutputRefused("there are a thousand files of that name already", folder / stem)


@contextlib.contextmanager
def being_written(out: Path, token: str = "") -> Iterator[Path]:
    """A hidden file next to the final one to write into; what is left of it at the end is removed.

    Parameters
    ----------
    token : str
        Stands in its name, by which a run finds what it left behind when it was killed (`left_behind`).

    Raises
    ------
    OutputRefused
        When the final name was taken a moment ago.
    OutputFailed
        When the folder is not there or not writable, or the disk is full; nothing is left behind.
    """
    temporary: Path | None = None
    try:
        handle, name = tempfile.mkstemp(prefix=f".{out.name[:40]}.", suffix=f"{token}.part", dir=out.parent)
        os.close(handle)
        temporary = Path(name)
        yield temporary
    except FileExistsError as error:
        raise OutputRefused("there is a file of that name already; nothing was written", out) from error
    except OSError as error:
        reason = {"No space left on device": "the disk is full"}.get(error.strerror or "", error.strerror or str(error))
        raise OutputFailed(f"could not be written into {out.parent} ({reason}); nothing was left there", out) from error
    finally:
        if temporary is not None:
            with contextlib.suppress(OSError):
                temporary.unlink()


def publish(temporary: Path, out: Path, replace: bool) -> None:
    """Bring a finished file to the disk and under its final name, in one step. Raises OSError; FileExistsError when it is taken."""
    with temporary.open("rb") as stream:
        os.fsync(stream.fileno())
    os.chmod(temporary, 0o666 & ~_umask())
    if replace:
        os.replace(temporary, out)
    else:
        link_new(temporary, out)
    settle_folder(out.parent)


def settle_folder(folder: Path) -> None:
    """Bring the names in a folder onto the disk, so that a file that was vouched for is there after a power cut (fsync(2), notes).

    File systems that cannot do it for a folder are left to bring them there in their own time.
    """
    with contextlib.suppress(OSError):
        descriptor = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)


def left_behind(folder: Path, token: str) -> list[Path]:
    """Files that a killed run left half written in a folder."""
    try:
        return [p for p in folder.iterdir() if p.name.startswith(".") and p.name.endswith(f"{token}.part")]
    except OSError:
        return []


def link_new(temporary: Path, out: Path) -> None:
    """Give a file its final name, in one step, unless the name is taken (FileExistsError). Raises OSError."""
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
