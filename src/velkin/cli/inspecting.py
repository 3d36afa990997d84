"""`velkin inspect`: what each file is and says of its colour, and what it holds."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import partial
from multiprocessing import get_context
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velkin.cli.batches import cores
from velkin.cli.saying import print_json, say
from velkin.core.errors import VelkinError

if TYPE_CHECKING:
    from velkin.core.files.contents import Carried

#: A file's document, and why it has none in its place; empty where it has.
_Seen = tuple[dict[str, Any], str]
#: From so many files on it is worth while to begin other processes, which take so many at once.
_MANY, _AT_ONCE = 400, 50


def inspect_files(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    documents: list[dict[str, Any]] = []
    failed = False
    look = partial(_look, page=int(arguments.page) - 1, contents=arguments.contents)
    for document, reason in _seen(look, arguments.files, arguments.jobs or cores()):
        documents.append(document)
        if reason:
            failed = True
            say(reason)
        elif not arguments.json:
            _print(document)
    if arguments.json:
        print_json(documents)
    return 1 if failed else 0


def _seen(look: Callable[[Path], _Seen], files: list[Path], jobs: int) -> Iterator[_Seen]:
    """What is found of each file, in their order. Looking is Python's own work, so that only processes do it on several cores."""
    if jobs == 1 or len(files) < _MANY:
        yield from map(look, files)
        return
    told = 0
    with ProcessPoolExecutor(jobs, mp_context=get_context("fork")) as pool:  # nothing else runs in this process yet
        try:
            for found in pool.map(look, files, chunksize=_AT_ONCE):
                yield found
                told += 1
        except BrokenProcessPool:  # one of them was ended from outside: the rest is looked at here
            yield from map(look, files[told:])


def _look(path: Path, page: int, contents: bool) -> _Seen:
    try:
        return _document(path, page, contents), ""
    except VelkinError as error:
        return {"path": str(path), "error": error.message, "file": str(path)}, str(error)


def _document(path: Path, page: int, contents: bool) -> dict[str, Any]:
    from velkin.core.tags.inspect import inspect

    i = inspect(path, page)
    document: dict[str, Any] = {
        "path": str(path),
        "kind": i.kind,
        "format": i.format,
        "pages": i.pages,
        "width": i.width,
        "height": i.height,
        "channels": i.channels,
        "bits": i.bits,
        "model": i.model,
        "tag": {
            "state": i.tag.state,
            "source": i.tag.source,
            "description": i.tag.description,
            "space": i.tag.space,
        },
        "camera": {"make": i.make, "model": i.camera, "unique": i.unique},
        "notes": list(i.notes),
    }
    if contents:
        document["contents"] = [
            {
                "part": c.part.name,
                "kind": c.part.kind.value,
                "bytes": c.part.bytes,
                "carried": c.fate.value,
                "why": c.why,
            }
            for c in _account(path, page, i.format, (i.width, i.height))
        ]
    return document


def _account(path: Path, page: int, kind: str, size: tuple[int, int]) -> tuple[Carried, ...]:
    """What becomes of each part when the picture is converted and written in its own format, or as TIFF where that is not written."""
    from velkin.core.files.encode import account_of
    from velkin.core.files.kinds import SUFFIXES
    from velkin.core.files.source_contents import contents_of

    return account_of(contents_of(path, page), kind if kind in SUFFIXES else "tiff", family="", size=size)[1]


def _print(d: dict[str, Any]) -> None:
    tag = d["tag"]
    where = f" ({tag['source']})" if tag["source"] != "none" else ""
    pages = f", {d['pages']} pictures" if d["pages"] > 1 else ""
    words = f"{d['format']}, {d['width']} × {d['height']}, {d['bits']}-bit {d['model']}{pages}"
    print(f"{d['path']}: {words}; {tag['state']}{where} {tag['description']}".rstrip())
    for note in d["notes"]:
        print(f"  {note}")
    fates = {"yes": "is carried into a new file", "changed": "is carried, changed", "no": "is left behind"}
    for c in d.get("contents", ()):
        why = f": {c['why']}" if c["why"] else ""
        print(f"  {c['part']}, {c['kind']}, {c['bytes']} bytes; {fates[c['carried']]}{why}")
