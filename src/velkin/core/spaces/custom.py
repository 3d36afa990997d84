"""Spaces of one's own: primaries, white and transfer function, checked before they are used."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

import numpy as np

from velkin.core.errors import NotSupported
from velkin.core.spaces.rgb import ECIRGB, SRGB, RGBSpace
from velkin.core.spaces.transfer import Sampled, Transfer

#: Kinds of transfer functions, in words.
KINDS = {"gamma": "gamma", "srgb": "sRGB type", "l": "L*", "linear": "linear", "table": "table"}

Point = tuple[float, float]


@dataclass(frozen=True)
class OwnSpace:
    """What a custom space is made of.

    Attributes
    ----------
    name : str
    primaries : three (x, y)
    white : (x, y)
    kind : one of `KINDS`
    gamma : float
        Of the kind ``gamma``.
    table : tuple of float
        Of the kind ``table``: linear numbers 0..1 at even steps of the encoded ones.
    """

    name: str
    primaries: tuple[Point, Point, Point]
    white: Point
    kind: str = "gamma"
    gamma: float = 2.2
    table: tuple[float, ...] = ()

    def space(self) -> RGBSpace:
        """The space.

        Raises
        ------
        NotSupported
            Saying what cannot be.
        """
        if not self.name.strip():
            raise NotSupported("the space needs a name")
        x, y = self.white
        if not (0.0 < x < 1.0 and 0.0 < y < 1.0 and x + y < 1.0):
            raise NotSupported("the white must lie within x and y of 0 to 1")
        if not all(np.isfinite(v) and -1.0 < v < 2.0 for p in self.primaries for v in p) or any(
            abs(p[1]) < 1e-6 for p in self.primaries
        ):
            raise NotSupported("a primary lies too far out, or has a y of 0")
        (ax, ay), (bx, by), (cx, cy) = self.primaries
        if abs((bx - ax) * (cy - ay) - (cx - ax) * (by - ay)) < 1e-3:
            raise NotSupported("the three primaries lie on one line")
        inside = [
            (q[0] - p[0]) * (y - p[1]) - (q[1] - p[1]) * (x - p[0])
            for p, q in (
                (self.primaries[0], self.primaries[1]),
                (self.primaries[1], self.primaries[2]),
                (self.primaries[2], self.primaries[0]),
            )
        ]
        if not (all(v > 0 for v in inside) or all(v < 0 for v in inside)):
            raise NotSupported("the white must lie inside the triangle of the primaries")
        transfer = self._transfer()
        text = repr((self.primaries, self.white, transfer, self.name))
        identifier = "own-" + hashlib.sha256(text.encode()).hexdigest()[:12]
        return RGBSpace(identifier, self.name.strip(), "", self.primaries, self.white, transfer)

    def _transfer(self) -> Transfer | Sampled:
        if self.kind == "gamma":
            if not 0.2 <= self.gamma <= 10.0:
                raise NotSupported("a gamma lies within 0.2 to 10")
            return Transfer(self.gamma)
        if self.kind == "table":
            values = np.array(self.table, dtype=np.float64)
            if len(values) < 2 or not np.all(np.isfinite(values)) or np.any(np.diff(values) < 0) or values[-1] <= values[0]:
                raise NotSupported("a table is at least two numbers that do not fall")
            if values[0] != 0.0 or abs(values[-1] - 1.0) > 1e-9:
                raise NotSupported("a table begins with 0 and ends with 1")
            return Sampled(values)
        known = {"srgb": SRGB.transfer, "l": ECIRGB.transfer, "linear": Transfer(1.0)}
        if self.kind not in known:
            raise NotSupported(f"a transfer function of the kind {self.kind!r} is not known")
        found = known[self.kind]
        assert isinstance(found, Transfer)
        return found
