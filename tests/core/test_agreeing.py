"""Cameras that agree: the same chart from two cameras, held beside each other by closed form, and named where they differ."""

from __future__ import annotations

import numpy as np
import pytest

from velkin.core.cameraprofiles.fit import FitRequest, fit
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.built_in import iso24
from velkin.core.charts.greys import from_greys
from velkin.core.charts.reading_job import read_chart
from velkin.core.shoot.agreeing import agreements, report
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab


@pytest.fixture(scope="module")
def charts(demo_frames):
    """Readings of one chart by two cameras, and a second one of the first camera."""
    paths = [demo_frames / "north-0401.dng", demo_frames / "lamp-0501.dng", next(demo_frames.parent.rglob("field-0201.dng"))]
    return {p.stem: (p, read_chart(p, iso24())) for p in paths}


@pytest.fixture
def shoot(charts, tmp_path):
    made = Shoot.create(tmp_path / "s.velkin", "s")
    made.frames.add_frames([look_at(path) for path, _ in charts.values()])
    for frame in list(made.state.frames.values()):
        made.camera.keep_reading(frame.id, charts[frame.name][1])
    yield made
    made.close()


def names(shoot, found):
    return [{shoot.state.frames[f].name for f in (a.first, a.second)} for a in found]


def test_two_cameras_are_paired_and_one_with_itself_is_not(shoot):
    found = agreements(shoot.state)
    assert sorted(map(sorted, names(shoot, found))) == [["field-0201", "lamp-0501"], ["field-0201", "north-0401"]]
    assert found[0].seconds <= found[1].seconds


def test_as_built_in_it_is_what_the_matrices_of_both_files_give(shoot, charts):
    found = next(a for a in agreements(shoot.state) if "north-0401" in names(shoot, [a])[0])
    labs = {}
    for frame in (found.first, found.second):
        f = shoot.state.frames[frame]
        reading = charts[f.name][1].for_fit()
        balance = from_greys(reading, iso24())
        xyz = (reading.rgb() * balance) @ built_in(f.raw).matrix(balance).T
        greys = iso24().neutral_rows()
        xyz *= iso24().reference_d50()[greys, 1].sum() / xyz[greys, 1].sum()
        labs[frame] = xyz_to_lab(np.maximum(xyz, 0))
    off = ciede2000(labs[found.first], labs[found.second])
    assert found.built_in.mean == pytest.approx(off.mean(), abs=1e-6)
    assert found.built_in.worst_patch == iso24().ids[int(np.argmax(off))]
    assert found.now == found.built_in  # nothing was given yet


def test_profiles_of_their_own_bring_them_together_and_the_report_says_so(shoot, charts):
    for frame in list(shoot.state.frames.values()):
        path, kept = charts[frame.name]
        made = fit(FitRequest(kept.for_fit(), iso24(), frame.facts.unique, built_in(frame.raw), None, frame.name, path.name))
        shoot.camera.add_profile(made.of("rootpoly"), [frame.id])
    for found in agreements(shoot.state):
        assert found.now.mean < 0.6 * found.built_in.mean
        text = report(shoot.state, found)
        assert f"{found.built_in.mean:.2f} mean" in text and f"(patch {found.now.worst_patch})" in text
        assert shoot.state.frames[found.second].facts.unique in text
