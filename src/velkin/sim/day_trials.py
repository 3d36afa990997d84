"""A day in front of the stand-in camera, from the first sun to open shade, with a chart every so often: what following it in time is worth."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.between import Between
from velkin.core.cameraprofiles.fit import FitRequest, fit, patch_errors
from velkin.core.cameraprofiles.matrices import ColourMatrices
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.charts.average import reading_between
from velkin.core.charts.built_in import iso24
from velkin.core.charts.greys import from_greys
from velkin.core.charts.read import Reading
from velkin.core.files.dng_colour import DNGColour
from velkin.core.shoot.moving import Anchor, Moment, white_at
from velkin.core.spectra import Illuminant
from velkin.sim.camera import Camera
from velkin.sim.fit_trials import chart_rgb, reading_of
from velkin.sim.lights import sky

Floats = NDArray[np.float64]

#: Minutes and temperatures of the day: the first sun, noon, and the shade of the afternoon.
_MINUTES = (0.0, 120.0, 300.0, 480.0, 560.0)
_KELVIN = (2700.0, 4300.0, 5900.0, 7500.0, 10500.0)
#: Minutes of the whole day.
LENGTH = 560.0


def light_at(minute: float) -> Illuminant:
    """The light at a minute."""
    mired = np.interp(minute, _MINUTES, 1e6 / np.array(_KELVIN))
    return Illuminant(f"minute {minute:.0f}", sky(float(1e6 / mired)))


@dataclass(frozen=True)
class DayTrial:
    """Mean ΔE00 of the chart's colours over all frames halfway between charts: each by a chart of its own, in time by the profiles of the
    charts mixed, by a profile fitted on what the chart would have shown in time, and all by the first chart; the greatest of the ratios of
    in time to its own.
    """

    frames: int
    own: float
    in_time: float
    fitted_in_time: float
    one_for_all: float
    worst_ratio: float


@dataclass(frozen=True)
class _Charted:
    """A chart frame: its reading, its greys' balance and the profile that was fitted on it."""

    reading: Reading
    anchor: Anchor
    profile: CameraProfile


def day_trial(every: float = 40.0, model: str = "rootpoly", camera: Camera | None = None) -> DayTrial:
    """A day with a chart every so many minutes, and a frame halfway between each two."""
    maker = camera or Camera()
    matrices = ColourMatrices.of(DNGColour(maker.built_in_matrices(), (17, 21)))
    chart = iso24()
    neutrals = chart.neutral_rows()

    def fitted(reading: Reading, light: Illuminant) -> CameraProfile:
        return fit(FitRequest(reading, chart, maker.model, matrices, light)).of(model)

    def charted(minute: float) -> _Charted:
        light = light_at(minute)
        reading = reading_of(chart, chart_rgb(maker, light.power, chart))
        balance = from_greys(reading, chart)
        kelvin, duv = matrices.temperature(balance)
        profile = fitted(reading, light)
        numbers = (float(balance[0]), 1.0, float(balance[2]))
        return _Charted(reading, Anchor(0, f"{minute:.0f}", 60.0 * minute, numbers, kelvin, duv), profile)

    charts = [charted(minute) for minute in np.arange(0.0, LENGTH + 1e-6, every)]
    errors = []
    for first, second in itertools.pairwise(charts):
        minute = (first.anchor.at + second.anchor.at) / 120.0
        light = light_at(minute)
        rgb, reference = chart_rgb(maker, light.power, chart), chart.reference(light)

        def error(balance: Floats, colours: object, rgb: Floats = rgb, reference: Floats = reference) -> float:
            return float(patch_errors(rgb * balance, colours, reference, neutrals)[0].mean())  # type: ignore[arg-type]

        own = charted(minute)
        white = white_at(Moment(first.anchor, second.anchor, 0.5, True), matrices)
        mixed = Between(first.profile.colours(white), second.profile.colours(white), 0.5)
        one, other = ((c.reading, np.array(c.anchor.balance)) for c in (first, second))
        between = fitted(reading_between(one, other, 0.5, white), light)
        held = np.array(charts[0].anchor.balance)
        own_white = np.array(own.anchor.balance)
        errors.append(
            (
                error(own_white, own.profile.colours(own_white)),
                error(white, mixed),
                error(white, between.colours(white)),
                error(held, charts[0].profile.colours(held)),
            )
        )
    found = np.array(errors)
    own_mean, in_time, fitted_in_time, one_for_all = (float(v) for v in found.mean(axis=0))
    worst = float((found[:, 1] / found[:, 0]).max())
    return DayTrial(len(found), own_mean, in_time, fitted_in_time, one_for_all, worst)
