"""The loops over pixels, each against the bound of reading and writing the array once, on as many cores, in turns in one run."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

import numpy as np
from figures import Report
from matching import learnt_of_pairs
from spaces import picture

from velkin.core.bands import in_bands
from velkin.core.cameraprofiles.models import Matrix, as_rows
from velkin.core.gamut.ease import ease
from velkin.core.gamut.easing import full_strength
from velkin.core.gamut.membership import outside
from velkin.core.icc.space import space_of
from velkin.core.match.baked import Amounts, table_of_match, through_table
from velkin.core.path import path_of
from velkin.core.render import for_screen, to_working
from velkin.core.spaces.rgb import ROMM, SRGB
from velkin.core.stages.camera import CameraStage
from velkin.sim.press import press_profile

_ROUNDS = 3


def _seconds(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def bench_kernels(report: Report) -> None:
    """24 MP of linear light in 32 bits through what a picture goes through on its way to the screen."""
    light = np.ascontiguousarray((picture().astype(np.float32) / np.float32(65535)) ** 2)
    rows, copy = light.reshape(-1, 3), np.empty_like(light).reshape(-1, 3)

    def bound() -> None:
        in_bands(lambda first, last: np.copyto(copy[first:last], rows[first:last]), len(rows))

    camera = CameraStage((2.0, 1.0, 1.5), "", Matrix(as_rows(ROMM.to_xyz)))
    to_srgb, to_press = (path_of(camera, ROMM, space) for space in (SRGB, space_of(press_profile(4))))
    table = table_of_match(learnt_of_pairs(24, 3)[0].match, Amounts(), ROMM)
    loops: dict[str, Callable[[], object]] = {
        "camera matrix": lambda: to_working(light, to_srgb),
        "to the screen": lambda: for_screen(light, to_srgb, SRGB),
        "proof for a press, to the screen": lambda: for_screen(light, to_press, SRGB, proofed=True),
        "what is outside sRGB": lambda: outside(light, to_srgb.proof),
        "what is outside a press": lambda: outside(light, to_press.proof),
        "easing by a knee": lambda: ease(light, ROMM, SRGB, full_strength()),
        "a match": lambda: through_table(light, table),
    }
    bound()
    for name, work in loops.items():
        work()
        rounds = [(_seconds(bound), _seconds(work)) for _ in range(_ROUNDS)]
        seconds = statistics.median(ours for _, ours in rounds)
        ratio = statistics.median(ours / base for base, ours in rounds)
        report.line(f"24 MP: {name}", f"{seconds:.2f} s = {ratio:.1f} x", "of reading and writing the array once")
