"""Flat frames: a field that falls off is evened, dust and texture do not count, and no frame is evened by a field that is not its own."""

from __future__ import annotations

import dataclasses
from pathlib import Path

import numpy as np
import pytest

from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import pixels_of, read_at, read_chart
from velkin.core.conversion.codes import as_float
from velkin.core.errors import FitRefused
from velkin.core.fields import Field, evened_reading, fit_field
from velkin.core.files.exif import ExifFacts
from velkin.core.files.facts import FileFacts
from velkin.core.gamut.masks import Window
from velkin.core.render import to_working
from velkin.core.shoot.even_fields import KeptField, does_not_suit
from velkin.core.shoot.frame import Role
from velkin.core.shoot.shoot import Shoot
from velkin.core.sources import decode_source
from velkin.core.stages.even_field import EvenField
from velkin.core.stages.stage import Flow, Place

from ..studio import shoot_chart

RNG = np.random.default_rng(7)


def fall(height, width, share=0.4, tilt=0.15, channel=0.0):
    """A vignette that takes `share` at the corners, with a slope of light across."""
    y, x = np.mgrid[0:height, 0:width]
    y, x = (y + 0.5) / height * 2 - 1, (x + 0.5) / width * 2 - 1
    r = (x**2 + y**2) / 2
    return (1 - share * (0.75 * r + 0.25 * r**2) * (1 + channel)) * (1 - tilt * (x + 1) / 2)


def board(height=400, width=600, level=0.7, noise=0.01, **how):
    picture = np.stack([fall(height, width, channel=c, **how) for c in (0.06, 0.0, -0.05)], axis=-1) * level
    return (picture * (1 + noise * RNG.standard_normal(picture.shape))).astype(np.float32)


def test_forty_per_cent_of_fall_off_leaves_less_than_one_on_a_second_flat_frame():
    """Acceptance."""
    field = fit_field(board())
    assert max(field.falloff) > 0.40
    second = board()
    height, width = second.shape[:2]
    left = fit_field(second * field.gains(Window(width, height), height, width))
    assert max(left.falloff) <= 0.01
    half = fit_field(second * field.gains(Window(width, height), height, width, 0.5))
    assert 0.15 < half.falloff[1] < 0.3


def test_dust_and_texture_do_not_count():
    clean, spoilt = board(noise=0.0), board(noise=0.0)
    for _ in range(60):
        y, x = RNG.integers(10, 380), RNG.integers(10, 580)
        spoilt[y : y + 9, x : x + 9] *= 0.55
    spoilt *= (1 + 0.03 * np.sin(np.arange(600) * 1.3))[None, :, None].astype(np.float32)
    a, b = (fit_field(v).gains(Window(60, 40), 40, 60) for v in (clean, spoilt))
    ratio = a / b
    assert np.abs(ratio / ratio.mean() - 1).max() < 0.006


def test_a_chart_is_read_as_the_picture_is_seen(tmp_path):
    """A chart under a light that falls off: its reading evened is that of the evened picture, to the noise of single places."""
    picture = read_chart(shot(tmp_path), iso24())
    size = (900, 600)
    field = fit_field(board(600, 900, noise=0.0))
    image, scale = pixels_of(tmp_path / "chart.dng")
    height, width = image.shape[:2]
    dark = image / field.gains(Window(width, height), height, width)
    fallen = read_at(dark, np.array(picture.reading.corners), iso24(), scale=scale)
    assert np.abs(fallen.reading.rgb() / picture.reading.rgb() - 1).max() > 0.05
    evened = evened_reading(fallen, field, size)
    np.testing.assert_allclose(evened.reading.rgb(), picture.reading.rgb(), rtol=2e-3)
    assert [j.verdict for j in evened.judgements] == [j.verdict for j in picture.judgements]
    half = evened_reading(fallen, field, size, 0.5).reading.rgb()
    np.testing.assert_allclose(half**2, fallen.reading.rgb() * picture.reading.rgb(), rtol=4e-3)


def shot(folder):
    shoot_chart(folder / "chart.dng")
    return folder / "chart.dng"


def test_any_part_at_any_size_has_the_gains_of_the_whole():
    field = fit_field(board())
    whole = field.gains(Window(300, 200), 200, 300)
    np.testing.assert_allclose(field.gains(Window(300, 200, 40, 70), 50, 90), whole[70:120, 40:130], rtol=1e-6)
    assert abs(whole.min() - 1) < 1e-3
    pixels = RNG.random((200, 300, 3)).astype(np.float32)
    stage = EvenField(field, 1.0, "board")
    out = stage.apply(Flow(pixels)).pixels
    np.testing.assert_allclose(out, pixels * whole, rtol=1e-6)
    np.testing.assert_array_equal(
        stage.apply(Flow(pixels[70:120, 40:130], window=Window(300, 200, 40, 70))).pixels, out[70:120, 40:130]
    )


def test_a_field_is_not_that_of_a_camera_that_was_turned():
    """Upright pictures lie alike whichever way the camera was held; the lens and the light do not."""
    facts = {n: shot_facts(orientation=n) for n in (1, 3, 6)}
    assert does_not_suit(facts[1], facts[1]) == ""
    assert does_not_suit(facts[6], facts[1]) == does_not_suit(facts[3], facts[1]) == "the camera turned"


def shot_facts(orientation):
    exif = ExifFacts(
        make="Velkin", model="Studio", lens="60 mm", software="", taken=None, shutter="1/60", aperture="f/8", iso=100
    )
    return FileFacts(
        path=Path("a.dng"),
        width=90,
        height=60,
        orientation=orientation,
        bits=14,
        make="Velkin",
        model="Studio",
        unique="Velkin Studio",
        exif=exif,
    )


def test_a_board_with_something_on_it_is_refused_and_one_with_a_little_dirt_is_not():
    """A chart, a card or the edge of the board; the rest of it is as even as can be."""
    for width, refused in ((0.46, True), (0.1, False)):
        image = board()
        height, w = round(400 * width), round(600 * width)
        image[200 - height // 2 : 200 + height // 2, 300 - w // 2 : 300 + w // 2] *= 0.5
        if refused:
            with pytest.raises(FitRefused, match="no even surface"):
                fit_field(image)
        else:
            assert fit_field(image).falloff == pytest.approx(fit_field(board()).falloff, abs=0.01)


@pytest.mark.parametrize(
    ("image", "why"),
    [
        (board(level=1.6, noise=0.0).clip(0, 1), "clipped"),
        (board(level=0.004), "too dark"),
        (np.kron(RNG.random((12, 18, 3)), np.ones((20, 20, 1))).astype(np.float32) * 0.8 + 0.1, "no even surface"),
    ],
)
def test_what_is_no_flat_frame_is_refused(image, why):
    with pytest.raises(FitRefused, match=why):
        fit_field(image)


# ---- in a shoot ------------------------------------------------------------------------------------------------------


def test_a_flat_frame_evens_the_frames_of_its_light_and_no_other(shoot, ids):
    field = fit_field(board())
    before = {n: shoot.state.path(f) for n, f in ids.items()}
    shoot.camera.keep_fields({ids["north-0402"]: KeptField(field)})
    assert shoot.state.frames[ids["north-0402"]].role is Role.FLAT
    path = shoot.state.path(ids["north-0412"])
    (stage,) = path.at(Place.FIELD)
    assert stage == EvenField(field, 1.0, "north-0402") and not path.by_pixel
    assert path.stages[0] is not stage and path.put(Place.FIELD) == before["north-0412"]
    assert shoot.state.path(ids["lamp-0505"]) == before["lamp-0505"]
    shoot.camera.keep_fields({ids["north-0402"]: KeptField(field, 0.0)})
    assert shoot.state.path(ids["north-0412"]) == before["north-0412"]
    assert shoot.undo() == "even the field by north-0402"
    shoot.undo()
    assert {n: shoot.state.path(f) for n, f in ids.items()} == before


def test_another_aperture_is_left_alone_unless_it_is_asked_for(shoot, ids):
    frame, flat = shoot.state.frames[ids["north-0412"]], shoot.state.frames[ids["north-0402"]]
    wide = dataclasses.replace(
        frame, facts=dataclasses.replace(frame.facts, exif=dataclasses.replace(frame.facts.exif, aperture="f/2.8"))
    )
    assert does_not_suit(frame.facts, flat.facts) == "" and does_not_suit(wide.facts, flat.facts).startswith("f/2.8 instead of")
    kept = KeptField(fit_field(board()), others_too=True)
    shoot.camera.keep_fields({flat.id: kept})
    state = dataclasses.replace(shoot.state, frames={**shoot.state.frames, frame.id: wide})
    assert state.field_of(frame.id) is not None
    strict = dataclasses.replace(state, fields={flat.id: dataclasses.replace(kept, others_too=False)})
    assert strict.field_of(frame.id) is None


def test_the_picture_is_evened_before_anything_else_and_bands_are_as_the_whole(shoot, ids):
    field = fit_field(board())
    source = shoot.state.frames[ids["north-0413"]].path
    plain = shoot.state.path(ids["north-0413"])
    shoot.camera.keep_fields({ids["north-0402"]: KeptField(field)})
    path = shoot.state.path(ids["north-0413"])
    half = decode_source(source, path.source, True)
    height, width = half.shape[:2]
    whole = to_working(half, path)
    np.testing.assert_allclose(
        whole, to_working(as_float(half) * field.gains(Window(width, height), height, width), plain), rtol=2e-5, atol=1e-6
    )
    part = to_working(half[100:180, 200:420], path, Window(width, height, 200, 100))
    np.testing.assert_allclose(part, whole[100:180, 200:420], rtol=1e-6, atol=1e-7)


def test_it_is_kept_in_the_file_to_the_last_digit(shoot, ids, demo_shoot):
    field = fit_field(board())
    shoot.camera.keep_fields({ids["north-0402"]: KeptField(field, 0.75, True)})
    shoot.close()
    again = Shoot.open(demo_shoot)
    assert again.state.fields == {ids["north-0402"]: KeptField(field, 0.75, True)}
    again.close()


def test_a_plain_field_is_no_field():
    nothing = Field(tuple((0.0,) * 25 for _ in range(3)), (0.0, 0.0, 0.0))
    assert nothing.gains(Window(9, 6), 6, 9).tolist() == np.ones((6, 9, 3)).tolist()
