"""match and apply as a stranger calls them: from a chart, from points, from before and after; and what is refused."""

from __future__ import annotations

import json

import numpy as np
import pytest
import tifffile
from PIL import Image

from tests.core.test_match import as_treated, error_on, scene  # noqa: F401
from velkin.cli import main
from velkin.core.files import raw
from velkin.core.icc.write import matrix_profile
from velkin.core.match.match_file import load_match
from velkin.core.path import path_of
from velkin.core.render import to_working
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import OPRGB, ROMM, SRGB, between
from velkin.core.stages.camera import built_in_stage
from velkin.core.tags.inspect import inspect
from velkin.sim.press import press_profile


def call(capfd, *words):
    status = main([str(w) for w in words])
    out, err = capfd.readouterr()
    assert "Traceback" not in err
    return status, json.loads(out) if "--json" in words else out, err


def written(path, linear, space=ROMM, tagged=True):
    codes = np.round(np.clip(space.encode(linear.astype(float)), 0, 1) * 65535).astype(np.uint16)
    tifffile.imwrite(path, codes, photometric="rgb", iccprofile=matrix_profile(space) if tagged else None)
    return path


@pytest.fixture
def files(tmp_path, scene):  # noqa: F811
    written(tmp_path / "before.tif", scene)
    written(tmp_path / "after.tif", as_treated(scene))
    return tmp_path


def test_a_treatment_is_learnt_from_before_and_after_and_put_on(files, capfd, scene):  # noqa: F811
    outs = [files / name for name in ("m.json", "m.cube", "m.icc", "matched.tif")]
    status, found, _ = call(
        capfd, "match", files / "after.tif", files / "before.tif", "--aligned", "--space", "romm", "--out", *outs, "--json"
    )
    assert status == 0 and [w["path"] for w in found["written"]] == [str(o) for o in outs]
    assert found["from"]["aligned"] == found["pairs"] > 50 and found["from"]["chart"] == 0
    assert found["folds"] == 0 and found["mean"] < 0.5 < found["before"]["mean"] and 0 < found["left_out"] < 1
    assert error_on(load_match(outs[0]).learnt().match, scene).mean() <= 0.5
    status, applied, err = call(capfd, "apply", files / "before.tif", "--match", outs[0], "--out", files / "a.tif", "--json")
    assert status == 0 and applied["space"] == "romm" and set(applied["clipped"]) == set("rgb")
    assert np.array_equal(tifffile.imread(files / "a.tif"), tifffile.imread(files / "matched.tif"))
    assert inspect(files / "a.tif").icc == inspect(files / "before.tif").icc
    off = np.abs(tifffile.imread(files / "a.tif").astype(int) - tifffile.imread(files / "after.tif"))
    assert np.median(off) < 200
    status, _, err = call(capfd, "apply", files / "before.tif", "--match", outs[1], "--strength", "1", "--out", files / "c.tif")
    assert status == 0 and "does not say" not in err
    by_cube = tifffile.imread(files / "c.tif").astype(int)
    assert np.median(np.abs(by_cube - tifffile.imread(files / "a.tif"))) < 120
    status, *_ = call(capfd, "apply", files / "before.tif", "--match", outs[0], "--strength", "0", "--out", files / "z.tif")
    assert status == 0
    assert np.abs(tifffile.imread(files / "z.tif").astype(int) - tifffile.imread(files / "before.tif")).max() <= 1


def test_profiles_carry_a_match_as_looks_too(files, capfd):
    status, *_ = call(
        capfd, "match", files / "after.tif", files / "before.tif", "--aligned", "--out", files / "m.json", files / "i.icc"
    )
    assert status == 0
    words = ("match", files / "after.tif", files / "before.tif", "--aligned", "--icc", "abstract", "--out", files / "a.icc")
    status, *_ = call(capfd, *words)
    assert status == 0
    for name in ("m.json", "i.icc", "a.icc"):
        assert call(capfd, "apply", files / "before.tif", "--match", files / name, "--out", files / f"{name}.tif")[0] == 0
    native, *others = (tifffile.imread(files / f"{name}.tif") / 65535 for name in ("m.json", "i.icc", "a.icc"))
    meant = xyz_to_lab(ROMM.decode(native[::7, ::7]) @ ROMM.to_xyz.T)
    for other in others:
        error = ciede2000(xyz_to_lab(ROMM.decode(other[::7, ::7]) @ ROMM.to_xyz.T), meant)
        assert error.mean() <= 0.3 and np.percentile(error, 99) <= 1.0


def test_one_camera_is_made_to_look_like_another_by_the_chart_in_both(chart_dng, tmp_path, capfd):
    """The other camera's rendering: warmer, of more contrast, in another space."""
    linear = to_working(raw.decode(chart_dng), path_of(built_in_stage(raw.read_facts(chart_dng)), ROMM, ROMM))
    other = (np.maximum(linear, 0) ** 1.15 * np.array([1.06, 1.0, 0.9], dtype=np.float32)).astype(np.float32)
    written(tmp_path / "other.tif", np.maximum(other @ between(ROMM, OPRGB).T, 0), OPRGB)
    status, found, _ = call(
        capfd, "match", tmp_path / "other.tif", chart_dng, "--chart", "iso24", "--out", tmp_path / "m.json", "--json"
    )
    assert status == 0 and found["pairs"] == found["from"]["chart"] >= 20
    assert found["mean"] < 0.8 and found["before"]["mean"] > 3 and found["folds"] == 0
    status, own, _ = call(capfd, "match", "-", chart_dng, "--chart", "iso24", "--out", tmp_path / "own.json", "--json")
    assert status == 0 and own["mean"] < own["before"]["mean"]


def test_points_bring_a_colour_to_its_number(files, capfd, scene):  # noqa: F811
    (files / "p.csv").write_text("file_x,file_y,L,a,b,name\n400,300,55,12,-8,sleeve\n")
    words = ("match", "-", files / "before.tif", "--pairs", files / "p.csv", "--exact", "1", "--lightness", "0")
    status, found, _ = call(capfd, *words, "--out", files / "m.tif", "--json")
    assert status == 0 and found["from"]["numbers"] == 1
    there = ROMM.decode(tifffile.imread(files / "m.tif")[298:303, 398:403].reshape(-1, 3).mean(axis=0) / 65535)
    before = xyz_to_lab(ROMM.to_xyz @ scene[298:303, 398:403].reshape(-1, 3).mean(axis=0))
    lab = xyz_to_lab(ROMM.to_xyz @ there)
    assert lab[1:] == pytest.approx([12, -8], abs=2.5) and lab[0] == pytest.approx(before[0], abs=2.5)


def test_eight_bits_and_other_formats_stay_what_they_are(files, capfd, scene):  # noqa: F811
    small = scene[::3, ::3] @ between(ROMM, SRGB).T
    codes = np.round(np.clip(SRGB.encode(np.maximum(small, 0)), 0, 1) * 255).astype(np.uint8)
    Image.fromarray(codes).save(files / "small.jpg", icc_profile=matrix_profile(SRGB), quality=97)
    (files / "p.csv").write_text("file_x,file_y,L,a,b\n100,100,60,0,0\n")
    status, *_ = call(capfd, "match", "-", files / "small.jpg", "--pairs", files / "p.csv", "--out", files / "out.jpg")
    assert status == 0
    found = inspect(files / "out.jpg")
    assert (found.bits, found.format, found.tag.state) == (8, "jpeg", "tagged")
    after, before = (
        SRGB.decode(np.asarray(Image.open(files / name))[98:103, 98:103] / 255.0).reshape(-1, 3).mean(axis=0)
        for name in ("out.jpg", "small.jpg")
    )
    off = [ciede2000(xyz_to_lab(SRGB.to_xyz @ v), np.array([60.0, 0.0, 0.0])) for v in (after, before)]
    assert off[0] < 0.5 * off[1]


@pytest.mark.parametrize(
    ("words", "status", "says"),
    [
        (("match", "after.tif", "before.tif", "--out", "x.json"), 2, "what to learn from"),
        (("match", "-", "before.tif", "--aligned", "--out", "x.json"), 2, "without a REFERENCE"),
        (("match", "after.tif", "before.tif", "--chart", "iso24", "--leave-out", "1,2,3,4", "--out", "x.json"), 2, "--aligned"),
        (("match", "after.tif", "before.tif", "--aligned", "--exact", "2", "--out", "x.json"), 2, "not within"),
        (("match", "after.tif", "before.tif", "--aligned", "--leave-out", "1,2", "--out", "x.json"), 2, "X,Y,W,H"),
        (("match", "after.tif", "before.tif", "--aligned", "--size", "17", "--out", "x.json"), 2, "--size"),
        (("match", "after.tif", "before.tif", "--aligned", "--icc", "abstract", "--out", "x.json"), 2, "--icc"),
        (("match", "after.tif", "before.tif", "--aligned", "--out", "x.json", "x.json"), 2, "twice"),
        (
            ("match", "after.tif", "before.tif", "--chart", "iso24", "--out", "x.json"),
            1,
            "no 24-patch chart was found in the picture",
        ),
        (("match", "after.tif", "bare.tif", "--aligned", "--out", "x.json"), 1, "untagged"),
        (("match", "gone.tif", "before.tif", "--aligned", "--out", "x.json"), 1, "gone.tif"),
        (("match", "after.tif", "before.tif", "--pairs", "bad.csv", "--out", "x.json"), 1, "line 3"),
        (("match", "after.tif", "before.tif", "--aligned", "--out", "before.tif"), 1, "before.tif"),
        (("apply", "before.tif", "--match", "bad.csv", "--out", "x.tif"), 2, ".json, .cube or .icc"),
        (("apply", "before.tif", "--match", "bad.cube", "--out", "x.tif"), 1, "line 2"),
        (("apply", "before.tif", "--match", "bad.icc", "--out", "x.tif"), 1, "bad.icc"),
        (("apply", "before.tif", "--match", "press.icc", "--out", "x.tif"), 1, "no look"),
        (("apply", "before.tif", "--match", "bad.json", "--out", "x.tif"), 1, "bad.json"),
        (("apply", "before.tif", "--match", "gone.json", "--out", "x.tif"), 1, "gone.json"),
        (("apply", "before.tif", "--match", "bad.json", "--strength", "2", "--out", "x.tif"), 2, "not within"),
    ],
    ids=lambda v: " ".join(v[:1]) if isinstance(v, tuple) else str(v)[:20],
)
def test_what_is_refused_is_said_and_nothing_is_written(files, capfd, monkeypatch, words, status, says, scene):  # noqa: F811
    monkeypatch.chdir(files)
    written(files / "bare.tif", scene, tagged=False)
    (files / "bad.csv").write_text("file_x,file_y,L,a,b\n10,10,50,1,1\n10,x,50,1,1\n")
    (files / "bad.cube").write_text("LUT_3D_SIZE 2\n1 2\n")
    (files / "bad.json").write_text("{")
    (files / "bad.icc").write_bytes(matrix_profile(SRGB)[:90])
    (files / "press.icc").write_bytes(press_profile(4))
    before = (files / "before.tif").read_bytes()
    found, document, err = call(capfd, *words, "--json")
    assert found == status and says in f"{document['error']} {document['file']}" and says in err
    assert not (files / "x.json").exists() and not (files / "x.tif").exists()
    assert (files / "before.tif").read_bytes() == before


def test_bringing_to_normal_is_written_apart_and_together(tmp_path, capfd, scene):  # noqa: F811
    flat = 0.1 + 0.35 * np.clip(scene, 0, 1) ** 0.8
    flat = flat.mean(axis=2, keepdims=True) + 0.5 * (flat - flat.mean(axis=2, keepdims=True))
    written(tmp_path / "flat.tif", flat)
    written(tmp_path / "wanted.tif", scene)
    first, rest, both, own = (tmp_path / n for n in ("normal.tif", "match.cube", "both.tif", "m.json"))
    asked = ("match", tmp_path / "wanted.tif", tmp_path / "flat.tif", "--aligned", "--normalise", "auto", "--space", "romm")
    for out, part in ((first, "normalise"), (rest, "match"), (both, "both")):
        status, found, err = (
            call(capfd, *asked, "--part", part, "--size", 65, "--out", out, "--json")
            if out is rest
            else call(capfd, *asked, "--part", part, "--out", out, "--json")
        )
        assert (status, found["normalised"]) == (0, True), err
    twice = tmp_path / "twice.tif"
    assert call(capfd, "apply", first, "--match", rest, "--input", "romm", "--out", twice)[0] == 0
    one, two = (ROMM.decode(tifffile.imread(p) / 65535.0) @ ROMM.to_xyz.T for p in (both, twice))
    apart = ciede2000(xyz_to_lab(one.reshape(-1, 3)), xyz_to_lab(two.reshape(-1, 3)))
    assert apart.mean() < 0.3 and np.percentile(apart, 99) < 1.0
    status, _, err = call(capfd, *asked, "--part", "match", "--out", own)
    assert status == 2 and "--part goes with tables" in err and not own.exists()
    sure = ("match", tmp_path / "wanted.tif", tmp_path / "wanted.tif", "--aligned", "--out", tmp_path / "n.cube")
    status, _, err = call(capfd, *sure, "--part", "normalise", "--space", "romm")
    assert "was not flat" in err and status == 2 and not (tmp_path / "n.cube").exists()
