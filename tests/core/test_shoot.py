"""The shoot file: commands, undo, damage, and being killed."""

import os
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart
from velkin.core.errors import NotSupported, OutputRefused, ShootError
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.lights import propose_lights
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.store import backup_path
from velkin.core.spaces.rgb import BUILT_IN


@pytest.fixture
def shoot(demo_shoot):
    opened = Shoot.open(demo_shoot)
    yield opened
    opened.close()


def by_name(shoot):
    return {f.name: f.id for f in shoot.state.frames.values()}


def fitted(shoot, name="north-0401"):
    frame = shoot.state.frames[by_name(shoot)[name]]
    kept = read_chart(frame.path, iso24())
    return kept, fit(FitRequest(kept.reading, iso24(), frame.facts.unique, built_in(frame.facts), None, "North", name)).of(
        "matrix"
    )


def test_demo_has_two_lights_of_six_frames(shoot):
    assert [(k.name, len(k.frames)) for k in shoot.state.lights] == [("North window", 6), ("Weaving lamp", 6)]
    roles = [f.role for f in shoot.state.frames.values()]
    assert (roles.count("chart"), roles.count("neutral")) == (2, 2)


def test_lights_are_proposed_from_time_and_balance(demo_frames):
    arrivals = sorted((look_at(p) for p in demo_frames.glob("*.dng")), key=lambda a: a.facts.exif.taken)
    assert [len(members) for members in propose_lights(arrivals)] == [6, 6]


def test_giving_a_profile_changes_the_path_and_undo_brings_it_back(shoot):
    ids = by_name(shoot)
    before = {f: shoot.state.path(f) for f in ids.values()}
    kept, profile = fitted(shoot)
    shoot.set_exposure([ids["north-0412"]], 0.5)
    light = shoot.state.light_of(ids["north-0401"])
    shoot.keep_reading(ids["north-0401"], kept)
    shoot.add_profile(profile, light.frames, light.id)
    path = shoot.state.path(ids["north-0412"])
    assert path.camera.colours == profile.fits[0].model
    assert path.camera.balance == profile.balance
    assert path.exposure == 0.5
    assert shoot.state.path(ids["lamp-0505"]) == before[ids["lamp-0505"]]
    assert shoot.state.path_as(ids["north-0412"], "built-in").camera == before[ids["north-0412"]].camera
    assert shoot.undo() == f"fit North and give it to {len(light.frames)} frames"
    assert not shoot.state.profiles
    assert shoot.state.readings[ids["north-0401"]] == kept
    shoot.undo()
    shoot.undo()
    assert {f: shoot.state.path(f) for f in ids.values()} == before
    while shoot.redo():
        pass
    assert shoot.state.path(ids["north-0412"]) == path


def test_undo_outlives_the_program(demo_shoot):
    first = Shoot.open(demo_shoot)
    frame = next(iter(first.state.frames))
    first.set_exposure([frame], 1.25)
    first.close()
    again = Shoot.open(demo_shoot)
    assert again.undo() == "exposure +1.25 EV on 1 frame"
    assert again.state.frames[frame].exposure == 0
    again.close()


ACTIONS = st.lists(
    st.tuples(st.sampled_from(["exposure", "role", "move", "rename", "remove", "working", "undo", "redo"]), st.integers(0, 11)),
    max_size=14,
)


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(ACTIONS)
def test_undoing_everything_restores_everything(shoot, actions):
    while shoot.undo():
        pass
    while shoot.redo():
        pass
    start, label = repr(shoot.state), shoot.undo_label()
    steps = 0
    for name, number in actions:
        frames = shoot.state.order()
        if name == "undo" and steps:
            steps -= shoot.undo() is not None
        elif name == "redo":
            steps += shoot.redo() is not None
        elif frames and name != "undo":
            frame = frames[number % len(frames)]
            had = shoot._store.rows("SELECT count(*) FROM steps WHERE undone = 0")[0][0]
            {
                "exposure": lambda f=frame, n=number: shoot.set_exposure([f], n / 4),
                "role": lambda f=frame: shoot.set_role([f], "neutral"),
                "move": lambda f=frame: shoot.move_to_light([f], None),
                "rename": lambda f=frame, n=number: shoot.rename_light(shoot.state.frames[f].light, f"light {n}"),
                "remove": lambda f=frame: shoot.remove_frames([f]),
                "working": lambda n=number: shoot.set_working(list(BUILT_IN.values())[n % 7]),
            }[name]()
            steps += shoot._store.rows("SELECT count(*) FROM steps WHERE undone = 0")[0][0] - had
    for _ in range(steps):
        assert shoot.undo() is not None
    assert repr(shoot.state) == start
    assert shoot.undo_label() == label


def test_the_same_file_comes_in_once(shoot, demo_frames):
    assert shoot.add_frames([look_at(demo_frames / "north-0412.dng")]) == []
    assert len(shoot.state.frames) == 12


def test_a_failed_command_changes_nothing(shoot):
    before = repr(shoot.state)
    with pytest.raises(ShootError, match="as it was"), shoot._step("break"):
        shoot._store.run("UPDATE frames SET exposure = 3")
        shoot._store.run("UPDATE frames SET light = 999")
    assert repr(shoot.state) == before
    with pytest.raises(NotSupported, match="pattern"):
        from dataclasses import replace

        shoot.set_destination(replace(shoot.state.destinations[0], pattern="{nonsense}"))


def test_a_moved_source_is_known_by_its_bytes(shoot, demo_frames, tmp_path):
    frame = by_name(shoot)["north-0412"]
    moved = tmp_path / "elsewhere.dng"
    moved.write_bytes((demo_frames / "north-0412.dng").read_bytes())
    shoot.relocate(frame, moved)
    assert shoot.state.frames[frame].path == moved
    with pytest.raises(ShootError, match="not the file"):
        shoot.relocate(frame, demo_frames / "north-0413.dng")


@pytest.mark.parametrize("contents", [b"", b"hello", b"SQLite format 3\0" + bytes(range(256)) * 20])
def test_files_that_are_no_shoot_are_refused_and_left_alone(tmp_path, contents):
    path = tmp_path / "x.velkin"
    path.write_bytes(contents)
    with pytest.raises(ShootError):
        Shoot.open(path)
    assert path.read_bytes() == contents
    with pytest.raises(OutputRefused):
        Shoot.create(path, "x")


def test_newer_shoots_are_left_untouched(demo_shoot):
    connection = sqlite3.connect(demo_shoot)
    connection.execute("PRAGMA user_version = 99")
    connection.close()
    with pytest.raises(ShootError, match="newer"):
        Shoot.open(demo_shoot)


def test_backup_is_a_whole_shoot(shoot):
    shoot.backup()
    copy = Shoot.open(backup_path(shoot.path))
    assert len(copy.state.frames) == 12
    copy.close()


KILLED = """
import sys
from pathlib import Path
from velkin.core.shoot.shoot import Shoot
shoot = Shoot.open(Path(sys.argv[1]))
frame = shoot.state.order()[0]
for number in range(1, 100000):
    shoot.set_exposure([frame], number / 100)
    print(number, flush=True)
"""


@pytest.mark.parametrize("wait", [0.05, 0.4, 0.9])
def test_killed_at_any_time_every_finished_action_is_there(demo_shoot: Path, wait):
    process = subprocess.Popen([sys.executable, "-c", KILLED, str(demo_shoot)], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    last = int(process.stdout.readline())
    time.sleep(wait)
    os.kill(process.pid, signal.SIGKILL)
    told = process.stdout.read().split("\n")[:-1]
    process.wait()
    last = int(told[-1]) if told else last
    shoot = Shoot.open(demo_shoot)
    kept = round(shoot.state.frames[shoot.state.order()[0]].exposure * 100)
    assert kept in (last, last + 1)
    shoot.close()


def test_a_frame_is_read_as_it_was_written_to_the_last_digit(demo_shoot):
    shoot = Shoot.open(demo_shoot)
    first, second = shoot.state.order()[:2]
    for frame, ev in ((first, 1 / 3), (second, -0.1 - 2**-50)):
        shoot.set_exposure([frame], ev)
    shoot.close()
    again = Shoot.open(demo_shoot)
    assert again.state.frames[first].exposure == 1 / 3
    assert again.state.frames[second].exposure == -0.1 - 2**-50
    again.close()


def test_a_frame_that_holds_no_text_is_said_to_be_damaged(demo_shoot):
    with sqlite3.connect(demo_shoot) as raw:
        raw.execute("UPDATE frames SET name = x'ff00fe' WHERE id = (SELECT min(id) FROM frames)")
    with pytest.raises(ShootError, match="damaged"):
        Shoot.open(demo_shoot)
