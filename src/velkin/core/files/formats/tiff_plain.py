"""TIFFs whose samples lie in the file uncoded, row after row: they are halved while they are read, so that half the size takes no more than itself."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import BAND, in_bands
from velkin.core.files import tiff_fields
from velkin.core.files.tiff_structure import Directory, Structure
from velkin.core.sampling import means_of_squares

#: Samples of a pixel, by what they mean (PhotometricInterpretation): gray from black on, RGB.
_CHANNELS = {1: 1, 2: 3}
#: What a field is that is not there, and what is read here (TIFF 6.0).
_USUAL = {
    tiff_fields.COMPRESSION: 1,
    tiff_fields.FILL_ORDER: 1,
    tiff_fields.PLANAR: 1,
    tiff_fields.PREDICTOR: 1,
    tiff_fields.FORMAT: 1,
}


@dataclass(frozen=True)
class PlainRows:
    """Where the samples lie.

    Attributes
    ----------
    at : int
        The first byte.
    shape : (height, width, channels)
    dtype : numpy.dtype
        uint8 or uint16, as stored.
    """

    at: int
    shape: tuple[int, int, int]
    dtype: np.dtype[np.uint8] | np.dtype[np.uint16]


def plain_rows(structure: Structure, d: Directory) -> PlainRows | None:
    """Where the samples of a directory's picture lie; None where they are coded, apart, of another kind, or of an odd number of rows or columns."""
    if any(set(structure.numbers(d.entries.get(tag), 64) or [usual]) != {usual} for tag, usual in _USUAL.items()):
        return None
    height, width = structure.number(d, tiff_fields.HEIGHT), structure.number(d, tiff_fields.WIDTH)
    channels, bits = structure.number(d, tiff_fields.SAMPLES, 1), set(structure.numbers(d.entries.get(tiff_fields.BITS), 64))
    if (
        channels != _CHANNELS.get(structure.number(d, tiff_fields.PHOTOMETRIC, 1))
        or bits not in ({8}, {16})
        or height % 2
        or width % 2
    ):
        return None
    starts = structure.numbers(d.entries.get(tiff_fields.STRIPS), 1 << 20)
    lengths = structure.numbers(d.entries.get(tiff_fields.STRIP_BYTES), 1 << 20)
    dtype = np.dtype(np.uint8) if bits == {8} else np.dtype(f"{structure.order}u2")
    follow = len(starts) == len(lengths) > 0 and all(
        after == first + length for first, length, after in zip(starts, lengths, starts[1:], strict=False)
    )
    if not follow or sum(lengths) != height * width * channels * dtype.itemsize:
        return None
    return PlainRows(int(starts[0]), (height, width, channels), dtype)


def half_size(path: Path, rows: PlainRows) -> NDArray[np.uint8] | NDArray[np.uint16]:
    """Means of four pixels (H / 2, W / 2, C). Raises OSError, also where the file is cut short."""
    height, width, channels = rows.shape
    own = rows.dtype.newbyteorder("=")
    out = np.empty((height // 2, width // 2, channels), dtype=own)
    row = width * channels * rows.dtype.itemsize
    with path.open("rb") as stream:

        def band(first: int, last: int) -> None:
            wanted = 2 * (last - first) * row
            data = os.pread(stream.fileno(), wanted, rows.at + 2 * first * row)
            if len(data) < wanted:
                raise OSError("the file is cut short")
            numbers = np.frombuffer(data, rows.dtype).astype(own, copy=False).reshape(-1, width, channels)
            out[first:last] = means_of_squares(numbers, 2)

        in_bands(band, height // 2, max(BAND // width, 1))
    return out
