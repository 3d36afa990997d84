"""Lights and surfaces against colour-science."""

import colour
import numpy as np
import pytest

from velkin.core.errors import NotSupported, UnreadableFile
from velkin.core.spectra import (
    WAVELENGTHS,
    daylight,
    daylight_xy,
    illuminant_at,
    observer,
    parse_light,
    planckian,
    xyz_of_light,
    xyz_of_surfaces,
)


def test_daylight_agrees_with_colour_science():
    xy = np.array(daylight_xy(6504))
    theirs = colour.sd_CIE_illuminant_D_series(xy, shape=colour.SpectralShape(380, 780, 5)).values
    ours = daylight(6504)
    assert np.abs(ours / ours[36] - theirs / theirs[36]).max() < 2e-3


def test_planckian_agrees_with_colour_science():
    theirs = colour.sd_blackbody(2900, colour.SpectralShape(380, 780, 5)).values
    ours = planckian(2900)
    assert np.abs(ours / ours[36] - theirs / theirs[36]).max() < 1e-4


def test_white_of_d65_and_a():
    for name, xy in (("D65", (0.3127, 0.3290)), ("A", (0.44758, 0.40745))):
        xyz = parse_light(name).white
        assert xyz[:2] / xyz.sum() == pytest.approx(xy, abs=4e-4)


def test_perfect_diffuser_has_the_lights_white():
    power = daylight(5003)
    assert xyz_of_surfaces(np.ones((1, 81)), power)[0] == pytest.approx(xyz_of_light(power), abs=1e-12)
    assert observer().shape == (81, 3)


def test_lights_are_named_by_temperature_and_by_file(tmp_path):
    assert parse_light("2900").name == "2900 K"
    assert parse_light("2900K").name == "2900 K"
    path = tmp_path / "lamp.csv"
    path.write_text("nm,power\n" + "\n".join(f"{w},{p}" for w, p in zip(WAVELENGTHS, planckian(3000), strict=True)))
    assert np.abs(parse_light(str(path)).white - illuminant_at(3000).white).max() < 1e-6


@pytest.mark.parametrize(
    "text", ["400,1\n", "", "400,1\n410,x\n420,1\n430,1\n440,1\n", "400,nan\n410,1\n420,1\n430,1\n440,1\n"]
)
def test_light_files_that_are_none_are_refused(tmp_path, text):
    path = tmp_path / "bad.csv"
    path.write_text(text)
    with pytest.raises(UnreadableFile):
        parse_light(str(path))


@pytest.mark.parametrize("text", ["nonsense", "12", "1e9"])
def test_lights_that_are_none_are_refused(text):
    with pytest.raises(NotSupported):
        parse_light(text)
