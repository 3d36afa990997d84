"""White balance from greys, spots, cards, and temperature with tint."""

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from velkin.core.cameraprofiles.matrices import ColourMatrices
from velkin.core.charts.built_in import iso24
from velkin.core.charts.greys import from_greys
from velkin.core.charts.read import Choices, PatchReading, Reading
from velkin.core.errors import FitRefused
from velkin.core.files.dng_colour import DNGColour
from velkin.core.spaces.temperature import cct_duv, xy_of_temperature
from velkin.core.whitebalance import from_card, from_spot
from velkin.sim.camera import Camera
from velkin.sim.lights import north_window

CAMERA = ColourMatrices.of(DNGColour(Camera().built_in_matrices(), (17, 21)))
NEUTRAL = Camera().neutral(north_window().power)
KNOWN = NEUTRAL[1] / NEUTRAL


def reading(rgb, **patch):
    chart = iso24()
    patches = tuple(
        PatchReading(i, tuple(v), patch.get("spread", 0.01), 1.0 if i in patch.get("clipped", ()) else 0.0, 0.0)
        for i, v in zip(chart.ids, np.asarray(rgb).tolist(), strict=True)
    )
    return Reading("iso24", ((0, 0), (1, 0), (1, 1), (0, 1)), patches, Choices(left_out=patch.get("left_out", ())), 50)


def chart_rgb(level=0.6):
    return Camera().respond(iso24().reflectances, north_window().power) * level


@settings(max_examples=200, deadline=None)
@given(st.floats(1500, 50000), st.floats(-0.02, 0.02))
def test_temperature_and_duv_come_back_from_their_chromaticity(kelvin, duv):
    again, off = cct_duv(xy_of_temperature(kelvin, duv))
    assert again == pytest.approx(kelvin, rel=0.004)
    assert off == pytest.approx(duv, abs=2e-4)


@settings(max_examples=150, deadline=None)
@given(st.floats(1800, 20000), st.floats(-0.015, 0.015))
def test_a_typed_temperature_is_what_the_balance_shows(kelvin, duv):
    balance = CAMERA.balance_at(kelvin, duv)
    assume(balance.max() < 10)  # where the matrices see nothing of a channel any more, no balance can tell lights apart
    again, off = CAMERA.temperature(balance)
    assert again == pytest.approx(kelvin, rel=0.01)
    assert off == pytest.approx(duv, abs=5e-4)


@pytest.mark.parametrize("kelvin", [1500.0, 50000.0])
def test_the_ends_of_the_range_give_usable_balances(kelvin):
    balance = CAMERA.balance_at(kelvin, 0.0)
    assert np.all(np.isfinite(balance)) and balance.min() > 0 and balance[1] == 1
    assert (balance[2] > balance[0]) == (kelvin < 5000)


def test_the_grey_row_balances_to_the_camera_s_neutral_and_survives_a_bad_patch():
    rgb = chart_rgb()
    good = from_greys(reading(rgb), iso24())
    assert good == pytest.approx(KNOWN, rel=0.01)
    rgb[iso24().ids.index("D3")] *= [1.6, 1.0, 0.7]
    assert from_greys(reading(rgb), iso24()) == pytest.approx(good, rel=0.01)


def test_clipped_and_left_out_greys_do_not_count():
    rgb = chart_rgb()
    rgb[18:20] = 1.0
    assert from_greys(reading(rgb, clipped=("D1", "D2")), iso24()) == pytest.approx(KNOWN, rel=0.015)
    with pytest.raises(FitRefused, match="none of the chart's neutral"):
        from_greys(reading(rgb, left_out=iso24().neutrals), iso24())


def frame(colour, noise=0.01):
    rng = np.random.default_rng(1)
    return (np.asarray(colour) * (1 + rng.normal(0, noise, (80, 120, 3)))).astype(np.float32)


def test_a_spot_is_measured_and_a_plain_one_not_doubted():
    picked = from_spot(frame(0.4 * NEUTRAL), 60, 40, size=15, camera=CAMERA, known=KNOWN)
    assert picked.balance == pytest.approx(tuple(KNOWN), rel=0.01)
    assert picked.doubt == ""


@pytest.mark.parametrize(
    ("image", "words"),
    [
        (frame([1.2, 1.2, 0.5]), "clipped"),
        (frame(0.4 * NEUTRAL * [1, 1, 0.2]), "no usual light|far from"),
        (frame(0.4 * NEUTRAL * [1.6, 1, 0.9]), "far from|no usual light"),
        (frame(0.4 * NEUTRAL, 0.5), "not even"),
    ],
)
def test_a_spot_that_is_perhaps_no_neutral_is_doubted(image, words):
    picked = from_spot(np.clip(image, 0, 1), 60, 40, size=15, camera=CAMERA, known=KNOWN)
    import re

    assert re.search(words, picked.doubt)


def test_a_black_or_outside_spot_is_refused():
    with pytest.raises(FitRefused, match="black"):
        from_spot(frame([0, 0, 0]), 60, 40, size=15, camera=CAMERA, known=KNOWN)
    with pytest.raises(FitRefused, match="outside"):
        from_spot(frame([1, 1, 1]), 500, 40, size=15, camera=CAMERA, known=KNOWN)


def test_a_card_is_measured_on_its_even_part():
    image = frame(0.4 * NEUTRAL)
    image[:, :30] = frame([0.5, 0.05, 0.02])[:, :30]
    assert from_card(image, CAMERA, KNOWN).balance == pytest.approx(tuple(KNOWN), rel=0.02)
