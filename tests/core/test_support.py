"""Support: colours beyond what the chart showed are found, those among its patches are not called so."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from velkin.core.charts.built_in import iso24
from velkin.core.charts.support import missing_in, support_of
from velkin.core.errors import FitRefused
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spectra import Illuminant, xyz_of_surfaces
from velkin.sim.camera import Camera
from velkin.sim.dyes import DYES, DyeBath
from velkin.sim.fit_trials import chart_rgb, reading_of
from velkin.sim.lights import north_window
from velkin.sim.samples import sample_chart
from velkin.sim.support_trials import left_out_but, support_trials


def test_dyes_beyond_the_chart_are_found_and_those_within_are_not_called_so():
    """Acceptance over all cameras, two lights and three charts: 90 % of what lies clearly beyond is found, at most 10 % of what lies within
    is called so by mistake.
    """
    trials = list(support_trials())
    assert len(trials) == 18
    for t in trials:
        assert t.found >= 0.75 * t.beyond and t.false <= 0.1 * t.within, t
    assert sum(t.found for t in trials) >= 0.9 * sum(t.beyond for t in trials) > 1000
    assert sum(t.false for t in trials) <= 0.1 * sum(t.within for t in trials)


@pytest.fixture
def support():
    chart = iso24()
    return support_of([(reading_of(chart, chart_rgb(Camera(), north_window().power, chart)), chart)])


def test_the_amount_of_light_plays_no_part_and_the_dark_is_not_judged(support):
    chart = iso24()
    rgb = chart_rgb(Camera(), north_window().power, chart)
    greys = rgb[chart.neutral_rows()]
    assert not support.beyond(greys).any() and not support.beyond(greys * 0.1).any()
    strong = np.array([[0.9, 0.05, 0.3], [0.45, 0.025, 0.15]])
    far = support.beyond(strong)
    assert far[0] > 0.5 and far[0] == pytest.approx(far[1], abs=1e-5)
    assert support.beyond(strong * 1e-4).tolist() == [0, 0]


def test_what_is_missing_is_told_by_how_much_of_the_picture_it_is(support):
    picture = np.concatenate(
        [np.full((60, 3), 0.4), np.tile([0.9, 0.05, 0.3], (30, 1)), np.tile([0.02, 0.05, 0.6], (10, 1))]
    ).astype(np.float32)
    found = missing_in(picture, support.beyond(picture))
    assert [round(m.share, 2) for m in found] == [0.3, 0.1]
    assert found[0].rgb == pytest.approx((0.9, 0.05, 0.3), rel=1e-4)
    assert missing_in(picture[:50], support.beyond(picture[:50])) == ()


def test_a_chart_of_greys_vouches_for_nothing():
    chart, left_out = iso24(), left_out_but(iso24().neutral_rows())
    reading = reading_of(chart, np.outer(np.linspace(0.1, 0.9, 24), [1.0, 1.0, 1.0]))
    with pytest.raises(FitRefused, match="too few colours"):
        support_of([(replace(reading, choices=replace(reading.choices, left_out=left_out)), chart)])


def test_samples_of_what_is_missing_let_the_chart_vouch_for_more():
    """Dyed near the colours that a picture of strong dyes lacks, and put beside the chart, they vouch for most of it."""
    chart, camera, light = iso24(), Camera(), north_window()
    reading = reading_of(chart, chart_rgb(camera, light.power, chart))
    strong = np.vstack([DyeBath(((name, 1.0),)).reflectance(np.array([2.0, 3.0, 4.0])) for name in DYES])
    picture = camera.respond(strong, light.power)
    before = support_of([(reading, chart)])
    missing = missing_in(picture.astype(np.float32), before.beyond(picture).ravel())
    adapt = bradford(Illuminant("", light.power).white, D50)
    out = before.beyond(picture) > 0
    wanted = xyz_to_lab(xyz_of_surfaces(strong[out], light.power) @ adapt.T)
    samples = sample_chart([tuple(v) for v in wanted], "samples")
    assert samples.reflectances.shape == (12, 81) and len(missing) >= 1
    beside = reading_of(samples, chart_rgb(camera, light.power, samples))
    after = support_of([(reading, chart), (beside, samples)])
    assert (after.beyond(picture) > 0).sum() < 0.5 * out.sum()
