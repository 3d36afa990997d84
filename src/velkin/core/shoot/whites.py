"""The white of a light as it was measured, and frames whose own balance strays from it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.greys import from_greys
from velkin.core.errors import FitRefused
from velkin.core.shoot.frame import Role
from velkin.core.shoot.light import LightWhite
from velkin.core.shoot.state import State

Floats = NDArray[np.float64]

#: How far (log2 of a channel ratio) the camera's own balance may wander from the chart frame's before it is said.
DRIFT = 0.12


def white_of(state: State, light: int) -> LightWhite | None:
    """The white of a light as it was measured: on its chart's greys, else on its neutral frame; None without either."""
    members = state.light(light).frames
    for frame in members:
        kept = state.reading(frame)
        if kept is not None:
            try:
                return _white(state, frame, from_greys(kept.for_fit(), kept.chart))
            except FitRefused:
                continue
    for frame in members:
        neutral = state.frames[frame].neutral
        if neutral is not None and state.frames[frame].role is Role.NEUTRAL:
            return _white(state, frame, np.array(neutral))
    return None


def _white(state: State, frame: int, balance: Floats) -> LightWhite:
    kelvin, duv = built_in(state.frames[frame].raw).temperature(balance)
    return LightWhite((float(balance[0]), 1.0, float(balance[2])), kelvin, duv, frame)


def drifting(state: State, light: int) -> tuple[int, ...]:
    """Frames of a light whose own balance, as the camera measured it, lies far from that of the light's chart or neutral
    frame: the light may have changed since."""
    members = [f for f in state.light(light).frames if state.frames[f].is_raw]
    anchor = state.chart_frame(light)
    if anchor is None:
        anchor = next((f for f in members if state.frames[f].role is Role.NEUTRAL), None)
    if anchor is None:
        return ()
    shot = state.frames[anchor].raw.as_shot
    off = {f: np.abs(np.log2(state.frames[f].raw.as_shot[[0, 2]] / shot[[0, 2]])).max() for f in members}
    return tuple(f for f in members if off[f] > DRIFT)
