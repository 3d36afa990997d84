"""What the model says: messages that wait to be read, places, and which part of the shoot changed. No window is needed."""

import pytest
from PyQt6.QtCore import QLocale, QSettings, QStringListModel
from PyQt6.QtWidgets import QFileDialog, QLabel, QListView, QTableWidget, QTableWidgetItem, QWidget

from velkin.app import words
from velkin.app.actions.dialogs import Dialogs, pattern
from velkin.app.glyphs import app_icon
from velkin.app.main import decimal_point, make_application
from velkin.app.model.changes import WHOLE, Change, difference
from velkin.app.model.messages import Messages
from velkin.app.model.places import Page, Places
from velkin.app.model.shoot_model import ShootModel
from velkin.app.widgets.copying import table_text
from velkin.app.widgets.parts import Words
from velkin.app.words import breakable, percent, unbroken
from velkin.core.shoot.shoot import Shoot


@pytest.fixture
def shoot(demo_shoot):
    opened = Shoot.open(demo_shoot)
    yield opened
    opened.close()


# ---- messages --------------------------------------------------------------------------------------------------------


def test_problems_wait_one_behind_the_other_and_notices_beside_them():
    messages = Messages()
    told = []
    messages.changed.connect(lambda: told.append(messages.latest))
    messages.say("done")
    messages.insist("first")
    messages.insist("first")  # the same at once is one
    messages.insist("second")
    assert messages.problem.text == "first" and messages.waiting == 1
    assert messages.notice.text == "done" and messages.notices_waiting == 0
    messages.dismiss()
    assert messages.problem.text == "second" and messages.waiting == 0
    messages.next_notice()
    assert messages.notice is None
    messages.clear()
    assert messages.problem is None
    assert [m.text for m in messages.history] == ["done", "first", "second"]
    assert [m.problem for m in messages.history] == [False, True, True]
    assert told[:3] == ["done", "first", "second"]


def test_an_empty_message_is_none_and_the_history_ends_somewhere():
    messages = Messages()
    messages.say("")
    assert messages.latest == "" and messages.notice is None
    for number in range(700):
        messages.say(f"{number}")
    assert len(messages.history) == 500 and messages.latest == "699"


# ---- places ----------------------------------------------------------------------------------------------------------


def test_places_go_and_come_back_once():
    places = Places()
    seen = []
    places.changed.connect(seen.append)
    places.back()
    assert seen == [] and places.at_picture
    places.go(Page.CHART, 3)
    places.go(Page.CHART, 4, "about")
    places.back()
    assert [(p.page, p.frame, p.about) for p in seen] == [
        (Page.CHART, 3, None),
        (Page.CHART, 4, "about"),
        (Page.PICTURE, None, None),
    ]


# ---- what changed ----------------------------------------------------------------------------------------------------


def test_one_frames_decision_is_a_change_of_that_frame_only(shoot):
    before = shoot.state
    one, other = list(before.frames)[:2]
    shoot.camera.set_exposure([one], 1.0)
    change = difference(before, shoot.state)
    assert change.frames == {one} and not change.of_all and change.anything
    assert change.concerns(one) and not change.concerns(other) and not change.concerns(None)


def test_lights_working_space_and_destinations_concern_all(shoot):
    from velkin.core.spaces.rgb import P3

    before = shoot.state
    shoot.frames.rename_light(before.lights[0].id, "another")
    named = difference(before, shoot.state)
    assert named.lights and named.of_all and not named.frames
    before = shoot.state
    shoot.colour.set_working(P3)
    assert difference(before, shoot.state).paths
    before = shoot.state
    shoot.destinations.remove_destination(before.destinations[0].id)
    assert difference(before, shoot.state).destinations


def test_frames_that_go_are_gone_and_nothing_else(shoot):
    before = shoot.state
    frame = list(before.frames)[-1]
    shoot.frames.remove_frames([frame])
    change = difference(before, shoot.state)
    assert change.gone == {frame} and frame not in change.frames
    assert difference(shoot.state, shoot.state) == Change()
    assert difference(shoot.state, shoot.state, True).written
    assert WHOLE.concerns(None) and WHOLE.of_all


def test_the_model_tells_the_change_once_and_keeps_the_selection_on_what_is_there(demo_shoot):
    make_application()
    model = ShootModel()
    changes = []
    model.changed.connect(changes.append)
    model.open(Shoot.open(demo_shoot))
    frames = model.state.order()
    model.select(frames[2], (frames[2], frames[3]))
    model.shoot.frames.remove_frames([frames[2]])
    model.changes()
    assert changes[0] is WHOLE and changes[-1].gone == {frames[2]}
    assert model.current == frames[3] and model.selected == (frames[3],)
    assert model.changed_at is not None
    model.undo()
    assert frames[2] in changes[-1].frames and "Undone" in model.messages.latest
    model.close()
    assert model.shoot is None and model.messages.latest and model.messages.notice is None


# ---- words, dialogs, copies ------------------------------------------------------------------------------------------


def test_units_never_part_from_their_numbers():
    assert unbroken("100 % at 300 ppi, 18 × 13 cm, ΔE 5.92") == (
        "100\u00a0% at 300\u00a0ppi, 18\u00a0×\u00a013\u00a0cm, ΔE\u00a05.92"
    )
    assert unbroken("5 percent, 3 kinds, 2 Kelvins") == "5 percent, 3 kinds, 2 Kelvins"
    assert percent(0.173) == "17.3\u00a0%" and percent(0.0001) == "<\u202f0.1\u00a0%"


def test_long_names_can_be_parted_and_short_ones_are_left():
    long = "/srv/pictures/2026-05-04_madderfold/north-window/IMG_0001.dng"
    assert breakable(long).replace("\u200b", "") == long and "\u200b" in breakable(long)
    assert breakable("north-0412.dng of a light") == "north-0412.dng of a light"


@pytest.mark.parametrize(("typed", "written"), [("a.html", "a.html"), ("a", "a.html"), ("a.PDF", "a.PDF"), ("a.b", "a.b.html")])
def test_a_name_without_a_suffix_gets_the_first_and_the_folder_is_remembered(monkeypatch, tmp_path, typed, written):
    make_application()
    settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    parent = QWidget()
    dialogs = Dialogs(settings, parent)
    (tmp_path / "out").mkdir()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "out" / typed), ""))
    assert dialogs.save_file("t", "n", "k", (".html", ".pdf")) == tmp_path / "out" / written
    starts = []
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (starts.append(a[2]), ("", ""))[1])
    assert dialogs.open_file("t") is None
    assert starts == [str(tmp_path / "out")]
    assert pattern([".b", ".a"]) == "*.a *.A *.b *.B"


def test_a_table_is_copied_whole_or_what_is_selected_of_it(qtbot):
    make_application()
    table = QTableWidget(3, 2)
    qtbot.addWidget(table)
    table.setHorizontalHeaderLabels(["Patch", "ΔE"])
    for row in range(3):
        for column, text in enumerate((f"A{row}", f"{row}.5")):
            table.setItem(row, column, QTableWidgetItem(text))
    assert table_text(table) == "Patch\tΔE\nA0\t0.5\nA1\t1.5\nA2\t2.5"
    table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
    table.setSelectionMode(QTableWidget.SelectionMode.MultiSelection)
    table.selectRow(0)
    table.selectRow(2)
    assert table_text(table) == "Patch\tΔE\nA0\t0.5\nA2\t2.5"
    plain = QListView()
    qtbot.addWidget(plain)
    kept = QStringListModel(["x", "y"])
    plain.setModel(kept)
    assert table_text(plain) == "x\ny"
    assert table_text(QWidget()) is None and table_text(None) is None


@pytest.mark.parametrize("language", ["en_US", "de_DE", "fr_CH", "ar_EG", "ko_KR"])
def test_the_decimal_point_is_the_one_of_the_desktops_language(qapp, language):
    before = QLocale()
    QLocale.setDefault(QLocale(language))
    try:
        assert decimal_point() == QLocale().decimalPoint()
    finally:
        QLocale.setDefault(before)


def test_the_icon_is_drawn_at_the_sizes_that_are_asked_for(qapp):
    for size in (16, 32, 128):
        picture = app_icon().pixmap(size, size).toImage()
        assert (picture.width(), picture.height()) == (size, size)
        assert len({picture.pixelColor(x, size // 2).rgba() for x in range(size)}) > 2


def test_decimals_follow_the_language_of_the_desktop_and_names_are_left():
    words.use_decimal(",")
    try:
        assert words.localised("ΔE 5.92, worst −0.41; 95 % within 1.5.") == "ΔE 5,92, worst −0,41; 95 % within 1,5."
        for name in ("north-0412.dng", "v2.3.1", "2026.05.04.tif", "IMG_1.2", "sRGB 8-bit", "10.jpg"):
            assert words.localised(name) == name
        label = Words("mean ΔE 0.4 at 18 × 13 cm")
        assert QLabel.text(label) == "mean ΔE\u00a00,4 at 18\u00a0×\u00a013\u00a0cm"
        assert label.text() == "mean ΔE 0.4 at 18 × 13 cm"
    finally:
        words.use_decimal(".")
    assert words.localised("0.5") == "0.5"
