"""A light that moves: several chart or neutral frames of one light, and the white between them, followed in capture time.

Between two of them the white goes evenly in reciprocal temperature and in Duv; beyond the first and the last nothing is extrapolated, and the
nearest holds.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.between import Between
from velkin.core.cameraprofiles.matrices import ColourMatrices, built_in
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.charts.built_in import iso24
from velkin.core.charts.greys import from_greys
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.errors import FitRefused
from velkin.core.files.raw import RawFacts
from velkin.core.shoot.frame import Frame, Role
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.stages.camera import CameraStage, profile_stage

Floats = NDArray[np.float64]

#: What the balance of a frame is from that follows its light in time.
IN_TIME = "in time"
#: Lab D50 of a middle grey, and of light skin.
_GREY, _SKIN = np.array([50.0, 0.0, 0.0]), np.array([66.0, 17.0, 18.0])


@dataclass(frozen=True)
class Anchor:
    """A frame on which the white of its light was measured.

    Attributes
    ----------
    frame : int
    name : str
    at : float
        Capture time in seconds.
    balance : 3 floats
    kelvin, duv : float
        Through the camera's built-in matrices.
    level : float or None
        Of the chart's greys in the green channel, for how much light there was; None where a card was measured.
    profile : int or None
        The profile of the shoot that was fitted on this frame alone.
    """

    frame: int
    name: str
    at: float
    balance: tuple[float, float, float]
    kelvin: float
    duv: float
    level: float | None = None
    profile: int | None = None

    @classmethod
    def of(
        cls, frame: int, facts: RawFacts, balance: Floats, *, name: str, level: float | None = None, profile: int | None = None
    ) -> Anchor:
        """What was measured on a raw file that says when it was taken."""
        assert facts.exif.taken is not None
        kelvin, duv = built_in(facts).temperature(balance)
        numbers = (float(balance[0]), 1.0, float(balance[2]))
        return cls(frame, name, facts.exif.taken.timestamp(), numbers, kelvin, duv, level, profile)

    @property
    def mired(self) -> float:
        """Its reciprocal temperature, in millionths of a kelvin."""
        return 1e6 / self.kelvin


@dataclass(frozen=True)
class Moment:
    """A capture time among the anchors of a light: how much of the second's white there is in it, the rest being the first's.

    Attributes
    ----------
    bracketed : bool
        Whether it lies between two anchors, or is one; else both are the nearest.
    """

    first: Anchor
    second: Anchor
    share: float
    bracketed: bool

    def words(self) -> str:
        """Whose white it is."""
        if not self.bracketed:
            return f"of {self.first.name}, not bracketed in time"
        return f"in time, {self.first.name} to {self.second.name}" if self.first is not self.second else f"of {self.first.name}"


def anchors_of(
    frames: Iterable[Frame], reading_of: Callable[[int], JudgedReading | None], profiles: Mapping[int, AnyProfile]
) -> tuple[Anchor, ...]:
    """The frames of a light on which its white was measured, in order of time; those without a capture time are left out."""
    found = []
    for frame in frames:
        if not frame.is_raw or frame.facts.exif.taken is None:
            continue
        level: float | None = None
        kept = reading_of(frame.id)
        if kept is not None:
            try:
                balance = from_greys(kept.for_fit(), kept.chart)
            except FitRefused:
                continue
            level = float(np.mean(kept.reading.rgb()[kept.chart.neutral_rows(), 1]))
        elif frame.role is Role.NEUTRAL and frame.neutral is not None:
            balance = np.array(frame.neutral)
        else:
            continue
        fitted = _fitted_on(frame, profiles)
        found.append(Anchor.of(frame.id, frame.raw, balance, name=frame.name, level=level, profile=fitted))
    return tuple(sorted(found, key=lambda a: a.at))


def _fitted_on(frame: Frame, profiles: Mapping[int, AnyProfile]) -> int | None:
    """The newest profile of one light that was fitted on a frame."""
    mine = [
        identifier
        for identifier, p in profiles.items()
        if isinstance(p, CameraProfile) and len(p.fits) == 1 and p.chart_frame == frame.path.name and not p.for_pictures
    ]
    return max(mine, default=None)


def moment(anchors: tuple[Anchor, ...], frame: Frame) -> Moment | None:
    """Where the capture time of a frame lies among anchors; None where there are none."""
    if not anchors:
        return None
    taken = frame.facts.exif.taken
    if taken is None:
        return Moment(anchors[0], anchors[0], 0.0, False)
    own = next((a for a in anchors if a.frame == frame.id), None)
    return moment_at(anchors, taken.timestamp()) if own is None else Moment(own, own, 0.0, True)


def moment_at(anchors: tuple[Anchor, ...], at: float) -> Moment:
    """Where a time, in seconds, lies among anchors in order of time, of which there is one at least."""
    before = [a for a in anchors if a.at <= at]
    after = [a for a in anchors if a.at >= at]
    if not before or not after:
        nearest = before[-1] if before else after[0]
        return Moment(nearest, nearest, 0.0, False)
    first, second = before[-1], after[0]
    span = second.at - first.at
    return Moment(first, second, (at - first.at) / span if span > 0 else 0.0, True)


def white_at(when: Moment, camera: ColourMatrices) -> Floats:
    """The balance (3,), green 1, at a moment; at an anchor exactly that which was measured."""
    a, b, share = when.first, when.second, when.share
    if share == 0.0:
        return np.array(a.balance)
    if share == 1.0:
        return np.array(b.balance)

    def off(anchor: Anchor) -> Floats:
        return np.asarray(np.log(np.array(anchor.balance) / camera.balance_at(anchor.kelvin, anchor.duv)))

    mired = (1.0 - share) * a.mired + share * b.mired
    plain = camera.balance_at(1e6 / mired, (1.0 - share) * a.duv + share * b.duv)
    return np.asarray(plain * np.exp((1.0 - share) * off(a) + share * off(b)))


def stage_in_time(
    when: Moment, facts: RawFacts, own: AnyProfile | None, profiles: Mapping[int, AnyProfile]
) -> CameraStage | None:
    """How a raw file's numbers become colours at a moment, by the profiles that were fitted on the anchors: mixed by what they give where both
    have one. Without any its `own`; None where it has none either.
    """
    balance, words = white_at(when, built_in(facts)), when.words()
    known = [profiles.get(a.profile) if a.profile is not None else None for a in (when.first, when.second)]
    first, second = known[0] or known[1] or own, known[1] or known[0] or own
    if first is None or second is None:
        return None
    stage = profile_stage(first, facts, balance=balance, balance_from=words)
    if first is second or when.share == 0.0:
        return stage
    other = profile_stage(second, facts, balance=balance, balance_from=words)
    errors = (stage.mean_error, other.mean_error)
    return replace(
        stage,
        colours=Between(stage.colours, other.colours, when.share),
        profile=f"{stage.profile} to {other.profile}",
        mean_error=None if None in errors else max(e for e in errors if e is not None),
    )


# ---- how far it moved ---------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Cost:
    """What another white than its own does to colours, ΔE00: of a middle grey, of light skin, and on average of the 24-patch chart."""

    grey: float
    skin: float
    chart: float


@dataclass(frozen=True)
class Drift:
    """How far a light moved.

    Attributes
    ----------
    anchors : tuple of Anchor
        In order of time.
    moments : dict of Moment
        By frame, of all raw frames of the light.
    mired, duv : float
        The whole way between the anchors that lie furthest apart.
    stops : float or None
        By how much the light changed, in EV; None where it is not known of two.
    cost : Cost
        Of the first anchor's white under the light of the one that lies furthest from it.
    """

    anchors: tuple[Anchor, ...]
    moments: dict[int, Moment]
    mired: float
    duv: float
    stops: float | None
    cost: Cost

    @property
    def loose(self) -> tuple[int, ...]:
        """The frames that lie before the first anchor or behind the last."""
        return tuple(f for f, m in self.moments.items() if not m.bracketed)


def drift_of(anchors: tuple[Anchor, ...], frames: Iterable[Frame]) -> Drift | None:
    """How far a light moved between its anchors; None for fewer than two."""
    if len(anchors) < 2:
        return None
    raw = [f for f in frames if f.is_raw]
    camera = built_in(next(f for f in raw if f.id == anchors[0].frame).raw)
    moments = {f.id: m for f in raw if (m := moment(anchors, f)) is not None}
    levels = [a.level for a in anchors if a.level]
    costs = [cost_of(np.array(anchors[0].balance), np.array(a.balance), camera) for a in anchors[1:]]
    return Drift(
        anchors,
        moments,
        max(a.mired for a in anchors) - min(a.mired for a in anchors),
        max(a.duv for a in anchors) - min(a.duv for a in anchors),
        float(np.log2(max(levels) / min(levels))) if len(levels) > 1 else None,
        max(costs, key=lambda c: c.grey),
    )


def cost_of(held: Floats, right: Floats, camera: ColourMatrices) -> Cost:
    """What holding one balance (3,) costs in a light whose own is another, as ΔE00 through the camera's matrices."""
    lab = np.vstack([_GREY, _SKIN, xyz_to_lab(iso24().reference_d50())])
    meant = lab_to_xyz(lab)
    numbers = meant @ np.linalg.inv(camera.matrix(right)).T
    shown = (numbers * (held / right)) @ camera.matrix(held).T
    off = ciede2000(lab, xyz_to_lab(np.maximum(shown, 0.0)))
    return Cost(float(off[0]), float(off[1]), float(off[2:].mean()))
