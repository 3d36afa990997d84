"""The colour path on pixels: neutral stays neutral, nothing is clipped before its time, counts are counts."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velkin.core.cameraprofiles.highlights import balanced
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.cameraprofiles.models import Matrix, as_rows
from velkin.core.cameraprofiles.tone import standard_curve
from velkin.core.conversion.codes import codes_of_light, histogram_of_light
from velkin.core.conversion.light import carried
from velkin.core.conversion.outside import ends_of, measure_outside, outside_mask
from velkin.core.files.raw import read_facts
from velkin.core.path import path_of
from velkin.core.render import to_working
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.rgb import BUILT_IN, ROMM, SRGB, between
from velkin.core.stages.camera import CameraStage, built_in_stage

PLAIN = CameraStage((2.0, 1.0, 1.5), "as shot", Matrix(as_rows(ROMM.to_xyz)))


@settings(max_examples=40, deadline=None)
@given(st.floats(0.01, 0.4), st.sampled_from(sorted(BUILT_IN)), st.floats(-2, 2))
def test_neutral_stays_neutral_through_every_space(level, working, exposure):
    camera = np.full((2, 3, 3), level, np.float32) / np.array(PLAIN.balance, np.float32)
    path = path_of(PLAIN, BUILT_IN[working], SRGB, exposure=exposure)
    linear = to_working(camera, path)
    assert np.abs(carried(linear, path.working, SRGB) / (level * 2**exposure) - 1).max() < 2e-3


def test_saturated_colours_keep_their_numbers_until_the_last_step():
    path = path_of(PLAIN, ROMM, SRGB)
    camera = np.array([[[0.0, 0.6, 0.1]]], np.float32)
    there = carried(to_working(camera, path), path.working, SRGB)
    assert there.min() < -0.05
    exact = between(ROMM, SRGB) @ np.array([0.0, 0.6, 0.15])
    assert there[0, 0] == pytest.approx(exact, abs=1e-5)


def test_a_bright_colour_that_is_not_saturated_is_not_clipped():
    out = balanced(np.array([[[0.9, 0.4, 0.2]]], np.float32), (2.0, 1.0, 1.5))
    assert out[0, 0] == pytest.approx([1.8, 0.4, 0.3])


@pytest.mark.parametrize("multipliers", [(2.0, 1.0, 1.5), (0.7, 1.0, 2.9)])
def test_blown_highlights_are_neutral(multipliers):
    out = balanced(np.ones((1, 1, 3), np.float32), multipliers)
    assert np.ptp(out) < 1e-6


def test_encoding_is_exact_to_a_code():
    linear = np.linspace(-0.1, 1.1, 90000).reshape(100, 300, 3).astype(np.float32)
    for space in BUILT_IN.values():
        exact = space.encode(np.clip(linear.astype(np.float64), 0, 1))
        assert np.abs(codes_of_light(linear, space, 16) - exact * 65535).max() <= 2
        assert np.abs(codes_of_light(linear, space, 8) - exact * 255).max() <= 0.51
        assert np.abs(codes_of_light(linear, space, 8, dither=True) - exact * 255).max() <= 1.01


def test_dither_is_repeatable_and_keeps_the_mean():
    linear = np.full((256, 256, 3), 0.2003, np.float32)
    first, second = codes_of_light(linear, SRGB, 8, dither=True), codes_of_light(linear, SRGB, 8, dither=True)
    assert np.array_equal(first, second)
    assert first.mean() == pytest.approx(float(SRGB.encode(np.array(0.2003))) * 255, abs=0.02)


def test_outside_follows_both_tolerances():
    low, high = ends_of(SRGB)
    assert low.shape == high.shape == (3,)
    low, high = float(low[0]), float(high[0])
    assert low == pytest.approx(-0.5 / 255 / 12.92, rel=1e-6)
    assert high == pytest.approx(((1 + 0.5 / 255 + 0.055) / 1.055) ** 2.4, rel=1e-6)
    linear = np.array([[[low * 0.9, 0.5, 0.5], [low * 1.1, 0.5, 0.5], [0.5, high * 1.001, low * 2]]], np.float32)
    measured = measure_outside(linear, SRGB)
    assert (measured.pixels, measured.outside) == (3, 2)
    assert [(c.low, c.high) for c in measured.channels] == [(1, 0), (0, 1), (1, 0)]
    assert outside_mask(linear, SRGB).tolist() == [[False, True, True]]


def test_counts_agree_with_plain_arithmetic_on_random_pixels():
    linear = np.random.default_rng(1).normal(0.4, 0.5, (70, 80, 3)).astype(np.float32)
    low, high = ends_of(SRGB)
    out = (linear < low) | (linear > high)
    measured = measure_outside(linear, SRGB)
    assert measured.outside == int(out.any(axis=2).sum())
    assert histogram_of_light(linear, SRGB).sum(axis=1).tolist() == [5600] * 3
    plain = np.histogram(SRGB.encode(np.clip(linear[..., 1].astype(float), 0, 1)), bins=128, range=(0, 1))[0]
    assert np.abs(histogram_of_light(linear, SRGB)[1] - plain).max() <= 4


def test_built_in_path_of_a_raw_file(chart_dng):
    facts = read_facts(chart_dng)
    stage = built_in_stage(facts)
    assert np.array(stage.colours.matrix) @ np.ones(3) == pytest.approx(D50, abs=1e-9)
    assert np.array(stage.colours.matrix) == pytest.approx(built_in(facts).matrix(facts.as_shot))
    camera = np.random.default_rng(2).random((4, 5, 3)).astype(np.float32) * 0.4
    plain, lifted = (to_working(camera, path_of(stage, ROMM, SRGB, exposure=e)) for e in (0.0, 1.0))
    assert lifted == pytest.approx(2 * plain, rel=1e-5)


def test_exposure_comes_before_a_profiles_tone():
    """A stop more light, then the curve: not the curve, then twice its light."""
    rng = np.random.default_rng(4)
    camera = (rng.random((6, 7, 3)) * 0.3).astype(np.float32)
    toned = replace(PLAIN, tone=standard_curve())
    lifted = to_working(camera, path_of(toned, ROMM, SRGB, exposure=1.0))
    plain = to_working(camera, path_of(PLAIN, ROMM, SRGB)).astype(np.float64)
    assert lifted == pytest.approx(standard_curve().apply(2.0 * plain), abs=2e-4)
    assert np.abs(lifted - 2.0 * standard_curve().apply(plain)).max() > 0.02
