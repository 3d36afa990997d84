"""Pictures from an invented journal, *The Selvedge*: a plate before and after its treatment, and a flat frame of a clip."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.codes import codes_of_light
from velkin.core.conversion.light import carried
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.rgb import ROMM, SRGB
from velkin.sim.elsewhere import as_jpeg, linear_part, make_once
from velkin.sim.treatments import treated

Pixels = NDArray[np.float32]

NAME = "The Selvedge, a journal"
RECIPE = "1"
#: How many files there are.
COUNT = 3
_WIDTH = 1500
_WHOLE = (0.0, 0.0, 1.0, 1.0)


def _written(linear: Pixels) -> bytes:
    """A tagged sRGB JPEG of linear ROMM RGB."""
    light = carried(linear, ROMM, SRGB)
    return as_jpeg(np.asarray(codes_of_light(light, SRGB, 8, dither=True), dtype=np.uint8), matrix_profile(SRGB))


def flattened(linear: Pixels) -> Pixels:
    """A picture, linear ROMM RGB, as a clip holds it to be graded later: blacks lifted, whites low, little chroma."""
    grey = linear.mean(axis=2, keepdims=True)
    dull = grey + 0.55 * (linear - grey)
    return np.asarray(0.035 + 0.50 * np.maximum(dull, 0.0) ** 0.62, dtype=np.float32)


def make(
    folder: Path,
    frames: Path,
    made: Callable[[int], None] = lambda done: None,
    stopped: Callable[[], bool] = lambda: False,
) -> list[Path]:
    """Make the files; what is there already from this version is kept.

    `stopped` is asked before each file; when it says so the rest is left out.
    """
    plate = "north-0415"
    jobs: dict[str, Callable[[], bytes]] = {
        "plate-before.jpg": lambda: _written(linear_part(frames, plate, _WHOLE, _WIDTH, ROMM)),
        "plate-after.jpg": lambda: _written(treated(linear_part(frames, plate, _WHOLE, _WIDTH, ROMM), "faded")),
        "clip-0007.jpg": lambda: _written(flattened(linear_part(frames, "north-0412", _WHOLE, _WIDTH, ROMM))),
    }
    return make_once(folder, RECIPE, {folder / name: build for name, build in jobs.items()}, made, stopped)
