"""Small pictures for thumbnails, in camera numbers or a finished picture's own, kept on disk by their source's hash, so that no file is decoded twice for them.

The folder lies in the user's cache and may be deleted at any time. A file is its height, width and channels, little-endian, then the numbers:
NumPy's own files begin with a line of Python, and reading such lines in several threads at once can fail.
"""

from __future__ import annotations

import contextlib
import struct
import threading
from collections import OrderedDict
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from platformdirs import user_cache_path

from velkin.core.conversion.codes import as_float
from velkin.core.disk_cache import put
from velkin.core.sampling import reduced

Pixels = NDArray[np.float32]

#: Longest edge in pixels.
EDGE = 192
#: Where they are kept; another name whenever they are made otherwise.
_FOLDER = "small-3"
_SUFFIX = ".small"
_HEAD = struct.Struct("<3I")
_IN_MEMORY = 400
_ON_DISK = 20000


class SmallPictures:
    """Linear camera RGB, or a finished picture's numbers 0..1, at thumbnail size, by source hash. For worker threads."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or user_cache_path("velkin") / _FOLDER
        self._kept: OrderedDict[str, NDArray[np.float16]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, digest: str) -> Pixels | None:
        """The small picture of a source; None when it was not made yet."""
        with self._lock:
            if digest in self._kept:
                self._kept.move_to_end(digest)
                return self._kept[digest].astype(np.float32)
        try:
            data = self._file(digest).read_bytes()
        except OSError:
            return None
        if len(data) < _HEAD.size:
            return None
        height, width, channels = _HEAD.unpack_from(data)
        if not (1 <= channels <= 4 and max(height, width) <= EDGE and len(data) == _HEAD.size + 2 * height * width * channels):
            return None
        small = np.frombuffer(data, "<f2", offset=_HEAD.size).reshape(height, width, channels)
        self._remember(digest, small)
        return np.asarray(small, dtype=np.float32)

    def make(self, digest: str, decoded: NDArray[Any], keep: bool = True) -> Pixels:
        """Make the small picture of a half-size decode, and keep it; a full disk only costs the keeping.

        It is not kept where the file may be another than the one of that hash.
        """
        camera = as_float(reduced(decoded, (4 * EDGE, 4 * EDGE)))  # a large one would take its size twice as floats
        scale = min(1.0, EDGE / max(camera.shape[:2]))
        size = (max(round(camera.shape[1] * scale), 1), max(round(camera.shape[0] * scale), 1))
        resized = np.asarray(cv2.resize(camera, size, interpolation=cv2.INTER_AREA))
        small = resized.reshape(size[1], size[0], -1).astype(np.float16)
        if not keep:
            return np.asarray(small, dtype=np.float32)
        self._remember(digest, small)
        put(self._file(digest), _HEAD.pack(*small.shape) + small.astype("<f2").tobytes())
        return np.asarray(small, dtype=np.float32)

    def _file(self, digest: str) -> Path:
        return self._folder / f"{digest}{_SUFFIX}"

    def prune(self) -> None:
        """Keep the folder within bounds: the files not used longest go."""
        with contextlib.suppress(OSError):
            files = sorted(self._folder.glob(f"*{_SUFFIX}"), key=lambda p: p.stat().st_mtime)
            for old in files[: max(len(files) - _ON_DISK, 0)]:
                old.unlink()

    def _remember(self, digest: str, small: NDArray[np.float16]) -> None:
        with self._lock:
            self._kept[digest] = small
            while len(self._kept) > _IN_MEMORY:
                self._kept.popitem(last=False)
