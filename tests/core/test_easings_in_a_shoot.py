"""Easings and the proof's goal are kept in the shoot, undone step by step, copied, and change what is written."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PIL import Image

from velkin.core.destinations.sizing import long_edge
from velkin.core.errors import BadProfile, NotSupported, ShootError
from velkin.core.gamut.easing import BRUSHED, HUE, KNEE, Place, Stroke, full_strength, new_easing
from velkin.core.handoff.jobs import plan_for
from velkin.core.handoff.rendering import at_destination
from velkin.core.handoff.run import run
from velkin.core.icc.space import space_of
from velkin.core.icc.transform import Intent
from velkin.core.shoot.records import easings_from_json, easings_to_json
from velkin.core.shoot.shoot import Shoot
from velkin.core.sources import levels_of
from velkin.core.spaces.rgb import OPRGB, P3, SRGB
from velkin.core.tags.rules import CONVERT_NOW, HOLD, Rule
from velkin.sim.press import press_profile

from ..studio import set_back


@pytest.fixture
def skeins(shoot):
    return next(f.id for f in shoot.state.frames.values() if f.name == "north-0412")


def test_what_is_kept_is_what_was_set() -> None:
    stroke = Stroke(((0.1, 0.2, 1.0), (0.3, 0.4, 0.5)), 0.05, 0.2, 0.7, True)
    place = Place(BRUSHED, 0.01, (stroke, replace(stroke, erase=False)), (600, 400))
    easings = (replace(new_easing(HUE, 123.4), place=place, on=False, destination="p3"), *full_strength(0.5))
    assert easings_from_json(easings_to_json(easings)) == easings


def test_each_step_is_undone_by_itself_and_a_drag_is_one(shoot, skeins) -> None:
    for strength in (0.2, 0.5, 0.9):
        shoot.easing.set_easings(skeins, full_strength(strength), "change the strength", joins=True)
    shoot.easing.set_easings(skeins, (*full_strength(0.9), new_easing(HUE, 40.0)), "add a hue reach")
    assert [e.kind for e in shoot.state.easings_of(skeins)] == [KNEE, HUE]
    assert [e.kind for e in shoot.state.path(skeins).easings] == [KNEE, HUE]
    shoot.undo()
    assert shoot.state.easings_of(skeins)[0].strength == 0.9
    shoot.undo()
    assert shoot.state.easings_of(skeins) == ()
    shoot.redo()
    assert shoot.state.easings_of(skeins)[0].strength == 0.9


def test_strokes_are_undone_one_by_one(shoot, skeins) -> None:
    shoot.easing.set_easings(skeins, full_strength())
    facts = shoot.state.frames[skeins].facts
    for x in (0.2, 0.5, 0.8):
        shoot.easing.add_stroke(skeins, 0, Stroke(((x, 0.5, 1.0),)))
    place = shoot.state.easings_of(skeins)[0].place
    assert (place.kind, len(place.strokes), place.painted_on) == (BRUSHED, 3, (facts.width, facts.height))
    assert shoot.undo_label() == "paint a stroke in north-0412"
    shoot.undo()
    assert len(shoot.state.easings_of(skeins)[0].place.strokes) == 2
    # painted on another shape: a new stroke begins anew
    turned = replace(place, painted_on=(facts.height, facts.width))
    shoot.easing.set_easings(skeins, (replace(full_strength()[0], place=turned),))
    shoot.easing.add_stroke(skeins, 0, Stroke(((0.1, 0.1, 1.0),)))
    assert len(shoot.state.easings_of(skeins)[0].place.strokes) == 1


def test_undo_brings_back_what_was_replaced(shoot) -> None:
    for rule in (Rule(HOLD), Rule(CONVERT_NOW)):
        shoot.colour.set_rules(shoot.state.rules.with_rule("another", rule))
    shoot.easing.set_goal(P3)
    shoot.easing.set_goal(OPRGB)
    shoot.undo()
    assert shoot.state.proof_space() == P3
    shoot.undo()
    shoot.undo()
    assert shoot.state.rules.another == Rule(HOLD)
    shoot.redo()
    assert shoot.state.rules.another == Rule(CONVERT_NOW)


def test_they_outlive_the_program_and_go_with_their_frame(demo_shoot) -> None:
    shoot = Shoot.open(demo_shoot)
    frame = next(iter(shoot.state.frames))
    shoot.easing.set_easings(frame, full_strength(0.7))
    shoot.easing.set_goal(P3, Intent.RELATIVE, True)
    shoot.close()
    again = Shoot.open(demo_shoot)
    assert again.state.easings_of(frame)[0].strength == 0.7 and again.state.proof_space() == P3
    again.frames.remove_frames([frame])
    assert again.state.easings == {}
    again.undo()
    assert again.state.easings_of(frame)[0].strength == 0.7
    again.close()


def test_a_shoot_of_the_version_before_is_brought_forward(demo_shoot) -> None:
    set_back(demo_shoot, 3)
    shoot = Shoot.open(demo_shoot)
    frame = next(iter(shoot.state.frames))
    shoot.easing.set_easings(frame, full_strength())
    shoot.undo()
    assert shoot.state.easings == {} and demo_shoot.with_name(f"{demo_shoot.stem} (version 3).velkin").exists()
    shoot.close()


def test_copied_to_others_brushed_places_only_where_they_fit(shoot, skeins) -> None:
    others = [f for f in shoot.state.order() if f != skeins][:3]
    stroke = Stroke(((0.5, 0.5, 1.0),))
    fits = replace(full_strength()[0], place=Place(BRUSHED, strokes=(stroke,), painted_on=(2400, 1600)))
    other_shape = replace(fits, place=replace(fits.place, painted_on=(1600, 2400)))
    shoot.easing.set_easings(skeins, (fits, other_shape, new_easing(HUE, 10.0)))
    assert shoot.easing.copy_easings(skeins, [skeins, *others]) == others
    assert {shoot.state.easings_of(f) for f in others} == {(fits, new_easing(HUE, 10.0))}
    shoot.undo()
    assert all(shoot.state.easings_of(f) == () for f in others)


def test_an_easing_for_one_destination_acts_on_the_way_there_only(shoot, skeins) -> None:
    shoot.easing.set_easings(skeins, (replace(full_strength()[0], destination="p3"), new_easing(HUE, 20.0)))
    assert [e.kind for e in shoot.state.path(skeins).easings] == [HUE]
    shoot.easing.set_goal(P3)
    assert [e.kind for e in shoot.state.path(skeins).easings] == [KNEE, HUE]
    job = plan_for(shoot, [skeins], shoot.state.destinations).jobs[0]
    assert job.path.destination == SRGB and [e.kind for e in job.path.easings] == [HUE]


def test_the_goal_is_any_profile_with_a_way_back(shoot, skeins) -> None:
    press = space_of(press_profile(4))
    shoot.easing.set_goal(press, Intent.PERCEPTUAL, False)
    path = shoot.state.path(skeins)
    assert (path.destination, path.intent, path.last.black_point) == (press, Intent.PERCEPTUAL, False)
    assert shoot.state.proof_name() == press.name and shoot.undo_label() == f"proof for {press.name}"
    with pytest.raises(BadProfile, match="no way from colours"):
        shoot.easing.set_goal(space_of(press_profile(4).replace(b"B2A", b"zzz")))
    shoot.undo()
    assert shoot.state.proof_space() == SRGB and shoot.state.proof_name() == "Web sRGB"


def test_too_many_and_senseless_easings_are_refused_whole(shoot, skeins) -> None:
    with pytest.raises(ShootError, match="up to 12"):
        shoot.easing.set_easings(skeins, full_strength() * 13)
    with pytest.raises(NotSupported):
        shoot.easing.set_easings(skeins, (replace(full_strength()[0], strength=7.0),))
    assert shoot.state.easings_of(skeins) == ()


def test_what_is_handed_off_is_eased(shoot, skeins, tmp_path) -> None:
    web = replace(shoot.state.destinations[0], folder=str(tmp_path / "web"), size=long_edge(600))
    written, shares = [], []
    for easings in ((), full_strength()):
        shoot.easing.set_easings(skeins, easings)
        (done,) = run(plan_for(shoot, [skeins], [web]).jobs)
        assert done.ok
        written.append(np.asarray(Image.open(done.job.out)).astype(int))
        there = at_destination(levels_of(done.job.source, done.job.path.source), done.job.path, web)
        shares.append(there.after.share)
        assert there.before.share == pytest.approx(shares[0]) and done.written.after == there.after.share
    assert shares[0] > 0.1 and shares[1] == 0
    assert np.abs(written[0] - written[1]).max() > 10
    assert shoot.state.fingerprint(skeins, web) != replace(shoot.state, easings={}).fingerprint(skeins, web)
