"""Merging: the layers of a stack put on each other, in 32-bit floating point, in the picture's own encoded numbers.

Rows of all layers are read from the top down, a band at a time, so that memory does not grow with their number.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import ExitStack
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import in_bands
from velkin.core.errors import UnreadableFile
from velkin.core.files.layers.archive import Archive
from velkin.core.files.layers.blending import put_on
from velkin.core.files.layers.operators import Operator
from velkin.core.files.layers.png_rows import PNGRows, in_four
from velkin.core.files.layers.stack import Group, Layer, Stack
from velkin.core.files.limits import LARGEST

Pixels = NDArray[np.float32]
#: Encoded numbers of a layer (n, 3), 0..1, in other ones.
Recode = Callable[[Pixels], Pixels]
#: Layers of more pixels than this, taken together, are refused.
_MOST_PIXELS = 10 * LARGEST
#: Pixels of the canvas that are worked on at once.
_BAND = 1 << 19


@dataclass(frozen=True)
class Order:
    """One way of merging.

    Attributes
    ----------
    recode : callable or None
        What becomes of the numbers of each layer before they are merged; None leaves them.
    without : Layer, Group or None
        What is left out.
    """

    recode: Recode | None = None
    without: Layer | Group | None = None


#: Merged as it is.
AS_IT_IS = Order()


@dataclass(frozen=True)
class Band:
    """Some rows of the canvas, merged in each of the orders that were asked for.

    Attributes
    ----------
    first : int
        The first row, counted in those that are looked at.
    merged : tuple of ndarray (rows, columns, 4), float32
        Encoded numbers 0..1, not multiplied with the alpha that follows them.
    """

    first: int
    merged: tuple[Pixels, ...] = field(repr=False)


def merged_bands(
    archive: Archive, stack: Stack, orders: tuple[Order, ...] = (AS_IT_IS,), own: dict[str, Recode] | None = None, step: int = 1
) -> Iterator[Band]:
    """Merge a stack, band by band from the top down.

    Parameters
    ----------
    archive : Archive
        Stays open until the last band.
    orders : tuple of Order
    own : dict, optional
        What brings the numbers of parts that have a profile of their own into those of the picture.
    step : int
        Look at every so many columns and rows only; blending looks at each pixel alone, so that what is seen is exact.

    Raises
    ------
    UnreadableFile
        When a part is missing or damaged.
    """
    used = [node for node in _seen(stack.root) if isinstance(node, Layer)]
    with ExitStack() as open_parts:
        placed = []
        pixels = 0
        for layer in used:
            stream = open_parts.enter_context(archive.opened(layer.source))
            rows = PNGRows(stream, archive.path, f"the layer “{layer.name or layer.source}”")
            pixels += rows.shape.width * rows.shape.height
            if pixels > _MOST_PIXELS:
                raise UnreadableFile(
                    f"its layers have more than {_MOST_PIXELS // 1_000_000} million pixels together, which is refused",
                    archive.path,
                )
            placed.append(_Placed(layer, rows, stack, step))
        at_once = max(_BAND // stack.width, 1) // step * step or step
        for first in range(0, stack.height, at_once):
            last = min(first + at_once, stack.height)
            parts = in_bands(lambda a, _b, f=first, z=last: placed[a].read(f, z), len(placed), 1) if placed else []  # type: ignore[misc]
            band = _BandWork({id(p.layer): part for p, part in zip(placed, parts, strict=True)}, own or {})
            shape = (-(-(last - first) // step), -(-stack.width // step), 4)
            yield Band(-(-first // step), tuple(band.merged(stack.root, order, shape) for order in orders))


def _seen(group: Group) -> Iterator[Layer | Group]:
    """What is drawn of a group: nothing that is hidden."""
    for child in group.children:
        if child.visible:
            yield child
            if isinstance(child, Group):
                yield from _seen(child)


@dataclass(frozen=True)
class _Part:
    """Pixels of a layer within a band: their first row and column there."""

    row: int
    column: int
    pixels: NDArray[Any]


class _Placed:
    """A layer's rows where they lie on the canvas."""

    def __init__(self, layer: Layer, rows: PNGRows, stack: Stack, step: int) -> None:
        self.layer, self._rows, self._step = layer, rows, step
        self._left, self._right = max(layer.x, 0), min(layer.x + rows.shape.width, stack.width)

    def read(self, first: int, last: int) -> _Part | None:
        """What of it lies in rows of the canvas, of each `step` pixels one; None where nothing does."""
        step, y = self._step, self.layer.y
        top, bottom = max(first, y), min(last, y + self._rows.shape.height)
        if top >= bottom or self._left >= self._right:
            return None
        pixels = self._rows.read(top - y, bottom - y)[:, self._left - self.layer.x : self._right - self.layer.x]
        row, column = -(-(top - first) // step), -(-self._left // step)
        down, along = row * step - (top - first), column * step - self._left
        pixels = pixels[down::step, along::step]
        return _Part(row, column, np.ascontiguousarray(pixels)) if pixels.size else None


class _BandWork:
    """Merges one band."""

    def __init__(self, parts: dict[int, _Part | None], own: dict[str, Recode]) -> None:
        self._parts, self._own = parts, own

    def merged(self, root: Group, order: Order, shape: tuple[int, int, int]) -> Pixels:
        out: Pixels = np.zeros(shape, dtype=np.float32)
        self._put_group(out, root, order)
        return out

    def _put_group(self, below: Pixels, group: Group, order: Order) -> None:
        for child in group.children:
            if not child.visible or child is order.without:
                continue
            if isinstance(child, Layer):
                self._put_layer(below, child, order)
            elif child.isolated:
                alone: Pixels = np.zeros_like(below)
                self._put_group(alone, child, order)
                _put(below, _Part(0, 0, alone), child.opacity, child.operator)
            else:
                self._put_group(below, child, order)

    def _put_layer(self, below: Pixels, layer: Layer, order: Order) -> None:
        part = self._parts.get(id(layer))
        changes = [c for c in (self._own.get(layer.source), order.recode) if c is not None]
        if part is not None and changes:
            floats = part.pixels.reshape(-1, 4) * np.float32(_scale_of(part.pixels))
            for change in changes:
                floats[:, :3] = change(np.ascontiguousarray(floats[:, :3]))
            part = _Part(part.row, part.column, floats.reshape(part.pixels.shape))
        if part is None:
            if layer.operator.clears_beyond:
                below[...] = 0
            return
        _put(below, part, layer.opacity, layer.operator)


def _scale_of(pixels: NDArray[Any]) -> float:
    return {np.dtype(np.uint8): 1 / 255, np.dtype(np.uint16): 1 / 65535}.get(pixels.dtype, 1.0)


def _put(below: Pixels, part: _Part, opacity: float, operator: Operator) -> None:
    """Put pixels on those below, and clear what lies beyond them where the operator does so."""
    height, width = part.pixels.shape[:2]
    scale, blend, composite = _scale_of(part.pixels), int(operator.blend), int(operator.composite)
    if operator.clears_beyond:
        there = below[part.row : part.row + height, part.column : part.column + width].copy()
        below[...] = 0
        below[part.row : part.row + height, part.column : part.column + width] = there
    whole = part.column == 0 and width == below.shape[1]

    def rows(first: int, last: int) -> None:
        if whole:
            pixels = part.pixels[first:last].reshape(-1, 4)
            put_on(below[part.row + first : part.row + last].reshape(-1, 4), pixels, scale, opacity, blend, composite)
            return
        for i in range(first, last):
            put_on(below[part.row + i, part.column : part.column + width], part.pixels[i], scale, opacity, blend, composite)

    in_bands(rows, height, max((1 << 16) // max(width, 1), 1))


def merged_numbers(archive: Archive, stack: Stack, own: dict[str, Recode] | None = None) -> NDArray[np.uint16]:
    """The merged picture (H, W, 4) in 16 bits, alpha last; colours are not multiplied with it. Raises UnreadableFile."""
    out: NDArray[np.uint16] = np.empty((stack.height, stack.width, 4), dtype=np.uint16)
    for band in merged_bands(archive, stack, own=own):
        pixels = band.merged[0]
        np.multiply(pixels, np.float32(65535), out=pixels)
        out[band.first : band.first + len(pixels)] = np.rint(np.clip(pixels, 0, 65535, out=pixels), out=pixels)
    return out


def largest_difference(archive: Archive, name: str, numbers: NDArray[Any], alpha: NDArray[Any] | None) -> int | None:
    """How far a merged picture that is in the file lies from one that was made, in codes of 8 bits, at most; None where their sizes differ.

    Both are rounded to 8 bits and multiplied with their alpha, since a colour that is not seen says nothing.

    Raises
    ------
    UnreadableFile
    """
    height, width = numbers.shape[:2]
    with archive.opened(name) as stream:
        rows = PNGRows(stream, archive.path, "the merged picture in the file")
        if (rows.shape.width, rows.shape.height) != (width, height):
            return None
        most, step = 0, max(_BAND // width, 1)
        for first in range(0, height, step):
            last = min(first + step, height)
            theirs = _seen_codes(rows.read(first, last))
            ours = in_four(numbers[first:last] if alpha is None else np.dstack([numbers[first:last], alpha[first:last]]))
            most = max(most, int(np.abs(theirs - _seen_codes(ours)).max()))
        return most


def _seen_codes(pixels: NDArray[Any]) -> NDArray[np.int16]:
    """Codes (…, 4) of 8 bits with the colours multiplied by the alpha."""
    floats = np.rint(pixels * np.float32(255 * _scale_of(pixels)))
    floats[..., :3] *= floats[..., 3:] / np.float32(255)
    return np.rint(floats).astype(np.int16)
