"""What intents do to a picture, what a profile cannot hold, and how much of a shoot a space leaves out."""

from __future__ import annotations

import json

import numpy as np
import pytest
from PIL import Image

from velkin.cli import main
from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.effect import effect_of, in_words, intent_name
from velkin.core.conversion.light import lab_of
from velkin.core.conversion.outside import measure_outside
from velkin.core.conversion.pictures import convert_picture
from velkin.core.gamut import roundtrip
from velkin.core.gamut.roundtrip import beyond, judged_by_hull, outside_by_profile, own_error, there_and_back
from velkin.core.gamut.share import share_outside
from velkin.core.icc.space import LAB, ICCSpace, grays, plain_ink, shown_for_now, space_of
from velkin.core.icc.transform import Intent, device_values, to_lab
from velkin.core.icc.write_output import OutputTables, lab_grid, output_profile
from velkin.core.path import path_of
from velkin.core.render import numbers_here, picture_through, to_working
from velkin.core.shoot.outside import shoot_outside
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import lab_to_xyz
from velkin.core.spaces.rgb import OPRGB, P3, ROMM, SRGB, between
from velkin.core.stages.source import PictureSource
from velkin.core.stages.steps import Assign, Convert, after, convert_anything
from velkin.sim.conversion_trials import between_all, from_press, into_press
from velkin.sim.conversion_trials import there_and_back as wide_round_trip
from velkin.sim.press import paper_white, press_profile, printed_lab, printed_xyz, separated

RNG = np.random.default_rng(14)


@pytest.fixture(scope="module")
def press() -> ICCSpace:
    space = space_of(press_profile(4))
    assert isinstance(space, ICCSpace)
    return space


# ---- the stand-in press -------------------------------------------------------------------------------------------


def test_the_press_prints_less_with_more_ink_and_bare_paper_is_white() -> None:
    ramp = np.zeros((11, 4))
    for ink in range(4):
        ramp[:] = 0
        ramp[:, ink] = np.linspace(0, 1, 11)
        assert np.all(np.diff(printed_xyz(ramp)[:, 1]) < 0)
    assert np.allclose(printed_lab(np.zeros((1, 4))), [[100, 0, 0]], atol=1e-6) and paper_white()[1] < 0.9
    assert printed_lab(np.ones((1, 4)))[0, 0] < 16


def test_separation_prints_what_was_asked_where_the_press_can() -> None:
    meant = printed_lab(RNG.random((300, 4)) * [0.7, 0.7, 0.7, 0.1])
    found = printed_lab(separated(meant))
    assert np.median(np.linalg.norm(found - meant, axis=1)) < 0.5


def test_both_versions_of_its_profile_say_the_same(press: ICCSpace) -> None:
    other = space_of(press_profile(2))
    ink = RNG.random((200, 4)).astype(np.float32)
    assert np.abs(lab_of(ink, other) - lab_of(ink, press)).max() < 0.05 and other.name == press.name


# ---- outside ------------------------------------------------------------------------------------------------------


def test_what_the_press_cannot_print_is_outside_and_its_own_colours_are_not(press: ICCSpace) -> None:
    own = printed_lab(RNG.random((4000, 4)) * [0.9, 0.9, 0.9, 0.5])
    assert np.mean(outside_by_profile(own, press)) < 0.08
    assert not judged_by_hull(press)
    strong = lab_of(np.array([[0, 1, 0], [0, 0, 1], [1, 0, 1]], dtype=np.float32), OPRGB)
    assert outside_by_profile(strong, press).all()
    grey = np.stack([np.linspace(25, 95, 30), np.zeros(30), np.zeros(30)], axis=1)
    assert not outside_by_profile(grey, press).any()


def test_the_allowance_is_the_error_of_the_profile_s_own_separation(press: ICCSpace) -> None:
    """COLOUR.md section 5, reckoned on another grid; and a colour a few ΔE beyond what the press prints does not count as held."""
    steps = np.linspace(0.0, 1.0, 22)
    grid = np.stack(np.meshgrid(*[steps] * 3, indexing="ij"), axis=-1).reshape(-1, 3) * [100, 220, 220] - [0, 110, 110]
    inks = device_values(grid, LAB.icc, "lab", press.icc, "cmyk", intent=Intent.RELATIVE, black_point=False)
    printed = to_lab(np.clip(inks, 0, 1), press.icc, "cmyk")
    again = device_values(printed, LAB.icc, "lab", press.icc, "cmyk", intent=Intent.RELATIVE, black_point=False)
    errors = ciede2000(printed, to_lab(np.clip(again, 0, 1), press.icc, "cmyk"))
    assert own_error(press) == pytest.approx(np.percentile(errors, 95), abs=0.2)
    solid = printed_lab(separated(np.array([[60.0, 80.0 * np.cos(h), 80.0 * np.sin(h)] for h in np.linspace(0, 6.2, 40)])))
    further = solid * [1.0, 1.3, 1.3]
    beyond = ciede2000(solid, further)
    assert beyond.min() > 3.0 and beyond.max() < 8.0
    assert outside_by_profile(further, press).mean() > 0.95


def test_where_tables_invert_badly_the_hull_of_the_colours_decides_and_that_is_told(capfd, tmp_path) -> None:
    steps, side = np.linspace(0.0, 1.0, 9), 17
    device = np.stack(np.meshgrid(*[steps] * 4, indexing="ij"), axis=-1)
    colours = printed_lab(device.reshape(-1, 4)).reshape(*device.shape[:-1], 3)
    inks = separated(lab_grid(side)) + np.random.default_rng(3).normal(0.0, 0.15, (side**3, 4))
    tables = OutputTables(colours, np.clip(inks, 0, 1).reshape(side, side, side, 4))
    file = tmp_path / "rough.icc"
    file.write_bytes(output_profile("Rough", tables, tables, white=paper_white()))
    rough = space_of(file.read_bytes())
    assert isinstance(rough, ICCSpace) and own_error(rough) > 3 and judged_by_hull(rough)
    inside = printed_lab(RNG.random((2000, 4)) * [0.8, 0.8, 0.8, 0.3])
    inside = inside * [1.0, 0.9, 0.9]
    assert (beyond(inside, rough) > 0).mean() < 0.01
    assert outside_by_profile(inside, rough).mean() < 0.03
    strong = lab_of(np.array([[0, 1, 0], [0, 0, 1], [1, 0, 1]], dtype=np.float32), OPRGB)
    dark = np.array([[2.0, 0.0, 0.0], [99.0, 30.0, 0.0]])
    assert outside_by_profile(np.concatenate([strong, dark]), rough).all()
    Image.new("RGB", (8, 8), (0, 255, 0)).save(tmp_path / "green.png")
    words = ["proof", str(tmp_path / "green.png"), "--from", "oprgb", "--to", str(file), "--json"]
    assert main(words) == 0
    told = json.loads(capfd.readouterr().out)
    assert (told["outside"], told["judged_by"]) == (1.0, "hull")


def test_the_table_of_what_is_outside_agrees_with_asking_directly(press: ICCSpace) -> None:
    lab = lab_of(RNG.random((120_000, 3)).astype(np.float32), P3)
    by_table = outside_by_profile(lab, press)
    few = lab[::40]
    direct = there_and_back(few, press) > 1.0 + own_error(press)
    assert np.mean(by_table[::40] != direct) < 0.003
    assert abs(by_table.mean() - direct.mean()) < 0.03


def test_where_the_surface_passes_every_node_of_that_table_was_asked(press: ICCSpace) -> None:
    table = roundtrip._beyond_table(press)
    near = np.flatnonzero(np.abs(table.grid) < 0.3)
    asked = near[:: len(near) // 4000]
    assert len(near) > 10_000
    assert np.abs(beyond(roundtrip._grid(table.side)[asked], press) - table.grid[asked]).max() < 1e-4


def test_shares_outside_are_of_the_whole_picture_or_an_even_sample(press: ICCSpace) -> None:
    numbers = (RNG.random((90, 110, 3)) * 65535).astype(np.uint16)
    exact = convert_picture(numbers, Conversion(ROMM, SRGB), 16).outside
    assert exact is not None and share_outside(numbers, ROMM, SRGB) == pytest.approx(exact.share, abs=2e-3)
    assert 0.2 < share_outside(numbers, SRGB, press) < 0.9
    assert share_outside(numbers, ROMM, press) > share_outside(numbers, SRGB, press)
    chained = picture_through(numbers, (PictureSource(ROMM), Convert(P3), Convert(SRGB)), SRGB, bits=16, dither=False)
    plain = convert_picture(numbers, Conversion(ROMM, SRGB), 16, False)
    assert np.abs(chained.numbers.astype(int) - plain.numbers).max() <= 2
    assert chained.outside is not None and chained.outside.share == pytest.approx(exact.share, abs=2e-3)


# ---- effects ------------------------------------------------------------------------------------------------------


def test_intents_are_told_apart_by_what_they_do_here(press: ICCSpace) -> None:
    sample = (RNG.random((3000, 3)) ** 2).astype(np.float32)  # much of it dark
    effects = effect_of(sample, ROMM, press)
    by = {(e.intent, e.black_point): e for e in effects}
    assert len(by) == 5
    with_bpc, without = by[Intent.RELATIVE, True], by[Intent.RELATIVE, False]
    assert with_bpc.darkest >= without.darkest
    held = lab_to_xyz(printed_lab(0.6 * RNG.random((3000, 4)) * [1, 1, 1, 0])) @ ROMM.from_xyz.T
    plain = {(e.intent, e.black_point): e.mean for e in effect_of(held.astype(np.float32), ROMM, press)}
    assert plain[Intent.RELATIVE, False] < 1.0 < plain[Intent.RELATIVE, True]  # what the press holds it prints as it is meant
    words = " ".join(in_words(effects, press))
    assert "Black point compensation fits" in words and "least" in words and "absolute" not in words.casefold()


def test_between_spaces_of_curves_all_intents_are_one() -> None:
    sample = RNG.random((500, 3)).astype(np.float32)
    effects = effect_of(sample, ROMM, SRGB)
    assert len(effects) == 1 and "four intents give the same" in in_words(effects, SRGB)[0]
    assert in_words((), SRGB)[0].startswith("No way")
    assert {intent_name(i) for i in Intent} == {
        "perceptual",
        "media-relative colorimetric",
        "saturation",
        "ICC-absolute colorimetric",
    }


# ---- paths of finished pictures -----------------------------------------------------------------------------------


def test_steps_amount_to_conversions_from_what_was_assigned() -> None:
    steps = (Assign(OPRGB), Convert(ROMM), Assign(SRGB), Convert(SRGB), Convert(P3))
    numbers = RNG.random((3, 4, 3)).astype(np.float32)
    found = numbers_here(numbers, path_of(PictureSource(SRGB), ROMM, SRGB, steps=steps))
    wide = ROMM.encode(OPRGB.decode(numbers) @ between(OPRGB, ROMM).T)
    assert np.allclose(found, P3.encode(SRGB.decode(wide) @ between(SRGB, P3).T), atol=1e-5)
    assert after(SRGB, steps) == P3 and after(SRGB, ()) == SRGB
    assert convert_anything(SRGB, steps) and not convert_anything(SRGB, (Assign(ROMM), Convert(ROMM)))


def test_a_path_without_conversion_gives_the_numbers_as_they_are(press: ICCSpace) -> None:
    numbers = (RNG.random((6, 7, 3)) * 255).astype(np.uint8)
    path = path_of(PictureSource(SRGB, False), ROMM, SRGB, steps=(Assign(OPRGB),))
    assert path.known and path.working == OPRGB and path.here == OPRGB
    assert np.allclose(numbers_here(numbers, path), numbers / 255, atol=1e-6)
    assert np.allclose(to_working(numbers, path), OPRGB.decode(numbers / 255), atol=1e-5)
    unknown = path_of(PictureSource(SRGB, False), ROMM, SRGB)
    assert not unknown.known
    ink = path_of(PictureSource(SRGB), ROMM, SRGB, steps=(Convert(press),))
    assert ink.working == ROMM and numbers_here(numbers, ink).shape == (6, 7, 4) and to_working(numbers, ink).shape == (6, 7, 3)


@pytest.mark.parametrize("model", ["rgb", "gray", "cmyk", "lab"])
def test_numbers_that_nothing_explains_are_shown_in_something(model: str) -> None:
    space = shown_for_now(model)
    assert space.model == model
    dark, light = lab_of(np.zeros((1, {"gray": 1, "cmyk": 4}.get(model, 3)), np.float32), space)[0], None
    assert np.isfinite(dark).all() and light is None
    if model == "cmyk":
        assert space is plain_ink() and dark[0] == pytest.approx(100, abs=0.2)  # no ink is white


def test_how_much_of_a_shoot_is_outside_names_the_worst_frame() -> None:
    dull = np.full((10, 10, 3), 0.5, np.float32)
    loud = dull.copy()
    loud[:5] = (0.0, 1.0, 0.0)
    path = path_of(PictureSource(ROMM), ROMM, SRGB)
    found = shoot_outside([("dull", dull, path), ("loud", loud, path)], (SRGB, ROMM))
    assert (found[0].share, found[0].worst, found[0].worst_share) == (0.25, "loud", 0.5)
    assert found[1].share == 0.0 and shoot_outside([], (SRGB,))[0].share == 0.0
    assert measure_outside(to_working(loud, path), ROMM).outside == 0


# ---- the trials that the reports print ----------------------------------------------------------------------------


def test_the_trials_meet_their_goals() -> None:
    pairs = between_all()
    assert pairs.pairs == 42 and pairs.float_error <= 0.02 and pairs.codes_8 <= 1
    assert pairs.codes_16 <= 2 or pairs.light_16 <= 8e-5
    assert wide_round_trip() <= 2
    mean, worst = into_press(OPRGB, Intent.RELATIVE)
    assert mean <= 0.05 and worst <= 0.5
    mean, worst = from_press(Intent.RELATIVE, True)
    assert mean <= 0.05 and worst <= 0.5


def test_gray_pictures_convert_to_gray_and_colour() -> None:
    numbers = (np.linspace(0, 1, 6000).reshape(60, 100, 1) * 65535).astype(np.uint16)
    there = convert_picture(numbers, Conversion(grays()["gray-22"], grays()["gray-l"]), 16).numbers
    back = convert_picture(there, Conversion(grays()["gray-l"], grays()["gray-22"]), 16).numbers
    assert there.shape == (60, 100, 1) and np.abs(back.astype(int) - numbers).max() < 300  # near black, where curves are steep
    rgb = convert_picture(numbers, Conversion(grays()["gray-22"], SRGB), 8).numbers
    assert rgb.shape == (60, 100, 3) and np.ptp(rgb.astype(int), axis=2).max() <= 1
