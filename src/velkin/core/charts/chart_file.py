"""Chart definitions from and to files: Velkin's JSON, CGATS.17 / ISO 28178 text, CSV; with or without spectra.

Makers and instruments leave much unsaid. What is missing is worked out in a stated order (rows and columns: from
LGOROWLENGTH, from names such as A1…F4, from the grid that the user gives) or asked for; what is wrong is named by line and field.
"""

from __future__ import annotations

import json
import math
import re
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts import cgats
from velkin.core.charts.definition import LARGEST, Chart, neutral_patches
from velkin.core.errors import BadChart, NotSupported, UnreadableFile
from velkin.core.files.checked_json import refused_as
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spectra import WAVELENGTHS, parse_light

Floats = NDArray[np.float64]

_DEFAULT_GAP = 0.12
_LONGEST = 20_000_000
_SPECTRAL = re.compile(r"^(?:SPECTRAL_NM_?|SPECTRAL_|NM_?|R_?|SPEC_?)?(\d{3})(?:\.0+)?(?:\s*NM)?$")
_NAMED = re.compile(r"^([A-Za-z]{1,2})0*(\d{1,3})$")


# ---- reading ------------------------------------------------------------------------------------------------------


def load_chart(path: Path, grid: tuple[int, int] | None = None) -> Chart:
    """A chart from a JSON definition, a CGATS text or a CSV table.

    Parameters
    ----------
    grid : (columns, rows), optional
        For files that do not say it themselves.

    Raises
    ------
    UnreadableFile
        When the file cannot be read as text.
    BadChart
        When it is no chart, naming line and field.
    """
    try:
        if path.stat().st_size > _LONGEST:
            raise BadChart("the file is too large for a chart definition", path)
        text = path.read_bytes().decode("utf-8-sig")
    except OSError as error:
        raise UnreadableFile(f"the chart file cannot be read ({error.strerror or error})", path) from error
    except UnicodeDecodeError:
        try:
            text = path.read_bytes().decode("cp1252")
        except UnicodeDecodeError as error:
            raise BadChart("this is no text, and so no chart definition", path) from error
    if "\0" in text or not text.strip():
        raise BadChart("this is no chart definition: the file is " + ("empty" if not text.strip() else "not text"), path)
    if text.lstrip().startswith("{"):
        return chart_from_json(text, path)
    if "BEGIN_DATA_FORMAT" in text.upper() or text.lstrip().upper().startswith(("CGATS", "ISO28178", "IT8")):
        return _from_table(cgats.parse(text, path), path, grid)
    return _from_table(_csv_table(text, path), path, grid)


def _csv_table(text: str, path: Path) -> cgats.Table:
    import csv

    lines = [(n, line) for n, line in enumerate(text.splitlines(), start=1) if line.strip() and not line.startswith("#")]
    if not lines:
        raise BadChart("this is no chart definition: no line holds anything", path)
    first = lines[0][1]
    delimiter = max("\t;,", key=first.count)
    reader, begun, parsed = csv.reader([line for _, line in lines], delimiter=delimiter), 0, []
    try:
        for row in reader:  # a field in quotes may go over several lines; the row is called by its first
            parsed.append((lines[begun][0], row))
            begun = reader.line_num
    except csv.Error as error:
        raise BadChart(f"line {lines[min(begun, len(lines) - 1)][0]}: this is no row of values ({error})", path) from error
    (first_number, names), *rest = parsed
    fields = tuple(f.strip().upper() for f in names)
    if len(fields) < 2:
        raise BadChart(
            f"line {first_number}: a first line with the names of the columns is needed, such as name, L, a, b", path
        )
    rows = []
    for number, row in rest:
        if len(row) != len(fields):
            raise BadChart(f"line {number}: {len(row)} values where the first line names {len(fields)} columns", path)
        rows.append(tuple(v.strip().replace(",", ".") if delimiter != "," else v.strip() for v in row))
    return cgats.Table({}, fields, tuple(rows), tuple(n for n, _ in rest))


def _column(table: cgats.Table, *names: str) -> int | None:
    return next((table.fields.index(n) for n in names if n in table.fields), None)


def _numbers(table: cgats.Table, columns: list[int], path: Path) -> Floats:
    values = np.empty((len(table.rows), len(columns)))
    for i, row in enumerate(table.rows):
        for j, column in enumerate(columns):
            try:
                values[i, j] = float(row[column])
            except ValueError:
                raise BadChart(
                    f"line {table.lines[i]}, field {table.fields[column]}: {row[column]!r} is not a number", path
                ) from None
            if not math.isfinite(values[i, j]):
                raise BadChart(
                    f"line {table.lines[i]}, field {table.fields[column]}: {row[column]!r} is no finite number", path
                )
    return values


def _from_table(table: cgats.Table, path: Path, grid: tuple[int, int] | None) -> Chart:
    count = len(table.rows)
    if not 4 <= count <= LARGEST:
        raise BadChart(f"it has {count} patches; a chart that a camera can read has 4 to {LARGEST}", path)
    name_column = _column(table, "SAMPLE_NAME", "SAMPLENAME", "NAME", "PATCH", "SAMPLE_LOC", "SAMPLE_ID", "SAMPLEID", "ID")
    ids = tuple(str(i + 1) if name_column is None else row[name_column] for i, row in enumerate(table.rows))
    seen: dict[str, int] = {}
    for identifier, line in zip(ids, table.lines, strict=True):
        if identifier in seen:
            raise BadChart(f"line {line}: the patch {identifier!r} is there already, on line {seen[identifier]}", path)
        seen[identifier] = line
    reflectances, colours = _values(table, path)
    columns, rows = _grid(table.header, ids, grid, path)
    order = _row_order(ids, columns, rows, "LGOROWLENGTH" in table.header)
    ids = tuple(ids[i] for i in order)
    reflectances = None if reflectances is None else reflectances[order]
    colours = None if colours is None else colours[order]
    described = table.header.get("DESCRIPTOR") or table.header.get("FILE_DESCRIPTOR") or path.stem
    gap = table.header.get("VELKIN_GAP", "")
    chart = Chart(
        id=path.stem,
        name=described.strip('"') or path.stem,
        source=f"{path.name}, {'reflectances' if reflectances is not None else 'colours'}",
        rows=rows,
        columns=columns,
        gap=float(gap) if re.fullmatch(r"0?\.\d+", gap) else _DEFAULT_GAP,
        ids=ids,
        names=tuple("" for _ in ids),
        neutrals=(),
        reflectances=reflectances,
        colours=colours,
        marks=table.header.get("VELKIN_MARKS", "") == "yes",
        sure=False,
    )
    return _with_neutrals(chart)


def _with_neutrals(chart: Chart) -> Chart:
    return replace(chart, neutrals=neutral_patches(chart.ids, chart.reference_d50()))


def _values(table: cgats.Table, path: Path) -> tuple[Floats | None, Floats | None]:
    """Reflectances (N, 81), or else XYZ D50 (N, 3), of a table's rows."""
    spectral = sorted((int(m.group(1)), i) for i, f in enumerate(table.fields) if (m := _SPECTRAL.match(f)))
    spectral = [(nm, i) for nm, i in spectral if 300 <= nm <= 900]
    if len(spectral) >= 8:
        values = _numbers(table, [i for _, i in spectral], path)
        if values.max() > 2.0:
            values = values / 100.0
        for row in np.flatnonzero((values < -0.02).any(axis=1) | (values > 1.6).any(axis=1)):
            raise BadChart(f"line {table.lines[row]}: a reflectance lies outside 0 to 1 (or 0 to 100)", path)
        nm = np.array([n for n, _ in spectral], dtype=np.float64)
        return np.array([np.interp(WAVELENGTHS, nm, np.clip(r, 0, None)) for r in values]), None
    white = _white_of(table.header)
    lab = [_column(table, *names) for names in (("LAB_L", "L", "L*"), ("LAB_A", "A", "A*"), ("LAB_B", "B", "B*"))]
    if all(c is not None for c in lab):
        values = _numbers(table, [c for c in lab if c is not None], path)
        for row in np.flatnonzero((values[:, 0] < 0) | (values[:, 0] > 110) | (np.abs(values[:, 1:]).max(axis=1) > 160)):
            raise BadChart(f"line {table.lines[row]}: L*, a*, b* of {values[row].tolist()} is no surface's colour", path)
        return None, lab_to_xyz(values)  # Lab is relative to its own white, so that it means the same under D50
    xyz = [_column(table, f"XYZ_{c}", c) for c in "XYZ"]
    if all(c is not None for c in xyz):
        values = _numbers(table, [c for c in xyz if c is not None], path)
        if values.max() > 2.0:
            values = values / 100.0
        for row in np.flatnonzero((values < 0).any(axis=1) | (values > 1.5).any(axis=1)):
            raise BadChart(f"line {table.lines[row]}: XYZ of {values[row].tolist()} is no surface's colour", path)
        return None, np.asarray(values @ bradford(white, D50).T)
    raise BadChart(
        "no reference values: fields LAB_L LAB_A LAB_B, XYZ_X XYZ_Y XYZ_Z, or spectra such as SPECTRAL_NM380 are needed; there are "
        + " ".join(table.fields[:8]),
        path,
    )


def _white_of(header: dict[str, str]) -> Floats:
    """XYZ of the white that XYZ values of a file refer to: D50 unless the header names another."""
    said = " ".join(header.get(k, "") for k in ("ILLUMINATION_NAME", "ILLUMINANT", "MEASUREMENT_SOURCE", "WEIGHTING_FUNCTION"))
    for name in ("D65", "D55", "D75"):
        if name in said.upper():
            return parse_light(name).white
    if re.search(r"ILLUMINANT[, ]+A\b", said.upper()) or said.strip().upper() == "A":
        return parse_light("A").white
    return D50


def _grid(header: dict[str, str], ids: tuple[str, ...], grid: tuple[int, int] | None, path: Path) -> tuple[int, int]:
    """Columns and rows: from LGOROWLENGTH, from names such as A1…F4, from the grid given, in that order."""
    count = len(ids)
    stated = header.get("LGOROWLENGTH", "").strip('"')
    if stated.isdigit() and int(stated) > 0 and count % int(stated) == 0 and int(stated) > 1:
        return int(stated), count // int(stated)
    letters, numbers = _names_as_grid(ids)
    if letters and letters * numbers == count and min(letters, numbers) > 1:
        return (numbers, letters) if grid == (numbers, letters) else (letters, numbers)
    if grid is not None:
        if grid[0] * grid[1] != count:
            raise BadChart(f"a grid of {grid[0]}x{grid[1]} has {grid[0] * grid[1]} patches, and the file has {count}", path)
        return grid
    raise BadChart(
        f"the file does not say how its {count} patches are arranged (no LGOROWLENGTH, no names such as A1…F4); "
        "give the grid as columns x rows",
        path,
    )


def _names_as_grid(ids: tuple[str, ...]) -> tuple[int, int]:
    found = [_NAMED.match(i) for i in ids]
    if not all(found):
        return 0, 0
    return len({m.group(1).upper() for m in found if m}), len({m.group(2).zfill(3) for m in found if m})


def _row_order(ids: tuple[str, ...], columns: int, rows: int, stated: bool) -> NDArray[np.intp]:
    """Indices that bring a file's patches into rows.

    Names such as A1…F4 count columns by letter and rows by number, or the other way round where only that fits the grid; where
    both fit and the file states its row length, and where names tell nothing, the file's own order is kept.
    """
    letters, numbers = _names_as_grid(ids)
    if (letters, numbers) == (columns, rows) and not (stated and columns == rows):
        by_letter_first = False
    elif (letters, numbers) == (rows, columns):
        by_letter_first = True
    else:
        return np.arange(len(ids))
    keys = []
    for identifier in ids:
        match = _NAMED.match(identifier)
        assert match is not None
        letter, number = (len(match.group(1)), match.group(1).upper()), int(match.group(2))
        keys.append((letter, number) if by_letter_first else (number, letter))
    return np.array(sorted(range(len(ids)), key=lambda i: keys[i]), dtype=np.intp)


# ---- Velkin's JSON ------------------------------------------------------------------------------------------------


def chart_from_json(text: str, path: Path) -> Chart:
    """A chart from Velkin's JSON definition (docs/formats.md).

    Raises
    ------
    BadChart
        Naming the part that is missing or odd.

    Examples
    --------
    >>> from velkin.core.charts.built_in import iso24
    >>> from pathlib import Path
    >>> chart_from_json(chart_to_json(iso24()), Path("chart.json")) == iso24()
    True
    """
    with refused_as(lambda why: BadChart(f"the chart definition {why}", path)):
        return _chart_of(json.loads(text), path)


def _chart_of(data: Any, path: Path) -> Chart:
    patches, rows, columns = data["patches"], int(data["rows"]), int(data["columns"])
    if not 4 <= len(patches) <= LARGEST:
        raise BadChart(f"it has {len(patches)} patches; a chart that a camera can read has 4 to {LARGEST}", path)
    if min(rows, columns) < 2 or rows * columns != len(patches):
        raise BadChart(f"{columns} columns and {rows} rows do not make {len(patches)} patches (at least 2 of each)", path)
    ids = tuple(str(p["id"]) for p in patches)
    twice = next((i for i in ids if ids.count(i) > 1), None)
    if twice is not None:
        raise BadChart(f"the patch {twice!r} is there twice", path)
    gap, proportion = float(data.get("gap", _DEFAULT_GAP)), float(data.get("proportion", 1.0))
    if not 0.0 <= gap <= 0.6 or not 0.2 <= proportion <= 5.0:
        raise BadChart("gap must lie in 0 to 0.6 and proportion in 0.2 to 5", path)
    reflectances = colours = None
    if "reflectance" in patches[0]:
        sampling = data["wavelengths"]
        start, step, count = float(sampling["start"]), float(sampling["step"]), int(sampling["count"])
        if not (0 < start < 1e5 and 0 < step < 1e3 and 2 <= count <= 10_000):
            raise BadChart("wavelengths need a start and a step above 0, in nanometres, and a count of 2 to 10000", path)
        nm = start + step * np.arange(count)
        reflectances = np.empty((len(patches), len(WAVELENGTHS)))
        for i, p in enumerate(patches):
            values = np.array(p["reflectance"], dtype=np.float64)
            if values.shape != nm.shape or not np.all(np.isfinite(values)) or values.min() < -0.02 or values.max() > 1.6:
                raise BadChart(f"patch {ids[i]}: {len(nm)} finite reflectances from 0 to 1 are needed", path)
            reflectances[i] = np.interp(WAVELENGTHS, nm, values)
    else:
        colours = np.empty((len(patches), 3))
        for i, p in enumerate(patches):
            values = np.array(p["lab"] if "lab" in p else p["xyz"], dtype=np.float64)
            if values.shape != (3,) or not np.all(np.isfinite(values)):
                raise BadChart(f"patch {ids[i]}: three finite numbers of lab or xyz are needed", path)
            colours[i] = lab_to_xyz(values) if "lab" in p else values
    chart = Chart(
        id=str(data.get("id", path.stem)),
        name=str(data.get("name", path.stem)),
        source=str(data.get("source", path.name)),
        rows=rows,
        columns=columns,
        gap=gap,
        ids=ids,
        names=tuple(str(p.get("name", "")) for p in patches),
        neutrals=tuple(str(n) for n in data.get("neutrals", ())),
        reflectances=reflectances,
        colours=colours,
        proportion=proportion,
        marks=bool(data.get("marks", False)),
    )
    unknown = [n for n in chart.neutrals if n not in ids]
    if unknown:
        raise BadChart(f"the neutral patch {unknown[0]!r} is not among the patches", path)
    return chart if chart.neutrals else _with_neutrals(chart)


def chart_to_json(chart: Chart) -> str:
    """A chart as Velkin's JSON definition; `chart_from_json` gives it back."""
    data: dict[str, Any] = {
        "id": chart.id,
        "name": chart.name,
        "source": chart.source,
        "rows": chart.rows,
        "columns": chart.columns,
        "gap": chart.gap,
        "proportion": chart.proportion,
        "marks": chart.marks,
        "neutrals": list(chart.neutrals),
    }
    patches: list[dict[str, Any]] = [{"id": i, "name": n} for i, n in zip(chart.ids, chart.names, strict=True)]
    if chart.reflectances is not None:
        step = float(WAVELENGTHS[1] - WAVELENGTHS[0])
        data["wavelengths"] = {"start": float(WAVELENGTHS[0]), "step": step, "count": len(WAVELENGTHS)}
        for patch, row in zip(patches, chart.reflectances, strict=True):
            patch["reflectance"] = [round(float(v), 6) for v in row]
    else:
        assert chart.colours is not None
        for patch, row in zip(patches, chart.colours, strict=True):
            patch["xyz"] = [float(v) for v in row]
    head = json.dumps(data, ensure_ascii=False, indent=1)[:-2]
    lines = ",\n".join("  " + json.dumps(p, ensure_ascii=False) for p in patches)
    return f'{head},\n "patches": [\n{lines}\n ]\n}}\n'


# ---- CGATS and CSV out --------------------------------------------------------------------------------------------


def _out_table(chart: Chart) -> tuple[tuple[str, ...], list[list[str]]]:
    xyz = chart.reference_d50()
    fields = ["SAMPLE_ID", "SAMPLE_NAME", "XYZ_X", "XYZ_Y", "XYZ_Z", "LAB_L", "LAB_A", "LAB_B"]
    every = 2  # 10 nm, as instruments write
    if chart.reflectances is not None:
        fields += [f"SPECTRAL_NM{int(nm)}" for nm in WAVELENGTHS[::every]]
    rows = []
    for i, identifier in enumerate(chart.ids):
        row = [str(i + 1), identifier, *(f"{100 * v:.4f}" for v in xyz[i]), *(f"{v:.4f}" for v in xyz_to_lab(xyz[i]))]
        if chart.reflectances is not None:
            row += [f"{v:.5f}" for v in chart.reflectances[i, ::every]]
        rows.append(row)
    return tuple(fields), rows


def chart_to_cgats(chart: Chart, originator: str = "Velkin", created: str = "") -> str:
    """A chart's reference as CGATS.17 text: XYZ and Lab under D50, spectra every 10 nm where they are known."""
    fields, rows = _out_table(chart)
    header = {"ORIGINATOR": originator, "DESCRIPTOR": chart.name}
    if created:
        header["CREATED"] = created
    header |= {"ILLUMINATION_NAME": "D50", "OBSERVER_ANGLE": "2", "LGOROWLENGTH": str(chart.columns)}
    header |= {"VELKIN_GAP": f"{chart.gap:g}", "VELKIN_MARKS": "yes" if chart.marks else "no"}
    text = cgats.write(header, fields, rows)
    # keywords of one's own are declared, as the standard asks
    return text.replace("VELKIN_GAP\t", 'KEYWORD\t"VELKIN_GAP"\nKEYWORD\t"VELKIN_MARKS"\nVELKIN_GAP\t', 1)


def chart_to_csv(chart: Chart) -> str:
    """A chart's reference as a comma-separated table."""
    fields, rows = _out_table(chart)
    return "\n".join(",".join(v.replace(",", " ") for v in line) for line in [list(fields), *rows]) + "\n"


def save_text(chart: Chart, path: Path) -> str:
    """A chart as text in the format that a file's name asks for.

    Raises
    ------
    NotSupported
        For another suffix than .json, .csv, .txt, .cgats or .it8.
    """
    suffix = path.suffix.lower()
    if suffix == ".json":
        return chart_to_json(chart)
    if suffix == ".csv":
        return chart_to_csv(chart)
    if suffix in (".txt", ".cgats", ".it8"):
        return chart_to_cgats(chart)
    raise NotSupported(f"a chart is written as .json, .txt (CGATS) or .csv, not {suffix or 'without suffix'}", path)
