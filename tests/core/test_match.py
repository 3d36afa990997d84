"""Matches: pairs are met, nothing folds, nothing far from all evidence moves, and what cannot be had is said."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velkin.core.errors import BadProfile, FitRefused
from velkin.core.match.aligned import pairs_of_aligned
from velkin.core.match.baked import Amounts, carried, matched, table_of_match, through_table
from velkin.core.match.curve import rising_through
from velkin.core.match.gathering import pairs_of_table
from velkin.core.match.judging import cube_of, jacobians
from velkin.core.match.match import Part
from velkin.core.match.match_file import KeptMatch, load_match, match_from_json, match_to_json
from velkin.core.match.pair import Origin, Pair, chroma, coordinates, difference, oklab_at
from velkin.core.match.solver import Wish, learn
from velkin.core.match.support import distances
from velkin.core.path import path_of
from velkin.core.render import numbers_here, to_working
from velkin.core.spaces.oklab import oklab_to_xyz, xyz_to_oklab
from velkin.core.spaces.rgb import P3, ROMM, SRGB, between
from velkin.core.stages.matching import Matched
from velkin.core.stages.source import PictureSource
from velkin.core.stages.stage import Alters, Place


def colours(count: int, seed: int) -> np.ndarray:
    """Coordinates of colours of sRGB, many of them dark."""
    return coordinates(xyz_to_oklab(np.random.default_rng(seed).random((count, 3)) ** 2.2 @ SRGB.to_xyz.T))


def pairs_at(here: np.ndarray, wanted: np.ndarray, origin: Origin = Origin.PINS, spread: float = 0.3) -> list[Pair]:
    rows = zip(oklab_at(here), oklab_at(wanted), strict=True)
    return [Pair(tuple(h), tuple(w), origin, str(n + 1), spread) for n, (h, w) in enumerate(rows)]


def away(here: np.ndarray, seed: int, least: float = 3.0, most: float = 18.0) -> np.ndarray:
    rng = np.random.default_rng(seed)
    way = rng.normal(size=here.shape)
    return here + way / np.linalg.norm(way, axis=1, keepdims=True) * rng.uniform(least, most, (len(here), 1))


@settings(max_examples=25, deadline=None)
@given(st.integers(1, 24), st.integers(0, 10_000))
def test_free_pairs_are_met_exactly_without_folds_and_nothing_far_moves(count, seed):
    here = colours(count, seed)
    wanted = away(here, seed + 1)
    learnt = learn(pairs_at(here, wanted), Wish(exact=1.0))
    at_odds = {int(n) - 1 for c in learnt.figures.contradictions for n in (c.first, c.second)}
    crowded = {i for i in range(count) if np.count_nonzero(distances(here[i : i + 1], here) < 2.0) > 1}
    free = [i for i in range(count) if i not in at_odds | crowded]
    errors = np.array(learnt.figures.errors)
    assert len(free) == 0 or errors[free].max() <= 0.5
    assert learnt.figures.steepness.folds == 0.0
    x = cube_of(ROMM, 9)
    far = distances(x, here).min(axis=1) > 60.0
    moved = np.linalg.norm(learnt.match.at(x) - x, axis=1)
    assert not far.any() or moved[far].max() <= 0.15 * np.linalg.norm(wanted - here, axis=1).max()


def test_the_exact_match_is_exact_and_the_even_one_smoother():
    here = colours(20, 5)
    wanted = away(here, 6)
    exact, even = (learn(pairs_at(here, wanted), Wish(exact=e)).figures for e in (1.0, 0.0))
    assert exact.mean < 0.05 < even.mean
    assert even.steepness.largest_gain < exact.steepness.largest_gain


def treated(x: np.ndarray) -> np.ndarray:
    """A smooth treatment: hues turned, chroma by hue, an s-curve of lightness."""
    hue, size, light = np.arctan2(x[:, 2], x[:, 1]), chroma(x), np.clip(x[:, 0] / 100, 0, 1)
    turned, bent = hue + 0.25 * np.sin(2 * hue), size * (1 + 0.2 * np.cos(hue))
    toned = 100 * (0.4 * (3 * light**2 - 2 * light**3) + 0.6 * light)
    return np.stack([toned, bent * np.cos(turned), bent * np.sin(turned)], axis=1)


def test_left_out_colours_follow_a_smooth_change():
    here = colours(60, 8)
    learnt = learn(pairs_at(here, treated(here)))
    seen = colours(400, 9)
    inside = distances(seen, here).min(axis=1) < 12.0
    errors = difference(learnt.match.at(seen), treated(seen))[inside]
    assert errors.mean() < 0.5 and inside.sum() > 100
    assert learnt.figures.before > 3.0


def greys(count: int = 7) -> np.ndarray:
    return np.stack([np.linspace(8, 95, count), np.zeros(count), np.zeros(count)], axis=1)


def test_greys_stay_are_made_neutral_or_follow():
    tinted = greys() + np.array([0.0, 3.0, -5.0])
    toned = np.stack([100 * (greys()[:, 0] / 100) ** 1.2, np.full(7, 2.0), np.full(7, 3.0)], axis=1)
    bright = colours(12, 3)
    here, wanted = np.concatenate([tinted, bright]), np.concatenate([toned, away(bright, 4)])
    ladder = greys(40)
    kept = learn(pairs_at(here, wanted), Wish("keep", exact=1.0)).match
    assert np.abs(kept.at(ladder) - ladder).max() < 1e-9
    neutral = learn(pairs_at(here, wanted), Wish("neutral", exact=1.0)).match
    assert chroma(neutral.at(tinted)).max() < 0.3
    followed = learn(pairs_at(here, wanted), Wish("reference", exact=1.0)).match
    assert np.abs(followed.at(tinted) - toned).max() < 0.3


def test_a_flat_picture_is_brought_to_normal_first_and_a_normal_one_is_not():
    wanted = np.concatenate([greys(), colours(20, 12)])
    flat = np.stack([30 + 0.45 * wanted[:, 0], 0.5 * wanted[:, 1], 0.5 * wanted[:, 2]], axis=1)
    learnt = learn(pairs_at(flat, wanted), Wish(normalise="auto"))
    normalising = learnt.match.normalising
    assert normalising.changes and normalising.chroma == pytest.approx(2.0, abs=0.3)
    assert learnt.figures.mean < 0.2 * learnt.figures.before
    assert not learn(pairs_at(wanted, wanted + 1.0), Wish(normalise="auto")).match.normalising.changes


def test_pairs_that_ask_opposite_things_are_named():
    here = np.array([[50.0, 20, 0], [50.3, 20, 0], [80.0, 0, 30]])
    wanted = here + np.array([[0.0, 15, 0], [0, -15, 0], [0, 0, 1]])
    learnt = learn(pairs_at(here, wanted))
    found = learnt.figures.contradictions
    assert [(c.first, c.second) for c in found] == [("1", "2")]
    assert "no smooth change gives both" in found[0].words() and learnt.figures.steepness.folds == 0.0


def test_no_pair_and_no_colour_are_refused():
    with pytest.raises(FitRefused, match="no pair"):
        learn([])
    with pytest.raises(FitRefused, match="odd one"):
        learn([Pair((np.nan, 0, 0), (0.5, 0, 0), Origin.PINS, "odd one")])
    with pytest.raises(FitRefused, match="weight"):
        learn([Pair((0.4, 0, 0), (0.5, 0, 0), Origin.PINS, "x", weight=0.0)])


@given(st.lists(st.tuples(st.floats(0, 100), st.floats(0, 100)), min_size=1, max_size=12), st.booleans())
@settings(max_examples=60, deadline=None)
def test_curves_rise_everywhere(points, ends):
    x, y = np.array(points).T
    at = rising_through(x, y, np.ones(len(x)), ends).at(np.linspace(-10, 110, 200))
    assert np.all(np.diff(at) > 0)


def test_amounts_take_so_much_of_colour_and_of_lightness():
    here = colours(8, 2)
    match = learn(pairs_at(here, away(here, 3)), Wish(exact=1.0)).match
    whole = match.at(here) - here
    for colour, lightness in ((0.0, 1.0), (1.0, 0.0), (0.5, 0.25)):
        found = carried(match, Amounts(colour, lightness), here) - here
        assert found == pytest.approx(whole * np.array([lightness, colour, colour]), abs=1e-9)
    stronger = carried(match, Amounts(0.5, 1.0).times(1.5), here) - here
    assert stronger == pytest.approx(whole * np.array([1.5, 0.75, 0.75]), abs=1e-9)


@pytest.mark.parametrize("count", [1, 3, 5])
def test_few_pairs_are_met_however_uncertain_they_are(count):
    here = np.array([[45.0, 50.0, -20.0], [60.0, -40.0, -20.0], [75.0, 15.0, 60.0], [30.0, 0.0, 0.0], [55.0, 60.0, 40.0]])[
        :count
    ]
    learnt = learn(pairs_at(here, away(here, 5), spread=3.0))
    assert learnt.figures.exact == 1.0 and learnt.figures.worst < 0.5 < 1.5 < learnt.figures.before


def a_flat_picture_and_what_is_wanted(seed: int) -> list[Pair]:
    rng = np.random.default_rng(seed)
    here = np.stack([rng.uniform(40, 65, 24), rng.uniform(-15, 15, 24), rng.uniform(-15, 15, 24)], axis=1)
    wanted = np.stack([2.2 * (here[:, 0] - 40) + 20, here[:, 1] * 2.5 + 2.0, here[:, 2] * 2.4], axis=1)
    return pairs_at(here, wanted, Origin.CHART)


def test_bringing_to_normal_is_a_step_of_its_own():
    pairs = a_flat_picture_and_what_is_wanted(0)
    match = learn(pairs, Wish(normalise="auto")).match
    here = coordinates([p.here for p in pairs])
    first, rest = match.part(Part.NORMAL), match.part(Part.MATCH)
    assert match.normalising.changes and match.part(Part.BOTH) is match
    assert np.allclose(first.at(here), match.normal(here)) and np.allclose(rest.at(first.at(here)), match.at(here))
    # amounts are those of the match; a strength is that of all of it
    half = carried(rest, Amounts(0.5, 0.0), carried(first, Amounts(), here))
    assert np.allclose(half, carried(match, Amounts(0.5, 0.0), here))
    assert np.allclose(half[:, 0], match.normal(here)[:, 0])
    assert np.allclose(carried(match, Amounts().times(0.0), here), here)
    assert np.allclose(carried(match, Amounts().times(0.5), here) - here, (carried(match, Amounts(), here) - here) / 2.0)


def test_the_table_of_a_match_is_the_match():
    here = colours(30, 21)
    match = learn(pairs_at(here, treated(here))).match
    linear = (np.random.default_rng(5).random((40, 50, 3)) ** 2.2).astype(np.float32)
    found = through_table(linear, table_of_match(match, Amounts(), P3)).reshape(-1, 3)
    meant = matched(linear.reshape(-1, 3).astype(np.float64), P3, match, Amounts())
    got, wanted = (coordinates(xyz_to_oklab(v @ P3.to_xyz.T)) for v in (found, meant))
    error = difference(got, wanted)
    assert error.mean() < 0.1 and error.max() < 1.0


# ---- as a stage -----------------------------------------------------------------------------------------------------


def test_a_match_is_one_more_stage_of_a_path():
    here = colours(12, 7)
    match = learn(pairs_at(here, away(here, 8, 2, 6)), name="the other camera").match
    plain = path_of(PictureSource(SRGB), ROMM, P3)
    path = plain.put(Place.LOOK, Matched(match, strength=0.8))
    line = path.describe()[1]
    assert line.words == "matched to the other camera, 80\u202f%" and line.alters is Alters.BOTH
    assert path.keeps_numbers is False and plain.keeps_numbers is True and path.here == SRGB
    numbers = np.random.default_rng(1).random((5, 6, 3)).astype(np.float32)
    moved, still = to_working(numbers, path), to_working(numbers, plain)
    meant = matched(still.reshape(-1, 3).astype(np.float64), SRGB, match, Amounts(0.8, 0.8)).reshape(still.shape)
    assert np.abs(moved - meant).max() < 0.01 and np.abs(moved - still).max() > 0.01
    assert numbers_here(numbers, path) == pytest.approx(SRGB.encode(moved), abs=1e-4)
    assert np.array_equal(to_working(numbers, plain.put(Place.LOOK, Matched(match, strength=0.0))), still)
    assert hash(path) == hash(plain.put(Place.LOOK, Matched(match, strength=0.8)))


def test_a_kept_match_comes_back_the_same(tmp_path):
    here = colours(9, 4)
    kept = KeptMatch("spring", tuple(pairs_at(here, away(here, 5))), Wish("keep", "auto", 0.7, True), Amounts(0.8, 0.1))
    (tmp_path / "m.json").write_text(match_to_json(kept))
    again = load_match(tmp_path / "m.json")
    assert again == kept and again.learnt().match == kept.learnt().match


@pytest.mark.parametrize(
    "text", ["", "{}", "[1]", '{"format": "Velkin match", "version": 99}', '{"format": "other", "version": 1}']
)
def test_what_is_no_match_is_refused(text):
    with pytest.raises(BadProfile):
        match_from_json(text)


# ---- aligned pictures -----------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def scene() -> np.ndarray:
    """A picture (linear ROMM) of smooth coloured things with soft edges and some texture, of colours as things have them."""
    rng = np.random.default_rng(40)
    coarse = rng.random((12, 16, 3)).astype(np.float32)
    smooth = np.clip(cv2.resize(coarse, (800, 600), interpolation=cv2.INTER_CUBIC), 0.02, 1)
    for _ in range(40):
        centre, radius = (int(rng.integers(800)), int(rng.integers(600))), int(rng.integers(12, 60))
        cv2.circle(smooth, centre, radius, rng.random(3).tolist(), -1, cv2.LINE_AA)
    smooth = cv2.GaussianBlur(smooth, (0, 0), 1.2) * (0.9 + 0.1 * rng.random((600, 800, 1), dtype=np.float32))
    smooth = np.clip(smooth, 0.02, 1) ** 2
    grey = smooth.mean(axis=2, keepdims=True)
    return ((grey + 0.55 * (smooth - grey)) @ between(SRGB, ROMM).T).astype(np.float32)


def as_treated(picture: np.ndarray) -> np.ndarray:
    x = coordinates(xyz_to_oklab(picture.reshape(-1, 3).astype(np.float64) @ ROMM.to_xyz.T))
    linear = oklab_to_xyz(oklab_at(treated(x))) @ ROMM.from_xyz.T
    return np.clip(linear, 0, 1).reshape(picture.shape).astype(np.float32)


def error_on(match, picture: np.ndarray) -> np.ndarray:
    few = picture.reshape(-1, 3)[::53]
    x = coordinates(xyz_to_oklab(few.astype(np.float64) @ ROMM.to_xyz.T))
    meant = coordinates(xyz_to_oklab(as_treated(few[None])[0].astype(np.float64) @ ROMM.to_xyz.T))
    return difference(match.at(x), meant)


def test_a_treatment_is_learnt_from_before_and_after(scene):
    found = pairs_of_aligned(scene, as_treated(scene))
    errors = error_on(learn(found.pairs).match, scene)
    assert errors.mean() <= 0.5 and np.percentile(errors, 95) <= 1.5
    assert found.moved < 1.0


def test_slight_misalignment_noise_and_compression_are_survived(scene):
    rng = np.random.default_rng(3)
    matrix = np.array([[1.01, 0, 2.0], [0, 1.01, -2.0]], np.float32)
    after = cv2.warpAffine(as_treated(scene), matrix, (800, 600), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    after = np.clip(after * (1 + 0.01 * rng.standard_normal(after.shape)), 0, 1)
    codes = np.round(ROMM.encode(after) * 255).astype(np.uint8)
    data = cv2.imencode(".jpg", codes[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 80])[1]
    after = ROMM.decode(cv2.imdecode(data, 1)[..., ::-1] / 255.0).astype(np.float32)
    found = pairs_of_aligned(scene, after)
    learnt = learn(found.pairs)
    errors = error_on(learnt.match, scene)
    assert errors.mean() <= 0.75 and np.percentile(errors, 95) <= 2.25
    assert learnt.figures.steepness.folds == 0.0


def test_what_was_painted_out_is_left_out(scene):
    after = as_treated(scene)
    after[200:380, 300:560] = np.random.default_rng(1).random((180, 260, 3)) * 0.3
    found = pairs_of_aligned(scene, after)
    assert found.used[240:340, 350:510].mean() < 0.1
    errors = error_on(learn(found.pairs).match, scene)
    assert errors.mean() <= 0.75
    boxed = pairs_of_aligned(scene, as_treated(scene), [(300, 200, 260, 180)])
    assert not boxed.used[200:380, 300:560].any()


def test_pictures_that_do_not_show_the_same_are_refused(scene):
    with pytest.raises(FitRefused, match="do not show the same"):
        pairs_of_aligned(scene, np.ascontiguousarray(as_treated(scene)[::-1, ::-1]))
    with pytest.raises(FitRefused):
        pairs_of_aligned(scene[:20, :20], scene[:20, :20])
    with pytest.raises(FitRefused):
        pairs_of_aligned(scene, np.full((300, 400, 3), 0.2, np.float32))


# ---- points and numbers ---------------------------------------------------------------------------------------------


def decode(numbers: np.ndarray) -> np.ndarray:
    return ROMM.decode(numbers)


def test_points_and_numbers_of_a_table(scene):
    text = "file_x,file_y,ref_x,ref_y,L,a,b,r,g,b_,weight,name\n100,50,100,50,,,,,,,2,sleeve\n\n400.5,300,,,60,10,-5,,,,,\n"
    pairs = pairs_of_table(text, scene, as_treated(scene), decode)
    assert [(p.origin, p.name, p.weight) for p in pairs] == [(Origin.PINS, "sleeve", 2.0), (Origin.NUMBER, "line 4", 1.0)]
    meant = as_treated(scene[48:53, 98:103]).reshape(-1, 3).mean(axis=0)
    assert oklab_to_xyz(pairs[0].wanted) == pytest.approx(ROMM.to_xyz @ meant, abs=1e-4)
    by_numbers = pairs_of_table("file_x,file_y,r,g,b\n10,10,0.5,0.5,0.5\n", scene, None, decode)
    assert abs(by_numbers[0].wanted[1]) < 1e-6


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "empty"),
        ("x,y\n1,2\n", "line 1"),
        ("file_x,file_y\n", "no line"),
        ("file_x,file_y,L,a,b\n10,10,50,1\n", "line 2"),
        ("file_x,file_y,L,a,b\n10,10,50,1,q\n", "'q'"),
        ("file_x,file_y,L,a,b\n10,10,nan,1,1\n", "finite"),
        ("file_x,file_y,L,a,b\n10,10,150,1,1\n", "within 0 to 100"),
        ("file_x,file_y,L,a,b\n9999,10,50,1,1\n", "does not lie on"),
        ("file_x,file_y,ref_x,ref_y\n10,10,1,1\n", "none is given"),
        ("file_x,file_y,L,a,b,weight\n10,10,50,1,1,-1\n", "above 0"),
    ],
)
def test_a_faulty_table_is_refused_by_its_line(scene, text, says):
    with pytest.raises(FitRefused, match=says):
        pairs_of_table(text, scene, None, decode)


def test_the_jacobian_of_a_linear_map_is_its_matrix():
    matrix = np.array([[1.1, 0.1, 0], [0, 0.9, 0.2], [0.1, 0, 1]])
    assert jacobians(lambda x: x @ matrix.T, colours(5, 1)) == pytest.approx(np.broadcast_to(matrix, (5, 3, 3)), abs=1e-9)
