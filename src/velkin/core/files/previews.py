"""Previews: a small picture of a file that is there before the file is decoded.

A camera puts a finished picture of its own beside the mosaic of a raw file (TIFF 6.0 and DNG: a directory of reduced size; others likewise).
It is in the camera's colours, which are not those that a profile gives. A JPEG is decoded at an eighth of its size from the lowest
frequencies of its blocks (ITU-T T.81), and gives the file's own numbers, coarse.
"""

from __future__ import annotations

import contextlib
import struct
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import rawpy
from numpy.typing import NDArray

from velkin.core.files.facts import FileFacts
from velkin.core.files.jpeg_structure import FRAMES, is_jpeg, segments_of
from velkin.core.files.picture import upright_by
from velkin.core.files.raw import RawFacts, opened

Bytes = NDArray[np.uint8]

#: By what a JPEG may be reduced as it is decoded, the most first.
_REDUCED = ((8, cv2.IMREAD_REDUCED_COLOR_8), (4, cv2.IMREAD_REDUCED_COLOR_4), (2, cv2.IMREAD_REDUCED_COLOR_2))
#: A preview whose sides are in another proportion than the picture's by more than this shows something else.
_ASKEW = 0.03


@dataclass(frozen=True)
class Preview:
    """A small picture of a file, upright.

    Attributes
    ----------
    pixels : ndarray (H, W, 3), uint8
    own : bool
        Whether they are the file's own numbers, coarse; otherwise a finished picture that the camera put beside them, taken for sRGB.
    """

    pixels: Bytes
    own: bool


def preview_of(facts: FileFacts, edge: int, page: int = 0) -> Preview | None:
    """A preview with a longest edge of `edge` pixels or a little more where the file has as much; None where it has none of use.

    `page` is the picture of a file that holds several, from 0; only the first has a preview. Never raises for what is wrong with a file: who decodes it says that.
    """
    if page:
        return None
    with contextlib.suppress(Exception):
        if isinstance(facts, RawFacts):
            return _embedded(facts, edge)
        if _starts_as_jpeg(facts.path):
            pixels = _jpeg(facts.path.read_bytes(), edge) if max(facts.width, facts.height) > 2 * edge else None
            return None if pixels is None else _fitting(Preview(pixels, True), facts)
    return None


def _starts_as_jpeg(path: Path) -> bool:
    with path.open("rb") as stream:
        return is_jpeg(stream.read(3))


def _embedded(facts: RawFacts, edge: int) -> Preview | None:
    with opened(facts.path) as raw:
        found = raw.extract_thumb()
    if found.format == rawpy.ThumbFormat.BITMAP:
        pixels: Any = found.data
    else:
        pixels = _jpeg(found.data, edge)
    return None if pixels is None else _fitting(Preview(np.asarray(pixels), False), facts)


def _jpeg(data: bytes, edge: int) -> Bytes | None:
    """RGB of a JPEG as it is stored, reduced as far as `edge` allows; None where it has other than three channels."""
    segments, _ = segments_of(BytesIO(data))
    frame = next(s.payload for s in segments if s.marker in FRAMES)
    height, width, channels = struct.unpack_from(">xHHB", frame)
    if channels != 3:
        return None
    flag = next((flag for by, flag in _REDUCED if max(width, height) / by >= edge), cv2.IMREAD_COLOR)
    found = cv2.imdecode(np.frombuffer(data, dtype=np.uint8), flag | cv2.IMREAD_IGNORE_ORIENTATION)
    return None if found is None else np.asarray(found[..., ::-1])


def _fitting(preview: Preview, facts: FileFacts) -> Preview | None:
    """The preview upright; None where it is not a picture of three channels in the picture's own proportions."""
    pixels = preview.pixels
    if pixels.ndim != 3 or pixels.shape[2] != 3:
        return None
    upright = upright_by(facts.orientation, pixels)
    for turned in (upright, pixels):  # some cameras store their preview upright already
        height, width = turned.shape[:2]
        if abs(width * facts.height / (height * facts.width) - 1) < _ASKEW:
            return Preview(np.ascontiguousarray(turned), preview.own)
    return None
