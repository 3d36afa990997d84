"""Destinations as JSON: kept in a shoot, and exchanged as files of their own, which bring the profile along that they need."""

from __future__ import annotations

import base64
import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

from velkin.core.destinations.destination import Destination, FileFormat
from velkin.core.destinations.sizing import Size, long_edge
from velkin.core.destinations.starters import STARTERS
from velkin.core.errors import UnreadableFile, VelkinError
from velkin.core.files.checked_json import refused_as
from velkin.core.files.metadata_policy import MetadataPolicy
from velkin.core.icc.space import Space, profile_of, space_of
from velkin.core.icc.transform import Intent

_KIND = "Velkin destinations"
_LARGEST = 64 * 1024 * 1024


def destination_to_data(d: Destination) -> dict[str, Any]:
    """A destination as plain values."""
    return {**asdict(d), "intent": int(d.intent)}


def destination_from_data(data: dict[str, Any]) -> Destination:
    """The destination kept as plain values, also as shoots of version 4 and earlier kept it.

    Raises
    ------
    KeyError, TypeError, ValueError
        When the values are not those of a destination.
    """
    if "long_edge" in data:  # up to version 4: sRGB JPEG only
        old = dict(data)
        size, quality = long_edge(old.pop("long_edge")), old.pop("quality")
        return Destination(**old, file=FileFormat(quality=quality), size=size, about=STARTERS["web"].about)
    return Destination(
        **{
            **data,
            "intent": Intent(data["intent"]),
            "file": FileFormat(**data["file"]),
            "size": Size(**data["size"]),
            "metadata": MetadataPolicy(**data["metadata"]),
        }
    )


def to_file_text(pairs: list[tuple[Destination, Space | None]]) -> str:
    """The text of a file of destinations; spaces that are not built in go along as their ICC profile."""
    rows = []
    for d, space in pairs:
        icc = None if space is None else space.icc
        if space is not None and icc is None and d.space_id not in ("", space.id):
            icc = profile_of(space)
        rows.append({**destination_to_data(d), "profile": None if icc is None else base64.b64encode(icc).decode()})
    return json.dumps({"kind": _KIND, "version": 1, "destinations": rows}, indent=1, ensure_ascii=False) + "\n"


def from_file(path: Path) -> list[tuple[Destination, Space | None]]:
    """The destinations of a file, each with the space that it brings along, if any.

    Raises
    ------
    UnreadableFile
        When it cannot be read or holds no destinations of Velkin's.
    NotSupported
        When one of them could not be written to.
    """
    try:
        if path.stat().st_size > _LARGEST:
            raise UnreadableFile("it is far too large for a file of destinations", path)
        with refused_as(lambda why: UnreadableFile("it holds no destinations of Velkin's, or is damaged", path)):
            return _destinations_of(json.loads(path.read_text(encoding="utf-8")), path)
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror or error})", path) from error
    except VelkinError as error:
        error.file = error.file or path
        raise


def _destinations_of(data: Any, path: Path) -> list[tuple[Destination, Space | None]]:
    if data["kind"] != _KIND or int(data["version"]) != 1:
        raise UnreadableFile("it holds no destinations of this version of Velkin", path)
    found = []
    for row in data["destinations"]:
        plain = dict(row)
        profile = plain.pop("profile", None)
        space = None if profile is None else space_of(base64.b64decode(profile))
        d = destination_from_data(plain)
        if not all(isinstance(v, str) for v in (d.id, d.name, d.space_id, d.folder, d.pattern, d.about)):
            raise TypeError("a name that is no text")
        found.append((d, space))
    return found
