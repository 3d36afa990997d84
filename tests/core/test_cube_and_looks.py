"""`.cube` tables and looks: held to another library's reading, and refused by their lines; matches written for others read back by others."""

from __future__ import annotations

import colour
import numpy as np
import pytest

from tests.core.test_match import colours, pairs_at, treated
from velkin.core.conversion.light import encoded, linear_in
from velkin.core.errors import BadProfile
from velkin.core.icc.transform import to_lab
from velkin.core.match.baked import Amounts, matched
from velkin.core.match.cube_file import Cube, cube_of_text, cube_text, load_cube
from velkin.core.match.export import match_abstract, match_cube, match_icc
from velkin.core.match.solver import learn
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import numbers_of_lab, xyz_to_lab
from velkin.core.spaces.rgb import OPRGB, P3, ROMM, SRGB
from velkin.core.stages.looking import Look
from velkin.core.stages.stage import Flow

RNG = np.random.default_rng(12)


@pytest.fixture(scope="module")
def match():
    here = colours(40, 31)
    return learn(pairs_at(here, treated(here)), name="the journal").match


def lab_of(linear: np.ndarray, space) -> np.ndarray:
    return xyz_to_lab(np.maximum(linear.reshape(-1, 3) @ space.to_xyz.T, 0))


@pytest.mark.parametrize("space", [SRGB, ROMM], ids=lambda s: s.id)
def test_a_written_cube_does_what_the_match_does_by_another_librarys_reading(match, tmp_path, space):
    (tmp_path / "m.cube").write_text(match_cube(match, Amounts(), space, 65))
    table = colour.read_LUT(str(tmp_path / "m.cube"))
    numbers = RNG.random((500, 3)) * 0.8 + 0.05
    found = table.apply(numbers, interpolator=colour.algebra.table_interpolation_tetrahedral)
    meant = matched(space.decode(numbers), space, match, Amounts())
    held = np.all((meant > 0) & (meant < 1), axis=1)
    error = ciede2000(lab_of(space.decode(found), space), lab_of(meant, space))[held]
    assert held.sum() > 200 and error.mean() <= 0.3 and error.max() <= 1.0
    assert table.comments[:1] == [f"input: {space.name}, encoded, 0..1"] or space.name in str(table.comments)


@pytest.mark.parametrize("version", [2, 4])
def test_a_written_profile_does_what_the_match_does_by_littlecms(match, version):
    numbers = RNG.random((400, 3)) * 0.8 + 0.1
    found = to_lab(numbers, match_icc(match, Amounts(), SRGB, version), "rgb")
    meant = lab_of(matched(SRGB.decode(numbers), SRGB, match, Amounts()), SRGB)
    error = ciede2000(found, meant)
    assert error.mean() <= 0.3 and error.max() <= 1.0


@pytest.mark.parametrize("version", [2, 4])
def test_a_written_abstract_profile_does_what_the_match_does_by_littlecms(match, version):
    linear = np.asarray(SRGB.decode(RNG.random((400, 3)) * 0.8 + 0.1))
    found = to_lab(numbers_of_lab(lab_of(linear, SRGB)), match_abstract(match, Amounts(), version), "lab")
    error = ciede2000(found, lab_of(matched(linear, SRGB, match, Amounts()), SRGB))
    assert error.mean() <= 0.3 and error.max() <= 1.0


def random_cube(side: int = 9) -> Cube:
    steps = np.linspace(0, 1, side)
    plain = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1)
    return Cube(np.clip(plain + RNG.normal(0, 0.05, plain.shape), 0, 1), np.zeros(3), np.ones(3), "random")


def test_tables_go_out_and_come_in_as_they_are(tmp_path):
    cube = random_cube()
    (tmp_path / "a.cube").write_text(cube_text(cube.values, 'a "quoted" title', ("one", "two")))
    again = load_cube(tmp_path / "a.cube")
    assert again.values == pytest.approx(cube.values, abs=1e-7) and again.comments == ("one", "two")
    assert again.title == "a 'quoted' title"


@pytest.mark.parametrize("low", [0.0, -0.25])
def test_a_look_is_held_to_another_librarys_tetrahedra(tmp_path, low):
    cube = random_cube()
    text = cube_text(cube.values, "x", ()).replace("DOMAIN_MIN 0.0 0.0 0.0", f"DOMAIN_MIN {low} {low} {low}")
    (tmp_path / "a.cube").write_text(text.replace("DOMAIN_MAX 1.0 1.0 1.0", "DOMAIN_MAX 1.25 1.25 1.25"))
    look = Look(load_cube(tmp_path / "a.cube"), SRGB, SRGB)
    numbers = (RNG.random((300, 3)) * 1.1).astype(np.float32)
    linear = linear_in(numbers[None], SRGB, SRGB)
    found = encoded(look.apply(Flow(linear, SRGB, linear=True)).pixels, SRGB)[0]
    theirs = colour.read_LUT(str(tmp_path / "a.cube"))
    meant = theirs.apply(numbers, interpolator=colour.algebra.table_interpolation_tetrahedral)
    lab, other = (lab_of(SRGB.decode(np.asarray(v, dtype=np.float64)), SRGB) for v in (found, meant))
    assert ciede2000(lab, other).max() <= 0.05


def test_curves_and_strength_and_other_numbers_in_and_out():
    steps = np.linspace(0, 1, 65)
    curves = Cube(np.stack([steps**1.5, steps, steps**0.8], axis=1), np.zeros(3), np.ones(3), "curves")
    linear = (RNG.random((4, 5, 3)) * 0.9 + 0.05).astype(np.float32)
    flow = Flow(linear, ROMM, linear=True)
    numbers = np.clip(OPRGB.encode(linear_in(ROMM.encode(linear).astype(np.float32), ROMM, OPRGB)), 0, 1)
    bent = np.stack([numbers[..., 0] ** 1.5, numbers[..., 1], numbers[..., 2] ** 0.8], axis=-1)
    meant = linear_in(bent.astype(np.float32), P3, ROMM)
    assert Look(curves, OPRGB, P3).apply(flow).pixels == pytest.approx(meant, abs=2e-3)
    assert Look(curves, OPRGB, OPRGB, strength=0.0).apply(flow).pixels == pytest.approx(linear, abs=1e-5)
    half = Look(curves, OPRGB, OPRGB, strength=0.5).apply(flow).pixels
    full = Look(curves, OPRGB, OPRGB).apply(flow).pixels
    assert np.all((half >= np.minimum(linear, full) - 1e-6) & (half <= np.maximum(linear, full) + 1e-6))


def lines(*rows: str) -> str:
    return "\n".join(rows) + "\n"


ROWS = ["0 0 0"] * 8


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "LUT_3D_SIZE or LUT_1D_SIZE"),
        (lines("LUT_3D_SIZE 2", *ROWS[:5]), "8 lines of numbers, and holds 5"),
        (lines("LUT_3D_SIZE 2", *ROWS, "0 0 0"), "holds 9"),
        (lines("LUT_3D_SIZE 2", *ROWS[:7], "0 nan 0"), "line 9"),
        (lines("LUT_3D_SIZE 2", *ROWS[:7], "0 0"), "line 9: 2 numbers"),
        (lines("LUT_3D_SIZE 2", *ROWS[:7], "1 2 x"), "line 9"),
        (lines("LUT_3D_SIZE 130", *ROWS), "from 2 to 129"),
        (lines("LUT_3D_SIZE 1", "0 0 0"), "from 2 to 129"),
        (lines("LUT_3D_SIZE two", *ROWS), "line 1"),
        (lines("LUT_3D_SIZE 2", "LUT_1D_SIZE 2", *ROWS), "either"),
        (lines("LUT_3D_SIZE 2", "DOMAIN_MIN 1 1 1", "DOMAIN_MAX 0 0 0", *ROWS), "upside down"),
        (lines("LUT_3D_SIZE 2", "DOMAIN_MIN 0 0", *ROWS), "line 2"),
    ],
)
def test_a_faulty_table_is_refused_by_its_line(tmp_path, text, says):
    with pytest.raises(BadProfile, match=says):
        cube_of_text(text)
    (tmp_path / "faulty.cube").write_text(text)
    with pytest.raises(BadProfile) as refused:
        load_cube(tmp_path / "faulty.cube")
    assert refused.value.file == tmp_path / "faulty.cube"
