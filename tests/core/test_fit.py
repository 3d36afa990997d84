"""Fitting the matrix: exact where it can be, honest where it cannot, refusing what is absurd."""

import numpy as np
import pytest

from velkin.core.cameraprofiles.builtin import BuiltInProfile, built_in
from velkin.core.cameraprofiles.fit import FitRequest, fit, fit_matrix, least_squares_matrix, patch_errors
from velkin.core.cameraprofiles.profile import load_profile, profile_from_json
from velkin.core.charts.built_in import iso24
from velkin.core.charts.read import Choices, PatchReading, Reading
from velkin.core.charts.reading_job import read_chart
from velkin.core.errors import BadProfile, FitRefused
from velkin.core.files.raw import DNGColour, read_facts
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spectra import Illuminant, parse_light, xyz_of_surfaces
from velkin.core.whitebalance import from_greys
from velkin.sim.camera import Camera
from velkin.sim.dyes import smooth_reflectances
from velkin.sim.madderfold import light_of

CHART = iso24()
NEUTRALS = CHART.neutral_rows()


def clean(light):
    camera = Camera()
    return camera.respond(CHART.reflectances, light) / camera.neutral(light), CHART.reference(Illuminant("", light))


def reading_of(rgb):
    return Reading(
        "iso24",
        ((0, 0), (1, 0), (1, 1), (0, 1)),
        tuple(PatchReading(i, tuple(c), 0.0, 0.0, 0.0) for i, c in zip(CHART.ids, rgb, strict=True)),
        Choices(),
        50,
    )


def test_a_camera_that_is_a_matrix_is_found_exactly():
    reference = CHART.reference(parse_light("D50"))
    truth = np.array([[0.6, 0.25, 0.1142], [0.2, 0.9, -0.1], [0.02, 0.1, 0.7049]])
    truth[:, 2] = D50 - truth[:, :2].sum(axis=1)
    rgb = reference @ np.linalg.inv(truth).T
    matrix, left_out = fit_matrix(rgb * 0.37, reference, NEUTRALS)
    assert np.abs(matrix - truth).max() < 1e-6
    assert left_out.max() < 1e-3
    errors, exposure = patch_errors(rgb * 0.37, matrix, reference, NEUTRALS)
    assert errors.max() < 1e-3
    assert exposure == pytest.approx(1 / 0.37, rel=1e-6)


@pytest.mark.parametrize("light", ["north", "lamp"])
def test_white_stays_white_and_the_chart_is_within_the_goal(light):
    rgb, reference = clean(light_of(light).power)
    matrix, left_out = fit_matrix(rgb, reference, NEUTRALS)
    assert matrix @ np.ones(3) == pytest.approx(D50, abs=1e-12)
    errors, _ = patch_errors(rgb, matrix, reference, NEUTRALS)
    assert errors.mean() <= 1.1
    assert errors.mean() <= left_out.mean() <= 1.5


@pytest.mark.parametrize("light", ["north", "lamp"])
def test_unseen_dyes_are_predicted_better_than_by_plain_least_squares(light):
    power = light_of(light).power
    camera = Camera()
    rgb, reference = clean(power)
    scale = reference[NEUTRALS, 1].sum() / rgb[NEUTRALS, 1].sum()
    unseen = smooth_reflectances(200, seed=77)
    seen_by_camera = camera.respond(unseen, power) / camera.neutral(power)
    truth = xyz_to_lab(xyz_of_surfaces(unseen, power) @ bradford(Illuminant("", power).white, D50).T)

    def error(matrix):
        return ciede2000(xyz_to_lab(seen_by_camera @ matrix.T), truth).mean()

    assert error(fit_matrix(rgb, reference, NEUTRALS)[0]) < error(least_squares_matrix(rgb * scale, reference)) < 1.2


def test_one_bad_patch_does_not_bend_the_fit():
    rgb, reference = clean(light_of("north").power)
    good = fit_matrix(rgb, reference, NEUTRALS)[0]
    bad = rgb.copy()
    bad[5] += 0.35
    matrix = fit_matrix(bad, reference, NEUTRALS)[0]
    others = np.arange(24) != 5
    before = patch_errors(rgb, good, reference, NEUTRALS)[0][others].mean()
    assert patch_errors(rgb, matrix, reference, NEUTRALS)[0][others].mean() < before + 1.2


@pytest.mark.parametrize("name", ["north-0401", "lamp-0501"])
def test_demo_charts_are_within_the_goal_and_better_than_built_in(demo_frames, name):
    path = demo_frames / f"{name}.dng"
    facts = read_facts(path)
    profile = fit(FitRequest(read_chart(path, CHART).reading, CHART, facts.unique, built_in(facts)))
    f = profile.figures
    assert f.mean <= 1.3
    assert f.mean < 0.5 * f.before
    assert f.leave_one_out < 1.5
    assert abs(profile.cct / (6500 if "north" in name else 2900) - 1) < 0.08
    assert profile_from_json(profile.to_json()) == profile


def test_absurd_readings_are_refused_in_words():
    same = np.full((24, 3), 0.3)
    with pytest.raises(FitRefused, match="do not differ in colour"):
        fit_matrix(same, CHART.reference(parse_light("D50")), NEUTRALS)
    with pytest.raises(FitRefused, match="neutral"):
        from_greys(reading_of(np.zeros((24, 3))), CHART)


def test_chart_balance_makes_the_greys_neutral():
    rgb, _ = clean(light_of("lamp").power)
    cast = rgb * [1.4, 1.0, 0.35]
    balance = from_greys(reading_of(cast), CHART)
    greys = (cast * balance)[NEUTRALS[1:4]]
    assert np.abs(greys / greys[:, 1:2] - 1).max() < 0.02


def test_built_in_profile_keeps_neutral_neutral_and_finds_the_temperature():
    camera = Camera()
    profile = BuiltInProfile(DNGColour(camera.built_in_matrices(), (17, 21)))
    for light, kelvin in (("A", 2856), ("D65", 6504), ("4500", 4500)):
        balance = 1 / camera.neutral(parse_light(light).power)
        assert profile.matrix(balance / balance[1]) @ np.ones(3) == pytest.approx(D50, abs=1e-9)
        assert profile.temperature(balance / balance[1])[0] == pytest.approx(kelvin, rel=0.08)


@pytest.mark.parametrize(
    "text",
    [
        "",
        "[]",
        "{}",
        "nonsense",
        '{"format": "Velkin camera profile", "version": 9}',
        '{"format": "Velkin camera profile", "version": 1}',
    ],
)
def test_files_that_are_no_profile_are_refused(tmp_path, text):
    path = tmp_path / "p.json"
    path.write_text(text)
    with pytest.raises(BadProfile) as caught:
        load_profile(path)
    assert caught.value.file == path


def test_profiles_with_absurd_numbers_are_refused(demo_frames):
    facts = read_facts(demo_frames / "north-0401.dng")
    profile = fit(FitRequest(read_chart(facts.path, CHART).reading, CHART, facts.unique, built_in(facts)))
    text = profile.to_json()
    first = repr(profile.matrix[0][0])
    for wrong in ("NaN", "1e300", '"x"', "[1]"):
        with pytest.raises(BadProfile):
            profile_from_json(text.replace(first, wrong, 1))
