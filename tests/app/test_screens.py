"""The screen's own profile: told by X11, by the colour daemon or chosen; followed while the program runs; never in the way."""

from __future__ import annotations

import ctypes
import ctypes.util
import os
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QSettings

from velkin.app.flow.service import RenderService
from velkin.app.jobs.lanes import Lanes
from velkin.app.jobs.screen_sources import XProperties, daemon_profile, property_name
from velkin.app.jobs.screens import GENERIC, Screens
from velkin.app.jobs.work import Ground
from velkin.app.main import make_application, settle
from velkin.app.model.shoot_model import ShootModel
from velkin.app.sheets.screen_sheet import ScreenSheet
from velkin.core.spaces.rgb import SRGB
from velkin.sim.press import press_profile
from velkin.sim.screens import SCREENS, screen_profile, write


@pytest.fixture
def screens(qtbot, tmp_path):
    make_application()
    service = RenderService()
    model = ShootModel()
    lanes = Lanes()
    settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    made = Screens(Ground(model, service, lanes), settings)
    yield made
    made.stop()
    lanes.close()
    service.close()


def test_without_any_profile_it_is_generic_srgb(screens):
    screens.look()
    assert screens.now.space == SRGB and "nothing tells" in screens.now.told_by


def test_a_chosen_file_is_followed_when_it_changes(screens, tmp_path):
    path = tmp_path / "calibrated.icc"
    path.write_bytes(screen_profile("laptop"))
    screens.choose(str(path))
    assert screens.now.space.name == SCREENS["laptop"].name and screens._model.screen is screens.now.space
    path.write_bytes(screen_profile("desktop") + b"\0")
    os.utime(path, (1, 1))
    changed = []
    screens.changed.connect(lambda: changed.append(1))
    screens.look()
    screens.look()
    assert screens.now.space.name == SCREENS["desktop"].name and len(changed) == 1
    screens.choose(GENERIC)
    assert screens.now.space == SRGB


@pytest.mark.parametrize("content", [b"", b"no profile at all" * 20, press_profile(4), screen_profile("laptop")[:300]])
def test_a_bad_profile_is_said_and_pictures_are_drawn_for_srgb(screens, tmp_path, content):
    path = tmp_path / "bad.icc"
    path.write_bytes(content)
    screens.choose(str(path))
    assert screens.now.space == SRGB and screens.now.problem and "generic sRGB" in screens._model.messages.latest
    path.unlink()
    screens.look()
    assert screens.now.space == SRGB


def test_the_daemon_is_asked_step_by_step_and_silence_is_no_profile():
    answers = {
        "FindDeviceByProperty": "/devices/one",
        ("Device", "Profiles"): ["/profiles/p"],
        ("Profile", "Filename"): "/icc/monitor.icc",
    }
    asked = []

    def ask(path, interface, method, arguments):
        asked.append((path, method, arguments))
        if method == "Get":
            return answers.get((arguments[0].split(".")[-1], arguments[1]))
        return answers.get(method)

    assert daemon_profile("HDMI-1", ask) == Path("/icc/monitor.icc")
    assert asked[0][2] == ("XRANDR_name", "HDMI-1") and asked[1][0] == "/devices/one" and asked[2][0] == "/profiles/p"
    answers["Device", "Profiles"] = []
    assert daemon_profile("HDMI-1", ask) is None
    answers.pop("FindDeviceByProperty")
    assert daemon_profile("HDMI-1", ask) is None
    assert daemon_profile("no such monitor") is None  # the real bus, where there is none


@pytest.mark.skipif(os.environ.get("QT_QPA_PLATFORM") != "xcb" or not os.environ.get("DISPLAY"), reason="needs an X display")
def test_the_x11_property_is_read_and_followed(qtbot, screens):
    lib = ctypes.CDLL(ctypes.util.find_library("X11") or "libX11.so.6")
    lib.XOpenDisplay.restype = ctypes.c_void_p
    lib.XDefaultRootWindow.restype = lib.XInternAtom.restype = ctypes.c_ulong
    display = ctypes.c_void_p(lib.XOpenDisplay(None))
    root = ctypes.c_ulong(lib.XDefaultRootWindow(display))
    atom, kind = (ctypes.c_ulong(lib.XInternAtom(display, n, 0)) for n in (b"_ICC_PROFILE", b"CARDINAL"))
    data = screen_profile("laptop")
    try:
        lib.XChangeProperty(display, root, atom, kind, 8, 0, data, len(data))
        lib.XSync(display, 0)
        assert XProperties().read(property_name(0)) == data and XProperties().read(property_name(7)) == b""
        screens.start(None)
        qtbot.waitUntil(lambda: screens.now.space.name == SCREENS["laptop"].name, timeout=60000)
        assert "X11 property" in screens.now.told_by
        data = screen_profile("desktop")
        lib.XChangeProperty(display, root, atom, kind, 8, 0, data, len(data))
        lib.XSync(display, 0)
        qtbot.waitUntil(lambda: screens.now.space.name == SCREENS["desktop"].name, timeout=60000)  # without a restart
    finally:
        lib.XDeleteProperty(display, root, atom)
        lib.XSync(display, 0)
        lib.XCloseDisplay(display)


def test_the_window_draws_anew_for_another_screen(qtbot, window, ids, tmp_path, monkeypatch):
    window.model.select(ids["north-0412"])
    assert settle(window, 90)
    before = window.flow.rendered.image.copy()
    laptop, desktop = write(tmp_path / "screens")
    assert write(tmp_path / "screens") == [laptop, desktop]
    monkeypatch.setattr("velkin.app.sheets.screen_sheet.screen_files", lambda: [laptop, desktop])
    sheet = ScreenSheet(window.screens, window)
    sheet.box.setCurrentIndex(sheet.box.findData(str(laptop)))
    sheet.box.activated.emit(0)
    assert "Narrow laptop" in sheet._name.text() and sheet.box.currentData() == str(laptop)
    qtbot.waitUntil(lambda: sheet.facts._rows[0][1].text().startswith("0."), timeout=60000)  # of sRGB's volume
    qtbot.waitUntil(lambda: window.flow.rendered.seen.screen is window.model.screen, timeout=60000)
    assert settle(window, 90)
    assert window.flow.rendered.image != before
    window.actions_.open_stop("proof")
    window.benches.proof.choose("this screen")
    assert settle(window, 90)
    narrow = window.flow.measured.there_outside.share
    sheet.box.setCurrentIndex(sheet.box.findData(str(desktop)))
    sheet.box.activated.emit(0)
    assert settle(window, 90)
    assert window.flow.measured.there_outside.share < narrow  # the wide desktop shows more of it
    sheet.box.setCurrentIndex(0)
    sheet.box.activated.emit(0)
    window.benches.proof.choose("")
    assert (
        settle(window, 90)
        and np.abs(window.flow.rendered.image.pixelColor(50, 50).red() - before.pixelColor(50, 50).red()) == 0
    )
    sheet.close()
