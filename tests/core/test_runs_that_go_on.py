"""Runs are remembered: what was written and how it was checked, and where to go on after a crash; concerns; receipts."""

import json
import os
import random
import shutil
import signal
import subprocess
import sys
import time
from dataclasses import replace
from html.parser import HTMLParser
from io import BytesIO

import pytest
from PIL import Image

from velkin.core.destinations.destination import FileFormat
from velkin.core.destinations.destination_file import destination_from_data, from_file, to_file_text
from velkin.core.destinations.sizing import PRINT, Size, long_edge
from velkin.core.destinations.starters import STARTERS
from velkin.core.errors import ShootError, UnreadableFile
from velkin.core.files.kinds import SUFFIXES
from velkin.core.files.picture import decode_picture
from velkin.core.handoff.jobs import plan_for
from velkin.core.handoff.journal import Journal, close_account, jobs_left
from velkin.core.handoff.preflight import concerns_of
from velkin.core.handoff.receipt import receipt_of, with_pictures
from velkin.core.handoff.receipt_page import as_html, spoken_time
from velkin.core.handoff.receipt_paper import as_pdf
from velkin.core.handoff.run import run
from velkin.core.icc.transform import Intent
from velkin.core.shoot.process import identity_of
from velkin.core.shoot.shoot import Shoot
from velkin.sim.print_room import press_space


@pytest.fixture
def shoot(demo_shoot):
    opened = Shoot.open(demo_shoot)
    web = opened.state.destinations[0]
    opened.destinations.set_destination(replace(web, size=long_edge(240), pattern="{name}"))
    yield opened
    opened.close()


def handed(shoot, frames, destinations=None):
    """A whole run with its account; its number."""
    jobs = plan_for(shoot, frames, destinations or shoot.state.ticked()).jobs
    journal = Journal.begin(shoot.path, jobs)
    done = list(run(jobs, journal=journal))
    journal.end()
    assert journal.trouble == "" and len(done) == len(jobs)
    return journal.run


def test_what_was_written_is_remembered_with_its_check(shoot):
    frames = shoot.state.order()[2:4]
    number = handed(shoot, frames)
    kept = shoot.handoffs.run_with_files(number)
    assert (kept.how, [f.state for f in kept.files]) == ("done", ["written", "written"]) and not kept.interrupted
    for w in shoot.handoffs.written(run=number):
        assert w.ok and w.path.exists() and w.state == shoot.state.fingerprint(w.frame, shoot.state.destinations[0])
        assert w.details.space == "sRGB" and (w.details.width, w.details.height) == (240, 160)
        assert w.details.bytes == w.path.stat().st_size
        assert {about for about, ok, _ in w.details.checks if ok} >= {"Tag", "Pixels", "Size", "Exif", "Compression", "Colours"}
    shoot.undo()
    assert len(shoot.handoffs.written()) == 2, "what is on the disk is no decision"


def test_goes_on_where_it_was_cut_off(shoot):
    frames = shoot.state.order()[2:6]
    jobs = plan_for(shoot, frames, shoot.state.ticked()).jobs
    journal = Journal.begin(shoot.path, jobs)
    done = []
    # the first is finished; the second is named in the moment of the crash; the third is half written
    for job in jobs[:2]:
        done += list(run([job], journal=_Until(journal, job is jobs[1])))
    folder = jobs[0].out.parent
    (folder / f".{jobs[2].out.name}.abc{journal.token}.part").write_bytes(b"half")
    (folder / jobs[3].out.name).write_bytes(b"somebody else's")
    kept = shoot.handoffs.interrupted()
    assert [f.state for f in kept.files] == ["written", "naming", "waiting", "waiting"]
    again, finished = jobs_left(shoot.state, kept)
    assert [f.frame for f in finished] == list(frames[:2])
    assert [j.out.name for j in again] == [jobs[2].out.name, jobs[3].out.stem + "-2.jpg"], "what another put there stays"
    assert not list(folder.glob(".*.part"))
    close_account(shoot.path, kept, finished)
    assert shoot.handoffs.interrupted() is None and [w.frame for w in shoot.handoffs.written() if w.ok] == list(frames[:2])


class _Until:
    """An account that stops being kept after a file was about to get its name."""

    def __init__(self, journal, stops):
        self.token, self._journal, self._stops = journal.token, journal, stops

    def naming(self, job, mark):
        self._journal.naming(job, mark)

    def done(self, done):
        if not self._stops:
            self._journal.done(done)


def test_a_run_of_a_living_program_is_not_taken_for_cut_off(shoot):
    jobs = plan_for(shoot, shoot.state.order()[:1], shoot.state.ticked()).jobs
    Journal.begin(shoot.path, jobs)
    assert shoot.handoffs.interrupted() is not None
    shoot.handoffs.give_up(shoot.handoffs.runs()[0].id)
    assert shoot.handoffs.interrupted() is None
    journal = Journal.begin(shoot.path, jobs)
    other = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)"])
    try:
        alive = identity_of(other.pid)
        for keeper, cut_off in ((alive, False), (alive.replace(" ", " 1", 1), True), ("", True)):
            with shoot._store.plain():
                shoot._store.run("UPDATE runs SET process = ? WHERE id = ?", keeper, journal.run)
            assert (shoot.handoffs.interrupted() is not None) == cut_off, "a later process with its number is another"
        with shoot._store.plain():
            shoot._store.run("UPDATE runs SET process = ? WHERE id = ?", alive, journal.run)
    finally:
        other.kill()
        other.wait()
    assert shoot.handoffs.interrupted() is not None
    with pytest.raises(ShootError):
        shoot.handoffs.run_with_files(99)


@pytest.mark.parametrize("seed", [1, 2, 3, 4])
def test_killed_at_a_random_moment_nothing_is_partial_and_the_rest_is_written(demo_shoot, tmp_path, seed):
    """The command line's hand-off is killed (-9) and gone on with; the bench does this twenty times."""
    shoot = Shoot.open(demo_shoot)
    web = shoot.state.destinations[0]
    shoot.destinations.set_destination(replace(web, size=long_edge(900)))
    names = [f.name for f in shoot.state.frames.values()]
    shoot.close()
    out = tmp_path / "out"

    def start(*words):
        code = f"import sys; from velkin.cli import main; sys.exit(main({['handoff', str(demo_shoot), '--json', *words]!r}))"
        return subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)

    process = start("--to", "web", "--out", str(out), "--frames", *names)
    deadline = time.monotonic() + 60
    while not list(out.glob("*.jpg")) and process.poll() is None and time.monotonic() < deadline:
        time.sleep(0.01)
    time.sleep(random.Random(seed).uniform(0.0, 1.2))
    process.send_signal(signal.SIGKILL)
    process.communicate()
    there = sorted(out.glob("*.jpg"))
    assert there, "killed after the first file"
    for path in there:
        assert decode_picture(path).numbers.shape == (600, 900, 3)
    again = start("--resume")
    document = json.loads(again.communicate()[0])
    assert again.returncode == 0 and all(w["check"] == "ok" for w in document["written"])
    assert document["finished_before"] + len(document["written"]) == 12
    assert len(list(out.iterdir())) == 12, "no second copy, nothing hidden left"
    shoot = Shoot.open(demo_shoot)
    assert {w.frame for w in shoot.handoffs.written() if w.ok} == set(
        shoot.state.order()
    ) and shoot.handoffs.interrupted() is None
    shoot.close()


# ---- before the start ---------------------------------------------------------------------------------------------


def concerns(shoot, frames, **more):
    plan = plan_for(shoot, frames, shoot.state.ticked(), changed_too=more.get("changed_too", False))
    return {c.kind: c for c in concerns_of(shoot.state, plan, **more)}


def test_what_is_not_settled_is_named_with_what_will_happen(shoot, tmp_path):
    frames = shoot.state.order()[2:6]
    assert concerns(shoot, frames) == {}
    names = [shoot.state.frames[f].name for f in frames]
    sources = []
    for f in frames[:2]:
        copy = tmp_path / f"{shoot.state.frames[f].name}.dng"
        shutil.copyfile(shoot.state.frames[f].path, copy)
        shoot.frames.relocate(f, copy)
        sources.append(copy)
    sources[0].unlink()
    with sources[1].open("ab") as stream:
        stream.write(b"\0")
    found = concerns(shoot, frames, share_outside=lambda f, d: 0.4 if f == frames[3] else 0.01)
    assert found["missing"].what == f"The source of {names[0]} is not there." and found["missing"].frames == (frames[0],)
    assert "changed since it came in" in found["changed"].what and "Not written" in found["changed"].then
    assert found["outside"].frames == (frames[3],) and "about 40 %" in found["outside"].what
    assert "as it is now" in concerns(shoot, frames, changed_too=True)["changed"].then
    done = {d.job.frame: d for d in run(plan_for(shoot, frames[:2], shoot.state.ticked()).jobs)}
    assert "not there" in done[frames[0]].error and "changed" in done[frames[1]].error
    (used,) = run(plan_for(shoot, frames[1:2], shoot.state.ticked(), changed_too=True).jobs)
    assert used.ok


def test_files_in_the_way_folders_that_take_none_and_prints_of_few_pixels_are_named(shoot, tmp_path):
    frames = shoot.state.order()[2:4]
    handed(shoot, frames)
    web = shoot.state.destinations[0]
    shoot.destinations.set_destination(replace(web, existing="replace"))
    assert concerns(shoot, frames)["replaces"].frames == frames or len(concerns(shoot, frames)["replaces"].frames) == 2
    shoot.destinations.set_destination(replace(web, existing="skip"))
    assert concerns(shoot, frames)["skips"].then == "Left as they are."
    (tmp_path / "a file").write_bytes(b"")
    shoot.destinations.set_destination(
        replace(web, folder=str(tmp_path / "a file" / "x"), size=Size(PRINT, print_width=90, print_height=60))
    )
    found = concerns(shoot, frames)
    assert "takes no files" in found["folder"].what and "will fail" in found["folder"].then
    assert "only 68 ppi" in found["few"].what


# ---- destinations in the shoot and as files -----------------------------------------------------------------------


def test_destinations_are_added_changed_and_taken_away_and_all_of_it_is_undone(shoot):
    press = press_space()
    shoot.destinations.remove_destination("shade card")
    made = shoot.destinations.add_destinations([(STARTERS["print room"], None), (replace(STARTERS["web"], folder="b"), None)])
    assert made == ["print room", "web-2"]
    state = shoot.state
    assert [d.name for d in state.destinations] == ["Web sRGB", "Print room", "Web sRGB 2"]
    room = state.destinations[1]
    assert not room.ticked, "it has no profile yet"
    shoot.destinations.set_destination(replace(room, space_id=press.id, ticked=True), press)
    path = shoot.state.toward_destination(shoot.state.order()[0], shoot.state.destinations[1])
    assert path.destination == press
    shoot.easing.set_goal(None, Intent.PERCEPTUAL, False)
    assert shoot.state.destinations[0].intent is Intent.PERCEPTUAL, "what is proofed is what is written"
    assert shoot.state.path(shoot.state.order()[0]).intent is Intent.PERCEPTUAL
    shoot.destinations.remove_destination("web-2")
    for _ in range(5):
        shoot.undo()
    assert [d.id for d in shoot.state.destinations] == ["web", "shade card"] and shoot.state.destinations[
        0
    ].intent is Intent.RELATIVE
    shoot.destinations.remove_destination("shade card")
    with pytest.raises(ShootError, match="at least one"):
        shoot.destinations.remove_destination("web")


def test_destinations_travel_as_a_file_with_the_profile_they_need(shoot, tmp_path):
    press = press_space()
    d = replace(STARTERS["print room"], space_id=press.id, file=FileFormat("tiff", 16, compression="lzw"))
    path = tmp_path / "d.json"
    path.write_text(to_file_text([(d, press), (STARTERS["archive"], None)]), encoding="utf-8")
    pairs = from_file(path)
    assert [p[0] for p in pairs] == [d, STARTERS["archive"]] and pairs[0][1] == press and pairs[1][1] is None
    shoot.destinations.add_destinations(pairs)
    assert shoot.state.known_space(press.id) == press


@pytest.mark.parametrize(
    "text",
    ["", "[]", "{}", '{"kind": "Velkin destinations", "version": 2, "destinations": []}', "\x00" * 40]
    + [
        f'{{"kind": "Velkin destinations", "version": 1, "destinations": [{row}]}}'
        for row in ("1", "{}", '{"id": "x"}', '{"long_edge": "a", "quality": 1}')
    ]
    + ['{"kind": "Velkin destinations", "version": 1, "destinations": [' + "[" * 5000],
)
def test_files_that_hold_no_destinations_are_refused(tmp_path, text):
    path = tmp_path / "d.json"
    path.write_text(text)
    with pytest.raises(UnreadableFile):
        from_file(path)


def test_destinations_of_earlier_shoots_are_read():
    old = {
        "id": "web",
        "name": "Web sRGB",
        "space_id": "p3",
        "folder": "w",
        "long_edge": 900,
        "quality": 80,
        "pattern": "{n}",
        "ticked": False,
    }
    d = destination_from_data(old)
    assert (d.space_id, d.size.long_edge, d.file.kind, d.file.quality, d.ticked) == ("p3", 900, "jpeg", 80, False)
    assert destination_from_data({**old, "long_edge": 0}).size.kind == "full"


# ---- receipts -----------------------------------------------------------------------------------------------------


class _Page(HTMLParser):
    def __init__(self):
        super().__init__()
        self.text, self.sources, self.tags = "", [], []

    def handle_starttag(self, tag, attributes):
        self.tags.append(tag)
        self.sources += [v for k, v in attributes if k in ("src", "href")]

    def handle_data(self, data):
        self.text += data + " "


def test_a_receipt_tells_what_was_sent_and_stands_alone(shoot):
    frames = shoot.state.order()[2:4]
    shoot.destinations.set_destination(replace(shoot.state.destinations[0], name="Web <sRGB> & more"))
    run_number = handed(shoot, frames)
    receipt = with_pictures(receipt_of(shoot, run_number))
    assert receipt.good == 2 and receipt.summary().startswith("2 files, each read back")
    with Image.open(BytesIO(receipt.lines[0].picture)) as picture:
        assert max(picture.size) == 220
    page = _Page()
    page.feed(as_html(receipt))
    assert all(s.startswith("data:image/jpeg;base64,") for s in page.sources) and len(page.sources) == 2
    assert "script" not in page.tags and "link" not in page.tags
    for words in ("Web <sRGB> & more", "sRGB, embedded as an ICC profile", "240 × 160 px", "of the proof", "North window"):
        assert words in page.text
    pdf = as_pdf(receipt)
    assert pdf.startswith(b"%PDF") and pdf.count(b"/Subtype /Image") == 2 and b"FontFile2" in pdf


def test_a_receipt_says_what_failed_and_does_without_files_that_are_gone(shoot, tmp_path):
    frames = shoot.state.order()[2:4]
    f = shoot.state.frames[frames[1]]
    copy = tmp_path / f.path.name
    shutil.copyfile(f.path, copy)
    shoot.frames.relocate(f.id, copy)
    copy.unlink()
    number = handed(shoot, frames)
    shoot.handoffs.written(run=number)[0].path.unlink()
    receipt = with_pictures(receipt_of(shoot, number))
    assert [line.ok for line in receipt.lines] == [True, False] and receipt.lines[0].picture == b""
    assert "1 of 2 files" in receipt.summary() and "not there" in receipt.lines[1].finding
    assert "NOT handed off" in as_html(receipt) and as_pdf(receipt).startswith(b"%PDF")
    jobs = plan_for(shoot, frames, shoot.state.ticked()).jobs
    with pytest.raises(ShootError, match="nothing was written"):
        receipt_of(shoot, Journal.begin(shoot.path, jobs).run)
    assert spoken_time("2026-03-07T09:05:00+01:00") == "7 March 2026, 09:05" and spoken_time("?") == "?"


def test_every_format_has_its_suffix():
    assert set(SUFFIXES.values()) == {".jpg", ".png", ".tif", ".webp", ".avif", ".jxl", ".ora"} and os.sep == "/"
