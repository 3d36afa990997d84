"""`velkin inspect`: what each file is and says of its colour."""

from __future__ import annotations

import argparse
from typing import Any

from velkin.cli.saying import print_json, say
from velkin.core.errors import VelkinError


def inspect_files(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    from velkin.core.tags.inspect import inspect

    documents: list[dict[str, Any]] = []
    failed = False
    for path in arguments.files:
        try:
            i = inspect(path)
        except VelkinError as error:
            failed = True
            say(str(error))
            documents.append({"path": str(path), "error": error.message, "file": str(path)})
            continue
        documents.append(
            {
                "path": str(path),
                "kind": i.kind,
                "format": i.format,
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
        )
        if not arguments.json:
            where = f" ({i.tag.source})" if i.tag.source != "none" else ""
            print(
                f"{path}: {i.format}, {i.width} × {i.height}, {i.bits}-bit {i.model}; {i.tag.state}{where} {i.tag.description}".rstrip()
            )
            for note in i.notes:
                print(f"  {note}")
    if arguments.json:
        print_json(documents)
    return 1 if failed else 0
