"""Compiled loops of a match: steps of its flow, and distances from its evidence. The formulas are those of `flow` and `support`."""

from __future__ import annotations

import numpy as np

from velkin.core.compiled import loop


@loop("f8:2 f8:3 f8:3 f8 f8:2")
def flow_at(x, places, weights, length, out):  # type: ignore[no-untyped-def]
    """Coordinates (M, 3) carried through steps (S, N, 3) of radial basis functions of a length."""
    by = -0.5 / (length * length)
    far = 6.0 * length
    for i in range(x.shape[0]):
        a, b, c = x[i, 0], x[i, 1], x[i, 2]
        for s in range(places.shape[0]):
            da = db = dc = 0.0
            for k in range(places.shape[1]):
                u, v, w = a - places[s, k, 0], b - places[s, k, 1], c - places[s, k, 2]
                square = u * u + v * v + w * w
                if square > far * far:
                    continue
                e = np.exp(by * square)
                da += e * weights[s, k, 0]
                db += e * weights[s, k, 1]
                dc += e * weights[s, k, 2]
            a, b, c = a + da, b + db, c + dc
        out[i, 0], out[i, 1], out[i, 2] = a, b, c


@loop("f8:2 f8:2 f8 f8:1")
def nearness(x, points, soft, out):  # type: ignore[no-untyped-def]
    """Distances (M,) from coordinates (M, 3) to the nearest of some points (N, 3), softly."""
    for i in range(x.shape[0]):
        nearest = 1e30
        for k in range(points.shape[0]):
            u, v, w = x[i, 0] - points[k, 0], x[i, 1] - points[k, 1], x[i, 2] - points[k, 2]
            nearest = min(nearest, u * u + v * v + w * w)
        nearest = np.sqrt(nearest)
        total = 0.0
        for k in range(points.shape[0]):
            u, v, w = x[i, 0] - points[k, 0], x[i, 1] - points[k, 1], x[i, 2] - points[k, 2]
            beyond = np.sqrt(u * u + v * v + w * w) - nearest
            if beyond < 12.0 * soft:
                total += np.exp(-beyond / soft)
        out[i] = nearest - soft * np.log(total)
