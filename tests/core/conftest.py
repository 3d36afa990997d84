"""A copy of the demo shoot, open, for tests of the core."""

import pytest

from velkin.core.shoot.shoot import Shoot


@pytest.fixture
def shoot(demo_shoot):
    opened = Shoot.open(demo_shoot)
    yield opened
    opened.close()


@pytest.fixture
def ids(shoot):
    """Frame ids by name."""
    return {f.name: f.id for f in shoot.state.frames.values()}
