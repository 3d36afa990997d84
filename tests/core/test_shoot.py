"""The shoot file: commands, undo, damage, and being killed."""

import os
import signal
import sqlite3
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart
from velkin.core.errors import NotSupported, OutputRefused, ShootError
from velkin.core.gamut.easing import full_strength
from velkin.core.shoot import alternatives
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.frame import Role
from velkin.core.shoot.lights import propose_lights
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.state_reader import StateReader
from velkin.core.shoot.store import backup, backup_path
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
    shoot.camera.set_exposure([ids["north-0412"]], 0.5)
    light = shoot.state.light_of(ids["north-0401"])
    shoot.camera.keep_reading(ids["north-0401"], kept)
    shoot.camera.add_profile(profile, light.frames, light.id)
    path = shoot.state.path(ids["north-0412"])
    assert path.camera.colours == profile.fits[0].model
    assert path.camera.balance == profile.balance
    assert path.camera.exposure == 0.5
    assert shoot.state.path(ids["lamp-0505"]) == before[ids["lamp-0505"]]
    as_before = replace(before[ids["north-0412"]].camera, exposure=0.5)
    assert alternatives.BUILT_IN.path(shoot.state, ids["north-0412"]).camera == as_before
    assert shoot.undo() == f"fit North and give it to {len(light.frames)} frames"
    assert not shoot.state.profiles
    assert shoot.state.readings[ids["north-0401"]] == kept
    shoot.undo()
    shoot.undo()
    assert {f: shoot.state.path(f) for f in ids.values()} == before
    while shoot.redo():
        pass
    assert shoot.state.path(ids["north-0412"]) == path


def test_one_changed_frame_leaves_the_others_as_they_are(shoot):
    before = shoot.state
    paths = {f: before.path(f) for f in before.order()}
    first, *others = before.order()
    shoot.camera.set_exposure([first], 0.5)
    after = shoot.state
    assert after.frames[first].exposure == 0.5
    assert all(after.frames[f] is before.frames[f] for f in others)
    assert after.lights is before.lights and after.profiles is before.profiles
    assert all(after.path(f) is paths[f] for f in others) and after.path(first) != paths[first]


def test_what_another_connection_changed_is_read(shoot):
    first = shoot.state.order()[0]
    other = Shoot.open(shoot.path)
    other.camera.set_exposure([first], 0.75)
    other.close()
    shoot.frames.set_role([first], Role.NEUTRAL)
    frame = shoot.state.frames[first]
    assert (frame.exposure, frame.role) == (0.75, "neutral")


def test_undo_outlives_the_program(demo_shoot):
    first = Shoot.open(demo_shoot)
    frame = next(iter(first.state.frames))
    first.camera.set_exposure([frame], 1.25)
    first.close()
    again = Shoot.open(demo_shoot)
    assert again.undo() == "exposure +1.25 EV on 1 frame"
    assert again.state.frames[frame].exposure == 0
    again.close()


ACTIONS = st.lists(
    st.tuples(
        st.sampled_from(
            ["exposure", "role", "move", "rename", "remove", "working", "merge", "ease", "profile", "undo", "redo"]
        ),
        st.integers(0, 11),
    ),
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
                "exposure": lambda f=frame, n=number: shoot.camera.set_exposure([f], n / 4),
                "role": lambda f=frame: shoot.frames.set_role([f], Role.NEUTRAL),
                "move": lambda f=frame: shoot.frames.move_to_light([f], None),
                "rename": lambda f=frame, n=number: shoot.frames.rename_light(shoot.state.frames[f].light, f"light {n}"),
                "remove": lambda f=frame: shoot.frames.remove_frames([f]),
                "merge": lambda n=number: shoot.frames.merge_lights([k.id for k in shoot.state.lights][: 1 + n % 3]),
                "ease": lambda f=frame, n=number: shoot.easing.set_easings(f, full_strength(n / 11), "ease"),
                "profile": lambda f=frame: shoot.camera.use_built_in([f]),
                "working": lambda n=number: shoot.colour.set_working(list(BUILT_IN.values())[n % 7]),
            }[name]()
            steps += shoot._store.rows("SELECT count(*) FROM steps WHERE undone = 0")[0][0] - had
        fresh = StateReader(shoot._store)._read_all()
        assert repr(shoot.state) == repr(fresh), "what was read again in parts is what is there"
        for f in shoot.state.order()[:3]:
            assert shoot.state.path(f) == fresh.path(f)
    for _ in range(steps):
        assert shoot.undo() is not None
    assert repr(shoot.state) == start
    assert shoot.undo_label() == label


def test_the_same_file_comes_in_once(shoot, demo_frames):
    assert shoot.frames.add_frames([look_at(demo_frames / "north-0412.dng")]) == []
    assert len(shoot.state.frames) == 12


def test_a_failed_command_changes_nothing(shoot):
    before = repr(shoot.state)
    with pytest.raises(ShootError, match="as it was"), shoot._document.step("break"):
        shoot._store.run("UPDATE frames SET exposure = 3")
        shoot._store.run("UPDATE frames SET light = 999")
    assert repr(shoot.state) == before
    with pytest.raises(NotSupported, match="pattern"):
        from dataclasses import replace

        shoot.destinations.set_destination(replace(shoot.state.destinations[0], pattern="{nonsense}"))


def test_a_moved_source_is_known_by_its_bytes(shoot, demo_frames, tmp_path):
    frame = by_name(shoot)["north-0412"]
    moved = tmp_path / "elsewhere.dng"
    moved.write_bytes((demo_frames / "north-0412.dng").read_bytes())
    shoot.frames.relocate(frame, moved)
    assert shoot.state.frames[frame].path == moved
    with pytest.raises(ShootError, match="not the file"):
        shoot.frames.relocate(frame, demo_frames / "north-0413.dng")


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
    backup(shoot.path)
    copy = Shoot.open(backup_path(shoot.path))
    assert len(copy.state.frames) == 12
    copy.close()


KILLED = """
import sys
from pathlib import Path
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.state_reader import StateReader
shoot = Shoot.open(Path(sys.argv[1]))
frame = shoot.state.order()[0]
for number in range(1, 100000):
    shoot.camera.set_exposure([frame], number / 100)
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
        shoot.camera.set_exposure([frame], ev)
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
