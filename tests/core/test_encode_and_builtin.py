"""Encoded pictures in every format, metadata that is carried, and built-in profiles of odd cameras."""

from io import BytesIO

import numpy as np
import pytest
import tifffile
from PIL import Image

from velkin.core.cameraprofiles.matrices import ColourMatrices, built_in
from velkin.core.conversion.codes import codes_of_light
from velkin.core.files.dng_colour import DNGColour
from velkin.core.files.encode import encode_numbers
from velkin.core.files.exif import exif_facts
from velkin.core.files.kinds import FORMATS
from velkin.core.files.picture import Picture
from velkin.core.files.raw import RawFacts, read_facts
from velkin.core.files.raw_names import is_raw_name
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.rgb import BUILT_IN, OPRGB, SRGB
from velkin.core.spaces.temperature import xy_of_cct
from velkin.core.stages.camera import built_in_stage
from velkin.core.tags.inspect import inspect
from velkin.sim.camera import Camera


def whole(linear, space, kind, bits, source, tag=True):
    """A picture file of light, as the verbs write it."""
    codes = codes_of_light(linear, space, bits, dither=True)
    icc = matrix_profile(space) if tag else None
    return encode_numbers(Picture(codes, None, "rgb"), kind, icc, family=space.id if tag else "", source=source).data


def ramp(height=40, width=60):
    return np.random.default_rng(1).random((height, width, 3)).astype(np.float32)


@pytest.mark.parametrize(("suffix", "bits"), [(".tif", 8), (".tif", 16), (".png", 8), (".png", 16), (".jpg", 8)])
@pytest.mark.parametrize("space", ["srgb", "oprgb", "romm-linear"])
def test_every_format_holds_pixels_tag_and_exif(chart_dng, tmp_path, suffix, space, bits):
    linear, out = ramp(), tmp_path / f"a{suffix}"
    out.write_bytes(whole(linear, BUILT_IN[space], FORMATS[suffix], bits, chart_dng))
    seen = inspect(out)
    assert (seen.tag.state, seen.tag.source, seen.tag.space) == ("tagged", "icc", space)
    assert (seen.width, seen.height, seen.bits) == (60, 40, bits)
    facts = exif_facts(out)
    assert (facts.model, facts.lens, facts.orientation) == ("Velkin Studio One", "Stand-in 60 mm macro", 1)
    assert facts.colour_space == (1 if space == "srgb" else 65535)
    if suffix == ".tif":
        codes = tifffile.imread(out)
        exact = BUILT_IN[space].encode(linear.astype(float)) * (255 if bits == 8 else 65535)
        assert np.abs(codes - exact).max() <= (1.01 if bits == 8 else 2)
    elif suffix == ".png" and bits == 8:
        with Image.open(out) as picture:
            picture.load()
            assert picture.info["icc_profile"] == matrix_profile(BUILT_IN[space])


def test_camera_numbers_carry_no_profile(chart_dng, tmp_path):
    out = tmp_path / "a.tif"
    out.write_bytes(whole(ramp(), SRGB, "tiff", 16, chart_dng, tag=False))
    assert inspect(out).tag.state == "untagged"
    assert exif_facts(out).colour_space == 65535


def test_a_source_without_metadata_costs_nothing(tmp_path):
    (tmp_path / "odd.dng").write_bytes(b"no metadata here")
    (tmp_path / "none.dng").write_bytes(b"")
    black = Picture(np.zeros((20, 30, 3), np.uint8), None, "rgb")
    for source in (tmp_path / "odd.dng", tmp_path / "none.dng"):
        data = encode_numbers(black, "jpeg", matrix_profile(OPRGB), family="oprgb", source=source).data
        with Image.open(BytesIO(data)) as picture:
            assert picture.info["icc_profile"] == matrix_profile(OPRGB)
            assert picture.getexif().get_ifd(0x8769)[0xA001] == 65535


def test_place_and_rights_are_carried(tmp_path):
    source = tmp_path / "s.jpg"
    exif = Image.Exif()
    exif[0x8298] = "Madderfold Dyeworks"
    exif[0x0112] = 6
    exif.get_ifd(0x8825)[2] = (50.0, 30.0, 0.0)
    Image.new("RGB", (8, 8)).save(source, exif=exif)
    black = Picture(np.zeros((8, 8, 3), np.uint8), None, "rgb")
    data = encode_numbers(black, "jpeg", None, family="srgb", source=source).data
    with Image.open(BytesIO(data)) as picture:
        carried = picture.getexif()
        assert carried[0x8298] == "Madderfold Dyeworks"
        assert carried[0x0112] == 1, "pixels are upright, so the tag must not turn them again"
        assert carried.get_ifd(0x8825)[2] == (50.0, 30.0, 0.0)


@pytest.mark.parametrize(("name", "raw"), [("a.dng", True), ("A.NEF", True), ("b.cr3", True), ("c.jpg", False), ("dng", False)])
def test_raw_names(tmp_path, name, raw):
    assert is_raw_name(tmp_path / name) is raw


# ---- built-in profiles -----------------------------------------------------------------------------------------------------


def facts_with(chart_dng, colour):
    facts = read_facts(chart_dng)
    return RawFacts(**{**facts.__dict__, "colour": colour})


def test_one_matrix_is_used_for_every_light(chart_dng):
    warm, cool = Camera().built_in_matrices()
    single = built_in(facts_with(chart_dng, DNGColour((cool,), (21,))))
    for balance in (np.array([2.0, 1.0, 1.4]), np.array([0.7, 1.0, 2.9])):
        matrix = single.matrix(balance)
        assert matrix @ np.ones(3) == pytest.approx(D50, abs=1e-9)
        white = np.linalg.solve(cool, 1 / balance)
        assert single.white_of_neutral(1 / balance) == pytest.approx(white[:2] / white.sum(), abs=1e-7)
    assert warm.shape == cool.shape


def test_matrices_are_mixed_in_reciprocal_temperature():
    warm, cool = Camera().built_in_matrices()
    profile = ColourMatrices.of(DNGColour((warm, cool), (17, 21)))
    kelvin = 2.0 / (1 / 2856 + 1 / 6504)
    xy = xy_of_cct(kelvin)
    xyz = np.array([xy[0] / xy[1], 1.0, (1 - xy.sum()) / xy[1]])
    neutral = (0.5 * (warm + cool)) @ xyz
    assert profile.temperature(1 / (neutral / neutral[1]))[0] == pytest.approx(kelvin, rel=0.02)


def test_beyond_the_two_lights_the_nearer_matrix_stands():
    warm, cool = Camera().built_in_matrices()
    profile = ColourMatrices.of(DNGColour((warm, cool), (17, 21)))
    xy = xy_of_cct(12000)
    neutral = cool @ np.array([xy[0] / xy[1], 1.0, (1 - xy.sum()) / xy[1]])
    assert profile.white_of_neutral(neutral / neutral[1]) == pytest.approx(xy, abs=1e-5)


def test_a_camera_that_names_no_matrix_is_taken_for_a_plain_one(chart_dng):
    stage = built_in_stage(facts_with(chart_dng, None))
    assert np.array(stage.colours.matrix) @ np.ones(3) == pytest.approx(D50, abs=1e-9)


@pytest.mark.parametrize("balance", [(50.0, 1.0, 0.02), (0.01, 1.0, 30.0), (1e-3, 1.0, 1e3)])
def test_absurd_balances_give_numbers_all_the_same(chart_dng, balance):
    stage = built_in_stage(read_facts(chart_dng), np.array(balance), "given")
    matrix = np.array(stage.colours.matrix)
    assert np.all(np.isfinite(matrix))
    assert matrix @ np.ones(3) == pytest.approx(D50, abs=1e-6)
