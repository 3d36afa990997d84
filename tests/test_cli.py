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
    status, documents, err = call(capfd, "inspect", chart_dng, "--json", tmp_path / "a.png", tmp_path / "none.dng")
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
    assert len(document["written"]) == 8 == len(list((tmp_path / "out").iterdir()))  # neither chart nor neutral frames
    assert {w["check"] for w in document["written"]} == {"ok"}
    status, document, _ = call(capfd, "handoff", demo_shoot, "--to", "web", "--out", tmp_path / "out", "--json")
    assert status == 1 and document["failed"] == 8
    assert "nothing was written" in document["written"][0]["reason"]


@pytest.mark.parametrize(
    "words",
    [
        ["fit", "F", "--chart", "iso24", "--model", "spline", "--out", "O.json"],
        ["fit", "F", "--chart", "iso24", "--out", "O.profile"],
        ["fit", "F", "--chart", "iso24", "--second-light", "A", "--out", "O.json"],
        ["fit", "F", "--chart", "iso24", "--space", "nowhere", "--out", "O.cube"],
        ["fit", "F", "--chart", "iso24", "--out", "O.json", "O.json"],
        ["fit", "F", "--chart", "iso24", "--light", "moonshine", "--out", "O.json"],
        ["fit", "F", "--chart", "iso24"],
        ["fit", "F", "--chart", "iso24", "--encoding", "srgb", "--out", "O.cube"],
        ["fit", "F", "--chart", "iso24", "--icc-version", "2", "--out", "O.json"],
        ["fit", "F", "--chart", "iso24", "--space", "srgb", "--out", "O.icc"],
        ["fit", "F", "--chart", "iso24", "--cube-size", "33", "--out", "O.dcp"],
        ["chart", "F", "--chart", "iso24", "--corners", "1,2,3"],
        ["render", "F", "--out", "O.gif"],
        ["render", "F", "--out", "O.jpg", "--bits", "16"],
        ["render", "F", "--out", "O.webp", "--bits", "16"],
        ["render", "F", "--space", "nowhere", "--out", "O.tif"],
        ["render", "F", "--balance", "chart", "--out", "O.tif"],
        ["render", "F", "--for", "F", "--out", "O.tif"],
        ["render", "F", "--camera-rgb", "--for", "F", "--encoding", "linear", "--out", "O.tif"],
        ["render", "F", "--camera-rgb", "--space", "srgb", "--out", "O.tif"],
        ["render", "F", "--force", "--out", "O.tif"],
        ["convert", "F", "--to", "srgb", "--page", "0", "--out", "O.tif"],
        ["proof", "F", "--to", "srgb", "--page", "two"],
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


def test_a_profile_for_another_camera_is_refused(capfd, chart_dng, tmp_path):
    profile = tmp_path / "p.json"
    assert call(capfd, "fit", chart_dng, "--chart", "iso24", "--name", "Window", "--light", "D65", "--out", profile)[0] == 0
    data = json.loads(profile.read_text())
    assert (data["name"], data["fits"][0]["light"]) == ("Window", "D65")
    profile.write_text(json.dumps(data | {"camera": "Another One"}))
    status, document, _ = call(capfd, "render", chart_dng, "--profile", profile, "--out", tmp_path / "o.tif", "--json")
    assert status == 1 and "made for Another One" in document["error"] and document["file"] == str(profile)
    assert not (tmp_path / "o.tif").exists()


def test_balance_from_another_chart_frame_and_from_the_camera(capfd, chart_dng, tmp_path):
    means = {}
    for name, balance in (("chart", f"chart:{chart_dng}"), ("camera", "camera"), ("given", "1,1,1")):
        out = tmp_path / f"{name}.tif"
        assert call(capfd, "render", chart_dng, "--camera-rgb", "--balance", balance, "--out", out)[0] == 0
        means[name] = tifffile.imread(out).reshape(-1, 3).mean(axis=0)
    assert means["chart"] / means["camera"] == pytest.approx([1, 1, 1], rel=0.02)
    assert means["given"][2] < 0.85 * means["camera"][2]


def test_exposure_brightens_by_its_factor(capfd, chart_dng, tmp_path):
    for name, ev in (("a", "0"), ("b", "1")):
        out = tmp_path / f"{name}.tif"
        assert call(capfd, "render", chart_dng, "--space", "romm-linear", "--exposure", ev, "--out", out)[0] == 0
    a, b = (tifffile.imread(tmp_path / f"{n}.tif").astype(float) for n in "ab")
    dark = (a > 500) & (a < 20000)
    assert np.median(b[dark] / a[dark]) == pytest.approx(2.0, rel=1e-3)


def test_clipped_charts_are_refused_with_the_patches_named(capfd, tmp_path):
    from .studio import shoot_chart

    shoot_chart(tmp_path / "bright.dng", level=1.3)
    status, document, err = call(
        capfd, "fit", tmp_path / "bright.dng", "--chart", "iso24", "--out", tmp_path / "p.json", "--json"
    )
    assert status == 1 and "D1" in document["error"] and "less exposure" in err
    assert not (tmp_path / "p.json").exists()
    status, found, _ = call(capfd, "chart", tmp_path / "bright.dng", "--chart", "iso24", "--json")
    assert status == 0
    assert "clipping" in next(p for p in found["patches"] if p["id"] == "D1")["flags"]


def test_reports_without_json_are_short_and_readable(capfd, chart_dng, tmp_path):
    status, text, _ = call(capfd, "inspect", chart_dng)
    assert status == 0 and text.count("\n") == 1 and "dng, 900 × 600, 14-bit rgb; raw" in text
    status, text, _ = call(capfd, "chart", chart_dng, "--chart", "iso24")
    assert status == 0 and text.startswith("corners") and len(text.splitlines()) == 1 + 9 + 24
    status, text, _ = call(capfd, "fit", chart_dng, "--chart", "iso24", "--out", tmp_path / "p.json")
    assert status == 0 and "mean ΔE00" in text and "leave-one-out" in text


def test_names_that_are_no_text_do_not_break_the_json(capfd, chart_dng, tmp_path):
    import os

    odd = os.fsdecode(os.path.join(os.fsencode(tmp_path), b"od\xffd\nname.dng"))
    with open(odd, "wb") as stream:
        stream.write(chart_dng.read_bytes())
    status, documents, _ = call(capfd, "inspect", odd, "--json")
    assert status == 0 and documents[0]["width"] == 900
    assert documents[0]["path"] == odd.replace("\udcff", "\\xff"), "valid Unicode, with the byte spelled out"
    assert documents[0]["camera"]["unique"] == "Velkin Studio One"
    assert call(capfd, "inspect", odd)[0] == 0
    from pathlib import Path

    from velkin.core.errors import UnreadableFile
    from velkin.core.shoot.arrivals import look_at

    with pytest.raises(UnreadableFile, match="rename it"):
        look_at(Path(odd))


def test_a_reader_that_goes_away_is_no_error(chart_dng):
    code = f"from velkin.cli import main; raise SystemExit(main(['chart', {str(chart_dng)!r}, '--chart', 'iso24']))"
    process = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, stderr=subprocess.PIPE)
    process.stdout.close()
    assert b"Traceback" not in process.stderr.read()
    process.wait()


def test_a_starter_is_a_destination_of_every_shoot(capfd, demo_shoot, tmp_path):
    """Without having been added in the window; a shoot's own of that name comes first."""
    words = (
        "handoff",
        demo_shoot,
        "--to",
        "archive",
        "--frames",
        "north-0412",
        "north-0401",
        "--out",
        tmp_path / "out",
        "--json",
    )
    status, document, _ = call(capfd, *words)
    assert status == 0 and [w["space"] for w in document["written"]] == ["romm", "romm"]
    assert sorted(w["frame"] for w in document["written"]) == ["north-0401", "north-0412"]
    status, document, _ = call(capfd, "handoff", demo_shoot, "--to", "the moon", "--json")
    assert status == 2 and "archive (Archive)" in document["error"] and document["error"].count("Web sRGB") == 1


@pytest.mark.parametrize("verb", ["assign", "convert", "proof", "ease"])
def test_a_picture_that_a_file_does_not_hold_is_refused_by_name(capfd, tmp_path, verb):
    file = tmp_path / "one.tif"
    tifffile.imwrite(file, np.zeros((4, 5, 3), np.uint8), photometric="rgb")
    words = {"assign": ["--space", "srgb"], "proof": ["--to", "srgb", "--from", "p3"]}.get(
        verb, ["--to", "srgb", "--from", "p3"]
    )
    outs = [] if verb == "proof" else ["--out", tmp_path / "o.tif"]
    status, document, err = call(capfd, verb, file, *words, "--page", "2", *outs, "--json")
    assert status == 1 and document["file"] == str(file) and "one.tif" in err
    assert not (tmp_path / "o.tif").exists()


def test_a_broken_chart_file_is_named(capfd, chart_dng, tmp_path):
    broken = tmp_path / "mine.json"
    broken.write_text('{"format": ')
    for verb in ("chart", "fit"):
        outs = ["--out", tmp_path / "o.json"] if verb == "fit" else []
        status, document, err = call(capfd, verb, chart_dng, "--chart", broken, *outs, "--json")
        assert status == 1 and document["file"] == str(broken) and "mine.json" in err
