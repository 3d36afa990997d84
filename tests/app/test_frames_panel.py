"""The frames panel: choosing with mouse and keys, folding, filters, thumbnails."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage

from velkin.app.flow.drawing import to_image
from velkin.app.main import settle
from velkin.app.widgets.frames_panel import FILTERS

LEFT = Qt.MouseButton.LeftButton
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def panel(window):
    return window.frames.list


def click(qtbot, panel, frame, modifier=Qt.KeyboardModifier.NoModifier):
    panel.reveal(frame)
    qtbot.mouseClick(panel.viewport(), LEFT, modifier, panel.cell_centre(frame))


def test_click_chooses_one_and_ctrl_adds_and_takes_away(qtbot, panel, window, ids):
    click(qtbot, panel, ids["north-0413"])
    assert (window.model.current, window.model.selected) == (ids["north-0413"], (ids["north-0413"],))
    click(qtbot, panel, ids["north-0415"], CTRL)
    assert set(window.model.selected) == {ids["north-0413"], ids["north-0415"]}
    click(qtbot, panel, ids["north-0413"], CTRL)
    assert window.model.selected == (ids["north-0415"],)
    click(qtbot, panel, ids["north-0415"], CTRL)
    assert window.model.selected == (ids["north-0415"],), "something always stays chosen"


def test_shift_chooses_a_range(qtbot, panel, window, ids):
    click(qtbot, panel, ids["north-0402"])
    click(qtbot, panel, ids["north-0414"], SHIFT)
    names = [window.model.state.frames[f].name for f in window.model.selected]
    assert names == ["north-0402", "north-0412", "north-0413", "north-0414"]


def test_keys_step_and_extend(qtbot, panel, window, ids):
    window.model.select(ids["north-0401"])
    panel.setFocus()
    for key, name in ((Qt.Key.Key_Right, "north-0402"), (Qt.Key.Key_Down, "north-0413"), (Qt.Key.Key_Left, "north-0412")):
        qtbot.keyClick(panel, key)
        assert window.model.frame.name == name
    qtbot.keyClick(panel, Qt.Key.Key_Right, SHIFT)
    assert len(window.model.selected) == 2
    for _ in range(30):
        qtbot.keyClick(panel, Qt.Key.Key_Down)
    assert window.model.frame.name == "lamp-0508"


def test_a_header_folds_at_its_mark_and_chooses_its_light_elsewhere(qtbot, panel, window, ids):
    _, rect, _ = panel._headers[0]
    qtbot.mouseClick(panel.viewport(), LEFT, pos=QPoint(14, rect.center().y() - panel._offset()))
    assert len(panel._cells) == 6 and len(panel._headers) == 2
    qtbot.mouseClick(panel.viewport(), LEFT, pos=QPoint(14, rect.center().y() - panel._offset()))
    assert len(panel._cells) == 12
    qtbot.mouseClick(panel.viewport(), LEFT, pos=QPoint(90, rect.center().y() - panel._offset()))
    assert window.model.selected == window.model.state.lights[0].frames


def test_thumbnails_follow_the_path_and_visible_ones_come_first(qtbot, panel, window, ids):
    assert settle(window, 90)
    assert panel.wanted_thumbnails() == []
    window.desk.set_exposure((ids["lamp-0508"], ids["north-0401"]), 1.0)
    wanted = [f for f, _ in panel.wanted_thumbnails()]
    assert wanted == [ids["north-0401"], ids["lamp-0508"]]
    assert settle(window, 90)
    assert panel.wanted_thumbnails() == []


def test_a_brighter_frame_has_a_brighter_thumbnail(panel, window, ids):
    def mean(frame):
        image = panel._thumbs[frame][1].scaled(1, 1, transformMode=Qt.TransformationMode.SmoothTransformation)
        return image.pixelColor(0, 0).lightness()

    settle(window, 90)
    before = mean(ids["north-0412"])
    window.desk.set_exposure((ids["north-0412"],), -2.0)
    settle(window, 90)
    assert mean(ids["north-0412"]) < before - 30


def test_unreadable_sources_are_marked_and_painted(panel, window, ids):
    path = window.model.state.path(ids["north-0412"])
    panel.set_thumbnail(ids["north-0412"], path, QImage())
    shot = panel.grab().toImage()
    panel.set_thumbnail(ids["north-0412"], path, to_image(__import__("numpy").full((60, 90, 3), 200, "uint8")))
    assert panel.grab().toImage() != shot


@pytest.mark.parametrize("index", range(len(FILTERS)))
def test_filters_agree_with_their_own_rule(panel, window, index):
    panel.set_filter(index)
    state = window.model.state
    expected = [f for f in state.order() if FILTERS[index][1](state, state.frames[f], [])]
    assert [c.frame for c in panel._cells] == expected
    panel.grab()


def test_the_first_filter_counts_the_frames(window):
    assert window.frames.filter.itemText(0) == "All 12 frames"
    window.desk.command(lambda s: s.remove_frames([window.model.current]))
    assert window.frames.filter.itemText(0) == "All 11 frames"
