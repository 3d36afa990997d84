"""Charts in simulated frames with known faults: found where they are, judged for what is wrong with them."""

import dataclasses
import functools

import cv2
import numpy as np
import pytest

from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.average import average_readings
from velkin.core.charts.built_in import iso24, velkin48
from velkin.core.charts.chart_file import load_chart, save_text
from velkin.core.charts.evenness import evened, light_on
from velkin.core.charts.find import find, find_all
from velkin.core.charts.judge import Verdict, judge
from velkin.core.charts.print_chart import chart_pdf, chart_tiff, print_numbers
from velkin.core.charts.read import Choices, read
from velkin.core.charts.reading_job import read_at, read_chart
from velkin.core.charts.refining import homography, project, snap
from velkin.core.errors import ChartNotFound, ReadingRefused
from velkin.core.files.raw import decode, read_facts
from velkin.core.shoot.recognising import recognised_chart, recognised_neutral
from velkin.sim.printing import measured_print
from velkin.sim.trials import empty_trial, make_trial

CHARTS = {"iso24": iso24(), "velkin48": velkin48()}


@functools.lru_cache(maxsize=40)
def trial(seed, name, fault="none", share=None, tilt=None):
    return make_trial(seed, CHARTS[name], fault, share, tilt)


def off_by(found, t):
    pitch = np.linalg.norm(t.corners[1] - t.corners[0]) / t.chart.columns
    return float(np.hypot(*(found.corners - t.corners).T).max()) / pitch


def judged(t, corners=None, choices=None):
    at = t.corners if corners is None else corners
    return {j.about: j for j in judge(read(t.image, at * 2, t.chart, 0.5, choices), t.chart)}


@pytest.mark.parametrize("name", CHARTS)
@pytest.mark.parametrize(("share", "tilt"), [(0.08, 0), (0.09, 30), (0.2, 45), (0.5, 20), (0.6, 0)])
def test_found_at_any_size_turn_and_tilt(name, share, tilt):
    for seed in (1, 2):
        t = trial(seed, name, "none", share, tilt)
        found = find_all(t.image, t.chart)
        assert len(found) == 1
        assert off_by(found[0], t) < 0.1
        assert found[0].confidence > 0.3
        assert found[0].turn_margin > 0.2


@pytest.mark.parametrize("seed", range(6))
def test_nothing_is_found_where_there_is_no_chart(seed):
    for chart in CHARTS.values():
        with pytest.raises(ChartNotFound):
            find(empty_trial(seed, chart).image, chart)


def test_one_chart_is_not_taken_for_the_other():
    t = trial(3, "velkin48", "none", 0.4, 10)
    assert find_all(t.image, iso24()) == []
    assert recognised_chart(t.image, CHARTS.values()).chart.id == "velkin48"


def test_two_charts_are_both_found():
    one, two = trial(4, "iso24", "none", 0.35, 5), trial(5, "iso24", "none", 0.3, 5)
    wide = np.concatenate([one.image, two.image], axis=1)
    found = find_all(wide, iso24())
    assert len(found) == 2
    middles = sorted(float(f.corners[:, 0].mean()) for f in found)
    assert middles[0] < 1500 < middles[1]


def test_a_file_that_counted_the_other_way_is_found_transposed(tmp_path):
    """Names A1…D6 without a stated row length: letters are taken for columns, and the picture shows that they are rows."""
    path = tmp_path / "chart.csv"
    path.write_text(save_text(iso24(), path))
    chart = load_chart(path)
    assert (chart.columns, chart.rows) == (4, 6)
    t = trial(6, "iso24", "none", 0.4, 10)
    found = find(t.image, chart)
    assert (found.chart.columns, found.chart.rows) == (6, 4)
    assert off_by(found, t) < 0.1


def test_finished_pictures_are_read_in_their_own_numbers(tmp_path):
    chart = velkin48()
    page = tmp_path / "page.tif"
    page.write_bytes(chart_tiff(chart))
    kept = read_chart(page, chart)
    assert kept.reading.rgb() == pytest.approx(print_numbers(chart), abs=2e-4)
    assert all(j.verdict is Verdict.GOOD for j in kept.judgements), kept.judgements
    assert chart_pdf(chart).startswith(b"%PDF-1.7") and chart_pdf(chart).count(b" re f") == 49


@pytest.mark.parametrize(
    ("fault", "about", "refused"),
    [
        ("glare", "Glare", False), ("shadow", "Shadow", True), ("uneven", "Light", False), ("clipped", "Clipping", True),
        ("buried", "Noise", True), ("blurred", "Focus", True), ("small", "Size", True), ("turned", "Order", True),
    ],
)  # fmt: skip
@pytest.mark.parametrize("name", CHARTS)
def test_each_fault_is_called_by_its_name_and_its_patches(name, fault, about, refused):
    for seed in (11, 12):
        t = trial(seed, name, fault)
        found = judged(t, np.roll(t.corners, 2, axis=0) if fault == "turned" else None)
        assert found[about].verdict is not Verdict.GOOD, (seed, found[about].finding)
        assert found[about].advice
        if refused:
            assert found[about].verdict is Verdict.REFUSE
        if t.patches and fault == "shadow":
            named = set(found[about].patches)
            assert len(named & set(t.patches)) >= 0.6 * len(t.patches)


@pytest.mark.parametrize("name", CHARTS)
@pytest.mark.parametrize("seed", range(20, 26))
def test_a_good_frame_raises_no_alarm(name, seed):
    t = trial(seed, name, "none", 0.3, 20)
    assert {about for about, j in judged(t).items() if j.verdict is not Verdict.GOOD} == set()


def test_another_chart_is_called_so():
    t = trial(7, "velkin48", "none", 0.4, 10)
    order = next(j for j in judge(read(t.image, t.corners * 2, iso24(), 0.5), iso24()) if j.about == "Order")
    assert order.verdict is Verdict.REFUSE
    assert "not this chart's" in order.finding


def test_leaving_the_shadowed_patches_out_settles_the_shadow():
    t = trial(12, "iso24", "shadow")
    out: set[str] = set()
    for _ in range(4):  # the soft edge of the shadow is named once what lies deep in it is gone
        shadow = judged(t, choices=Choices(left_out=tuple(out)))["Shadow"]
        out |= set(shadow.patches)
    assert shadow.verdict is Verdict.GOOD
    assert len(out) <= 20


def test_uneven_light_is_divided_out():
    t = trial(13, "iso24", "uneven")
    reading = read(t.image, t.corners * 2, t.chart, 0.5)
    light = light_on(reading, t.chart)
    assert light.fall() > 0.12
    flat = evened(reading, light, t.chart)
    assert light_on(flat, t.chart).fall() < 0.03
    assert judged(t, choices=Choices(even_light=True))["Light"].verdict is Verdict.GOOD


def test_a_moved_patch_is_read_where_it_was_moved_to():
    t = trial(1, "iso24", "none", 0.5, 20)
    plain = read(t.image, t.corners * 2, t.chart, 0.5)
    moved = read(t.image, t.corners * 2, t.chart, 0.5, Choices(moved=(("A1", 1.0, 0.0),)))
    assert moved.rgb()[0] == pytest.approx(plain.rgb()[1], rel=0.05)
    assert moved.rgb()[1:] == pytest.approx(plain.rgb()[1:])


def test_snapping_brings_a_rough_placement_onto_the_edges():
    t = trial(1, "velkin48", "none", 0.5, 20)
    pitch = np.linalg.norm(t.corners[1] - t.corners[0]) / 8
    rough = t.corners + 0.17 * pitch * np.array([[1, -1], [-1, 1], [1, 1], [-1, -1]])
    corners, error = snap(t.image, rough, t.chart)
    assert np.hypot(*(corners - t.corners).T).max() < 0.02 * pitch
    assert error < 0.03


def test_average_of_readings_at_different_exposures_has_less_noise():
    chart = iso24()
    t = trial(14, "iso24", "none", 0.4, 5)
    base = read(t.image, t.corners * 2, chart, 0.5)
    rng = np.random.default_rng(1)
    noisy = []
    for gain in (1.0, 0.7, 1.3, 0.9):
        rgb = base.rgb() * gain * (1 + rng.normal(0, 0.03, (24, 3)))
        patches = tuple(dataclasses.replace(p, rgb=tuple(v)) for p, v in zip(base.patches, rgb.tolist(), strict=True))
        noisy.append(dataclasses.replace(base, patches=patches))
    mean = average_readings(noisy)

    def off(reading):
        ratio = reading.rgb() / base.rgb()
        return float((ratio / np.median(ratio) - 1).std())

    assert off(mean) < 0.7 * off(noisy[0])
    with pytest.raises(ReadingRefused, match="different charts"):
        average_readings([base, dataclasses.replace(base, chart="other")])


def test_a_measured_print_differs_from_the_nominal_chart_and_stays_readable(tmp_path):
    measured = measured_print(velkin48(), "own print")
    difference = np.abs(measured.reference_d50() - velkin48().reference_d50()).max()
    assert 0.005 < difference < 0.1
    path = tmp_path / "print.txt"
    path.write_text(save_text(measured, path))
    assert load_chart(path).marks


def test_chart_and_neutral_frames_of_the_demo_are_spotted_and_no_others(demo_frames):
    roles = {}
    for path in sorted(demo_frames.glob("*.dng")):
        image, facts = decode(path, half=True), read_facts(path)
        chart = recognised_chart(image, CHARTS.values())
        neutral = None if chart else recognised_neutral(image, built_in(facts), facts.as_shot)
        roles[path.stem] = "chart" if chart else "neutral" if neutral else ""
    assert {k: v for k, v in roles.items() if v} == {
        "lamp-0501": "chart", "lamp-0502": "neutral", "north-0401": "chart", "north-0402": "neutral"
    }  # fmt: skip


def test_a_reading_by_hand_outside_the_picture_is_refused():
    t = trial(1, "iso24", "none", 0.5, 20)
    with pytest.raises(ReadingRefused, match="outside the picture"):
        read_at(t.image, t.corners * 2 + 4000, t.chart, scale=0.5)


def test_a_blurred_frame_shows_its_blur_in_shares_of_a_patch():
    t = trial(1, "iso24", "none", 0.5, 0)
    pitch = float(np.linalg.norm(t.corners[1] - t.corners[0])) / 6
    soft = cv2.GaussianBlur(t.image, (0, 0), 0.2 * pitch)
    reading = read(soft, t.corners * 2, t.chart, 0.5)
    assert reading.edge_blur == pytest.approx(0.2 / 0.85, rel=0.15)
    assert project(homography(t.corners), np.zeros((1, 2)))[0] == pytest.approx(t.corners[0], abs=1e-3)


@pytest.mark.parametrize(("name", "about"), [("north-0497", "Glare"), ("north-0498", "Shadow"), ("north-0499", "Light")])
def test_the_demo_s_faulty_frames_are_judged_for_their_fault(demo_frames, name, about):
    kept = read_chart(demo_frames.parent / "faults" / f"{name}.dng", iso24())
    spoke = {j.about for j in kept.judgements if j.verdict is not Verdict.GOOD}
    assert about in spoke
    assert spoke <= {about, "Light"}, "a wide glare is uneven light too; nothing else is wrong here"
    fit_refused = any(j.verdict is Verdict.REFUSE for j in kept.judgements)
    assert fit_refused == (about == "Shadow")
