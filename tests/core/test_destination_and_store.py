"""Destinations refuse what cannot be written; the store keeps its promises one by one."""

import sqlite3
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from velkin.core.destinations.destination import Destination, FileFormat
from velkin.core.destinations.naming import NameFacts, free_name
from velkin.core.destinations.sizing import LONG, Size
from velkin.core.destinations.starters import web_srgb
from velkin.core.errors import NotSupported, OutputRefused, ShootError, VelkinError
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.store import Store, backup, backup_path
from velkin.core.spaces.rgb import SRGB

WEB = web_srgb()


@pytest.mark.parametrize(
    ("pattern", "name"),
    [
        ("{name}", "north-0412.jpg"),
        ("{n} {name}", "7 north-0412.jpg"),
        ("web-{n}", "web-7.jpg"),
        ("  {name}  ", "north-0412.jpg"),
        ("Färbung {name}", "Färbung north-0412.jpg"),
    ],
)
def test_names_follow_the_pattern(pattern, name):
    assert replace(WEB, pattern=pattern).file_name(NameFacts("north-0412", 7)) == name


@given(st.text(max_size=40))
def test_no_pattern_makes_a_name_that_leaves_the_folder(pattern):
    try:
        name = replace(WEB, pattern=pattern).file_name(NameFacts("frame", 3))
    except NotSupported:
        return
    assert Path("/folder", name).parent == Path("/folder")
    assert "\0" not in name and "/" not in name and not name.startswith(".")
    assert 0 < len(name.encode()) < 255


@given(st.text(min_size=1, max_size=30))
def test_no_frames_name_leaves_the_folder(frame):
    try:
        name = WEB.file_name(NameFacts(frame, 1))
    except NotSupported:
        return
    assert Path("/folder", name).parent == Path("/folder")


@pytest.mark.parametrize(
    "wrong",
    [
        {"file": FileFormat(quality=0)},
        {"file": FileFormat(quality=101)},
        {"size": Size(LONG, 5)},
        {"size": Size(LONG, 99999)},
        {"folder": "  "},
        {"file": FileFormat("jpeg", 16)},
        {"file": FileFormat("bmp")},
        {"sharpen": "much"},
        {"existing": "ask"},
        {"icc_version": 3},
        {"name": " "},
        {"pattern": ""},
    ],
)
def test_values_that_cannot_be_written_are_refused(wrong):
    with pytest.raises(NotSupported):
        replace(WEB, **wrong).check(SRGB)
    WEB.check(SRGB)


def test_a_destination_without_a_space_is_refused_by_name():
    with pytest.raises(NotSupported, match="no space or profile yet"):
        replace(WEB, space_id="").check(None)
    with pytest.raises(NotSupported, match="not known any more"):
        replace(WEB, space_id="icc-gone").check(None)


def test_free_names_count_up_past_files_and_jobs(tmp_path):
    (tmp_path / "a.jpg").touch()
    (tmp_path / "a-3.jpg").symlink_to("nowhere")
    taken: set[str] = set()
    names = [free_name(tmp_path / "a.jpg", taken).name for _ in range(3)]
    assert names == ["a-2.jpg", "a-4.jpg", "a-5.jpg"]


def test_errors_name_their_file_once():
    assert str(VelkinError("it is damaged", "/x/a.dng")) == "a.dng: it is damaged"
    assert str(VelkinError("a.dng is damaged", "/x/a.dng")) == "a.dng is damaged"
    assert str(VelkinError("no file")) == "no file"


# ---- the store -----------------------------------------------------------------------------------------------------------


@pytest.fixture
def store(tmp_path):
    made = Store.create(tmp_path / "s.velkin")
    yield made
    made.close()


def put(store, key, value):
    with store.step(f"{key}={value}"):
        store.run("INSERT INTO facts VALUES (?, ?) ON CONFLICT(key) DO UPDATE SET value = excluded.value", key, value)


def facts(store):
    return {r["key"]: r["value"] for r in store.rows("SELECT * FROM facts")}


def test_inserts_updates_and_deletes_are_undone_and_redone(store):
    put(store, "a", "1")
    put(store, "a", "2")
    with store.step("drop"):
        store.run("DELETE FROM facts WHERE key = 'a'")
    states = [{}, {"a": "1"}, {"a": "2"}, {}]
    assert facts(store) == states[3]
    for expected in (states[2], states[1], states[0]):
        assert store.undo() is not None
        assert facts(store) == expected
    assert store.undo() is None
    for expected in (states[1], states[2], states[3]):
        assert store.redo() is not None
        assert facts(store) == expected
    assert store.redo() is None


@given(text=st.text(alphabet=st.characters(blacklist_categories=("Cs",), blacklist_characters="\0"), max_size=60))
def test_any_text_survives_undo_and_redo(tmp_path_factory, text):
    store = Store.create(tmp_path_factory.mktemp("t") / "s.velkin")
    put(store, "a", "before")
    put(store, "a", text)
    store.undo()
    assert facts(store) == {"a": "before"}
    store.redo()
    assert facts(store) == {"a": text}
    store.close()


def test_a_new_step_forgets_what_was_undone(store):
    put(store, "a", "1")
    put(store, "b", "1")
    store.undo()
    assert store.redo_label() == "b=1"
    put(store, "c", "1")
    assert store.redo_label() is None
    assert facts(store) == {"a": "1", "c": "1"}
    assert store.rows("SELECT count(*) FROM inverses")[0][0] == 2


def test_a_step_that_changes_nothing_is_no_step(store):
    put(store, "a", "1")
    with store.step("nothing"):
        store.run("UPDATE facts SET value = 'x' WHERE key = 'none'")
    assert store.undo_label() == "a=1"


def test_an_exception_inside_a_step_rolls_it_back(store):
    put(store, "a", "1")
    with pytest.raises(ValueError, match="stop"), store.step("half"):
        store.run("UPDATE facts SET value = '2'")
        raise ValueError("stop")
    assert facts(store) == {"a": "1"}
    assert store.undo_label() == "a=1"
    put(store, "a", "3")
    assert facts(store) == {"a": "3"}


def test_facts_about_the_disk_are_not_undone(store):
    with store.plain():
        store.run("INSERT INTO written(frame, destination, path, at, ok, finding, state) VALUES (1, 'web', 'x', '', 1, '', '')")
    put(store, "a", "1")
    store.undo()
    assert store.undo() is None
    assert len(store.rows("SELECT * FROM written")) == 1


def test_a_shoot_locked_by_another_program_is_said(store, tmp_path):
    other = sqlite3.connect(tmp_path / "s.velkin", isolation_level=None)
    other.execute("BEGIN EXCLUSIVE")
    store._connection.execute("PRAGMA busy_timeout = 50")
    with pytest.raises(ShootError, match="as it was"):
        put(store, "a", "1")
    other.execute("ROLLBACK")
    other.close()
    put(store, "a", "2")
    assert facts(store) == {"a": "2"}


def test_names_that_are_taken_and_folders_that_are_not_there(tmp_path):
    (tmp_path / "taken.velkin").write_text("mine")
    with pytest.raises(OutputRefused):
        Store.create(tmp_path / "taken.velkin")
    assert (tmp_path / "taken.velkin").read_text() == "mine"
    with pytest.raises(ShootError):
        Store.create(tmp_path / "no" / "s.velkin")
    with pytest.raises(ShootError, match="no such"):
        Store.open(tmp_path / "none.velkin")


def test_damage_inside_is_found_on_opening(demo_shoot):
    data = bytearray(demo_shoot.read_bytes())
    data[4096 * 2 :] = b"\xaa" * (len(data) - 4096 * 2)
    demo_shoot.write_bytes(data)
    with pytest.raises(ShootError):
        Shoot.open(demo_shoot)


def test_contents_that_make_no_sense_are_damage_not_a_crash(demo_shoot):
    connection = sqlite3.connect(demo_shoot)
    connection.execute("UPDATE frames SET facts = '{}'")
    connection.commit()
    connection.close()
    with pytest.raises(ShootError, match="damaged"):
        Shoot.open(demo_shoot)


def test_a_backup_replaces_the_older_one_in_one_step(store, tmp_path):
    put(store, "a", "1")
    backup(store.path)
    put(store, "a", "2")
    backup(store.path)
    copy = Store.open(backup_path(tmp_path / "s.velkin"))
    assert facts(copy) == {"a": "2"}
    assert copy.undo() == "a=2"
    copy.close()
    assert not list(tmp_path.glob("*.part"))


def test_a_new_shoot_has_one_destination_and_no_undo(tmp_path):
    shoot = Shoot.create(tmp_path / "new.velkin", "New")
    assert shoot.state.destinations == (WEB,)
    assert shoot.state.working.id == "romm"
    assert shoot.undo_label() is None and shoot.undo() is None
    assert shoot.folder_of(WEB) == tmp_path / "web"
    assert shoot.folder_of(Destination("x", "X", folder="/srv/out")) == Path("/srv/out")
    shoot.close()


def test_a_shoot_that_was_moved_keeps_its_relative_folders(tmp_path):
    (tmp_path / "one").mkdir()
    (tmp_path / "two").mkdir()
    Shoot.create(tmp_path / "one" / "s.velkin", "S").close()
    (tmp_path / "one" / "s.velkin").rename(tmp_path / "two" / "s.velkin")
    shoot = Shoot.open(tmp_path / "two" / "s.velkin")
    assert shoot.folder_of(WEB) == tmp_path / "two" / "web"
    shoot.close()
