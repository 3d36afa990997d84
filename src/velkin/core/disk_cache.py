"""Results that take a while to make, kept on the disk for the next start: tables of profiles, and what was measured of them.

They lie in the user's cache folder (`velkin/tables`) and may be deleted at any time. Each is known by the function that made it, by what it was
asked, and by the versions of the program and of the library that had a part in it; one that is damaged is made anew.
"""

from __future__ import annotations

import contextlib
import dataclasses
import functools
import hashlib
import io
import os
import tempfile
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from velkin import __version__

_F = TypeVar("_F", bound=Callable[..., Any])

#: Bytes that the folder of tables may take, and one of bytes that are kept by name; the oldest go first.
_LARGEST, _LARGEST_OF_BYTES = 400_000_000, 40_000_000
#: Raised when what is kept is laid out or made in another way.
_LAYOUT = 2


@lru_cache(maxsize=1)
def _folder() -> Path:
    import imagecodecs
    from platformdirs import user_cache_path

    made_by = f"{_LAYOUT}-{__version__}-{imagecodecs.__version__}".replace("/", "-")
    return user_cache_path("velkin") / "tables" / made_by


def kept_on_disk(kind: type) -> Callable[[_F], _F]:
    """A function whose results are kept on the disk, by the `repr` of its arguments, which must tell all of them apart.

    Parameters
    ----------
    kind : type
        Of the results: ``float``, ``tuple`` (of floats), or a dataclass of arrays, numbers and text.
    """

    def keeping(function: _F) -> _F:
        @functools.wraps(function)
        def asked(*arguments: Any) -> Any:
            digest = hashlib.sha256(repr(arguments).encode()).hexdigest()[:32]
            path = _folder() / f"{function.__name__.strip('_')}-{digest}.npz"
            found = _read(path, kind)
            if found is None:
                found = function(*arguments)
                _write(path, found)
            return found

        return asked  # type: ignore[return-value]

    return keeping


def _read(path: Path, kind: type) -> Any:
    from zipfile import BadZipFile

    try:
        with np.load(path, allow_pickle=False) as data:
            if kind is float:
                return float(data["value"])
            if kind is tuple:
                return tuple(float(v) for v in data["value"])
            values = {}
            for f in dataclasses.fields(kind):
                value = data[f.name]
                values[f.name] = value if value.ndim else value.item()
            return kind(**values)
    except (OSError, ValueError, KeyError, TypeError, EOFError, BadZipFile):
        return None


def _write(path: Path, value: Any) -> None:
    values = (
        {f.name: getattr(value, f.name) for f in dataclasses.fields(value)}
        if dataclasses.is_dataclass(value)
        else {"value": value}
    )
    stream = io.BytesIO()
    np.savez(stream, **values)
    if put(path, stream.getvalue()):
        _prune(path.parent.parent, _LARGEST)


def keep_bytes(path: Path, data: bytes) -> bool:
    """Keep bytes under a name, with a digest that tells whether they are whole; ``False`` where the disk takes none."""
    kept = put(path, hashlib.sha256(data).digest() + data)
    if kept:
        _prune(path.parent, _LARGEST_OF_BYTES)
    return kept


def kept_bytes(path: Path) -> bytes | None:
    """Bytes that were kept under a name, or ``None`` where there are none, or none that are whole."""
    try:
        digest, data = (found := path.read_bytes())[:32], found[32:]
    except OSError:
        return None
    return data if hashlib.sha256(data).digest() == digest else None


def put(path: Path, data: bytes) -> bool:
    """Write whole or not at all, and whether it was; a disk that takes none costs nothing but time."""
    temporary = ""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(suffix=".part", dir=path.parent)
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
        os.replace(temporary, path)
        return True
    except OSError:
        if temporary:
            with contextlib.suppress(OSError):
                os.unlink(temporary)
        return False


def _prune(folder: Path, largest: int) -> None:
    files = []
    for root, _, names in os.walk(folder):
        for name in names:
            with contextlib.suppress(OSError):
                at = os.stat(os.path.join(root, name))
                files.append((at.st_mtime, at.st_size, os.path.join(root, name)))
    total = sum(size for _, size, _ in files)
    for _, size, path in sorted(files):
        if total <= largest:
            return
        with contextlib.suppress(OSError):
            os.unlink(path)
            total -= size
