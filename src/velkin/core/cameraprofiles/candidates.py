"""The three models fitted to the same colours, each with what it predicts for a patch that it did not see."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.linear_fit import least_squares, refine
from velkin.core.cameraprofiles.models import Matrix, Model, RootPolynomial, Table, as_rows, name_of, root_terms
from velkin.core.cameraprofiles.smoothness import smoothness
from velkin.core.cameraprofiles.table_fit import as_table, bend, fit_fields
from velkin.core.cameraprofiles.training import Training
from velkin.core.errors import FitRefused
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import ROMM

Floats = NDArray[np.float64]

_STEPS, _STEPS_LEFT_OUT = 12, 4
_MATRIX_HOLD = 60.0  # of a matrix to its least squares, where there are patches only: 24 of them over-fit
_ROOT_HOLD = 0.3  # of the root terms to none
_RIM = 0.003  # weight of the rim of the camera's cube, where a root-polynomial is to stay near the matrix
#: Of the table's fields, for each unit of weight of the patches.
STIFFNESS = 5.0
_BATCH = 24  # fits at a time


@dataclass(frozen=True)
class Candidate:
    """One model fitted, and the ΔE00 (N,) of each patch through a fit of the same kind that was made without it."""

    model: Model
    left_out: Floats

    @property
    def name(self) -> str:
        """``matrix``, ``rootpoly`` or ``table``."""
        return name_of(self.model)


def fit_candidates(training: Training, names: tuple[str, ...]) -> tuple[Candidate, ...]:
    """Fit the models named; the matrix always comes first, because the others stand on it.

    Raises
    ------
    FitRefused
        When the patches do not span three dimensions.
    """
    rgb = training.rgb
    colours, xyz, weights = training.all_rgb(), training.all_xyz(), training.all_weights()
    matrices = _matrices(training, colours, xyz, weights)
    made = [Candidate(Matrix(as_rows(matrices[0])), _missed(training, np.einsum("ni,nci->nc", rgb, matrices[1:])))]
    if "rootpoly" in names:
        made.append(_root_polynomial(training, colours, xyz, weights, matrices))
    if "table" in names:
        made.append(_table(training, colours, xyz, weights, matrices))
    return tuple(made)


def plain_matrix(training: Training) -> Matrix:
    """The matrix alone, without what it predicts; refused as `fit_candidates` refuses."""
    return Matrix(as_rows(_matrices(training, training.all_rgb(), training.all_xyz(), training.all_weights())[0]))


def _matrices(training: Training, colours: Floats, xyz: Floats, weights: Floats) -> Floats:
    """The matrix of every fit, (B, 3, 3)."""
    rgb = training.rgb
    length = np.maximum(np.linalg.norm(rgb, axis=1, keepdims=True), 1e-9)
    if not np.all(np.isfinite(rgb)) or np.linalg.cond(rgb / length) > 200.0:
        raise FitRefused("the patches read do not differ in colour, so that no profile can be fitted from them")
    hold = np.eye(2) * (0.0 if training.known else _MATRIX_HOLD)
    return _in_two(colours, xyz, weights, least_squares(colours, xyz, weights), hold)


def _missed(training: Training, predicted: Floats) -> Floats:
    return ciede2000(xyz_to_lab(predicted), xyz_to_lab(training.reference))


def _in_two(terms: Floats, xyz: Floats, weights: Floats, start: Floats, hold: Floats) -> Floats:
    """The fit on all patches, thoroughly; those without one patch each from there, with fewer steps."""
    whole = refine(terms[:1], xyz, weights[:1], start=start[:1], hold=hold, steps=_STEPS)
    parts = [whole]
    for at in range(1, len(terms), _BATCH):
        some = slice(at, at + _BATCH)
        begin = start[some] if hold.any() else np.broadcast_to(whole, start[some].shape)
        parts.append(
            refine(terms[some], xyz, weights[some], start=begin, hold=hold, steps=_STEPS if hold.any() else _STEPS_LEFT_OUT)
        )
    return np.concatenate(parts)


def _rim() -> Floats:
    """Camera RGB (N, 3) along the edges of the cube's proportions, where one channel is empty."""
    along = np.linspace(0.0, 1.0, 31)[:-1]
    edge = np.stack([along, 1.0 - along, np.zeros_like(along)], axis=1)
    return 0.6 * np.concatenate([edge, np.roll(edge, 1, axis=1), np.roll(edge, 2, axis=1)])


def _root_polynomial(training: Training, colours: Floats, xyz: Floats, weights: Floats, matrices: Floats) -> Candidate:
    """The root-polynomial, held to the matrix on the rim of the camera's cube as firmly as it takes to have no fold."""
    terms = root_terms(colours)
    start = np.concatenate([matrices, np.zeros_like(matrices)], axis=-1)
    rim = root_terms(_rim())
    rim = rim[:, 1:] - rim[:, :1]
    scale = training.weights.sum()
    roots = _ROOT_HOLD * np.diag([0.0, 0.0, 1.0, 1.0, 1.0]) * (1.0 if training.known else 10.0)
    firmness = _RIM
    for _ in range(24):
        hold = scale * firmness * rim.T @ rim / len(rim) * 100.0 + roots
        whole = refine(terms[:1], xyz, weights[:1], start=start[:1], hold=hold, steps=_STEPS)[0]
        model = RootPolynomial(as_rows(whole))
        if smoothness(model).usable:
            break
        firmness *= 1.6
    left_out = []
    for at in range(1, len(terms), _BATCH):
        some = slice(at, at + _BATCH)
        left_out.append(refine(terms[some], xyz, weights[some], start=start[some], hold=hold, steps=_STEPS_LEFT_OUT + 2))
    predicted = np.einsum("nk,nck->nc", root_terms(training.rgb), np.concatenate(left_out))
    return Candidate(model, _missed(training, predicted))


def _table(training: Training, colours: Floats, xyz: Floats, weights: Floats, matrices: Floats) -> Candidate:
    """The table over the matrix, as stiff as it takes to have no fold."""
    romm = np.einsum("bni,bci->bnc", colours, ROMM.from_xyz @ matrices)
    stiffness = STIFFNESS * float(training.weights.sum()) * (1.0 if training.known else 3.0)
    for _ in range(8):
        fields = fit_fields(romm[:1], xyz, weights[:1], stiffness=stiffness)[0]
        model = Table(as_rows(matrices[0]), as_table(fields))
        if smoothness(model).usable:
            break
        stiffness *= 2.0
    predicted = []
    for at in range(1, len(romm), _BATCH):
        some = slice(at, at + _BATCH)
        without = fit_fields(romm[some], xyz, weights[some], stiffness=stiffness, start=fields, steps=1)
        predicted += [bend(romm[b, b - 1 : b], f)[0] for b, f in enumerate(without, start=at)]
    return Candidate(model, _missed(training, np.array(predicted) @ ROMM.to_xyz.T))
