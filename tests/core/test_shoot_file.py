"""The shoot file as a file: whole or not there, untouched where it is not understood, two writers, drags, what a power cut leaves."""

import os
import sqlite3

import pytest

from velkin.core.errors import OutputFailed, OutputRefused, ShootError
from velkin.core.files.safely import write_whole
from velkin.core.shoot import store as store_module
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.state_reader import StateReader
from velkin.core.spaces.rgb import OPRGB, P3, ROMM

from ..studio import set_back


@pytest.fixture
def shoot(demo_shoot):
    opened = Shoot.open(demo_shoot)
    yield opened
    opened.close()


def inverses(path):
    with sqlite3.connect(path) as connection:
        return connection.execute("SELECT count(*) FROM inverses").fetchone()[0]


def test_a_new_shoot_stands_under_its_name_only_once_all_of_it_is_there(tmp_path, monkeypatch):
    """Whenever the program ends on the way, there is a shoot that opens or none."""
    seen = []
    real = store_module.publish

    def watched(partial, path, replace):
        seen.append(path.exists())
        with sqlite3.connect(f"file:{partial}?mode=ro", uri=True) as half:
            assert dict(half.execute("SELECT key, value FROM facts"))["name"] == "day"
            assert half.execute("SELECT count(*) FROM destinations").fetchone() == (1,)
        real(partial, path, replace)

    monkeypatch.setattr(store_module, "publish", watched)
    Shoot.create(tmp_path / "day.velkin", "day").close()
    assert seen == [False]
    again = Shoot.open(tmp_path / "day.velkin")
    assert again.state.name == "day" and again.state.working is ROMM
    again.close()

    def killed(*_, **__):
        raise KeyboardInterrupt

    monkeypatch.setattr(store_module, "publish", killed)
    with pytest.raises(KeyboardInterrupt):
        Shoot.create(tmp_path / "other.velkin", "other")
    assert not (tmp_path / "other.velkin").exists()


def test_a_shoot_that_appeared_meanwhile_is_not_replaced(tmp_path, monkeypatch):
    path = tmp_path / "day.velkin"
    real = store_module.publish
    monkeypatch.setattr(store_module, "publish", lambda *a, **k: (path.write_bytes(b"another's"), real(*a, **k)))
    with pytest.raises(OutputRefused):
        Shoot.create(path, "day")
    assert path.read_bytes() == b"another's"


def test_nothing_of_a_newer_shoot_is_touched(demo_shoot):
    with sqlite3.connect(demo_shoot) as connection:
        connection.execute("PRAGMA journal_mode = DELETE")
        connection.execute("PRAGMA user_version = 99")
    connection.close()
    before = demo_shoot.read_bytes(), sorted(p.name for p in demo_shoot.parent.iterdir())
    with pytest.raises(ShootError, match="newer"):
        Shoot.open(demo_shoot)
    assert (demo_shoot.read_bytes(), sorted(p.name for p in demo_shoot.parent.iterdir())) == before


def test_a_damaged_shoot_of_an_earlier_version_is_not_brought_forward(demo_shoot):
    set_back(demo_shoot, 4)
    with sqlite3.connect(demo_shoot) as connection:
        connection.execute("PRAGMA journal_mode = DELETE")
        page, size = connection.execute("SELECT rootpage FROM sqlite_master WHERE name = 'frames'").fetchone()[0], 4096
    connection.close()
    data = bytearray(demo_shoot.read_bytes())
    data[(page - 1) * size : page * size] = b"\xff" * size
    demo_shoot.write_bytes(data)
    with pytest.raises(ShootError, match="damaged"):
        Shoot.open(demo_shoot)
    assert not demo_shoot.with_name(f"{demo_shoot.stem} (version 4).velkin").exists()
    with sqlite3.connect(demo_shoot) as connection:
        assert connection.execute("PRAGMA user_version").fetchone() == (4,)
    connection.close()


def test_steps_of_an_earlier_version_are_undone(demo_shoot):
    """Up to version 5 each change of a row had its inverse."""
    frame = 1
    set_back(demo_shoot, 5)
    with sqlite3.connect(demo_shoot) as old:
        step = old.execute("INSERT INTO steps(label) VALUES ('brighten')").lastrowid
        for inverse in ("0.0", "0.25", "0.5"):
            old.execute(
                "INSERT INTO inverses(step, sql) VALUES (?, ?)", (step, f"UPDATE frames SET exposure={inverse} WHERE rowid=1")
            )
        old.execute("UPDATE frames SET exposure = 0.75 WHERE id = 1")
    old.close()
    shoot = Shoot.open(demo_shoot)
    assert shoot.state.frames[frame].exposure == 0.75
    assert shoot.undo() == "brighten" and shoot.state.frames[frame].exposure == 0.0
    assert shoot.redo() == "brighten" and shoot.state.frames[frame].exposure == 0.75
    shoot.close()


def test_what_changes_nothing_is_no_step_and_leaves_redo(shoot):
    frame = shoot.state.order()[0]
    shoot.camera.set_balance([frame], (1.5, 1.0, 1.25), "temperature")
    label, before = shoot.undo(), shoot.undo_label()
    shoot.looks.set_strength([frame], 0.5)
    assert (shoot.undo_label(), shoot.redo_label()) == (before, label)
    shoot.redo()
    assert shoot.state.frames[frame].balance == (1.5, 1.0, 1.25)
    shoot.undo()
    shoot.camera.set_balance([frame], (1.25, 1.0, 1.5), "temperature")
    assert shoot.redo_label() is None


def test_a_drag_costs_one_inverse_for_each_row(shoot):
    frames = shoot.state.order()
    before = inverses(shoot.path)
    found = [shoot.state.frames[f].balance for f in frames]
    for moment in range(100):
        shoot.camera.set_balance(frames, (1.5 + moment / 100, 1.0, 1.25), "temperature", joins=True)
    assert inverses(shoot.path) == before + 12
    assert shoot.state.frames[frames[3]].balance == (2.49, 1.0, 1.25)
    shoot.undo()
    assert [shoot.state.frames[f].balance for f in frames] == found
    assert inverses(shoot.path) == before + 12
    shoot.redo()
    assert shoot.state.frames[frames[3]].balance == (2.49, 1.0, 1.25)


def test_a_row_that_came_and_went_within_one_step_leaves_no_trace(shoot):
    """A row's first inverse alone is kept: it holds however often the row is put in and taken out after it."""
    store, before = shoot._store, shoot.state
    with store.step("in and out"):
        for _ in range(3):
            store.run("INSERT INTO facts(rowid, key, value) VALUES (900, 'passing', 'a')")
            store.run("UPDATE facts SET value = 'b' WHERE rowid = 900")
            store.run("DELETE FROM facts WHERE rowid = 900")
        store.run("DELETE FROM facts WHERE key = 'name'")
        store.run("INSERT INTO facts VALUES ('name', 'renamed')")
        store.run("UPDATE facts SET value = 'renamed again' WHERE key = 'name'")
    shoot._document.read_anew()
    assert shoot.state.name == "renamed again"
    shoot.undo()
    assert shoot.state.name == before.name
    assert store.rows("SELECT 1 FROM facts WHERE key = 'passing'") == []
    shoot.redo()
    assert shoot.state.name == "renamed again"


def test_two_programs_that_decide_on_a_frame_lose_neither_decision(demo_shoot):
    first, second = Shoot.open(demo_shoot), Shoot.open(demo_shoot)
    frame = first.state.order()[0]
    assert second.state.frames[frame].ledger == ()
    first.colour.convert([frame], P3)
    second.colour.convert([frame], OPRGB)
    assert [e.space for e in second.state.frames[frame].ledger] == ["p3", "oprgb"]
    assert [e.space for e in first._document._reader.read().frames[frame].ledger] == ["p3", "oprgb"]
    first.close()
    second.close()


def test_what_is_vouched_for_is_on_the_disk_with_its_name(tmp_path, monkeypatch):
    """The file's own bytes first, then its name: a name without the bytes would be worse than none."""
    flushed, real = [], os.fsync
    monkeypatch.setattr(os, "fsync", lambda fd: (flushed.append(os.readlink(f"/proc/self/fd/{fd}")), real(fd)))
    write_whole(tmp_path / "a.txt", b"kept", replace=False)
    assert len(flushed) == 2 and flushed[0].endswith(".part") and flushed[1] == str(tmp_path)

    def folder_that_cannot(fd):
        if os.path.isdir(f"/proc/self/fd/{fd}"):
            raise OSError(22, "Invalid argument")

    monkeypatch.setattr(os, "fsync", folder_that_cannot)
    write_whole(tmp_path / "b.txt", b"kept", replace=False)
    assert (tmp_path / "b.txt").read_bytes() == b"kept"

    def full(fd):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(OutputFailed, match="the disk is full"):
        write_whole(tmp_path / "c.txt", b"lost", replace=False)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["a.txt", "b.txt"]


def test_what_is_decided_of_a_light_does_not_look_where_every_frame_lies_and_a_move_does(shoot, monkeypatch):
    looked = []
    members = StateReader._members
    monkeypatch.setattr(StateReader, "_members", lambda reader: (looked.append(1), members(reader))[1])
    first, second = shoot.state.lights[:2]
    shoot.frames.rename_light(first.id, "Window, noon")
    assert shoot.state.light(first.id).name == "Window, noon"
    assert looked == []
    shoot.frames.move_to_light([first.frames[0]], second.id)
    assert first.frames[0] in shoot.state.light(second.id).frames
    assert len(looked) == 1
    shoot.undo()
    shoot.undo()
    assert shoot.state.lights == (first, second, *shoot.state.lights[2:])
    again = Shoot.open(shoot.path)
    assert again.state.lights == shoot.state.lights
    again.close()
