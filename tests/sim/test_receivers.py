"""Stand-in receivers: what they do to files, what they say, and that they are what they claim."""

import urllib.error
import urllib.request
from dataclasses import replace
from io import BytesIO

import numpy as np
import pytest
from PIL import Image

from velkin.core.destinations.destination import FileFormat
from velkin.core.destinations.sizing import EXACT, WHITE, Size, fitted, long_edge
from velkin.core.destinations.starters import web_srgb
from velkin.core.errors import UnreadableFile
from velkin.core.files.coding import Coding
from velkin.core.files.encode import encode_numbers
from velkin.core.files.picture import Picture, decode_picture
from velkin.core.files.raw import levels, read_facts
from velkin.core.handoff.write import hand_off_frame
from velkin.core.icc.space import plain_ink, profile_of, space_of
from velkin.core.icc.transform import to_lab
from velkin.core.path import path_of
from velkin.core.sources import Levels
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import OPRGB, ROMM, SRGB
from velkin.core.stages.camera import built_in_stage
from velkin.sim.press import press_profile, printed_lab, printed_xyz
from velkin.sim.print_room import RGB_NAME, driver, press_space, printed, publish, refusal, rgb_printer_profile, take
from velkin.sim.receivers import master_of, views_of
from velkin.sim.web_service import Service


def written(path, space, codes=None, kind="tiff", **coding):
    rgb = np.full((60, 90, 3), (200, 90, 40), dtype=np.uint8) if codes is None else codes
    model = space.model if space is not None else "rgb"
    icc = profile_of(space) if space is not None else None
    path.write_bytes(encode_numbers(Picture(rgb, None, model), kind, icc, family="", source=None, coding=Coding(**coding)).data)
    return path


# ---- the web service ----------------------------------------------------------------------------------------------


def test_the_service_strips_resizes_and_recompresses_the_same_each_time(tmp_path):
    rng = np.random.default_rng(1)
    codes = np.kron(rng.integers(0, 256, (30, 40, 3)), np.ones((50, 50, 1))).astype(np.uint8)
    data = written(tmp_path / "a.jpg", OPRGB, codes, "jpeg").read_bytes()
    service = Service(longest=800)
    made = service.processed(data)
    assert made == service.processed(data)
    with Image.open(BytesIO(made)) as picture:
        assert (picture.size, picture.format, picture.mode) == ((800, 600), "JPEG", "RGB")
        assert "icc_profile" not in picture.info and "exif" not in picture.info
        back = np.asarray(picture).astype(float)
    middle = codes[25::50, 25::50].astype(float)
    assert np.abs(back[10::20, 10::20] - middle).mean() < 12, "the numbers stay, whatever they meant"
    with pytest.raises(UnreadableFile):
        service.processed(b"no picture")


def test_the_service_answers_on_loopback_only_and_refuses_nonsense(tmp_path):
    data = written(tmp_path / "a.jpg", SRGB, kind="jpeg").read_bytes()
    with Service().served() as address:
        assert address.startswith("http://127.0.0.1:")
        request = urllib.request.Request(address + "/pictures", data=data, method="POST")
        with urllib.request.urlopen(request) as answer:
            place = answer.read().decode()
            assert answer.status == 201
        with urllib.request.urlopen(address + place) as answer:
            assert answer.read() == Service().processed(data)
        for url, body in (
            (address + "/pictures", b"nonsense"),
            (address + "/elsewhere", data),
            (address + "/pictures/9.jpg", None),
        ):
            with pytest.raises(urllib.error.HTTPError):
                urllib.request.urlopen(urllib.request.Request(url, data=body))
    made = Service().take_folder(tmp_path, tmp_path / "out")
    assert [p.name for p in made] == ["a.jpg"]


# ---- the print room -----------------------------------------------------------------------------------------------


def test_the_print_room_publishes_profiles_that_say_what_it_prints(tmp_path):
    names = [p.name for p in publish(tmp_path)]
    assert len(names) == 3 and publish(tmp_path) and f"{RGB_NAME}.icc" in names
    rgb = np.random.default_rng(2).random((500, 3))
    off = ciede2000(to_lab(rgb, rgb_printer_profile(), "rgb"), printed_lab(driver(rgb)))
    assert off.mean() < 0.05 and off.max() < 0.5
    ink = np.random.default_rng(3).random((500, 4))
    for version in (2, 4):
        assert ciede2000(to_lab(ink, press_profile(version), "cmyk"), printed_lab(ink)).mean() < 0.3
    assert space_of(rgb_printer_profile()).kind == "output" and rgb_printer_profile()[8] == 2


def test_wrong_files_are_refused_with_a_note_and_right_ones_come_back_as_a_scan(tmp_path):
    inbox, prints = tmp_path / "in", tmp_path / "prints"
    inbox.mkdir()
    ink = np.full((60, 90, 4), (0, 180, 120, 20), dtype=np.uint8)
    written(inbox / "right.tif", press_space(), ink, ppi=300.0)
    written(inbox / "rgb.jpg", SRGB, kind="jpeg")
    written(inbox / "untagged.tif", None)
    written(inbox / "other press.tif", plain_ink(), ink)
    written(inbox / "small.tif", SRGB, ppi=72.0)
    written(inbox / "web.png", SRGB, kind="png")
    (inbox / "broken.tif").write_bytes(b"II*\0 broken")
    tickets = {t.file.name: t for t in take(inbox, prints)}
    assert {n for n, t in tickets.items() if not t.refused} == {"right.tif", "rgb.jpg"}
    for name, words in (
        ("untagged.tif", "no embedded profile"), ("other press.tif", "another press"), ("small.tif", "72 pixels per inch"),
        ("web.png", "TIFF or JPEG"), ("broken.tif", "cannot be read"),
    ):  # fmt: skip
        assert words in tickets[name].refused
        assert words in (inbox / f"{name} refused.txt").read_text()
    scan = decode_picture(tickets["right.tif"].scan).numbers
    seen = xyz_to_lab(ROMM.decode(scan[30, 45] / 65535) @ ROMM.to_xyz.T)
    truth = xyz_to_lab(printed_xyz(ink[:1, 0] / 255.0)[0])
    assert ciede2000(seen[None], truth[None])[0] < 0.2
    assert len(list(take(inbox, prints))) == 7, "notes are not printed"


# ---- what receivers see -------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def frame(chart_dng):
    path = path_of(built_in_stage(read_facts(chart_dng)), ROMM, SRGB)
    return chart_dng, levels(chart_dng), path


def views(frame, tmp_path, space, file, size=None):
    source, pixels, path = frame
    d = replace(web_srgb(), size=size or long_edge(0), file=file)
    out = tmp_path / f"x.{file.kind}"
    assert hand_off_frame(source, lambda: Levels(pixels), path.led_to(space), d, out).check.ok
    master = master_of(pixels, path, fitted(d.size, pixels.shape[1], pixels.shape[0]))
    return {v.id: v for v in views_of(out, master)}, master


def test_a_wide_file_is_right_only_for_those_who_heed_its_tag(frame, tmp_path):
    seen, _ = views(frame, tmp_path, ROMM, FileFormat("tiff", 16))
    assert seen["managed"].mean < 0.05 and seen["managed"].words == "As you see it."
    assert seen["ignoring"].mean > 4 and seen["ignoring"].chroma < 0.8 and seen["ignoring"].warning
    assert seen["ignoring"].words == "Looks dull where tags are ignored: this file is ROMM RGB."
    assert seen["service"].warning and "dull there" in seen["service"].words


def test_an_srgb_file_is_the_same_for_everybody_on_a_screen(frame, tmp_path):
    seen, _ = views(frame, tmp_path, SRGB, FileFormat("jpeg", quality=98))
    assert abs(seen["managed"].mean - seen["ignoring"].mean) < 0.02
    assert not seen["ignoring"].warning and not seen["service"].warning
    assert seen["press"].chroma < 1.0 and "paper" in seen["press"].words


def test_inks_are_wrong_without_their_profile_and_other_formats_are_refused(frame, tmp_path):
    seen, master = views(frame, tmp_path, press_space(), FileFormat("tiff"), Size(EXACT, width=400, height=400, fill=WHITE))
    assert master.shape[:2] == (400, 400) and np.allclose(master[:40], 1.0)
    assert seen["ignoring"].warning and seen["ignoring"].mean > 2 * seen["managed"].mean
    assert seen["press"].mean < 6
    seen, _ = views(frame, tmp_path, SRGB, FileFormat("avif"))
    assert seen["service"].words.startswith("Refused") and seen["press"].words.startswith("Refused")
    assert refusal(tmp_path / "x.avif")
    assert printed(np.zeros((2, 2, 4), dtype=np.float32)).shape == (2, 2, 3)
