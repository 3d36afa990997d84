"""Finished pictures in the real window: held frames, decisions with their outcome, try-on sheet, assign and convert, pins, copies."""

from __future__ import annotations

import numpy as np
import pytest
import tifffile
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QGuiApplication, QImage
from PyQt6.QtWidgets import QFileDialog, QLabel, QMessageBox, QPushButton

from tests.app.doing import answered, point_at
from tests.core.awkward import everything
from velkin.app.model.places import Page
from velkin.app.sheets.copy_sheet import CopySheet
from velkin.app.sheets.purpose_sheet import PurposeSheet, suited
from velkin.app.sheets.rules_sheet import RulesSheet
from velkin.app.sheets.space_cards import SpaceCards
from velkin.app.widgets.frames_model import HELD
from velkin.core.icc.space import same
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.custom import OwnSpace
from velkin.core.spaces.rgb import OPRGB, P3, ROMM, SRGB
from velkin.core.tags.inspect import inspect
from velkin.core.tags.ledger import Verb
from velkin.core.tags.rules import GIVE, IntakeRules, Rule
from velkin.sim.press import press_profile

RGB = np.dstack(np.meshgrid(np.linspace(20, 235, 48), np.linspace(30, 220, 32))).astype(np.uint8)
RGB = np.dstack([RGB, RGB[..., :1][:, ::-1]])


@pytest.fixture(scope="session")
def ink_profile() -> bytes:
    return press_profile(4)


@pytest.fixture
def mill(tmp_path, ink_profile):
    folder = tmp_path / "mill"
    folder.mkdir()
    for name, icc in (("bare", None), ("bare2", None), ("wide", matrix_profile(P3)), ("hurt", matrix_profile(SRGB)[:200])):
        Image.fromarray(np.roll(RGB, len(name), axis=1)).save(folder / f"{name}.jpg", icc_profile=icc, quality=95)
    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA001] = 1
    Image.fromarray(RGB[::-1]).save(folder / "claim.jpg", exif=exif)
    tifffile.imwrite(folder / "ink.tif", np.dstack([RGB, RGB[..., :1]]), photometric="separated", iccprofile=ink_profile)
    return folder


@pytest.fixture
def here(window, qtbot, mill):
    """Ids by name after the folder came in by a drop on the window."""
    before = len(window.model.state.frames)
    window.actions_.dropped.take([mill])
    qtbot.waitUntil(lambda: window.model.messages.latest.startswith("6 frames added"), timeout=60000)
    assert len(window.model.state.frames) == before + 6
    return {f.name: f.id for f in window.model.state.frames.values()}


@pytest.fixture
def show(window, qtbot):
    def show_frame(frame: int, stop: str) -> None:
        window.actions_.open_stop(stop)
        window.model.select(frame)

        def seen() -> bool:
            r = window.flow.rendered
            return r is not None and r.frame == frame and r.path == window.model.path()

        qtbot.waitUntil(seen, timeout=60000)

    return show_frame


def settled(window, qtbot) -> None:
    qtbot.waitUntil(
        lambda: window.flow.rendered is not None and window.flow.rendered.path == window.model.path(), timeout=60000
    )


def stop_values(window) -> list[str]:
    return [b.stop().value for b in window.path_bar.buttons.values()]


def test_what_is_not_known_waits_in_the_tray_without_a_question(window, here):
    state = window.model.state
    assert sorted(state.frames[f].name for f in state.held()) == ["bare", "bare2", "claim", "hurt"]
    assert "4 frames held" in window.model.messages.latest
    first = window.frames.rows.rows[0]
    assert (first.light, first.frame, first.number) == (HELD, None, 4)
    assert any(k.name == "From mill" for k in state.lights)


def test_a_decision_is_seen_before_it_is_taken_and_one_serves_for_many(window, qtbot, here, show):
    show(here["bare"], "source")
    assert "decision waiting" in stop_values(window)[0] and window.path_bar.buttons["source"].stop().waits
    plain = QImage(window.view._image)
    window.jobs.colour.add_pin(here["bare"], 0.3, 0.5)
    bench = window.benches.source
    bench.given.choose("romm")
    bench.choices.button(0).click()
    settled(window, qtbot)
    assert stop_values(window)[1] == "ROMM RGB, if assigned" and not window.model.frame.ledger
    assert window.view._image != plain and window.view.comparison == "wipe"
    qtbot.waitUntil(lambda: bool(bench.table.cells()), timeout=60000)
    assert float(bench.table.cells()[0][3]) > 3
    bench.given.choose("oprgb")
    bench.given.activated.emit(0)
    settled(window, qtbot)
    assert "2 held" not in bench.decide_all.text() and bench.decide_all.isVisible()
    bench.decide_all.click()
    settled(window, qtbot)
    frames = window.model.state.frames
    assert [len(frames[here[n]].ledger) for n in ("bare", "bare2", "claim")] == [1, 1, 0]
    assert stop_values(window)[1] == "opRGB" and window.view.comparison == "off"
    window.menu.undo.trigger()
    assert frames is not window.model.state.frames and window.model.state.frames[here["bare2"]].held


def test_leaving_the_bench_ends_what_was_only_tried(window, qtbot, here, show):
    show(here["bare"], "source")
    window.benches.source.give(P3)
    assert window.model.tried
    window.actions_.open_stop("proof")
    settled(window, qtbot)
    assert not window.model.tried and not window.model.frame.ledger and not window.model.path().known
    assert stop_values(window)[4] == "waits for Source"


def test_the_try_on_sheet_shows_the_same_numbers_in_every_space(window, qtbot, here, show):
    show(here["bare"], "source")
    qtbot.keyClick(window.view, Qt.Key.Key_T)
    room = window.navigator.made(Page.TRY_ON)
    assert window.navigator.room is room
    qtbot.waitUntil(lambda: len(room.sheet.tiles) >= 6, timeout=60000)
    assert room._reasons.text() and "plausible" in room._place.text()
    images = [t.image for t in room.sheet.tiles]
    assert len({bytes(i.constBits().asstring(i.sizeInBytes())) for i in images}) >= 5
    qtbot.keyClick(room.sheet, Qt.Key.Key_Right)
    qtbot.mouseClick(room.sheet, Qt.MouseButton.LeftButton, pos=room.sheet.cells()[2].center().toPoint())
    chosen = room.sheet.tiles[2].plausible.space
    qtbot.keyClick(room.sheet, Qt.Key.Key_Return)
    assert window.navigator.stack.currentIndex() == 0 and window.benches.source.given.space().id == chosen.id
    assert not window.model.frame.ledger  # taken on the sheet, decided on the bench
    window.benches.source.decide.click()
    assert window.model.frame.ledger[0].space == chosen.id
    window.actions_.space.try_on()
    assert window.navigator.stack.currentIndex() == 0 and "known to be in" in window.model.messages.latest


def test_a_profile_can_be_tried_and_given(window, qtbot, here, show, tmp_path, monkeypatch):
    show(here["bare"], "source")
    own = matrix_profile(OPRGB).replace("opRGB".encode("utf-16-be"), "other".encode("utf-16-be"))
    odd = tmp_path / "odd.icc"
    odd.write_bytes(matrix_profile(OwnSpace("odd one", P3.primaries, P3.white, "gamma", 1.5).space()))
    assert own  # a profile that equals a built-in space is known by that one's name
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(odd), ""))
    window.actions_.space.try_on()
    qtbot.waitUntil(lambda: bool(window.navigator.made(Page.TRY_ON).sheet.tiles), timeout=60000)
    window.actions_.space.try_profile()
    named = lambda: [t.plausible.space.name for t in window.navigator.made(Page.TRY_ON).sheet.tiles]  # noqa: E731
    qtbot.waitUntil(lambda: "odd one" in named(), timeout=60000)
    window.navigator.made(Page.TRY_ON).sheet.choose(named().index("odd one"))
    window.navigator.made(Page.TRY_ON)._take()
    settled(window, qtbot)
    window.benches.source.decide.click()
    assert window.model.state.path(here["bare"]).here.name == "odd one"


def test_assigning_a_known_picture_is_warned_of_and_converting_shown(window, qtbot, here, show):
    show(here["wide"], "working")
    window.jobs.colour.add_pin(here["wide"], 0.5, 0.5)
    bench = window.benches.working
    bench.choose(1, "srgb")
    settled(window, qtbot)
    assert "known to mean P3" in bench._warning.text() and bench.instead.isVisible()
    bench.instead.click()
    settled(window, qtbot)
    assert bench.verbs.checkedId() == 2 and stop_values(window)[2] == "sRGB"
    qtbot.waitUntil(lambda: "curves" in bench._effect.text(), timeout=60000)
    before, after = bench.codes.cells()[0][1:3]
    assert before != after and float(bench.change.cells()[0][3]) < 0.6  # look stays, numbers change
    bench.act.click()
    entry = window.model.state.frames[here["wide"]].ledger[0]
    assert (entry.verb, entry.space) == (Verb.CONVERT, "srgb") and bench.verbs.checkedId() == 0


def test_converting_to_ink_tells_what_the_intents_do(window, qtbot, here, show, tmp_path, ink_profile):
    press = tmp_path / "press.icc"
    press.write_bytes(ink_profile)
    window.actions_.dropped.take([press])  # an output profile is a space, no camera's
    show(here["wide"], "working")
    ink = next(s for s in window.jobs.spaces.destinations() if s.model == "cmyk")
    window.benches.working.choose(2, ink.id)
    qtbot.waitUntil(lambda: "least" in window.benches.working._effect.text(), timeout=60000)
    assert "%" in window.benches.working._leaves._rows[0][1].text()
    window.benches.working.act.click()
    settled(window, qtbot)
    assert stop_values(window)[2] == ink.name
    centre = window.view.to_widget(10, 10).toPoint()
    point_at(window, centre)
    qtbot.waitUntil(lambda: window.status.here.value.text().endswith("%"), timeout=60000)


def test_ledger_goes_back_and_is_copied(window, qtbot, here, show):
    show(here["bare"], "source")
    window.jobs.colour.give_and_convert((here["bare"],), OPRGB, ROMM)
    settled(window, qtbot)
    ledger = window.benches.source.ledger
    texts = [ledger.list.item(i).text() for i in range(ledger.list.count())]
    assert any("opRGB assigned" in t for t in texts) and any("converted to ROMM RGB" in t for t in texts)
    window.model.select(here["bare"], (here["bare"], here["bare2"], here["ink"]))
    ledger.copy.click()
    assert len(window.model.state.frames[here["bare2"]].ledger) == 2 and not window.model.state.frames[here["ink"]].ledger
    assert "another colour model" in window.model.messages.latest
    ledger.list.setCurrentRow(next(i for i, t in enumerate(texts) if "assigned" in t))
    ledger.back.click()
    assert [e.verb for e in window.model.state.frames[here["bare"]].ledger] == [Verb.ASSIGN]


def test_pins_are_set_by_key_kept_and_given_targets(window, qtbot, here, show):
    show(here["wide"], "working")
    point_at(window, window.view.to_widget(12, 9).toPoint())
    window.flow.pointer = (12.0, 9.0)
    qtbot.keyClick(window.view, Qt.Key.Key_Period)
    pin = window.model.frame.pins[0]
    assert (pin.x, pin.y) == pytest.approx((12 / 48, 9 / 32))
    assert window.view.pins == ((pin.x, pin.y),)
    bench = window.benches.working
    qtbot.waitUntil(lambda: len(bench.pins.cells()) == 1, timeout=60000)
    bench._pin_chosen(0)
    bench._target_chosen(1)
    assert window.model.frame.pins[0].target.kind == "neutral"
    qtbot.waitUntil(lambda: bench.pins.cells()[0][4] != "", timeout=60000)
    bench._target_chosen(2)
    assert window.model.frame.pins[0].target.lab == bench.lab_at_pin(0)
    bench.unpin.click()
    assert not window.model.frame.pins
    for i in range(9):
        window.flow.pointer = (1.0 + 4 * i, 3.0)
        window.actions_.space.pin()
    assert len(window.model.frame.pins) == 8 and "up to 8 pins" in window.model.messages.latest


def test_rules_are_a_table_and_hold_for_what_is_pasted(window, qtbot, tmp_path):
    sheet = RulesSheet(window.context, window)
    assert "without you" in sheet._sum.text()
    box = sheet.decisions["untagged"]
    box.setCurrentIndex(box.findData(GIVE))
    sheet.spaces["untagged"].choose("p3")
    assert sheet.rules() == IntakeRules().with_rule("untagged", Rule(GIVE, "p3")) and "ledger" in sheet._sum.text()
    window.jobs.command(lambda s: s.colour.set_rules(sheet.rules()))
    sheet._show(IntakeRules())
    assert sheet.rules() == IntakeRules()
    sheet.close()
    image = QImage(20, 10, QImage.Format.Format_RGB32)
    image.fill(QColor(200, 40, 90))
    QGuiApplication.clipboard().setImage(image)
    before = set(window.model.state.frames)
    window.menu.by_name["Paste a picture or files"].trigger()
    qtbot.waitUntil(lambda: set(window.model.state.frames) != before, timeout=60000)
    frame = window.model.state.frames[next(iter(set(window.model.state.frames) - before))]
    assert frame.path.exists() and frame.path.parent.name.endswith("pasted")
    assert same(window.model.state.path(frame.id).here, P3) and "rule" in frame.ledger[0].why


def test_nothing_on_the_clipboard_is_said(window):
    QGuiApplication.clipboard().clear()
    window.actions_.paste()
    assert "neither" in window.model.messages.latest


def test_an_own_space_is_seen_at_once_and_saved(window, qtbot, here, show, tmp_path, monkeypatch):
    show(here["wide"], "working")
    qtbot.mouseClick(
        next(b for b in window.benches.working.findChildren(QPushButton) if b.text() == "Custom space…"),
        Qt.MouseButton.LeftButton,
    )
    bench = window.benches.asides()[0]
    assert bench.isVisible() and window.model.tried[0].verb == Verb.ASSIGN
    bench.name.setText("slim")
    bench.kind.setCurrentIndex(bench.kind.findData("gamma"))
    bench.kind.activated.emit(bench.kind.currentIndex())
    bench.gamma.setValue(1.4)
    settled(window, qtbot)
    assert window.model.path().here.name == "slim" and bench.space is not None
    for version, save in ((2, bench.save2), (4, bench.save4)):
        out = tmp_path / f"slim{version}.icc"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, out=out, **k: (str(out), ""))
        qtbot.mouseClick(save, Qt.MouseButton.LeftButton)
        assert out.read_bytes()[8] == version
    bench.points[0][0].setValue(0.31)
    bench.points[0][1].setValue(0.59)
    bench.points[2][0].setValue(0.32)
    bench.points[2][1].setValue(0.62)
    assert bench.space is None and "cannot be" in bench.sentence.text() and not bench.keep.isEnabled()
    assert not window.model.trying
    asked = []
    with answered("Stay here", asked):
        assert not window.close()
    assert asked == ["The space would be lost."]
    with answered("Give it up", asked):
        bench.give_up()
    assert not window.benches.asides() and window.benches.currentWidget() is window.benches.working
    window.actions_.space.custom_space()
    qtbot.mouseClick(window.benches.asides()[0].keep, Qt.MouseButton.LeftButton)
    assert "My space is kept" in window.model.messages.latest and not window.model.trying
    assert "My space" in [s.name for s in window.jobs.spaces.of_model("rgb")]
    window.jobs.command(lambda s: s.colour.keep_space(P3))
    purpose = PurposeSheet(window)
    purpose.screens.setChecked(True)
    assert purpose.space() is P3
    assert (
        suited(False, True, False)[0] is ROMM
        and suited(False, False, True)[0] is ROMM
        and suited(True, True, False)[0] is OPRGB
    )
    purpose.close()


def test_a_tagged_copy_is_written_and_the_source_only_when_asked(window, qtbot, here, show, mill, tmp_path, monkeypatch):
    show(here["bare"], "source")
    source = (mill / "bare.jpg").read_bytes()
    window.jobs.colour.assign((here["bare"],), OPRGB)
    sheet = CopySheet(window.model.frame, window.model.path(), tmp_path, window)
    assert "not one number" in sheet.words.text()
    sheet.out.setText(str(tmp_path / "copy.jpg"))
    window.jobs.colour.save_copy(here["bare"], sheet.wish())
    qtbot.waitUntil(lambda: (tmp_path / "copy.jpg").exists() and "was written" in window.model.messages.latest, timeout=60000)
    assert inspect(tmp_path / "copy.jpg").tag.space == "oprgb" and (mill / "bare.jpg").read_bytes() == source
    sheet.out.setText(str(tmp_path / "copy.bmp"))
    assert not sheet._write.isEnabled()
    sheet.close()
    monkeypatch.setattr(QMessageBox, "exec", lambda self: 0)
    monkeypatch.setattr(QMessageBox, "clickedButton", lambda self: self.buttons()[1])
    window.actions_.space.retag_source()  # answered with Cancel
    assert (mill / "bare.jpg").read_bytes() == source
    monkeypatch.setattr(QMessageBox, "clickedButton", lambda self: next(b for b in self.buttons() if "Write" in b.text()))
    window.actions_.space.retag_source()
    qtbot.waitUntil(lambda: inspect(mill / "bare.jpg").tag.space == "oprgb", timeout=60000)
    qtbot.waitUntil(lambda: window.model.frame.picture.tag.state == "tagged", timeout=60000)
    assert not window.model.frame.ledger and stop_values(window)[0] == "tagged opRGB"


def test_what_else_a_file_holds_is_told_and_what_a_copy_of_it_would_lose(window, qtbot, here, show, tmp_path):
    (tmp_path / "full.jpg").write_bytes(everything())
    window.actions_.dropped.take([tmp_path / "full.jpg"])
    qtbot.waitUntil(lambda: "full" in {f.name for f in window.model.state.frames.values()}, timeout=60000)
    frame = next(f.id for f in window.model.state.frames.values() if f.name == "full")
    show(frame, "source")
    told = {w.text() for w in window.findChildren(QLabel) if w.isVisible()}
    assert "90\N{NO-BREAK SPACE}bytes of maker's notes, 2 paths, a text" in {
        t.replace(" bytes", "\N{NO-BREAK SPACE}bytes") for t in told
    }
    window.jobs.command(lambda s: s.colour.assign([frame], OPRGB))
    window.jobs.command(lambda s: s.colour.convert([frame], P3))

    def lost(kind, then):
        window.jobs.colour.tell_lost(frame, kind, then)

    sheet = CopySheet(window.model.frame, window.model.path(), tmp_path, window, lost)
    sheet.out.setText(str(tmp_path / "o.webp"))
    qtbot.waitUntil(lambda: "Left behind: IPTC, path skein" in sheet.words.text(), timeout=60000)
    sheet.out.setText(str(tmp_path / "o.tif"))
    qtbot.waitUntil(lambda: sheet.words.text().endswith("Left behind: comment."), timeout=60000)
    window.jobs.colour.save_copy(frame, sheet.wish())
    qtbot.waitUntil(lambda: "left behind: comment" in window.model.messages.latest, timeout=60000)
    sheet.close()


def test_camera_actions_pass_finished_pictures_over(window, qtbot, here, show):
    show(here["wide"], "camera")
    assert window.benches.currentWidget() is window.benches.picture
    for name in (
        "Read the chart in this frame",
        "Pick a neutral",
        "Give to other frames…",
        "Fit report…",
        "Export this frame's profile…",
    ):
        window.menu.by_name[name].trigger()
        assert window.navigator.stack.currentIndex() == 0
    assert not window.model.picking
    show(here["north-0412"], "camera")
    assert window.benches.currentWidget() is window.benches.camera
    window.menu.by_name["Save a tagged copy…"].trigger()
    assert "hand-off" in window.model.messages.latest


def test_held_frames_are_stepped_through_and_left_out_of_a_hand_off(window, qtbot, here, tmp_path):
    window.actions_.frame.next_held()
    assert window.model.frame.held and window.model.stop == "source"
    first = window.model.current
    window.actions_.frame.next_held()
    assert window.model.current != first and window.model.frame.held
    job = window.jobs.handoff
    job.start((here["bare"], here["wide"]))
    qtbot.waitUntil(lambda: not job.running and bool(job.results), timeout=60000)
    assert [d.job.frame for d in job.results] == [here["wide"]] and job.results[0].ok


def test_profiles_that_appear_in_a_colour_folder_are_offered_at_once(window, qtbot, tmp_path):
    folder = tmp_path / "icc"
    window.jobs.spaces.collection.folders = [folder]
    window.jobs.spaces.look()
    qtbot.wait(300)
    folder.mkdir()
    (folder / "broken.icc").write_bytes(b"x" * 300)
    space = OwnSpace("from the folder", P3.primaries, P3.white, "gamma", 1.9).space()
    (folder / "good.icc").write_bytes(matrix_profile(space))
    offered = lambda: [s.name for s in window.jobs.spaces.of_model("rgb")]  # noqa: E731
    qtbot.waitUntil(lambda: "from the folder" in offered(), timeout=60000)
    problems = {f.path.name: f.problem for f in window.jobs.spaces.collection.found()}
    assert problems["broken.icc"] and not problems["good.icc"]


def test_spaces_stand_beside_each_other_with_what_they_hold_of_the_shoot(window, qtbot):
    cards = SpaceCards(window.context, window)
    qtbot.waitUntil(lambda: cards.table.item(0, 2).text() != "measuring", timeout=60000)
    outside = {s.id: cards.table.item(r, 2).text() for r, s in enumerate(cards.spaces)}
    assert float(outside["srgb"]) > float(outside["oprgb"]) and outside["romm"].lstrip("<\u202f") in ("0.0", "0.1")
    assert "0412" in cards.table.item(0, 3).text() or "%" in cards.table.item(0, 3).text()
    cards.table.selectRow(next(r for r, s in enumerate(cards.spaces) if s.id == "oprgb"))
    assert cards.space() is OPRGB and "labs call it" in cards._why.text().lower()
    cards.close()


def test_a_picture_with_transparent_parts_is_shown_over_white_and_says_so(qtbot, window, show, tmp_path):
    clear = np.zeros((60, 90, 4), np.uint8)
    clear[..., 1] = 255  # what nobody sees
    clear[:, :30] = (180, 60, 40, 255)
    Image.fromarray(clear).save(tmp_path / "cut.png", icc_profile=matrix_profile(SRGB))
    window.actions_.dropped.take([tmp_path / "cut.png"])
    qtbot.waitUntil(lambda: "cut" in {f.name for f in window.model.state.frames.values()}, timeout=60000)
    show(next(f.id for f in window.model.state.frames.values() if f.name == "cut"), "source")
    qtbot.waitUntil(lambda: window.flow.rendered.image.width() == 90, timeout=60000)
    assert window.flow.rendered.image.pixelColor(80, 30).getRgb()[:3] == (255, 255, 255)
    assert "transparent parts over white" in window.view.captions[0]
    window.jobs.command(lambda s: s.colour.convert([window.model.current], P3))
    sheet = CopySheet(window.model.frame, window.model.path(), tmp_path, window)
    assert "over white" not in sheet.words.text(), "a PNG keeps them"
    sheet.out.setText(str(tmp_path / "flat.jpg"))
    assert "transparent parts are laid over white" in sheet.words.text()


def test_what_is_tried_stays_while_other_frames_and_spaces_come(window, qtbot, here, show, tmp_path):
    show(here["bare"], "source")
    bench = window.benches.source
    bench.choices.button(0).click()
    assert window.model.tried and bench.decide.isVisible()
    window.jobs.camera.set_exposure((here["north-0412"],), 0.5)  # as what comes in or is written meanwhile
    own = OwnSpace("odd one", P3.primaries, P3.white, "gamma", 1.5).space()
    (tmp_path / "odd.icc").write_bytes(matrix_profile(own))
    window.jobs.spaces.keep(tmp_path / "odd.icc")
    qtbot.waitUntil(lambda: "odd one" in window.model.messages.latest, timeout=60000)
    assert window.model.tried and bench.choices.checkedId() == 0 and bench.decide.isVisible()
    window.model.undo()
    window.model.undo()
    assert window.model.tried
    window.jobs.command(lambda s: s.colour.set_working(P3))
    assert not window.model.tried  # it was tried in the working space that the shoot had
    assert bench.choices.checkedId() == -1 and not bench.decide.isVisible()


def test_a_conversion_that_is_tried_stays_while_a_profile_is_kept(window, qtbot, here, show, tmp_path, ink_profile):
    show(here["wide"], "working")
    window.benches.working.choose(2, "srgb")
    (tmp_path / "press.icc").write_bytes(ink_profile)
    window.actions_.dropped.take([tmp_path / "press.icc"])
    qtbot.waitUntil(lambda: "can be assigned" in window.model.messages.latest, timeout=60000)
    assert window.benches.working.verbs.checkedId() == 2
    assert [e.space for e in window.model.tried] == ["srgb"]
