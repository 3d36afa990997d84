"""Fitting the white-preserving 3×3 matrix of a camera under one light from a chart reading.

Linear least squares first, weighted so that it minimises differences in Lab rather than XYZ; then CIEDE2000 itself, held
near the first answer, because with 24 patches the mean alone is easily over-fitted. Which of the two is kept is decided
by leaving each patch out in turn.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.builtin import BuiltInProfile
from velkin.core.cameraprofiles.profile import CameraProfile, Figures, PatchError
from velkin.core.charts.definition import Chart
from velkin.core.charts.read import Reading
from velkin.core.errors import FitRefused
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spectra import Illuminant, illuminant_at
from velkin.core.whitebalance import from_greys

Floats = NDArray[np.float64]

_HOLD = 8.0  # ΔE00 that moving a matrix entry by 1 from the least-squares answer costs, on 24 patches
_SOFT = 3.0  # ΔE00 from which on a patch pulls linearly, so that one bad patch cannot bend the fit


@dataclass(frozen=True)
class FitRequest:
    """What a fit needs to know.

    Attributes
    ----------
    reading : Reading
        As it is to be used; patches that were left out count nowhere.
    chart : Chart
    camera : str
        Unique camera model.
    built_in : BuiltInProfile
    light : Illuminant or None
        None: a stand-in for the temperature that the chart's neutrals show through the built-in matrices.
    name : str
    chart_frame : str
    """

    reading: Reading
    chart: Chart
    camera: str
    built_in: BuiltInProfile
    light: Illuminant | None = None
    name: str = ""
    chart_frame: str = ""


def common_exposure(luminance: Floats, reference: Floats, neutrals: list[int]) -> float:
    """The factor on `luminance` (N,) that matches the neutral patches' Y to the reference (N,)."""
    return float(reference[neutrals].sum() / luminance[neutrals].sum())


def _from_free(free: Floats) -> Floats:
    """White-preserving matrices (..., 3, 3) of their six free entries (..., 6): each row's third is what is left of D50."""
    two = free.reshape(*free.shape[:-1], 3, 2)
    return np.concatenate([two, D50[:, None] - two.sum(axis=-1, keepdims=True)], axis=-1)


def least_squares_matrix(rgb: Floats, reference: Floats) -> Floats:
    """White-preserving least squares, weighted by the slope of Lab at each patch.

    Parameters
    ----------
    rgb : ndarray (N, 3)
        Balanced camera RGB on the reference's exposure.
    reference : ndarray (N, 3)
        XYZ D50.
    """
    slope = np.maximum(reference / D50, 0.01) ** (-2.0 / 3.0) / D50
    design = rgb[:, :2] - rgb[:, 2:]
    rows = []
    for k in range(3):
        target = reference[:, k] - rgb[:, 2] * D50[k]
        rows.append(np.linalg.lstsq(design * slope[:, k : k + 1], target * slope[:, k], rcond=None)[0])
    return _from_free(np.concatenate(rows))


def _refine(rgb: Floats, reference_lab: Floats, starts: Floats, use: Floats) -> Floats:
    """Matrices (B, 3, 3) that minimise a robust CIEDE2000 over the patches used by each, held near their starts.

    All B fits run together: Gauss-Newton with soft-L1 weights and halved steps, derivatives by differences.

    Parameters
    ----------
    rgb, reference_lab : ndarray (N, 3)
    starts : ndarray (B, 3, 3)
    use : ndarray (B, N)
        1 for a patch that counts, 0 for one left out.
    """
    anchor = starts[:, :, :2].reshape(len(starts), 6)
    hold = _HOLD**2 * use.sum(axis=1) / 24.0

    def errors(free: Floats) -> Floats:
        return ciede2000(xyz_to_lab(np.einsum("...ij,nj->...ni", _from_free(free), rgb)), reference_lab)

    def cost(free: Floats, values: Floats) -> Floats:
        robust = 2.0 * _SOFT**2 * (np.sqrt(1.0 + (values / _SOFT) ** 2) - 1.0)
        return np.asarray((use * robust).sum(axis=1) + hold * ((free - anchor) ** 2).sum(axis=1))

    step = 1e-5
    free, now = anchor.copy(), errors(anchor)
    best = cost(free, now)
    for _ in range(12):
        moved = errors(free[:, None, :] + step * np.eye(6))
        slope = (moved - now[:, None, :]) / step
        weight = use / np.sqrt(1.0 + (now / _SOFT) ** 2)
        normal = np.einsum("bin,bn,bjn->bij", slope, weight, slope) + (hold[:, None, None] + 1e-9) * np.eye(6)
        gradient = np.einsum("bin,bn,bn->bi", slope, weight, now) + hold[:, None] * (free - anchor)
        change = np.linalg.solve(normal, gradient[..., None])[..., 0]
        improved = np.zeros(len(free), dtype=bool)
        for share in (1.0, 0.5, 0.2, 0.05):
            tried = free - share * change
            values = errors(tried)
            cheaper = (cost(tried, values) < best) & ~improved
            free[cheaper], now[cheaper] = tried[cheaper], values[cheaper]
            best = cost(free, now)
            improved |= cheaper
            if improved.all():
                break
        if not improved.any() or np.abs(change[improved]).max() < 1e-6:
            break
    return _from_free(free)


def fit_matrix(rgb: Floats, reference: Floats, neutrals: list[int]) -> tuple[Floats, Floats]:
    """The matrix, and each patch's ΔE00 when it was left out of the fit.

    Parameters
    ----------
    rgb : ndarray (N, 3)
        Balanced camera RGB, any exposure.
    reference : ndarray (N, 3)
        XYZ D50.
    neutrals : list of int

    Returns
    -------
    matrix : ndarray (3, 3)
    left_out : ndarray (N,)

    Raises
    ------
    FitRefused
        When the patches do not span three dimensions.
    """
    scaled = rgb * (reference[neutrals, 1].sum() / rgb[neutrals, 1].sum())
    if not np.all(np.isfinite(scaled)) or np.linalg.cond(scaled / np.linalg.norm(scaled, axis=1, keepdims=True)) > 200.0:
        raise FitRefused("the patches read do not differ in colour, so that no profile can be fitted from them")
    # white is kept at the neutrals' exposure, which the matrix itself decides a little: settle both together
    for _ in range(8):
        luminance = scaled @ least_squares_matrix(scaled, reference)[1]
        scaled = scaled * common_exposure(luminance, reference[:, 1], neutrals)
    count = len(scaled)
    lab = xyz_to_lab(reference)
    use = np.vstack([np.ones(count), 1.0 - np.eye(count)])
    plain = np.array([least_squares_matrix(scaled[u > 0], reference[u > 0]) for u in use])
    candidates = (plain, _refine(scaled, lab, plain, use))
    left_out = [ciede2000(xyz_to_lab(np.einsum("nij,nj->ni", c[1:], scaled)), lab) for c in candidates]
    best = int(np.argmin([errors.mean() for errors in left_out]))
    return np.asarray(candidates[best][0]), left_out[best]


def patch_errors(rgb: Floats, matrix: Floats, reference: Floats, neutrals: list[int]) -> tuple[Floats, float]:
    """ΔE00 of each patch (N,) through a matrix after one common exposure factor, and that factor."""
    xyz = rgb @ matrix.T
    exposure = common_exposure(xyz[:, 1], reference[:, 1], neutrals)
    return ciede2000(xyz_to_lab(xyz * exposure), xyz_to_lab(reference)), exposure


def fit(request: FitRequest) -> CameraProfile:
    """Fit a camera profile from a reading that was judged usable.

    Raises
    ------
    FitRefused
        When the reading does not determine a profile.
    """
    chart, rgb = request.chart, request.reading.rgb()
    left_out = request.reading.choices.left_out
    used = [i for i, name in enumerate(chart.ids) if name not in left_out]
    neutrals = [used.index(i) for i in chart.neutral_rows() if i in used]
    if len(used) < 6 or not neutrals:
        raise FitRefused("too few patches are left to fit a profile from: six, one of them neutral, are the least")
    balance = from_greys(request.reading, chart)
    kelvin, duv = request.built_in.temperature(balance)
    light = request.light or illuminant_at(float(np.clip(kelvin, 1500.0, 25000.0)))
    reference = chart.reference(light)
    balanced, reference = (rgb * balance)[used], reference[used]
    matrix, predicted = fit_matrix(balanced, reference, neutrals)
    after, exposure = patch_errors(balanced, matrix, reference, neutrals)
    before, _ = patch_errors(balanced, request.built_in.matrix(balance), reference, neutrals)
    figures = Figures(
        mean=float(after.mean()),
        p95=float(np.percentile(after, 95)),
        worst=float(after.max()),
        leave_one_out=float(predicted.mean()),
        neutral=float(after[neutrals].mean()),
        before=float(before.mean()),
    )
    return CameraProfile(
        name=request.name or f"{request.camera}, {light.name}",
        camera=request.camera,
        model="matrix",
        matrix=tuple(tuple(float(v) for v in row) for row in matrix),
        balance=(float(balance[0]), 1.0, float(balance[2])),
        exposure=exposure,
        light=light.name,
        cct=kelvin,
        duv=duv,
        chart=chart.id,
        chart_frame=request.chart_frame,
        made="",
        figures=figures,
        patches=tuple(
            PatchError(i, float(b), float(a)) for i, b, a in zip([chart.ids[u] for u in used], before, after, strict=True)
        ),
    )


def stamped(profile: CameraProfile, when: datetime) -> CameraProfile:
    """The profile with the time it was made."""
    return replace(profile, made=when.astimezone().isoformat(timespec="seconds"))
