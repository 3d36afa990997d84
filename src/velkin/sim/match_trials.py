"""Trials of matches: one camera's rendering brought to another's by a chart, and treatments learnt from a picture before and after them."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from velkin.core.charts.built_in import iso24
from velkin.core.files import raw
from velkin.core.icc.transform import to_lab
from velkin.core.match.aligned import pairs_of_aligned
from velkin.core.match.baked import Amounts, matched
from velkin.core.match.cube_file import cube_of_text
from velkin.core.match.export import match_cube, match_icc
from velkin.core.match.match import Match
from velkin.core.match.pair import Origin, Pair, coordinates, difference
from velkin.core.match.solver import learn
from velkin.core.path import path_of
from velkin.core.render import to_working
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.oklab import xyz_to_oklab
from velkin.core.spaces.rgb import ROMM, SRGB
from velkin.core.spectra import Illuminant, xyz_of_surfaces
from velkin.core.stages.camera import built_in_stage
from velkin.sim.camera import Camera, field_two, pocket_three
from velkin.sim.fit_trials import plain_least_squares, unseen_reflectances
from velkin.sim.lights import north_window, weaving_lamp
from velkin.sim.treatments import TREATMENTS, spoilt, treated

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class TwoCameras:
    """What two cameras render of a chart and of colours that the match never saw.

    Attributes
    ----------
    pairs : list of Pair
        Of the chart's patches.
    here, there : ndarray (N, 3)
        XYZ D50 of the unseen colours as either camera renders them.
    """

    pairs: list[Pair]
    here: Floats
    there: Floats

    def best(self) -> float:
        """The lowest mean ΔE00 that curves and a root-polynomial reach when they are fitted to the unseen colours themselves."""
        rgb = np.maximum(self.here @ ROMM.from_xyz.T, 1e-6)
        lab = xyz_to_lab(self.there)

        def terms(power: Floats) -> Floats:
            r, g, b = (rgb**power).T
            return np.stack([r, g, b, np.sqrt(r * g), np.sqrt(g * b), np.sqrt(r * b)], axis=1)

        def errors(values: Floats) -> Floats:
            found = terms(np.exp(values[18:])) @ values[:18].reshape(3, 6).T
            return np.asarray(np.sqrt(ciede2000(xyz_to_lab(np.maximum(found, 0.0)), lab) + 1e-9))

        start = np.linalg.lstsq(terms(np.ones(3)), self.there, rcond=None)[0].T
        found = least_squares(errors, np.append(start.ravel(), np.zeros(3)), max_nfev=200)
        return float((found.fun**2).mean())

    def errors(self, x: Floats) -> Floats:
        """ΔE00 (N,) of coordinates (N, 3) that a match made of `here`."""
        return difference(x, coordinates(xyz_to_oklab(self.there)))


#: What the second camera's maker does besides: a tone and a tint of its own.
_TONE = 0.9
_TINT = np.array([[0.05, -0.05, 0.0], [0.0, 0.04, -0.04], [0.03, 0.0, -0.03]])


def two_cameras(first: Camera, second: Camera, power: Floats) -> TwoCameras:
    """A camera brought to another under one light."""
    chart = iso24()
    surfaces = chart.reflectances
    assert surfaces is not None
    truth = xyz_of_surfaces(surfaces, power) @ bradford(Illuminant("", power).white, D50).T

    def rendered(camera: Camera, reflectances: Floats, tone: float, tint: Floats) -> Floats:
        neutral = camera.neutral(power)
        matrix = plain_least_squares(camera.respond(surfaces, power) / neutral, truth, "matrix")
        xyz = camera.respond(reflectances, power) / neutral @ (matrix @ (np.eye(3) + tint)).T
        return np.asarray(D50 * (np.maximum(xyz, 1e-5) / D50) ** tone)

    mine = xyz_to_oklab(rendered(first, surfaces, 1.0, 0.0 * _TINT))
    theirs = xyz_to_oklab(rendered(second, surfaces, _TONE, _TINT))
    pairs = [Pair(tuple(h), tuple(w), Origin.CHART, i) for i, h, w in zip(chart.ids, mine, theirs, strict=True)]
    unseen = unseen_reflectances()
    return TwoCameras(pairs, rendered(first, unseen, 1.0, 0.0 * _TINT), rendered(second, unseen, _TONE, _TINT))


def treatment_errors(at: Floats, picture: Pixels, treatment: str) -> Floats:
    """ΔE00 of what a match made (coordinates (N, 3)) of every 97th pixel of a picture from the treatment itself."""
    few = picture.reshape(-1, 3)[::97]
    meant = treated(few[None], treatment)[0].astype(np.float64)
    return difference(at, coordinates(xyz_to_oklab(meant @ ROMM.to_xyz.T)))


def seen_in(picture: Pixels) -> Floats:
    """Coordinates (N, 3) of every 97th pixel of a picture."""
    return coordinates(xyz_to_oklab(picture.reshape(-1, 3)[::97].astype(np.float64) @ ROMM.to_xyz.T))


@dataclass(frozen=True)
class CameraTrial:
    """One camera brought to another by the 24-patch chart under a light: ΔE00 at the 500 unseen colours before and after, and the best there is."""

    first: str
    second: str
    light: str
    before: float
    mean: float
    p95: float
    best: float


def camera_trials() -> Iterator[CameraTrial]:
    """Every camera brought to every other, under both of the studio's lights."""
    for first, second in itertools.permutations((Camera(), field_two(), pocket_three()), 2):
        for light in (north_window(), weaving_lamp()):
            trial = two_cameras(first, second, light.power)
            here = coordinates(xyz_to_oklab(trial.here))
            errors = trial.errors(learn(trial.pairs).match.at(here))
            yield CameraTrial(
                first.model,
                second.model,
                light.name,
                float(trial.errors(here).mean()),
                float(errors.mean()),
                float(np.percentile(errors, 95)),
                trial.best(),
            )


def plate_of(frame: Path) -> Pixels:
    """A raw frame as a picture of 2 MP, linear ROMM RGB (H, W, 3) within 0..1, to try treatments on."""
    linear = to_working(raw.decode(frame), path_of(built_in_stage(raw.read_facts(frame)), ROMM, ROMM, exposure=0.6))
    return np.asarray(np.clip(cv2.resize(linear, (1730, 1153), interpolation=cv2.INTER_AREA), 0.0, 1.0), dtype=np.float32)


@dataclass(frozen=True)
class TreatmentTrial:
    """A treatment learnt from a picture before and after it: ΔE00 at the picture's own colours."""

    treatment: str
    spoilt: bool
    pairs: int
    before: float
    mean: float
    p95: float


def treatment_trials(before: Pixels) -> Iterator[TreatmentTrial]:
    """Every treatment of a picture, linear ROMM RGB (H, W, 3), as it is and spoilt."""
    for name in TREATMENTS:
        for rough in (False, True):
            after = treated(before, name)
            found = learn(pairs_of_aligned(before, spoilt(after) if rough else after).pairs)
            x = seen_in(before)
            errors = treatment_errors(found.match.at(x), before, name)
            yield TreatmentTrial(
                name,
                rough,
                len(found.match.pairs),
                float(treatment_errors(x, before, name).mean()),
                float(errors.mean()),
                float(np.percentile(errors, 95)),
            )


def export_errors(match: Match, count: int = 4000) -> dict[str, tuple[float, float]]:
    """Mean and largest ΔE00 of written files from the map itself, on colours of sRGB that the table holds.

    The `.cube` of 65 steps is read by its own reader, the input profile by LittleCMS.
    """
    rng = np.random.default_rng(8)
    numbers = rng.random((count, 3))
    meant_light = matched(np.asarray(SRGB.decode(numbers)), SRGB, match, Amounts())
    held = np.all((meant_light > 0.0) & (meant_light < 1.0), axis=1)
    meant = xyz_to_lab(meant_light[held] @ SRGB.to_xyz.T)
    cube = cube_of_text(match_cube(match, Amounts(), SRGB, 65))
    found = cube.through(numbers[held].astype(np.float32))
    by_cube = xyz_to_lab(np.asarray(SRGB.decode(np.clip(found, 0.0, 1.0).astype(np.float64))) @ SRGB.to_xyz.T)
    by_icc = to_lab(numbers[held], match_icc(match, Amounts(), SRGB), "rgb")
    return {
        name: (float(error.mean()), float(error.max()))
        for name, error in ((".cube, 65 steps", ciede2000(by_cube, meant)), ("ICC input profile", ciede2000(by_icc, meant)))
    }
