"""Profiles of every kind in a shoot: kept, reopened, given to newcomers, compared, and their temperatures told."""

from dataclasses import replace

import numpy as np
import pytest

from velkin.core.cameraprofiles.anyprofile import from_text, to_text
from velkin.core.cameraprofiles.dng_export import dng_profile
from velkin.core.cameraprofiles.dng_file import dng_from_bytes, dng_to_bytes
from velkin.core.cameraprofiles.export import exported
from velkin.core.cameraprofiles.fit import fit
from velkin.core.cameraprofiles.icc_input import icc_from_bytes
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.shoot.alternatives import Alternative, Rendering
from velkin.core.shoot.giving import Giving, plan_giving
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.state import State
from velkin.core.spectra import parse_light

from .test_fit import CAMERAS, LIGHTS, request


@pytest.fixture(scope="module")
def single():
    return fit(request(CAMERAS["studio"], LIGHTS["north"].power, name="North"))


@pytest.fixture(scope="module")
def kinds(single):
    """One profile of every kind."""
    cool, warm = (request(CAMERAS["studio"], parse_light(k).power, name="Both") for k in ("6500", "2900"))
    return {
        "matrix": single.of("matrix"),
        "rootpoly": single.of("rootpoly"),
        "table": single.of("table"),
        "two lights": fit(cool, warm).of("auto"),
        "dng": dng_from_bytes(dng_to_bytes(dng_profile(single.of("table")))),
        "icc": icc_from_bytes(exported(single.of("table"), ".icc").data),
    }


KINDS = ("matrix", "rootpoly", "table", "two lights", "dng", "icc")


@pytest.fixture
def shoot(demo_shoot):
    opened = Shoot.open(demo_shoot)
    yield opened
    opened.close()


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_is_given_kept_and_there_again_after_reopening(shoot, demo_shoot, kinds, kind):
    frame = next(iter(shoot.state.order()))
    number = shoot.camera.add_profile(kinds[kind], [frame])
    path = shoot.state.path(frame)
    shoot.close()
    again = Shoot.open(demo_shoot)
    assert again.state.profiles[number] == kinds[kind]
    assert again.state.path(frame) == path
    assert again.undo() and not again.state.profiles
    again.close()


@pytest.mark.parametrize("kind", KINDS)
def test_a_profile_that_knows_no_balance_takes_each_frames_own(shoot, kinds, kind):
    frames = shoot.state.order()[:2]
    shoot.camera.add_profile(kinds[kind], frames)
    for frame in frames:
        camera = shoot.state.path(frame).camera
        own = shoot.state.frames[frame].facts.as_shot
        if kind in ("two lights", "dng", "icc"):
            assert camera.balance_from == "as shot" and camera.balance == pytest.approx(tuple(own))
        else:
            assert camera.balance_from == "chart" and camera.balance == pytest.approx(kinds[kind].balance)


def test_temperature_is_told_through_the_profiles_own_matrices(shoot, kinds):
    frame = shoot.state.order()[0]
    facts = shoot.state.frames[frame].facts
    assert shoot.state.matrices_of(frame) == built_in(facts)
    for kind in ("matrix", "two lights", "dng"):
        shoot.camera.add_profile(kinds[kind], [frame])
        told = shoot.state.matrices_of(frame)
        assert told == (kinds[kind].matrices if kind == "dng" else kinds[kind].matrices())
        kelvin, duv = told.temperature(np.array(shoot.state.path(frame).camera.balance))
        assert told.balance_at(kelvin, duv) == pytest.approx(np.array(shoot.state.path(frame).camera.balance), rel=1e-3)


def test_comparing_with_another_profile_keeps_the_frames_balance(shoot, kinds):
    frame = shoot.state.order()[0]
    first = shoot.camera.add_profile(kinds["matrix"], [])
    shoot.camera.set_balance([frame], (1.9, 1.0, 1.4), "picked")
    before, other = shoot.state.path(frame), Alternative(Rendering.PROFILE, first).path(shoot.state, frame)
    assert other.camera.balance == before.camera.balance and other.camera.profile == "North"
    assert Alternative(Rendering.PROFILE, first).name(shoot.state) == "North"
    assert Alternative(Rendering.PROFILE, 99).path(shoot.state, frame) == before  # a profile that is gone changes nothing


@pytest.mark.parametrize(("keep", "brings"), [(True, True), (False, False)])
def test_matching_the_chart_adds_no_exposure_that_the_profile_brings_itself(shoot, single, keep, brings):
    profile = replace(single.of("matrix"), keep_exposure=keep)
    frames = shoot.state.order()[:3]
    shoot.camera.add_profile(profile, frames[:1])
    plan = plan_giving(shoot.state, frames[0], frames, Giving(exposure="chart"))
    expected = round(float(np.log2(profile.exposure)), 2) if brings else 0.0
    assert {c.exposure for c in plan.changes} == {expected}


@pytest.mark.parametrize("kind", KINDS)
def test_written_files_are_told_stale_by_what_the_profile_does(shoot, kinds, kind):
    frame = shoot.state.order()[0]
    destination = shoot.state.destinations[0]
    plain = shoot.state.fingerprint(frame, destination)
    shoot.camera.add_profile(kinds[kind], [frame])
    given = shoot.state.fingerprint(frame, destination)
    assert given != plain and given == shoot.state.fingerprint(frame, destination)
    shoot.camera.use_built_in([frame])
    assert shoot.state.fingerprint(frame, destination) == plain


@pytest.mark.parametrize("kind", KINDS)
def test_names_can_change_without_changing_what_a_profile_does(kinds, kind):
    renamed = replace(kinds[kind], name="Another name")
    assert from_text(to_text(kinds[kind])).colours(np.array([2.0, 1.0, 1.5])) == renamed.colours(np.array([2.0, 1.0, 1.5]))


def test_a_fingerprint_is_taken_once_and_again_only_of_what_changed(demo_shoot, monkeypatch):
    """Counted, since it is what a large shoot's filters wait for."""
    shoot = Shoot.open(demo_shoot)
    taken = []
    whole = State._fingerprint
    monkeypatch.setattr(State, "_fingerprint", lambda self, frame, d: taken.append(frame) or whole(self, frame, d))

    def prints():
        state = shoot.state
        return {f: state.fingerprint(f, state.destinations[0]) for f in state.frames}

    first = prints()
    assert prints() == first and len(taken) == 12
    changed = next(iter(first))
    shoot.camera.set_exposure([changed], 0.5)
    second = prints()
    assert taken[12:] == [changed] and {f for f in first if first[f] != second[f]} == {changed}
    shoot.destinations.set_destination(
        replace(shoot.state.destinations[0], file=replace(shoot.state.destinations[0].file, quality=61))
    )
    third = prints()
    assert len(taken) == 25 and all(third[f] != second[f] for f in first)
    other = replace(shoot.state.destinations[0], file=replace(shoot.state.destinations[0].file, quality=60))
    assert shoot.state.fingerprint(changed, other) != third[changed]  # not one of the shoot's: not remembered under its name
    shoot.close()
