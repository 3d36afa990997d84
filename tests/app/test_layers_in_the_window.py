"""A layered picture in the real window: told, merged first, converted then, handed off, and what the other order would have done."""

from __future__ import annotations

import numpy as np
import pytest
import tifffile
from PyQt6.QtCore import Qt

from tests.app.test_whole_job import click_frame, drop
from tests.core.awkward import openraster
from tests.core.test_layers import flat, layer
from velkin.app.model.places import Page
from velkin.core.files.layers.picture import opened
from velkin.core.handoff.copies import CopyWish
from velkin.core.icc.transform import Intent
from velkin.core.spaces.rgb import ROMM, SRGB, between
from velkin.core.tags.ledger import Verb

STACK = (
    layer("mist", 'opacity="0.5"')
    + f'<stack name="pair" isolation="isolate">{layer("ink", chr(34).join(("composite-op=", "svg:multiply", "")))}</stack>'
    + layer("gone", 'visibility="hidden"')
    + layer("base")
)


@pytest.fixture
def poster(window, qtbot, tmp_path):
    """The id of a layered picture that was dropped on the window."""
    size = (90, 60)
    path = openraster(
        tmp_path / "poster.ora",
        STACK,
        size=size,
        base=flat(190, 150, 120, 255, size=size),
        mist=flat(60, 70, 90, 255, size=(45, 60)),
        ink=flat(200, 200, 200, 255, size=(20, 20)),
        gone=flat(255, 0, 0, 255, size=size),
    )
    before = set(window.model.state.frames)
    drop(window, path)
    qtbot.waitUntil(
        lambda: len(window.model.state.frames) == len(before) + 1 and not window.jobs.importing.coming_in, timeout=20000
    )
    (found,) = set(window.model.state.frames) - before
    window.model.select(found)
    qtbot.waitUntil(lambda: window.flow.rendered is not None and window.flow.rendered.frame == found, timeout=20000)
    return found


def rows(facts):
    return [tuple(label.text().strip() for label in row) for row in facts._rows if row[0].text()]


def test_its_layers_are_listed_and_it_carries_a_mark_that_is_also_spoken(window, qtbot, poster):
    click_frame(qtbot, window, "poster")
    qtbot.keyClick(window.view, Qt.Key.Key_1)
    bench = window.benches.source
    assert rows(bench.stack) == [
        ("mist", "normal, 50 %", "with below"),
        ("pair", "normal", ""),
        ("ink", "multiply", "with below"),
        ("gone", "normal", "hidden"),
        ("base", "normal", ""),
    ]
    listed = window.frames.rows
    assert "layered" in listed.data(listed.index(listed.row_of(poster)), Qt.ItemDataRole.AccessibleTextRole)
    click_frame(qtbot, window, "north-0412")
    assert not bench.stack.isVisible()
    qtbot.keyClick(window.view, Qt.Key.Key_Y)
    assert window.model.places.at_picture and "has no layers" in window.model.messages.latest


def test_the_room_shows_where_the_other_order_would_have_moved_it(window, qtbot, poster):
    window.view.setFocus()
    qtbot.keyClick(window.view, Qt.Key.Key_Y)
    room = window.navigator.room
    assert window.model.places.now.page is Page.LAYERS
    qtbot.waitUntil(lambda: room.figure.number.text() != "", timeout=20000)
    assert room.figure.number.text() == "43 %"  # the half under the mist, but for the corner that is darkened
    assert rows(room.causes)[0][:2] == ("mist", "normal")
    image = room.map.image
    left, right = image.pixelColor(10, image.height() - 10), image.pixelColor(image.width() - 10, 10)
    assert left.red() != left.green() and right.red() == right.green() == right.blue()
    room.to.setFocus()
    at = room.to.currentText()
    qtbot.keyClick(room.to, Qt.Key.Key_Down)
    assert room.to.currentText() != at
    qtbot.waitUntil(lambda: room.figure.number.text() not in ("", "43 %"), timeout=20000)
    qtbot.keyClick(room, Qt.Key.Key_Escape)
    assert window.model.places.at_picture


def test_it_is_merged_first_converted_then_and_handed_off_checked(window, qtbot, poster, tmp_path):
    window.view.setFocus()
    qtbot.keyClick(window.view, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    bench = window.benches.working
    bench.choose(2, "romm")
    qtbot.waitUntil(lambda: "would have moved" in bench.merged.text(), timeout=20000)
    assert "most of it under “mist”, normal" in bench.merged.text() and bench.where.isVisible()
    qtbot.mouseClick(bench.act, Qt.MouseButton.LeftButton)
    assert [e.verb for e in window.model.state.frames[poster].ledger] == [Verb.CONVERT]
    out = tmp_path / "poster.tif"
    window.jobs.colour.save_copy(poster, CopyWish(out))
    qtbot.waitUntil(lambda: "poster.tif was written" in window.model.messages.latest, timeout=20000)
    with opened(window.model.state.frames[poster].path) as layered:
        merged = layered.merged()[..., :3] / 65535
    wanted = ROMM.encode(np.clip(SRGB.decode(merged) @ between(SRGB, ROMM).T, 0, 1))
    assert np.abs(tifffile.imread(out) / 65535.0 - wanted).max() < 2 / 65535


def test_changed_elsewhere_it_comes_up_again_under_the_same_decisions(window, qtbot, poster):
    state = window.model.state
    window.jobs.colour.add_pin(poster, 0.25, 0.75)
    window.jobs.colour.convert((poster,), ROMM, Intent.RELATIVE, True)
    path, size = state.frames[poster].path, (90, 60)
    qtbot.waitUntil(lambda: window.flow.pins is not None and window.flow.pins.now != [], timeout=20000)
    before = window.flow.pins.now[0].lab
    qtbot.waitUntil(lambda: window.thumbnails.image(poster) is not None, timeout=20000)
    openraster(path, layer("base"), size=size, base=flat(20, 90, 30, 255, size=size))
    qtbot.waitUntil(lambda: poster in window.jobs.watching.news, timeout=20000)
    frame = window.model.state.frames[poster]
    assert [e.verb for e in frame.ledger] == [Verb.CONVERT] and len(frame.pins) == 1
    assert "1 layer instead of 5" in window.model.messages.latest
    qtbot.waitUntil(lambda: window.flow.pins is not None and window.flow.pins.now != [], timeout=20000)
    after = window.flow.pins.now[0].lab
    assert after[1] < -20 < before[1]  # green now
    qtbot.keyClick(window.view, Qt.Key.Key_1)
    news = window.benches.source.changed
    assert news.isVisible() and "Every decision stays" in news.words.text()
    qtbot.waitUntil(lambda: news.pair.images[1] is not None, timeout=20000)
    was, now = (image.pixelColor(image.width() // 4, 3 * image.height() // 4) for image in news.pair.images)
    assert was.red() > was.green() and now.green() > now.red()
    click_frame(qtbot, window, "north-0412")
    assert not news.isVisible()


def test_what_cannot_be_read_while_it_is_written_is_told_and_nothing_of_it_is_lost(window, qtbot, poster):
    path = window.model.state.frames[poster].path
    window.jobs.colour.convert((poster,), ROMM, Intent.RELATIVE, True)
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) // 2])
    said = "poster.ora changed and cannot be read now"
    qtbot.waitUntil(lambda: said in window.model.messages.latest, timeout=20000)
    assert [e.verb for e in window.model.state.frames[poster].ledger] == [Verb.CONVERT]
    path.write_bytes(whole)
    qtbot.wait(3500)
    assert poster not in window.jobs.watching.news and not window.model.state.frames[poster].held
