"""The residual: a smooth field that carries what is here to what is wanted, in small steps, so that nothing folds.

Each step is a Gaussian-process interpolation of the way that is left (radial basis functions of one length); the map is their composition. Where
each step moves neighbours by less than they lie apart, none overtakes another, and neither does the whole (Joshi and Miller 2000, "Landmark
matching via large deformation diffeomorphisms").
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.bands import BAND, in_bands
from velkin.core.match import kernels
from velkin.core.match.support import distances

Floats = NDArray[np.float64]

_MOST_STEPS = 40
#: A step may change the distance of two neighbours by no more than this share.
_BEND = 0.25


@dataclass(frozen=True, eq=False)
class Flow:
    """A composition of steps.

    Attributes
    ----------
    length : float
        Of the radial basis functions, in coordinates.
    places : ndarray (steps, N, 3)
        Where the carried colours are before each step.
    weights : ndarray (steps, N, 3)
    """

    length: float
    places: Floats
    weights: Floats

    def at(self, x: Floats) -> Floats:
        """Where coordinates (M, 3) are carried."""
        flat, out = np.ascontiguousarray(x, dtype=np.float64), np.empty(x.shape)
        in_bands(
            lambda a, z: kernels.flow_at(flat[a:z], self.places, self.weights, self.length, out[a:z]), len(flat), BAND // 32
        )
        return out


def _kernel(x: Floats, places: Floats, length: float) -> Floats:
    return np.asarray(np.exp(-0.5 * (distances(x, places) / length) ** 2))


def carrying(here: Floats, wanted: Floats, noise: Floats, length: float) -> Flow:
    """The flow that carries coordinates (N, 3) to others, as exactly as the noise (N,), in ΔE², of each allows."""
    whole = _in_steps(here, wanted, noise, length, 1)
    steps = int(np.clip(np.ceil(_largest_bend(whole) / _BEND), 1, _MOST_STEPS))
    return whole if steps == 1 else _in_steps(here, wanted, noise, length, steps)


def _in_steps(here: Floats, wanted: Floats, noise: Floats, length: float, steps: int) -> Flow:
    now, places, weights = here.copy(), [], []
    for left in range(steps, 0, -1):
        kernel = _kernel(now, now, length)
        found = np.linalg.solve(kernel + np.diag(noise + 1e-6), (wanted - now) / left)
        places.append(now.copy())
        weights.append(found)
        now = now + kernel @ found
    return Flow(length, np.array(places), np.array(weights))


def _largest_bend(flow: Flow) -> float:
    """The largest change of a step's field over a unit of distance, near the colours it carries."""
    worst = 0.0
    for places, weights in zip(flow.places, flow.weights, strict=True):
        # where fields are steepest: at the colours and half way between those that are neighbours
        near = np.argsort(distances(places, places), axis=1)[:, 1:4] if len(places) > 1 else np.zeros((1, 0), dtype=int)
        between = [(places + places[near[:, k]]) / 2.0 for k in range(near.shape[1])]
        probes = np.concatenate([places, *between])
        basis = _kernel(probes, places, flow.length)
        for axis in range(3):
            slope = -(probes[:, None, axis] - places[None, :, axis]) / flow.length**2 * basis
            worst = max(worst, float(np.linalg.norm(slope @ weights, axis=1).max()))
    return worst


def left_out(here: Floats, way: Floats, noise: Floats, length: float) -> Floats:
    """The error (N, 3) at each colour of the field of one step that was made without it (Sundararajan and Keerthi 2001)."""
    inverse = np.linalg.inv(_kernel(here, here, length) + np.diag(noise + 1e-6))
    return np.asarray((inverse @ way) / np.diag(inverse)[:, None])
