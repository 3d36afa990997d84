"""Lights that are proposed, named, split and merged; giving that is planned before it is done; shoots of an earlier version."""

import dataclasses

import numpy as np
import pytest

from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.cameraprofiles.measured_chart import chart_from_reading
from velkin.core.charts.built_in import iso24, velkin48
from velkin.core.charts.reading_job import read_chart
from velkin.core.errors import NotSupported
from velkin.core.shoot.arrivals import Recognised, look_at
from velkin.core.shoot.frame import Role
from velkin.core.shoot.giving import Giving, plan_giving
from velkin.core.shoot.lights import check_pattern, light_name, propose_lights
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.whites import drifting, white_of
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spectra import illuminant_at
from velkin.sim.crowd import make_crowd

from ..studio import set_back


@pytest.fixture(scope="module")
def fitted(demo_frames):
    path = demo_frames / "north-0401.dng"
    kept, facts = read_chart(path, iso24()), look_at(path).facts
    return kept, fit(FitRequest(kept.for_fit(), iso24(), facts.unique, built_in(facts), None, "North", path.name)).of("matrix")


@pytest.fixture
def given(shoot, ids, fitted):
    """The north chart frame has its reading and profile, nobody else."""
    shoot.camera.keep_reading(ids["north-0401"], fitted[0])
    shoot.camera.add_profile(fitted[1], [ids["north-0401"]])
    return shoot


def plan(shoot, source, giving, frames=None):
    light = shoot.state.light_of(source)
    return plan_giving(shoot.state, source, frames if frames is not None else light.frames, giving, light=light.id)


def test_a_plan_says_what_it_will_do_and_does_just_that(given, ids):
    given.camera.set_exposure([ids["north-0412"]], 0.5)
    planned = plan(given, ids["north-0401"], Giving())
    assert planned.summary() == "5 frames get profile and balance."
    before = given.state
    given.camera.give(planned)
    path = given.state.path(ids["north-0412"])
    assert path.camera == dataclasses.replace(before.path(ids["north-0401"]).camera, exposure=0.5)
    assert given.state.light_of(ids["north-0412"]).profile is not None
    assert given.undo() == "give profile and balance to 5 frames"
    assert {f: given.state.path(f) for f in given.state.frames} == {f: before.path(f) for f in before.frames}


def test_frames_that_keep_their_own_are_counted_with_their_reason(given, ids, fitted):
    own = dataclasses.replace(fitted[1], name="Own")
    given.camera.add_profile(own, [ids["north-0413"]])
    planned = plan(given, ids["north-0401"], Giving(spare=True))
    assert planned.summary() == "4 frames get profile and balance; 1 keeps its own."
    assert planned.reasons() == ["1: has a profile of its own"]
    given.camera.give(planned)
    assert given.state.profiles[given.state.frames[ids["north-0413"]].profile].name == "Own"
    again = plan(given, ids["north-0401"], Giving(spare=True))
    assert again.changes == () and len(again.same) == 4


def test_profile_alone_leaves_each_balance_and_balance_alone_each_profile(given, ids):
    before = given.state.path(ids["north-0412"]).camera.balance
    given.camera.give(plan(given, ids["north-0401"], Giving(balance=False)))
    after = given.state.path(ids["north-0412"]).camera
    assert after.balance == pytest.approx(before) and after.profile
    given.undo()
    given.camera.give(plan(given, ids["north-0401"], Giving(profile=False)))
    after = given.state.path(ids["north-0412"]).camera
    assert after.balance == pytest.approx(given.state.path(ids["north-0401"]).camera.balance) and not after.profile


def test_exposure_goes_along_only_when_it_is_asked_for(given, ids):
    given.camera.set_exposure([ids["north-0401"]], 1.25)
    given.camera.give(plan(given, ids["north-0401"], Giving(exposure="frame")))
    assert given.state.frames[ids["north-0414"]].exposure == 1.25
    given.camera.give(plan(given, ids["north-0401"], Giving(exposure="chart")))
    expected = round(float(np.log2(given.state.profiles[given.state.frames[ids["north-0401"]].profile].exposure)), 2)
    assert given.state.frames[ids["north-0414"]].exposure == given.state.frames[ids["north-0401"]].exposure == expected


def test_newcomers_get_what_was_promised_to_their_light(given, ids, tmp_path, demo_frames):
    given.camera.give(plan(given, ids["north-0401"], Giving(newcomers=True)))
    late = tmp_path / "north-0999.dng"
    late.write_bytes((demo_frames / "north-0412.dng").read_bytes() + b"\0")
    [frame] = given.frames.add_frames([look_at(late)])
    state = given.state
    assert state.frames[frame].light == state.frames[ids["north-0401"]].light
    assert state.path(frame).camera == state.path(ids["north-0401"]).camera


def test_lights_split_merge_and_undo(shoot, ids):
    shoot.frames.split_light(ids["north-0413"])
    assert [(k.name, len(k.frames)) for k in shoot.state.lights] == [
        ("North window", 3), ("North window, 2", 3), ("Weaving lamp", 6)
    ]  # fmt: skip
    shoot.frames.merge_lights([k.id for k in shoot.state.lights])
    assert [(k.name, len(k.frames)) for k in shoot.state.lights] == [("North window", 12)]
    times = [shoot.state.frames[f].facts.exif.taken for f in shoot.state.lights[0].frames]
    assert times == sorted(times)
    shoot.undo(), shoot.undo()
    assert [len(k.frames) for k in shoot.state.lights] == [6, 6]


def test_two_cameras_at_once_and_a_light_that_returns_are_kept_apart_and_together(tmp_path):
    arrivals = [look_at(p) for p in make_crowd(tmp_path, 12, lights=4)]
    other = [
        dataclasses.replace(a, facts=dataclasses.replace(a.facts, unique="Another", model="Another"), digest=a.digest + "x")
        for a in arrivals[:3]
    ]
    mixed = sorted([*arrivals, *other], key=lambda a: (a.facts.exif.taken, a.digest))
    groups = propose_lights(mixed)
    assert sorted(len(g) for g in groups) == [3, 3, 3, 3, 3]
    assert all(len({a.facts.unique for a in g}) == 1 for g in groups)


def test_lights_are_named_by_a_pattern(shoot):
    frame = next(iter(shoot.state.frames.values()))
    assert light_name("{camera} · {lens} · {light}", frame.facts, "north window").endswith("macro · north window")
    bare = dataclasses.replace(frame.facts, exif=dataclasses.replace(frame.facts.exif, lens=""))
    assert light_name("{camera} · {lens} · {light}", bare, "lamp") == "Velkin Studio One · lamp"
    shoot.frames.name_lights("{date} · {light}", {shoot.state.lights[0].id: "window"})
    assert [k.name for k in shoot.state.lights] == ["2026-03-17 · window", "2026-03-17 · 2800 K"]
    for wrong in ("{nonsense}", "{camera", "  "):
        with pytest.raises(NotSupported):
            check_pattern(wrong)


def test_the_white_of_a_light_comes_from_its_chart_else_its_card_and_drift_is_noticed(shoot, ids, fitted):
    light = shoot.state.light_of(ids["north-0401"]).id
    assert white_of(shoot.state, light) is None
    shoot.camera.keep_neutral(ids["north-0402"], (1.2, 1.0, 1.4))
    assert white_of(shoot.state, light).balance == (1.2, 1.0, 1.4)
    shoot.camera.keep_reading(ids["north-0401"], fitted[0])
    white = white_of(shoot.state, light)
    assert white.frame == ids["north-0401"] and 6000 < white.kelvin < 6800 and abs(white.duv) < 0.006
    assert drifting(shoot.state, light) == ()
    shoot.frames.move_to_light([ids["lamp-0505"]], light)
    assert drifting(shoot.state, light) == (ids["lamp-0505"],)


def test_spotted_frames_are_marked_in_one_step_and_marks_by_hand_stay(shoot, ids, fitted):
    shoot.frames.set_role([ids["north-0413"]], Role.NEUTRAL)
    shoot.frames.set_role([ids["north-0401"], ids["north-0402"]], Role.SUBJECT)
    shoot.frames.mark_recognised(
        {
            ids["north-0401"]: Recognised(Role.CHART, fitted[0]),
            ids["north-0402"]: Recognised(Role.NEUTRAL, neutral=(1.2, 1.0, 1.4)),
            ids["north-0413"]: Recognised(Role.CHART, fitted[0]),
        }
    )
    assert [shoot.state.frames[ids[n]].role for n in ("north-0401", "north-0402", "north-0413")] == [
        "chart",
        "neutral",
        "neutral",
    ]
    assert ids["north-0401"] in shoot.state.readings
    assert shoot.undo() == "mark 1 chart frame and 1 neutral frame"
    assert ids["north-0401"] not in shoot.state.readings


def test_moments_of_one_drag_are_one_step(shoot, ids):
    frame = [ids["north-0412"]]
    shoot.camera.set_balance(frame, (1.0, 1.0, 1.0), "typed")
    for value in (1.1, 1.2, 1.3):
        shoot.camera.set_balance(frame, (value, 1.0, 1.0), "typed", joins=value > 1.1)
    shoot.undo()
    assert shoot.state.frames[frame[0]].balance == (1.0, 1.0, 1.0)
    shoot.redo()
    assert shoot.state.frames[frame[0]].balance == (1.3, 1.0, 1.0)


def test_charts_are_kept_in_the_shoot_and_readings_of_them_come_back(shoot, ids, fitted, tmp_path):
    own = dataclasses.replace(iso24(), id="own", name="Own chart")
    kept = read_chart(shoot.state.frames[ids["north-0401"]].path, own)
    shoot.camera.keep_chart(own)
    shoot.camera.keep_reading(ids["north-0401"], kept)
    path = shoot.path
    shoot.close()
    again = Shoot.open(path)
    assert again.state.readings[ids["north-0401"]].chart.name == "Own chart"
    assert again.state.readings[ids["north-0401"]].reading == kept.reading
    assert set(again.state.charts) == {"iso24", "velkin48", "own"}
    again.close()


def test_a_chart_read_through_a_trusted_profile_has_the_reference_s_colours(fitted):
    kept, profile = fitted
    chart = chart_from_reading(kept, profile)
    reference = iso24().reference(illuminant_at(profile.cct))
    assert ciede2000(xyz_to_lab(chart.colours), xyz_to_lab(reference)).mean() == pytest.approx(profile.figures.mean, abs=0.02)
    assert set(chart.neutrals) == set(iso24().neutrals)
    assert velkin48().marks and not chart.marks


def test_a_shoot_of_version_1_is_brought_up_with_its_undo_and_a_copy_kept(shoot, ids):
    shoot.camera.set_exposure([ids["north-0412"]], 0.7)
    path = shoot.path
    shoot.close()
    set_back(path, 1)
    again = Shoot.open(path)
    assert again.state.frames[ids["north-0412"]].exposure == 0.7
    again.camera.keep_neutral(ids["north-0402"], (1.1, 1.0, 1.2))
    again.undo(), again.undo()
    assert again.state.frames[ids["north-0412"]].exposure == 0.0
    assert path.with_name(f"{path.stem} (version 1){path.suffix}").exists()
    again.close()


def _as_laid_out(shoot):
    state = shoot.state
    return [(light.name, [state.frames[f].name for f in light.frames]) for light in state.lights]


def test_frames_added_in_parts_come_as_if_added_at_once_and_go_in_one_step(tmp_path):
    arrivals = [look_at(p) for p in make_crowd(tmp_path, 14, lights=2)]
    once, parted = (Shoot.create(tmp_path / f"{name}.velkin", name) for name in ("once", "parted"))
    ids = once.frames.add_frames([*arrivals, arrivals[3]])
    sizes = [len(part) for part in parted.frames.add_in_parts([*arrivals, arrivals[3]], 5)]
    assert (len(ids), sizes) == (14, [5, 5, 4])
    assert _as_laid_out(parted) == _as_laid_out(once) and len(_as_laid_out(once)) == 2
    assert parted.undo() == once.undo() == "add 14 frames"
    assert not parted.state.frames and not parted.state.lights


def test_parts_grow_with_the_shoot_so_that_many_frames_cost_no_more_each(tmp_path):
    (one,) = [look_at(p) for p in make_crowd(tmp_path, 1, lights=1)]
    many = [dataclasses.replace(one, digest=f"{n:064d}") for n in range(60)]
    shoot = Shoot.create(tmp_path / "many.velkin", "many")
    assert [len(part) for part in shoot.frames.add_in_parts(many, 1)] == [1] * 40 + [2] * 10


def test_between_two_parts_other_things_may_happen(tmp_path):
    arrivals = [look_at(p) for p in make_crowd(tmp_path, 9, lights=1)]
    shoot = Shoot.create(tmp_path / "between.velkin", "between")
    parts = shoot.frames.add_in_parts(arrivals, 3)
    first = next(parts)
    shoot.camera.set_exposure(first[:1], 0.5)
    shoot.frames.add_frames(arrivals[3:5])
    assert len(next(parts)) == 1, "what came in meanwhile by another way is not taken in twice"
    shoot.frames.remove_frames(list(shoot.state.frames))
    assert not shoot.state.lights
    assert len(next(parts)) == 3 and [len(k.frames) for k in shoot.state.lights] == [3], (
        "a light that went meanwhile is made anew"
    )
    assert next(parts, None) is None
