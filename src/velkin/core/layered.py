"""What converting the layers of a picture one by one would do to it: blending computes on encoded numbers, which a conversion changes.

Velkin merges first and converts then, which moves nothing; the other order is computed only to show how far it would have gone.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.conversion import Conversion
from velkin.core.conversion.light import converted, linear_in
from velkin.core.errors import NotSupported
from velkin.core.files.layers.merging import Order, Pixels
from velkin.core.files.layers.picture import Layered, opened
from velkin.core.files.layers.stack import Group, Layer, walk
from velkin.core.icc.space import Space
from velkin.core.spaces.pictures import SEEN, difference, figures, lab
from velkin.core.spaces.rgb import RGBSpace

#: Which layers cause it is found on about so many pixels: the picture is merged twice for each.
_SAMPLE = 200_000
#: Layers are tried one by one only where there are no more than this.
_MOST_CAUSES = 40


@dataclass(frozen=True)
class Cause:
    """A layer or group that computes with what lies below it, and the share of the picture that it alone brings to move visibly."""

    name: str
    operator: str
    share: float


@dataclass(frozen=True)
class Shift:
    """How far converting layer by layer would have moved a picture, ΔE00 over all its pixels.

    Attributes
    ----------
    mean, p95, largest : float
    share : float
        Of the picture, that would have moved by more than `SEEN`.
    causes : tuple of Cause
        What most of it comes from, the most first.
    map : ndarray (h, w), float32
        The differences, of every so many pixels across and down.
    """

    mean: float
    p95: float
    largest: float
    share: float
    causes: tuple[Cause, ...]
    map: Pixels = field(repr=False)

    def words(self) -> str:
        """What it says, to go on after "merged first, then converted;"."""
        if self.share == 0:
            return f"layer by layer nothing would have moved by more than ΔE {SEEN:.0f}"
        part = f"{100 * self.share:.0f} %" if self.share >= 0.01 else "less than 1 %"
        most = f", most of it under “{self.causes[0].name}”, {self.causes[0].operator}" if self.causes else ""
        return f"layer by layer {part} of the picture would have moved by more than ΔE {SEEN:.0f}{most}"


def shift_of(path: Path, source: Space, to: Space, sampled: int = 0) -> Shift:
    """How far converting each layer first, and merging then, would have moved a layered picture.

    Parameters
    ----------
    path : Path
    source : Space
        What the numbers of the picture mean.
    to : Space
    sampled : int
        Look at about so many pixels, evenly spread; 0 for all.

    Raises
    ------
    NotSupported
        When either space is not of matrix and curves: layers are blended in red, green and blue.
    UnreadableFile
    """
    if not isinstance(source, RGBSpace) or not isinstance(to, RGBSpace):
        raise NotSupported("only between RGB spaces can layers be converted one by one", path)
    with opened(path) as layered:
        step = _step(layered, sampled)
        found = np.concatenate([one for (one,) in _differences(layered, source, to, step)])
        causes = _causes(layered, source, to)
    return Shift(*figures(found), causes, found)


def computing(layered: Layered) -> list[Layer | Group]:
    """The layers and groups that compute with what lies below them by their own settings; nothing that is hidden."""
    return [node for node, _depth in walk(layered.stack.root) if node.visible and node.computes_with_below]


def _step(layered: Layered, about: int) -> int:
    pixels = layered.stack.width * layered.stack.height
    return max(int((pixels / about) ** 0.5), 1) if about else 1


def _differences(
    layered: Layered, source: RGBSpace, to: RGBSpace, step: int, without: tuple[Layer | Group | None, ...] = (None,)
) -> Iterator[tuple[Pixels, ...]]:
    """ΔE00 (rows, columns) between the two ways, band by band: once for each part of the stack that is left out, None for none."""
    conversion = Conversion(source, to)

    def recode(numbers: Pixels) -> Pixels:
        return np.clip(converted(numbers, conversion), 0, 1)

    def delta(whole: Pixels, apart: Pixels) -> Pixels:
        colours = recode(np.ascontiguousarray(whole[..., :3]).reshape(-1, 3)).reshape(*whole.shape[:2], 3)
        return _delta(_over_white(colours, whole[..., 3:]), _over_white(apart[..., :3], apart[..., 3:]), to)

    orders = tuple(Order(change, out) for out in without for change in (None, recode))
    for band in layered.bands(orders, step):
        yield tuple(delta(*band.merged[i : i + 2]) for i in range(0, len(orders), 2))


def _over_white(colours: Pixels, alpha: Pixels) -> Pixels:
    return np.asarray(colours * alpha + (1 - alpha), dtype=np.float32)


def _delta(first: Pixels, second: Pixels, space: RGBSpace) -> Pixels:
    a, b = (lab(linear_in(np.ascontiguousarray(p), space, space), space) for p in (first, second))
    return difference(a, b)


def _causes(layered: Layered, source: RGBSpace, to: RGBSpace) -> tuple[Cause, ...]:
    """What moves less when a layer is left out, that the layer causes."""
    tried = computing(layered)[-_MOST_CAUSES:]
    step = _step(layered, _SAMPLE)

    if not tried:
        return ()
    bands = [np.stack(found) > SEEN for found in _differences(layered, source, to, step, (None, *tried))]
    moved: NDArray[np.bool_] = np.concatenate(bands, axis=1)
    found = [
        Cause(node.name, node.operator.words, float((moved[0] & ~left).mean()))
        for node, left in zip(tried, moved[1:], strict=True)
    ]
    return tuple(sorted((c for c in found if c.share > 0), key=lambda c: -c.share))
