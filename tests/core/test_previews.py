"""Previews: small pictures that are there before a file is decoded; what is of no use is none, and nothing is raised."""

from dataclasses import replace
from datetime import datetime
from fractions import Fraction
from io import BytesIO

import cv2
import numpy as np
import pytest
import tifffile
from PIL import Image

from velkin.core.files.previews import preview_of
from velkin.core.files.raw import read_facts
from velkin.core.shoot.arrivals import look_at
from velkin.sim.camera import Camera
from velkin.sim.dng import Shot, write_dng

#: A dark corner, a light one, and a column of red: which way up it is can be told.
HEIGHT, WIDTH = 320, 480


def scene():
    _, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    level = 0.1 + 0.6 * x / WIDTH
    rgb = np.stack([level, level, level], axis=2)
    rgb[: HEIGHT // 4, : WIDTH // 4] *= 0.05
    return rgb


def shot(path, orientation=1, preview=True):
    camera = Camera()
    mosaic = camera.sensor.expose(scene(), np.random.default_rng(3))
    taken = Shot(datetime(2026, 5, 4), Fraction(1, 60), 8.0, 100, np.ones(3), orientation)
    write_dng(path, mosaic, camera, taken, preview=preview)
    return read_facts(path)


def jpeg(path, size=(1600, 1200), mode="RGB", **how):
    picture = Image.fromarray(np.tile(np.linspace(0, 255, size[0]).astype(np.uint8), (size[1], 1))).convert(mode)
    picture.save(path, "JPEG", quality=90, **how)
    return look_at(path).facts


def test_a_raw_file_shows_the_picture_that_the_camera_put_beside_the_mosaic(tmp_path):
    found = preview_of(shot(tmp_path / "a.dng"), 200)
    assert found.pixels.shape == (HEIGHT // 2, WIDTH // 2, 3) and not found.own
    assert found.pixels[:30, :50].mean() < 60 < 150 < found.pixels[:30, -50:].mean()


def test_it_is_reduced_as_far_as_the_room_allows(tmp_path):
    facts = shot(tmp_path / "a.dng")
    assert [preview_of(facts, edge).pixels.shape[1] for edge in (20, 60, 61, 120, 121, 5000)] == [30, 60, 120, 120, 240, 240]


def test_it_is_upright_as_the_frame_is(tmp_path):
    facts = shot(tmp_path / "a.dng", orientation=6)
    found = preview_of(facts, 200)
    assert (facts.width, facts.height) == (HEIGHT, WIDTH) and found.pixels.shape == (WIDTH // 2, HEIGHT // 2, 3)
    assert found.pixels[:50, -30:].mean() < 60  # the dark corner, turned to the right


def test_a_raw_file_without_one_has_none(tmp_path):
    assert preview_of(shot(tmp_path / "a.dng", preview=False), 200) is None


def other_preview(path, picture, mode="RGB"):
    """A raw file whose preview is another picture."""
    facts = shot(path, preview=False)
    data = BytesIO()
    Image.fromarray(picture).convert(mode).save(data, "JPEG")
    with tifffile.TiffFile(path) as tif:
        mosaic = tif.pages[0].asarray()
        extra = [(t.code, t.dtype, t.count, t.value, True) for t in tif.pages[0].tags.values() if t.code >= 50706]
    with tifffile.TiffWriter(path) as tif:
        tif.write(mosaic, photometric=32803, extratags=extra, subifds=1, metadata=None)
        kinds = {"L": "minisblack", "CMYK": "separated"}
        tif.write(
            np.asarray(Image.open(data)), photometric=kinds.get(mode, "rgb"), compression="jpeg", subfiletype=1, metadata=None
        )
    return facts


@pytest.mark.parametrize(
    ("picture", "mode"),
    [
        (np.zeros((300, 400, 3), np.uint8), "RGB"),
        (np.zeros((160, 240), np.uint8), "L"),
        (np.zeros((160, 240, 3), np.uint8), "CMYK"),
    ],
    ids=["of other proportions", "grey", "of inks"],
)
def test_a_preview_of_no_use_is_none(tmp_path, picture, mode):
    assert preview_of(other_preview(tmp_path / "a.dng", picture, mode), 100) is None


def test_a_large_jpeg_gives_its_own_numbers_coarse(tmp_path):
    facts = jpeg(tmp_path / "a.jpg")
    found = preview_of(facts, 300)
    assert found.own and found.pixels.shape == (300, 400, 3)
    whole = cv2.imread(str(tmp_path / "a.jpg"))[..., ::-1]
    means = whole.reshape(300, 4, 400, 4, 3).mean(axis=(1, 3))
    assert np.abs(means - found.pixels).max() <= 2


def test_another_picture_of_the_same_file_is_not_shown_as_the_first(tmp_path):
    facts = jpeg(tmp_path / "a.jpg")
    assert preview_of(facts, 300, 0) is not None
    assert preview_of(facts, 300, 1) is None


def test_a_turned_jpeg_is_upright(tmp_path):
    exif = Image.Exif()
    exif[274] = 8
    facts = jpeg(tmp_path / "a.jpg", exif=exif)
    found = preview_of(facts, 300)
    assert found.pixels.shape == (400, 300, 3)
    assert found.pixels[:20].mean() > 200 > 50 > found.pixels[-20:].mean()


@pytest.mark.parametrize(("size", "mode"), [((500, 400), "RGB"), ((1600, 1200), "L"), ((1600, 1200), "CMYK")])
def test_small_grey_and_ink_jpegs_are_decoded_as_they_are(tmp_path, size, mode):
    assert preview_of(jpeg(tmp_path / "a.jpg", size, mode), 300) is None


@pytest.mark.parametrize("left", [0, 2, 3, 20, 400])
def test_a_file_cut_short_or_gone_has_none_and_raises_nothing(tmp_path, left):
    path = tmp_path / "a.jpg"
    facts = jpeg(path)
    path.write_bytes(path.read_bytes()[:left])
    assert preview_of(facts, 300) is None
    path.unlink()
    assert preview_of(facts, 300) is None
    assert preview_of(replace(facts, path=tmp_path), 300) is None
