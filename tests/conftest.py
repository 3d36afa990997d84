"""Fixtures: the demo's frames (made once a run), a small chart frame, a shoot on the demo. The run's own home is in `tests/__init__.py`."""

import fcntl
import shutil
from pathlib import Path

import pytest
from hypothesis import settings

from velkin.core.compiled import LOOPS
from velkin.sim import madderfold
from velkin.sim.demo import write_demo_shoot

from . import HOME, SHARED
from .studio import shoot_chart

settings.register_profile("velkin", deadline=None)  # how long something takes is a matter for the bench
settings.load_profile("velkin")


@pytest.hookimpl(tryfirst=True)
def pytest_configure(config):
    """What tests write goes into the run's own home too, which goes with it."""
    if config.option.basetemp is None:
        config.option.basetemp = str(HOME / "tmp")


@pytest.fixture(scope="session")
def demo_frames() -> Path:
    """The demo's frames, made once for all processes of a run, which read them only."""
    folder = SHARED / "madderfold" / "frames"
    folder.parent.mkdir(parents=True, exist_ok=True)
    with (folder.parent / "being made").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
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


@pytest.fixture(scope="session", autouse=True)
def _nothing_compiled_in_anybodys_session():
    """Whatever the tests have loops run over is what set-up compiles them for."""
    yield
    beyond = {loop.__name__: more for loop in LOOPS if loop.signatures and (more := set(loop.ready) - set(loop.signatures))}
    assert beyond == {}
