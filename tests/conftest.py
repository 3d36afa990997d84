"""Fixtures: the demo's frames (made once a run), a small chart frame, a shoot on the demo."""

import atexit
import os
import shutil
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
#: A home of the run's own: nothing of this user is read or changed, and nothing is left behind.
_HOME = Path(tempfile.mkdtemp(prefix="velkin-tests-"))
atexit.register(shutil.rmtree, _HOME, ignore_errors=True)
os.environ["HOME"] = str(_HOME)
for _kind in ("CACHE", "CONFIG", "DATA", "STATE"):
    os.environ[f"XDG_{_kind}_HOME"] = str(_HOME / _kind.lower())
os.environ["HYPOTHESIS_STORAGE_DIRECTORY"] = str(_HOME / "hypothesis")

import pytest

from velkin.sim import madderfold
from velkin.sim.demo import write_demo_shoot

from .studio import shoot_chart


@pytest.hookimpl(tryfirst=True)
def pytest_configure(config):
    """What tests write goes into the run's own home too, which goes with it."""
    if config.option.basetemp is None:
        config.option.basetemp = str(_HOME / "tmp")


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
