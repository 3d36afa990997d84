"""What fitting stands on: the small-difference form of CIEDE2000, plausible surfaces, and seeing beyond the chart."""

import colour
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velkin.core.cameraprofiles.huesat import HueSatMap, from_hsv, mixed_tables, to_hsv
from velkin.core.cameraprofiles.linear_fit import least_squares, refine, white_preserving
from velkin.core.cameraprofiles.models import Matrix, RootPolynomial, Table, as_rows, mixed, root_terms
from velkin.core.cameraprofiles.nearness import lab_slope, metric
from velkin.core.cameraprofiles.sensitivities import seen_through
from velkin.core.cameraprofiles.table_fit import as_table, bend, fit_fields
from velkin.core.cameraprofiles.training import training_of
from velkin.core.charts.built_in import iso24, velkin48
from velkin.core.errors import BadProfile
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import ROMM
from velkin.core.spectra import Illuminant, observer, parse_light
from velkin.core.spectra.surfaces import plausible_surfaces
from velkin.sim.camera import Camera, field_two, pocket_three
from velkin.sim.fit_trials import unseen, unseen_reflectances
from velkin.sim.lights import cool_led, north_window, weaving_lamp

CHART = iso24()


@settings(max_examples=200, deadline=None)
@given(st.floats(5, 98), st.floats(-80, 80), st.floats(-80, 80), st.floats(-1, 1), st.floats(-1, 1), st.floats(-1, 1))
def test_small_differences_have_the_length_of_ciede2000(lightness, a, b, dl, da, db):
    lab, step = np.array([[lightness, a, b]]), 1e-3 * np.array([[dl, da, db]])
    if np.hypot(a, b) < 2.0 or np.abs(step).max() < 1e-5:
        return  # at the neutral axis hue has no direction
    expected = float(colour.difference.delta_E_CIE2000(lab[0], (lab + step)[0]))
    assert float(np.linalg.norm(metric(lab)[0] @ step[0])) == pytest.approx(expected, rel=0.02, abs=1e-6)


def test_the_slope_of_lab_is_that_of_lab():
    xyz = np.random.default_rng(1).random((50, 3)) * D50
    xyz[0] = 0.001 * D50
    for k in range(3):
        step = np.zeros(3)
        step[k] = 1e-7
        expected = (xyz_to_lab(xyz + step) - xyz_to_lab(xyz - step)) / 2e-7
        assert lab_slope(xyz)[..., k] == pytest.approx(expected, rel=1e-4, abs=1e-2)


def test_plausible_surfaces_are_always_the_same_smooth_and_neither_black_nor_white():
    surfaces = plausible_surfaces()
    assert surfaces.shape == (200, 81) and surfaces.min() > 0.02 and surfaces.max() < 0.95
    assert np.abs(np.diff(surfaces, axis=1)).max() < 0.2
    plausible_surfaces.cache_clear()
    assert np.array_equal(plausible_surfaces(), surfaces)
    with pytest.raises(ValueError, match="read-only"):
        surfaces[0] = 0


@pytest.mark.parametrize("light", [north_window(), weaving_lamp(), cool_led()], ids=lambda k: k.name)
@pytest.mark.parametrize("camera", [Camera(), field_two(), pocket_three()], ids=lambda c: c.model)
@pytest.mark.parametrize("chart", [CHART, velkin48()], ids=lambda c: c.id)
def test_a_reading_tells_what_the_camera_sees_of_other_surfaces(camera, light, chart):
    neutral = camera.neutral(light.power)
    rgb = camera.respond(chart.reflectances, light.power) / neutral
    seen = seen_through(rgb, chart.reflectances, light.power)
    wanted = unseen_reflectances()
    truth = camera.respond(wanted, light.power) / neutral
    told = seen.predict(rgb, wanted)
    assert np.abs(told - truth).mean() < 0.01 * truth.mean()
    assert seen.surprise.max() < 3.0
    without = seen.predict(rgb, wanted, np.where(np.arange(len(rgb)) == 4, 0.0, 1.0))
    assert np.abs(without - truth).mean() < 0.02 * truth.mean()


def test_a_camera_that_sees_like_the_observer_is_told_exactly():
    light = parse_light("D55")
    weights = light.power[:, None] * observer()
    rgb = CHART.reflectances @ weights / weights.sum(axis=0)
    wanted = unseen_reflectances()
    truth = wanted @ weights / weights.sum(axis=0)
    told = seen_through(rgb, CHART.reflectances, light.power).predict(rgb, wanted)
    assert told == pytest.approx(truth, abs=1e-4)


@pytest.mark.parametrize("patch", [2, 9, 14, 17])
def test_a_spoilt_patch_is_doubted_and_loses_its_say(patch):
    camera, light = Camera(), north_window()
    neutral = camera.neutral(light.power)
    rgb = camera.respond(CHART.reflectances, light.power) / neutral
    spoilt = rgb.copy()
    spoilt[patch] += 0.25  # a reflection
    seen = seen_through(spoilt, CHART.reflectances, light.power)
    assert int(np.argmax(seen.surprise)) == patch and seen.surprise[patch] > 4.0
    truth = camera.respond(unseen_reflectances(), light.power) / neutral
    assert np.abs(seen.predict(spoilt, unseen_reflectances()) - truth).mean() < 0.02 * truth.mean()
    training = training_of(
        spoilt,
        CHART.reference(Illuminant("", light.power)),
        np.ones(24),
        reflectances=CHART.reflectances,
        light=Illuminant("", light.power),
    )
    assert training.weights[patch] < 0.5 < np.median(training.weights)


def test_training_leaves_one_patch_out_in_every_fit_but_the_first():
    camera, light = Camera(), north_window()
    rgb = camera.respond(CHART.reflectances, light.power) / camera.neutral(light.power)
    reference = CHART.reference(Illuminant("", light.power))
    training = training_of(rgb, reference, np.ones(24), reflectances=CHART.reflectances, light=Illuminant("", light.power))
    weights = training.all_weights()
    assert weights.shape == (25, 224) and training.all_rgb().shape == (25, 224, 3)
    assert np.all(weights[0, :24] > 0) and np.array_equal(np.argwhere(weights[1:, :24] == 0), np.tile(np.arange(24), (2, 1)).T)
    assert weights[0, 24:].sum() == pytest.approx(weights[0, :24].sum())
    bare = training_of(rgb, reference, np.ones(24), reflectances=None, light=Illuminant("", light.power))
    assert not bare.known and bare.all_xyz().shape == (24, 3)


# ---- solvers ------------------------------------------------------------------------------------------------------


def test_the_solvers_find_what_is_there_and_keep_white():
    rng = np.random.default_rng(2)
    rgb = rng.random((60, 3))
    truth = white_preserving(rng.normal(0, 0.3, (3, 5)))
    terms = root_terms(rgb)
    xyz = np.maximum(terms @ truth.T, 1e-3)
    kept = np.all(terms @ truth.T > 2e-3, axis=1)
    terms, xyz = terms[kept][None], xyz[kept]
    weights = np.ones((1, len(xyz)))
    start = least_squares(terms, xyz, weights)
    assert start[0] == pytest.approx(truth, abs=1e-5)
    assert start[0].sum(axis=1) == pytest.approx(D50)
    away = white_preserving(truth[:, 1:] + 0.05)[None]
    assert refine(terms, xyz, weights, start=away, hold=np.zeros((5, 5)), steps=20)[0] == pytest.approx(truth, abs=1e-4)
    held = refine(terms, xyz, weights, start=away, hold=1e9 * np.eye(5), steps=5)[0]
    assert held == pytest.approx(away[0], abs=1e-4)


def test_refining_never_ends_worse_than_it_began():
    rng = np.random.default_rng(5)
    rgb, xyz = rng.random((1, 30, 3)), rng.random((30, 3))
    weights = np.ones((1, 30))
    start = least_squares(rgb, xyz, weights)

    def cost(c):
        return np.sqrt(0.25 + ciede2000(xyz_to_lab(rgb[0] @ c.T), xyz_to_lab(xyz)) ** 2).sum()

    assert cost(refine(rgb, xyz, weights, start=start, hold=np.zeros((2, 2)), steps=12)[0]) <= cost(start[0]) * 1.02


def test_fields_turn_a_family_of_colours_and_leave_neutrals_and_the_far_side_alone():
    rng = np.random.default_rng(3)
    h, s, v = rng.uniform(0, 6, 300), rng.uniform(0.05, 0.9, 300), rng.uniform(0.2, 0.9, 300)
    romm = from_hsv(h, s, v)
    reds = (h < 0.7) | (h > 5.3)
    moved = from_hsv(h + np.where(reds, 0.06, 0.0), s, v)
    fields = fit_fields(romm[None], moved @ ROMM.to_xyz.T, np.ones((1, 300)), stiffness=1.0)[0]
    table = as_table(fields)
    assert table.apply(romm) == pytest.approx(bend(romm, fields), abs=3e-3)
    test = from_hsv(np.array([0.0, 3.0]), np.array([0.5, 0.5]), np.array([0.6, 0.6]))
    turned = to_hsv(table.apply(test))[0]
    assert turned[0] == pytest.approx(0.06, abs=0.025) and turned[1] == pytest.approx(3.0, abs=0.02)
    greys = np.linspace(0, 2, 9)[:, None] * np.ones(3)
    assert table.apply(greys) == pytest.approx(greys)
    edge = from_hsv(np.linspace(0, 5.9, 40), np.ones(40), np.full(40, 0.7))
    assert table.apply(edge) == pytest.approx(edge, abs=1e-6)


# ---- models -------------------------------------------------------------------------------------------------------


@settings(max_examples=100, deadline=None)
@given(st.lists(st.floats(0, 4), min_size=3, max_size=3))
def test_hue_saturation_and_value_come_back(rgb):
    h, s, v = to_hsv(np.array([rgb]))
    assert 0 <= h[0] <= 6 and 0 <= s[0] <= 1
    assert from_hsv(h, s, v)[0] == pytest.approx(rgb, abs=1e-9)


@settings(max_examples=100, deadline=None)
@given(st.lists(st.floats(0, 1), min_size=3, max_size=3), st.floats(0.01, 20))
def test_models_do_the_same_at_every_exposure(rgb, level):
    rows = as_rows(white_preserving(np.array([[0.2, 0.1], [0.7, -0.1], [0.1, 0.6]])))
    roots = as_rows(white_preserving(np.array([[0.2, 0.1, 0.1, 0, 0.05], [0.7, -0.1, 0, 0.1, 0], [0.1, 0.6, 0, 0, 0.1]])))
    bent = np.ones((1, 12, 6, 3), np.float32)
    bent[..., 0] = 4.0
    for model in (Matrix(rows), RootPolynomial(roots), Table(rows, HueSatMap(bent))):
        one, many = model.xyz(np.array(rgb)), model.xyz(level * np.array(rgb))
        assert many == pytest.approx(level * one, rel=1e-6, abs=1e-9)


def test_mixing_two_models_is_linear_and_of_one_kind():
    a, b = (Matrix(as_rows(white_preserving(np.full((3, 2), k)))) for k in (0.1, 0.2))
    rgb = np.array([0.3, 0.5, 0.2])
    assert mixed(a, b, 0.25).xyz(rgb) == pytest.approx(0.25 * a.xyz(rgb) + 0.75 * b.xyz(rgb))
    small, large = (HueSatMap(np.ones((1, n, 4, 3), np.float32)) for n in (6, 12))
    with pytest.raises(BadProfile, match="differ in size"):
        mixed_tables((small, large), (0.5, 0.5))


@pytest.mark.parametrize("shape", [(1, 6, 1, 3), (0, 6, 4, 3), (6, 4, 3), (1, 6, 4, 2)])
def test_tables_of_absurd_shapes_are_refused(shape):
    with pytest.raises(BadProfile):
        HueSatMap(np.ones(shape, np.float32))


def test_unseen_colours_of_the_trials_are_what_they_are_called():
    colours = unseen(Camera(), north_window().power, unseen_reflectances())
    assert colours.rgb.shape == (500, 3) and colours.error(colours.truth) == 0.0
    assert not np.array_equal(unseen_reflectances()[:200], plausible_surfaces())
