"""Finding, reading and judging the 24-patch chart."""

import numpy as np
import pytest

from velkin.core.charts.built_in import chart_named, iso24
from velkin.core.charts.evenness import light_on
from velkin.core.charts.find import find
from velkin.core.charts.judge import Verdict, judge, refuse_unusable
from velkin.core.charts.read import read
from velkin.core.charts.reading_job import read_chart
from velkin.core.charts.refining import refine
from velkin.core.errors import BadChart, ChartNotFound, ReadingRefused
from velkin.core.files.raw import decode
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spectra import parse_light
from velkin.sim.arrangements import tilted_corners
from velkin.sim.camera import Camera
from velkin.sim.lights import north_window, weaving_lamp
from velkin.sim.scenes import Scene

from ..studio import shoot_chart

CHART = iso24()


def scene(corners, size=(1200, 800), light=None, seed=3, clutter=True, level=0.7):
    s = Scene(Camera(), (light or north_window()).power, *size, seed=seed, level=level)
    s.table()
    if clutter:
        s.skein(0.04, 0.5, 10, 0.9, 0.2, "magenta", 2)
        s.cloth(0.9, 0.2, 10, 0.22, 0.22, ("indigo", "natural"), ("indigo", "natural"), "plain", 5)
    if corners is not None:
        s.chart(CHART, corners)
    return s.rgb


def test_reference_is_that_of_the_published_chart():
    lab = xyz_to_lab(CHART.reference(parse_light("D50")))
    red, white = lab[CHART.ids.index("C3")], lab[CHART.ids.index("D1")]
    assert 38 < red[0] < 45 and red[1] > 45 and red[2] > 20
    assert white[0] > 94 and abs(white[1]) < 2
    neutrals = lab[CHART.neutral_rows()]
    assert np.all(np.diff(neutrals[:, 0]) < -8)
    with pytest.raises(BadChart):
        chart_named("unknown")


@pytest.mark.parametrize("turn", range(0, 360, 30))
def test_found_at_any_rotation(turn):
    corners = tilted_corners((600, 400), 520, CHART.aspect, turn, 12, 8)
    found = find(scene(corners), CHART)
    assert np.abs(found.corners - corners).max() < 0.25 * 520 / 6
    assert np.abs(found.corners - corners).max() < 2.0


@pytest.mark.parametrize(("tilt", "lean"), [(0, 0), (25, -10), (-30, 15), (0, 35)])
def test_found_when_tilted(tilt, lean):
    corners = tilted_corners((600, 400), 560, CHART.aspect, 5, tilt, lean)
    assert np.abs(find(scene(corners, light=weaving_lamp()), CHART).corners - corners).max() < 4.0


@pytest.mark.parametrize("width", [130, 250, 800, 1000])
def test_found_small_and_large(width):
    corners = tilted_corners((620, 390), width, CHART.aspect, -8, 6, 4)
    assert np.abs(find(scene(corners, clutter=width < 700), CHART).corners - corners).max() < 0.25 * width / 6


def test_nothing_is_found_where_there_is_none(demo_frames):
    for name in ("north-0402", "north-0412", "lamp-0506", "lamp-0508"):
        with pytest.raises(ChartNotFound, match="place its corners by hand"):
            find(decode(demo_frames / f"{name}.dng", half=True), CHART)


def test_corners_placed_roughly_snap_to_the_edges():
    corners = tilted_corners((600, 400), 560, CHART.aspect, 5, 10, 0)
    rough = corners + np.random.default_rng(1).uniform(-6, 6, (4, 2))
    refined, error = refine(scene(corners), rough, CHART)
    assert np.abs(refined - corners).max() < 1.5
    assert error < 0.05


def test_reading_gives_the_cameras_numbers_of_each_patch():
    corners = tilted_corners((600, 400), 600, CHART.aspect, 3, 5, 0)
    camera, light = Camera(), north_window()
    reading = read(scene(corners, light=light, level=0.7), corners, CHART)
    expected = camera.respond(CHART.reflectances, light.power) * 0.7
    assert np.abs(reading.rgb() / expected - 1).max() < 0.005
    assert all(j.verdict is Verdict.GOOD for j in judge(reading, CHART))


def test_raw_reading_agrees_at_full_and_half_size(chart_dng):
    half = read_chart(chart_dng, CHART)
    full = read(decode(chart_dng), np.array(half.reading.corners), CHART)
    assert np.abs(half.reading.rgb() / full.rgb() - 1).max() < 0.02


def test_clipped_patches_are_named_and_refused(tmp_path):
    shoot_chart(tmp_path / "bright.dng", level=1.25)
    kept = read_chart(tmp_path / "bright.dng", CHART)
    clipping = next(j for j in kept.judgements if j.about == "Clipping")
    assert clipping.verdict is Verdict.REFUSE
    assert "D1" in clipping.patches
    with pytest.raises(ReadingRefused, match=r"D1.*less exposure"):
        refuse_unusable(kept.judgements)


def test_a_grid_turned_by_hand_is_called_wrong():
    corners = tilted_corners((600, 400), 600, CHART.aspect, 0, 0, 0)
    turned = np.roll(corners, 2, axis=0)
    order = next(j for j in judge(read(scene(corners), turned, CHART), CHART) if j.about == "Order")
    assert order.verdict is Verdict.REFUSE
    assert "upside down" in order.finding
    assert "Turn the grid twice" in order.advice


def test_uneven_light_is_measured():
    corners = tilted_corners((600, 400), 600, CHART.aspect, 0, 0, 0)
    s = Scene(Camera(), north_window().power, 1200, 800, seed=1, level=0.6)
    s.light_falls(0.4, 0.0)
    s.table()
    s.chart(CHART, corners)
    assert light_on(read(s.rgb, corners, CHART), CHART).fall() == pytest.approx(0.4 * 600 / 1200, abs=0.03)


@pytest.mark.parametrize(
    ("corners", "words"),
    [
        ([[0, 0], [50, 0], [50, 40], [float("nan"), 40]], "finite"),
        ([[0, 0], [5000, 0], [5000, 40], [0, 40]], "outside the picture"),
        ([[0, 0], [0, 90], [90, 90], [90, 0]], "clockwise"),
        ([[0, 0], [90, 90], [90, 0], [0, 90]], "clockwise"),
        ([[10, 10], [15, 10], [15, 14], [10, 14]], "close together"),
    ],
)
def test_corners_that_cannot_be_a_charts_are_refused(corners, words):
    with pytest.raises(ReadingRefused, match=words):
        read(np.zeros((100, 120, 3), np.float32), np.array(corners, float), CHART)
