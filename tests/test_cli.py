"""The command line as a stranger calls it: JSON, exit status, and never a traceback."""

import json
import subprocess
import sys

import numpy as np
import pytest
import tifffile
from PIL import Image

from velkin.cli import main
from velkin.core.spaces.rgb import SRGB


def call(capfd, *words):
    status = main([str(w) for w in words])
    out, err = capfd.readouterr()
    assert "Traceback" not in err
    return status, (json.loads(out) if "--json" in words and out else out), err


def test_inspect(capfd, chart_dng, tmp_path):
    Image.new("RGB", (8, 6)).save(tmp_path / "a.png")
    status, documents, err = call(capfd, "inspect", "--json", chart_dng, tmp_path / "a.png", tmp_path / "none.dng")
    assert status == 1
    raw, png, missing = documents
    assert (raw["kind"], raw["format"], raw["tag"]["state"], raw["camera"]["unique"]) == (
        "raw",
        "dng",
        "raw",
        "Velkin Studio One",
    )
    assert (png["kind"], png["tag"]) == ("picture", {"state": "untagged", "source": "none", "description": "", "space": None})
    assert "error" in missing
    assert "none.dng" in err


def test_chart_and_fit_and_render(capfd, chart_dng, tmp_path):
    status, found, _ = call(capfd, "chart", chart_dng, "--chart", "iso24", "--json")
    assert status == 0 and found["found"] and len(found["patches"]) == 24
    corners = ",".join(f"{v:.2f}" for c in found["corners"] for v in c)
    profile = tmp_path / "p.json"
    status, document, _ = call(
        capfd, "fit", chart_dng, "--chart", "iso24", "--corners", corners, "--model", "matrix", "--out", profile, "--json"
    )
    assert status == 0 and document["model"] == "matrix" and document["mean"] < 1.1 and profile.is_file()
    assert [w["path"] for w in document["written"]] == [str(profile)]
    assert call(capfd, "fit", chart_dng, "--chart", "iso24", "--out", profile)[0] == 1
    for name, bits in (("r.tif", 16), ("r.png", 16), ("r.jpg", 8)):
        status, document, _ = call(
            capfd, "render", chart_dng, "--profile", profile, "--space", "p3", "--out", tmp_path / name, "--json"
        )
        assert status == 0 and document["space"] == "p3" and set(document["clipped"]) == {"r", "g", "b"}
        status, seen, _ = call(capfd, "inspect", tmp_path / name, "--json")
        assert (seen[0]["tag"]["space"], seen[0]["bits"], seen[0]["width"]) == ("p3", bits, 900)


def test_camera_numbers_are_balanced_and_have_no_tag(capfd, chart_dng, tmp_path):
    for encoding in ("linear", "srgb"):
        out = tmp_path / f"{encoding}.tif"
        status, document, _ = call(
            capfd, "render", chart_dng, "--camera-rgb", "--encoding", encoding, "--balance", "2,1,1.5", "--out", out, "--json"
        )
        assert status == 0 and document == {"out": str(out), "encoding": encoding}
    linear, encoded = (tifffile.imread(tmp_path / f"{e}.tif") / 65535.0 for e in ("linear", "srgb"))
    assert np.abs(SRGB.decode(encoded) - linear).max() < 1e-4
    status, plain, _ = call(capfd, "inspect", tmp_path / "linear.tif", "--json")
    assert plain[0]["tag"]["state"] == "untagged"


def test_a_frame_without_a_chart(capfd, demo_frames):
    status, document, err = call(capfd, "chart", demo_frames / "north-0412.dng", "--chart", "iso24", "--json")
    assert status == 1 and document["found"] is False
    assert "no 24-patch chart found; place its corners by hand" in err


def test_handoff(capfd, demo_shoot, tmp_path):
    status, document, _ = call(capfd, "handoff", demo_shoot, "--to", "web", "--out", tmp_path / "out", "--json")
    assert status == 0 and document["failed"] == 0
    assert len(document["written"]) == 12 == len(list((tmp_path / "out").iterdir()))
    assert {w["check"] for w in document["written"]} == {"ok"}
    status, document, _ = call(capfd, "handoff", demo_shoot, "--to", "web", "--out", tmp_path / "out", "--json")
    assert status == 1 and document["failed"] == 12
    assert "nothing was written" in document["written"][0]["reason"]


@pytest.mark.parametrize(
    "words",
    [
        ["fit", "F", "--chart", "iso24", "--model", "table", "--out", "O.json"],
        ["fit", "F", "--chart", "iso24", "--out", "O.dcp"],
        ["fit", "F", "--chart", "velkin48", "--out", "O.json"],
        ["fit", "F", "--chart", "iso24", "--second", "F", "--out", "O.json"],
        ["fit", "F", "--chart", "iso24", "--light", "moonshine", "--out", "O.json"],
        ["fit", "F", "--chart", "iso24"],
        ["chart", "F", "--chart", "iso24", "--corners", "1,2,3"],
        ["render", "F", "--out", "O.gif"],
        ["render", "F", "--out", "O.jpg", "--bits", "16"],
        ["render", "F", "--space", "nowhere", "--out", "O.tif"],
        ["render", "F", "--balance", "1,0,1", "--out", "O.tif"],
        ["render", "F", "--exposure", "inf", "--out", "O.tif"],
        ["convert", "F", "--to", "srgb", "--out", "O.tif"],
        ["inspect"],
        ["handoff", "S"],
        ["--nonsense"],
    ],
)
def test_wrong_or_unserved_use_ends_with_2(capfd, chart_dng, tmp_path, words):
    words = [str(chart_dng) if w == "F" else str(tmp_path / w) if w.startswith("O.") else w for w in words]
    status, _, err = call(capfd, *words)
    assert status == 2 and err.strip()
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize(
    "words", [["render", "F", "--out", "F", "--replace"], ["render", "N", "--out", "O.tif"], ["handoff", "F", "--to", "web"]]
)
def test_refused_work_ends_with_1_and_names_the_file(capfd, chart_dng, tmp_path, words):
    before = chart_dng.read_bytes()
    dng = tmp_path / "frame.dng"
    dng.write_bytes(before)
    places = {"F": dng, "N": tmp_path / "none.dng", "O.tif": tmp_path / "o.tif"}
    status, document, _ = call(capfd, *[places.get(w, w) for w in words], "--json")
    if words[1:3] == ["F", "--out"] and dng.suffix == ".dng":
        assert status == 2  # a raw file is no output either
    else:
        assert status == 1 and document["error"] and document["file"]
    assert dng.read_bytes() == before


def test_the_input_is_never_the_output(capfd, chart_dng, tmp_path):
    link = tmp_path / "a.tif"
    link.symlink_to(chart_dng)
    before = chart_dng.read_bytes()
    status, _, err = call(capfd, "render", chart_dng, "--out", link, "--replace")
    assert status == 1 and "the input itself" in err
    assert chart_dng.read_bytes() == before and link.is_symlink()


def test_the_installed_command_answers():
    done = subprocess.run(
        [sys.executable, "-c", "from velkin.cli import main; raise SystemExit(main(['--version']))"],
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0 and done.stdout.startswith("velkin ")
