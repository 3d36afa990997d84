"""TIFFs halved while they are read: the same numbers as halving what was decoded whole, or no way round by it."""

import cv2
import numpy as np
import pytest
import tifffile

from velkin.core.errors import UnreadableFile
from velkin.core.files.picture import decode_half, decode_picture
from velkin.core.path import path_of
from velkin.core.render import light_within, to_light
from velkin.core.sampling import at_most
from velkin.core.sources import decode_source
from velkin.core.spaces.rgb import ROMM, SRGB
from velkin.core.stages.source import PictureSource


def written(path, shape, dtype, **how):
    numbers = np.random.default_rng(5).integers(0, np.iinfo(dtype).max, shape, dtype=dtype, endpoint=True)
    how = {"photometric": "rgb" if shape[-1] in (3, 4) else "minisblack", **how}
    tifffile.imwrite(path, numbers, **how)
    return path


@pytest.mark.parametrize("shape", [(400, 602, 3), (64, 300)])
@pytest.mark.parametrize("dtype", [np.uint8, np.uint16])
@pytest.mark.parametrize(
    "how", [{}, {"byteorder": ">"}, {"bigtiff": True}, {"rowsperstrip": 7}, {"extratags": [(274, 3, 1, 6, True)]}]
)
def test_half_the_size_is_the_mean_of_four_pixels_whatever_the_file_is_like(tmp_path, shape, dtype, how):
    path = written(tmp_path / "a.tif", shape, dtype, **how)
    small = decode_half(path)
    assert small is not None
    whole = decode_picture(path).numbers.astype(np.float64)
    means = whole.reshape(whole.shape[0] // 2, 2, whole.shape[1] // 2, 2, -1).mean(axis=(1, 3))
    assert small.numbers.dtype == dtype and small.model == ("rgb" if len(shape) == 3 else "gray")
    assert np.abs(small.numbers - means).max() <= 0.5


def test_a_wide_picture_in_many_bands_is_the_same_as_in_one(tmp_path):
    path = written(tmp_path / "a.tif", (600, 1200, 3), np.uint16)
    whole = decode_picture(path).numbers
    assert np.array_equal(
        decode_source(path, PictureSource(SRGB), half=True), cv2.resize(whole, (600, 300), interpolation=cv2.INTER_AREA)
    )


@pytest.mark.parametrize(
    "how",
    [
        {"compression": "zlib"},
        {"compression": "zlib", "predictor": True},
        {"tile": (16, 16)},
        {"planarconfig": "separate"},
        {"shape": (61, 80, 3)},
        {"shape": (60, 81, 3)},
        {"shape": (60, 80, 4), "extrasamples": ["unassalpha"]},
        {"dtype": np.float32},
        {"photometric": "miniswhite", "shape": (60, 80)},
        {"dtype": np.int16},
    ],
)
def test_what_lies_otherwise_is_decoded_whole_first(tmp_path, how):
    shape, dtype = how.pop("shape", (60, 80, 3)), how.pop("dtype", np.uint16)
    path = tmp_path / "a.tif"
    numbers = (np.random.default_rng(5).random(shape) * 200).astype(dtype)
    if how.get("planarconfig"):
        numbers = np.moveaxis(numbers, -1, 0)
    tifffile.imwrite(path, numbers, **{"photometric": "rgb" if len(shape) == 3 else "minisblack", **how})
    assert decode_half(path) is None
    whole = decode_picture(path).numbers
    assert decode_source(path, PictureSource(SRGB), half=True).shape[:2] == (whole.shape[0] // 2, whole.shape[1] // 2)


def test_a_file_cut_short_is_told_in_words(tmp_path):
    path = written(tmp_path / "a.tif", (400, 600, 3), np.uint16)
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) * 2 // 3])
    with pytest.raises(UnreadableFile, match=r"a\.tif"):
        decode_source(path, PictureSource(SRGB), half=True)


def test_light_of_a_picture_much_larger_than_its_room_is_the_mean_of_its_pixels_light():
    rng = np.random.default_rng(3)
    soft = cv2.resize(rng.random((12, 18, 3)).astype(np.float32), (1800, 1200), interpolation=cv2.INTER_CUBIC)
    numbers = (np.clip(soft, 0, 1) * 65535).astype(np.uint16)
    path = path_of(PictureSource(SRGB), ROMM, SRGB)
    light = light_within(numbers, path, (300, 200))
    assert light.shape == (200, 300, 3)
    assert np.abs(light - at_most(to_light(numbers, path), (300, 200))).max() < 1e-6
