"""A shoot is changed by one window at a time; a backup can be put back; sources that moved are found by their bytes."""

import json
import os
import sqlite3

import pytest

from velkin.cli import main
from velkin.core.errors import ShootError
from velkin.core.files.digest import digest_of
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.hold import Hold, hold_path
from velkin.core.shoot.missing import missing_in
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.store import backup, backup_path, restore


@pytest.fixture
def path(tmp_path, chart_dng):
    shoot = Shoot.create(tmp_path / "one.velkin", "one")
    shoot.frames.add_frames([look_at(chart_dng)])
    shoot.close()
    return tmp_path / "one.velkin"


def test_a_shoot_is_held_once_and_free_again_at_the_end(path):
    first = Hold.take(path)
    assert first is not None and Hold.take(path) is None
    assert hold_path(path).exists() and hold_path(path).name.startswith(".")
    first.end()
    assert not hold_path(path).exists()
    second = Hold.take(path)
    assert second is not None
    second.end()
    second.end()  # twice does no harm


def test_what_a_crash_left_holds_nothing(path):
    hold_path(path).write_text("")
    hold = Hold.take(path)
    assert hold is not None
    hold.end()


@pytest.mark.skipif(os.geteuid() == 0, reason="root may write everywhere")
def test_where_no_lock_can_be_made_it_is_held_without_one(path):
    path.parent.chmod(0o500)
    try:
        hold = Hold.take(path)
        assert hold is not None
        hold.end()
    finally:
        path.parent.chmod(0o700)


def test_a_shoot_to_look_at_refuses_every_change_and_can_be_read(path):
    shoot = Shoot.open(path)
    shoot.allow_looking_only("it is open elsewhere")
    frame = next(iter(shoot.state.frames))
    with pytest.raises(ShootError, match="open elsewhere"):
        shoot.camera.set_exposure([frame], 1.0)
    with pytest.raises(ShootError, match="open elsewhere"):
        shoot.undo()
    assert shoot.state.frames[frame].exposure == 0
    shoot.close()


def test_a_change_that_fails_leaves_the_state_as_it_was(path):
    shoot = Shoot.open(path)
    frame = next(iter(shoot.state.frames))
    before = shoot.state
    with pytest.raises(ShootError, match="no such column"), shoot._document.step("a step that fails"):
        shoot._store.run("UPDATE frames SET exposure = 2 WHERE id = ?", frame)
        shoot._store.run("UPDATE frames SET absent_column = 1")
    assert shoot.state is before and shoot.state.frames[frame].exposure == 0
    shoot.camera.set_exposure([frame], 1.0)
    assert shoot.state.frames[frame].exposure == 1.0
    shoot.close()


def test_what_cannot_be_read_is_an_error_of_velkins(path):
    shoot = Shoot.open(path)
    shoot._store._connection.close()
    for read in (shoot.handoffs.written, shoot.undo_label, shoot.handoffs.runs):
        with pytest.raises(ShootError, match="could not be read"):
            read()


def test_a_backup_is_put_back_and_what_was_there_is_kept(path):
    shoot = Shoot.open(path)
    backup(shoot.path)
    shoot.camera.set_exposure(list(shoot.state.frames), 2.0)
    shoot.close()
    kept = restore(path)
    assert kept.name == "one (before restoring).velkin"
    again, older = Shoot.open(path), Shoot.open(kept)
    assert [f.exposure for f in again.state.frames.values()] == [0]
    assert [f.exposure for f in older.state.frames.values()] == [2.0]
    again.close()
    older.close()
    assert restore(path).name == "one (before restoring 2).velkin"


@pytest.mark.parametrize("content", [None, b"", b"SQLite format 3\0" + b"\0" * 100])
def test_without_a_sound_backup_nothing_is_touched(path, content):
    if content is not None:
        backup_path(path).write_bytes(content)
    before = path.read_bytes()
    with pytest.raises(ShootError):
        restore(path)
    assert path.read_bytes() == before
    assert sqlite3.connect(path).execute("SELECT count(*) FROM frames").fetchone() == (1,)


def test_sources_are_found_by_name_and_bytes_and_links_are_not_followed(path, chart_dng, tmp_path):
    shoot = Shoot.open(path)
    (frame,) = shoot.state.frames.values()
    there = tmp_path / "disk" / "a" / "b"
    there.mkdir(parents=True)
    (tmp_path / "disk" / frame.path.name).write_bytes(b"the same name, other bytes")
    (there / frame.path.name.upper()).write_bytes(chart_dng.read_bytes())
    (there / "loop").symlink_to(tmp_path / "disk")
    told = []
    found = missing_in([frame], tmp_path / "disk", lambda done, total: told.append((done, total)), lambda: False)
    assert found == {frame.id: there / frame.path.name.upper()}
    assert digest_of(found[frame.id]) == frame.digest
    assert told == [(1, 2), (2, 2)]
    assert missing_in([frame], tmp_path / "disk", lambda *_: None, lambda: True) == {}
    shoot.frames.relocate_all(found)
    assert next(iter(shoot.state.frames.values())).path == found[frame.id]
    assert shoot.undo_label() == "find 1 source again"
    shoot.close()


def test_changes_are_brought_onto_the_disk_itself(path, monkeypatch):
    """What is flushed is the log that holds the change; where it cannot be, that is said and nothing is lost."""
    flushed = []
    real = os.fsync
    monkeypatch.setattr(os, "fsync", lambda fd: (flushed.append(os.readlink(f"/proc/self/fd/{fd}")), real(fd)))
    shoot = Shoot.open(path)
    shoot.frames.rename_light(shoot.state.lights[0].id, "Window")
    shoot.settle()
    assert flushed == [f"{path}-wal"]

    def full(fd):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(ShootError, match=r"may not be on the disk \(No space left"):
        shoot.settle()
    monkeypatch.undo()
    shoot.close()
    shoot.settle()  # closed meanwhile: all of it is in the file
    again = Shoot.open(path)
    assert [light.name for light in again.state.lights] == ["Window"]
    again.close()


def test_the_command_line_writes_beside_who_holds_the_shoot_and_notes_nothing(path, tmp_path, capfd):
    held = Hold.take(path)
    assert held is not None
    out = tmp_path / "out"
    try:
        assert main(["handoff", str(path), "--to", "web", "--out", str(out), "--json"]) == 0
        told = capfd.readouterr()
        assert [w["check"] for w in json.loads(told.out)["written"]] == ["ok"] and len(list(out.iterdir())) == 1
        assert "open elsewhere" in told.err and "does not note" in told.err
        for refused in (["--resume"], ["--to", "web", "--receipt", str(tmp_path / "r.html")]):
            assert main(["handoff", str(path), *refused, "--out", str(out), "--json"]) == 1
            assert "close it there" in json.loads(capfd.readouterr().out)["error"]
    finally:
        held.end()
    shoot = Shoot.open(path)
    assert not shoot.handoffs.runs() and not shoot.handoffs.has_written()
    shoot.close()
    assert main(["handoff", str(path), "--to", "web", "--out", str(tmp_path / "again")]) == 0
    shoot = Shoot.open(path)
    assert len(shoot.handoffs.runs()) == 1 and shoot.handoffs.has_written()
    shoot.close()
    assert not hold_path(path).exists()
