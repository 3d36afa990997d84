"""The real window on a copy of the demo shoot."""

import pytest
from PyQt6.QtCore import QSettings

from tests.app.doing import close, open_shoot
from velkin.app.main import make_application
from velkin.app.window import Window


@pytest.fixture(scope="session")
def qapp_cls():
    """The application with Velkin's fonts and theme, made before any test asks for one."""
    make_application()
    from PyQt6.QtWidgets import QApplication

    return QApplication


@pytest.fixture
def window(qtbot, demo_shoot, tmp_path):
    make_application()
    settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    settings.setValue("shelf", str(tmp_path / "shelf"))
    settings.setValue("icc_folders", str(tmp_path / "no profiles here"))
    made = Window(settings)
    made.resize(1280, 800)
    made.show()
    qtbot.waitExposed(made)
    made.activateWindow()  # a virtual screen has no window manager that would do it
    assert open_shoot(made, demo_shoot)
    qtbot.waitUntil(lambda: made.flow.rendered is not None, timeout=60000)
    yield made
    close(made)


@pytest.fixture
def ids(window):
    """Frame ids by name."""
    return {f.name: f.id for f in window.model.state.frames.values()}
