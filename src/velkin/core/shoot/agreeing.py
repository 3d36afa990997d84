"""Cameras that agree: how far the same chart, rendered from two cameras' frames, lies apart, as built in and as profiled."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.fit import common_exposure
from velkin.core.cameraprofiles.report import differences_by_hue
from velkin.core.charts.greys import from_greys
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.errors import FitRefused
from velkin.core.files.camera_names import same_body
from velkin.core.shoot.frame import Frame
from velkin.core.shoot.state import State
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.stages.camera import CameraStage, built_in_stage

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Apart:
    """ΔE00 between two renderings of one chart over all patches, and how the second differs in words, the largest first."""

    mean: float
    p95: float
    worst: float
    worst_patch: str
    words: tuple[str, ...]


@dataclass(frozen=True)
class Agreement:
    """Two chart frames of different cameras.

    Attributes
    ----------
    first, second : int
        Frames.
    chart : str
    seconds : float
        How far they lie apart in time; infinite where one does not say when it was taken.
    built_in : Apart
    now : Apart
        Along the frames' own profiles as they are given now.
    """

    first: int
    second: int
    chart: str
    seconds: float
    built_in: Apart
    now: Apart


def agreements(state: State) -> tuple[Agreement, ...]:
    """Every two chart frames of different cameras that read the same chart, those nearest in time first."""
    read = {f: kept for f in state.readings if f in state.frames and state.frames[f].is_raw and (kept := state.reading(f))}
    found = []
    for (first, one), (second, other) in combinations(read.items(), 2):
        a, b = state.frames[first], state.frames[second]
        if same_body(a.facts, b.facts) or one.chart.id != other.chart.id:
            continue
        try:
            plain = _apart(one, other, _as_built(a, one), _as_built(b, other))
            now = _apart(one, other, _as_given(state, a, one), _as_given(state, b, other))
        except FitRefused:
            continue
        found.append(Agreement(a.id, b.id, one.chart.name, _between(a, b), plain, now))
    return tuple(sorted(found, key=lambda g: g.seconds))


def _between(a: Frame, b: Frame) -> float:
    first, second = a.facts.exif.taken, b.facts.exif.taken
    return abs((first - second).total_seconds()) if first is not None and second is not None else float("inf")


def _as_built(frame: Frame, kept: JudgedReading) -> CameraStage:
    return built_in_stage(frame.raw, from_greys(kept.for_fit(), kept.chart), "chart")


def _as_given(state: State, frame: Frame, kept: JudgedReading) -> CameraStage:
    """The frame's own way, at the balance of its chart's greys, so that what differs is colour and not balance."""
    return state.camera_of(frame.id, leaning=False, balance=from_greys(kept.for_fit(), kept.chart))


def _apart(one: JudgedReading, other: JudgedReading, first: CameraStage, second: CameraStage) -> Apart:
    labs = [_rendered(kept, stage) for kept, stage in ((one, first), (other, second))]
    off = ciede2000(*labs)
    worst = int(np.argmax(off))
    words = tuple(differences_by_hue(labs[1], labs[0]))
    return Apart(float(off.mean()), float(np.percentile(off, 95)), float(off[worst]), one.chart.ids[worst], words)


def _rendered(kept: JudgedReading, stage: CameraStage) -> Floats:
    """Lab (N, 3) of the patches, brought to the exposure at which the greys are the reference's."""
    xyz = stage.xyz(kept.for_fit().rgb())
    reference = kept.chart.reference_d50()
    return xyz_to_lab(np.maximum(xyz * common_exposure(xyz[:, 1], reference[:, 1], kept.chart.neutral_rows()), 0.0))


def report(state: State, found: Agreement) -> str:
    """An agreement as a text to send."""
    first, second = state.frames[found.first], state.frames[found.second]
    lines = [
        f"{second.facts.unique} ({second.name}) beside {first.facts.unique} ({first.name}), {found.chart}",
        "Greys neutral and of the same lightness in both; differences in CIEDE2000.",
    ]
    for name, apart in (("As built in", found.built_in), ("As they are given now", found.now)):
        figures = f"{apart.mean:.2f} mean, {apart.p95:.2f} at the 95th percentile, {apart.worst:.2f} at most (patch {apart.worst_patch})"
        lines += [f"{name}: {figures}", *(f"  {words}" for words in apart.words)]
    return "\n".join(lines) + "\n"
