"""Fixtures: the demo's frames (made once a run), a small chart frame, a shoot on the demo."""

import os
import tempfile

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_CACHE_HOME"] = tempfile.mkdtemp(prefix="velkin-tests-")  # thumbnails of other runs must not be seen

import shutil
from pathlib import Path

import pytest

from velkin.sim import madderfold
from velkin.sim.demo import write_demo_shoot

from .studio import shoot_chart


@pytest.fixture(scope="session")
def demo_frames(tmp_path_factory) -> Path:
    folder = tmp_path_factory.mktemp("madderfold")
    madderfold.make(folder)
    return folder


@pytest.fixture(scope="session")
def _demo_template(demo_frames, tmp_path_factory) -> Path:
    path = tmp_path_factory.mktemp("template") / f"{madderfold.TITLE}.velkin"
    write_demo_shoot(path, demo_frames)
    return path


@pytest.fixture
def demo_shoot(_demo_template, tmp_path) -> Path:
    return Path(shutil.copy(_demo_template, tmp_path / _demo_template.name))


@pytest.fixture(scope="session")
def chart_dng(tmp_path_factory) -> Path:
    path = tmp_path_factory.mktemp("chart") / "chart.dng"
    shoot_chart(path)
    return path
