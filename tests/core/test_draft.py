"""A match in the making: evidence added, left out and weighed; what came of it, its price, and the course of the change."""

from __future__ import annotations

import numpy as np
import pytest

from velkin.core.charts.built_in import iso24
from velkin.core.errors import FitRefused
from velkin.core.looks.kept import KeptLook, LookKind
from velkin.core.looks.shelf import keep_match, kept_matches
from velkin.core.looks.to_targets import pair_to_target
from velkin.core.match.baked import Amounts
from velkin.core.match.course import colour_words, lattice, ramps
from velkin.core.match.draft import Draft, draft_of, key
from velkin.core.match.gathering import Patches, mean_colour, oklab_of, patches_of_reference, patches_wanted
from velkin.core.match.match_file import match_from_json, match_to_json
from velkin.core.match.outcome import outcome, prices
from velkin.core.match.pair import Origin, Pair, oklab_at
from velkin.core.match.solver import Wish, learn
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.oklab import oklab_to_xyz
from velkin.core.tags.pins import Target, distance


def pair(name: str, here, wanted, origin: Origin = Origin.CHART) -> Pair:
    return Pair(tuple(oklab_at(here)), tuple(oklab_at(wanted)), origin, name)


TEAL, GREY, RED = np.array([50.0, -40.0, -20.0]), np.array([60.0, 1.0, 3.0]), np.array([45.0, 70.0, 30.0])
SOME = (pair("a", TEAL, TEAL + [2, 5, -4]), pair("b", GREY, GREY + [-3, 0, -1]), pair("c", RED, RED + [1, -6, 3]))


def test_evidence_is_added_left_out_taken_in_and_weighed():
    draft = Draft("x").with_pairs(SOME, lambda p: False)
    draft = draft.leaving_out([key(SOME[1])], True).weighing(key(SOME[2]), 4.0)
    assert [(p.name, p.weight) for p in draft.used] == [("a", 1.0), ("c", 4.0)]
    pins = (pair("1", TEAL, RED, Origin.PINS),)
    more = draft.with_pairs(pins, lambda p: p.origin is Origin.PINS)
    assert [p.name for p in more.used] == ["a", "c", "1"]
    # read again, a pair stays left out and keeps its weight
    again = more.with_pairs(SOME, lambda p: p.origin is Origin.CHART)
    assert [(p.name, p.weight) for p in again.used] == [("a", 1.0), ("c", 4.0), ("1", 1.0)]
    assert again.pairs == more.pairs
    assert [p.name for p in again.leaving_out([key(SOME[1])], False).used] == ["a", "b", "c", "1"]
    assert [p.name for p in again.with_pairs(SOME[2:], lambda p: p.origin is Origin.CHART).pairs] == ["c", "1"]
    with pytest.raises(FitRefused, match="no pair"):
        again.leaving_out([key(p) for p in again.pairs], True).kept()


def test_a_draft_goes_on_where_a_kept_match_was_left():
    draft = Draft("x", SOME, wish=Wish("neutral", exact=0.5), amounts=Amounts(0.8, 0.0))
    kept = match_from_json(match_to_json(draft.kept()))
    assert draft_of(kept) == draft


def test_what_is_wanted_goes_as_far_as_the_amounts_and_follows_the_wish_for_greys():
    for greys, expected in (("reference", GREY + [-3, 0, -1]), ("keep", GREY)):
        wish = Wish(greys, exact=1.0)
        found = outcome(learn(SOME, wish), wish, Amounts(), SOME)
        assert np.allclose(found.wanted[1], expected)
        assert found.errors.max() < 0.5
    wish = Wish(exact=1.0)
    half = outcome(learn(SOME, wish), wish, Amounts(0.5, 0.0), SOME)
    assert np.allclose(half.wanted - half.here, [[0, 2.5, -2], [0, 0, -0.5], [0, -3, 1.5]])
    assert half.errors.max() < 0.5
    neutral = outcome(learn(SOME, Wish("neutral", exact=1.0)), Wish("neutral", exact=1.0), Amounts(), SOME)
    assert np.allclose(neutral.wanted[1], [57.0, 0.0, 0.0]) and neutral.errors[1] < 0.5


def test_a_pair_left_out_is_shown_with_what_it_would_become():
    wish = Wish(exact=1.0)
    learnt = learn(SOME[:2], wish)
    found = outcome(learnt, wish, Amounts(), SOME)
    assert len(found.errors) == 3 and found.errors[2] > 1.0


def test_exact_is_nearer_at_the_pairs_and_even_further_off():
    rng = np.random.default_rng(4)
    here = np.stack([rng.uniform(25, 80, 24), rng.uniform(-50, 50, 24), rng.uniform(-50, 50, 24)], axis=1)
    wanted = here * [1.0, 1.1, 1.05] + rng.normal(0.0, 2.0, here.shape)
    told = prices([pair(str(n), h, w) for n, (h, w) in enumerate(zip(here, wanted, strict=True))], Wish())
    means = [p.mean for p in told]
    assert [p.exact for p in told] == [0.0, 0.25, 0.5, 0.75, 1.0]
    assert means == sorted(means, reverse=True)
    assert told[-1].mean < 0.2 < told[0].mean
    assert told[-1].left_out > told[-1].mean


def test_ramps_of_a_stretch_say_where_it_is():
    def twice_as_red(x):
        return x + np.where(x[:, 1:2] > 40.0, 1.0, 0.0) * (x[:, 1:2] - 40.0) * [0.0, 1.0, 0.0]

    found = {r.name: r for r in ramps(twice_as_red)}
    assert list(found) == ["grey", "red", "yellow", "green", "cyan", "blue", "magenta"]
    assert found["grey"].stretch == 1.0 and found["green"].stretch == pytest.approx(1.0)
    assert 1.5 < found["magenta"].stretch < 2.0 and found["magenta"].steepest > 0.3
    assert not any(r.turns_back for r in found.values())
    back = {r.name: r.turns_back for r in ramps(lambda x: x * [1.0, -1.0, 1.0])}
    assert back["red"] and not back["grey"]


def test_a_lattice_is_where_the_change_carries_it():
    found = lattice(lambda x: x + [1.0, 2.0, 3.0], side=5)
    assert found.before.shape == (5, 5, 5, 3)
    assert np.allclose(found.after - found.before, [1.0, 2.0, 3.0])
    assert np.allclose(found.before[0, 0, 0], 0.0, atol=1e-6) and np.allclose(found.before[4, 4, 4], [100, 0, 0], atol=0.05)


@pytest.mark.parametrize(
    ("oklab", "words"),
    [
        ((0.9, 0.0, 0.0), "light greys"),
        ((0.6, 0.2, 0.1), "reds"),
        ((0.3, -0.1, 0.08), "dark greens"),
        ((0.9, -0.04, 0.18), "light yellows"),
    ],
)
def test_colours_are_named_as_one_would(oklab, words):
    assert colour_words(oklab) == words


def test_patches_of_the_same_name_are_pairs_and_those_left_out_are_none():
    mine = Patches({"A1": (0.5, 0.0, 0.0), "A2": (0.6, 0.1, 0.0)}, {"A1": 0.3, "A2": 0.4})
    theirs = Patches({"A2": (0.7, 0.0, 0.0), "B1": (0.2, 0.0, 0.0)}, {"A2": 0.3, "B1": 0.1})
    (found,) = mine.paired(theirs)
    assert (found.name, found.here, found.wanted, found.spread) == ("A2", (0.6, 0.1, 0.0), (0.7, 0.0, 0.0), pytest.approx(0.5))
    with pytest.raises(FitRefused, match="no patch of the same name"):
        mine.without(["A2"]).paired(theirs)
    # what a kept match wants pairs another picture of the chart without the reference
    kept = patches_wanted([found, pair("9", TEAL, RED, Origin.PINS)])
    assert kept.colours == {"A2": (0.7, 0.0, 0.0)}
    chart = iso24()
    reference = patches_of_reference(chart)
    assert set(reference.colours) == set(chart.ids)
    white = max(reference.colours.values())
    assert 0.9 < white[0] < 1.0 and np.hypot(*white[1:]) < 0.02


def test_the_mean_of_light_is_what_a_point_reads():
    part = np.full((5, 5, 3), 0.2, dtype=np.float32)
    part[::2] = 0.4
    colour, spread = mean_colour(part)
    assert colour == pytest.approx(oklab_of(part.reshape(-1, 3).mean(axis=0)), abs=1e-6)
    assert spread > mean_colour(np.full((5, 5, 3), 0.3, dtype=np.float32))[1]


def test_a_pin_with_a_target_is_a_pair():
    here = (0.65, 0.10, 0.02)
    found = pair_to_target(3, here, Target("skin"))
    lab = xyz_to_lab(oklab_to_xyz(np.array(found.wanted)))
    assert (found.name, found.origin) == ("pin 3", Origin.NUMBER)
    assert distance(lab, Target("skin")) < 0.05
    bright = pair_to_target(1, here, Target("lab", (20.0, 0.0, 0.0)), lightness=False)
    assert xyz_to_lab(oklab_to_xyz(np.array(bright.wanted)))[0] == pytest.approx(
        xyz_to_lab(oklab_to_xyz(np.array(here)))[0], abs=1e-6
    )


def test_the_shelf_keeps_matches_and_passes_over_what_is_none(tmp_path):
    folder = tmp_path / "matches"
    assert kept_matches(folder) == []
    look = KeptLook("north/0412: skeins", LookKind.MATCH, match_to_json(Draft("north/0412: skeins", SOME).kept()).encode())
    other = KeptLook(look.name, LookKind.MATCH, match_to_json(Draft(look.name, SOME[:2]).kept()).encode())
    paths = [keep_match(folder, look), keep_match(folder, look), keep_match(folder, other)]
    assert [p.name for p in paths] == ["north 0412 skeins.json", "north 0412 skeins.json", "north 0412 skeins 2.json"]
    (folder / "notes.json").write_text("{}")
    (folder / "half.json").write_text(look.content.decode()[:200])
    assert sorted(len(k.pairs) for k in kept_matches(folder)) == [2, 3]
