"""Work behind the window: the newest wish wins, memory is bounded, errors come back as words, jobs end as one step."""

import json
import os
from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest
from PyQt6.QtGui import QImage

from velkin.app.flow import decoded as decoded_module
from velkin.app.flow.drawing import Seen
from velkin.app.flow.service import RenderService
from velkin.app.main import make_application, open_window, settle
from velkin.app.model.places import Page
from velkin.core.cameraprofiles.export import ExportChoices
from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart
from velkin.core.files.raw import read_facts
from velkin.core.path import path_of
from velkin.core.spaces.rgb import ROMM, SRGB
from velkin.core.stages.camera import built_in_stage
from velkin.core.stages.source import RawSource
from velkin.core.stages.stage import Place

from ..studio import shoot_chart


@pytest.fixture
def service(qtbot):
    make_application()
    made = RenderService()
    yield made
    made.close()


@pytest.fixture
def path(chart_dng):
    return path_of(built_in_stage(read_facts(chart_dng)), ROMM, SRGB)


def test_the_newest_wish_is_shown_and_older_ones_are_dropped(qtbot, service, chart_dng, path):
    shown = []
    service.rendered.connect(shown.append)
    paths = [path.put(Place.CAMERA, replace(path.camera, exposure=e / 4)) for e in range(12)]
    for wished in paths:
        service.show(1, chart_dng, wished, Seen(SRGB))
    qtbot.waitUntil(lambda: bool(shown) and shown[-1].path == paths[-1], timeout=60000)
    assert len(shown) < len(paths)
    qtbot.wait(150)
    assert shown[-1].path == paths[-1]


def test_numbers_come_first_from_half_the_size_then_exactly(qtbot, service, chart_dng, path):
    told = []
    service.measured.connect(told.append)
    service.show(1, chart_dng, path, Seen(SRGB))
    qtbot.waitUntil(lambda: len(told) == 2, timeout=60000)
    rough, exact = told
    assert (rough.exact, exact.exact) == (False, True)
    assert exact.there_outside.pixels == 900 * 600 == 4 * rough.there_outside.pixels
    assert abs(exact.there_outside.share - rough.there_outside.share) < 0.05
    assert exact.here.sum(axis=1).tolist() == [900 * 600] * 3
    told.clear()
    service.show(1, chart_dng, path, Seen(SRGB))
    qtbot.waitUntil(lambda: bool(told), timeout=60000)
    assert told == [exact], "measured once, remembered"


def test_hatching_is_made_only_when_asked_for(qtbot, service, chart_dng, path):
    shown = []
    service.rendered.connect(shown.append)
    service.show(1, chart_dng, path, Seen(SRGB))
    qtbot.waitUntil(lambda: len(shown) == 1, timeout=60000)
    service.show(1, chart_dng, path, Seen(SRGB, mark="hatch"))
    qtbot.waitUntil(lambda: len(shown) == 2, timeout=60000)
    assert shown[0].hatch is None
    assert (shown[1].hatch.width(), shown[1].hatch.height()) == (450, 300)
    assert shown[1].image == shown[0].image


def test_memory_for_decoded_frames_is_bounded(monkeypatch, tmp_path):
    sizes = {f"f{i}.dng": np.zeros((100, 100, 3), np.float32) for i in range(6)}
    monkeypatch.setattr(decoded_module, "decode_source", lambda p, source, half: sizes[p.name].copy())
    decoded = decoded_module.Decoded(3 * 120_000)

    def at_hand():
        return {name for name in sizes if decoded.has(tmp_path / name, RawSource(), True)}

    for name in sizes:
        decoded.get(tmp_path / name, RawSource(), True)
    assert at_hand() == {"f3.dng", "f4.dng", "f5.dng"}
    decoded.get(tmp_path / "f3.dng", RawSource(), True)
    decoded.get(tmp_path / "f0.dng", RawSource(), True)
    assert "f3.dng" in at_hand() and "f0.dng" in at_hand() and len(at_hand()) == 3


def test_a_file_that_changed_is_decoded_anew(monkeypatch, tmp_path):
    made = []
    monkeypatch.setattr(
        decoded_module, "decode_source", lambda p, source, half: made.append(p.read_bytes()) or np.zeros((2, 2, 3))
    )
    decoded, file = decoded_module.Decoded(1_000_000), tmp_path / "f.dng"
    for content in (b"one", b"one", b"another"):
        file.write_bytes(content)
        os.utime(file, ns=(len(content), len(content)))
        decoded.get(file, RawSource(), True)
    assert made == [b"one", b"another"]


def test_one_frame_larger_than_the_budget_is_still_shown(monkeypatch, tmp_path):
    monkeypatch.setattr(decoded_module, "decode_source", lambda p, source, half: np.zeros((100, 100, 3), np.float32))
    assert decoded_module.Decoded(10).get(tmp_path / "big.dng", RawSource(), False).shape == (100, 100, 3)


def test_what_cannot_be_read_is_said(qtbot, service, tmp_path, path):
    (tmp_path / "bad.dng").write_bytes(b"nothing")
    with qtbot.waitSignal(service.failed, timeout=60000) as failed:
        service.show(7, tmp_path / "bad.dng", path, Seen(SRGB))
    assert failed.args[0] == 7 and "bad.dng" in failed.args[1]
    with qtbot.waitSignal(service.thumbnail, timeout=60000) as drawn:
        bad = SimpleNamespace(id=7, digest="none", path=tmp_path / "bad.dng")
        service.draw_thumbnails([(bad, path)], SRGB)
    assert drawn.args[2] == QImage()


# ---- the jobs ------------------------------------------------------------------------------------------------------------


@pytest.fixture
def profile(demo_frames):
    path = demo_frames / "north-0401.dng"
    facts = read_facts(path)
    return fit(
        FitRequest(read_chart(path, iso24()).reading, iso24(), facts.unique, built_in(facts), None, "North", path.name)
    ).of("matrix")


def test_profiles_go_out_and_come_back(window, ids, profile, tmp_path, qtbot):
    window.jobs.command(lambda s: s.camera.add_profile(profile, [ids["north-0412"]]))
    frame = window.model.state.frames[ids["north-0412"]]
    window.jobs.fits.export(profile, tmp_path, "north", [".json", ".dcp"], ExportChoices(), frame, False)
    qtbot.waitUntil(lambda: "Written to" in window.model.messages.latest, timeout=60000)
    assert (tmp_path / "north.dcp").exists()
    window.model.select(ids["lamp-0505"])
    window.jobs.fits.import_profile(tmp_path / "north.json", window.model.selected)
    qtbot.waitUntil(lambda: "was given to" in window.model.messages.latest, timeout=60000)
    mine = window.model.state.frames[ids["lamp-0505"]].profile
    assert window.model.state.profiles[mine] == profile


def test_a_profile_for_another_camera_is_refused_with_the_reason(qtbot, window, ids, profile, tmp_path):
    data = json.loads(profile.to_json()) | {"camera": "Another One"}
    (tmp_path / "other.json").write_text(json.dumps(data))
    window.jobs.fits.import_profile(tmp_path / "other.json", window.model.selected)
    qtbot.waitUntil(lambda: "made for Another One" in window.model.messages.latest, timeout=60000)
    assert not window.model.state.profiles
    (tmp_path / "broken.json").write_text("{")
    window.jobs.fits.import_profile(tmp_path / "broken.json", window.model.selected)
    qtbot.waitUntil(lambda: "broken.json" in window.model.messages.latest, timeout=60000)
    other = replace(profile, camera="Another One")
    window.jobs.command(lambda s: s.camera.add_profile(other, []))
    number = next(iter(window.model.state.profiles))
    window.jobs.camera.give_profile(number, (ids["north-0412"],))
    assert "from another camera" in window.model.messages.latest
    assert window.model.state.frames[ids["north-0412"]].profile is None


def test_giving_is_one_step_and_leaves_exposure_alone(window, ids, profile):
    window.jobs.camera.set_exposure((ids["north-0413"],), 0.7)
    light = window.model.state.light_of(ids["north-0413"])
    window.jobs.camera.keep_profile(ids["north-0401"], profile, "", True)
    state = window.model.state
    assert all(state.frames[f].profile is not None for f in light.frames)
    assert state.frames[ids["north-0413"]].exposure == 0.7
    assert "6 frames" in window.model.messages.latest
    window.model.undo()
    assert all(window.model.state.frames[f].profile is None for f in light.frames)


def test_returning_to_built_in_by_the_bench(window, ids, profile):
    window.jobs.camera.keep_profile(ids["north-0401"], profile, "", True)
    window.model.select(ids["north-0412"])
    bench = window.benches.camera
    assert bench._figure.number.text() == f"ΔE {profile.figures.mean:.1f}"
    assert bench.balance.chart.isChecked() and bench._give.text() == "Give to other frames…"
    bench.balance.as_shot.click()
    assert window.model.path().camera.balance == pytest.approx(tuple(window.model.frame.facts.as_shot))
    assert bench.balance.as_shot.isChecked()
    assert "1 other frame" not in bench._give.text() and "5 other frames" in bench._give.text()
    bench.back_to_built_in()
    assert window.model.frame.profile is None
    assert "has a profile that this frame does not use" in bench.sentence.text()
    bench.give()
    assert window.model.frame.profile is not None


def test_a_profile_is_chosen_from_the_list(window, ids, profile):
    window.jobs.camera.keep_profile(ids["north-0401"], profile, "Kept", False)
    window.model.select(ids["lamp-0505"])
    combo = window.benches.camera._profile
    assert [combo.itemText(i).split("   ")[0] for i in range(combo.count())] == ["Built in", "Kept"]
    window.benches.camera._profile_chosen(1)
    assert window.model.path().camera.profile == "Kept"
    window.benches.camera._profile_chosen(0)
    assert window.model.path().camera.profile == ""


def test_matching_the_chart_sets_the_exposure_of_its_greys(window, ids, profile):
    window.jobs.camera.keep_profile(ids["north-0401"], profile, "", True)
    window.model.select(ids["north-0412"])
    window.benches.camera._match_exposure()
    assert window.model.frame.exposure == pytest.approx(np.log2(profile.exposure), abs=0.006)


def test_hand_off_needs_a_ticked_destination_and_a_name(window):
    window.actions_.open_stop("handoff")
    bench = window.benches.handoff
    bench.ticks["web"].setChecked(False)
    assert not window.model.state.ticked()
    assert not bench.run_button.isEnabled()
    window.jobs.handoff.start(bench.to_write())
    assert "No destination is ticked" in window.model.messages.latest
    bench.ticks["web"].setChecked(True)
    assert bench.run_button.isEnabled()
    window.actions_.handoff.destinations("web")
    room = window.navigator.made(Page.DESTINATIONS)
    room.form.pattern.setText("a/{name}")
    room.form._edited()
    assert "no folder takes" in window.model.messages.latest
    assert window.model.state.destinations[0].pattern == "{name}"
    assert room.form.pattern.text() == "{name}"


def test_handing_off_twice_numbers_the_names_and_another_shoot_waits(qtbot, window, ids, demo_shoot):
    window.actions_.open_stop("handoff")
    window.benches.handoff._which.button(2).setChecked(True)
    window.model.select(ids["north-0402"])
    for _ in range(2):
        with qtbot.waitSignal(window.jobs.handoff.ended, timeout=60000):
            window.benches.handoff.start()
            window.jobs.shoots.open(demo_shoot)
            assert "A hand-off is running" in window.model.messages.latest
    folder = window.model.shoot.path.parent / "web"
    assert sorted(p.name for p in folder.iterdir()) == ["north-0402-2.jpg", "north-0402.jpg"]
    assert [w.ok for w in window.model.written()] == [True, True]


def test_a_folder_is_taken_in_without_what_is_no_raw_file(qtbot, window, tmp_path):
    (tmp_path / "card" / "sub").mkdir(parents=True)
    shoot_chart(tmp_path / "card" / "one.dng", seed=21)
    shoot_chart(tmp_path / "card" / "sub" / "two.DNG", seed=22)
    (tmp_path / "card" / "three.txt").write_text("x")
    window.actions_.dropped.take([tmp_path / "card"])
    qtbot.waitUntil(lambda: "2 frames added" in window.model.messages.latest, timeout=60000)
    assert len(window.model.state.frames) == 14
    window.actions_.dropped.take([tmp_path / "card"])
    qtbot.waitUntil(lambda: "2 files already" in window.model.messages.latest, timeout=60000)
    assert len(window.model.state.frames) == 14


def test_lights_are_renamed_moved_and_removed_with_undo(window, ids):
    frame = window.model.frame
    window.jobs.command(lambda s: s.frames.rename_light(frame.light, "Window, March"))
    assert window.path_bar.buttons["camera"].stop().value == "built-in profile"
    assert window.model.state.lights[0].name == "Window, March"
    window.menu.by_name["Move to a new light"].trigger()
    assert len(window.model.state.lights) == 3
    window.actions_.frame.remove()
    assert frame.id not in window.model.state.frames
    assert window.model.current is not None
    for _ in range(3):
        window.model.undo()
    assert window.model.state.lights[0].name == "North window"
    assert frame.id in window.model.state.frames


def test_roles_are_marked_from_the_menu(window, ids):
    for name, role in (("Mark as chart frame", "chart"), ("Mark as neutral frame", "neutral"), ("Mark as subject", "subject")):
        window.menu.by_name[name].trigger()
        assert window.model.frame.role == role


def test_the_layout_and_theme_are_remembered(qtbot, window, demo_shoot):
    from velkin.app import theme

    window.menu.by_name["Scope shelf"].trigger()
    assert not window.scope.isVisible()
    window.appearance.set_theme("Dim room")
    window.menu.surround.setValue(70)
    again = open_window(demo_shoot, window.settings)
    again.show()
    assert not again.scope.isVisibleTo(again)
    assert theme.current().name == "Dim room"
    assert again.menu.surround.value() == 70
    assert settle(again, 90)
    again.close()
    window.appearance.set_theme("Card")


def test_a_shoot_that_cannot_be_opened_leaves_an_empty_window(qtbot, tmp_path):
    (tmp_path / "bad.velkin").write_bytes(b"x" * 200)
    empty = open_window(tmp_path / "bad.velkin")
    assert empty.model.shoot is None
    assert "not a Velkin shoot" in empty.model.messages.latest
    empty.close()


def test_where_there_is_more_room_than_the_half_size_the_full_one_follows(qtbot, service, chart_dng, path):
    shown = []
    service.rendered.connect(shown.append)
    service.show(1, chart_dng, path, Seen(SRGB, room=(2000, 1600)))
    qtbot.waitUntil(lambda: len(shown) == 2, timeout=60000)
    assert [r.image.width() for r in shown] == [450, 900]  # at once, then sharp; never enlarged
    service.show(1, chart_dng, path, Seen(SRGB, room=(2000, 1600)))
    service.show(1, chart_dng, path, Seen(SRGB, room=(300, 300)))
    qtbot.waitUntil(lambda: shown[-1].image.width() == 300, timeout=60000)
    service.show(1, chart_dng, path, Seen(SRGB, room=(300, 200), part=(0.25, 0.25, 0.5, 0.5), scale=1.0))
    qtbot.waitUntil(lambda: shown[-1].now.part is not None, timeout=60000)
    last = shown[-1]
    assert (last.image.width(), last.now.part.width(), last.now.part_at) == (300, 450, (0.25, 0.25, 0.5, 0.5))
