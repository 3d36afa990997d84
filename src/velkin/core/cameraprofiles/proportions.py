"""Maps that do the same at every exposure: functions of the channels' proportions only, sampled once into a square table and looked up with
one division."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from velkin.core.cache import cached
from velkin.core.cameraprofiles.highlights import balanced_one
from velkin.core.cameraprofiles.models import ColourMap
from velkin.core.compiled import loop

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

F = np.float32
#: Nodes along a side of the table of proportions; 384 divides by 3, so that neutral is a node. Below 0.1 ΔE00 from exact.
SIDE = 385

_int: Any = np.int32
_uint: Any = np.uint32


@loop("f4:2 f4:1 f4:1 i8 f4:2")
def by_proportion(pixels, gains, table, side, out):  # type: ignore[no-untyped-def]
    """Raw camera RGB (N, 3) → linear output RGB (N, 3) by a table over the shares of red and blue (flat)."""
    top, last = F(side - 1), _int(side - 2)
    for i in range(pixels.shape[0]):
        r, g, b = balanced_one(pixels[i, 0], pixels[i, 1], pixels[i, 2], gains)
        r, g, b = max(r, F(0)), max(g, F(0)), max(b, F(0))
        total = r + g + b + F(1e-12)
        scale = top / total
        u, w = r * scale, b * scale
        x, y = max(min(_int(u), last), _int(0)), max(min(_int(w), last), _int(0))
        fu, fw = u - F(x), w - F(y)
        p = _uint((x * side + y) * 3)
        q = p + _uint(3 * side)
        near, far = table[p] + (table[p + 3] - table[p]) * fw, table[q] + (table[q + 3] - table[q]) * fw
        out[i, 0] = total * (near + (far - near) * fu)
        near, far = table[p + 1] + (table[p + 4] - table[p + 1]) * fw, table[q + 1] + (table[q + 4] - table[q + 1]) * fw
        out[i, 1] = total * (near + (far - near) * fu)
        near, far = table[p + 2] + (table[p + 5] - table[p + 2]) * fw, table[q + 2] + (table[q + 5] - table[q + 2]) * fw
        out[i, 2] = total * (near + (far - near) * fu)


@cached(100_000_000)
def _proportions(colours: ColourMap) -> Floats:
    """XYZ D50 (side, side, 3) of camera RGB of sum 1, by the share of red and of blue."""
    share = np.arange(SIDE) / (SIDE - 1.0)
    red, blue = np.meshgrid(share, share, indexing="ij")
    # past the edge, where green would be negative, the edge's own slope goes on
    over = np.maximum(red + blue - 1.0, 0.0)
    rgb = np.stack([red - over / 2.0, np.maximum(1.0 - red - blue, 0.0), blue - over / 2.0], axis=-1)
    inner = np.maximum(rgb + over[..., None] * np.array([0.0, 1.0, 0.0]), 0.0)
    edge, inside = colours.xyz(rgb), colours.xyz(inner)
    return np.asarray(np.where(over[..., None] > 0.0, 2.0 * edge - inside, edge))


def table_to(colours: ColourMap, to_output: Floats) -> Pixels:
    """The table (SIDE · SIDE · 3,) of linear output RGB."""
    return np.ascontiguousarray((_proportions(colours) @ to_output.T).astype(np.float32).ravel())
