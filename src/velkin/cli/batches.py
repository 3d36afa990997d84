"""Verbs that take one file or many: many are worked on beside each other, told in their order, and none stops the others."""

from __future__ import annotations

import argparse
import copy
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

from velkin.cli.saying import Wrong, print_json, say
from velkin.core.cores import all_cores, side_by_side
from velkin.core.errors import VelkinError

#: More files than this at once would only hold more of them in memory.
_MOST = 8


_Work = TypeVar("_Work", bound=Callable[..., Any])
_kept: list[Any] = []


def once(work: _Work) -> _Work:
    """Work on a file that is the same for all files of a run, such as a flat frame: done once in it."""
    cached = lru_cache(maxsize=8)(work)
    _kept.append(cached)
    return cached  # type: ignore[return-value]


def cores() -> int:
    """How many files are worked on at once where nobody says."""
    return min(all_cores(), _MOST)


def begin() -> None:
    """A run begins: nothing of an earlier one is known."""
    for cached in _kept:
        cached.cache_clear()


@dataclass(frozen=True)
class Told:
    """What became of one file: the document for ``--json``, and the words without it."""

    document: dict[str, Any]
    words: str


def each(one: Callable[[argparse.Namespace], Told]) -> Callable[[argparse.Namespace], int]:
    """The verb that does `one` to each of its files (``arguments.file``, and ``arguments.out`` where it writes); its exit status.

    A single file whose output is no folder is told by one document and its error ends the run; several, or one into a folder, by a list.
    """

    def run(arguments: argparse.Namespace) -> int:
        outs = _outs(arguments)
        if outs is None:
            told = one(_of(arguments, arguments.files[0], None))
            print_json(told.document) if arguments.json else print(told.words)
            return 0
        documents: list[dict[str, Any]] = []
        failed = False
        with side_by_side(min(arguments.jobs or cores(), len(arguments.files))) as pool:
            jobs = [pool.submit(one, _of(arguments, *pair)) for pair in zip(arguments.files, outs, strict=True)]
            for file, found in _in_order(arguments.files, jobs):
                if isinstance(found, VelkinError | OSError | MemoryError):
                    failed = True
                    say(str(found) if isinstance(found, VelkinError) else f"{file.name}: {found}")
                    reason = getattr(found, "message", str(found))
                    documents.append({"path": str(file), "error": reason, "file": str(getattr(found, "file", None) or file)})
                    continue
                documents.append({"path": str(file), **found.document})
                if not arguments.json:
                    print(found.words, flush=True)
        if arguments.json:
            print_json(documents)
        return 1 if failed else 0

    return run


def _in_order(files: list[Path], jobs: list[Future[Told]]) -> Iterator[tuple[Path, Told | VelkinError | OSError | MemoryError]]:
    """What became of each file, or why nothing did; wrong use ends it all."""
    for file, job in zip(files, jobs, strict=True):
        try:
            yield file, job.result()
        except (VelkinError, OSError, MemoryError) as error:
            yield file, error
        except BaseException:
            for other in jobs:
                other.cancel()
            raise


def _outs(arguments: argparse.Namespace) -> list[Path | None] | None:
    """The output of each file; None where there is one that goes as it is."""
    files: list[Path] = arguments.files
    if not hasattr(arguments, "out"):
        return None if len(files) == 1 else [None] * len(files)
    folder: Path = arguments.out
    if len(files) == 1 and not folder.is_dir():
        if arguments.format:
            raise Wrong("--format goes with several files, or with a folder as --out")
        return None
    if folder.exists() and not folder.is_dir():
        raise Wrong("with several files --out is a folder")
    outs = [folder / f"{file.stem}{_suffix(file, arguments.format)}" for file in files]
    seen: dict[Path, Path] = {}
    sources = {file.resolve(): file for file in files}
    for file, out in zip(files, outs, strict=True):
        source = sources.get(out.resolve())
        if source is not None:
            raise Wrong(f"{file} would be written over {source}; source files are never written")
        if out in seen:
            raise Wrong(f"{seen[out]} and {file} would both be written as {out}")
        seen[out] = file
    folder.mkdir(parents=True, exist_ok=True)
    return [*outs]


def _suffix(file: Path, wish: str | None) -> str:
    """What an output's name ends with: as wished, else as its source's where that can be written, else TIFF's."""
    from velkin.core.files.kinds import FORMATS

    if wish:
        return f".{wish}"
    return file.suffix if file.suffix.lower() in FORMATS else ".tif"


def _of(arguments: argparse.Namespace, file: Path, out: Path | None) -> argparse.Namespace:
    mine = copy.copy(arguments)
    mine.file = file
    if out is not None:
        mine.out = out
    return mine
