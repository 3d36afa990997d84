"""Hand-off in the real window: destinations, what is known before, the run with pause, going on after a crash, receivers, receipt."""

import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel

from tests.app.doing import answered, open_shoot, wheel
from velkin.app.actions.dropped import sorted_drop
from velkin.app.benches import handoff as handoff_bench
from velkin.app.jobs.lanes import Lane
from velkin.app.main import settle
from velkin.app.model.places import Page
from velkin.app.words import time_left
from velkin.core.destinations.destination import Destination
from velkin.core.destinations.sizing import LONG, PRINT, long_edge
from velkin.core.files.picture import decode_picture
from velkin.core.handoff.jobs import plan_for
from velkin.core.handoff.journal import Journal
from velkin.core.icc.transform import Intent
from velkin.core.icc.write import matrix_profile
from velkin.core.shoot.shoot import Shoot
from velkin.core.spaces.rgb import SRGB
from velkin.sim.print_room import press_space

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def job(window, qtbot):
    window.actions_.open_stop("handoff")
    d = window.model.state.destinations[0]
    window.jobs.handoff.set_destination(replace(d, size=long_edge(300)))
    return window.jobs.handoff


@pytest.fixture
def room(window, job):
    window.actions_.handoff.destinations("web")
    return window.navigator.made(Page.DESTINATIONS)


def run(qtbot, window, job):
    with qtbot.waitSignal(job.ended, timeout=120000) as ended:
        window.actions_.handoff.start()
    settle(window, 90)
    return ended.args[0]


def web(window):
    return next(d for d in window.model.state.destinations if d.id == "web")


def pick(box, data):
    index = box.findData(data)
    assert index >= 0, data
    box.setCurrentIndex(index)
    box.activated.emit(index)


# ---- destinations -------------------------------------------------------------------------------------------------


def test_two_destinations_are_ticked_by_mouse_and_written_in_one_go(qtbot, window, job, ids):
    bench = window.benches.handoff
    assert list(bench.ticks) == ["web", "shade card"] and not bench.ticks["shade card"].isChecked()
    qtbot.mouseClick(bench.ticks["shade card"], LEFT, pos=QPoint(8, 10))
    assert [d.id for d in window.model.state.ticked()] == ["web", "shade card"]
    bench._which.button(2).setChecked(True)
    window.model.select(ids["north-0413"])
    assert bench.run_button.text() == "Hand off 1 frame to 2 destinations"
    assert "sRGB and Quill Lane" in bench.sentence.text()
    qtbot.waitUntil(lambda: any(c.kind == "outside" for c in job.concerns or ()), timeout=60000)
    with qtbot.waitSignal(job.ended, timeout=120000) as ended:
        qtbot.mouseClick(bench.run_button, LEFT)
    assert (ended.args[0].good, ended.args[0].failed) == (2, 0)
    folder = window.model.shoot.path.parent
    assert decode_picture(folder / "web" / "north-0413.jpg").model == "rgb"
    ink = decode_picture(folder / "quill lane" / "north-0413.tif")
    assert ink.model == "cmyk" and ink.numbers.shape[:2] == (1417, 2126)
    assert window.path_bar.buttons["handoff"].stop().detail == "2 files checked"
    assert bench._state.text() == "2 files written and checked"


def test_everything_of_a_destination_is_edited_in_its_room_and_undone(qtbot, window, room):
    before = web(window)
    pick(room.form.kind, "tiff")
    pick(room.form.bits, 16)
    assert (web(window).file.kind, web(window).file.bits) == ("tiff", 16) and not room.form.dither.isVisible()
    pick(room.form.kind, "jpeg")
    assert web(window).file.bits == 8, "what a format cannot hold is not kept"
    pick(room.form.size_kind, PRINT)
    room.form.print_wide.setValue(10.0)
    room.form.print_high.setValue(15.0)
    room.form.ppi.setValue(200)
    assert "787 px at 200 ppi" in room.sentence.text() or "1181 ×" in room.sentence.text()
    room.form.space.choose("oprgb")
    room.form.space.picked.emit(room.form.space.space())
    pick(room.form.keep, "none")
    assert not room.form.location.isEnabled()
    pick(room.form.existing, "skip")
    room.form.pattern.setText("{nn} {light}")
    room.form._edited()
    assert room.form.names.text().startswith("01 North window.jpg, 02 North window.jpg")
    d = web(window)
    assert (d.space_id, d.metadata.keep, d.existing, d.size.kind, d.size.ppi) == ("oprgb", "none", "skip", PRINT, 200)
    while web(window) != before:
        window.model.undo()
    assert room.form.size_kind.currentData() == LONG and room.form.pattern.text() == "{name}"


def test_starters_are_added_copied_and_taken_away(qtbot, window, room):
    room.add_starter("print room")
    assert room.destination().name == "Print room" and room.form.space.currentIndex() == -1
    assert "Choose the space" in room.sentence.text()
    window.jobs.spaces.changed.emit()
    room._fill()
    room.form.space.choose(press_space().id)
    room.form.space.picked.emit(room.form.space.space())
    assert room.destination().space_id == press_space().id and room.form.intent.isVisible()
    item = room.list.currentItem()
    item.setCheckState(Qt.CheckState.Checked)
    assert room.destination().ticked
    room._copy()
    assert [d.name for d in window.model.state.destinations][-2:] == ["Print room", "Print room 2"]
    room._remove()
    assert [d.name for d in window.model.state.destinations][-1] == "Print room"
    qtbot.keyClick(room.list, Qt.Key.Key_Escape)
    assert window.navigator.stack.currentIndex() == 0


def test_a_destination_without_a_profile_cannot_be_ticked(window, room):
    room.add_starter("print room")
    item = room.list.currentItem()
    item.setCheckState(Qt.CheckState.Checked)
    assert "no space or profile yet" in window.model.messages.latest
    assert not room.destination().ticked and room.list.currentItem().checkState() == Qt.CheckState.Unchecked


def test_destinations_are_saved_and_dropped_into_another_shoot(window, room, tmp_path):
    room.save_to(tmp_path / "ours")
    assert "ours.json was written" in window.model.messages.latest
    assert sorted_drop([tmp_path / "ours.json"], True).destinations == [tmp_path / "ours.json"]
    window.actions_.dropped.take([tmp_path / "ours.json"])
    assert [d.name for d in window.model.state.destinations] == [
        "Web sRGB",
        "Shade card, Quill Lane",
        "Web sRGB 2",
        "Shade card, Quill Lane 2",
    ]
    (tmp_path / "bad.json").write_text('{"kind": "Velkin destinations", ')
    window.actions_.dropped.take([tmp_path / "bad.json"])
    assert "bad.json" in window.model.messages.latest


def test_proof_shows_the_way_of_the_ticked_destination_and_never_overwrites_it(window, job):
    card = next(d for d in window.model.state.destinations if d.id == "shade card")
    job.set_destination(replace(web(window), ticked=False))
    job.set_destination(replace(card, ticked=True, intent=Intent.PERCEPTUAL, black_point=False))
    window.actions_.open_stop("proof")
    bench = window.benches.proof
    assert bench.intent.currentData() == Intent.PERCEPTUAL and not bench.black_point.isChecked()
    bench.choose("p3")
    bench.choose("")
    kept = next(d for d in window.model.state.destinations if d.id == "shade card")
    assert (kept.intent, kept.black_point) == (Intent.PERCEPTUAL, False)
    assert window.model.path().intent is Intent.PERCEPTUAL
    bench.black_point.click()
    assert next(d for d in window.model.state.destinations if d.id == "shade card").black_point


# ---- the run ------------------------------------------------------------------------------------------------------


def test_replacing_is_said_on_the_button_before_it_happens(qtbot, window, job, ids):
    bench = window.benches.handoff
    bench._which.button(2).setChecked(True)
    window.model.select(ids["north-0402"])
    assert run(qtbot, window, job).good == 1
    out = window.model.shoot.path.parent / "web" / "north-0402.jpg"
    first = out.stat().st_ino
    job.set_destination(replace(web(window), existing="replace"))
    job.concerns = ()  # as if it had not been looked yet
    job.start(bench.to_write(), bench._replaced())
    qtbot.waitUntil(lambda: not job.running, timeout=60000)
    assert "would be replaced" in window.model.messages.latest
    qtbot.waitUntil(lambda: bench.run_button.text() == "Replace 1 file and hand off", timeout=60000)
    assert run(qtbot, window, job).good == 1
    assert out.stat().st_ino != first and [p.name for p in out.parent.iterdir()] == ["north-0402.jpg"]


def test_a_run_is_paused_and_resumed_by_its_button(qtbot, window, job):
    bench = window.benches.handoff
    job.file.connect(lambda _: job.pause(True) if len(job.results) == 1 else None)
    window.actions_.handoff.start()
    qtbot.waitUntil(lambda: job.paused, timeout=60000)
    qtbot.wait(1500)
    there = len(job.results)
    assert there < 8 and bench._state.text() == "Paused" and bench.pause_button.text() == "Resume"
    with qtbot.waitSignal(job.ended, timeout=60000) as ended:
        qtbot.mouseClick(bench.pause_button, LEFT)
    assert ended.args[0].good == 8
    assert time_left(12) == "10 seconds" and time_left(130) == "2 minutes" and time_left(7300) == "2 hours 2 min"


def test_a_hand_off_interrupted_by_a_crash_can_be_resumed(qtbot, window, job):
    shoot, bench = window.model.shoot, window.benches.handoff
    Journal.begin(shoot.path, plan_for(shoot, shoot.state.order()[2:4], shoot.state.ticked()).jobs)
    path = shoot.path
    assert open_shoot(window, path)
    window.actions_.open_stop("handoff")
    assert bench._cut_off.isVisible() and bench._state.text() == "Interrupted"
    assert "0 of 2 files had their names" in bench._cut_off_words.text()
    with qtbot.waitSignal(job.ended, timeout=60000) as ended:
        qtbot.mouseClick(bench.resume_button, LEFT)
    assert ended.args[0].good == 2 and not bench._cut_off.isVisible()
    assert len(list((path.parent / "web").iterdir())) == 2


def test_what_failed_is_retried(qtbot, window, job, ids):
    bench = window.benches.handoff
    bench._which.button(2).setChecked(True)
    window.model.select(ids["north-0402"])
    shut = window.model.shoot.path.parent / "web"
    shut.write_bytes(b"a file where the folder should be")
    assert run(qtbot, window, job).failed == 1
    assert bench.retry_button.isVisible() and bench.retry_button.text() == "Retry the 1 that failed"
    shut.unlink()
    with qtbot.waitSignal(job.ended, timeout=60000) as ended:
        window.menu.by_name["Retry or resume the last hand-off"].trigger()
    assert ended.args[0].good == 1 and (shut / "north-0402.jpg").exists() and not bench.retry_button.isVisible()


def test_of_many_files_the_latest_are_listed_and_the_rest_is_counted(qtbot, window, job, monkeypatch):
    """All rows lie in one column that is as high as they are together, so that thousands of them would keep the hand waiting."""
    monkeypatch.setattr(handoff_bench, "_LISTED", 3)
    monkeypatch.setattr(handoff_bench, "_LISTED_FAILED", 2)
    bench = window.benches.handoff
    bench._which.button(1).setChecked(True)
    shut = window.model.shoot.path.parent / "web"
    shut.write_bytes(b"a file where the folder should be")
    failed = run(qtbot, window, job).failed
    assert failed == len(window.model.state.frames) > 5
    assert (bench.failures.count(), bench.successes.count()) == (2, 0)
    assert bench._more.text() == f"and {failed - 2} more that failed" and bench._more.isVisible()
    shut.unlink()
    with qtbot.waitSignal(job.ended, timeout=120000) as ended:
        qtbot.mouseClick(bench.retry_button, LEFT)
    assert ended.args[0].good == failed
    assert (bench.failures.count(), bench.successes.count()) == (0, 3)
    assert bench._more.text() == f"and {failed - 3} more, checked"
    assert bench.successes.row(0).name == job.results[-1].job.out.name


def test_what_was_written_is_gone_through_with_the_keys_dragged_copied_and_its_frame_chosen(qtbot, window, job, ids):
    bench = window.benches.handoff
    bench._which.button(1).setChecked(True)
    run(qtbot, window, job)
    files, bar = bench.successes, bench.scroller.verticalScrollBar()
    assert files.height() == sum(files.height_of(n) for n in range(files.count())) > bench.scroller.height()
    files.setFocus()
    qtbot.keyClick(files, Qt.Key.Key_Home)
    assert files.currentIndex().row() == 0 and bar.value() < 100
    qtbot.keyClick(files, Qt.Key.Key_End)
    assert files.currentIndex().row() == files.count() - 1
    seen = files.visibleRegion().boundingRect()
    assert seen.contains(files.visualRect(files.currentIndex()).center()), "the column comes after the keys"
    last = files.row(files.count() - 1)
    qtbot.keyClick(files, Qt.Key.Key_Return)
    assert window.model.current == ids[Path(last.name).stem] == last.frame
    index = files.currentIndex()
    data = files.model().mimeData([index])
    assert [url.toLocalFile() for url in data.urls()] == [str(last.file)] and last.file.exists()
    assert files.model().flags(index) & Qt.ItemFlag.ItemIsDragEnabled
    qtbot.keyClick(files, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    copied = QApplication.clipboard().text().splitlines()
    assert copied == [f"{files.row(n).name}: {files.row(n).words}" for n in range(files.count())]
    before = bar.value()
    wheel(files.viewport(), QPointF(seen.center()), 120)
    assert bar.value() < before, "the wheel scrolls the bench over it too"


def test_a_narrower_bench_wraps_what_is_said_of_files(qtbot, window, job):
    bench = window.benches.handoff
    run(qtbot, window, job)
    files = bench.successes
    before, high = files.width(), files.height()
    files.setFixedWidth(before // 2)
    qtbot.waitUntil(lambda: files.height() > high)
    assert files.height() == sum(files.height_of(n) for n in range(files.count()))
    files.setFixedWidth(before)
    qtbot.waitUntil(lambda: files.height() == high)


def test_nothing_is_listed_while_another_bench_is_seen_and_all_of_it_when_this_one_is(qtbot, window, job):
    bench, meanwhile = window.benches.handoff, []
    bench._which.button(1).setChecked(True)
    job.file.connect(lambda done: meanwhile.append((bench.isVisible(), bench.successes.count())))
    with qtbot.waitSignal(job.ended, timeout=120000):
        window.actions_.handoff.start()
        window.actions_.open_stop("camera")
        qtbot.waitUntil(lambda: len(meanwhile) > 3, timeout=60000)
        job.pause(True)  # so that it does not end meanwhile
        qtbot.wait(600)  # longer than from one word of the run to the next
        assert set(meanwhile) == {(False, 0)} and bench.successes.count() == 0
        done = len(job.results)
        window.actions_.open_stop("handoff")
        assert bench.successes.count() >= done > 3
        job.pause(False)
    assert bench.successes.count() == len(window.model.state.frames)


def test_until_it_was_looked_nothing_is_offered_and_that_it_looks_is_said(qtbot, window, monkeypatch):
    monkeypatch.setattr(window.jobs.handoff, "_look", lambda: None)
    window.actions_.open_stop("handoff")
    bench = window.benches.handoff
    assert bench._concerns_state.isVisible() and "Looking at sources" in bench._concerns_state.text()
    assert not bench.use_changed.isVisible() and not bench.concerns.isVisible()


def test_a_changed_source_is_asked_about(qtbot, window, job, ids, tmp_path):
    frame = window.model.state.frames[ids["north-0402"]]
    copy = tmp_path / "moved.dng"
    copy.write_bytes(frame.path.read_bytes())
    window.jobs.command(lambda s: s.frames.relocate(frame.id, copy))
    window.jobs.watching.stop()  # it would be noticed, and followed, before it is asked about
    with copy.open("ab") as stream:
        stream.write(b"\0")
    bench = window.benches.handoff
    bench._which.button(2).setChecked(True)
    window.model.select(frame.id)
    qtbot.waitUntil(lambda: any(c.kind == "changed" for c in job.concerns or ()), timeout=60000)
    assert bench.use_changed.isVisible() and not bench.use_changed.isChecked()
    assert run(qtbot, window, job).failed == 1
    bench.use_changed.click()
    qtbot.waitUntil(lambda: any("as it is now" in c.then for c in job.concerns or ()), timeout=60000)
    assert run(qtbot, window, job).good == 1


# ---- afterwards ---------------------------------------------------------------------------------------------------


def test_receivers_are_looked_at_and_a_print_comes_back(qtbot, window, job, ids):
    bench = window.benches.handoff
    bench._which.button(2).setChecked(True)
    window.model.select(ids["north-0413"])
    qtbot.keyClick(window.view, Qt.Key.Key_E)
    room = window.navigator.made(Page.RECEIVERS)
    assert window.navigator.room is room and "Hand off first" in room.sheet.words
    room.leave()
    job.set_destination(replace(web(window), space_id="romm"))
    assert run(qtbot, window, job).good == 1
    qtbot.keyClick(window.view, Qt.Key.Key_E)
    qtbot.waitUntil(lambda: len(room.views) == 4, timeout=60000)
    words = {v.id: v.words for v in room.views}
    assert words["ignoring"] == "Looks dull where tags are ignored: this file is ROMM RGB."
    assert room.sheet.cells[-1].name == "2 receivers of 4 see something else"
    assert "Looks dull" in room.sheet.accessibleDescription()
    qtbot.mouseClick(room.print_button, LEFT)
    qtbot.waitUntil(lambda: "Quill Lane printed north-0413.jpg" in window.model.messages.latest, timeout=60000)
    assert list((window.model.shoot.path.parent / "Quill Lane (simulated)" / "prints").iterdir())
    qtbot.keyClick(room.file, Qt.Key.Key_Escape)
    assert window.navigator.stack.currentIndex() == 0


@pytest.mark.parametrize("suffix", [".html", ".pdf", ""])
def test_a_receipt_is_written(qtbot, window, job, ids, monkeypatch, tmp_path, suffix):
    bench = window.benches.handoff
    out = tmp_path / f"receipt{suffix}"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(out), ""))
    window.actions_.handoff.receipt()
    assert "Nothing was handed off" in window.model.messages.latest
    bench._which.button(2).setChecked(True)
    window.model.select(ids["north-0402"])
    assert run(qtbot, window, job).good == 1
    assert bench.receipt_button.isVisible()
    qtbot.mouseClick(bench.receipt_button, LEFT)
    qtbot.waitUntil(lambda: "The receipt was written" in window.model.messages.latest, timeout=60000)
    made = out if suffix else Path(f"{out}.html")
    assert made.read_bytes()[:5] == (b"%PDF-" if suffix == ".pdf" else b"<!doc")


def test_a_profile_that_is_gone_is_said_and_does_not_stop_the_rest(qtbot, window, job, ids):
    shoot = window.model.shoot
    card = next(d for d in shoot.state.destinations if d.id == "shade card")
    job.set_destination(replace(card, ticked=True))
    shoot.close()
    kept = Shoot.open(shoot.path)
    with kept._store.step("lose the profile"):
        kept._store.run("DELETE FROM spaces")
    path = kept.path
    kept.close()
    assert open_shoot(window, path)
    window.actions_.open_stop("handoff")
    window.actions_.handoff.start()
    qtbot.waitUntil(lambda: not job.running, timeout=60000)
    assert "not known any more" in window.model.messages.latest
    assert any("Its profile is gone" in label.text() for label in window.benches.handoff.findChildren(QLabel))
    window.benches.handoff.ticks["shade card"].setChecked(False)
    window.benches.handoff._which.button(2).setChecked(True)
    window.model.select(ids["north-0402"])
    assert run(qtbot, window, job).good == 1


def test_looking_at_slow_folders_can_be_cancelled_and_nothing_is_written(qtbot, monkeypatch, window, job):
    """Folders on a disk that answers slowly: each name is waited for, and the window is free meanwhile."""
    asked = []

    def slow(d, home):
        asked.append(d.name)
        time.sleep(0.2)
        return home / d.folder

    qtbot.waitUntil(lambda: job.concerns is not None, timeout=60000)
    monkeypatch.setattr(Destination, "folder_beside", slow)
    qtbot.mouseClick(window.benches.handoff.run_button, LEFT)
    qtbot.waitUntil(lambda: len(asked) == 2, timeout=60000)
    assert [j.name for j in window.lanes.shown()] == ["Looking at folders and names"]
    qtbot.mouseClick(window.status.work.cancel, LEFT)
    qtbot.waitUntil(lambda: not job.running, timeout=60000)
    assert len(asked) <= 3, "it goes on no further than the name it is at"
    assert "cancelled before it began" in window.model.messages.latest
    assert window.model.shoot.handoffs.runs() == []
    monkeypatch.undo()
    assert run(qtbot, window, job).good == 8


def test_closing_asks_while_files_are_written_and_the_rest_can_be_resumed_later(qtbot, window, job):
    path = window.model.shoot.path
    asked = []
    with answered("Go on writing", asked):
        with qtbot.waitSignal(job.file, timeout=60000):
            window.actions_.handoff.start()
        assert not window.close() and window.isVisible() and job.running
    assert "not written yet" in asked[0]
    with answered("Close after the files begun", asked):
        assert window.close()
    assert len(asked) == 2
    qtbot.waitUntil(lambda: window.model.shoot is None, timeout=60000)
    web = path.parent / "web"  # the files begun are finished, or gone, behind the window that has closed
    qtbot.waitUntil(lambda: not [p for p in web.iterdir() if p.name.startswith(".")], timeout=60000)
    kept = Shoot.open(path)
    run_left = kept.handoffs.interrupted()
    assert run_left is not None and 1 <= sum(f.state == "written" for f in run_left.files) < 8
    kept.close()


def test_other_work_is_not_kept_waiting_by_a_run(qtbot, window, job, ids):
    with qtbot.waitSignal(job.started, timeout=60000):
        window.actions_.handoff.start()
    seen = []
    window.lanes.start(Lane.HAND, lambda job: "at once", seen.append)
    qtbot.waitUntil(lambda: seen == ["at once"], timeout=60000)
    assert job.running
    with qtbot.waitSignal(job.ended, timeout=60000):
        window.lanes.cancel_all()


def test_transparency_is_offered_where_files_can_hold_it(window, room):
    form = room.form
    assert not form.transparency.isVisible(), "a JPEG holds none"
    pick(form.kind, "png")
    assert form.transparency.isVisible() and form.transparency.isChecked()
    form.transparency.click()
    assert not web(window).file.transparency
    window.model.undo()
    assert web(window).file.transparency and form.transparency.isChecked()
    room.list.setCurrentRow(1)
    assert not form.transparency.isVisible(), "inks neither"


def test_what_was_looked_at_is_not_looked_at_again_when_another_frame_is_chosen(qtbot, window, ids, monkeypatch):
    bench, looked = window.benches.handoff, []
    window.actions_.open_stop("handoff")
    monkeypatch.setattr(window.jobs.handoff, "look", looked.append)
    window.model.select(ids["north-0413"])
    assert looked == [], "all frames are written, whichever is chosen"
    bench._which.button(2).setChecked(True)
    window.model.select(ids["north-0412"])
    assert looked == [(ids["north-0413"],), (ids["north-0412"],)]


def test_a_picture_that_is_in_the_destinations_space_is_said_to_stay_so(qtbot, window, tmp_path):
    Image.fromarray(np.full((40, 60, 3), 90, np.uint8)).save(tmp_path / "web.png", icc_profile=matrix_profile(SRGB))
    window.actions_.dropped.take([tmp_path / "web.png"])
    qtbot.waitUntil(lambda: "web" in {f.name for f in window.model.state.frames.values()}, timeout=60000)
    window.actions_.open_stop("handoff")
    bench = window.benches.handoff
    assert "numbers change to sRGB" in bench.sentence.text(), "the raw frames are converted"
    bench._which.button(2).setChecked(True)
    window.model.select(next(f.id for f in window.model.state.frames.values() if f.name == "web"))
    assert "sRGB already stays so" in bench.sentence.text()
