"""A chart's reference from a frame that is trusted already: its patches as a fitted profile sees them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from velkin.core.cameraprofiles.anyprofile import AnyProfile, calibrated_for
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.charts.definition import Chart, neutral_patches
from velkin.core.charts.greys import from_greys
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.files.dng_colour import DNGColour


def chart_from_reading(kept: JudgedReading, profile: AnyProfile, body: DNGColour | None = None) -> Chart:
    """The chart of a reading with colours as a profile of the same camera and light measures them, on the body that shot it.

    XYZ D50 on the profile's own exposure, at which the chart that it was fitted on has its own lightness; values below 0 are cut.
    """
    profile = calibrated_for(profile, body)
    balance = np.array(from_greys(kept.for_fit(), kept.chart) if profile.balance is None else profile.balance)
    exposure = profile.exposure if isinstance(profile, CameraProfile) and profile.keep_exposure else 1.0
    xyz = np.maximum(profile.colours(balance).xyz(kept.for_fit().rgb() * balance) * exposure, 0.0)
    chart = kept.chart
    return replace(
        chart,
        source=f"read through {profile.name}",
        reflectances=None,
        colours=xyz,
        neutrals=neutral_patches(chart.ids, xyz),
    )
