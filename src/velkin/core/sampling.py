"""Even samples of pictures: what is said of all pixels is often measured on some that are spread over them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def spread(flat: NDArray[Any], about: int) -> NDArray[Any]:
    """About so many of the rows of an array (N, …), evenly spread and contiguous; all of them where there are no more.

    The step is odd, so that it does not run along the columns of pictures of the usual sizes.
    """
    return every(flat, step_of(len(flat), about))


def step_of(count: int, about: int) -> int:
    """Every how many of so many rows are taken for about so many, see `spread`."""
    return max(1, count // about) | 1


def every(flat: NDArray[Any], step: int, first: int = 0) -> NDArray[Any]:
    """Every so many of the rows of an array, contiguous; `first` is the place of the first among the rows of the whole that it is part of."""
    return np.ascontiguousarray(flat[-first % step :: step])


def reduced(numbers: NDArray[Any], room: tuple[int, int]) -> NDArray[Any]:
    """A picture (H, W, C) of linear numbers no larger than so many pixels across and down, in their own type: each the mean of those it stands for.

    One that is hardly larger than that is left as it is.
    """
    height, width = numbers.shape[:2]
    by = min(room[0] / width, room[1] / height) if room[0] and room[1] else 1.0
    if by >= 0.95:
        return numbers
    import cv2  # loaded where needed: small things are said without it

    size = (max(round(width * by), 1), max(round(height * by), 1))
    return np.asarray(cv2.resize(numbers, size, interpolation=cv2.INTER_AREA)).reshape(size[1], size[0], -1)


def means_of_squares(numbers: NDArray[Any], side: int) -> NDArray[Any]:
    """Means of squares of pixels of a picture (H, W, C) whose sides are multiples of theirs, in its own type."""
    import cv2  # loaded where needed

    height, width, channels = numbers.shape
    size = (width // side, height // side)
    return np.asarray(cv2.resize(numbers, size, interpolation=cv2.INTER_AREA)).reshape(size[1], size[0], channels)


def at_most(linear: NDArray[Any], room: tuple[int, int]) -> NDArray[np.float32]:
    """As `reduced`, of linear light as float32."""
    return np.asarray(reduced(linear, room), dtype=np.float32)
