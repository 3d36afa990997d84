"""Compiled painting of many small quadrilaterals and dots, back to front, so that solids turn smoothly without a graphics card."""

from __future__ import annotations

from typing import Any

import numpy as np

from velkin.core.compiled import loop

F = np.float32
_int: Any = np.int64


@loop("u1:3 f4:3 u1:2 f4:1")
def fill(image, quads, colours, opacity):  # type: ignore[no-untyped-def]
    """Convex quadrilaterals (N, 4, 2) in pixels laid over an image (H, W, 3) uint8 in order, with colours (N, 3) and opacity (N,)."""
    height, width = image.shape[0], image.shape[1]
    for n in range(quads.shape[0]):
        x_low = y_low = F(1e9)
        x_high = y_high = F(-1e9)
        area = F(0)
        for k in range(4):
            j = (k + 1) % 4
            x_low, x_high = min(x_low, quads[n, k, 0]), max(x_high, quads[n, k, 0])
            y_low, y_high = min(y_low, quads[n, k, 1]), max(y_high, quads[n, k, 1])
            area += quads[n, k, 0] * quads[n, j, 1] - quads[n, j, 0] * quads[n, k, 1]
        sign = F(1) if area > F(0) else F(-1)
        a = opacity[n]
        solid = F(1) if a >= F(1) else F(0)  # what hides all is a hair wider than it is, so that neighbours leave no seam
        for y in range(max(_int(np.floor(y_low)), 0), min(_int(np.ceil(y_high)) + 1, height)):
            for x in range(max(_int(np.floor(x_low)), 0), min(_int(np.ceil(x_high)) + 1, width)):
                inside = True
                for k in range(4):
                    j = (k + 1) % 4
                    ex, ey = quads[n, j, 0] - quads[n, k, 0], quads[n, j, 1] - quads[n, k, 1]
                    away = sign * (ex * (F(y) + F(0.5) - quads[n, k, 1]) - ey * (F(x) + F(0.5) - quads[n, k, 0]))
                    if away < F(-0.35) * solid * (abs(ex) + abs(ey)):
                        inside = False
                        break
                if inside:
                    for c in range(3):
                        image[y, x, c] = np.uint8(F(image[y, x, c]) + a * (F(colours[n, c]) - F(image[y, x, c])) + F(0.5))


@loop("u1:3 f4:2 u1:2 b1:1 u1")
def dots(image, places, colours, rings, ink):  # type: ignore[no-untyped-def]
    """Dots (N, 2) in pixels laid over an image in order; those with `rings` are larger and outlined by the grey `ink`."""
    height, width = image.shape[0], image.shape[1]
    for n in range(places.shape[0]):
        radius = F(2.7) if rings[n] else F(1.6)
        cx, cy = places[n, 0], places[n, 1]
        for y in range(max(_int(cy - radius) - 1, 0), min(_int(cy + radius) + 2, height)):
            for x in range(max(_int(cx - radius) - 1, 0), min(_int(cx + radius) + 2, width)):
                away = np.sqrt((F(x) + F(0.5) - cx) ** 2 + (F(y) + F(0.5) - cy) ** 2)
                if away > radius:
                    continue
                for c in range(3):
                    image[y, x, c] = ink if rings[n] and away > radius - F(0.9) else colours[n, c]
