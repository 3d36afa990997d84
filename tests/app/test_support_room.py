"""The support room in the real window: by key, with a share, a map and the colours that are missing."""

from __future__ import annotations

from PyQt6.QtCore import Qt

from tests.app.test_whole_job import click_frame
from velkin.app.model.places import Page
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart

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
