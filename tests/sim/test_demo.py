"""The demo is made in parts: each once, in order, and gone on with where it was left."""

import os

import pytest

from velkin.core.errors import OutputFailed
from velkin.core.shoot.shoot import Shoot
from velkin.sim import demo, madderfold, sittings


@pytest.fixture
def folder(tmp_path, demo_frames, monkeypatch):
    """A demo folder in which the frames lie already, and what takes long is left out."""
    here = tmp_path / "demo"
    (here / "frames").mkdir(parents=True)
    for file in demo_frames.iterdir():
        os.link(file, here / "frames" / file.name)
    for beside in {sitting.folder for sitting in sittings.EVERY} - {sittings.FIRST}:
        (here / beside).symlink_to(demo_frames.parent / beside)
    monkeypatch.setattr(demo, "publish", lambda folder: [])
    for pictures in (demo.elsewhere, demo.journal):
        monkeypatch.setattr(pictures, "make", lambda folder, frames, made, stopped: [])
    return here


def frames_in(path):
    shoot = Shoot.open(path)
    try:
        state = shoot.state
        return [(state.frames[f].name, state.light_of(f).name, state.frames[f].role) for f in state.order()]
    finally:
        shoot.close()


def test_the_whole_demo(folder):
    path = demo.prepare_demo(folder)
    frames = frames_in(path)
    shot = [(f.name, s.name, f.role) for s in sittings.EVERY if s is not sittings.FAULTS for f in s.frames]
    assert frames == shot
    assert [name for name, _, role in frames if role == "chart"] == [
        "north-0401",
        "lamp-0501",
        "field-0201",
        "yard-0601",
        "yard-0604",
        "yard-0610",
        "copy-0701",
    ]
    assert [name for name, _, role in frames if role == "neutral"] == ["north-0402", "lamp-0502"]
    assert demo.Demo(folder).is_begun()
    assert demo.Demo(folder).parts_left() == []
    shoot = Shoot.open(path)
    assert "shade card" in [d.id for d in shoot.state.destinations]
    shoot.camera.set_exposure([1], 1.0)
    shoot.close()
    assert demo.prepare_demo(folder) == path
    shoot = Shoot.open(path)
    assert shoot.state.frames[1].exposure == 1.0  # what was done in it stays
    shoot.close()


def test_a_half_made_demo_goes_on_and_brings_nothing_twice(folder):
    made = demo.Demo(folder)
    assert not made.is_begun()
    parts = made.parts_left()
    made.begin()
    shoot = Shoot.open(made.shoot_path)
    made.add(shoot, parts[0], made.make(parts[0]))
    parts[1].add(shoot, made.make(parts[1]))  # in the shoot, but the program ended before it was noted
    shoot.close()
    assert made.is_begun()
    assert [p.name for p in demo.Demo(folder).parts_left()] == [p.name for p in parts[1:]]
    demo.prepare_demo(folder)
    assert len(frames_in(made.shoot_path)) == 27


def test_a_damaged_or_older_demo_is_made_anew(folder):
    path = demo.prepare_demo(folder)
    path.write_bytes(b"nothing")
    assert not demo.Demo(folder).is_begun()
    assert len(frames_in(demo.prepare_demo(folder))) == 27
    (folder / "in the shoot.txt").write_text("recipe of old\nnorth, first\n")
    assert not demo.Demo(folder).is_begun()
    assert len(frames_in(demo.prepare_demo(folder))) == 27


def test_stopping_leaves_no_half_file(folder):
    for file in (folder / "frames").glob("lamp-*.dng"):
        file.unlink()
    made = demo.Demo(folder)
    lamp = next(p for p in made.parts_left() if p.name == "lamp")
    seen = []
    assert made.make(lamp, lambda done, total: seen.append((done, total)), lambda: len(seen) >= 1) == []
    left = {p.name for p in (folder / "frames").iterdir()}
    whole = {name for name in left if name.startswith("lamp-") and name.endswith(".dng")}
    assert 1 <= len(whole) <= 3
    for name in whole:
        assert (folder / "frames" / name).stat().st_size > 7e6
    assert seen[0] == (1, 6)


def test_a_folder_that_cannot_be_written_is_named(tmp_path, demo_frames):
    (tmp_path / "file").write_text("")
    made = demo.Demo(tmp_path / "file" / "demo")
    with pytest.raises(OutputFailed, match="set XDG_DATA_HOME"):
        made.make(made.parts_left()[0])


def test_frames_are_made_where_no_process_can_share_the_work(tmp_path, demo_frames, monkeypatch):
    def refused(*_):
        raise PermissionError(13, "Permission denied", "/dev/shm")

    monkeypatch.setattr("multiprocessing.context.SpawnContext.SimpleQueue", refused)
    madderfold.make(tmp_path / "frames", names=("north-0402",))
    assert (tmp_path / "frames" / "north-0402.dng").read_bytes() == (demo_frames / "north-0402.dng").read_bytes()
