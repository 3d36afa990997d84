"""Whether colours beyond a chart are found, over cameras, lights and charts of fewer patches, by dyes whose surfaces are known."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull

from velkin.core.charts.built_in import iso24
from velkin.core.charts.support import support_of
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spectra import Illuminant, xyz_of_surfaces
from velkin.sim.camera import Camera, field_two, pocket_three
from velkin.sim.fit_trials import chart_rgb, reading_of, unseen_reflectances
from velkin.sim.lights import StudioLight, north_window, weaving_lamp

Floats = NDArray[np.float64]

#: All patches; without the strongest row; the natural colours and greys alone.
CHARTS: tuple[Sequence[int], ...] = (
    range(24),
    [i for i in range(24) if not 12 <= i < 18],
    [0, 1, 2, 3, 4, 5, 18, 19, 20, 21, 22, 23],
)
#: Beyond this, in powers of two of a ratio, a colour lies clearly beyond the chart's.
CLEARLY = 0.03


@dataclass(frozen=True)
class SupportTrial:
    """One camera, light and chart: of how many colours clearly beyond how many were found, and of how many within how many were called so."""

    camera: str
    light: str
    patches: int
    beyond: int
    found: int
    within: int
    false: int


def left_out_but(patches: Sequence[int]) -> tuple[str, ...]:
    """The ids of the 24-patch chart that are left out where only some patches are used."""
    return tuple(name for i, name in enumerate(iso24().ids) if i not in patches)


def truly_beyond(patches: Sequence[int], light: StudioLight, surfaces: Floats) -> Floats:
    """How far surfaces (N, 81) lie beyond the chart's own, by the standard observer, in powers of two of X and Z over Y."""
    illuminant = Illuminant("", light.power)

    def logs(xyz: Floats) -> Floats:
        r = np.log2(np.maximum(xyz / D50, 1e-4))
        return np.asarray(r[:, [0, 2]] - r[:, 1:2])

    shown = logs(iso24().reference(illuminant)[list(patches)])
    seen = logs(xyz_of_surfaces(surfaces, light.power) @ bradford(illuminant.white, D50).T)
    equations = ConvexHull(shown).equations
    return np.asarray((seen @ equations[:, :2].T + equations[:, 2]).max(axis=1))


def support_trials() -> Iterator[SupportTrial]:
    """Three cameras, two lights, three charts, on the simulator's dyes."""
    chart, surfaces = iso24(), unseen_reflectances()
    for camera in (Camera(), field_two(), pocket_three()):
        for light in (north_window(), weaving_lamp()):
            for patches in CHARTS:
                reading = reading_of(chart, chart_rgb(camera, light.power, chart))
                reading = replace(reading, choices=replace(reading.choices, left_out=left_out_but(patches)))
                said = support_of([(reading, chart)]).beyond(camera.respond(surfaces, light.power)) > 0
                truth = truly_beyond(patches, light, surfaces)
                clearly, inside = truth > CLEARLY, truth < 0
                yield SupportTrial(
                    camera.model,
                    light.name,
                    len(patches),
                    int(clearly.sum()),
                    int(said[clearly].sum()),
                    int(inside.sum()),
                    int(said[inside].sum()),
                )
