"""Spaces, Lab, differences and temperature against published values and colour-science."""

from dataclasses import field, fields, make_dataclass

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from velkin.core.spaces.adaptation import D50, bradford, xy_to_xyz
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.rgb import BUILT_IN, ROMM, SRGB, RGBSpace, between
from velkin.core.spaces.temperature import cct_duv, xy_of_cct

# Sharma, Wu and Dalal (2005), table 1: the pairs that catch wrong hue arithmetic
SHARMA = [
    ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425),
    ((50, -1.3802, -84.2814), (50, 0, -82.7485), 1.0000),
    ((50, 0, 0), (50, -1, 2), 2.3669),
    ((50, 2.49, -0.001), (50, -2.49, 0.0009), 7.1792),
    ((50, 2.49, -0.001), (50, -2.49, 0.0011), 7.2195),
    ((50, -0.001, 2.49), (50, 0.0009, -2.49), 4.8045),
    ((50, 2.5, 0), (73, 25, -18), 27.1492),
    ((50, 2.5, 0), (58, 24, 15), 19.4535),
    ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ((22.7233, 20.0904, -46.694), (23.0331, 14.973, -42.5619), 2.0373),
    ((90.8027, -2.0831, 1.441), (91.1528, -1.6435, 0.0447), 1.4441),
    ((2.0776, 0.0795, -1.135), (0.9033, -0.0636, -0.5514), 0.9082),
]


@pytest.mark.parametrize(("first", "second", "expected"), SHARMA)
def test_ciede2000_gives_the_published_pairs(first, second, expected):
    assert ciede2000(first, second) == pytest.approx(expected, abs=5e-5)
    assert ciede2000(second, first) == pytest.approx(expected, abs=5e-5)


def test_ciede2000_agrees_with_colour_science_on_many_pairs():
    rng = np.random.default_rng(3)
    a = rng.uniform([0, -100, -100], [100, 100, 100], (2000, 3))
    b = a + rng.normal(0, 8, a.shape)
    assert np.abs(ciede2000(a, b) - colour.delta_E(a, b, method="CIE 2000")).max() < 1e-9


def test_lab_of_white_and_back():
    assert xyz_to_lab(D50) == pytest.approx([100, 0, 0], abs=1e-9)
    rng = np.random.default_rng(1)
    xyz = rng.uniform(-0.02, 1.2, (500, 3))
    assert np.abs(lab_to_xyz(xyz_to_lab(xyz)) - xyz).max() < 1e-12


def test_bradford_takes_white_to_white():
    d65 = xy_to_xyz((0.3127, 0.3290))
    assert bradford(d65, D50) @ d65 == pytest.approx(D50, abs=1e-12)


def test_srgb_matrix_is_the_published_d50_one():
    published = [[0.4360747, 0.3850649, 0.1430804], [0.2225045, 0.7168786, 0.0606169], [0.0139322, 0.0971045, 0.7141733]]
    assert np.abs(SRGB.to_xyz - published).max() < 3e-4  # rounding of white points between sources


@pytest.mark.parametrize("space", BUILT_IN.values(), ids=lambda s: s.id)
def test_white_is_white_in_every_space(space):
    assert space.to_xyz @ np.ones(3) == pytest.approx(D50, abs=2e-4)
    assert space.encode(np.array([0.0, 1.0])) == pytest.approx([0, 1], abs=1e-9)


@pytest.mark.parametrize(
    ("space", "name"),
    [("srgb", "sRGB"), ("oprgb", "Adobe RGB (1998)"), ("p3", "Display P3"), ("romm", "ROMM RGB"), ("bt2020", "ITU-R BT.2020")],
)
def test_curves_agree_with_colour_science(space, name):
    encoded = np.linspace(0, 1, 1001)
    theirs = colour.RGB_COLOURSPACES[name]
    decoded = theirs.cctf_decoding(encoded)
    assert np.abs(BUILT_IN[space].decode(encoded) - decoded).max() < 6e-4


@given(st.floats(-0.5, 1.5), st.sampled_from(sorted(BUILT_IN)))
def test_curves_can_be_undone_also_outside_0_to_1(value, space):
    s = BUILT_IN[space]
    assert float(s.decode(s.encode(np.array(value)))) == pytest.approx(value, abs=1e-9)


def test_float32_pictures_follow_the_float64_curves():
    linear = np.linspace(0, 1, 3 * 5000).reshape(50, 100, 3)
    for space in BUILT_IN.values():
        assert np.abs(space.encode(linear.astype(np.float32)) - space.encode(linear)).max() < 2e-6


def test_wide_and_back_is_the_same():
    there_and_back = between(SRGB, ROMM) @ between(ROMM, SRGB)
    assert np.abs(there_and_back - np.eye(3)).max() < 1e-12


@pytest.mark.parametrize("kelvin", [1800, 2856, 3999, 5003, 6504, 9300, 20000])
def test_temperature_is_that_of_the_light(kelvin):
    xy = xy_of_cct(kelvin)
    found, duv = cct_duv(xy)
    expected, expected_duv = colour.temperature.uv_to_CCT_Ohno2013(_uv(xy))
    assert found == pytest.approx(expected, rel=4e-3)
    assert duv == pytest.approx(expected_duv, abs=1e-4)


def _uv(xy):
    return colour.UCS_to_uv(colour.XYZ_to_UCS(colour.xy_to_XYZ(xy)))


def test_a_space_tells_itself_as_a_dataclass_does():
    """Written files are noted by what their paths tell; a space that told itself otherwise would call them all out of date."""
    twin = make_dataclass("RGBSpace", [(f.name, f.type, field(repr=f.repr)) for f in fields(RGBSpace)])
    for space in (SRGB, ROMM):
        assert repr(space) == repr(twin(**{f.name: getattr(space, f.name) for f in fields(RGBSpace)}))
