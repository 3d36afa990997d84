"""How much of a whole shoot a space cannot hold, from small pictures of its frames."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.conversion.outside import measure_outside
from velkin.core.path import ColourPath
from velkin.core.render import to_working
from velkin.core.spaces.rgb import RGBSpace, between


@dataclass(frozen=True)
class ShootOutside:
    """The share of a shoot's pixels outside a space, every frame counted alike, and the frame with the most."""

    share: float
    worst: str
    worst_share: float


def shoot_outside(pictures: Iterable[tuple[str, NDArray[Any], ColourPath]], spaces: Sequence[RGBSpace]) -> list[ShootOutside]:
    """For each space, how much of the pictures (name, decoded numbers, path) it cannot hold."""
    names: list[str] = []
    rows: list[list[float]] = []
    for name, source, path in pictures:
        working = to_working(source, path)
        names.append(name)
        rows.append(
            [
                measure_outside(np.asarray(cv2.transform(working, between(path.working, s)), dtype=np.float32), s).share
                for s in spaces
            ]
        )
    if not rows:
        return [ShootOutside(0.0, "", 0.0) for _ in spaces]
    shares = np.array(rows)
    worst = shares.argmax(axis=0)
    return [ShootOutside(float(shares[:, i].mean()), names[worst[i]], float(shares[worst[i], i])) for i in range(len(spaces))]
