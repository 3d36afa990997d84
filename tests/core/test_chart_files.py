"""Chart definitions from CGATS, CSV and JSON, good and bad."""

import dataclasses
import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velkin.core.charts.average import average_references
from velkin.core.charts.built_in import chart_named, iso24, velkin48
from velkin.core.charts.chart_file import load_chart, save_text
from velkin.core.errors import BadChart, NotSupported, VelkinError
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spectra import illuminant_at, parse_light

LABS = [(20 + 3 * i, 10 - i, i - 12) for i in range(24)]


def cgats(fields: str, rows: list[str], head: str = "") -> str:
    return f"CGATS.17\n{head}\nBEGIN_DATA_FORMAT\n{fields}\nEND_DATA_FORMAT\nBEGIN_DATA\n" + "\n".join(rows) + "\nEND_DATA\n"


def spectral(start: object, step: object, count: object) -> str:
    patches = [{"id": i, "reflectance": [0.1, 0.2, 0.3]} for i in ("A1", "A2", "B1", "B2")]
    sampling = {"start": start, "step": step, "count": count}
    return json.dumps({"rows": 2, "columns": 2, "patches": patches, "wavelengths": sampling})


def lab_file(tmp_path, names, head="", name="chart.txt"):
    path = tmp_path / name
    rows = [f"{n}\t{lab[0]}\t{lab[1]}\t{lab[2]}" for n, lab in zip(names, LABS, strict=True)]
    path.write_text(cgats("SAMPLE_NAME LAB_L LAB_A LAB_B", rows, head))
    return path


@pytest.mark.parametrize("suffix", [".json", ".txt"])
@pytest.mark.parametrize("chart", [iso24(), velkin48()], ids=["iso24", "velkin48"])
def test_a_chart_written_and_read_is_the_same(tmp_path, chart, suffix):
    path = tmp_path / f"own{suffix}"
    path.write_text(save_text(chart, path))
    again = load_chart(path)
    assert (again.columns, again.rows, again.ids, again.gap, again.marks) == (
        chart.columns, chart.rows, chart.ids, chart.gap, chart.marks
    )  # fmt: skip
    assert set(again.neutrals) == set(chart.neutrals)
    tolerance = 1e-6 if suffix == ".json" else 2e-3  # CGATS holds the spectra every 10 nm
    light = illuminant_at(2900)
    assert np.abs(again.reference(light) - chart.reference(light)).max() < tolerance


def test_csv_needs_the_grid_only_where_names_do_not_tell(tmp_path):
    path = tmp_path / "own.csv"
    path.write_text(save_text(iso24(), path))
    assert (load_chart(path, (6, 4)).columns, load_chart(path, (6, 4)).ids[:2]) == (6, ("A1", "A2"))
    numbered = tmp_path / "numbers.csv"
    numbered.write_text("name;L;a;b\n" + "\n".join(f"{i};{50 + i},5;1;2" for i in range(12)))
    with pytest.raises(BadChart, match="columns x rows"):
        load_chart(numbered)
    chart = load_chart(numbered, (4, 3))
    assert (chart.columns, chart.rows) == (4, 3)
    assert xyz_to_lab(chart.reference_d50())[1] == pytest.approx([51.5, 1, 2], abs=1e-6)


def test_rows_come_from_the_stated_length_then_from_names_then_from_the_grid(tmp_path):
    numbers = [str(i + 1) for i in range(24)]
    assert load_chart(lab_file(tmp_path, numbers, 'LGOROWLENGTH "8"')).columns == 8
    by_column = [f"{c}{r}" for c in "ABCDEF" for r in (1, 2, 3, 4)]
    chart = load_chart(lab_file(tmp_path, by_column))
    assert (chart.columns, chart.rows, chart.ids[:7]) == (6, 4, ("A1", "B1", "C1", "D1", "E1", "F1", "A2"))
    assert not chart.sure, "whether letters are columns is not certain, so that finding tries both"
    with pytest.raises(BadChart, match="5x4 has 20 patches"):
        load_chart(lab_file(tmp_path, numbers), (5, 4))


def test_xyz_of_another_white_is_adapted_and_spectra_in_per_cent_are_known(tmp_path):
    d65 = parse_light("D65").white
    path = tmp_path / "x.txt"
    grey = 100 * 0.2 * d65
    rows = [f"{c}{r} {grey[0]:.5f} {grey[1]:.5f} {grey[2]:.5f}" for c in "AB" for r in "12"]
    path.write_text(cgats("SAMPLE_ID XYZ_X XYZ_Y XYZ_Z", rows, 'ILLUMINATION_NAME "D65"'))
    assert load_chart(path).reference_d50() == pytest.approx(np.tile(0.2 * bradford(d65, D50) @ d65, (4, 1)), abs=1e-6)
    nm = range(400, 701, 20)
    path.write_text(
        cgats(
            "SAMPLE_ID " + " ".join(f"nm{n}" for n in nm), [f"{c}{r} " + " ".join(["18"] * len(nm)) for c in "AB" for r in "12"]
        )
    )
    chart = load_chart(path)
    assert chart.reflectances == pytest.approx(0.18)
    assert chart.reference(illuminant_at(3000)) == pytest.approx(np.tile(0.18 * D50, (4, 1)), abs=2e-5)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"),
        ("hello", "names of the columns"),
        ("CGATS.17\nnothing", "BEGIN_DATA_FORMAT is missing"),
        (cgats("SAMPLE_ID LAB_L LAB_A LAB_B", []), "0 patches"),
        (cgats("SAMPLE_ID LAB_L LAB_A LAB_B", [f"{i} 50 0 0" for i in range(2000)]), "2000 patches"),
        (cgats("SAMPLE_ID LAB_L LAB_A LAB_B", ["A1 50 0 0", "A1 51 0 0", "B1 5 0 0", "B2 5 0 0"]), "line 8.*'A1' is there already.*line 7"),
        (cgats("SAMPLE_ID LAB_L LAB_A LAB_B", ["A1 50 0 0", "A2 NaN 0 0", "B1 5 0 0", "B2 5 0 0"]), "line 8, field LAB_L"),
        (cgats("SAMPLE_ID LAB_L LAB_A LAB_B", ["A1 50 0 0", "A2 5 x 0", "B1 5 0 0", "B2 5 0 0"]), "line 8, field LAB_A: 'x'"),
        (cgats("SAMPLE_ID LAB_L LAB_A LAB_B", ["A1 50 0 0", "A2 5 0", "B1 5 0 0", "B2 5 0 0"]), "line 8: 3 values"),
        (cgats("SAMPLE_ID LAB_L LAB_A LAB_B", ["A1 50 0 0", "A2 500 0 0", "B1 5 0 0", "B2 5 0 0"]), "line 8.*no surface"),
        (cgats("SAMPLE_ID RGB_R RGB_G RGB_B", ["A1 1 2 3", "A2 1 2 3", "B1 1 2 3", "B2 1 2 3"]), "no reference values"),
        (cgats("SAMPLE_ID LAB_L LAB_L", ["A1 1 2"]), "named twice"),
        (cgats("SAMPLE_ID LAB_L LAB_A LAB_B", ["A1 1 2 3"]).replace("END_DATA\n", ""), "cut short"),
        (cgats("SAMPLE_ID LAB_L LAB_A LAB_B", ["A1 1 2 3"], "NUMBER_OF_SETS 24"), "says 24, and 1 lines"),
        ('{"rows": 2}', "lacks 'patches'"),
        ('{"rows": 2, "columns": 2, "patches": [{}, {}, {}, {}]}', "lacks 'id'"),
        ("{", "no JSON"),
        ('{"a":' * 100_000, "nests too deeply"),
        ('{"rows": ' + "9" * 5000 + "}", "not as it should be"),
        ('{"rows": 2, "columns": 1e400, "patches": []}', "not as it should be"),
        ('name,L,a,b\nA1,50,0,0\n"A2,50,0\n,B1,5,0,0\n', "line 3: 1 values"),
        ('name,L,a,b\nA1,50,0,0\n# one\n"A2\nA2",x,0,0\nB1,5,0,0\nB2,5,0,0\n', "line 4, field L: 'x'"),
        ("name,L,a,b\nA1,50,0," + "0" * 200_000, "line 2: this is no row of values"),
        (spectral(0.0, 10, 3), "a start and a step above 0"),
        (spectral(400, 10, 10**12), "a count of 2 to 10000"),
        (spectral("x", 10, 3), "not as it should be"),
        (spectral(400, 10, 5), "5 finite reflectances"),
        ("a\0b", "not text"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_named_by_line_and_field(tmp_path, text, words):
    path = tmp_path / "chart.txt"
    path.write_text(text)
    with pytest.raises(BadChart, match=words):
        load_chart(path)


@settings(max_examples=150, deadline=None)
@given(
    st.one_of(st.binary(max_size=300), st.text(alphabet='ABEGINDATAFORMSLPX_12.-\n\t" {}[]:,', max_size=200).map(str.encode))
)
def test_no_text_makes_anything_but_a_chart_or_a_plain_refusal(tmp_path_factory, data):
    path = tmp_path_factory.getbasetemp() / "noise.txt"
    path.write_bytes(data)
    with pytest.raises(VelkinError):
        load_chart(path, (2, 2))


def test_a_missing_file_an_unknown_name_and_a_foreign_suffix_are_refused(tmp_path):
    with pytest.raises(VelkinError, match="cannot be read"):
        chart_named(str(tmp_path / "none.txt"))
    with pytest.raises(BadChart, match="built in are iso24 and velkin48"):
        chart_named("nonsense")
    with pytest.raises(NotSupported):
        save_text(iso24(), tmp_path / "chart.xls")


def test_measurements_are_averaged_and_must_be_of_the_same_patches():
    base = iso24()
    brighter = dataclasses.replace(base, reflectances=base.reflectances + 0.02)
    mean = average_references([base, brighter])
    assert mean.reflectances == pytest.approx(base.reflectances + 0.01)
    with pytest.raises(BadChart, match="same patches"):
        average_references([base, velkin48()])


def test_a_chart_of_colours_gives_them_under_any_light_and_transposes_with_its_names():
    lab = np.array(LABS, dtype=float)
    chart = dataclasses.replace(iso24(), reflectances=None, colours=lab_to_xyz(lab))
    assert chart.reference(illuminant_at(2500)) == pytest.approx(chart.colours)
    turned = chart.transposed()
    assert (turned.columns, turned.rows) == (4, 6)
    assert turned.colours[turned.ids.index("B3")] == pytest.approx(chart.colours[chart.ids.index("B3")])
    assert turned.ids[1] == "B1"
