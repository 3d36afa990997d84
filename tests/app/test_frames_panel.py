"""The frames panel: selecting with mouse and keys, folding, filters, thumbnails, what a screen reader is told."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage

from velkin.app.flow.drawing import to_image
from velkin.app.main import settle
from velkin.app.widgets.frames_list import _Painter
from velkin.app.widgets.frames_model import Filter

LEFT = Qt.MouseButton.LeftButton
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
PLAIN = Qt.KeyboardModifier.NoModifier


@pytest.fixture
def panel(window):
    return window.frames.list


def click(qtbot, panel, frame, modifier=PLAIN):
    panel.scrollTo(panel.rows.index(panel.rows.row_of(frame)))
    qtbot.mouseClick(panel.viewport(), LEFT, modifier, panel.frame_rect(frame).center())


def header(panel, light, x):
    """A point of a light's header."""
    row = next(n for n, r in enumerate(panel.rows.rows) if r.light == light and r.frame is None)
    rect = panel.visualRect(panel.rows.index(row))
    return QPoint(rect.left() + x, rect.center().y())


def test_click_selects_one_and_ctrl_adds_and_removes(qtbot, panel, window, ids):
    click(qtbot, panel, ids["north-0413"])
    assert (window.model.current, window.model.selected) == (ids["north-0413"], (ids["north-0413"],))
    click(qtbot, panel, ids["north-0415"], CTRL)
    assert set(window.model.selected) == {ids["north-0413"], ids["north-0415"]}
    click(qtbot, panel, ids["north-0413"], CTRL)
    assert window.model.selected == (ids["north-0415"],)
    click(qtbot, panel, ids["north-0415"], CTRL)
    assert window.model.selected == (ids["north-0415"],), "something always stays selected"


def test_shift_selects_a_range(qtbot, panel, window, ids):
    click(qtbot, panel, ids["north-0402"])
    click(qtbot, panel, ids["north-0414"], SHIFT)
    names = [window.model.state.frames[f].name for f in window.model.selected]
    assert names == ["north-0402", "north-0412", "north-0413", "north-0414"]


def test_keys_step_extend_and_look_for_names(qtbot, panel, window, ids):
    window.model.select(ids["north-0401"])
    panel.setFocus()
    for key, name in ((Qt.Key.Key_Right, "north-0402"), (Qt.Key.Key_Down, "north-0413"), (Qt.Key.Key_Left, "north-0412")):
        qtbot.keyClick(panel, key)
        assert window.model.frame.name == name
    qtbot.keyClick(panel, Qt.Key.Key_Right, SHIFT)
    assert len(window.model.selected) == 2
    qtbot.keyClick(panel, Qt.Key.Key_End)
    assert window.model.frame.name == "lamp-0508"
    qtbot.keyClicks(panel, "north-0414")
    assert window.model.frame.name == "north-0414", "letters are the list's while it has the keys"
    assert window.model.places.at_picture


def test_a_header_folds_at_its_mark_and_by_key_and_selects_its_light_elsewhere(qtbot, panel, window, ids):
    light = window.model.state.lights[0]
    qtbot.mouseClick(panel.viewport(), LEFT, pos=header(panel, light.id, 8))
    assert len(panel.rows.listed()) == 6
    assert sum(r.frame is None for r in panel.rows.rows) == 2
    qtbot.mouseClick(panel.viewport(), LEFT, pos=header(panel, light.id, 8))
    assert len(panel.rows.listed()) == 12
    qtbot.mouseClick(panel.viewport(), LEFT, pos=header(panel, light.id, 90))
    assert window.model.selected == light.frames
    panel.setFocus()
    qtbot.keyClick(panel, Qt.Key.Key_Home)
    qtbot.keyClick(panel, Qt.Key.Key_Left)
    assert panel.rows.is_folded(light.id)
    qtbot.keyClick(panel, Qt.Key.Key_Right)
    assert not panel.rows.is_folded(light.id)


def test_thumbnails_follow_the_path_and_visible_ones_come_first(panel, window, ids):
    assert settle(window, 90)
    assert window.thumbnails.wanted() == []
    window.jobs.camera.set_exposure((ids["lamp-0508"], ids["north-0401"]), 1.0)
    wanted = [f for f, _ in window.thumbnails.wanted()]
    assert wanted == [ids["north-0401"], ids["lamp-0508"]]
    assert settle(window, 90)
    assert window.thumbnails.wanted() == []


def test_a_brighter_frame_has_a_brighter_thumbnail(window, ids):
    def mean(frame):
        image = window.thumbnails.image(frame).scaled(1, 1, transformMode=Qt.TransformationMode.SmoothTransformation)
        return image.pixelColor(0, 0).lightness()

    settle(window, 90)
    before = mean(ids["north-0412"])
    window.jobs.camera.set_exposure((ids["north-0412"],), -2.0)
    settle(window, 90)
    assert mean(ids["north-0412"]) < before - 30


def test_unreadable_sources_are_marked_and_painted(panel, window, ids):
    path = window.model.state.path(ids["north-0412"])
    window.service.thumbnail.emit(ids["north-0412"], path, QImage())
    shot = panel.grab().toImage()
    window.service.thumbnail.emit(ids["north-0412"], path, to_image(np.full((60, 90, 3), 200, "uint8")))
    assert panel.grab().toImage() != shot


def test_every_filter_lists_frames_of_its_own_kind(window, panel, ids):
    window.jobs.camera.set_exposure((ids["north-0412"],), 0.5)
    box = window.frames.filter
    listed = {}
    for number in range(box.count()):
        box.setCurrentIndex(number)
        listed[box.itemData(number)] = {window.model.state.frames[f].name for f in panel.rows.listed()}
        panel.grab()
    assert len(listed) == len(Filter)
    assert listed[Filter.ALL] == set(ids) == listed[Filter.WITHOUT_PROFILE] == listed[Filter.NOT_HANDED_OFF]
    assert listed[Filter.MARKED] == {"north-0401", "north-0402", "lamp-0501", "lamp-0502"}
    for none in (Filter.HELD, Filter.KNOWN, Filter.NOT_KNOWN, Filter.HANDED_OFF, Filter.CHANGED):
        assert listed[none] == set(), none


def test_the_first_filter_counts_the_frames(window):
    assert window.frames.filter.itemText(0) == "All 12 frames"
    window.jobs.command(lambda s: s.frames.remove_frames([window.model.current]))
    assert window.frames.filter.itemText(0) == "All 11 frames"


def test_a_row_says_what_it_is_to_who_cannot_see_it(panel, ids):
    def spoken(row):
        return panel.rows.data(panel.rows.index(row), Qt.ItemDataRole.AccessibleTextRole)

    assert spoken(0) == "North window, 6 frames, no profile yet"
    assert spoken(panel.rows.row_of(ids["north-0401"])) == "north-0401, raw, chart frame, in North window"


def test_a_frame_that_looks_otherwise_is_drawn_and_lays_nothing_out_anew(window, qtbot, ids, monkeypatch):
    """Counted: in a shoot of ten thousand frames each thumbnail that came had all rows measured."""
    assert settle(window, 60)
    measured, drawn = [], []
    size, paint = _Painter.sizeHint, _Painter.paint
    monkeypatch.setattr(_Painter, "sizeHint", lambda s, o, i: measured.append(i.row()) or size(s, o, i))
    monkeypatch.setattr(_Painter, "paint", lambda s, p, o, i: drawn.append(i.row()) or paint(s, p, o, i))
    row = window.frames.rows.row_of(ids["north-0412"])
    window.frames.rows.tell_frame(ids["north-0412"])
    qtbot.waitUntil(lambda: row in drawn, timeout=10000)
    assert set(measured) <= {row}
    window.frames.rows.refresh()  # but other rows are laid out
    qtbot.waitUntil(lambda: row in measured, timeout=10000)
