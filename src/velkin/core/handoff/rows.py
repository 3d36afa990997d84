"""The rows of a picture at its written size: resized in linear light, sharpened where wanted."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.codes import as_float
from velkin.core.conversion.dither import SIDE
from velkin.core.files.transparency import opacity
from velkin.core.gamut.masks import Window
from velkin.core.path import ColourPath
from velkin.core.render import to_working
from velkin.core.sources import Levels
from velkin.core.spaces.rgb import RGBSpace

Pixels = NDArray[np.float32]

#: Rows of a band: as the dither repeats, so that it goes on from band to band.
BAND = SIDE
#: What covers less than this of what lies below is not seen.
INVISIBLE = np.float32(1 / 1024)


class Rows:
    """Linear working rows of a picture at its written size, and how opaque it is there."""

    def __init__(self, levels: Levels, path: ColourPath, size: tuple[int, int], bits: int) -> None:
        self._path = path
        source, self._alpha = levels.pixels, levels.alpha
        # linear camera numbers are resized as they are, which costs one pass; everything else as linear working light
        self._raw = path.is_raw and not path.steps
        self._source = source
        self._resized: Pixels | None = None
        self.width, self.height = size
        #: (H, W), 0..1; None where all of it is.
        self.opacity: Pixels | None = opacity(self._alpha) if self._alpha is not None else None
        if size == (source.shape[1], source.shape[0]):
            return
        if self._raw and bits == 8 and size[0] < source.shape[1]:  # a level is a twentieth of the darkest code, or less
            self._resized = as_float(np.asarray(cv2.resize(source, size, interpolation=cv2.INTER_AREA)))
        elif self.opacity is None:
            self._resized = resized(self._linear, source.shape[1], source.shape[0], size)
        else:  # what is not seen must not run into what is: light is resized by how much of it there is
            covers = self.opacity
            light = resized(lambda a, z: self._linear(a, z) * covers[a:z, :, None], source.shape[1], source.shape[0], size)
            self.opacity = np.clip(resized(lambda a, z: covers[a:z], source.shape[1], source.shape[0], size), 0.0, 1.0)
            self._resized = np.asarray(light / np.maximum(self.opacity, INVISIBLE)[..., None], dtype=np.float32)

    def _linear(self, first: int, last: int) -> Pixels:
        part = self._source[first:last]
        if self._raw:
            return as_float(part)
        return self._working(part, first)

    def _working(self, part: NDArray[Any], first: int) -> Pixels:
        height, width = self._source.shape[:2]
        return to_working(part, self._path, Window(width, height, 0, first))

    def __call__(self, first: int, last: int) -> Pixels:
        """Rows from `first` up to `last`."""
        if self._resized is None:
            return self._working(self._source[first:last], first)
        part = self._resized[first:last]
        if not self._raw:
            return part
        height, width = self._resized.shape[:2]
        return to_working(part, self._path, Window(width, height, 0, first))


def resized(rows: Any, width: int, height: int, size: tuple[int, int]) -> Pixels:
    """A picture brought to another size, from a function that gives its rows: means of areas when smaller, cubic when larger.

    Both are separable, so that each band is brought to its width and then all of it to its height.
    """
    across = cv2.INTER_AREA if size[0] < width else cv2.INTER_CUBIC
    down = cv2.INTER_AREA if size[1] < height else cv2.INTER_CUBIC
    narrow: Pixels | None = None
    for first in range(0, height, BAND):
        part = np.ascontiguousarray(rows(first, min(first + BAND, height)), dtype=np.float32)
        if narrow is None:
            narrow = np.empty((height, size[0], *part.shape[2:]), dtype=np.float32)
        narrow[first : first + len(part)] = cv2.resize(part, (size[0], len(part)), interpolation=across)
    assert narrow is not None
    return np.asarray(cv2.resize(narrow, size, interpolation=down), dtype=np.float32)


def sharpened(linear: Pixels, space: RGBSpace, amount: float) -> Pixels:
    """Local lightness contrast raised without halos: cube-root luminance is sharpened, held within its neighbours' range.

    Hue and chroma stay: each pixel is scaled as a whole.
    """
    luminance = np.maximum(linear @ space.to_xyz[1].astype(np.float32), 0.0)
    light = np.cbrt(luminance)
    wanted = light + np.float32(amount) * (light - cv2.GaussianBlur(light, (0, 0), 0.9))
    kernel = np.ones((3, 3), dtype=np.uint8)
    wanted = np.clip(wanted, cv2.erode(light, kernel), cv2.dilate(light, kernel))
    gain = np.where(light > 1e-3, (wanted / np.maximum(light, 1e-3)) ** 3, 1.0).astype(np.float32)
    return np.asarray(linear * gain[..., None], dtype=np.float32)


def working_at(source: NDArray[Any], path: ColourPath, size: tuple[int, int]) -> Pixels:
    """Linear working RGB (H, W, 3) of a whole frame at another size, not eased and unclipped: what files are compared with."""
    rows = Rows(Levels(source), path, size, 16)
    return np.concatenate([rows(first, min(first + BAND, rows.height)) for first in range(0, rows.height, BAND)])
