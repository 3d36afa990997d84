"""Everybody's files on the command line: what they hold, which picture is taken, what is left behind, and how refusals end."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image

from tests.core.awkward import RGB, coded, everything, png, save, several
from velkin.cli import main
from velkin.core.files.formats.png import chunk
from velkin.core.files.picture import decode_picture
from velkin.core.tags.inspect import inspect


def call(capfd, *words):
    status = main([str(w) for w in words])
    out, err = capfd.readouterr()
    return status, json.loads(out) if "--json" in words else out, err


def shell(*words) -> subprocess.CompletedProcess[bytes]:
    """As a shell runs it."""
    return subprocess.run(
        [sys.executable, "-c", "from velkin.cli import main; raise SystemExit(main())", *map(str, words)], capture_output=True
    )


def test_contents_are_listed_with_what_becomes_of_each_and_why(tmp_path, capfd):
    path = save(tmp_path / "a.jpg", several(everything(), coded(255 - RGB)))
    status, (found,), _ = call(capfd, "inspect", path, "--contents", "--json")
    assert status == 0 and found["pages"] == 2
    assert all(set(c) == {"part", "kind", "bytes", "carried", "why"} for c in found["contents"])
    said = {c["part"]: c["carried"] for c in found["contents"]}
    assert said["maker's notes"] == "yes" and said["Exif"] == "changed" and said["another picture"] == "no"
    assert said["IPTC"] == said["comment"] == said["path skein"] == "yes"
    status, text, _ = call(capfd, "inspect", path, "--contents")
    assert "2 pictures" in text and "one picture of the file is written" in text
    assert "contents" not in call(capfd, "inspect", path, "--json")[1][0]


def test_one_of_several_is_chosen_said_and_bounded(tmp_path, capfd):
    path = save(tmp_path / "a.jpg", several(coded(), coded(255 - RGB)))
    status, _, err = call(capfd, "convert", path, "--from", "srgb", "--to", "p3", "--page", 2, "--out", tmp_path / "o.tif")
    assert status == 0 and "it holds 2 pictures; number 2 is taken" in err and "left behind" in err
    assert decode_picture(tmp_path / "o.tif").numbers[0, 0].mean() > 150
    status, document, _ = call(
        capfd, "convert", path, "--from", "srgb", "--to", "p3", "--page", 3, "--out", tmp_path / "p.tif", "--json"
    )
    assert status == 1 and "it holds 2 pictures, and number 3 was asked for" in document["error"]
    assert call(capfd, "inspect", path, "--page", 2, "--json")[1][0]["pages"] == 2


def test_gray_takes_srgb_and_its_own_names(tmp_path, capfd):
    Image.fromarray(RGB[..., 0]).save(tmp_path / "g.png")
    for word, name in (
        ("srgb", "Gray, sRGB curve"),
        ("gray-gamma-2.2", "Gray, gamma 2.2"),
        ("gray-lstar", "Gray, L*"),
        ("dot-gain-20", "Gray, dot gain 20 %"),
    ):
        out = tmp_path / f"{word}.png"
        assert call(capfd, "assign", tmp_path / "g.png", "--space", word, "--out", out)[0] == 0
        assert inspect(out).tag.description == name and np.array_equal(decode_picture(out).numbers[..., 0], RGB[..., 0])
    status, document, _ = call(
        capfd,
        "convert",
        tmp_path / "g.png",
        "--from",
        "srgb",
        "--to",
        "srgb",
        "--no-dither",
        "--out",
        tmp_path / "o.png",
        "--json",
    )
    assert status == 0 and document["space"] == "srgb"
    assert np.abs(decode_picture(tmp_path / "o.png").numbers.astype(int) - RGB[..., :1]).max() <= 1


@pytest.mark.parametrize("verb", ["convert", "assign", "proof", "ease"])
def test_a_file_that_cannot_be_read_is_status_1_and_named(tmp_path, capfd, verb):
    broken = save(tmp_path / "broken.jpg", coded()[:200])
    nothing = save(tmp_path / "nothing.tif", b"")
    words = {
        "convert": ("--from", "srgb", "--to", "p3"),
        "assign": ("--space", "p3"),
        "proof": ("--from", "srgb", "--to", "p3"),
        "ease": ("--from", "srgb", "--to", "p3"),
    }
    for path in (broken, nothing, tmp_path / "gone.png"):
        more = () if verb == "proof" else ("--out", tmp_path / "o.tif")
        status, document, err = call(capfd, verb, path, *words[verb], *more, "--json")
        assert status == 1 and document["file"] == str(path) and path.name in err
        assert not (tmp_path / "o.tif").exists()


def test_a_batch_goes_on_after_a_bad_file(tmp_path, capfd):
    paths = [
        save(tmp_path / "a.png", png(RGB)),
        save(tmp_path / "b.png", b"\x89PNG\r\n\x1a\nxx"),
        save(tmp_path / "c.jpg", coded()),
    ]
    status, documents, err = call(capfd, "inspect", *paths, "--json")
    assert status == 1 and ["error" in d for d in documents] == [False, True, False] and "b.png" in err


def test_libraries_write_nothing_to_standard_error_and_json_is_unicode(tmp_path):
    odd = os.fsdecode(os.path.join(os.fsencode(tmp_path), b"od\xff.png"))
    save(Path(odd), png(RGB, chunk(b"iCCP", b"x\0\0junk"), chunk(b"acTL", bytes(8)), chunk(b"sRGB", b"\0\0\0")))
    rows = tmp_path / "odd.tif"
    tifffile.imwrite(rows, RGB, photometric="rgb", extratags=[(282, 3, 1, 5, True), (50000, 12, 1, 1.0, True)])
    for path in (odd, rows):
        done = shell("convert", path, "--from", "srgb", "--to", "p3", "--out", tmp_path / "o.png", "--replace", "--json")
        assert done.returncode == 0
        json.loads(done.stdout.decode("utf-8"))
        assert not [line for line in done.stderr.decode().splitlines() if "odd.tif" not in line and "od" not in line]
    done = shell("inspect", odd, "--json")
    text = done.stdout.decode("utf-8")
    assert "\\\\xff.png" in text and "\\udc" not in text


@pytest.mark.parametrize("value", [np.nan, 3e38, -3e38, np.inf])
def test_floats_that_are_no_light_go_through_every_verb(tmp_path, capfd, value):
    numbers = RGB.astype(np.float32) / 255
    numbers[3, 4, 1] = value
    path = tmp_path / "f.tif"
    tifffile.imwrite(path, numbers, photometric="rgb")
    said = ("--from", "srgb", "--to", "p3")
    assert call(capfd, "inspect", path, "--json")[0] == 0
    assert call(capfd, "proof", path, *said, "--json")[0] == 0
    for verb, words in (("convert", said), ("ease", said), ("assign", ("--space", "p3"))):
        out = tmp_path / f"{verb}.tif"
        assert call(capfd, verb, path, *words, "--out", out)[0] == 0
        assert verb == "assign" or np.isfinite(tifffile.imread(out)).all()
