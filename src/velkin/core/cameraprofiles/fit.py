"""From a chart reading to camera profiles: every model that was asked for, honest figures, and which of them to take."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.candidates import Candidate, fit_candidates, plain_matrix
from velkin.core.cameraprofiles.matrices import ColourMatrices
from velkin.core.cameraprofiles.models import NAMES, WORDS, ColourMap, Matrix, as_rows
from velkin.core.cameraprofiles.profile import CameraProfile, Figures, LightFit, PatchError
from velkin.core.cameraprofiles.training import Training, training_of
from velkin.core.charts.definition import Chart
from velkin.core.charts.greys import from_greys
from velkin.core.charts.read import Reading
from velkin.core.errors import FitRefused
from velkin.core.spaces.adaptation import xyz_to_xy
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.temperature import cct_duv
from velkin.core.spectra import Illuminant, illuminant_at

Floats = NDArray[np.float64]

#: How much better a richer model must predict patches it did not see to be recommended: so much is luck.
_WORTH = 0.95


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
    built_in : ColourMatrices
    light : Illuminant or None
        None: a stand-in for the temperature that the chart's neutrals show through the built-in matrices.
    name, chart_frame : str
    model : str
        ``auto`` or one of `NAMES`.
    keep_exposure : bool
    tone : ``none`` or ``standard``
    weights : tuple of (patch id, weight)
        For patches that count more or less than 1.
    baseline : float
        EV by which the chart frame's file asks for its exposure to be moved.
    """

    reading: Reading
    chart: Chart
    camera: str
    built_in: ColourMatrices
    light: Illuminant | None = None
    name: str = ""
    chart_frame: str = ""
    model: str = "auto"
    keep_exposure: bool = True
    tone: str = "none"
    weights: tuple[tuple[str, float], ...] = ()
    baseline: float = 0.0

    def left_out(self) -> set[str]:
        """Patches that count nothing: left out of the reading, or of no weight."""
        return set(self.reading.choices.left_out) | {name for name, weight in self.weights if weight <= 0}


@dataclass(frozen=True)
class Fitted:
    """What a fit gave.

    Attributes
    ----------
    profiles : tuple of CameraProfile
        One for each model, from plain to rich.
    recommended : str
        The model that predicts patches it did not see best, or the plainest that comes near.
    reason : str
        Why, in words.
    """

    profiles: tuple[CameraProfile, ...]
    recommended: str
    reason: str

    def of(self, model: str) -> CameraProfile:
        """The profile of a model; ``auto`` is the recommended one."""
        wanted = self.recommended if model == "auto" else model
        return next(p for p in self.profiles if p.model == wanted)


@dataclass(frozen=True)
class Prepared:
    """A reading made ready: used patches only, balanced, with the reference under the light."""

    ids: tuple[str, ...]
    neutrals: list[int]
    balance: Floats
    rgb: Floats
    reference: Floats
    reflectances: Floats | None
    weights: Floats
    light: Illuminant
    kelvin: float
    duv: float


def common_exposure(luminance: Floats, reference: Floats, neutrals: list[int]) -> float:
    """The factor on `luminance` (N,) that matches the neutral patches' Y to the reference (N,)."""
    return float(reference[neutrals].sum() / luminance[neutrals].sum())


def patch_errors(rgb: Floats, colours: ColourMap, reference: Floats, neutrals: list[int]) -> tuple[Floats, float]:
    """ΔE00 of each patch (N,) through a map after one common exposure factor, and that factor."""
    xyz = colours.xyz(rgb)
    exposure = common_exposure(xyz[:, 1], reference[:, 1], neutrals)
    return ciede2000(xyz_to_lab(xyz * exposure), xyz_to_lab(reference)), exposure


def used_patches(request: FitRequest, greys: int) -> tuple[list[int], list[int]]:
    """Indices of the patches that count, and which of those are neutral. Raises FitRefused when they are too few."""
    out = request.left_out()
    used = [i for i, name in enumerate(request.chart.ids) if name not in out]
    neutrals = [used.index(i) for i in request.chart.neutral_rows() if i in used]
    if len(used) < 6 or len(neutrals) < greys:
        least = {1: "one", 3: "three"}[greys]
        raise FitRefused(f"too few patches are left to fit a profile from: six, {least} of them neutral, are the least")
    return used, neutrals


def prepared(
    request: FitRequest,
    used: list[int],
    *,
    neutrals: list[int],
    balance: Floats,
    rgb: Floats,
    light: Illuminant,
    white: tuple[float, float],
) -> Prepared:
    """The used patches of a request with their balanced camera RGB (N, 3) and the `white` (kelvin, Duv) of their light."""
    chart, weight_of = request.chart, dict(request.weights)
    return Prepared(
        tuple(chart.ids[u] for u in used),
        neutrals,
        balance,
        rgb,
        chart.reference(light)[used],
        None if chart.reflectances is None else chart.reflectances[used],
        np.array([weight_of.get(chart.ids[u], 1.0) for u in used]),
        light,
        *white,
    )


def _prepare(request: FitRequest) -> Prepared:
    chart, rgb = request.chart, request.reading.rgb()
    used, neutrals = used_patches(request, 1)
    balance = from_greys(request.reading, chart)
    kelvin, duv = request.built_in.temperature(balance)
    light = request.light or illuminant_at(float(np.clip(kelvin, 1500.0, 25000.0)))
    if request.light is not None:
        kelvin, duv = cct_duv(xyz_to_xy(light.white))
    balanced = (rgb * balance)[used]
    if not np.all(np.isfinite(balanced)) or balanced[neutrals].min() <= 0:
        raise FitRefused("the neutral patches read as nothing, so that no white balance can be taken from them")
    return prepared(request, used, neutrals=neutrals, balance=balance, rgb=balanced, light=light, white=(kelvin, duv))


def check_colourful(rgb: Floats) -> None:
    """Refuse patches (N, 3) that are all of one colour. Raises FitRefused."""
    if np.ptp(rgb / np.maximum(rgb.sum(axis=1, keepdims=True), 1e-9), axis=0).max() < 0.02:
        raise FitRefused("the patches read do not differ in colour, so that no profile can be fitted from them")


def _training(ready: Prepared) -> Training:
    """Patches on the exposure of their reference. White is kept at that exposure, and which it is the matrix decides a
    little: both are settled together."""
    rgb = ready.rgb * common_exposure(ready.rgb[:, 1], ready.reference[:, 1], ready.neutrals)
    check_colourful(rgb)
    matrix = plain_matrix(
        training_of(rgb, ready.reference, ready.weights, reflectances=ready.reflectances, light=ready.light, leave_out=False)
    )
    rgb = rgb * common_exposure(matrix.xyz(rgb)[:, 1], ready.reference[:, 1], ready.neutrals)
    return training_of(rgb, ready.reference, ready.weights, reflectances=ready.reflectances, light=ready.light)


def light_fit(request: FitRequest, ready: Prepared, candidate: Candidate, *, matrix: Matrix, was: Floats) -> LightFit:
    """A candidate with its figures; `was` (N,) is each patch's ΔE00 before."""
    after, exposure = patch_errors(ready.rgb, candidate.model, ready.reference, ready.neutrals)
    return LightFit(
        model=candidate.model,
        matrix=matrix.matrix,
        balance=(float(ready.balance[0]), 1.0, float(ready.balance[2])),
        exposure=exposure,
        light=ready.light.name,
        cct=ready.kelvin,
        duv=ready.duv,
        chart=request.chart.id,
        chart_frame=request.chart_frame,
        figures=Figures(
            mean=float(after.mean()),
            p95=float(np.percentile(after, 95)),
            worst=float(after.max()),
            leave_one_out=float(candidate.left_out.mean()),
            neutral=float(after[ready.neutrals].mean()),
            before=float(was.mean()),
        ),
        patches=tuple(PatchError(i, float(b), float(a)) for i, b, a in zip(ready.ids, was, after, strict=True)),
        analog=request.built_in.analog,
        baseline=request.baseline,
    )


def recommend(leave_one_out: dict[str, float]) -> tuple[str, str]:
    """The model to take by its leave-one-out error, and why in words."""
    names = [n for n in NAMES if n in leave_one_out]
    best = names[0]
    for name in names[1:]:
        if leave_one_out[name] < _WORTH * leave_one_out[best]:
            best = name
    figures = ", ".join(f"{WORDS[n]} {leave_one_out[n]:.2f}" for n in names)
    if len(names) == 1:
        return best, ""
    if best == names[0]:
        why = f"nothing richer than the {WORDS[best]} predicts patches it did not see better"
    else:
        why = f"the {WORDS[best]} predicts patches it did not see best, by more than chance"
    return best, f"{why} ({figures})"


def fit(request: FitRequest, second: FitRequest | None = None) -> Fitted:
    """Fit camera profiles from a reading that was judged usable, or from two under two lights.

    Raises
    ------
    FitRefused
        When a reading does not determine a profile, or two lights are too alike to interpolate between.
    """
    requests = (request,) if second is None else (request, second)
    names = NAMES if request.model == "auto" else (request.model,)
    per_light: list[dict[str, LightFit]] = []
    for one in requests:
        ready = _prepare(one)
        candidates = fit_candidates(_training(ready), names)
        plain = candidates[0].model
        assert isinstance(plain, Matrix)
        before = Matrix(as_rows(one.built_in.matrix(ready.balance)))
        was, _ = patch_errors(ready.rgb, before, ready.reference, ready.neutrals)
        per_light.append({c.name: light_fit(one, ready, c, matrix=plain, was=was) for c in candidates})
    per_light.sort(key=lambda fits: fits["matrix"].cct)
    if len(per_light) == 2:
        warm, cool = (fits["matrix"].cct for fits in per_light)
        if 1e6 / warm - 1e6 / cool < 15.0:
            raise FitRefused(f"the two lights, {warm:.0f} K and {cool:.0f} K, are too alike to interpolate between")
    left_out = {n: float(np.mean([fits[n].figures.leave_one_out for fits in per_light])) for n in names if n in per_light[0]}
    recommended, reason = recommend(left_out)
    name = request.name or f"{request.camera}, {' to '.join(f['matrix'].light for f in per_light)}"
    profiles = tuple(
        CameraProfile(
            name=name,
            camera=request.camera,
            fits=tuple(fits[n] for fits in per_light),
            keep_exposure=request.keep_exposure,
            tone=request.tone,
            reason=reason if n == recommended else "",
        )
        for n in names
    )
    return Fitted(profiles, recommended, reason)


def stamped(profile: CameraProfile, when: datetime) -> CameraProfile:
    """The profile with the time it was made."""
    return replace(profile, made=when.astimezone().isoformat(timespec="seconds"))
