"""Proof: what is outside, by colour and by tone; what a destination shows; the solids of spaces; intents side by side."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from velkin.core.conversion.conversion import Conversion, is_destination
from velkin.core.conversion.light import from_linear
from velkin.core.conversion.outside import measure_outside
from velkin.core.errors import BadProfile
from velkin.core.gamut import masks
from velkin.core.gamut import solid as solids
from velkin.core.gamut.ease import ease
from velkin.core.gamut.easing import BRUSHED, DETAIL, Place, Stroke, full_strength, new_easing
from velkin.core.gamut.intents import advice, best_of, renderings
from velkin.core.gamut.membership import measure, outside, outside_of
from velkin.core.gamut.roundtrip import outside_by_profile, own_error, there_and_back
from velkin.core.gamut.simulation import Paper, linear_there, lost_there, white_seen
from velkin.core.gamut.solid import chromaticities, common, solid_of, uv_prime
from velkin.core.icc.space import LAB, grays, plain_ink, profile_of, space_of
from velkin.core.icc.transform import Intent, device_values, to_lab
from velkin.core.measures import NUMBERS, loss_of, measure_proof, measure_source
from velkin.core.path import path_of
from velkin.core.render import shown, to_working
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.pictures import lab
from velkin.core.spaces.rgb import BUILT_IN, OPRGB, P3, ROMM, SRGB, between
from velkin.core.spaces.volume import lab_volume
from velkin.core.stages.source import PictureSource
from velkin.sim.press import paper_white, press_profile
from velkin.sim.screens import DESKTOP, LAPTOP, screen_profile

RNG = np.random.default_rng(8)


@pytest.fixture(scope="module")
def press():
    return space_of(press_profile(4))


def noise(height=120, width=160, low=0.0, high=1.0):
    """Random colours in ROMM RGB, even in encoded numbers."""
    return np.asarray(ROMM.decode(RNG.random((height, width, 3)) * (high - low) + low), dtype=np.float32)


# ---- outside ------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("space", [SRGB, OPRGB, P3], ids=lambda s: s.id)
def test_counts_by_channel_and_end_are_those_of_plain_arithmetic(space) -> None:
    picture = noise(low=-0.02, high=1.05)
    found, mask = measure(picture, Conversion(ROMM, space))
    there = (picture.astype(np.float64) @ between(ROMM, space).T).astype(np.float32)
    plain = measure_outside(there, space)
    assert abs(found.outside - plain.outside) <= 2 and found.pixels == picture.shape[0] * picture.shape[1]
    assert np.allclose(found.shares(), plain.shares(), atol=2e-4)
    assert found.outside == mask.sum() and 0 < found.tone < found.outside


def test_too_bright_is_told_from_too_saturated() -> None:
    picture = np.full((10, 30, 3), 0.5, dtype=np.float32)
    picture[:, :10] = 1.3  # a grey that is too bright: tone
    picture[:, 10:20] = (0.1, 0.6, 0.05)  # a green that is not too bright: colour
    found, _ = measure(picture, Conversion(ROMM, SRGB))
    assert (found.outside, found.tone, found.largest) == (200, 100, 200)
    red, _, blue = found.channels
    assert (red.low, red.low_tone, red.high, red.high_tone) == (100, 0, 100, 100)
    assert (blue.low, blue.low_tone) == (100, 0)


def test_the_largest_patch_is_counted_also_across_corners() -> None:
    picture = np.full((60, 80, 3), 0.4, dtype=np.float32)
    for rows, columns in ((slice(5, 15), slice(5, 25)), (slice(15, 20), slice(25, 30)), (slice(40, 50), slice(50, 60))):
        picture[rows, columns] = (0.1, 0.6, 0.05)
    found, _ = measure(picture, Conversion(ROMM, SRGB))
    assert (found.outside, found.largest) == (200 + 25 + 100, 225)


def test_shares_from_the_table_are_those_of_every_pixel(press) -> None:
    """COLOUR.md: within 0.1 percentage point of exact per-pixel computation on the full picture."""
    picture = noise(400, 500)
    found, mask = measure(picture, Conversion(ROMM, press))
    exact = there_and_back(lab(picture, ROMM).reshape(-1, 3).astype(np.float64), press) > 1.0 + own_error(press)
    assert abs(found.share - exact.mean()) < 0.001
    assert (mask.ravel() != exact).mean() < 0.002


def test_dark_colours_are_lost_by_tone_on_paper(press) -> None:
    dark, deep = np.full((4, 4, 3), 0.001, np.float32), np.full((4, 4, 3), 0.2, np.float32)
    deep[..., 1:] = (0.02, 0.3)
    for picture, tone in ((dark, 16), (deep, 0)):
        found, _ = measure(picture, Conversion(ROMM, press))
        assert (found.outside, found.tone) == (16, tone)
    assert len(found.channels) == 4 and max(max(e.low, e.high) for e in found.channels) == 16


def test_what_a_space_holds_is_asked_in_lab_too(press) -> None:
    linear = noise(50, 60)
    colours = xyz_to_lab(linear.reshape(-1, 3) @ ROMM.to_xyz.T)
    assert (outside_of(colours, SRGB) != outside(linear, Conversion(ROMM, SRGB)).ravel()).mean() < 1e-3
    assert np.array_equal(outside_of(colours, press), outside_by_profile(colours, press))


# ---- there --------------------------------------------------------------------------------------------------------


def test_numbers_and_colours_there_are_little_cms_own(press) -> None:
    linear = noise(90, 100)  # more than are asked directly: tables are used
    for intent, point in ((Intent.RELATIVE, True), (Intent.PERCEPTUAL, False)):
        c = Conversion(ROMM, press, intent, point)
        encoded = np.clip(ROMM.encode(linear.reshape(-1, 3).astype(np.float64)), 0, 1)
        meant = device_values(encoded, profile_of(ROMM), "rgb", press.icc, "cmyk", intent=intent, black_point=point)
        found = from_linear(linear, c).reshape(-1, 4)
        assert np.abs(found - meant).mean() < 0.003
        seen = lab(linear_there(linear, c, Paper(black=True)), ROMM).reshape(-1, 3)
        error = np.linalg.norm(seen - to_lab(meant, press.icc, "cmyk"), axis=1)
        assert error.mean() < 0.1 and np.percentile(error, 99) < 0.8


def test_paper_and_ink_are_simulated_on_demand(press) -> None:
    ends = np.zeros((2, 3000, 3), dtype=np.float32)
    ends[0] = 1.0
    c = Conversion(ROMM, press)
    plain, ink, paper = (lab(linear_there(ends, c, p), ROMM)[:, 0] for p in (Paper(), Paper(black=True), Paper(True, True)))
    assert np.allclose(plain[:, 0], [100, 0], atol=1.0)  # white is white and black is black
    assert abs(ink[0, 0] - 100) < 1 and 10 < ink[1, 0] < 25
    white = xyz_to_lab(paper_white())
    assert np.abs(paper[0] - white).max() < 1.0 and np.abs(np.array(white_seen(press)) - white).max() < 0.5
    few = linear_there(ends[:, :2], c, Paper(True, True))
    assert np.abs(lab(few, ROMM)[:, 0] - paper).max() < 0.3
    assert white_seen(SRGB) == (100.0, 0.0, 0.0)


def test_nothing_is_lost_of_what_a_space_of_curves_holds() -> None:
    linear = noise(50, 60)
    c = Conversion(ROMM, SRGB)
    lost, out = lost_there(linear, c), outside(linear, c)
    assert lost[~out].max() < 0.2 and lost[out].mean() > 2


@pytest.mark.parametrize("destination", ["srgb", "press", "gray-22"])
@pytest.mark.parametrize("easing", [(), full_strength(), (new_easing(DETAIL),)], ids=["plain", "knee", "detail"])
def test_everything_said_of_a_picture_agrees_with_itself(destination, easing, press) -> None:

    to = {"press": press, "gray-22": grays()["gray-22"]}.get(destination) or BUILT_IN[destination]
    path = path_of(PictureSource(ROMM), ROMM, to).eased_by(*easing)
    picture = noise(60, 80)
    said, mask = measure_proof(picture, path)
    assert said.there.sum(axis=1).tolist() == [4800] * len(said.after.channels)
    assert said.after.outside == mask.sum() and said.after.share <= said.before.share
    assert (said.change is None) == (not easing)


@pytest.mark.parametrize("destination", ["srgb", "press"])
@pytest.mark.parametrize("known", [False, True], ids=["every pixel", "sampled"])
def test_easings_that_do_not_act_change_nothing(destination, known, press) -> None:
    """What is painted on a picture of another shape is set aside."""
    to = {"press": press}.get(destination) or BUILT_IN[destination]
    aside = replace(full_strength()[0], place=Place(BRUSHED, strokes=(Stroke(((0.5, 0.5, 1.0),)),), painted_on=(80, 61)))
    path = path_of(PictureSource(ROMM), ROMM, to)
    numbers = (noise(61, 80).clip(0, 1) * 65535).astype(np.uint16)
    first, _ = measure_proof(to_working(numbers, path), path)
    for stroke_on, changes in (((80, 61), True), ((61, 80), False)):
        eased = path.eased_by(replace(aside, place=replace(aside.place, painted_on=stroke_on)))
        said = measure_source(numbers, eased, first if known else None).proofed
        assert (said.change is not None) is changes
        assert (said.after == said.before) is not changes


@pytest.mark.parametrize("destination", ["srgb", "press"])
@pytest.mark.parametrize("easing", [(), full_strength(), (new_easing(DETAIL),)], ids=["plain", "knee", "detail"])
@pytest.mark.parametrize("known", [False, True], ids=["every pixel", "sampled"])
def test_a_picture_measured_in_bands_is_measured_as_a_whole(destination, easing, known, press, monkeypatch) -> None:
    to = {"press": press}.get(destination) or BUILT_IN[destination]
    path = path_of(PictureSource(ROMM), ROMM, to).eased_by(*easing)
    numbers = (noise(61, 80).clip(0, 1) * 65535).astype(np.uint16)
    first, _ = measure_proof(to_working(numbers, path), path)
    whole = measure_source(numbers, path, first if known else None)
    monkeypatch.setattr(masks, "BAND", 700)
    bands = measure_source(numbers, path, first if known else None)
    assert np.array_equal(bands.here, whole.here) and bands.here_outside == whole.here_outside
    assert np.array_equal(bands.proofed.there, whole.proofed.there)
    assert (bands.proofed.before, bands.proofed.after) == (whole.proofed.before, whole.proofed.after)
    assert bands.proofed.loss.mean == pytest.approx(whole.proofed.loss.mean, rel=1e-5)
    assert (whole.proofed.before, whole.proofed.after, whole.proofed.change) == (first.before, first.after, first.change)
    counts, lost = loss_of(numbers, path)
    assert counts == first.after and lost.mean() == pytest.approx(first.loss.mean, rel=1e-5)
    assert NUMBERS >= 1_000_000


def one_way():
    """A press profile without its way back from colours to inks."""
    return space_of(press_profile(4).replace(b"B2A", b"zzz"))


def test_a_profile_that_cannot_be_a_destination_says_so() -> None:
    assert not is_destination(LAB) and not is_destination(one_way())
    for work in (measure, lost_there, lambda p, c: ease(p, ROMM, c.destination, full_strength())):
        with pytest.raises(BadProfile):
            work(noise(8, 8), Conversion(ROMM, one_way()))
    assert outside_of(np.array([[60.0, 0, 0], [60, 120, 0]]), one_way()).tolist() == [False, True]  # its solid is known


def test_pictures_are_drawn_through_the_screens_profile() -> None:
    picture = noise(30, 40)
    for name, space in (("laptop", LAPTOP), ("desktop", DESKTOP)):
        read = space_of(screen_profile(name))
        codes = shown(picture, ROMM, read)
        linear = np.clip(picture @ between(ROMM, space).T, 0, 1)
        assert np.abs(codes - 255 * space.encode(linear)).max() <= 1.5
    red = np.array([[[0.5, 0.1, 0.1]]], dtype=np.float32)
    assert shown(red, ROMM, LAPTOP)[0, 0, 0] >= shown(red, ROMM, DESKTOP)[0, 0, 0]
    table = plain_ink()
    assert shown(picture, ROMM, table).shape == (30, 40, 4)  # any profile with a way back can be looked through


# ---- solids -------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("space", list(BUILT_IN.values())[:6], ids=lambda s: s.id)
def test_volumes_are_those_of_two_other_ways(space) -> None:
    found = solid_of(space)
    assert found.volume == pytest.approx(lab_volume(space), rel=0.005)  # the divergence theorem over the cube's faces
    if space.id in ("romm", "bt2020"):
        return
    low, high = np.array([0, -135.0, -140.0]), np.array([100, 135.0, 160.0])
    points = low + RNG.random((600_000, 3)) * (high - low)
    linear = lab_to_xyz(points) @ space.from_xyz.T
    share = ((linear >= 0) & (linear <= 1)).all(axis=1).mean()
    assert found.volume == pytest.approx(share * np.prod(high - low), rel=0.01)
    held = found.holds(points)
    assert (held != ((linear >= 0) & (linear <= 1)).all(axis=1)).mean() < 0.004


def test_inks_that_only_take_light_away_fill_the_space_they_take_it_from() -> None:
    ink, srgb = solid_of(plain_ink()), solid_of(SRGB)
    assert ink.volume == pytest.approx(srgb.volume, rel=0.01)
    assert common(ink, srgb) == pytest.approx(srgb.volume, rel=0.01)


def test_what_two_solids_share_is_less_than_either(press) -> None:
    a, b = solid_of(press), solid_of(SRGB)
    assert common(a, b) == pytest.approx(common(b, a), rel=0.01)
    assert 0.8 < common(a, b) / a.volume < 1 and common(a, a) == pytest.approx(a.volume, rel=1e-3)
    assert common(solid_of(SRGB), solid_of(P3)) / b.volume > 0.98


def test_outlines_slices_and_chromaticities() -> None:
    green = xyz_to_lab(SRGB.to_xyz[:, 1])
    outline = solid_of(SRGB).outline(float(green[0]))
    assert np.min(np.linalg.norm(outline - green[1:], axis=1)) < 4
    assert np.allclose(chromaticities(SRGB)[:3], SRGB.primaries) and len(chromaticities(grays()["gray-22"])) == 0
    assert np.allclose(uv_prime(np.array([[0.3127, 0.3290]])), [[0.1978, 0.4683]], atol=1e-4)
    device = chromaticities(space_of(press_profile(4)))
    assert np.allclose(device[0], device[-1]) and len(device) > 5 and device.min() > 0.05
    gray = solid_of(grays()["gray-l"])
    assert gray.volume == 0 and not gray.holds(np.array([[50.0, 5.0, 0.0]]))[0] and len(gray.lightness) == solids.SLICES


# ---- intents ------------------------------------------------------------------------------------------------------


def test_intents_are_compared_by_what_they_lose(press) -> None:
    picture = noise(60, 90)
    picture[:20] = np.linspace(0.02, 0.95, 90, dtype=np.float32)[None, :, None]
    found, pictures = renderings(picture, ROMM, press)
    names = [r.name for r in found]
    assert names == ["media-relative colorimetric", "perceptual", "saturation", "ICC-absolute colorimetric"]
    for r, there in zip(found, pictures, strict=True):
        assert there.shape == picture.shape and 0 <= r.texture_lost <= 1 and 0.3 < r.contrast < 1.1
        assert 0 < r.mean < r.p95
    assert found[3].neutral_shift > found[0].neutral_shift - 1
    best = best_of(found)
    assert best.intent is not Intent.ABSOLUTE and best.loss == min(r.loss for r in found[:3])
    assert "loses least here" in advice(found) and best.name in advice(found).lower()


def test_between_spaces_of_curves_easing_is_the_other_way() -> None:
    found, _ = renderings(noise(60, 90), ROMM, SRGB)
    assert [r.eased for r in found] == [False, True]
    flat = np.full((20, 30, 3), 0.4, dtype=np.float32)
    same, _ = renderings(flat, ROMM, SRGB)
    assert same[0].mean < 0.01 and same[0].texture_lost == 0 and "the same" in advice(same)


def test_a_destination_that_serves_no_intent_is_refused() -> None:
    with pytest.raises(BadProfile):
        renderings(noise(8, 8), ROMM, one_way())
