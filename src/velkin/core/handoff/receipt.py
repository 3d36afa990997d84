"""The receipt of a run, for the client or the lab: what was sent, in which space, how it was checked. As data; pages are made of it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from io import BytesIO
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from velkin import __version__
from velkin.core.conversion.codes import as_float
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import converted
from velkin.core.errors import ShootError, VelkinError
from velkin.core.files.picture import decode_picture
from velkin.core.files.transparency import over_white
from velkin.core.icc.space import Space, space_of
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.written import WrittenDetails, WrittenFile
from velkin.core.spaces.rgb import SRGB
from velkin.core.tags.inspect import inspect

#: Longest side of the small pictures, in pixels.
_EDGE = 220


@dataclass(frozen=True)
class Line:
    """One file of a receipt.

    Attributes
    ----------
    name, frame, destination : str
    ok : bool
    finding : str
        What the check found, or why there is no file.
    details : WrittenDetails or None
        None of files that were not written.
    path : Path or None
        Where the file lies.
    picture : bytes
        A small sRGB JPEG of the file as it lies on the disk (`with_pictures`), empty where it is not there any more.
    """

    name: str
    frame: str
    destination: str
    ok: bool
    finding: str
    details: WrittenDetails | None
    path: Path | None = None
    picture: bytes = b""


@dataclass(frozen=True)
class Receipt:
    """A run in words and small pictures."""

    shoot: str
    begun: str
    ended: str
    how: str
    program: str
    lines: tuple[Line, ...]

    @property
    def good(self) -> int:
        """Files written that passed their check."""
        return sum(line.ok for line in self.lines)

    def summary(self) -> str:
        """One sentence about all of it."""
        total = len(self.lines)
        files = "1 file" if total == 1 else f"{total} files"
        if self.good == total:
            return f"{files}, each read back after writing: tag, numbers, size and colours as meant."
        return f"{self.good} of {files} written and found as meant; {total - self.good} not handed off."

    def destinations(self) -> list[str]:
        """Names of the destinations, in the order of the run."""
        return list(dict.fromkeys(line.destination for line in self.lines))


def receipt_of(shoot: Shoot, run: int) -> Receipt:
    """The receipt of a run that the shoot remembers, its pictures still to come.

    Raises
    ------
    ShootError
        When there is no such run, or nothing of it was begun.
    """
    kept = shoot.handoffs.run_with_files(run)
    state = shoot.state
    names = {d.id: d.name for d in state.destinations}
    written = {(w.frame, w.destination): w for w in shoot.handoffs.written(run=run)}
    lines = []
    for file in kept.files:
        if file.state == "waiting":
            continue
        w = written.get((file.frame, file.destination))
        frame = state.frames[file.frame].name if file.frame in state.frames else file.path.stem
        name = names.get(file.destination, file.destination)
        lines.append(_line(w, file.path, frame, name, file.state == "written", file.finding))
    if not lines:
        raise ShootError("nothing was written in this hand-off; there is nothing to give a receipt for", shoot.path)
    return Receipt(state.name, kept.begun, kept.ended, kept.how, f"Velkin {__version__}", tuple(lines))


def _line(w: WrittenFile | None, planned: Path, frame: str, destination: str, ok: bool, finding: str) -> Line:
    if w is None:
        return Line(planned.name, frame, destination, ok, finding, None)
    return Line(planned.name, frame, destination, ok, finding, w.details, w.path)


def with_pictures(receipt: Receipt) -> Receipt:
    """The same receipt with small pictures of its files, read from the disk."""
    lines = [replace(line, picture=small_picture(line.path)) if line.path is not None else line for line in receipt.lines]
    return replace(receipt, lines=tuple(lines))


def small_picture(path: Path, edge: int = _EDGE) -> bytes:
    """A small sRGB JPEG of a file, through its own tag; empty where it cannot be read."""
    try:
        found = inspect(path)
        picture = decode_picture(path)
        space: Space = space_of(found.icc) if found.icc else SRGB
        numbers = over_white(picture)
        scale = min(1.0, edge / max(numbers.shape[:2]))
        size = (max(round(numbers.shape[1] * scale), 1), max(round(numbers.shape[0] * scale), 1))
        small = _shrunk(as_float(numbers[:: _step(scale), :: _step(scale)]), size)
        shown = np.clip(converted(small, Conversion(space, SRGB)) * 255.0 + 0.5, 0, 255).astype(np.uint8)
    except (VelkinError, OSError):
        return b""
    stream = BytesIO()
    Image.fromarray(shown).save(stream, "JPEG", quality=82)
    return stream.getvalue()


def _step(scale: float) -> int:
    """Every so many pixels are enough to make the means of."""
    return max(int(1.0 / scale / 6), 1)


def _shrunk(numbers: NDArray[np.float32], size: tuple[int, int]) -> NDArray[np.float32]:
    import cv2

    return np.asarray(cv2.resize(numbers, size, interpolation=cv2.INTER_AREA), dtype=np.float32).reshape(size[1], size[0], -1)


def facts_of_line(line: Line) -> list[tuple[str, str]]:
    """What is told of a file beside its picture, as name and value."""
    d = line.details
    rows = [("Frame", line.frame), ("Destination", line.destination)]
    if d is not None:
        rows += [
            ("Space", f"{d.space}, embedded as an ICC profile"),
            ("File", f"{d.file}, {d.width} × {d.height} px, {_bytes(d.bytes)}"),
            *_some(("Intent", d.intent), ("Light", d.light), ("Camera profile", d.profile)),
            ("Numbers", "kept as they came" if d.kept else "converted for this destination"),
            ("Outside", _outside(d)),
            ("Metadata", d.metadata),
            *([("Left behind", d.left)] if d.left else []),
            ("Checked", ", ".join(f for about, ok, f in d.checks if ok and about != "Metadata")),
            *((f"Failed: {about.lower()}", f) for about, ok, f in d.checks if not ok),
        ]
    return rows


def _some(*rows: tuple[str, str]) -> Iterable[tuple[str, str]]:
    return (r for r in rows if r[1])


def _outside(d: WrittenDetails) -> str:
    before, after = f"{100 * d.before:.1f} %", f"{100 * d.after:.1f} %"
    if d.before == d.after:
        return f"{after} of the picture, cut off" if d.after >= 0.0005 else "nothing is lost"
    return f"{before} of the picture, eased to {after}"


def _bytes(number: int) -> str:
    return f"{number / 1e6:.1f} MB" if number >= 1e6 else f"{max(number // 1000, 1)} kB"
