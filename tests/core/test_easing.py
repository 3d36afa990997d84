"""Easing: full strength brings everything in, hue stays, what was inside is hardly touched; masks act where they say."""

from __future__ import annotations

from dataclasses import replace

import colour
import numpy as np
import pytest

from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.outside import outside_mask
from velkin.core.errors import NotSupported
from velkin.core.gamut.boundary import boundary_of, largest_chroma
from velkin.core.gamut.ease import beyond, ease, oklab_of, set_aside
from velkin.core.gamut.easing import (
    BRUSHED,
    DETAIL,
    HUE,
    KNEE,
    OVERALL,
    WHERE_OUT,
    Place,
    Stroke,
    full_strength,
    new_easing,
)
from velkin.core.gamut.kernels import diamond
from velkin.core.gamut.masks import Window, feathered, painted
from velkin.core.gamut.membership import measure, outside
from velkin.core.gamut.simulation import linear_there
from velkin.core.gamut.solve import LEFT_OUT, least_change
from velkin.core.icc.space import grays, space_of
from velkin.core.spaces.adaptation import D50, bradford, xy_to_xyz
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.oklab import hue_of, oklab_to_xyz, xyz_to_oklab
from velkin.core.spaces.pictures import difference, lab
from velkin.core.spaces.rgb import BUILT_IN, OPRGB, P3, ROMM, SRGB
from velkin.sim.easing_trials import hue_shift, trials
from velkin.sim.easing_trials import sweep as full_sweep
from velkin.sim.press import press_profile

KNEE_ONLY = full_strength()


@pytest.fixture(scope="module")
def press():
    return space_of(press_profile(4))


def sweep(levels=40, chromas=30, hues=90):
    """Every hue, chroma and lightness, in few steps."""
    return full_sweep(levels, chromas, hues)


# ---- Oklab and the compiled formulas ------------------------------------------------------------------------------


def test_oklab_is_that_of_a_second_library() -> None:
    xyz = np.random.default_rng(1).random((500, 3))
    meant = colour.XYZ_to_Oklab(xyz @ bradford(D50, xy_to_xyz((0.3127, 0.3290))).T)
    assert np.abs(xyz_to_oklab(xyz) - meant).max() < 2e-4
    assert np.allclose(oklab_to_xyz(xyz_to_oklab(xyz)), xyz, atol=1e-12)
    assert np.allclose(xyz_to_oklab(D50), [1, 0, 0], atol=1e-6)


def test_compiled_loops_say_what_the_formulas_say() -> None:
    linear = (np.random.default_rng(2).random((50, 40, 3)) * 1.6 - 0.3).astype(np.float32)
    xyz = linear.astype(np.float64) @ ROMM.to_xyz.T
    assert np.abs(lab(linear, ROMM) - xyz_to_lab(xyz)).max() < 2e-3
    assert np.abs(oklab_of(linear, ROMM) - xyz_to_oklab(xyz)).max() < 2e-6
    a, b = lab(linear, ROMM), lab(np.roll(linear, 1, axis=0), ROMM)
    assert np.abs(difference(a, b) - ciede2000(a.astype(float), b.astype(float))).max() < 2e-3


# ---- the boundary -------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("space", [SRGB, OPRGB, P3], ids=lambda s: s.id)
def test_the_boundary_lies_where_a_space_ends(space) -> None:
    found = boundary_of(space)
    rng = np.random.default_rng(3)
    hue = rng.random(4000) * 2 * np.pi
    oklab = np.stack([rng.random(4000) * 0.9 + 0.05, np.cos(hue), np.sin(hue)], axis=1)
    limit = largest_chroma(found, oklab)

    def held(share):
        at = oklab * np.stack([np.ones(4000), share * limit, share * limit], axis=1)
        return ~outside_mask((oklab_to_xyz(at) @ space.from_xyz.T).astype(np.float32)[None], space)[0]

    assert held(0.999).mean() == 1.0  # never beyond
    assert held(1.10).mean() < 0.12  # and hardly short of it: what counts as outside begins a little further out
    assert (found.low, found.high) == (0.0, 1.0)


def test_a_press_ends_at_its_black_and_gray_holds_greys_only(press) -> None:
    found = boundary_of(press)
    assert 0.15 < found.low < 0.3 and found.high > 0.98
    gray = boundary_of(grays()["gray-22"]).chroma
    assert gray[len(gray) // 4 :].max() < 0.03  # near black a chroma is no colour to the eye
    t = np.array([[1, 0], [0, 1], [-1, 0], [0, -1], [0.5, -0.5]])
    assert np.allclose([diamond.function(a, b) for a, b in t.astype(np.float32)], [0, 1, 2, 3, 3.5])


# ---- how good it is -----------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["srgb", "oprgb", "p3", "press", "gray"])
def test_full_strength_brings_every_colour_in_and_holds_its_hue(name, press) -> None:
    destination = {"press": press, "gray": grays()["gray-22"]}.get(name) or BUILT_IN[name]
    picture, proof = sweep(), Conversion(ROMM, destination)
    before, out = measure(picture, proof)
    eased = ease(picture, ROMM, destination, KNEE_ONLY)
    after, _ = measure(eased, proof)
    change = difference(lab(picture, ROMM), lab(eased, ROMM))
    assert before.share > 0.2 and after.share <= 1e-4
    assert change[~out].mean() <= 0.3
    if name != "gray":
        assert hue_shift(picture, eased).mean() <= 2.0
    cut = linear_there(picture, proof)  # plain clipping turns hues
    if name in ("srgb", "oprgb", "p3"):
        assert hue_shift(picture, cut)[:].mean() > 4 * max(hue_shift(picture, eased).mean(), 0.5)


def test_it_costs_less_than_taking_colour_from_everything(press) -> None:
    picture = sweep()
    for destination in (SRGB, press):
        solution = least_change(picture, ROMM, destination)
        assert solution.best is not None and solution.best.left <= LEFT_OUT
        overall = next(c for c in solution.tried if c.easing.kind == OVERALL)
        assert solution.best.change < 0.6 * overall.change
        assert "99.9 % in" in solution.in_words(destination.name)
    assert least_change(picture * 0 + 0.5, ROMM, SRGB).best is None


def test_trials_say_what_each_way_costs() -> None:
    before, (eased, cut, pale) = trials(sweep(20, 15, 45), ROMM, SRGB)
    assert before > 0.2 and eased.after == cut.after == 0 and pale.after <= 0.001 and "less" in pale.way
    assert eased.hue < 0.1 < cut.hue and eased.inside < 0.3 < pale.inside and eased.change < pale.change
    nothing, ways = trials(np.full((8, 8, 3), 0.4, dtype=np.float32), ROMM, SRGB)
    assert nothing == 0 and ways[2].way == "all chroma less 0 %" and ways[2].change == 0


def test_strength_eases_by_degrees() -> None:
    picture = sweep(20, 15, 45)
    shares = [
        measure(ease(picture, ROMM, SRGB, full_strength(s)) if s else picture, Conversion(ROMM, SRGB))[0].share
        for s in (0.0, 0.5, 0.9, 1.0)
    ]
    changes = [
        difference(lab(picture, ROMM), lab(ease(picture, ROMM, SRGB, full_strength(s)), ROMM)).mean() for s in (0.3, 0.6, 1)
    ]
    assert shares == sorted(shares, reverse=True) and shares[-1] == 0
    assert changes == sorted(changes)


def test_what_lies_below_the_knee_is_not_touched_to_the_bit() -> None:
    picture = sweep(20, 15, 45)
    limit = largest_chroma(boundary_of(SRGB), oklab_of(picture, ROMM).astype(float))
    below = np.hypot(*np.moveaxis(oklab_of(picture, ROMM)[..., 1:], -1, 0)) < 0.89 * limit
    eased = ease(picture, ROMM, SRGB, KNEE_ONLY)
    assert below.mean() > 0.3 and np.array_equal(eased[below], picture[below])
    grey = np.repeat(np.linspace(0, 1, 600, dtype=np.float32)[:, None], 3, axis=1).reshape(20, 30, 3)
    assert np.abs(ease(grey, ROMM, SRGB, KNEE_ONLY) - grey).max() < 2e-6


# ---- stages -------------------------------------------------------------------------------------------------------


def test_a_range_of_hues_leaves_all_others_alone() -> None:
    picture = sweep(20, 20, 72)
    hue = hue_of(oklab_of(picture, ROMM))
    easing = new_easing(HUE, 150.0)
    eased = ease(picture, ROMM, SRGB, (replace(easing, reach=60.0),))
    off = np.abs((hue - 150 + 180) % 360 - 180)
    assert np.array_equal(eased[off > 31], picture[off > 31])
    core = outside(eased, Conversion(ROMM, SRGB)) & (off < 17)
    assert outside(picture, Conversion(ROMM, SRGB))[off < 17].mean() > 0.2 and core.sum() == 0


def test_overall_scales_all_chroma_alike() -> None:
    picture = sweep(15, 15, 45)
    eased = oklab_of(ease(picture, ROMM, SRGB, (replace(new_easing(OVERALL), strength=0.25),)), ROMM)
    meant = oklab_of(picture, ROMM) * np.array([1, 0.75, 0.75])
    assert np.abs(eased - meant).max() < 1e-4


def test_detail_rescue_gives_texture_back_where_a_channel_is_cut() -> None:
    y, x = np.mgrid[0:120, 0:160]
    wave = 0.5 + 0.5 * np.sin(x / 2.3) * np.sin(y / 2.9)
    red = np.stack([0.85 + 0.5 * wave, 0.02 * wave, 0.03 + 0 * wave], axis=-1).astype(np.float32)  # red above 1: cut flat
    picture = red @ np.linalg.inv(SRGB.from_xyz @ ROMM.to_xyz).T.astype(np.float32)
    proof = Conversion(ROMM, SRGB)

    def texture(linear):
        light = lab(linear, ROMM)[..., 0]
        return float(light[20:-20, 20:-20].std())

    cut = linear_there(picture, proof)
    rescue = replace(new_easing(DETAIL), reach=0.03)
    rescued = linear_there(ease(picture, ROMM, SRGB, (rescue,)), proof)
    assert texture(cut) < 0.5 * texture(picture)
    assert texture(rescued) > 1.5 * texture(cut)
    assert measure(ease(picture, ROMM, SRGB, (rescue,)), proof)[0].share < 0.01


def test_the_order_of_stages_matters_and_switched_off_ones_do_nothing() -> None:
    picture = sweep(15, 15, 45)
    overall = replace(new_easing(OVERALL), strength=0.3)
    one, other = ease(picture, ROMM, SRGB, (overall, *KNEE_ONLY)), ease(picture, ROMM, SRGB, (*KNEE_ONLY, overall))
    assert np.abs(one - other).max() > 0.01
    assert ease(picture, ROMM, SRGB, (replace(overall, on=False),)) is picture
    assert ease(picture, ROMM, SRGB, (replace(overall, destination="p3"),)) is picture
    assert ease(picture, ROMM, P3, (replace(overall, destination="p3"),)) is not picture


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"kind": "magic"}, "not known"),
        ({"strength": 1.2}, "strength"),
        ({"reach": 0.9}, "reach"),
        ({"place": Place("here")}, "act"),
    ],
)
def test_easings_that_make_no_sense_are_refused(change, words) -> None:
    with pytest.raises(NotSupported, match=words):
        replace(new_easing(KNEE), **change).check()


@pytest.mark.parametrize("shape", [(1, 1), (1, 9000), (3, 2)])
@pytest.mark.parametrize("level", [0.0, 3.0])
def test_tiny_long_black_and_overbright_pictures_are_eased_too(shape, level) -> None:
    picture = np.full((*shape, 3), level, dtype=np.float32)
    picture[..., 1] *= 0.2
    for easings in (KNEE_ONLY, (new_easing(DETAIL),), (replace(KNEE_ONLY[0], place=Place(WHERE_OUT)),)):
        found = ease(picture, ROMM, SRGB, easings)
        assert found.shape == picture.shape and np.isfinite(found).all()
        assert measure(found, Conversion(ROMM, SRGB))[0].outside == 0


# ---- places -------------------------------------------------------------------------------------------------------


def test_where_it_is_out_the_edge_is_feathered_and_the_rest_stays() -> None:
    picture = np.full((200, 300, 3), 0.4, dtype=np.float32)
    picture[80:120, 130:170] = (0.1, 0.6, 0.05)
    assert outside(picture, Conversion(ROMM, SRGB)).sum() == 1600
    picture[:, :20] = (0.28, 0.36, 0.25)  # within, above no knee at all: everything near the boundary
    wide = replace(KNEE_ONLY[0], reach=0.6, place=Place(WHERE_OUT, feather=0.02))
    eased = ease(picture, ROMM, SRGB, (wide,))
    assert measure(eased, Conversion(ROMM, SRGB))[0].outside == 0
    assert np.array_equal(eased[:, :20], picture[:, :20])
    mask = feathered(outside(picture, Conversion(ROMM, SRGB)), 6.0)
    row = mask[100, 100:131]
    assert mask[100, 150] == 1 and mask[100, 60] == 0 and np.all(np.diff(row) >= -1e-6) and (row > 0.01).sum() > 5


def test_the_brush_paints_and_erases_where_it_goes() -> None:
    across = Stroke(((0.2, 0.5, 1.0), (0.8, 0.5, 1.0)), size=0.2, softness=0.3, flow=1.0)
    mask = painted((across,), 200, 300, Window(300, 200))
    assert mask[100, 150] > 0.95 and mask[100, 20] == 0 and mask[10, 150] == 0 and mask.max() <= 1
    away = Stroke(((0.5, 0.1, 1.0), (0.5, 0.9, 1.0)), size=0.1, softness=0.0, flow=1.0, erase=True)
    both = painted((across, away), 200, 300, Window(300, 200))
    assert both[100, 150] < 0.05 and both[100, 80] > 0.95
    light = painted((replace(across, flow=0.3),), 200, 300, Window(300, 200))
    soft = painted((replace(across, points=((0.2, 0.5, 0.3), (0.8, 0.5, 0.3))),), 200, 300, Window(300, 200))
    assert 0.1 < light[100, 150] < 0.9 and soft[100, 150] < mask[100, 150] and (soft > 0.01).sum() < (mask > 0.01).sum()
    dot = painted((Stroke(((0.5, 0.5, 1.0),), size=0.1),), 200, 300, Window(300, 200))
    assert dot[100, 150] > 0.2 and dot[100, 170] == 0


def test_strokes_paint_the_same_at_once_and_one_after_the_other() -> None:
    rng = np.random.default_rng(5)
    strokes = tuple(
        Stroke(tuple((float(x), float(y), 1.0) for x, y in rng.random((6, 2))), 0.1, 0.5, 0.5, bool(i % 3 == 2))
        for i in range(6)
    )
    window = Window(210, 140)
    step_by_step = [painted(strokes[: i + 1], 140, 210, window) for i in range(6)][-1]
    painted((), 140, 210, window)  # another history in between
    assert np.array_equal(painted(strokes, 140, 210, window), step_by_step)
    part = painted(strokes, 60, 80, Window(210, 140, 50, 40))
    assert np.abs(part - step_by_step[40:100, 50:130]).max() < 1e-5
    large = painted(strokes, 280, 420, Window(420, 280))
    assert np.abs(large.reshape(140, 2, 210, 2).mean(axis=(1, 3)) - step_by_step).mean() < 0.01


def test_a_part_of_a_picture_is_eased_as_in_the_whole() -> None:
    picture = np.ascontiguousarray(np.tile(sweep(20, 15, 45), (4, 1, 1))[:240, :360])
    stroke = Stroke(((0.3, 0.3, 1.0), (0.7, 0.7, 1.0)), 0.3)
    for place in (Place(), Place(WHERE_OUT, 0.004), Place(BRUSHED, strokes=(stroke,), painted_on=picture.shape[1::-1])):
        easings = (replace(KNEE_ONLY[0], place=place),)
        whole = ease(picture, ROMM, SRGB, easings)
        height, width = picture.shape[:2]
        part = ease(np.ascontiguousarray(picture[40:200, 60:260]), ROMM, SRGB, easings, window=Window(width, height, 60, 40))
        inner = (slice(20, -20), slice(20, -20))  # what is feathered knows only what lies within the part
        assert np.abs(part[inner] - whole[40:200, 60:260][inner]).max() < 2e-3


def test_strokes_are_not_applied_to_a_picture_that_was_cropped_or_turned() -> None:
    stroke = Stroke(((0.5, 0.5, 1.0),), 0.5)
    easing = replace(KNEE_ONLY[0], place=Place(BRUSHED, strokes=(stroke,), painted_on=(600, 400)))
    assert easing.place.fits(600, 400) and easing.place.fits(299, 200) and easing.place.fits(6000, 4000)
    assert not easing.place.fits(400, 600) and not easing.place.fits(600, 380)
    turned = np.full((60, 40, 3), 0.5, dtype=np.float32)
    turned[..., 0] = 0.0
    assert ease(turned, ROMM, SRGB, (easing,)) is turned
    assert set_aside((KNEE_ONLY[0], easing), 40, 60) == [1] and set_aside((easing,), 60, 40) == []


def test_beyond_agrees_with_what_is_outside() -> None:
    picture = sweep()
    assert abs(beyond(picture, ROMM, boundary_of(SRGB)).mean() - outside(picture, Conversion(ROMM, SRGB)).mean()) < 0.03
