"""Fitting the table: a smooth bend of hue, chroma and value over what a matrix leaves.

Colours lie in a plane: hue as the angle, saturation (in linear ROMM RGB) as the radius. Over it three smooth fields, a
shift in the plane's two directions and a logarithm of value, are sums of Gaussian bumps (regularisation networks: Girosi,
Jones, Poggio 1995) that vanish at the centre, where neutrals are, and at full saturation, where no surface is. They are found by
Gauss-Newton on CIEDE2000 and sampled into a `HueSatMap`.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.huesat import HueSatMap, from_hsv, to_hsv
from velkin.core.cameraprofiles.nearness import lab_slope, metric
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import ROMM

Floats = NDArray[np.float64]

#: Hues and saturations of the table that is made.
HUES, SATURATIONS = 90, 40
_BUMP = 0.35  # radius of a bump, in saturation
_NEUTRAL = 0.05  # saturation at which the fields have half their say
_SOFT = 0.5  # see linear_fit


def _centres() -> Floats:
    rings = [(0.15, 6), (0.35, 10), (0.55, 14), (0.78, 16)]
    return np.concatenate(
        [r * np.stack([np.cos(a), np.sin(a)], axis=1) for r, n in rings for a in [np.arange(n) * 2 * np.pi / n + r]]
    )


def _plane(h: Floats, s: Floats) -> Floats:
    angle = h * np.pi / 3.0
    return np.stack([s * np.cos(angle), s * np.sin(angle)], axis=-1)


def _bumps(points: Floats) -> Floats:
    """Values (..., M) of the bumps at points (..., 2) of the plane, faded at its centre and towards full saturation."""
    distance = ((points[..., None, :] - _centres()) ** 2).sum(axis=-1)
    square = (points**2).sum(axis=-1, keepdims=True)
    fade = square / (square + _NEUTRAL**2) * np.maximum(1.0 - square**3, 0.0)
    return np.exp(-0.5 * distance / _BUMP**2) * fade


def _bent(h: Floats, s: Floats, v: Floats, fields: Floats) -> Floats:
    """Linear ROMM RGB (..., 3) of colours moved by fields (..., 3): two shifts in the plane, logarithm of value."""
    moved = _plane(h, s) + fields[..., :2]
    return from_hsv(
        np.arctan2(moved[..., 1], moved[..., 0]) * 3.0 / np.pi,
        np.hypot(moved[..., 0], moved[..., 1]),
        v * np.exp(fields[..., 2]),
    )


def fit_fields(
    romm: Floats, reference: Floats, weights: Floats, *, stiffness: float, start: Floats | None = None, steps: int = 5
) -> Floats:
    """Amplitudes of the bumps (B, M, 3).

    Parameters
    ----------
    romm : ndarray (B, N, 3)
        Linear ROMM RGB that the matrix gives, in each fit.
    reference : ndarray (N, 3)
        XYZ D50.
    weights : ndarray (B, N)
    stiffness : float
        Cost of the fields' size.
    start : ndarray (M, 3), optional
    steps : int
        Of Gauss-Newton.
    """
    lab = xyz_to_lab(reference)
    form = metric(lab)
    h, s, v = to_hsv(romm)
    bumps = _bumps(_plane(h, s))
    batch, count, m = bumps.shape
    centres = _centres()
    gram = np.exp(-0.5 * ((centres[:, None] - centres) ** 2).sum(axis=-1) / _BUMP**2) + 1e-3 * np.eye(m)
    hold = stiffness * np.kron(np.eye(3), gram)
    answer = np.zeros((batch, 3 * m)) + (0.0 if start is None else start.T.ravel())
    for _ in range(steps):
        fields = np.einsum("bnm,bcm->bnc", bumps, answer.reshape(batch, 3, m))
        here = _bent(h, s, v, fields) @ ROMM.to_xyz.T
        change = [(_bent(h, s, v, fields + d) @ ROMM.to_xyz.T - here) / 1e-5 for d in 1e-5 * np.eye(3)]
        error = np.einsum("nij,bnj->bni", form, xyz_to_lab(here) - lab)
        slope = np.einsum("nij,bnjk,cbnk->bnic", form, lab_slope(here), np.stack(change))
        weight = weights / np.sqrt(_SOFT**2 + (error**2).sum(axis=-1))
        jacobian = (slope[..., None] * bumps[:, :, None, None, :]).reshape(batch, 3 * count, 3 * m)
        heavy = jacobian * np.repeat(weight, 3, axis=1)[..., None]
        normal = heavy.transpose(0, 2, 1) @ jacobian + hold
        right = np.einsum("bnp,bn->bp", heavy, error.reshape(batch, -1)) + answer @ hold
        answer = answer - np.linalg.solve(normal, right[..., None])[..., 0]
    return np.asarray(answer.reshape(batch, 3, m).transpose(0, 2, 1))


def bend(romm: Floats, amplitudes: Floats) -> Floats:
    """Linear ROMM RGB (N, 3) of linear ROMM RGB through fields of amplitudes (M, 3), before they are sampled."""
    h, s, v = to_hsv(romm)
    return _bent(h, s, v, _bumps(_plane(h, s)) @ amplitudes)


def as_table(amplitudes: Floats) -> HueSatMap:
    """The fields sampled into a table of `HUES` × `SATURATIONS`, the same at every value."""
    hue, saturation = np.meshgrid(np.arange(HUES) * 6.0 / HUES, np.linspace(0.0, 1.0, SATURATIONS), indexing="ij")
    plane = _plane(hue, saturation)
    fields = _bumps(plane) @ amplitudes
    moved = plane + fields[..., :2]
    turn = np.degrees(np.arctan2(moved[..., 1], moved[..., 0])) - hue * 60.0
    turn = (turn + 180.0) % 360.0 - 180.0
    scale = np.hypot(moved[..., 0], moved[..., 1]) / np.maximum(saturation, 1e-9)
    data = np.stack([turn, scale, np.exp(fields[..., 2])], axis=-1)
    data[:, 0] = (0.0, 1.0, 1.0)
    return HueSatMap(data[None].astype(np.float32))
