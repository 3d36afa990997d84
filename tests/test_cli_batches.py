"""Verbs on many files, as a script meets them: told in order, none stopping the others, nothing written over anything."""

import json
import os
import signal
import threading
import time

import cv2
import numpy as np
import pytest
from PIL import Image, ImageCms

from tests.studio import shoot_chart, shoot_flat
from velkin.cli import main
from velkin.core.files import raw
from velkin.core.icc.space import profile_of
from velkin.core.spaces.rgb import P3


@pytest.fixture
def pictures(tmp_path):
    """Five tagged pictures, each of another grey, one with a suffix in capitals."""
    made = []
    for number, name in enumerate(("a.jpg", "b.png", "c.JPG", "d.webp", "e.tif")):
        codes = np.full((24, 32, 3), 40 * number + 20, dtype=np.uint8)
        Image.fromarray(codes).save(tmp_path / name, icc_profile=profile_of(P3))
        made.append(tmp_path / name)
    return made


def asked(capsys, *words):
    status = main([*map(str, words), "--json"])
    out = capsys.readouterr()
    return status, json.loads(out.out), out.err


def level(path):
    with Image.open(path) as picture:
        assert ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(_stream(picture.info["icc_profile"]))).strip() == "sRGB"
        return int(np.asarray(picture)[0, 0, 0])


def _stream(data):
    from io import BytesIO

    return BytesIO(data)


@pytest.mark.parametrize("jobs", ["1", "3"])
def test_many_are_converted_into_a_folder_each_in_its_own_format(pictures, tmp_path, capsys, jobs):
    status, said, _ = asked(capsys, "convert", *pictures, "--to", "srgb", "--jobs", jobs, "--out", tmp_path / "new" / "folder")
    assert status == 0
    assert [d["path"] for d in said] == [str(p) for p in pictures]
    assert [d["out"] for d in said] == [str(tmp_path / "new" / "folder" / p.name) for p in pictures]
    for number, d in enumerate(said):
        assert level(d["out"]) == pytest.approx(40 * number + 20, abs=2)  # a grey stays what it is


def test_one_that_fails_stops_no_other(pictures, tmp_path, capsys):
    pictures[2].write_bytes(b"nothing")
    gone = tmp_path / "gone.png"
    out = tmp_path / "out"
    status, said, err = asked(capsys, "convert", *pictures, gone, "--to", "srgb", "--format", "png", "--out", out)
    assert status == 1
    assert [("error" in d, d["path"]) for d in said] == [(p in (pictures[2], gone), str(p)) for p in [*pictures, gone]]
    assert said[2]["file"] == str(pictures[2]) and "c.JPG" in err and "gone.png" in err
    assert sorted(p.name for p in out.iterdir()) == ["a.png", "b.png", "d.png", "e.png"]
    again = asked(capsys, "convert", *pictures[:2], "--to", "srgb", "--format", "png", "--out", out)[1]
    assert all("already" in d["error"] for d in again)


def test_nothing_is_written_over_a_source_or_over_each_other(pictures, tmp_path, capsys):
    before = pictures[1].read_bytes()
    (tmp_path / "other").mkdir()
    twin = tmp_path / "other" / "a.jpg"
    twin.write_bytes(pictures[0].read_bytes())
    for words, why in (
        ((*pictures[:2], "--out", tmp_path), "source files are never written"),
        ((*pictures[:2], "--format", "png", "--out", tmp_path), "would be written over"),
        ((pictures[0], twin, "--out", tmp_path / "out"), "would both be written"),
        ((*pictures[:2], "--out", pictures[4]), "is a folder"),
        ((pictures[0], "--format", "png", "--out", tmp_path / "x.png"), "goes with several files"),
        ((*pictures[:2], "--jobs", "0", "--out", tmp_path / "out"), "whole number"),
    ):
        assert main([*map(str, ("convert", *words, "--to", "srgb", "--replace"))]) == 2, why
        assert why in capsys.readouterr().err
    assert pictures[1].read_bytes() == before and not (tmp_path / "out").exists()


def test_a_single_one_is_told_by_itself_and_into_a_folder_by_a_list(pictures, tmp_path, capsys):
    assert isinstance(asked(capsys, "convert", pictures[0], "--to", "srgb", "--out", tmp_path / "one.jpg")[1], dict)
    (tmp_path / "out").mkdir()
    (said,) = asked(capsys, "convert", pictures[0], "--to", "srgb", "--out", tmp_path / "out")[1]
    assert said["out"] == str(tmp_path / "out" / "a.jpg")
    assert isinstance(asked(capsys, "proof", pictures[0], "--to", "srgb")[1], dict)


def test_what_is_the_same_for_all_files_is_done_once(tmp_path, capsys, monkeypatch):
    """Counted: charts and a flat frame are read once for a run, not once a file."""
    shoot_chart(tmp_path / "chart.dng", size=(720, 480))
    shoot_flat(tmp_path / "flat.dng", size=(720, 480))
    raws = [tmp_path / f"{n}.dng" for n in "abc"]
    for number, file in enumerate(raws):
        shoot_chart(file, size=(240, 160), chart=False, seed=number + 2)
    decoded = []
    whole = raw.levels
    monkeypatch.setattr(raw, "levels", lambda path, *more, **how: decoded.append(path.name) or whole(path, *more, **how))
    more = ("--balance", f"chart:{tmp_path / 'chart.dng'}", "--flat", tmp_path / "flat.dng", "--jobs", "1")
    assert asked(capsys, "render", *raws, *more, "--out", tmp_path / "out")[0] == 0
    assert sorted(decoded) == ["a.dng", "b.dng", "c.dng", "chart.dng", "flat.dng"]


def test_the_other_verbs_take_many_too(pictures, tmp_path, capsys):
    status, said, _ = asked(capsys, "proof", *pictures, "--to", "srgb")
    assert status == 0 and [d["outside"] for d in said] == [0.0] * 5
    status, said, _ = asked(capsys, "ease", *pictures, "--to", "srgb", "--out", tmp_path / "eased")
    assert status == 0 and [d["after"] for d in said] == [0.0] * 5
    status, said, _ = asked(capsys, "assign", *pictures, "--space", "srgb", "--out", tmp_path / "assigned")
    assert status == 0 and {d["space"] for d in said} == {"srgb"}
    raws = [tmp_path / f"{n}.dng" for n in "fg"]
    for file in raws:
        shoot_chart(file, size=(240, 160), chart=False)
    status, said, _ = asked(capsys, "render", *raws, "--space", "srgb", "--out", tmp_path / "rendered")
    assert status == 0 and [d["out"] for d in said] == [str(tmp_path / "rendered" / f"{n}.tif") for n in "fg"]
    assert (
        main([*map(str, ("render", raws[0], pictures[0], "--out", tmp_path / "more", "--format", "jpg", "--bits", "8"))]) == 1
    )
    out = capsys.readouterr()
    assert "written" in out.out and "a.jpg" in out.err and [p.name for p in (tmp_path / "more").iterdir()] == ["f.jpg"]


def test_many_files_are_inspected_by_several_processes_as_by_one(tmp_path, capsys, monkeypatch):
    monkeypatch.setattr("velkin.cli.inspecting._MANY", 6)
    monkeypatch.setattr("velkin.cli.inspecting._AT_ONCE", 2)
    files = []
    for number in range(7):
        path = tmp_path / f"{number}.png"
        cv2.imwrite(str(path), np.full((4 + number, 5, 3), 90, np.uint8))
        files.append(path)
    (tmp_path / "3.png").write_bytes(b"")
    alone = asked(capsys, "inspect", *files, "--jobs", "1")
    beside = asked(capsys, "inspect", *files, "--jobs", "2")
    assert alone == beside and alone[0] == 1
    assert [d.get("height") for d in alone[1]] == [4, 5, 6, None, 8, 9, 10]
    assert "empty" in alone[1][3]["error"]


def test_files_are_inspected_to_the_end_though_a_process_is_ended_meanwhile(tmp_path, capsys, monkeypatch):
    from velkin.cli import inspecting

    monkeypatch.setattr(inspecting, "_MANY", 2)
    monkeypatch.setattr(inspecting, "_AT_ONCE", 1)
    own, whole = os.getpid(), inspecting._document

    def killed(path, *more):
        if path.stem == "2" and os.getpid() != own:
            os.kill(os.getpid(), signal.SIGKILL)
        return whole(path, *more)

    monkeypatch.setattr(inspecting, "_document", killed)
    files = [tmp_path / f"{n}.png" for n in range(5)]
    for number, path in enumerate(files):
        cv2.imwrite(str(path), np.full((4 + number, 5, 3), 90, np.uint8))
    status, said, _ = asked(capsys, "inspect", *files, "--jobs", "2")
    assert status == 0 and [d["height"] for d in said] == [4, 5, 6, 7, 8]


@pytest.mark.parametrize("jobs", ["1", "2"])
def test_a_hand_off_takes_as_many_frames_at_once_as_it_is_told(tmp_path, capsys, jobs, demo_shoot, monkeypatch):
    names = ("north-0412", "north-0413", "lamp-0505")
    at_once, most, lock = [], [], threading.Lock()
    whole = raw.levels

    def counted(path, *more, **how):
        with lock:
            at_once.append(path)
            most.append(len(at_once))
        time.sleep(0.1)
        with lock:
            at_once.pop()
        return whole(path, *more, **how)

    monkeypatch.setattr(raw, "levels", counted)
    status, said, _ = asked(
        capsys, "handoff", demo_shoot, "--to", "web", "--frames", *names, "--out", tmp_path / "out", "--jobs", jobs
    )
    assert status == 0 and [w["check"] for w in said["written"]] == ["ok"] * 3
    assert max(most) == int(jobs)
