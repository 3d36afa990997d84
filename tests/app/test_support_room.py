"""The support room in the real window: by key, with a share, a map and the colours that are missing."""

from __future__ import annotations

from PyQt6.QtCore import Qt

from tests.app.test_whole_job import click_frame
from velkin.app.model.places import Page
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart
from velkin.core.shoot.frame import Role

K = Qt.Key


def test_a_frame_with_a_dye_beyond_the_chart_says_how_much_of_it(window, qtbot, ids, demo_frames):
    click_frame(qtbot, window, "north-0413")
    qtbot.keyClick(window.view, K.Key_U)
    room = window.navigator.room
    assert window.model.places.now.page is Page.SUPPORT
    qtbot.waitUntil(lambda: "read one first" in room.figure.words.text(), timeout=20000)
    qtbot.keyClick(room, K.Key_Escape)
    window.jobs.camera.keep_reading(ids["north-0401"], read_chart(demo_frames / "north-0401.dng", iso24()))
    window.view.setFocus()
    qtbot.keyClick(window.view, K.Key_U)
    qtbot.waitUntil(lambda: room.figure.number.text() != "", timeout=20000)
    assert int(room.figure.number.text().split()[0]) >= 10  # the magenta skein
    (first, *_) = [[label.text() for label in row] for row in room.missing._rows]
    assert first[0] in ("violets", "reds") and first[1].startswith("Lab ")
    qtbot.waitUntil(lambda: "Most" in [name.text() for name, *_ in room.facts._rows], timeout=60000)
    rows = [(name.text(), value.text()) for name, value, _ in room.facts._rows[:3]]
    share, of = rows[1][1].split(" % on average of ")
    frames = [window.model.state.frames[i] for i in window.model.state.light(window.model.frame.light).frames]
    subjects = [f for f in frames if f.role is Role.SUBJECT]  # neither the chart nor the card
    assert 0 < int(share) < 100 and of == f"{len(subjects)} frames"
    most, where = rows[2][1].split(" in ")
    window.model.select(ids[where])
    qtbot.waitUntil(lambda: room.figure.number.text() == most, timeout=20000)
    window.model.select(ids["north-0413"])
    qtbot.waitUntil(lambda: room.figure.number.text() not in ("", most), timeout=20000)
    image = room.map.image
    middle, corner = image.pixelColor(image.width() // 2, image.height() // 2), image.pixelColor(5, 5)
    assert middle.red() != middle.green() and corner.red() == corner.green() == corner.blue()
    qtbot.mouseClick(room.make, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.model.places.now.page is Page.CHART_EDITOR, timeout=30000)
    editor = window.navigator.room
    assert (editor.chart.columns, editor.chart.rows, len(editor.chart.neutrals)) == (6, 2, 6)
    qtbot.mouseClick(editor.keep_button, Qt.MouseButton.LeftButton)
    assert any(c.name == "Samples for north-0413" for c in window.model.state.charts.values())
    window.model.places.end()
    window.view.setFocus()
    qtbot.keyClick(window.view, K.Key_U)
    qtbot.waitUntil(lambda: room.figure.number.text() != "", timeout=20000)
    window.model.step(1)
    qtbot.waitUntil(lambda: window.model.places.now.frame == ids["north-0414"], timeout=20000)
    qtbot.waitUntil(lambda: room.figure.number.text() != "", timeout=20000)
    qtbot.keyClick(room, K.Key_Escape)
    assert window.model.places.at_picture
