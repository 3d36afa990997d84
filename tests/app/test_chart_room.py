"""The chart room and its grid: corners by mouse and by key, patches, turning, and what the table and swatches say."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt

from velkin.app.flow.drawing import to_image
from velkin.app.main import make_application
from velkin.app.model.places import Page
from velkin.app.rooms.chart_view import ChartView
from velkin.core.cameraprofiles.profile import profile_from_json
from velkin.core.charts.built_in import iso24
from velkin.core.charts.refining import homography
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.sim.arrangements import chart_corners

LEFT = Qt.MouseButton.LeftButton
CHART = iso24()


@pytest.fixture
def view(qtbot):
    make_application()
    made = ChartView(CHART)
    qtbot.addWidget(made)
    made.resize(900, 620)
    made.show()
    made.set_picture(to_image(np.full((400, 600, 3), 120, np.uint8)), (2400, 1600))
    made.set_corners(chart_corners("north"))
    return made


def spot(view, corner):
    return view.to_widget(*(float(v) for v in view.corners[corner])).toPoint()


@pytest.mark.parametrize("corner", range(4))
def test_each_corner_is_dragged_by_the_mouse(qtbot, view, corner):
    told = []
    view.corners_moved.connect(told.append)
    before = view.corners.copy()
    at = spot(view, corner)
    qtbot.mousePress(view, LEFT, pos=at)
    qtbot.mouseMove(view, at + QPoint(9, 6))
    qtbot.mouseRelease(view, LEFT, pos=at + QPoint(9, 6))
    assert told[-1] is True and False in told
    moved = view.corners - before
    assert moved[corner] == pytest.approx(np.array([9, 6]) / view.scale, abs=2.5 / view.scale)
    others = [i for i in range(4) if i != corner]
    assert np.abs(moved[others]).max() == 0
    assert view.active_corner == corner


def test_corners_stay_on_the_picture(qtbot, view):
    at = spot(view, 0)
    qtbot.mousePress(view, LEFT, pos=at)
    qtbot.mouseMove(view, QPoint(-500, -500))
    qtbot.mouseRelease(view, LEFT, pos=QPoint(0, 0))
    assert tuple(view.corners[0]) == (0, 0)
    for _ in range(3):
        qtbot.keyClick(view, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert tuple(view.corners[0]) == (0, 0)


def test_keys_choose_and_nudge_corners(qtbot, view):
    before = view.corners.copy()
    for corner, (key, step) in enumerate(
        ((Qt.Key.Key_Left, (-1, 0)), (Qt.Key.Key_Right, (1, 0)), (Qt.Key.Key_Up, (0, -1)), (Qt.Key.Key_Down, (0, 1)))
    ):
        assert view.active_corner == corner
        qtbot.keyClick(view, key)
        qtbot.keyClick(view, key, Qt.KeyboardModifier.ShiftModifier)
        assert view.corners[corner] - before[corner] == pytest.approx(11 * np.array(step))
        qtbot.keyClick(view, Qt.Key.Key_C)
    assert view.active_corner == 4, "after the corners the whole grid"
    whole = view.corners.copy()
    qtbot.keyClick(view, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert view.corners - whole == pytest.approx(np.array([[10, 0]] * 4))
    qtbot.keyClick(view, Qt.Key.Key_C)
    assert view.active_corner == 0


@pytest.mark.parametrize("patch", [0, 5, 13, 23])
def test_a_click_on_a_patch_names_it(qtbot, view, patch):
    told = []
    view.patch_clicked.connect(told.append)
    u, v = CHART.centres()[patch]
    at = view._points(homography(view.corners), np.array([[u, v]]))[0].toPoint()
    qtbot.mouseClick(view, LEFT, pos=at)
    assert told == [patch]


def test_a_click_beside_the_chart_names_nothing(qtbot, view):
    told = []
    view.patch_clicked.connect(told.append)
    qtbot.mouseClick(view, LEFT, pos=QPoint(40, 40))
    assert told == []


def test_without_corners_the_grid_is_gone_and_keys_do_nothing(qtbot, view):
    with_grid = view.grab().toImage()
    view.set_corners(None)
    qtbot.keyClick(view, Qt.Key.Key_C)
    qtbot.keyClick(view, Qt.Key.Key_Left)
    assert view.corners is None
    assert view.grab().toImage() != with_grid


# ---- the room ----------------------------------------------------------------------------------------------------------


@pytest.fixture
def room(qtbot, window, ids):
    window.model.places.go(Page.CHART, ids["north-0401"])
    made = window.navigator.made(Page.CHART)
    qtbot.waitUntil(lambda: made.kept is not None and made.view.has_picture, timeout=60000)
    return made


def test_the_chart_is_found_where_it_was_drawn(room):
    assert np.abs(room.view.corners - chart_corners("north")).max() < 3
    assert room.bench.figure.number.text() == "24 of 24"
    assert room.bench.fit_button.isEnabled()
    assert room.bench._quality.count() == len(room.kept.judgements)


def test_the_reading_is_kept_in_the_shoot_and_marks_the_frame(room, window, ids):
    assert window.model.state.readings[ids["north-0401"]] == room.kept
    room.leave()
    window.model.places.go(Page.CHART, ids["north-0401"])
    assert room.kept is not None, "a kept reading is shown at once, without searching again"


def test_the_table_says_what_the_core_computes(qtbot, room):
    reference, seen, after, _ = room._colours
    assert after is None and len(room.swatches.bands) == 2
    expected = ciede2000(xyz_to_lab(seen), xyz_to_lab(reference))
    shown = {room.bench.table.item(r, 0).text(): room.bench.table.item(r, 2).text() for r in range(24)}
    assert shown == {i: f"{e:.1f}" for i, e in zip(CHART.ids, expected, strict=True)}
    room.fit()
    qtbot.waitUntil(lambda: room.profile is not None, timeout=60000)
    fitted = {p.id: p for p in room.profile.patches}
    assert len(room.swatches.bands) == 3
    own = ciede2000(xyz_to_lab(room.swatches.bands[2]), xyz_to_lab(room.swatches.bands[1]))
    assert own == pytest.approx([p.after for p in room.profile.patches], abs=1e-9)
    for row in range(24):
        patch = fitted[room.bench.table.item(row, 0).text()]
        assert room.bench.table.item(row, 2).text() == f"{patch.before:.1f}"
        assert room.bench.table.item(row, 3).text() == f"{patch.after:.1f}"
    assert room.bench.figure.number.text() == f"ΔE {room.profile.figures.mean:.1f}"


def test_the_table_sorts_by_number(qtbot, room):
    room.fit()
    qtbot.waitUntil(lambda: room.profile is not None, timeout=60000)
    room.bench.table.sortItems(3, Qt.SortOrder.DescendingOrder)
    values = [float(room.bench.table.item(r, 3).text()) for r in range(24)]
    assert values == sorted(values, reverse=True)
    assert values[0] == pytest.approx(room.profile.figures.worst, abs=0.06)


def test_choosing_a_patch_marks_it_everywhere(room):
    room._choose_patch(14)
    assert room.view.patch == room.swatches.patch == 14
    assert room.bench.table.item(room.bench.table.currentRow(), 0).text() == "C3"
    assert room.bench.patch_words.text().startswith("C3 red, Lab: chart")
    row = next(r for r in range(24) if room.bench.table.item(r, 0).text() == "A2")
    room.bench.table.selectRow(row)
    assert room.view.patch == 1


def test_turning_four_times_is_no_turn(qtbot, room):
    start = room.view.corners.copy()
    room.turn()
    qtbot.waitUntil(lambda: not room.bench.fit_button.isEnabled(), timeout=60000)
    assert "turn the grid" in room.bench.advice.text()
    for _ in range(3):
        room.turn()
    qtbot.waitUntil(lambda: room.bench.fit_button.isEnabled(), timeout=60000)
    assert np.array_equal(room.view.corners, start)


def test_a_fit_is_kept_only_when_it_is_given(qtbot, room, window, ids):
    room.fit()
    qtbot.waitUntil(lambda: room.profile is not None, timeout=60000)
    assert not window.model.state.profiles
    room.bench.name.setText("Skeins, spring")
    room.bench.only_button.click()
    state = window.model.state
    assert [p.name for p in state.profiles.values()] == ["Skeins, spring"]
    assert state.frames[ids["north-0401"]].profile is not None
    assert state.frames[ids["north-0412"]].profile is None
    kept = next(iter(state.profiles.values()))
    assert profile_from_json(kept.to_json()) == kept
    assert kept.chart_frame == "north-0401.dng" and kept.made


def test_escape_leaves_and_a_stop_leaves_too(qtbot, room, window):
    qtbot.keyClick(room.view, Qt.Key.Key_Escape)
    assert window.navigator.stack.currentIndex() == 0
    window.model.places.go(Page.CHART, window.model.current)
    assert window.navigator.room is room
    window.actions_.open_stop("proof")
    assert window.navigator.stack.currentIndex() == 0 and window.model.stop == "proof"
