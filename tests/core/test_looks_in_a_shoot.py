"""Looks are kept in the shoot, given to frames at a strength, undone, and are in what is written."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import replace

import numpy as np
import pytest
import tifffile
from PIL import Image

from velkin.cli import main
from velkin.core.destinations.sizing import long_edge
from velkin.core.errors import BadProfile, FitRefused, NotSupported, ShootError
from velkin.core.files.picture import decode_picture
from velkin.core.handoff.copies import CopyWish
from velkin.core.handoff.jobs import plan_for
from velkin.core.handoff.looked import looked_path, write_looked
from velkin.core.handoff.rendering import at_destination
from velkin.core.handoff.run import run
from velkin.core.icc.write_abstract import abstract_profile
from velkin.core.looks.kept import KeptLook, LookKind
from velkin.core.looks.reading import read_look
from velkin.core.looks.to_targets import bring, brings_to_targets
from velkin.core.match.cube_file import cube_text
from velkin.core.match.match_file import KeptMatch, match_to_json
from velkin.core.match.pair import Origin, Pair
from velkin.core.match.solver import Wish
from velkin.core.render import numbers_here, to_working
from velkin.core.shoot.alternatives import AS_FOUND, BUILT_IN, WITHOUT_LOOK, alternatives
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.sources import decode_source, levels_of
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.rgb import OPRGB, ROMM, SRGB
from velkin.core.stages.given_look import GivenLook, make_ready
from velkin.core.stages.stage import Alters, Flow, Place
from velkin.core.tags.pins import Pin, Target

from ..studio import set_back


def swapped(folder, *comments):
    """A table that gives blue for red: whatever it is put on is easily told."""
    steps = np.linspace(0.0, 1.0, 5)
    nodes = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1)
    path = folder / "swapped.cube"
    path.write_text(cube_text(nodes[..., ::-1], "Swapped", comments))
    return path


def a_match(folder):
    pairs = [Pair((light, 0.02, 0.02), (light, 0.0, 0.03), Origin.NUMBER) for light in (0.3, 0.5, 0.7)]
    path = folder / "felt.json"
    path.write_text(match_to_json(KeptMatch("felt", tuple(pairs), Wish())))
    return path


@pytest.fixture
def skeins(shoot):
    return next(f.id for f in shoot.state.frames.values() if f.name == "north-0412")


@pytest.fixture
def look(tmp_path):
    return replace(read_look(swapped(tmp_path)), takes=SRGB, gives=SRGB)


def test_files_say_what_they_are(tmp_path) -> None:
    table = read_look(swapped(tmp_path))
    assert (table.kind, table.name, table.takes, table.asks) == (LookKind.TABLE, "Swapped", None, True)
    said = read_look(swapped(tmp_path, "space: oprgb"))
    assert (said.takes, said.gives, said.asks) == (OPRGB, OPRGB, False)
    match = read_look(a_match(tmp_path))
    assert (match.kind, match.asks, match.words(0.7)) == (LookKind.MATCH, False, "matched to felt, 70\u202f%")
    (tmp_path / "a.icc").write_bytes(abstract_profile("Fade", lambda lab: lab * [1.0, 0.5, 0.5]))
    fade = read_look(tmp_path / "a.icc")
    assert (fade.kind, fade.name, fade.asks) == (LookKind.ABSTRACT, "Fade", False)
    make_ready(fade, SRGB)
    with pytest.raises(NotSupported, match="not put on pictures"):
        read_look(tmp_path / "x.txt")
    (tmp_path / "bad.cube").write_text("LUT_3D_SIZE 2\n0 0 0\n")
    with pytest.raises(BadProfile, match="8 lines of numbers") as refused:
        read_look(tmp_path / "bad.cube")
    assert refused.value.file == tmp_path / "bad.cube"


def test_given_undone_done_again_and_there_after_opening(shoot, skeins, look) -> None:
    others = [f for f in shoot.state.order() if f != skeins][:2]
    shoot.looks.give([skeins, *others], look, 0.7)
    assert shoot.undo_label() == "give Swapped to 3 frames"
    path = shoot.state.path(skeins)
    assert [line.alters for s in path.at(Place.LOOK) for line in s.describe()] == [Alters.BOTH]
    assert shoot.state.given_looks == dict.fromkeys((skeins, *others), (1, 0.7))
    again = Shoot.open(shoot.path)
    assert again.state.path(skeins) == path and again.state.looks[1].content == look.content
    again.close()
    shoot.undo()
    assert shoot.state.given_looks == {} == shoot.state.looks and not shoot.state.path(skeins).at(Place.LOOK)
    shoot.redo()
    assert shoot.state.path(skeins) == path


def test_a_look_is_kept_once_and_leaves_with_its_last_frame(shoot, skeins, look, tmp_path) -> None:
    other = next(f for f in shoot.state.order() if f != skeins)
    shoot.looks.give([skeins], look)
    shoot.looks.give([other], replace(look), 0.5)
    assert list(shoot.state.looks) == [1]
    shoot.looks.give([skeins], read_look(a_match(tmp_path)))
    assert [shoot.state.looks[i].kind for i in (1, 2)] == [LookKind.TABLE, LookKind.MATCH]
    shoot.looks.take_off([skeins, other])
    assert shoot.state.looks == {} and shoot.undo() == "take the look off 2 frames"
    shoot.frames.remove_frames([skeins, other])
    assert shoot.state.given_looks == {}
    shoot.undo()
    assert set(shoot.state.given_looks) == {skeins, other}


def test_a_drag_of_strength_is_one_step_and_leaves_others_alone(shoot, skeins, look) -> None:
    other = next(f for f in shoot.state.order() if f != skeins)
    shoot.looks.give([skeins], look, 1.0)
    for moment, strength in enumerate((0.9, 0.6, 0.3)):
        shoot.looks.set_strength([skeins, other], strength, joins=moment > 0)
    assert shoot.state.given_looks == {skeins: (1, 0.3)}
    shoot.undo()
    assert shoot.state.given_looks == {skeins: (1, 1.0)}


def test_what_cannot_be_is_refused_whole(shoot, skeins, look) -> None:
    before = shoot.undo_label()
    with pytest.raises(ShootError, match="what numbers it takes"):
        shoot.looks.give([skeins], replace(look, takes=None, gives=None))
    for strength in (-0.1, 1.6):
        with pytest.raises(ShootError, match=r"from 0 to 1\.5"):
            shoot.looks.give([skeins], look, strength)
    assert shoot.state.looks == {} and shoot.undo_label() == before


def test_paths_carry_it_and_comparisons_leave_it_out(shoot, skeins, look) -> None:
    plain = shoot.state.path(skeins)
    assert WITHOUT_LOOK not in alternatives(shoot.state)
    shoot.looks.give([skeins], look)
    assert WITHOUT_LOOK in alternatives(shoot.state)
    assert WITHOUT_LOOK.path(shoot.state, skeins) == plain and AS_FOUND.path(shoot.state, skeins) == plain
    assert BUILT_IN.path(shoot.state, skeins).at(Place.LOOK) == (GivenLook(look),)
    source = decode_source(shoot.state.frames[skeins].path, plain.source, half=True)
    before, after = to_working(source, plain), to_working(source, shoot.state.path(skeins))
    assert not np.array_equal(before, after)
    shoot.looks.set_strength([skeins], 0.0)
    assert to_working(source, shoot.state.path(skeins)) == pytest.approx(before, abs=2e-4)


def test_what_is_handed_off_has_it_and_counts_as_changed(shoot, skeins, look, tmp_path) -> None:
    web = replace(shoot.state.destinations[0], folder=str(tmp_path / "web"), size=long_edge(600))
    written = []
    for strength in (0.0, 1.0):
        shoot.looks.give([skeins], look, strength)
        (done,) = run(plan_for(shoot, [skeins], [web]).jobs)
        assert done.ok
        written.append(np.asarray(Image.open(done.job.out)).astype(int))
    there = at_destination(levels_of(done.job.source, done.job.path.source), done.job.path, web)
    assert np.abs(written[1] - there.codes).mean() < 3  # JPEG
    # the table is of the space that is written: red and blue change places, as far as the JPEG and sRGB hold them
    assert np.median(np.abs(written[1][..., ::-1] - written[0])) <= 2
    assert shoot.state.fingerprint(skeins, web) != replace(shoot.state, given_looks={}).fingerprint(skeins, web)


def test_window_and_command_line_put_the_same_on_a_picture(shoot, tmp_path) -> None:
    table = swapped(tmp_path, "space: p3")
    noise = np.random.default_rng(5).integers(0, 256, (40, 60, 3), dtype=np.uint8)
    Image.fromarray(noise).save(tmp_path / "card.tif")
    (came,) = shoot.frames.add_frames([look_at(tmp_path / "card.tif")])
    frame = shoot.state.frames[came]
    shoot.colour.assign([frame.id], SRGB)
    shoot.looks.give([frame.id], read_look(table), 0.6)
    path = shoot.state.path(frame.id)
    assert path.numbers_in == SRGB and not path.keeps_numbers and path.here == SRGB
    write_looked(frame.path, path.led_to(path.numbers_in), CopyWish(tmp_path / "window.tif", bits=16))
    status = main(
        ["apply", str(frame.path), "--match", str(table), "--strength", "0.6", "--input", "srgb", "--out", str(tmp_path / "line.tif")]
    )  # fmt: skip
    assert status == 0
    plain = looked_path(SRGB, GivenLook(read_look(table), 0.6))
    write_looked(frame.path, plain, CopyWish(tmp_path / "core.tif", bits=16))
    assert np.array_equal(tifffile.imread(tmp_path / "window.tif"), tifffile.imread(tmp_path / "core.tif"))
    numbers = decode_picture(frame.path).numbers
    assert numbers_here(numbers, path).shape == numbers.shape


def test_a_shoot_of_the_version_before_and_a_damaged_look(demo_shoot, look) -> None:
    set_back(demo_shoot, 6)
    shoot = Shoot.open(demo_shoot)
    frame = shoot.state.order()[0]
    shoot.looks.give([frame], look)
    shoot.close()
    assert demo_shoot.with_name(f"{demo_shoot.stem} (version 6).velkin").exists()
    with sqlite3.connect(demo_shoot) as file:
        (text,) = file.execute("SELECT json FROM looks").fetchone()
        file.execute("UPDATE looks SET json = ?", (json.dumps({**json.loads(text), "content": "AAAA"}),))
    file.close()
    with pytest.raises(ShootError, match="contents are damaged"):
        Shoot.open(demo_shoot)


def test_looks_are_told_apart_by_what_they_hold() -> None:
    one, other = (KeptLook("a", LookKind.MATCH, content) for content in (b"1", b"2"))
    assert one != other and one == KeptLook("a", LookKind.MATCH, b"1")
    assert repr(GivenLook(one)) != repr(GivenLook(other)) and "content" not in repr(one)


def felt(*labs):
    """Linear ROMM RGB of a picture of patches side by side, 20 pixels wide, of Lab D50."""
    patches = [lab_to_xyz(np.array(lab, dtype=float)) @ ROMM.from_xyz.T for lab in labs]
    return np.repeat(np.array(patches, dtype=np.float32)[None], 20, axis=1).repeat(20, axis=0)


def lab_through(look, picture):
    looked = GivenLook(look).apply(Flow(picture, ROMM, linear=True)).pixels
    return xyz_to_lab(looked.astype(float) @ ROMM.to_xyz.T)


@pytest.mark.parametrize(
    ("here", "target", "lightness", "wanted"),
    [
        ((62.0, 25.0, 17.0), Target("skin"), False, (62.0, 15.2, 23.4)),
        ((44.0, 60.0, 28.0), Target("lab", (42.0, 66.0, 40.0)), True, (42.0, 66.0, 40.0)),
        ((44.0, 60.0, 28.0), Target("lab", (42.0, 66.0, 40.0)), False, (44.0, 66.0, 40.0)),
        ((55.0, 5.0, 6.0), Target("neutral"), False, (55.0, 0.0, 0.0)),
    ],
    ids=["skin", "brand red", "its a* and b*", "neutral"],
)
def test_a_pin_is_brought_to_its_target_and_what_is_far_stays(here, target, lightness, wanted) -> None:
    others = ((50.0, -40.0, -10.0), (30.0, 10.0, -50.0), (55.0, 0.0, 0.0))
    picture = felt(here, *others)
    read = [np.array(here), np.array(others[2])]
    brought = bring(read, [Pin(0.1, 0.5, target), Pin(0.9, 0.5)], "felt", lightness)
    assert brought.figures.mean < 0.05 < 1 < brought.figures.before and brought.figures.steepness.folds == 0
    after = lab_through(brought.look, picture)[10, ::20]
    assert ciede2000(after[0], wanted) < 0.5
    assert ciede2000(after[1:3], np.array(others[:2])) == pytest.approx(0.0, abs=0.25)
    assert (ciede2000(after[3], others[2]) < 0.1) == (target.kind != "neutral")
    assert brings_to_targets(brought.look)


def test_pins_without_targets_bring_nothing(tmp_path) -> None:
    with pytest.raises(FitRefused, match="no pin has a target"):
        bring([np.array([50.0, 0, 0])], [Pin(0.5, 0.5)], "felt")
    assert not brings_to_targets(read_look(a_match(tmp_path))) and not brings_to_targets(read_look(swapped(tmp_path)))


def test_newcomers_have_the_look_that_all_of_their_light_has(shoot, skeins, look, chart_dng, tmp_path) -> None:
    light = shoot.state.light_of(skeins)
    shoot.looks.give(light.frames[1:], look, 0.7)
    (first,) = shoot.frames.add_frames([look_at(chart_dng)], light.name)
    assert first not in shoot.state.given_looks  # not all have it
    shoot.undo()
    shoot.looks.give(light.frames, look, 0.7)
    (second,) = shoot.frames.add_frames([look_at(chart_dng)], light.name)
    assert shoot.state.given_looks[second] == shoot.state.given_looks[skeins]
    # a finished picture has its own colours
    tifffile.imwrite(tmp_path / "card.tif", np.full((20, 30, 3), 30000, np.uint16), photometric="rgb")
    (card,) = shoot.frames.add_frames([look_at(tmp_path / "card.tif")], light.name)
    assert card not in shoot.state.given_looks
    shoot.undo()
    shoot.undo()
    assert second not in shoot.state.frames and second not in shoot.state.given_looks
