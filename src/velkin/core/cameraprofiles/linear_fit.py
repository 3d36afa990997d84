"""Fitting the models that are linear in their terms (matrix, root-polynomial) to colours, many fits at a time.

Linear least squares for a start, weighted by the slope of Lab; then Gauss-Newton on the sum of CIEDE2000 as `nearness`
writes it: small differences count by their square, larger ones as they are, so that a bad patch cannot bend the fit.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.nearness import lab_slope, metric
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.lab import xyz_to_lab

Floats = NDArray[np.float64]

_SOFT = 0.5  # ΔE00 from which on differences count as they are rather than by their square


def white_preserving(free: Floats) -> Floats:
    """Coefficients (..., 3, K) of their free entries (..., 3, K − 1): each row's first is what is left of D50."""
    return np.concatenate([D50[:, None] - free.sum(axis=-1, keepdims=True), free], axis=-1)


def least_squares(terms: Floats, reference: Floats, weights: Floats) -> Floats:
    """White-preserving least squares, weighted by the slope of Lab at each reference colour.

    Parameters
    ----------
    terms : ndarray (B, N, K)
        Of each colour in each fit.
    reference : ndarray (N, 3)
        XYZ D50.
    weights : ndarray (B, N)

    Returns
    -------
    ndarray (B, 3, K)
    """
    slope = 100.0 * np.maximum(reference / D50, 0.01) ** (-2.0 / 3.0) / D50
    design = terms[..., 1:] - terms[..., :1]
    free = []
    for k in range(3):
        weight = weights * slope[:, k] ** 2
        target = reference[:, k] - terms[..., 0] * D50[k]
        normal = np.einsum("bni,bn,bnj->bij", design, weight, design) + 1e-9 * np.eye(design.shape[-1])
        right = np.einsum("bni,bn,bn->bi", design, weight, target)
        free.append(np.linalg.solve(normal, right[..., None])[..., 0])
    return white_preserving(np.stack(free, axis=1))


def refine(terms: Floats, reference: Floats, weights: Floats, *, start: Floats, hold: Floats, steps: int) -> Floats:
    """Coefficients (B, 3, K) with the least robust CIEDE2000.

    Parameters
    ----------
    terms, reference, weights
        As in `least_squares`.
    start : ndarray (B, 3, K)
    hold : ndarray (K − 1, K − 1)
        Quadratic cost of departing from the start, in each row's entries but the first.
    steps : int
        Of Gauss-Newton.
    """
    batch, count, k = terms.shape
    lab = xyz_to_lab(reference)
    form = metric(lab)
    design = terms[..., 1:] - terms[..., :1]
    anchor = start[..., 1:]
    free = anchor.copy()
    held = np.kron(np.eye(3), hold + 1e-6 * np.eye(k - 1))
    best = np.full(batch, np.inf)
    kept = free.copy()
    for step in range(steps + 1):
        xyz = np.einsum("bnk,bck->bnc", terms, white_preserving(free))
        error = np.einsum("nij,bnj->bni", form, xyz_to_lab(xyz) - lab)
        size = np.linalg.norm(error, axis=-1)
        reach = np.sqrt(_SOFT**2 + size**2)
        away = (free - anchor).reshape(batch, -1)
        cost = 2.0 * (weights * reach).sum(axis=1) + np.einsum("bi,ij,bj->b", away, held, away)
        better = cost < best
        best = np.where(better, cost, best)
        kept[better] = free[better]
        if step == steps:
            break
        weight = weights / reach
        slope = np.einsum("nij,bnjc->bnic", form, lab_slope(xyz))
        jacobian = np.einsum("bnic,bnk->bnick", slope, design).reshape(batch, count * 3, 3 * (k - 1))
        heavy = jacobian * np.repeat(weight, 3, axis=1)[..., None]
        normal = heavy.transpose(0, 2, 1) @ jacobian + held
        right = np.einsum("bmp,bm->bp", heavy, error.reshape(batch, -1)) + away @ held
        free = free - np.linalg.solve(normal, right[..., None])[..., 0].reshape(free.shape)
    return white_preserving(kept)
