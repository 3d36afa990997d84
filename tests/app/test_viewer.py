"""The picture view: zoom, pan and place are exact; hatching is black and white; the surround is what it says."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QImage

from tests.app.doing import wheel
from velkin.app import theme
from velkin.app.flow.drawing import to_image
from velkin.app.main import make_application
from velkin.app.widgets.viewer import PictureView, surround_grey
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import SRGB


@pytest.fixture
def view(qtbot):
    make_application()
    made = PictureView()
    qtbot.addWidget(made)
    made.resize(700, 500)
    made.show()
    made.set_picture(to_image(np.full((400, 600, 3), 128, np.uint8)), (2400, 1600))
    return made


def pixels_of(widget):
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    data = image.constBits().asarray(image.sizeInBytes())
    rows = np.frombuffer(data, np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).copy()


def test_fit_shows_the_whole_picture_inside_the_margins(view):
    rect = view.picture_rect()
    assert rect.left() >= view.margins[0] - 0.5 and rect.top() >= view.margins[1] - 0.5
    assert rect.right() <= view.width() - view.margins[2] + 0.5
    assert rect.width() / rect.height() == pytest.approx(1.5)
    assert view.is_fit


def test_points_go_to_the_widget_and_back(view):
    for scale in (0.3, 1.0, 4.0):
        view.zoom_by(scale / view.scale, QPointF(320, 210))
        for x, y in ((0, 0), (1234.5, 77.25), (2400, 1600)):
            back = view.to_picture(view.to_widget(x, y))
            assert (back.x(), back.y()) == pytest.approx((x, y), abs=1e-6)


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(st.floats(0.05, 20), st.integers(0, 699), st.integers(0, 499)), max_size=8))
def test_no_zoom_ever_loses_the_picture(steps):
    make_application()
    view = PictureView()
    view.resize(700, 500)
    view.set_picture(to_image(np.zeros((40, 60, 3), np.uint8)), (2400, 1600))
    for factor, x, y in steps:
        view.zoom_by(factor, QPointF(x, y))
        rect, area = view.picture_rect(), view._area()
        assert rect.intersects(area)
        assert rect.width() >= area.width() - 1 or rect.height() >= area.height() - 1 or view.scale >= 0.99
        assert view.scale <= 16.0


def test_wheel_zooms_to_the_pointer(view):
    at = QPointF(200, 300)
    before = view.to_picture(at)
    wheel(view, at, 480)
    assert not view.is_fit
    assert (view.to_picture(at) - before).manhattanLength() < 1


def test_double_click_goes_to_actual_pixels_and_back(qtbot, view):
    qtbot.mouseDClick(view, Qt.MouseButton.LeftButton, pos=QPoint(300, 250))
    assert view.scale * view.devicePixelRatioF() == pytest.approx(1.0)
    qtbot.mouseDClick(view, Qt.MouseButton.LeftButton, pos=QPoint(300, 250))
    assert view.is_fit


def test_dragging_pans_and_stops_at_the_edge(qtbot, view):
    view.actual()
    before = view.to_picture(QPointF(350, 250))
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(350, 250))
    qtbot.mouseMove(view, QPoint(300, 220))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(300, 220))
    moved = view.to_picture(QPointF(350, 250)) - before
    assert (moved.x(), moved.y()) == pytest.approx((50, 30), abs=1)
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(10, 10))
    for _ in range(12):
        qtbot.mouseMove(view, QPoint(690, 490))
        view._drag = QPointF(10, 10)
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(690, 490))
    assert view.to_picture(view._area().topLeft()).x() >= -1


def test_keys_zoom(qtbot, view):
    start = view.scale
    qtbot.keyClick(view, Qt.Key.Key_Plus)
    assert view.scale == pytest.approx(1.25 * start)
    qtbot.keyClick(view, Qt.Key.Key_Minus)
    assert view.scale == pytest.approx(start)


def test_the_pointer_is_told_in_full_size_pixels(qtbot, view):
    told = []
    view.pointed.connect(told.append)
    centre = view.to_widget(1200, 800).toPoint()
    qtbot.mouseMove(view, centre)
    qtbot.waitUntil(lambda: bool(told), timeout=60000)
    assert told[-1] == pytest.approx((1200, 800), abs=4)
    view._tell(QPointF(2, 2))
    assert told[-1] is None


def test_hatching_is_black_white_and_picture_only_where_it_is_out(view):
    mask = np.zeros((400, 600), np.uint8)
    mask[:, 300:] = 255
    hatch = QImage(mask.tobytes(), 600, 400, 600, QImage.Format.Format_Alpha8).copy()
    view.set_picture(to_image(np.full((400, 600, 3), (200, 40, 40), np.uint8)), (2400, 1600), hatch)
    view.show_hatch = True
    shot = pixels_of(view)
    rect = view.picture_rect().toRect()
    left = shot[rect.top() + 20 : rect.bottom() - 20, rect.left() + 20 : rect.center().x() - 20]
    right = shot[rect.top() + 20 : rect.bottom() - 20, rect.center().x() + 20 : rect.right() - 20]
    assert (left == (200, 40, 40)).all()
    black, white = (right == 0).all(axis=2).mean(), (right == 255).all(axis=2).mean()
    picture = (right == (200, 40, 40)).all(axis=2).mean()
    assert black == pytest.approx(1 / 3, abs=0.03)
    assert white == pytest.approx(1 / 3, abs=0.03)
    assert picture == pytest.approx(1 / 3, abs=0.03)


def test_the_surround_is_neutral_and_of_its_lightness(view):
    for lightness in (15, 50, 90):
        grey = surround_grey(lightness)
        assert grey.red() == grey.green() == grey.blue()
        y = SRGB.to_xyz @ np.full(3, float(SRGB.decode(np.array(grey.red() / 255))))
        assert xyz_to_lab(y)[0] == pytest.approx(lightness, abs=0.4)
    view.set_surround(QColor(50, 50, 50))
    assert tuple(pixels_of(view)[3, 3]) == (50, 50, 50)
    view.set_surround(None)
    assert tuple(pixels_of(view)[3, 3]) == (theme.current().colour("surround").red(),) * 3


def test_an_empty_view_says_what_to_do_and_takes_all_keys(qtbot, view):
    view.clear()
    view.empty_text = "Drop raw files here"
    view.fit()
    view.actual()
    view.zoom_by(2)
    assert not view.has_picture
    assert len(np.unique(pixels_of(view).reshape(-1, 3), axis=0)) > 2


def test_the_image_keeps_its_own_pixels():
    pixels = np.zeros((3, 5, 3), np.uint8)
    pixels[1, 2] = (10, 20, 30)
    image = to_image(pixels)
    pixels[:] = 99
    colour = image.pixelColor(2, 1)
    assert (colour.red(), colour.green(), colour.blue()) == (10, 20, 30)
