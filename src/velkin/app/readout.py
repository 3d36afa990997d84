"""The numbers under the pointer: here, in Lab, and there, in words."""

from __future__ import annotations

import numpy as np

from velkin.app.benches.pin_numbers import here_words, read_at, there_words
from velkin.app.drawing import Rendered
from velkin.app.words import signed


def numbers_under(at: tuple[float, float], r: Rendered, size: tuple[int, int]) -> tuple[str, str, str, str]:
    """Place, numbers of the frame's own space, Lab and numbers there, at a point of a picture of `size` pixels."""
    assert r.source is not None
    height, width = r.source.shape[:2]
    x = min(int(at[0] * width / size[0]), width - 1)
    y = min(int(at[1] * height / size[1]), height - 1)
    found = read_at(r.source, r.path, slice(y, y + 1), slice(x, x + 1))
    mark = "   \u25a8 outside" if found.outside else ""
    return (
        f"{int(at[0])}, {int(at[1])}",
        here_words(np.asarray(found.here, dtype=np.float64), r.path),
        "  ".join(signed(float(v)) for v in found.lab),
        there_words(found.there, r.path.destination) + mark,
    )
