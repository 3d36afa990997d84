"""Giving one frame's camera settings to others: what each would become, worked out before anything is changed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from velkin.core.cameraprofiles.leaning import NEUTRAL, Lean
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.files.camera_names import same_body
from velkin.core.shoot.light import Given
from velkin.core.shoot.moving import IN_TIME
from velkin.core.shoot.state import State


@dataclass(frozen=True)
class Giving:
    """What is given.

    Attributes
    ----------
    profile, balance : bool
    exposure : str
        ``""`` leaves each frame's own, ``"frame"`` gives this frame's, ``"chart"`` that at which the chart's greys have their
        own lightness.
    spare : bool
        Frames that have a profile of their own keep theirs.
    newcomers : bool
        Frames that arrive later under the light get it too.
    """

    profile: bool = True
    balance: bool = True
    exposure: str = ""
    spare: bool = False
    newcomers: bool = False


@dataclass(frozen=True)
class Change:
    """What a frame's camera settings become."""

    frame: int
    profile: int | None
    balance: tuple[float, ...] | None
    balance_from: str
    exposure: float
    lean: Lean = NEUTRAL


@dataclass(frozen=True)
class GivingPlan:
    """What giving would do.

    Attributes
    ----------
    source : int
        The frame whose settings are given.
    giving : Giving
    changes : tuple of Change
        Frames that become different.
    same : tuple of int
        Frames that have all of it already.
    kept : tuple of (frame, reason)
        Frames that keep their own.
    light : int or None
        The light whose profile, and what it gives to newcomers, this sets.
    for_newcomers : Given or None
    """

    source: int
    giving: Giving
    changes: tuple[Change, ...]
    same: tuple[int, ...]
    kept: tuple[tuple[int, str], ...]
    light: int | None = None
    for_newcomers: Given | None = None

    def what(self) -> str:
        """What is given, in words."""
        parts = [w for w, on in (("profile", self.giving.profile), ("balance", self.giving.balance)) if on]
        if self.giving.exposure:
            parts.append("exposure")
        return " and ".join([", ".join(parts[:-1]), parts[-1]] if len(parts) > 1 else parts)

    def label(self) -> str:
        """The name of the step, for undo."""
        return f"give {self.what()} to {len(self.changes)} frame{'' if len(self.changes) == 1 else 's'}"

    def summary(self) -> str:
        """The plan in one or two sentences."""
        count = len(self.changes)
        words = [f"{count} frame{'s' if count != 1 else ''} get{'s' if count == 1 else ''} {self.what()}"]
        if self.same:
            words.append(f"{len(self.same)} ha{'s' if len(self.same) == 1 else 've'} all of it already")
        if self.kept:
            words.append(
                f"{len(self.kept)} keep{'s' if len(self.kept) == 1 else ''} {'its' if len(self.kept) == 1 else 'their'} own"
            )
        return "; ".join(words) + "."

    def reasons(self) -> list[str]:
        """Why frames keep their own, each reason once with how many."""
        counted: dict[str, int] = {}
        for _, reason in self.kept:
            counted[reason] = counted.get(reason, 0) + 1
        return [f"{number}: {reason}" for reason, number in counted.items()]


def plan_giving(state: State, source: int, frames: Iterable[int], giving: Giving, *, light: int | None = None) -> GivingPlan:
    """What giving a frame's settings to others would do; the source itself is never changed.

    Parameters
    ----------
    light : int, optional
        The light that all of it is for, so that its own profile follows, and what newcomers are given.
    """
    from_frame = state.frames[source]
    profile = None if from_frame.profile is None else state.profiles[from_frame.profile]
    numbers = state.camera_of(source, leaning=False).balance
    exposure = from_frame.exposure
    if giving.exposure == "chart" and isinstance(profile, CameraProfile):
        exposure = round(float(np.log2(profile.exposure)), 2) if profile.keep_exposure else 0.0
    changes: list[Change] = []
    same: list[int] = []
    kept: list[tuple[int, str]] = []
    for identifier in frames:
        frame = state.frames[identifier]
        if identifier == source and giving.exposure != "chart":
            continue
        if not frame.is_raw:
            kept.append((identifier, "a finished picture"))
            continue
        if not same_body(frame.facts, from_frame.facts):
            kept.append((identifier, f"shot with another camera ({frame.facts.unique or 'unknown'})"))
            continue
        if giving.spare and giving.profile and frame.profile not in (None, from_frame.profile):
            kept.append((identifier, "has a profile of its own"))
            continue
        takes_profile = frame.profile != from_frame.profile and giving.profile
        after = Change(
            identifier,
            from_frame.profile if giving.profile else frame.profile,
            frame.balance,
            frame.balance_from,
            exposure if giving.exposure else frame.exposure,
            from_frame.lean if giving.balance else frame.lean,
        )
        if giving.balance:
            # "the chart's" means the profile's own balance; where the profile is not given too, its numbers are
            follows = from_frame.balance is None and (giving.profile or frame.profile == from_frame.profile)
            as_shot = from_frame.balance is None and from_frame.profile is None
            in_time = from_frame.balance_from == IN_TIME  # then each follows its own light
            balance = None if in_time or (follows and not as_shot) else numbers
            after = replace(after, balance=balance, balance_from=from_frame.balance_from)
        elif takes_profile and frame.balance is None:
            after = replace(after, balance=state.camera_of(identifier, leaning=False).balance)
        if after == Change(identifier, frame.profile, frame.balance, frame.balance_from, frame.exposure, frame.lean):
            same.append(identifier)
        else:
            changes.append(after)
    newcomers = None
    if giving.newcomers and light is not None:
        newcomers = Given(
            from_frame.profile if giving.profile else None,
            (None if from_frame.balance is None and from_frame.profile is not None and giving.profile else numbers)
            if giving.balance
            else None,
            from_frame.balance_from if giving.balance else "as shot",
            exposure if giving.exposure else None,
            from_frame.lean if giving.balance else NEUTRAL,
        )
    return GivingPlan(source, giving, tuple(changes), tuple(same), tuple(kept), light, newcomers)
