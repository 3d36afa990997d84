"""Cameras side by side in the real window: from the menu, with a report, to the match room."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from tests.app.doing import when_asked
from velkin.app.model.places import Page
from velkin.app.sheets.cameras_sheet import CamerasSheet
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart
from velkin.core.shoot.arrivals import look_at


def test_without_two_cameras_it_says_what_to_do(window, qtbot):
    window.menu.by_name["Cameras side by side…"].trigger()
    qtbot.waitUntil(lambda: "frames of two cameras" in window.model.messages.latest, timeout=20000)


def test_two_cameras_are_told_apart_and_one_is_matched_to_the_other(window, qtbot, ids, demo_frames, tmp_path, monkeypatch):
    other = next(demo_frames.parent.rglob("field-0201.dng"))
    window.jobs.command(lambda s: s.frames.add_frames([look_at(other)]))
    field = next(f.id for f in window.model.state.frames.values() if f.name == "field-0201")
    for frame, path in ((field, other), (ids["north-0401"], demo_frames / "north-0401.dng")):
        window.jobs.camera.keep_reading(frame, read_chart(path, iso24()))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "both"), ""))
    seen = []

    def answer(sheet):
        sheet.figures = [label.text() for row in sheet.facts._rows for label in row]
        QTest.mouseClick(sheet.save, Qt.MouseButton.LeftButton)
        QTest.mouseClick(sheet.match, Qt.MouseButton.LeftButton)

    when_asked(CamerasSheet, answer, seen)
    window.menu.by_name["Cameras side by side…"].trigger()
    qtbot.waitUntil(lambda: window.model.places.now.page is Page.MATCH, timeout=20000)
    (sheet,) = seen
    assert "As built in" in sheet.figures and sheet.figure.number.text().startswith("ΔE ")
    found = sheet.chosen
    assert {found.first, found.second} == {field, ids["north-0401"]}
    assert window.model.places.now.frame == found.second
    text = (tmp_path / "both.txt").read_text()
    assert "As built in:" in text and "Velkin Field Two" in text
