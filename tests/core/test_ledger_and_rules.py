"""Finished pictures in a shoot: intake rules, held frames, the ledger, pins; and that everything tells the same truth."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import tifffile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from velkin.core.errors import BadProfile, ShootError
from velkin.core.handoff.copies import CopyWish, write_copy
from velkin.core.handoff.jobs import UNKNOWN, plan_for
from velkin.core.icc.space import grays, same, space_of
from velkin.core.icc.transform import Intent
from velkin.core.icc.write import matrix_profile
from velkin.core.render import numbers_here, to_working
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.sources import decode_source
from velkin.core.spaces.custom import OwnSpace
from velkin.core.spaces.rgb import BUILT_IN, OPRGB, P3, ROMM, SRGB
from velkin.core.spaces.volume import lab_volume
from velkin.core.stages.source import PictureSource
from velkin.core.tags.inspect import inspect
from velkin.core.tags.ledger import Verb
from velkin.core.tags.pins import MOST_PINS, Pin, Target, distance, nearest
from velkin.core.tags.rules import CASES, GIVE, HOLD, KEEP, IntakeRules, Rule, ruled
from velkin.sim.press import press_profile

RGB = (np.random.default_rng(6).random((24, 32, 3)) * 255).astype(np.uint8)


@pytest.fixture(scope="module")
def mill(tmp_path_factory) -> Path:
    """A folder of files with all the usual tag troubles."""
    folder = tmp_path_factory.mktemp("mill")

    def jpeg(name: str, icc: bytes | None = None, numbers: np.ndarray = RGB, mode: str = "RGB") -> None:
        Image.fromarray(np.roll(numbers, len(name), axis=0), mode).save(folder / name, icc_profile=icc, quality=95)

    jpeg("same.jpg", matrix_profile(ROMM))
    jpeg("other.jpg", matrix_profile(OPRGB))
    jpeg("bare.jpg")
    jpeg("bare2.jpg", None, RGB[::-1])
    jpeg("hurt.jpg", matrix_profile(SRGB)[:200])
    jpeg("ink.jpg", press_profile(4), np.dstack([RGB, RGB[..., :1]]), "CMYK")
    jpeg("bareink.jpg", None, np.dstack([RGB, RGB[..., 1:2]]), "CMYK")
    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA001] = 1
    Image.fromarray(RGB[:, ::-1]).save(folder / "claim.jpg", exif=exif)
    tifffile.imwrite(folder / "gray.tif", RGB[..., 0], photometric="minisblack")
    return folder


@pytest.fixture
def shoot(mill, tmp_path):
    s = Shoot.create(tmp_path / "s.velkin", "s")
    s.frames.add_frames([look_at(p) for p in sorted(mill.iterdir())])
    yield s
    s.close()


@pytest.fixture
def ids(shoot) -> dict[str, int]:
    return {f.name: f.id for f in shoot.state.frames.values()}


def test_what_is_tagged_is_kept_and_what_is_not_known_is_held(shoot, ids):
    state = shoot.state
    waits = {f.name: f.waits for f in state.frames.values() if f.held}
    assert waits == {
        "bare": "untagged", "bare2": "untagged", "bareink": "untagged", "gray": "untagged", "hurt": "damaged", "claim": "claimed",
    }  # fmt: skip
    assert all(not f.ledger for f in state.frames.values())
    assert same(state.path(ids["other"]).here, OPRGB) and state.path(ids["ink"]).here.model == "cmyk"
    assert not state.path(ids["bare"]).known and state.path(ids["bare"]).here is SRGB
    assert len({f.light for f in state.frames.values()}) == 1 and state.lights[0].name.startswith("From mill")
    assert sorted(state.frames[f].name for f in state.like(ids["bare"])) == ["bare", "bare2"]


def test_every_rule_with_every_case():
    at = {"matches": ("tagged", "rgb", ROMM), "another": ("tagged", "rgb", SRGB), "claimed": ("claimed", "rgb", SRGB)}
    at |= {"untagged": ("untagged", "rgb", None), "damaged": ("damaged", "rgb", None)}
    at |= {"model": ("tagged", "gray", grays()["gray-22"])}
    for case, (_, actions) in CASES.items():
        for action in actions:
            rules = IntakeRules().with_rule(case, Rule(action, "oprgb"))
            made = ruled(*at[case], working=ROMM, rules=rules, space=lambda i: BUILT_IN.get(i))
            assert made.case == case and made.action == action and made.held == (action == HOLD)
            verbs = [e.verb for e in made.entries]
            assert (
                verbs
                == {
                    "hold": [],
                    "give": [Verb.ASSIGN],
                    "convert": ([Verb.ASSIGN] if case == "claimed" else []) + [Verb.CONVERT],
                    "keep": {"claimed": [Verb.ASSIGN], "untagged": [Verb.LEAVE], "damaged": [Verb.LEAVE]}.get(case, []),
                }[action]
            )
    with pytest.raises(ValueError):
        IntakeRules().with_rule("matches", Rule(GIVE))
    assert not any(r.action in (GIVE, "convert") for r in vars(IntakeRules()).values())  # the defaults change no number


def test_a_rule_that_cannot_be_followed_holds(shoot, mill):
    rules = IntakeRules().with_rule("untagged", Rule(GIVE, "oprgb"))
    shoot.colour.set_rules(rules)
    shoot.frames.remove_frames(list(shoot.state.frames))
    shoot.frames.add_frames([look_at(mill / n) for n in ("bare.jpg", "gray.tif")])
    by_name = {f.name: f for f in shoot.state.frames.values()}
    assert same(shoot.state.path(by_name["bare"].id).here, OPRGB) and not by_name["bare"].held
    assert by_name["gray"].held  # opRGB is for three channels
    assert "rule" in by_name["bare"].ledger[0].why


def test_one_decision_for_many_and_undo_brings_all_back(shoot, ids):
    alike = shoot.state.like(ids["bare"])
    shoot.colour.assign(alike, OPRGB)
    assert not any(shoot.state.frames[f].held for f in alike)
    shoot.undo()
    assert all(shoot.state.frames[f].held for f in alike)
    shoot.colour.give_and_convert([ids["bare"]], OPRGB, ROMM)
    assert [e.verb for e in shoot.state.frames[ids["bare"]].ledger] == [Verb.ASSIGN, Verb.CONVERT]
    shoot.colour.go_back(ids["bare"], 1)
    assert same(shoot.state.path(ids["bare"]).here, OPRGB)
    shoot.colour.go_back(ids["bare"], 0)
    assert shoot.state.frames[ids["bare"]].held
    shoot.colour.leave([ids["bare"], ids["other"]])
    assert not shoot.state.frames[ids["bare"]].held and not shoot.state.path(ids["bare"]).known
    assert not shoot.state.frames[ids["other"]].ledger  # it did not wait


def test_what_makes_no_sense_is_refused_and_nothing_changes(shoot, ids):
    with pytest.raises(BadProfile):
        shoot.colour.assign([ids["bare"], ids["ink"]], OPRGB)
    with pytest.raises(ShootError, match="assign a space first"):
        shoot.colour.convert([ids["other"], ids["bare"]], ROMM)
    with pytest.raises(BadProfile):
        shoot.colour.convert([ids["other"]], shoot.state.space("lab"))
    assert all(not f.ledger for f in shoot.state.frames.values()) and shoot.undo_label().startswith("add")


def test_a_ledger_is_copied_where_the_model_is_the_same(shoot, ids):
    shoot.colour.give_and_convert([ids["bare"]], OPRGB, P3)
    took = shoot.colour.copy_ledger(ids["bare"], [ids[n] for n in ("bare", "bare2", "claim", "ink", "gray")])
    assert sorted(took) == sorted([ids["bare2"], ids["claim"]])
    assert same(shoot.state.path(ids["bare2"]).here, P3)
    assert "copied from bare" in shoot.state.frames[ids["bare2"]].ledger[0].why


def test_raw_frames_have_ledgers_too_and_camera_commands_pass_pictures_over(shoot, ids, chart_dng):
    raw = shoot.frames.add_frames([look_at(chart_dng)])[0]
    shoot.colour.convert([raw], SRGB)
    path = shoot.state.path(raw)
    assert path.working == SRGB and path.camera.arrival == ROMM
    linear = to_working(decode_source(chart_dng, path.source, True), path)
    plain = to_working(decode_source(chart_dng, path.source, True), shoot.state.path_with(raw, ()))
    from velkin.core.spaces.rgb import between

    assert np.abs(linear - plain @ between(ROMM, SRGB).T).max() < 2e-3
    shoot.camera.set_exposure([raw, ids["bare"]], 0.5)
    assert shoot.state.frames[raw].exposure == 0.5 and shoot.state.frames[ids["bare"]].exposure == 0.0


def test_spaces_and_rules_and_pins_outlive_the_program(shoot, ids, tmp_path):
    own = OwnSpace("mine", ((0.66, 0.33), (0.25, 0.68), (0.14, 0.06)), (0.3457, 0.3585), "gamma", 1.9).space()
    table = OwnSpace("tab", own.primaries, own.white, "table", table=(0.0, 0.2, 1.0)).space()
    shoot.colour.set_working(own)
    shoot.colour.assign([ids["bare"]], table)
    shoot.colour.set_rules(IntakeRules().with_rule("claimed", Rule(KEEP)))
    pins = (Pin(0.25, 0.5, Target("lab", (50.0, 1.0, -2.0))), Pin(0.5, 0.5))
    shoot.colour.set_pins(ids["bare"], pins)
    path = shoot.path
    shoot.close()
    again = Shoot.open(path)
    try:
        assert again.state.working == own and again.state.path(ids["bare"]).here == table
        assert again.state.rules.claimed.action == KEEP and again.state.frames[ids["bare"]].pins == pins
        with pytest.raises(ShootError):
            again.colour.set_pins(ids["bare"], tuple(Pin(0.1 * i, 0.1) for i in range(MOST_PINS + 1)))
    finally:
        again.close()


def test_a_file_of_several_pictures_can_be_looked_at_elsewhere(shoot, tmp_path):
    path = tmp_path / "two.tif"
    with tifffile.TiffWriter(path) as tif:
        tif.write(RGB, photometric="rgb")
        tif.write(RGB[:8, :8].copy(), photometric="rgb", iccprofile=matrix_profile(P3))
    frame = shoot.frames.add_frames([look_at(path)])[0]
    assert shoot.state.frames[frame].held
    shoot.colour.choose_page(frame, look_at(path, 1))
    now = shoot.state.frames[frame]
    assert (now.picture.width, now.picture.page, now.held) == (8, 1, False)
    numbers = decode_source(path, shoot.state.path(frame).source)
    assert numbers.shape == (8, 8, 3)


def test_what_is_not_known_is_not_handed_off(shoot, ids):
    frames = [ids["bare"], ids["other"]]
    plan = plan_for(shoot, frames, shoot.state.ticked())
    assert [(x.frame, x.why) for x in plan.left] == [(ids["bare"], UNKNOWN)]
    assert [j.frame for j in plan.jobs] == [ids["other"]]


# ---- the truth test -----------------------------------------------------------------------------------------------

ACTIONS = st.lists(
    st.one_of(
        st.tuples(st.just("assign"), st.sampled_from(["srgb", "oprgb", "p3", "romm"])),
        st.tuples(st.just("convert"), st.sampled_from(["srgb", "oprgb", "romm", "press"])),
        st.tuples(st.just("back"), st.integers(0, 3)),
        st.tuples(st.just("undo"), st.just(0)),
        st.tuples(st.just("redo"), st.just(0)),
        st.tuples(st.just("leave"), st.just(0)),
        st.tuples(st.just("working"), st.sampled_from(["romm", "oprgb"])),
    ),
    max_size=9,
)


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(actions=ACTIONS, name=st.sampled_from(["other", "bare", "same"]))
def test_path_stops_ledger_numbers_and_written_file_agree(mill, tmp_path_factory, actions, name):
    from velkin.app.flow.stops import stops_of

    folder = tmp_path_factory.mktemp("truth")
    shoot = Shoot.create(folder / "t.velkin", "t")
    try:
        frame = shoot.frames.add_frames([look_at(mill / f"{name}.jpg")])[0]
        press = space_of(press_profile(4))
        for action, value in actions:
            try:
                if action == "assign":
                    shoot.colour.assign([frame], BUILT_IN[value])
                elif action == "convert":
                    shoot.colour.convert([frame], press if value == "press" else BUILT_IN[value], Intent.RELATIVE)
                elif action == "back":
                    shoot.colour.go_back(frame, value)
                elif action == "leave":
                    shoot.colour.leave([frame])
                elif action == "working":
                    shoot.colour.set_working(BUILT_IN[value])
                else:
                    getattr(shoot, action)()
            except (BadProfile, ShootError):
                pass
            if frame not in shoot.state.frames:  # its arrival was undone
                shoot.redo()
        state = shoot.state
        f, path = state.frames[frame], state.path(frame)
        stops = stops_of(state, frame, path, None, [])
        decided = [e for e in f.ledger if e.verb != Verb.LEAVE]
        if decided:
            assert path.here.id == decided[-1].space
        if path.known:
            assert path.here.name in stops[2].value
            out = folder / f"o.{'tif' if path.here.model == 'cmyk' else 'png'}"
            start = path.start if path.source.known else None
            write_copy(f.path, start, path.steps, CopyWish(out, dither=False))
            found = inspect(out)
            assert same(found.said, path.here) and found.tag.state == "tagged"
            written = decode_source(out, PictureSource(path.here)) / 255
            here = np.clip(numbers_here(decode_source(f.path, path.source), path), 0, 1)
            assert np.abs(written - here).max() <= 1.02 / 255 / 2 + 2e-3
            if path.keeps_numbers:
                assert np.array_equal(np.round(written * 255).astype(int), decode_source(f.path, path.source))
        else:
            assert "decision waiting" in stops[0].value or f.ledger
    finally:
        shoot.close()


# ---- pins and own spaces ------------------------------------------------------------------------------------------


def test_targets_tell_how_far():
    lab = np.array([60.0, 12.0, 20.0])
    assert np.allclose(nearest(lab, Target("neutral")), [60, 0, 0]) and distance(lab, Target("neutral")) > 10
    skin = nearest(lab, Target("skin"))
    assert skin[0] == 60 and np.isclose(np.degrees(np.arctan2(skin[2], skin[1])), 57)
    assert distance(skin, Target("skin")) < 1e-6 and distance(lab, Target("lab", (60.0, 12.0, 20.0))) == 0
    assert nearest(np.array([50.0, -10.0, -10.0]), Target("skin"))[1] == 0  # the far side of the hue circle is no skin


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"primaries": ((0.3, 0.3), (0.4, 0.4), (0.5, 0.5))}, "one line"),
        ({"white": (0.1, 0.8)}, "inside the triangle"),
        ({"gamma": 50.0}, "gamma"),
        ({"kind": "table", "table": (0.0, 0.8, 0.5, 1.0)}, "fall"),
        ({"kind": "table", "table": (0.1, 1.0)}, "begins with 0"),
        ({"name": "  "}, "name"),
    ],
)
def test_spaces_that_cannot_be_are_refused_in_words(change, words):
    from dataclasses import replace

    from velkin.core.errors import NotSupported

    good = OwnSpace("mine", SRGB.primaries, SRGB.white)
    assert good.space().name == "mine"
    with pytest.raises(NotSupported, match=words):
        replace(good, **change).space()


def test_volumes_against_a_count_of_cells():
    """Random Lab points in a box: the share that the space holds, times the box, is its volume."""
    from velkin.core.spaces.lab import lab_to_xyz

    rng = np.random.default_rng(12)
    low, high = np.array([0, -130, -130]), np.array([100, 130, 160])
    lab = rng.random((400_000, 3)) * (high - low) + low
    for space in (SRGB, ROMM):
        linear = lab_to_xyz(lab) @ space.from_xyz.T
        counted = np.mean(np.all((linear >= 0) & (linear <= 1), axis=1)) * np.prod((high - low).astype(float))
        if space is SRGB:  # the box holds all of it
            assert lab_volume(space) == pytest.approx(counted, rel=0.01)
    assert lab_volume(SRGB) == pytest.approx(832_870, rel=0.002)  # as published for sRGB
    assert lab_volume(ROMM) > 3 * lab_volume(SRGB)
