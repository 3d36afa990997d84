"""What dropped files are for, numbers under the pointer, and tables of pins."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtGui import QColor, QImage

from velkin.app.actions.dropped import sorted_drop
from velkin.app.flow.drawing import Drawn, Rendered, Seen
from velkin.app.flow.readout import here_words, numbers_under, read_pin
from velkin.app.jobs.colour import _pixels, warn_of_wrong_verb
from velkin.app.widgets.pin_table import PinTable, full_scale, lab_words
from velkin.app.widgets.space_box import SpaceBox, second_line, space_label
from velkin.core.icc.space import LAB, grays, space_of
from velkin.core.icc.write import matrix_profile
from velkin.core.icc.write_input import input_matrix_profile
from velkin.core.path import path_of
from velkin.core.spaces.rgb import OPRGB, P3, ROMM, SRGB
from velkin.core.stages.source import PictureSource
from velkin.core.stages.steps import Assign, Convert
from velkin.core.tags.ledger import Verb
from velkin.core.tags.pins import Pin, Target
from velkin.sim.press import press_profile


def test_files_are_sorted_by_what_they_are_for(tmp_path):
    (tmp_path / "space.icc").write_bytes(matrix_profile(P3))
    (tmp_path / "camera.icc").write_bytes(input_matrix_profile("c", SRGB.to_xyz))
    (tmp_path / "broken.icc").write_bytes(b"x" * 500)
    paths = [tmp_path / n for n in ("space.icc", "camera.icc", "broken.icc", "a.dcp", "a.json", "b.dng", "c.jpg", "absent.icc")]
    drop = sorted_drop(paths, True)
    assert [p.name for p in drop.spaces] == ["space.icc"]
    assert [p.name for p in drop.profiles] == ["camera.icc", "broken.icc", "a.dcp", "a.json", "absent.icc"]
    assert [p.name for p in drop.files] == ["b.dng", "c.jpg"] and drop.shoot is None
    assert not sorted_drop(paths, False).spaces
    assert sorted_drop([tmp_path / "s.velkin"], True).shoot == tmp_path / "s.velkin"


@pytest.mark.parametrize("steps", [(), (Assign(OPRGB),), (Convert(ROMM),)])
def test_numbers_under_the_pointer_are_those_of_the_frames_own_space(steps):
    numbers = np.full((8, 10, 3), (200, 100, 50), np.uint8)
    path = path_of(PictureSource(SRGB), ROMM, SRGB, steps=steps)
    from velkin.core.render import numbers_here, to_working

    r = Rendered(1, path, Seen(SRGB), Drawn(QImage()), to_working(numbers, path), (), numbers)
    at, here, lab, there = numbers_under((33.0, 22.0), r, (100, 80))
    meant = numbers_here(numbers[:1, :1], path)[0, 0]
    assert at == "33, 22" and [float(v) for v in here.split()] == pytest.approx(meant, abs=6e-4)
    assert len(lab.split()) == 3 and len(there.split()) == 3


def test_what_the_destination_cannot_hold_is_said_under_the_pointer():
    from velkin.core.render import to_working

    numbers = np.full((4, 4, 3), (10, 255, 10), np.uint8)
    path = path_of(PictureSource(OPRGB), ROMM, SRGB)
    r = Rendered(1, path, Seen(SRGB), Drawn(QImage()), to_working(numbers, path), (), numbers)
    assert numbers_under((1.0, 1.0), r, (4, 4))[3].endswith("out of gamut")


def test_ink_is_told_in_per_cent():
    press = space_of(press_profile(4))
    path = path_of(PictureSource(press), ROMM, SRGB)
    numbers = np.full((4, 4, 4), (51, 102, 0, 25), np.uint8)
    assert here_words(np.array([0.2, 0.4, 0.0, 0.1]), path) == "20 40 0 10 %"
    read = read_pin(numbers, path, Pin(0.99, 0.01))
    assert read.here == pytest.approx([0.2, 0.4, 0.0, 25 / 255], abs=1e-3) and 20 < read.lab[0] < 90
    assert here_words(np.array([0.5, 0.5, 0.5]), path_of(PictureSource(LAB), ROMM, SRGB)) == "Lab"
    assert (full_scale(press, 8), full_scale(SRGB, 8), full_scale(SRGB, 16)) == (100.0, 255.0, 65535.0)


def test_tables_of_pins(qtbot):
    path = path_of(PictureSource(SRGB), ROMM, SRGB)
    given = path_of(PictureSource(SRGB), ROMM, SRGB, steps=(Assign(P3),))
    numbers = np.full((6, 6, 3), (180, 90, 60), np.uint8)
    pins = (Pin(0.5, 0.5), Pin(0.2, 0.2, Target("neutral")))
    now, after = ([read_pin(numbers, p, pin) for pin in pins] for p in (path, given))
    table = PinTable()
    qtbot.addWidget(table)
    table.resize(304, 80)
    table.show_numbers(pins, now, path)
    assert table.cells()[0][3] == "180 90 60" and table.cells()[0][4] == "" and float(table.cells()[1][4]) > 10
    table.show_change(now, after, "given P3")
    assert float(table.cells()[0][3]) > 1 and table.cells()[0][1] != table.cells()[0][2]
    table.show_codes(now, after, (255.0, 255.0))
    assert table.cells()[0][1] == table.cells()[0][2] == "180 90 60"  # numbers stay
    assert table.grab().toImage().pixelColor(28, 30) != QColor(0, 0, 0)
    table.clear()
    assert not table.cells() and not table.isVisibleTo(table.parentWidget())
    assert lab_words(np.array([50.4, -0.2, -12.6])) == ["50", "0", "\u221213"]


def test_spaces_to_choose_from_keep_the_choice(qtbot):
    box = SpaceBox("x")
    qtbot.addWidget(box)
    box.offer([SRGB, OPRGB, P3])
    box.choose("p3")
    box.offer([SRGB, P3])
    assert box.space() is P3
    box.offer([SRGB, OPRGB], "oprgb")
    assert box.space() is OPRGB
    box.choose("nothing")
    assert box.space() is OPRGB
    assert second_line(OPRGB) == "labs call it Adobe RGB (1998)" and second_line(SRGB) == second_line(None) == ""
    assert space_label(grays()["gray-l"]).endswith("(gray)") and space_label(SRGB) == "sRGB"


def test_the_wrong_verb_is_warned_of_only_where_it_is_one():
    known = path_of(PictureSource(P3), ROMM, SRGB)
    unknown = path_of(PictureSource(SRGB, False), ROMM, SRGB)
    said = warn_of_wrong_verb(known, Verb.ASSIGN, SRGB, 3.4)
    assert "convert" in said and "ΔE 3" in said
    assert not warn_of_wrong_verb(known, Verb.ASSIGN, P3, 0.0) and not warn_of_wrong_verb(known, Verb.CONVERT, SRGB, 1.0)
    assert not warn_of_wrong_verb(unknown, Verb.ASSIGN, SRGB, 9.0)


@pytest.mark.parametrize(
    ("kind", "dtype", "channels"),
    [
        (QImage.Format.Format_RGB32, np.uint8, 3),
        (QImage.Format.Format_ARGB32, np.uint8, 4),
        (QImage.Format.Format_RGBA64, np.uint16, 4),
        (QImage.Format.Format_Grayscale8, np.uint8, 3),
    ],
)
def test_pasted_pixels_are_those_of_the_clipboard(kind, dtype, channels):
    image = QImage(5, 3, kind)
    image.fill(QColor(10, 200, 90, 255))
    image.setPixelColor(4, 2, QColor(250, 250, 250))
    pixels = _pixels(image)
    assert pixels.shape == (3, 5, channels) and pixels.dtype == dtype
    top = 255 if dtype == np.uint8 else 65535
    assert np.allclose(pixels[2, 4, :3] / top, 250 / 255, atol=0.01)
    if kind != QImage.Format.Format_Grayscale8:
        assert np.allclose(pixels[0, 0, :3] / top, np.array([10, 200, 90]) / 255, atol=0.01)
