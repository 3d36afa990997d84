"""White balance, giving and comparing in the real window."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QDialog

from velkin.app.main import settle
from velkin.app.sheets.giving_sheet import GivingSheet
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.shoot.alternatives import AS_SHOT, BUILT_IN, NOW
from velkin.core.shoot.whites import white_of


@pytest.fixture
def bench(window, ids):
    window.model.select(ids["lamp-0505"])
    window.actions_.open_stop("camera")
    return window.benches.camera.balance


def shown(window):
    frame = window.model.frame
    return built_in(frame.facts).temperature(np.array(window.model.path().camera.balance))


def test_typed_temperature_and_tint_are_what_is_shown_and_used(qtbot, window, bench):
    bench.kelvin.setValue(4300)
    kelvin, _ = shown(window)
    assert kelvin == pytest.approx(4300, abs=3)
    bench.tint.setValue(5.0)
    kelvin, duv = shown(window)
    assert (kelvin, duv) == (pytest.approx(4300, abs=5), pytest.approx(0.005, abs=1e-4))
    assert window.model.path().camera.balance_from == "typed"
    assert bench.kelvin.value() == pytest.approx(4300, abs=5)
    window.model.undo()
    assert shown(window)[1] != pytest.approx(0.005, abs=1e-4)


def test_a_drag_of_the_slider_is_one_undo(window, bench):
    before = window.model.path().camera.balance
    bench.kelvin_slider.setSliderDown(True)
    for place in (300, 420, 510):
        bench.kelvin_slider.setValue(place)
    bench.kelvin_slider.setSliderDown(False)
    first = window.model.path().camera.balance
    assert first != before
    bench.kelvin_slider.setSliderDown(True)
    bench.kelvin_slider.setValue(640)
    bench.kelvin_slider.setSliderDown(False)
    window.model.undo()
    assert window.model.path().camera.balance == first, "a second drag is a second step"
    window.model.undo()
    assert window.model.path().camera.balance == before


def test_keys_on_the_slider_are_steps_of_their_own(window, ids, bench):
    bench.kelvin_slider.setValue(300)
    window.model.select(ids["lamp-0506"])
    bench.kelvin_slider.setValue(500)
    window.model.undo()
    frames = window.model.state.frames
    assert frames[ids["lamp-0506"]].balance is None and frames[ids["lamp-0505"]].balance is not None


def test_n_and_a_click_pick_a_neutral_on_every_chosen_frame(qtbot, window, ids, bench):
    window.model.select(ids["lamp-0505"], (ids["lamp-0505"], ids["lamp-0506"]))
    assert settle(window, 90)  # one picks on the picture that is seen
    qtbot.keyClick(window.view, Qt.Key.Key_N)
    assert window.model.picking and window.view.picking == 15
    at = window.view.to_widget(1200, 60).toPoint()  # the grey paper
    qtbot.mouseClick(window.view, Qt.MouseButton.LeftButton, pos=at)
    assert not window.model.picking
    qtbot.waitUntil(lambda: window.model.path().camera.balance_from == "picked", timeout=60000)
    state = window.model.state
    assert state.path(ids["lamp-0506"]).camera.balance == state.path(ids["lamp-0505"]).camera.balance
    assert 2700 < shown(window)[0] < 3100


def test_a_pick_on_something_coloured_is_doubted_aloud(qtbot, window, ids, bench):
    window.jobs.camera.pick_neutral(ids["lamp-0505"], (850.0, 800.0), 15.0, (ids["lamp-0505"],))  # rust-dyed wool
    qtbot.waitUntil(lambda: "perhaps no neutral" in window.model.messages.latest, timeout=60000)


def test_escape_ends_picking_without_a_change(qtbot, window, bench):
    before = window.model.path().camera
    window.actions_.picking.neutral()
    qtbot.keyClick(window.view, Qt.Key.Key_Escape)
    assert not window.model.picking and window.model.path().camera == before


def test_the_card_of_the_light_is_measured_and_remembered(qtbot, window, ids, bench):
    assert bench.card.isEnabled()
    bench.card.click()
    qtbot.waitUntil(lambda: window.model.path().camera.balance_from == "card", timeout=60000)
    assert window.model.state.frames[ids["lamp-0502"]].neutral is not None
    light = window.model.state.light_of(ids["lamp-0505"]).id
    assert white_of(window.model.state, light).frame == ids["lamp-0502"]
    bench.as_shot.click()
    assert window.model.path().camera.balance == pytest.approx(tuple(window.model.frame.facts.as_shot))


def test_the_sheet_says_what_it_will_do_before_it_does_it(qtbot, window, ids, bench):
    bench.kelvin.setValue(3300)
    sheet = GivingSheet(window.model, window)
    qtbot.addWidget(sheet)
    assert sheet.summary.text() == "5 frames get profile and balance."
    sheet.profile.setChecked(False)
    assert sheet.summary.text() == "5 frames get balance."
    sheet.balance.setChecked(False)
    assert sheet.summary.text() == "Nothing is ticked." and not sheet.give_button.isEnabled()
    sheet.balance.setChecked(True)
    sheet.give_button.click()
    assert sheet.result() == QDialog.DialogCode.Accepted
    window.jobs.camera.give(sheet.plan)
    state = window.model.state
    assert state.path(ids["lamp-0508"]).camera.balance == state.path(ids["lamp-0505"]).camera.balance
    assert "5 frames got balance." in window.model.messages.latest
    window.model.undo()
    assert window.model.state.frames[ids["lamp-0508"]].balance is None


def test_v_steps_through_the_ways_to_compare_at_the_same_place(qtbot, window, ids):
    window.model.select(ids["north-0412"])
    window.jobs.camera.set_balance((ids["north-0412"],), (1.0, 1.0, 2.0), "typed")
    seen = []
    for _ in range(3):
        qtbot.keyClick(window.view, Qt.Key.Key_V)
        qtbot.waitUntil(lambda: window.view.comparison == window.model.comparison and window.view.others != (), timeout=60000)
        seen.append(window.view.comparison)
    assert seen == ["wipe", "side", "grid"]
    view = window.view
    now, other = view._image, view.others[0]
    assert now.size() == other.size() and now.pixelColor(40, 40) != other.pixelColor(40, 40)
    panes = view.panes()
    assert len(panes) == 2
    shift = panes[1].topLeft() - panes[0].topLeft()
    assert view.to_picture(view._local(view.to_widget(900, 700) + shift)) == QPointF(900, 700)
    qtbot.keyClick(window.view, Qt.Key.Key_V)
    assert window.model.comparison == "off" and view.others == () and len(view.panes()) == 1


def test_the_grid_holds_up_to_four_states_and_before_follows_the_choice(qtbot, window, ids):
    window.model.select(ids["north-0412"])
    window.model.compare("grid")
    window.model.compare_with((BUILT_IN, AS_SHOT, NOW))
    qtbot.waitUntil(lambda: len(window.view.others) == 3, timeout=60000)
    assert len(window.view.panes()) == 4
    window.model.compare("off")
    window.model.compare_with((AS_SHOT,))
    window.model.show_before(True)
    assert window.model.path() == AS_SHOT.path(window.model.state, ids["north-0412"])


def test_the_wipe_is_dragged(qtbot, window, ids):
    window.model.select(ids["north-0412"])
    window.model.compare("wipe")
    qtbot.waitUntil(lambda: window.view.others != (), timeout=60000)
    view = window.view
    start = QPointF(view._wipe_x(), view.height() / 2).toPoint()
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
    view.mouseMoveEvent(_moved(view, start.x() + 120, start.y()))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton)
    assert view._wipe_x() == pytest.approx(start.x() + 120, abs=1)


def _moved(view, x, y):
    from PyQt6.QtCore import QEvent
    from PyQt6.QtGui import QMouseEvent

    return QMouseEvent(
        QEvent.Type.MouseMove, QPointF(x, y), Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
