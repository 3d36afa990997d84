"""A light: one camera, lens and lighting set-up, and the frames under it."""

from __future__ import annotations

from dataclasses import dataclass

from velkin.core.cameraprofiles.leaning import NEUTRAL, Lean


@dataclass(frozen=True)
class Given:
    """What frames that arrive later under a light are given."""

    profile: int | None
    balance: tuple[float, ...] | None
    balance_from: str
    exposure: float | None = None
    lean: Lean = NEUTRAL


@dataclass(frozen=True)
class Light:
    """One camera + lens + lighting set-up, with the ids of its frames in order."""

    id: int
    name: str
    profile: int | None
    frames: tuple[int, ...]
    given: Given | None = None


@dataclass(frozen=True)
class LightWhite:
    """The neutral of a light: its balance, temperature in kelvin, Duv, and the frame it was measured on."""

    balance: tuple[float, float, float]
    kelvin: float
    duv: float
    frame: int
