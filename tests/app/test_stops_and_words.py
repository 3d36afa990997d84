"""What the path bar says is what the shoot is; numbers are written one way."""

from dataclasses import replace

import pytest

from velkin.app import words
from velkin.app.flow.stops import DOTTED, DOUBLE, HAIRLINE, LINK_WORDS, SOLID, edited_since_written, stops_of
from velkin.app.main import settle
from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart
from velkin.core.gamut.easing import full_strength
from velkin.core.shoot.alternatives import BUILT_IN
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.written import WrittenFile
from velkin.core.spaces.rgb import P3, SRGB


@pytest.fixture
def shoot(demo_shoot):
    opened = Shoot.open(demo_shoot)
    yield opened
    opened.close()


def named(shoot, name):
    return next(f for f in shoot.state.frames.values() if f.name == name)


def says(shoot, frame, written=()):
    return stops_of(shoot.state, frame.id, shoot.state.path(frame.id), None, list(written))


def with_profile(shoot, frame):
    source = named(shoot, "north-0401")
    kept = read_chart(source.path, iso24())
    profile = fit(FitRequest(kept.reading, iso24(), source.facts.unique, built_in(source.facts), None, "Window, March")).of(
        "matrix"
    )
    light = shoot.state.light_of(frame.id)
    shoot.camera.add_profile(profile, light.frames, light.id)
    return profile


def test_a_raw_frame_with_its_built_in_profile(shoot):
    source, camera, working, proof, handoff = says(shoot, named(shoot, "north-0412"))
    assert (source.value, source.detail, source.bead, source.link) == (
        "raw, Velkin Studio One",
        "14-bit, 2400 × 1600",
        "raw",
        DOTTED,
    )
    assert (camera.value, camera.bead, camera.link) == ("built-in profile", "open", SOLID)
    assert (working.value, working.detail, working.link) == ("ROMM RGB", "same as the shoot", HAIRLINE)
    assert (proof.value, proof.bead, proof.link) == ("Web sRGB", "tagged-other", SOLID), "converted once, when it is written"
    assert (handoff.value, handoff.detail, handoff.bead) == ("1 destination", "nothing written", "open")


def test_a_frame_with_the_profile_of_its_light(shoot):
    frame = named(shoot, "north-0412")
    profile = with_profile(shoot, frame)
    camera = says(shoot, frame)[1]
    assert camera.value == "North window"
    assert camera.detail == f"ΔE {profile.figures.mean:.1f} mean, {profile.cct:.0f} K"
    assert camera.bead == "tagged-same"
    line = words.light_line(shoot.state, frame.light)
    assert line == f"{profile.cct:.0f} K   ΔE {profile.figures.mean:.1f}"
    assert words.light_line(shoot.state, named(shoot, "lamp-0505").light) == "no profile yet"


def test_before_is_called_built_in(shoot):
    frame = named(shoot, "north-0412")
    with_profile(shoot, frame)
    before = stops_of(shoot.state, frame.id, BUILT_IN.path(shoot.state, frame.id), None, [])
    assert before[1].value == "built-in profile"


def test_working_in_the_destinations_space_changes_nothing_between(shoot):
    shoot.colour.set_working(SRGB)
    working, proof = says(shoot, named(shoot, "north-0412"))[2:4]
    assert (working.value, working.link, proof.bead, proof.link) == ("sRGB", HAIRLINE, "tagged-same", HAIRLINE)
    shoot.colour.set_working(P3)
    assert says(shoot, named(shoot, "north-0412"))[3].link == SOLID


def test_easing_draws_its_link_double(shoot):
    frame = named(shoot, "north-0412")
    assert says(shoot, frame)[3].link == SOLID
    shoot.easing.set_easings(frame.id, full_strength())
    eased = says(shoot, named(shoot, "north-0412"))[3]
    assert eased.link == DOUBLE and LINK_WORDS[eased.link] == "look and numbers change"
    shoot.undo()
    assert says(shoot, named(shoot, "north-0412"))[3].link == SOLID


def test_hand_off_says_written_changed_and_failed(shoot):
    frame = named(shoot, "north-0412")
    destination = shoot.state.destinations[0]
    state = shoot.state.fingerprint(frame.id, destination)
    good = WrittenFile(frame.id, "web", shoot.path.parent / "a.jpg", "2026-03-17T10:00:00", True, "", state)
    assert says(shoot, frame, [good])[4].detail == "a.jpg checked"
    assert not edited_since_written(shoot.state, frame.id, [good])
    assert says(shoot, frame, [good, replace(good, ok=False)])[4].detail == "written, check failed"
    shoot.camera.set_exposure([frame.id], 0.3)
    assert says(shoot, frame, [good])[4].detail == "changed since written"
    assert edited_since_written(shoot.state, frame.id, [good])
    earlier = replace(good, state="0123456789abcdef")
    assert not edited_since_written(shoot.state, frame.id, [earlier]), "what an earlier version noted tells nothing"
    shoot.undo()
    assert says(shoot, frame, [good])[4].detail == "a.jpg checked"
    shoot.destinations.set_destination(replace(destination, folder="elsewhere", pattern="{name}-x"))
    assert says(shoot, frame, [good])[4].detail == "a.jpg checked", "where it lies does not change what is in it"
    shoot.destinations.set_destination(replace(destination, file=replace(destination.file, quality=50)))
    assert says(shoot, frame, [good])[4].detail == "changed since written"


def test_unticking_the_destination_is_said(shoot):
    shoot.destinations.set_destination(replace(shoot.state.destinations[0], ticked=False))
    assert says(shoot, named(shoot, "north-0412"))[4].value == "no destination ticked"
    assert shoot.state.proof_destination().name == "Web sRGB"


def test_the_bar_and_the_ledger_say_the_same(qtbot, window):
    window.actions_.open_stop("source")
    settle(window, 90)
    bar = window.path_bar.buttons
    assert bar["proof"].stop().detail == f"{words.percent(window.flow.measured.there_outside.share)} out of gamut"
    rows = window.benches.source.ledger.rows()
    assert "built-in profile" in rows[1][0] and rows[1][1] == "numbers stay, look changes"
    assert LINK_WORDS[bar["source"].stop().link] == "numbers stay, look changes"
    assert LINK_WORDS[bar["camera"].stop().link] == "look stays, numbers change"
    assert "raw, Velkin Studio One" in bar["source"].accessibleName()
    window.jobs.camera.set_exposure(window.model.selected, 0.75)
    assert ("exposure +0.75 EV", "look and numbers change") in window.benches.source.ledger.rows()


@pytest.mark.parametrize(
    ("value", "text"), [(0, "0.0"), (0.0004, "<\u202f0.1"), (0.0005, "0.1"), (0.12345, "12.3"), (1, "100.0")]
)
def test_shares(value, text):
    assert words.share(value) == text


@pytest.mark.parametrize(
    ("value", "digits", "text"), [(-0.04, 1, "0.0"), (-0.06, 1, "−0.1"), (12.345, 2, "12.35"), (-3, 0, "−3"), (0, 3, "0.000")]
)
def test_numbers_have_a_true_minus_and_no_negative_zero(value, digits, text):
    assert words.signed(value, digits) == text


def test_counts():
    assert [words.count(n, "frame") for n in (0, 1, 2)] == ["0 frames", "1 frame", "2 frames"]
