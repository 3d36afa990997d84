"""assign and convert as a stranger calls them: JSON, exit status, nothing lost."""

from __future__ import annotations

import json

import numpy as np
import pytest
import tifffile
from PIL import Image

from velkin.cli import main
from velkin.core.files.picture import decode_picture
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.rgb import BUILT_IN, OPRGB, ROMM, SRGB, between
from velkin.core.tags.inspect import inspect
from velkin.sim.press import press_profile

DEEP = (np.random.default_rng(2).random((40, 50, 3)) * 65535).astype(np.uint16)


def call(capfd, *words):
    status = main([str(w) for w in words])
    out, err = capfd.readouterr()
    assert "Traceback" not in err
    return status, json.loads(out) if "--json" in words else out, err


@pytest.fixture
def files(tmp_path):
    tifffile.imwrite(tmp_path / "wide.tif", DEEP, photometric="rgb", iccprofile=matrix_profile(ROMM))
    tifffile.imwrite(tmp_path / "bare.tif", DEEP, photometric="rgb")
    tifffile.imwrite(
        tmp_path / "float.tif", (DEEP / 65535).astype(np.float32), photometric="rgb", iccprofile=matrix_profile(ROMM)
    )
    Image.fromarray((DEEP >> 8).astype(np.uint8)).save(tmp_path / "bare.jpg")
    (tmp_path / "press.icc").write_bytes(press_profile(4))
    return tmp_path


def test_assign_keeps_every_number(capfd, files):
    for name in ("bare.tif", "wide.tif", "bare.jpg"):
        out = files / f"o-{name}"
        status, document, _ = call(capfd, "assign", files / name, "--space", "oprgb", "--out", out, "--json")
        assert status == 0 and document == {"out": str(out), "space": "oprgb"}
        assert np.array_equal(decode_picture(out).numbers, decode_picture(files / name).numbers)
        assert inspect(out).tag.space == "oprgb"


def test_convert_keeps_the_look_and_counts_what_is_lost(capfd, files):
    out = files / "o.tif"
    status, document, _ = call(capfd, "convert", files / "wide.tif", "--to", "srgb", "--out", out, "--json")
    linear = ROMM.decode(DEEP / 65535) @ between(ROMM, SRGB).T
    assert status == 0 and document["space"] == "srgb" and set(document["clipped"]) == {"r", "g", "b"}
    assert document["outside"] == pytest.approx(np.mean((linear < -3e-4).any(axis=2) | (linear > 1.005).any(axis=2)), abs=0.02)
    meant = np.clip(SRGB.encode(linear), 0, 1) * 65535
    assert np.abs(decode_picture(out).numbers - meant).max() <= 2


def test_float_stays_float_and_unclipped_unless_bits_are_asked_for(capfd, files):
    assert call(capfd, "convert", files / "float.tif", "--to", "srgb", "--out", files / "f.tif")[0] == 0
    numbers = decode_picture(files / "f.tif").numbers
    assert numbers.dtype == np.float32 and numbers.min() < -0.05 and numbers.max() > 1.05
    assert call(capfd, "convert", files / "float.tif", "--to", "srgb", "--bits", "8", "--out", files / "g.tif")[0] == 0
    assert decode_picture(files / "g.tif").numbers.dtype == np.uint8


def test_dither_can_be_left_out_and_is_the_same_on_every_run(capfd, files):
    for name, options in (("a", []), ("b", []), ("c", ["--no-dither"])):
        words = ["convert", files / "wide.tif", "--to", "oprgb", "--bits", "8", *options, "--out", files / f"{name}.png"]
        assert call(capfd, *words)[0] == 0
    a, b, c = (decode_picture(files / f"{n}.png").numbers for n in "abc")
    assert np.array_equal(a, b) and not np.array_equal(a, c) and np.abs(a.astype(int) - c).max() <= 1


def test_an_untagged_file_is_not_guessed_at(capfd, files):
    status, document, err = call(capfd, "convert", files / "bare.tif", "--to", "srgb", "--out", files / "o.tif", "--json")
    assert status == 1 and "untagged" in document["error"] and "bare.tif" in err and not (files / "o.tif").exists()
    words = ("convert", files / "bare.tif", "--from", "romm", "--to", "srgb", "--out", files / "o.tif", "--json")
    assert call(capfd, *words)[0] == 0
    status, _, err = call(capfd, "convert", files / "wide.tif", "--from", "oprgb", "--to", "srgb", "--out", files / "p.tif")
    assert status == 0 and "its tag says ROMM RGB" in err


@pytest.mark.parametrize("intent", ["perceptual", "relative", "saturation", "absolute"])
def test_to_a_press_and_back_by_every_intent(capfd, files, intent):
    ink, back = files / f"{intent}.tif", files / f"{intent}-back.png"
    words = ("convert", files / "wide.tif", "--to", files / "press.icc", "--intent", intent, "--out", ink, "--json")
    status, document, _ = call(capfd, *words)
    assert status == 0 and 0.3 < document["outside"] < 1 and document["clipped"] == {}
    assert inspect(ink).model == "cmyk" and inspect(ink).bits == 16
    assert call(capfd, "convert", ink, "--to", "srgb", "--no-bpc", "--intent", intent, "--out", back)[0] == 0
    assert inspect(back).tag.space == "srgb"


def test_refusals(capfd, files):
    wide, before = files / "wide.tif", (files / "wide.tif").read_bytes()
    refused = [
        (1, "assign", wide, "--space", files / "press.icc", "--out", files / "x.tif"),
        (1, "assign", wide, "--space", "srgb", "--out", wide, "--replace"),
        (1, "convert", wide, "--to", "srgb", "--out", wide, "--replace"),
        (1, "convert", wide, "--to", "srgb", "--out", files / "bare.tif"),
        (1, "convert", wide, "--to", files / "press.icc", "--out", files / "press.icc", "--replace"),
        (2, "convert", wide, "--to", "nothing", "--out", files / "x.tif"),
        (2, "convert", wide, "--to", "srgb", "--bits", "16", "--out", files / "x.jpg"),
        (2, "convert", wide, "--to", "srgb", "--out", files / "x.xyz"),
        (2, "assign", files / "bare.jpg", "--space", "srgb", "--out", files / "x.webp"),
        (1, "assign", files / "none.tif", "--space", "srgb", "--out", files / "x.tif"),
        (1, "convert", files / "press.icc", "--to", "srgb", "--out", files / "x.tif"),
        (2, "convert", wide, "--to", "srgb"),
    ]
    kept = {p.name for p in files.iterdir()}
    for expected, *words in refused:
        status, _, err = call(capfd, *words)
        assert status == expected and err.strip(), words
    assert wide.read_bytes() == before and {p.name for p in files.iterdir()} == kept


def test_pages_are_chosen_by_number(capfd, tmp_path):
    with tifffile.TiffWriter(tmp_path / "two.tif") as tif:
        tif.write(DEEP, photometric="rgb", iccprofile=matrix_profile(SRGB))
        tif.write(DEEP[:8, :8].copy(), photometric="rgb", iccprofile=matrix_profile(OPRGB))
    status, _, _ = call(capfd, "convert", tmp_path / "two.tif", "--page", "2", "--to", "srgb", "--out", tmp_path / "o.tif")
    assert status == 0 and decode_picture(tmp_path / "o.tif").numbers.shape == (8, 8, 3)
    assert call(capfd, "convert", tmp_path / "two.tif", "--page", "3", "--to", "srgb", "--out", tmp_path / "p.tif")[0] == 1


@pytest.mark.parametrize("space", list(BUILT_IN))
def test_every_id_is_known(capfd, files, space):
    out = files / f"{space}.tif"
    assert call(capfd, "convert", files / "wide.tif", "--to", space, "--out", out)[0] == 0
    assert inspect(out).tag.space == space
