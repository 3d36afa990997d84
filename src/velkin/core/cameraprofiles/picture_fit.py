"""Fitting on a finished picture of a chart: curves from its grey row first, then the same models.

The numbers of such a picture went through a transfer curve, perhaps a tone curve, perhaps a whole profile. Each channel's
grey patches say what its numbers are in light; through those curves the picture is made linear and neutral, and then a
matrix, root-polynomial or table is fitted as for raw.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator

from velkin.core.cameraprofiles.candidates import fit_candidates
from velkin.core.cameraprofiles.fit import (
    FitRequest,
    Fitted,
    check_colourful,
    common_exposure,
    light_fit,
    prepared,
    recommend,
    used_patches,
)
from velkin.core.cameraprofiles.matrices import ColourMatrices
from velkin.core.cameraprofiles.models import NAMES, Matrix
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.cameraprofiles.training import training_of
from velkin.core.charts.judge import refuse_unusable, without_clipped_colours
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.errors import FitRefused
from velkin.core.spaces.adaptation import xyz_to_xy
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import BUILT_IN, SRGB, RGBSpace
from velkin.core.spaces.temperature import cct_duv
from velkin.core.spectra import Illuminant, daylight
from velkin.core.tags.inspect import inspect

Floats = NDArray[np.float64]

_ENTRIES = 4096
_RENDERED = 4.5  # mean ΔE00 from the chart, read by its tag, below which a picture was rendered by a profile
_COLOURFUL = 0.85  # … or up to twice that, when its chroma is at least this share of the chart's: bare sensors see less
_BEND = 0.35  # how far the slope of the grey row (log light against log number) may vary in a plain transfer curve


@dataclass(frozen=True)
class PictureState:
    """What a finished picture visibly went through.

    Attributes
    ----------
    through_profile : bool
        Whether its colours, read by its tag, are near the chart's already.
    contrast : bool
        Whether its greys follow no plain transfer curve: a tone curve was applied.
    error : float
        Mean ΔE00 from the chart when the picture is read by its tag.
    """

    through_profile: bool
    contrast: bool
    error: float

    def words(self) -> str:
        """What that means for a profile, in sentences; empty where there is nothing to say."""
        parts = []
        if self.through_profile:
            parts.append(
                f"The picture already went through a camera profile: read by its tag it lies {self.error:.1f} ΔE from the chart. "
                "A profile fitted here mends what is left in colours that were not clipped; it belongs to pictures made with the "
                "same settings only, and cannot bring back what clipping or local changes took."
            )
        if self.contrast:
            parts.append(
                "Its greys follow a contrast curve. The curve is undone as far as the grey row shows it; highlights and shadows "
                "beyond the lightest and darkest grey are continued, not known."
            )
        return " ".join(parts)


def grey_curves(encoded: Floats, light: Floats) -> tuple[tuple[float, ...], ...]:
    """Rising curves from encoded numbers 0..1, at 4096 even steps, to linear light, one for each channel.

    Straight lines through the greys in log number and log light, smoothed by monotone cubics (Fritsch and Carlson 1980); a
    power law goes on beyond them.

    Parameters
    ----------
    encoded : ndarray (N, 3)
        Of the neutral patches, 0..1.
    light : ndarray (N,)
        Their Y.

    Raises
    ------
    FitRefused
        When there are fewer than three, or they do not rise with the light.
    """
    order = np.argsort(light)
    encoded, light = encoded[order], light[order]
    if len(light) < 3:
        raise FitRefused("a finished picture needs at least three grey patches, from which its curves are taken")
    if encoded.min() <= 1e-5 or np.any(np.diff(encoded, axis=0) < 1e-4) or encoded.max() > 0.9999:
        raise FitRefused("the grey patches do not rise with the light in every channel, or are clipped; no curve fits them")
    steps = np.linspace(0.0, 1.0, _ENTRIES)
    at = np.log(np.maximum(steps, 1e-6))
    curves = []
    for channel in range(3):
        x, y = np.log(encoded[:, channel]), np.log(light)
        inside = PchipInterpolator(x, y)
        first = np.clip((y[1] - y[0]) / (x[1] - x[0]), 0.4, 4.0)
        last = np.clip((y[-1] - y[-2]) / (x[-1] - x[-2]), 0.4, 4.0)
        value = np.where(at < x[0], y[0] + first * (at - x[0]), np.where(at > x[-1], y[-1] + last * (at - x[-1]), inside(at)))
        curve = np.maximum.accumulate(np.where(steps == 0.0, 0.0, np.exp(value)))
        curves.append(tuple(float(v) for v in curve))
    return tuple(curves)


def through_curves(curves: tuple[tuple[float, ...], ...], encoded: Floats) -> Floats:
    """Linear light (N, 3) of encoded numbers (N, 3)."""
    return np.stack([np.interp(encoded[:, i], np.linspace(0.0, 1.0, len(c)), c) for i, c in enumerate(curves)], axis=1)


def state_of(encoded: Floats, reference: Floats, neutrals: list[int], tag: RGBSpace) -> PictureState:
    """What a picture of a chart visibly went through.

    Parameters
    ----------
    encoded, reference : ndarray (N, 3)
        The patches' numbers 0..1, and their XYZ D50.
    tag : RGBSpace
        By which the numbers are read; sRGB for a picture without a tag.
    """
    xyz = _by_tag(encoded, reference, neutrals, tag)
    error = float(_errors_by_tag(encoded, reference, neutrals, tag).mean())
    order = sorted(neutrals, key=lambda i: float(reference[i, 1]))
    slopes = np.diff(np.log(reference[order, 1])) / np.diff(np.log(np.maximum(encoded[order].mean(axis=1), 1e-6)))
    bend = float(slopes.max() / max(slopes.min(), 1e-3) - 1.0) if len(slopes) > 1 else 0.0
    by_tag = np.asarray(tag.decode(encoded[order])).mean(axis=1)
    tagged = np.diff(np.log(reference[order, 1])) / np.diff(np.log(np.maximum(by_tag, 1e-6)))
    straight = min(bend, float(tagged.max() / max(tagged.min(), 1e-3) - 1.0) if len(tagged) > 1 else 0.0)
    chroma = [np.hypot(*xyz_to_lab(x)[:, 1:].T) for x in (xyz, reference)]
    coloured = chroma[1] > 15.0
    share = float(np.median(chroma[0][coloured] / chroma[1][coloured])) if coloured.any() else 0.0
    rendered = error < _RENDERED or (error < 2.0 * _RENDERED and share > _COLOURFUL)
    return PictureState(rendered, straight > _BEND, error)


def fit_picture(request: FitRequest, tag: RGBSpace) -> tuple[Fitted, PictureState]:
    """Fit profiles from a reading of a finished picture, which holds the picture's own numbers.

    The light cannot be told from such a picture: without one in the request the reference is that of D50.

    Raises
    ------
    FitRefused
        When its greys are clipped or too few, or a reading does not determine a profile.
    """
    used, neutrals = used_patches(request, 3)
    light = request.light or Illuminant("D50", daylight(5003.0))
    numbers, reference = request.reading.rgb()[used], request.chart.reference(light)[used]
    curves = grey_curves(numbers[neutrals], reference[neutrals, 1])
    rgb = through_curves(curves, numbers)
    check_colourful(rgb)
    ready = prepared(
        request, used, neutrals=neutrals, balance=np.ones(3), rgb=rgb, light=light, white=cct_duv(xyz_to_xy(light.white))
    )
    names = NAMES if request.model == "auto" else (request.model,)
    candidates = fit_candidates(training_of(rgb, reference, ready.weights, reflectances=ready.reflectances, light=light), names)
    plain = candidates[0].model
    assert isinstance(plain, Matrix)
    was = _errors_by_tag(numbers, reference, neutrals, tag)
    fits = {c.name: light_fit(request, ready, c, matrix=plain, was=was) for c in candidates if c.name in names}
    recommended, reason = recommend({name: f.figures.leave_one_out for name, f in fits.items()})
    name = request.name or f"{request.camera or request.chart_frame}, finished picture"
    profiles = tuple(
        CameraProfile(
            name, request.camera, (f,), tone=request.tone, curves=curves, reason=reason if model == recommended else ""
        )
        for model, f in fits.items()
    )
    return Fitted(profiles, recommended, reason), state_of(numbers, reference, neutrals, tag)


def _by_tag(numbers: Floats, reference: Floats, neutrals: list[int], tag: RGBSpace) -> Floats:
    """XYZ D50 (N, 3) of a picture's numbers read by its tag, on the reference's exposure."""
    xyz = np.asarray(tag.decode(numbers)) @ tag.to_xyz.T
    return np.asarray(xyz * common_exposure(xyz[:, 1], reference[:, 1], neutrals))


def _errors_by_tag(numbers: Floats, reference: Floats, neutrals: list[int], tag: RGBSpace) -> Floats:
    """ΔE00 (N,) of the patches from their reference when the picture is read by its tag."""
    return ciede2000(xyz_to_lab(_by_tag(numbers, reference, neutrals, tag)), xyz_to_lab(reference))


def fit_picture_file(
    path: Path, kept: JudgedReading, *, name: str, light: Illuminant | None = None, model: str = "auto", tone: str = "none"
) -> tuple[Fitted, str]:
    """Fit on the chart read in a picture file; coloured patches at an end of its range are left out.

    Returns
    -------
    fitted : Fitted
    words : str
        What was left out, and what the picture visibly went through; empty where there is nothing to say.

    Raises
    ------
    ReadingRefused, FitRefused
    """
    judgements, at_end = without_clipped_colours(kept.judgements, kept.chart.neutrals)
    refuse_unusable(judgements)
    found = inspect(path)
    reading = kept.for_fit()
    reading = replace(reading, choices=replace(reading.choices, left_out=(*reading.choices.left_out, *at_end)))
    no_sensor = ColourMatrices((), ())
    request = FitRequest(reading, kept.chart, found.camera, no_sensor, light, name, path.name, model, tone=tone)
    fitted, state = fit_picture(request, BUILT_IN.get(found.tag.space or "", SRGB))
    parts = [f"Left out, at an end of the picture's range: {', '.join(at_end)}."] if at_end else []
    return fitted, " ".join([*parts, state.words()]).strip()
