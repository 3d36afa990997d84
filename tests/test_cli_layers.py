"""`velkin merge`, as a script meets it."""

import json

import numpy as np
import tifffile

from tests.core.awkward import openraster
from tests.core.test_layers import flat, layer, noise
from velkin.cli import main
from velkin.core.files.picture import decode_picture
from velkin.core.tags.inspect import inspect

STACK = layer("mist", 'composite-op="svg:multiply"') + layer("haze", 'opacity="0.5"') + layer("base")


def asked(capsys, *words):
    status = main([*map(str, words), "--json"])
    return status, json.loads(capsys.readouterr().out)


def test_merging_converts_the_merged_picture_and_says_what_the_other_order_would_have_done(tmp_path, capsys):
    path = openraster(
        tmp_path / "a.ora",
        STACK,
        base=flat(200, 120, 60, 255),
        haze=flat(20, 40, 80, 255),
        mist=flat(220, 230, 240, 255, size=(18, 24)),
        merged=flat(103, 72, 66, 255),
    )
    status, said = asked(capsys, "merge", path, "--to", "romm", "--shift", "--out", tmp_path / "a.tif")
    assert status == 0
    assert (said["space"], said["layers"], said["unknown"]) == ("romm", 3, [])
    assert said["against_merged"]["max_code"] > 1  # the right half is not darkened
    assert said["shift"]["p95"] <= said["shift"]["max"] and said["shift"]["mean"] > 1
    assert said["shift"]["causes"][0]["layer"] == "haze"
    assert inspect(tmp_path / "a.tif").tag.space == "romm"
    status, _ = asked(capsys, "merge", path, "--out", tmp_path / "b.png", "--bits", "8")
    seen = decode_picture(tmp_path / "b.png").numbers[0, 30]
    assert np.abs(seen.astype(int) - [110, 80, 70]).max() == 0


def test_merged_alone_it_is_what_the_file_itself_shows_and_keeps_sixteen_bits(tmp_path, capsys):
    top, base = noise(), noise(opaque=True)
    alpha = top[..., 3:] / 255
    wanted = np.rint(base[..., :3] * (1 - alpha) + top[..., :3] * alpha).astype(np.uint8)
    path = openraster(tmp_path / "a.ora", layer("top") + layer("base"), top=top, base=base, merged=wanted)
    status, said = asked(capsys, "merge", path, "--out", tmp_path / "a.tif")
    assert (status, said["shift"], said["space"]) == (0, None, "srgb")
    assert said["against_merged"]["max_code"] <= 1
    assert tifffile.imread(tmp_path / "a.tif").dtype == np.uint16
    without = openraster(tmp_path / "b.ora", layer("base"), base=base)
    assert asked(capsys, "merge", without, "--out", tmp_path / "b.ora.png")[1]["against_merged"] is None
    other = openraster(tmp_path / "c.ora", layer("base"), base=base, merged=wanted[:9])
    assert asked(capsys, "merge", other, "--out", tmp_path / "c.png")[1]["against_merged"] is None


def test_what_cannot_be_merged_is_refused_with_its_reason(tmp_path, capsys):
    sound = openraster(tmp_path / "a.ora", layer("base"), base=noise())
    broken = openraster(tmp_path / "b.ora", layer("gone"))
    before = sound.read_bytes()
    for words, status, said in (
        (["merge", sound, "--out", sound, "--replace"], 1, "source files are never written"),
        (["merge", sound, "--shift", "--out", tmp_path / "x.tif"], 2, "--shift needs --to"),
        (["merge", broken, "--out", tmp_path / "x.tif"], 1, "lacks its part data/gone.png"),
        (["merge", tmp_path / "none.ora", "--out", tmp_path / "x.tif"], 1, "none.ora"),
        (["merge", sound, "--out", tmp_path / "x.txt"], 2, "not supported"),
        (["merge", sound, "--to", "lilac", "--out", tmp_path / "x.tif"], 2, "lilac"),
    ):
        assert main([str(w) for w in words]) == status
        assert said in capsys.readouterr().err
    main(["merge", str(sound), "--out", str(tmp_path / "flat.png")])
    assert main(["merge", str(tmp_path / "flat.png"), "--out", str(tmp_path / "x.tif")]) == 2
    assert "it has no layers" in capsys.readouterr().err
    assert sound.read_bytes() == before and not (tmp_path / "x.tif").exists()
