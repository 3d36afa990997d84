"""Decoded sources, kept for the next who asks."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from numpy.typing import NDArray

from velkin.core.cache import Cache, file_stamp
from velkin.core.sampling import spread
from velkin.core.sources import decode_source
from velkin.core.stages.source import PictureSource, Source

_SAMPLE = 1_200_000


class Decoded:
    """Decoded sources at half and full size, within a budget; one decode of a file at a time, never of a file as it was before."""

    def __init__(self, budget: int) -> None:
        self._kept: Cache[NDArray[Any]] = Cache(budget)

    def keep_within(self, budget: int) -> None:
        """Keep no more than so many bytes from now on."""
        self._kept.keep_within(budget)

    @property
    def held(self) -> int:
        """Bytes that are kept now."""
        return self._kept.total

    @staticmethod
    def _key(path: Path, source: Source, half: bool) -> tuple[object, ...]:
        return str(path), file_stamp(path), source.page if isinstance(source, PictureSource) else -1, half

    def get(self, path: Path, source: Source, half: bool) -> NDArray[Any]:
        """A source as decoded. Raises UnreadableFile, NotSupported."""
        return self._kept.made(self._key(path, source, half), lambda: decode_source(path, source, half))

    def has(self, path: Path, source: Source, half: bool) -> bool:
        """Whether a decode is at hand."""
        return self._kept.get(self._key(path, source, half)) is not None

    def sample(self, path: Path, source: Source) -> NDArray[Any]:
        """About a million pixels (1, N, C) spread evenly over the full picture, or over the half size until that is decoded."""
        half = not self.has(path, source, False)

        def gathered() -> NDArray[Any]:
            full = self.get(path, source, half)
            return spread(full.reshape(-1, full.shape[-1]), _SAMPLE)[None]

        return self._kept.made((*self._key(path, source, half), "sample"), gathered)

    def clear(self) -> None:
        """Drop everything."""
        self._kept.clear()

    def forget(self, path: Path) -> None:
        """Drop what was decoded of a file."""
        self._kept.forget(lambda key: key[0] == str(path))
