"""proof and ease as a stranger calls them: shares, figures, exit status, and numbers that stay where nothing has to change."""

from __future__ import annotations

import json

import numpy as np
import pytest
import tifffile
from PIL import Image

from velkin.cli import main
from velkin.core.conversion.conversion import Conversion
from velkin.core.files.picture import decode_picture
from velkin.core.gamut.membership import outside
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.rgb import BT2020, OPRGB, ROMM, SRGB
from velkin.core.tags.inspect import inspect
from velkin.sim.press import press_profile


def call(capfd, *words):
    status = main([str(w) for w in words])
    out, err = capfd.readouterr()
    assert "Traceback" not in err
    return status, json.loads(out) if "--json" in words else out, err


def colours(height=60, width=90):
    """Greys, and every hue from pale to as strong as ROMM RGB has it."""
    rng = np.random.default_rng(4)
    pixels = (
        0.15
        + 0.7 * rng.random((height, width, 1))
        + 0.5 * (rng.random((height, width, 3)) - 0.5) * rng.random((height, width, 1))
    )
    pixels[:10] = pixels[:10, :, :1]
    return np.clip(pixels, 0, 1)


@pytest.fixture
def files(tmp_path):
    picture = colours()
    for name, space, numbers in (
        ("wide.tif", ROMM, np.round(picture * 65535).astype(np.uint16)),
        ("wide8.tif", BT2020, np.round(picture * 255).astype(np.uint8)),
        ("float.tif", ROMM, picture.astype(np.float32)),
        ("open.tif", OPRGB, np.round(picture * 65535).astype(np.uint16)),
    ):
        tifffile.imwrite(tmp_path / name, numbers, photometric="rgb", iccprofile=matrix_profile(space))
    tifffile.imwrite(tmp_path / "bare.tif", np.round(picture * 255).astype(np.uint8), photometric="rgb")
    Image.fromarray((picture * 255).astype(np.uint8)).save(tmp_path / "wide.jpg", icc_profile=matrix_profile(ROMM), quality=95)
    (tmp_path / "press.icc").write_bytes(press_profile(4))
    (tmp_path / "one-way.icc").write_bytes(press_profile(4).replace(b"B2A", b"zzz"))
    return tmp_path


def share_of(path, space, to=SRGB):
    numbers = decode_picture(path).numbers
    top = {1: 255, 2: 65535, 4: 1}[numbers.dtype.itemsize]
    return float(outside(space.decode(numbers / top).astype(np.float32), Conversion(space, to)).mean())


def test_proof_says_what_is_lost(capfd, files):
    status, document, _ = call(capfd, "proof", files / "wide.tif", "--to", "srgb", "--json")
    assert status == 0 and set(document["channels"]) == {"r", "g", "b"}
    assert document["outside"] == pytest.approx(share_of(files / "wide.tif", ROMM), abs=1e-6) and document["outside"] > 0.05
    assert 0 < document["delta_e"]["mean"] < document["delta_e"]["p95"] < document["delta_e"]["max"]
    assert sum(e["low"] + e["high"] for e in document["channels"].values()) >= document["outside"]
    status, document, _ = call(capfd, "proof", files / "wide.tif", "--to", "romm", "--json")
    assert (status, document["outside"], document["largest_patch"]) == (0, 0, 0)
    status, text, _ = call(capfd, "proof", files / "wide.tif", "--to", "srgb")
    assert status == 0 and "is out of gamut for sRGB" in text


def test_proof_for_ink_names_the_inks_and_follows_the_intent(capfd, files):
    found = {}
    for intent in ("relative", "perceptual", "absolute"):
        status, document, _ = call(
            capfd, "proof", files / "wide.tif", "--to", files / "press.icc", "--intent", intent, "--json"
        )
        assert status == 0 and set(document["channels"]) == {"c", "m", "y", "k"}
        found[intent] = document
    assert found["relative"]["outside"] == found["perceptual"]["outside"] > 0.1
    assert found["relative"]["delta_e"]["mean"] != found["perceptual"]["delta_e"]["mean"]


def test_proof_of_a_raw_file(capfd, chart_dng):
    status, document, _ = call(capfd, "proof", chart_dng, "--to", "srgb", "--json")
    assert status == 0 and 0 < document["outside"] < 0.5


@pytest.mark.parametrize("name", ["wide.tif", "wide8.tif", "float.tif", "open.tif"])
@pytest.mark.parametrize("to", ["srgb", "press.icc"])
def test_ease_brings_everything_in_and_leaves_the_rest(capfd, files, name, to):
    space = {"wide.tif": ROMM, "wide8.tif": BT2020, "float.tif": ROMM, "open.tif": OPRGB}[name]
    goal = to if to == "srgb" else files / to
    out = files / f"eased-{name}"
    status, document, _ = call(capfd, "ease", files / name, "--to", goal, "--out", out, "--json")
    assert status == 0 and document["out"] == str(out) and document["before"] > 0.01
    assert document["after"] <= 1e-4
    _, again, _ = call(capfd, "proof", out, "--to", goal, "--json")
    assert again["outside"] <= 1e-4
    before, after = decode_picture(files / name).numbers, decode_picture(out).numbers
    assert (
        after.dtype == before.dtype
        and inspect(out).said is not None
        and inspect(out).said.name == inspect(files / name).said.name
    )
    assert np.array_equal(after[2:8], before[2:8]) or to != "srgb"  # greys keep their very numbers
    if to == "srgb":
        changed = (before != after).any(axis=2).mean()
        assert share_of(files / name, space) <= changed + 1e-9 < 0.9


def test_ease_by_half_leaves_more_outside_and_strength_nothing_changes_nothing(capfd, files):
    shares = []
    for strength in ("0", "0.5", "1"):
        out = files / f"s{strength}.tif"
        status, document, _ = call(
            capfd, "ease", files / "wide.tif", "--to", "srgb", "--strength", strength, "--out", out, "--json"
        )
        assert status == 0
        shares.append(document["after"])
    assert shares[0] > shares[1] > shares[2]
    assert np.array_equal(decode_picture(files / "s0.tif").numbers, decode_picture(files / "wide.tif").numbers)


def test_a_jpeg_is_eased_into_a_jpeg(capfd, files):
    status, document, _ = call(capfd, "ease", files / "wide.jpg", "--to", "srgb", "--out", files / "o.jpg", "--json")
    assert status == 0 and document["after"] <= 1e-4 and inspect(files / "o.jpg").said.id.startswith(("romm", "icc"))


@pytest.mark.parametrize(
    ("words", "status", "reason"),
    [
        (("proof", "bare.tif", "--to", "srgb"), 1, "--from"),
        (("proof", "wide.tif", "--to", "one-way.icc"), 1, "no way from colours"),
        (("proof", "wide.tif", "--to", "nowhere"), 2, "neither one of"),
        (("proof", "wide.tif"), 2, "--to"),
        (("proof", "gone.tif", "--to", "srgb"), 1, "cannot be read"),
        (("proof", "press.icc", "--to", "srgb"), 1, "not a picture"),
        (("ease", "wide.tif", "--to", "srgb"), 2, "--out"),
        (("ease", "wide.tif", "--to", "srgb", "--strength", "3", "--out", "o.tif"), 2, "0 to 1"),
        (("ease", "wide.tif", "--to", "srgb", "--out", "wide.tif", "--replace"), 1, "input"),
        (("ease", "wide.tif", "--to", "srgb", "--out", "wide8.tif"), 1, "already"),
        (("ease", "wide.tif", "--to", "srgb", "--out", "o.txt"), 2, "not supported"),
        (("ease", "wide.tif", "--to", "press.icc", "--out", "press.icc", "--replace"), 1, "input"),
    ],
)
def test_wrong_use_and_bad_files_are_refused_by_name(capfd, files, words, status, reason):
    names = [files / w if w.count(".") == 1 and not w.startswith("-") and w[0].isalpha() else w for w in words]
    before = (files / "wide.tif").read_bytes()
    found, document, err = call(capfd, *names, "--json")
    assert found == status and reason in document["error"] + err
    assert (files / "wide.tif").read_bytes() == before and not (files / "o.tif").exists()


def test_black_grey_tiny_and_all_outside_pictures(capfd, files):
    for name, picture, expected in (
        ("black", np.zeros((4, 5, 3)), 0.0),
        ("grey", np.full((4, 5, 3), 0.5), 0.0),
        ("one", np.array([[[0.0, 1.0, 0.0]]]), 1.0),
        ("all", np.tile([[[0.0, 0.9, 0.1]]], (6, 7, 1)), 1.0),
        ("line", np.tile([[[0.9, 0.0, 0.9]]], (1, 3000, 1)), 1.0),
    ):
        source = files / f"{name}.tif"
        tifffile.imwrite(
            source, np.round(picture * 65535).astype(np.uint16), photometric="rgb", iccprofile=matrix_profile(ROMM)
        )
        _, document, _ = call(capfd, "proof", source, "--to", "srgb", "--json")
        assert document["outside"] == expected and document["largest_patch"] == expected
        status, document, _ = call(capfd, "ease", source, "--to", "srgb", "--out", files / f"o-{name}.tif", "--json")
        assert status == 0 and document["after"] == 0


def test_a_gray_picture_is_proofed_and_eased_in_its_own_gray(capfd, files):
    from velkin.core.icc.space import grays

    gray = np.linspace(0, 255, 600).astype(np.uint8).reshape(20, 30)
    tifffile.imwrite(files / "gray.tif", gray, photometric="minisblack", iccprofile=grays()["gray-22"].icc)
    status, document, _ = call(capfd, "proof", files / "gray.tif", "--to", files / "press.icc", "--json")
    assert status == 0 and document["tone"] == document["outside"] > 0  # only what is darker than the ink
    status, document, _ = call(
        capfd, "ease", files / "gray.tif", "--to", files / "press.icc", "--out", files / "g.tif", "--json"
    )
    assert status == 0 and document["after"] <= document["before"]
    assert decode_picture(files / "g.tif").numbers.shape == (20, 30, 1)


@pytest.mark.parametrize("dtype", [np.float32, np.float64])
@pytest.mark.parametrize("space", [ROMM, OPRGB])
@pytest.mark.parametrize("width", [48, 500])
def test_samples_that_are_no_light_spoil_no_figure(tmp_path, capfd, dtype, space, width):
    pixels = np.resize(colours(40, 60), (40, width, 3)).astype(dtype)
    spoilt = [np.nan, np.inf, -np.inf, 1e30, -1e30, 1e38 if dtype is np.float32 else 1e300]
    for number, value in enumerate(spoilt):
        pixels[5, number] = value
    pixels[6, :4] = (-5.0, -0.1, 3.0)  # odd, and kept
    path = tmp_path / "float.tif"
    tifffile.imwrite(path, pixels, photometric="rgb", extratags=[(34675, 7, None, matrix_profile(space), True)])
    picture = decode_picture(path)
    assert (
        picture.not_numbers == 3 * len(spoilt) and float(picture.numbers.max()) == 3.0 and float(picture.numbers.min()) == -5.0
    )
    assert picture.numbers[5, : len(spoilt), 0].tolist() == [0.0, 1.0, 0.0, 1.0, 0.0, 1.0]
    status, told, _ = call(capfd, "proof", path, "--to", "srgb", "--json")  # JSON knows no NaN
    assert status == 0 and json.loads(json.dumps(told, allow_nan=False)) == told
    for verb, name in (("convert", "c.tif"), ("convert", "c.png"), ("convert", "c.jpg"), ("ease", "e.tif")):
        status, out, err = call(capfd, verb, path, "--to", "srgb", "--out", tmp_path / name)
        assert status == 0 and "nan" not in out + err and f"{picture.not_numbers} samples" in out + err
        assert np.all(np.isfinite(decode_picture(tmp_path / name).numbers))
