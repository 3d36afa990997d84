"""A look that acts where it was brushed: nowhere else, in every part of the picture alike, undone, and in what is written."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import tifffile

from velkin.core.errors import ShootError
from velkin.core.gamut.easing import BRUSHED, Place, Stroke
from velkin.core.gamut.masks import Window, painted
from velkin.core.handoff.copies import CopyWish
from velkin.core.handoff.looked import write_looked
from velkin.core.handoff.rows import Rows
from velkin.core.icc.write import matrix_profile
from velkin.core.looks.reading import read_look
from velkin.core.path import path_of
from velkin.core.render import numbers_here, to_working
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.sources import Levels
from velkin.core.spaces.rgb import SRGB
from velkin.core.stages.given_look import GivenLook
from velkin.core.stages.source import PictureSource
from velkin.core.stages.stage import Place as Stands

from .test_looks_in_a_shoot import swapped

WIDTH, HEIGHT = 180, 120
STROKE = Stroke(((0.2, 0.5, 1.0), (0.5, 0.5, 1.0)), 0.3, 0.2, 1.0)
WHERE = Place(BRUSHED, strokes=(STROKE,), painted_on=(WIDTH, HEIGHT))


@pytest.fixture
def look(tmp_path):
    return replace(read_look(swapped(tmp_path)), takes=SRGB, gives=SRGB)


@pytest.fixture
def numbers():
    return np.random.default_rng(6).integers(0, 65536, (HEIGHT, WIDTH, 3), dtype=np.uint16)


@pytest.fixture
def path(look):
    plain = path_of(PictureSource(SRGB), SRGB, SRGB)
    return plain.put(Stands.LOOK, GivenLook(look, 1.0, WHERE))


def test_it_acts_where_it_was_brushed_and_nowhere_else(numbers, path, look):
    plain, whole = to_working(numbers, path.put(Stands.LOOK)), to_working(numbers, path.put(Stands.LOOK, GivenLook(look)))
    found = to_working(numbers, path)
    mask = painted(WHERE.strokes, HEIGHT, WIDTH, Window(WIDTH, HEIGHT))
    assert (mask == 0).sum() > 4000 and (mask > 0.95).sum() > 1000
    assert np.array_equal(found[mask == 0], plain[mask == 0])
    assert np.allclose(found, plain + mask[..., None] * (whole - plain), atol=1e-6)
    assert path.by_pixel is False and path.put(Stands.LOOK, GivenLook(look)).by_pixel is True
    assert path.at(Stands.LOOK)[0].describe()[0].words == "look Swapped, 100\u202f%, brushed"


def test_every_part_of_the_picture_is_as_in_the_whole(numbers, path):
    whole, here = to_working(numbers, path), numbers_here(numbers, path)
    for left, top, right, bottom in ((0, 0, 60, 40), (40, 50, 130, 71), (90, 59, 91, 60), (0, 119, 180, 120)):
        window = Window(WIDTH, HEIGHT, left, top)
        part = numbers[top:bottom, left:right]
        assert np.allclose(to_working(part, path, window), whole[top:bottom, left:right], atol=2e-6)
        assert np.allclose(numbers_here(part, path, window), here[top:bottom, left:right], atol=2e-5)
    rows = Rows(Levels(numbers), path, (WIDTH, HEIGHT), 16)
    made = np.concatenate([rows(a, a + 17) for a in range(0, 102, 17)] + [rows(102, HEIGHT)])
    assert np.allclose(made, whole, atol=2e-6)


def test_a_written_copy_has_it_there_too(numbers, path, tmp_path):
    tifffile.imwrite(tmp_path / "in.tif", numbers, photometric="rgb", iccprofile=matrix_profile(SRGB))
    write_looked(tmp_path / "in.tif", path, CopyWish(tmp_path / "out.tif"))
    made = tifffile.imread(tmp_path / "out.tif").astype(int)
    mask = painted(WHERE.strokes, HEIGHT, WIDTH, Window(WIDTH, HEIGHT))
    assert np.abs(made - numbers)[mask == 0].max() <= 1
    assert np.abs(made - numbers[..., ::-1])[mask == 1.0].max(initial=0) <= 40
    assert (np.abs(made - numbers) > 2000).any()


def test_what_was_painted_on_another_shape_acts_nowhere(numbers, path, look):
    turned = replace(WHERE, painted_on=(HEIGHT, WIDTH))
    found = to_working(numbers, path.put(Stands.LOOK, GivenLook(look, 1.0, turned)))
    assert np.array_equal(found, to_working(numbers, path.put(Stands.LOOK)))


def test_a_shoot_keeps_where_it_was_brushed(demo_shoot, look):
    shoot = Shoot.open(demo_shoot)
    frame = next(f.id for f in shoot.state.frames.values() if f.name == "north-0412")
    with pytest.raises(ShootError, match="north-0412 has no look"):
        shoot.looks.paint(frame, STROKE)
    shoot.looks.give([frame], look, 0.6)
    shoot.looks.paint(frame, STROKE)
    shoot.looks.paint(frame, replace(STROKE, erase=True))
    facts = shoot.state.frames[frame].facts
    assert shoot.state.look_places[frame].painted_on == (facts.width, facts.height)
    assert [s.erase for s in shoot.state.look_places[frame].strokes] == [False, True]
    assert shoot.state.path(frame).of(GivenLook)[0].where == shoot.state.look_places[frame]
    assert shoot.undo() == "say where the look of north-0412 acts"
    assert [s.erase for s in shoot.state.look_places[frame].strokes] == [False]
    shoot.looks.set_strength([frame], 0.9)
    assert frame in shoot.state.look_places
    shoot.close()
    shoot = Shoot.open(demo_shoot)
    assert shoot.state.look_places[frame].strokes == (STROKE,) and shoot.state.look_of(frame).strength == 0.9
    # the same pins brought anew stay where they were brushed; another look acts everywhere
    shoot.looks.give([frame], replace(look, name="Again"), stays_brushed=True)
    assert frame in shoot.state.look_places
    shoot.looks.give([frame], look)
    assert shoot.state.look_places == {}
    shoot.undo()
    assert frame in shoot.state.look_places
    shoot.looks.act(frame, None)
    assert shoot.state.look_places == {} and frame in shoot.state.given_looks
    shoot.undo()
    shoot.looks.take_off([frame])
    assert shoot.state.look_places == {} and shoot.state.given_looks == {}
    shoot.close()


def test_brushing_is_a_change_since_a_file_was_written(demo_shoot, look):
    shoot = Shoot.open(demo_shoot)
    frame = next(iter(shoot.state.frames))
    shoot.looks.give([frame], look)
    before = shoot.state.path(frame)
    shoot.looks.paint(frame, STROKE)
    assert shoot.state.path(frame) != before
    shoot.close()


def test_newcomers_have_the_look_everywhere(demo_shoot, look, chart_dng):
    shoot = Shoot.open(demo_shoot)
    light = shoot.state.lights[0]
    shoot.looks.give(light.frames, look)
    shoot.looks.paint(light.frames[0], STROKE)
    (came,) = shoot.frames.add_frames([look_at(chart_dng)], light.name)
    assert came in shoot.state.given_looks and came not in shoot.state.look_places
    shoot.close()
