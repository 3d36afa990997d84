"""CGATS.17 / ISO 28178 text: tables with a header, named fields and one line of values per patch."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from velkin.core.errors import BadChart


@dataclass(frozen=True)
class Table:
    """A table as it stands in a file.

    Attributes
    ----------
    header : dict of str
        Keywords with their values.
    fields : tuple of str
        Upper-case names of the columns.
    rows : tuple of tuple of str
        Values as written.
    lines : tuple of int
        The line of the file that each row comes from.
    """

    header: dict[str, str]
    fields: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    lines: tuple[int, ...]


def _words(line: str, number: int, path: Path) -> list[str]:
    if '"' not in line:
        return line.split("#")[0].split()
    from shlex import shlex

    splitter = shlex(line, posix=True)
    splitter.whitespace_split, splitter.quotes, splitter.escape, splitter.commenters = True, '"', "", "#"
    try:
        return list(splitter)
    except ValueError as error:
        raise BadChart(f"line {number}: a quotation mark is not closed", path) from error


def parse(text: str, path: Path) -> Table:
    """The first table with data in a CGATS text.

    Raises
    ------
    BadChart
        Naming the line, when it is no such text, or values are missing.
    """
    header: dict[str, str] = {}
    fields: list[str] = []
    rows: list[tuple[str, ...]] = []
    lines: list[int] = []
    part, ended = "header", False
    for number, line in enumerate(text.splitlines(), start=1):
        words = _words(line, number, path)
        if not words:
            continue
        key = words[0].upper()
        if key == "BEGIN_DATA_FORMAT":
            part = "format"
        elif key == "END_DATA_FORMAT":
            part = "header"
        elif key == "BEGIN_DATA":
            if not fields:
                raise BadChart(f"line {number}: data begin before BEGIN_DATA_FORMAT has named the fields", path)
            part = "data"
        elif key == "END_DATA":
            ended = True
            break
        elif part == "format":
            fields += [w.upper() for w in words]
        elif part == "data":
            if len(words) != len(fields):
                raise BadChart(f"line {number}: {len(words)} values where the format names {len(fields)} fields", path)
            rows.append(tuple(words))
            lines.append(number)
        else:
            header[key] = " ".join(words[1:])
    if not fields:
        raise BadChart("this is no CGATS text: BEGIN_DATA_FORMAT is missing", path)
    twice = sorted({f for f in fields if fields.count(f) > 1})
    if twice:
        raise BadChart(f"the field {twice[0]} is named twice", path)
    if not ended:
        raise BadChart("the file ends before END_DATA; it seems to be cut short", path)
    stated = header.get("NUMBER_OF_SETS", "")
    if stated.isdigit() and int(stated) != len(rows):
        raise BadChart(f"NUMBER_OF_SETS says {stated}, and {len(rows)} lines of data are there", path)
    return Table(header, tuple(fields), tuple(rows), tuple(lines))


def write(header: dict[str, str], fields: tuple[str, ...], rows: list[list[str]]) -> str:
    """A CGATS text; values with spaces are quoted.

    Examples
    --------
    >>> write({"ORIGINATOR": "Velkin"}, ["SAMPLE_ID", "LAB_L"], [["A1", "50.00"]]).splitlines()[:2]
    ['CGATS.17', 'ORIGINATOR\\t"Velkin"']
    """

    def word(value: str) -> str:
        clean = value.replace('"', "'")
        return f'"{clean}"' if not clean or any(c.isspace() for c in clean) or "#" in clean else clean

    lines = ["CGATS.17"]
    lines += [f'{key}\t"{value.replace(chr(34), chr(39))}"' for key, value in header.items()]
    lines += [f"NUMBER_OF_FIELDS\t{len(fields)}", "BEGIN_DATA_FORMAT", "\t".join(fields), "END_DATA_FORMAT"]
    lines += [f"NUMBER_OF_SETS\t{len(rows)}", "BEGIN_DATA"]
    lines += ["\t".join(word(v) for v in row) for row in rows]
    return "\n".join([*lines, "END_DATA", ""])
