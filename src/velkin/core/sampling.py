"""Even samples of pictures: what is said of all pixels is often measured on some that are spread over them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def spread(flat: NDArray[Any], about: int) -> NDArray[Any]:
    """About so many of the rows of an array (N, …), evenly spread and contiguous; all of them where there are no more.

    The step is odd, so that it does not run along the columns of pictures of the usual sizes.
    """
    return np.ascontiguousarray(flat[:: max(1, len(flat) // about) | 1])
