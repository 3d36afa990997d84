"""Two pictures compared: laid on each other whatever their colours, moved by hand, and measured only where both show something."""

import cv2
import numpy as np
import pytest

from velkin.core.errors import FitRefused
from velkin.core.match.comparing import compare
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.pictures import SEEN
from velkin.core.spaces.rgb import ROMM

RNG = np.random.default_rng(11)


def scene(height=240, width=360):
    """Soft shapes with texture, linear ROMM RGB."""
    small = RNG.random((10, 15, 3)).astype(np.float32)
    big = cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC)
    fine = cv2.resize(RNG.random((60, 90)).astype(np.float32), (width, height), interpolation=cv2.INTER_CUBIC)
    return np.clip(0.15 + 0.5 * big + 0.15 * fine[..., None], 0.02, 0.95).astype(np.float32)


def test_the_same_picture_in_other_colours_is_apart_by_the_colours_alone():
    here = scene()
    other = here * np.array([1.1, 1.0, 0.85], np.float32)
    found = compare(here, other)
    a, b = (xyz_to_lab(p.reshape(-1, 3).astype(float) @ ROMM.to_xyz.T) for p in (here, other))
    assert found.mean == pytest.approx(ciede2000(a, b).mean(), rel=0.02)
    assert found.share == pytest.approx((ciede2000(a, b) > SEEN).mean(), abs=0.02)


@pytest.mark.parametrize("scale", [1.0, 1.6])
def test_one_that_lies_elsewhere_and_is_of_another_size_is_laid_on_it(scale):
    large = scene(300, 440)
    here = np.ascontiguousarray(large[20:260, 30:390])
    other = large[26:266, 22:382]  # six pixels down, eight to the left
    other = cv2.resize(other, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC)
    plain, laid = compare(here, other, align=False), compare(here, other)
    assert laid.mean < 0.35 < 1.5 < plain.mean
    by_hand = compare(here, other, align=False, shift=(-8 / 360, 6 / 240))
    assert by_hand.mean < 0.5 and by_hand.inside.mean() < 1
    assert not by_hand.inside[:5].any()


def test_another_shape_lies_whole_in_the_middle_and_the_rest_does_not_count():
    here = np.full((100, 200, 3), 0.4, np.float32)
    found = compare(here, np.full((80, 80, 3), 0.4, np.float32), align=False)
    assert found.inside.mean() == pytest.approx(0.5) and found.largest < 0.01
    assert found.at(0.5, 0.5) is not None and found.at(0.02, 0.5) is None


def test_two_that_do_not_show_the_same_are_refused_and_nothing_in_common_is_no_figure():
    with pytest.raises(FitRefused):
        compare(scene(), scene())
    far = compare(scene(), scene(), align=False, shift=(1.0, 0.0))
    assert (far.mean, far.share, far.inside.any()) == (0.0, 0.0, False)
