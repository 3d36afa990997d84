"""Scenes and raw files of the stand-ins: what is drawn is spectral and exact where a test needs it."""

from datetime import datetime
from fractions import Fraction

import numpy as np
import pytest
import rawpy
import tifffile

from velkin.core.charts.built_in import iso24
from velkin.core.shoot.frame import Role
from velkin.core.spectra import daylight, planckian
from velkin.sim.arrangements import tilted_corners
from velkin.sim.camera import Camera, Sensor, studio_one_sensitivities
from velkin.sim.dng import Shot, write_dng
from velkin.sim.dyes import BATHS, WOOL, smooth_reflectances
from velkin.sim.lights import north_window, weaving_lamp
from velkin.sim.scenes import Scene
from velkin.sim.sittings import LAMP, NORTH

CHART = iso24()


def scene(seed=1, size=(600, 400), light=None):
    return Scene(Camera(), (light or north_window()).power, *size, seed=seed, level=0.5)


def test_flat_corners_without_tilt_are_a_rectangle_of_the_right_shape():
    corners = tilted_corners((300, 200), 240, 1.5, 0, 0)
    assert corners == pytest.approx(np.array([[180, 120], [420, 120], [420, 280], [180, 280]]))
    turned = tilted_corners((300, 200), 240, 1.5, 90, 0)
    assert turned[0] == pytest.approx([380, 80])
    tilted = tilted_corners((300, 200), 240, 1.5, 0, 30)
    assert tilted[1, 0] - tilted[0, 0] != pytest.approx(tilted[2, 0] - tilted[3, 0])


@pytest.mark.parametrize("light", [north_window(), weaving_lamp()], ids=lambda k: k.name)
def test_every_patch_has_its_own_spectral_colour(light):
    s = scene(light=light)
    corners = tilted_corners((300, 200), 420, CHART.aspect, 0, 0)
    s.chart(CHART, corners)
    expected = Camera().respond(CHART.reflectances, light.power) * 0.5
    for index, (u, v) in enumerate(CHART.centres()):
        x, y = corners[0] + (u, v) * (corners[2] - corners[0])
        assert s.rgb[int(y), int(x)] == pytest.approx(expected[index], rel=1e-4)
    gap = corners[0] + (CHART.boxes()[0, 2] + 0.004, CHART.centres()[0, 1]) * (corners[2] - corners[0])
    assert s.rgb[int(gap[1]), int(gap[0])].max() < 0.2 * expected[0].max() + 0.02


def test_glare_brightens_its_patch_only():
    plain, glary = scene(), scene()
    corners = tilted_corners((300, 200), 420, CHART.aspect, 4, 8)
    plain.chart(CHART, corners)
    glary.chart(CHART, corners, gloss=("A6", 0.4))
    changed = np.abs(glary.rgb - plain.rgb).max(axis=2) > 1e-4
    share = changed.mean() / (420 * 420 / CHART.aspect / 600 / 400)
    assert 0.02 < share < 0.05


def test_light_falls_off_as_asked():
    s = scene()
    s.light_falls(0.4, 0.0)
    assert s.lit[:, 0].mean() == pytest.approx(1.2, abs=0.01)
    assert s.lit[:, -1].mean() == pytest.approx(0.8, abs=0.01)
    assert s.lit.mean() == pytest.approx(1.0, abs=0.01)


def test_the_card_is_neutral_for_the_camera():
    s = scene()
    s.card(tilted_corners((300, 200), 360, 1.45, 3, 5), grey=0.42)
    middle = s.rgb[150:250, 220:380].reshape(-1, 3).mean(axis=0)
    neutral = Camera().neutral(north_window().power)
    assert middle / middle[1] == pytest.approx(neutral / neutral[1], rel=1e-3)
    assert middle[1] == pytest.approx(0.42 * 0.5, rel=0.01)


@pytest.mark.parametrize("place", [(-0.4, 0.5), (1.3, 0.5), (0.5, -0.6), (0.5, 1.7), (3.0, 3.0), (0.02, 0.02)])
def test_things_beyond_the_edge_do_no_harm(place):
    s = scene()
    s.paper()
    s.skein(*place, 30, 0.8, 0.2, "teal", 3)
    s.cloth(*place, 10, 0.3, 0.3, ("indigo",), ("natural",), "twill", 4)
    assert np.all(np.isfinite(s.rgb)) and s.rgb.min() > -1e-3


@pytest.mark.parametrize("weave", ["plain", "twill", "herringbone", "basket"])
def test_weaves_show_both_yarns(weave):
    s = scene()
    s.cloth(0.5, 0.5, 0, 0.5, 0.5, ("indigo",), ("orange",), weave, 8)
    middle = s.rgb[150:250, 220:380].reshape(-1, 3)
    ratio = middle[:, 2] / np.maximum(middle[:, 0], 1e-6)
    assert np.percentile(ratio, 95) > 3 * np.percentile(ratio, 5)


def test_deeper_baths_reflect_less():
    for bath in BATHS.values():
        light, deep = bath.reflectance(np.array([0.2, 2.0]))
        assert np.all(deep <= light + 1e-12)
        assert np.all(bath.reflectance(np.array([0.0]))[0] == pytest.approx(WOOL))


def test_test_colours_are_smooth_and_repeatable():
    colours = smooth_reflectances(50, seed=3)
    assert np.array_equal(colours, smooth_reflectances(50, seed=3))
    assert not np.array_equal(colours, smooth_reflectances(50, seed=4))
    assert colours.min() >= 0.03 and colours.max() <= 0.92
    assert np.abs(np.diff(colours, n=2, axis=1)).max() < 0.05


def test_sensitivities_overlap_and_are_positive():
    s = studio_one_sensitivities()
    assert s.shape == (81, 3) and s.min() >= 0
    unit = s / np.linalg.norm(s, axis=0)
    overlap = unit.T @ unit
    assert 0.1 < overlap[0, 1] < 0.8 and 0.1 < overlap[1, 2] < 0.8


def test_built_in_matrices_are_mediocre_not_absurd():
    camera = Camera()
    for power in (daylight(6504), planckian(2856)):
        matrix = camera.built_in_matrix(power)
        colours = smooth_reflectances(60, seed=9)
        from velkin.core.spectra import xyz_of_surfaces

        predicted = xyz_of_surfaces(colours, power) @ matrix.T
        true = camera.respond(colours, power)
        error = np.abs(predicted - true).max() / true.max()
        assert 0.02 < error < 0.35


def test_noise_grows_with_the_root_of_light():
    rng = np.random.default_rng(2)
    sensor = Sensor(vignetting=0.0)
    spread = []
    for level in (0.1, 0.4):
        raw = sensor.expose(np.full((300, 300, 3), level, np.float32), rng)
        spread.append(float(raw.std()))
    assert spread[1] / spread[0] == pytest.approx(2.0, rel=0.05)


def test_vignetting_darkens_the_corners():
    raw = Sensor(vignetting=0.3).expose(np.full((200, 300, 3), 0.5, np.float32), np.random.default_rng(1)).astype(float) - 512
    assert raw[:20, :20].mean() / raw[90:110, 140:160].mean() == pytest.approx(0.73, abs=0.03)


def test_raw_files_are_valid_dng_for_two_readers(tmp_path):
    camera = Camera()
    shot = Shot(datetime(2026, 2, 3, 4, 5, 6), Fraction(1, 125), 5.6, 200, np.array([0.8, 1.0, 0.6]), orientation=8)
    path = tmp_path / "a.dng"
    mosaic = np.random.default_rng(1).integers(512, 16383, (60, 80)).astype(np.uint16)
    write_dng(path, mosaic, camera, shot)
    with tifffile.TiffFile(path) as dng:
        page = dng.pages[0]
        assert np.array_equal(page.asarray(), mosaic)
        assert page.tags["DNGVersion"].value == b"\x01\x04\x00\x00" or tuple(page.tags["DNGVersion"].value) == (1, 4, 0, 0)
        assert page.tags["UniqueCameraModel"].value == camera.model
        assert page.tags["WhiteLevel"].value == 16383
    with rawpy.imread(str(path)) as raw:
        assert np.array_equal(raw.raw_image, mosaic)
        assert raw.color_desc == b"RGBG"
        assert raw.raw_pattern.tolist() == [[0, 1], [3, 2]]
        balance = np.array(raw.camera_whitebalance[:3])
        assert balance / balance[1] == pytest.approx([1 / 0.8, 1, 1 / 0.6], rel=1e-4)
        assert raw.sizes.flip != 0


def test_the_shoot_has_two_lights_each_with_chart_and_neutral_first():
    for sitting in (NORTH, LAMP):
        assert [f.role for f in sitting.frames] == [Role.CHART, Role.NEUTRAL, *[Role.SUBJECT] * 4]
