"""A day's matching in the real window: the second camera by chart and by three pins, a journal's treatment on a whole light at 70 %,
the felt doll's skin in balance; all handed off, read back by another library, and all undone."""

from io import BytesIO

import numpy as np
from PIL import Image, ImageCms
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QScrollArea

from tests.app.test_match_room import LEFT, choose, enter
from tests.app.test_whole_job import click, click_mark, open_hand_off
from velkin.app.main import settle
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.frame import Role
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import SRGB
from velkin.core.tags.pins import Target, distance
from velkin.sim import journal, madderfold
from velkin.sim.sittings import SECOND


def arrived(window, files, light):
    """Frames added to a light of their own; ids by name."""
    came = []
    window.jobs.command(lambda s: came.extend(s.frames.add_frames([look_at(f) for f in files], light)))
    return {window.model.state.frames[i].name: i for i in came}


def part_of(picture, at, by=0.02):
    """Lab of the middle colour of a part of a tagged picture, read through the profile in it."""
    embedded = picture.info["icc_profile"]
    assert "sRGB" in ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(BytesIO(embedded)))
    codes = np.asarray(picture) / 255.0
    height, width = codes.shape[:2]
    x, y, half = int(at[0] * width), int(at[1] * height), int(by * width)
    mean = SRGB.decode(codes[y - half : y + half, x - half : x + half]).reshape(-1, 3).mean(axis=0)
    return xyz_to_lab(mean @ SRGB.to_xyz.T)


def test_a_days_matching(qtbot, window, ids, demo_frames, tmp_path):
    state = lambda: window.model.state  # noqa: E731
    field = arrived(window, madderfold.files_of(SECOND, demo_frames), "second camera")
    window.jobs.command(lambda s: s.frames.set_role([field["field-0201"]], Role.CHART))
    plates = arrived(window, journal.make(tmp_path / "journal", demo_frames), "journal")
    reference = ids["north-0412"]

    # the second camera by the chart, on all of its light
    room = enter(qtbot, window, field["field-0203"], reference)
    choose(room.evidence.add, "From the charts")
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    before, after = room.learnt.figures.before, room.learnt.figures.mean
    assert after < 0.5 < 3.0 < before
    QTest.mouseClick(room.bench.give, LEFT)
    qtbot.waitUntil(lambda: len(state().given_looks) == 3, timeout=60000)

    # one frame of it by three pins as well: the same room goes on with the match that is there
    room = enter(qtbot, window, field["field-0203"])
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    room.use_reference(reference)
    qtbot.waitUntil(lambda: not room.view.reference.isNull(), timeout=60000)
    QTest.mouseClick(room.set_pins, LEFT)
    rect = room.view.picture_rect()
    middle = int(rect.center().y())
    room.view._wipe = 0.02  # nearly all of the reference, then nearly none
    for x in (0.3, 0.6, 0.9):
        QTest.mouseClick(room.view, LEFT, pos=QPoint(int(rect.left() + x * rect.width()), middle))
    room.view._wipe = 0.98
    for x in (0.3, 0.6, 0.9):
        QTest.mouseClick(room.view, LEFT, pos=QPoint(int(rect.left() + x * rect.width()), middle))
    qtbot.waitUntil(lambda: sum(r.words.startswith("pin") for r in room.pairs.rows) == 3, timeout=60000)
    qtbot.waitUntil(lambda: room.learnt is not None and len(room.learnt.match.pairs) == 27, timeout=60000)
    QTest.mouseClick(room.bench.only, LEFT)
    qtbot.waitUntil(lambda: len(state().looks) == 2, timeout=60000)

    # the journal's treatment, smoothed, on the whole north light at 70 %
    room = enter(qtbot, window, plates["plate-before"], plates["plate-after"])
    choose(room.evidence.add, "aligned picture")
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    room.bench.exact.slider.setFocus()
    for _ in range(2):
        QTest.keyClick(room.bench.exact.slider, Qt.Key.Key_PageDown)
    qtbot.waitUntil(lambda: room.learnt.figures.exact < 0.85 and not room.making.learning, timeout=60000)
    assert room.learnt.figures.steepness.folds == 0.0 and room.learnt.figures.mean < 1.0
    window.model.select(ids["north-0414"])
    QTest.mouseClick(room.bench.give, LEFT)
    north = state().light_of(ids["north-0414"]).frames
    qtbot.waitUntil(lambda: all(f in state().given_looks for f in north), timeout=60000)
    window.model.select(ids["north-0414"], north)
    window.model.open_bench("working")
    slider = window.benches.working.look.strength.slider
    next(p for p in _parents(slider) if isinstance(p, QScrollArea)).ensureWidgetVisible(slider)
    slider.setFocus()
    for _ in range(2):
        QTest.keyClick(slider, Qt.Key.Key_PageDown)
    assert {state().given_looks[f][1] for f in north} == {0.7}

    # the felt skin comes to its balance
    doll = field["field-0205"]
    window.jobs.looks.take_off((doll,))
    window.model.select(doll)
    window.jobs.colour.add_pin(doll, 0.5, 0.24)
    bench = window.benches.working
    qtbot.waitUntil(lambda: bench.lab_at_pin(0) is not None, timeout=60000)
    bench.pins.chosen.emit(0)
    bench.target.setFocus()
    QTest.keyClick(bench.target, Qt.Key.Key_End)
    skin = Target("skin")
    far = distance(np.array(bench.lab_at_pin(0)), skin)
    qtbot.waitUntil(bench.bring.isVisible, timeout=60000)
    QTest.mouseClick(bench.bring, LEFT)
    qtbot.waitUntil(lambda: doll in state().given_looks, timeout=60000)
    assert settle(window, 90)
    assert far > 3.0 and distance(np.array(bench.lab_at_pin(0)), skin) < 0.3

    # handed off, and read back by another library
    chosen = (field["field-0203"], doll, reference, ids["north-0414"])
    window.model.select(chosen[0], chosen)
    hand = open_hand_off(qtbot, window)
    click_mark(qtbot, hand._chosen)
    qtbot.waitUntil(lambda: window.jobs.handoff.concerns is not None, timeout=60000)
    with qtbot.waitSignal(window.jobs.handoff.ended, timeout=120000):
        click(qtbot, hand.run_button)
    assert [d.ok for d in window.jobs.handoff.results] == [True] * 4
    folder = window.model.shoot.path.parent / "web"
    with Image.open(folder / "field-0205.jpg") as picture:
        assert distance(part_of(picture, (0.5, 0.24), 0.004), skin) < 2.5

    # all undone, one step after the other
    window.model.select(reference)
    window.view.setFocus()
    while window.model.steps()[0] not in (None, "add 3 frames"):
        QTest.keyClick(window.view, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert state().given_looks == {} and state().looks == {}
    assert all(not f.pins for f in state().frames.values())


def test_what_the_second_camera_shot_comes_nearer_to_the_first(qtbot, window, ids, demo_frames):
    """The same skeins by both cameras: written by either, far apart before and near after the match, outside the chart's own colours."""
    field = arrived(window, madderfold.files_of(SECOND, demo_frames), "second camera")
    window.jobs.command(lambda s: s.frames.set_role([field["field-0201"]], Role.CHART))
    frame, reference = field["field-0203"], ids["north-0412"]
    room = enter(qtbot, window, frame, reference)
    spots = [(x, y) for x in (0.12, 0.27, 0.42, 0.575, 0.735, 0.885) for y in (0.35, 0.5, 0.65)]

    def read(rendered):
        linear = rendered.working
        height, width = linear.shape[:2]
        space = rendered.path.working
        parts = [
            linear[int(y * height) - 3 : int(y * height) + 4, int(x * width) - 3 : int(x * width) + 4]
            .reshape(-1, 3)
            .mean(axis=0)
            for x, y in spots
        ]
        return xyz_to_lab(np.array(parts) @ space.to_xyz.T)

    window.model.select(reference)
    assert settle(window, 90)
    qtbot.waitUntil(lambda: window.flow.rendered.frame == reference, timeout=60000)
    wanted = read(window.flow.rendered)
    window.model.select(frame)
    qtbot.waitUntil(lambda: window.flow.rendered.frame == frame, timeout=60000)
    before = ciede2000(read(window.flow.rendered), wanted).mean()
    choose(room.evidence.add, "From the charts")
    qtbot.waitUntil(lambda: room.learnt is not None, timeout=60000)
    assert settle(window, 90)
    after = ciede2000(read(window.flow.rendered), wanted).mean()
    assert after < 0.5 * before


def _parents(widget):
    while (widget := widget.parentWidget()) is not None:
        yield widget
