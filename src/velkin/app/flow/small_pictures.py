"""Small pictures for thumbnails, in camera numbers or a finished picture's own, kept on disk by their source's hash, so that no file is decoded twice for them.

The folder lies in the user's cache and may be deleted at any time.
"""

from __future__ import annotations

import contextlib
import os
import tempfile
import threading
from collections import OrderedDict
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from platformdirs import user_cache_path

from velkin.core.conversion.codes import as_float

Pixels = NDArray[np.float32]

#: Longest edge in pixels.
EDGE = 192
#: Where they are kept; another name whenever they are made otherwise.
_FOLDER = "small-2"
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
            small = np.load(self._folder / f"{digest}.npy", allow_pickle=False)
        except (OSError, ValueError, EOFError):
            return None
        if small.dtype != np.float16 or small.ndim != 3 or not 1 <= small.shape[2] <= 4 or max(small.shape) > EDGE:
            return None
        self._remember(digest, small)
        return np.asarray(small, dtype=np.float32)

    def make(self, digest: str, decoded: NDArray[Any]) -> Pixels:
        """Make and keep the small picture of a half-size decode; a full disk only costs the keeping."""
        camera = as_float(decoded)
        scale = min(1.0, EDGE / max(camera.shape[:2]))
        size = (max(round(camera.shape[1] * scale), 1), max(round(camera.shape[0] * scale), 1))
        resized = np.asarray(cv2.resize(camera, size, interpolation=cv2.INTER_AREA))
        small = resized.reshape(size[1], size[0], -1).astype(np.float16)
        self._remember(digest, small)
        with contextlib.suppress(OSError):
            self._folder.mkdir(parents=True, exist_ok=True)
            with tempfile.NamedTemporaryFile(dir=self._folder, suffix=".part", delete=False) as partial:
                np.save(partial, small)
            os.replace(partial.name, self._folder / f"{digest}.npy")
        return np.asarray(small, dtype=np.float32)

    def prune(self) -> None:
        """Keep the folder within bounds: the files not used longest go."""
        with contextlib.suppress(OSError):
            files = sorted(self._folder.glob("*.npy"), key=lambda p: p.stat().st_mtime)
            for old in files[: max(len(files) - _ON_DISK, 0)]:
                old.unlink()

    def _remember(self, digest: str, small: NDArray[np.float16]) -> None:
        with self._lock:
            self._kept[digest] = small
            while len(self._kept) > _IN_MEMORY:
                self._kept.popitem(last=False)
