"""`.cube` tables, one- and three-dimensional, with their domain: read with every fault named by its line, and written."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velkin.core.cache import cached
from velkin.core.conversion.tables import Table, read, table_of_values
from velkin.core.errors import BadProfile, UnreadableFile

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

#: Steps that are read: of tables with three axes, and of curves.
LEAST, MOST, MOST_1D = 2, 129, 65536
_LARGEST = 200_000_000


@dataclass(frozen=True, eq=False)
class Cube:
    """A table.

    Attributes
    ----------
    values : ndarray (n, n, n, 3) by red, green and blue, or (n, 3) of curves
    low, high : ndarray (3,)
        The domain of its input.
    title : str
    comments : tuple of str
        Without their mark.
    """

    values: Floats
    low: Floats
    high: Floats
    title: str = ""
    comments: tuple[str, ...] = ()

    @property
    def is_curves(self) -> bool:
        """Whether it is a curve for each channel."""
        return self.values.ndim == 2

    def through(self, numbers: Pixels) -> Pixels:
        """Numbers (N, 3) through it: curves linearly, a table of three axes tetrahedrally; beyond the domain its end counts."""
        low, high = self.low.astype(np.float32), self.high.astype(np.float32)
        places = (numbers - low) / (high - low)
        if not self.is_curves:
            return read(_table(self), places)
        steps = np.linspace(0.0, 1.0, len(self.values))
        found = [np.interp(places[:, c], steps, self.values[:, c]) for c in range(3)]
        return np.stack(found, axis=1).astype(np.float32)


@cached(120_000_000)
def _table(cube: Cube) -> Table:
    """The values of a cube of three axes."""
    return table_of_values(cube.values, 3, codes=False)


def load_cube(path: Path) -> Cube:
    """The table in a file. Raises UnreadableFile, BadProfile (naming file and line)."""
    try:
        if path.stat().st_size > _LARGEST:
            raise BadProfile("the file is far larger than a table of 129 steps", path)
        text = path.read_text(encoding="utf-8", errors="replace")
    except OSError as error:
        raise UnreadableFile(f"the table cannot be read ({error.strerror})", path) from error
    try:
        return cube_of_text(text)
    except BadProfile as error:
        raise BadProfile(error.message, path) from error


def cube_of_text(text: str) -> Cube:
    """The table in a text. Raises BadProfile, naming the line."""
    size = curves = 0
    low, high, title = np.zeros(3), np.ones(3), ""
    comments: list[str] = []
    rows: list[list[float]] = []
    for number, line in enumerate(text.splitlines(), start=1):
        words = line.split()
        if not words:
            continue
        if words[0].startswith("#"):
            comments.append(line.strip().lstrip("#").strip())
        elif words[0] == "TITLE":
            title = line.partition("TITLE")[2].strip().strip('"')
        elif words[0] == "LUT_3D_SIZE":
            size = _size(words, number, MOST)
        elif words[0] == "LUT_1D_SIZE":
            curves = _size(words, number, MOST_1D)
        elif words[0] == "DOMAIN_MIN":
            low = np.array(_numbers(words[1:], number))
        elif words[0] == "DOMAIN_MAX":
            high = np.array(_numbers(words[1:], number))
        elif words[0] in ("LUT_3D_INPUT_RANGE", "LUT_1D_INPUT_RANGE"):
            ends = _numbers(words[1:], number, 2)
            low, high = np.full(3, ends[0]), np.full(3, ends[1])
        elif words[0][0].isalpha() and words[0].lower() not in ("nan", "inf", "infinity"):
            continue  # a word that says nothing of the numbers
        else:
            rows.append(_numbers(words, number))
            if len(rows) > MOST**3:
                raise BadProfile(f"line {number}: there are more lines than a table of {MOST} steps has")
    if bool(size) == bool(curves):
        raise BadProfile("it must say either LUT_3D_SIZE or LUT_1D_SIZE")
    wanted = size**3 if size else curves
    if len(rows) != wanted:
        raise BadProfile(f"it says {size or curves} steps, which are {wanted} lines of numbers, and holds {len(rows)}")
    if np.any(high <= low):
        raise BadProfile("its domain is upside down or empty: DOMAIN_MAX must lie above DOMAIN_MIN")
    values = np.array(rows)
    if size:  # red changes fastest
        values = values.reshape(size, size, size, 3).transpose(2, 1, 0, 3)
    return Cube(values, low, high, title, tuple(comments))


def _size(words: list[str], line: int, most: int) -> int:
    text = words[1] if len(words) == 2 else ""
    if not text.isdigit() or not LEAST <= int(text) <= most:
        raise BadProfile(f"line {line}: {words[0]} must be a number from {LEAST} to {most}")
    return int(text)


def _numbers(words: list[str], line: int, count: int = 3) -> list[float]:
    try:
        values = [float(w) for w in words]
    except ValueError:
        raise BadProfile(f"line {line}: {' '.join(words)[:40]!r} are no numbers") from None
    if len(values) != count:
        raise BadProfile(f"line {line}: {len(values)} numbers where {count} belong")
    if not np.all(np.isfinite(values)):
        raise BadProfile(f"line {line}: a number that is not finite")
    return values


def cube_text(values: Floats, title: str, comments: tuple[str, ...]) -> str:
    """The text of a table (n, n, n, 3) by red, green and blue, over 0..1; red changes fastest."""
    head = [f'TITLE "{title.replace(chr(34), chr(39))}"', *(f"# {c}" for c in comments), f"LUT_3D_SIZE {len(values)}"]
    head += ["DOMAIN_MIN 0.0 0.0 0.0", "DOMAIN_MAX 1.0 1.0 1.0"]
    rows = values.transpose(2, 1, 0, 3).reshape(-1, 3)
    return "\n".join([*head, *(f"{r:.7f} {g:.7f} {b:.7f}" for r, g, b in rows.tolist())]) + "\n"
