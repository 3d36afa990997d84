"""The figures of proof and easing for `make bench`: a 24 MP frame in the window, shares against every pixel, solids that turn."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from pathlib import Path

import imagecodecs
import numpy as np
import tifffile
from figures import Report, at_least, at_most
from PyQt6.QtCore import QEventLoop, QSettings, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from velkin.app.flow.drawing import Rendered
from velkin.app.main import leave, make_application, settle
from velkin.app.widgets.gamut_plot import FULL, GLASS, SOLIDS, GamutPlot, Points, Shown
from velkin.app.window import Window
from velkin.core.files import raw
from velkin.core.gamut.ease import ease
from velkin.core.gamut.easing import KNEE, full_strength
from velkin.core.gamut.roundtrip import beyond
from velkin.core.gamut.solid import solid_of
from velkin.core.icc.space import ICCSpace, profile_of, space_of
from velkin.core.icc.write import matrix_profile
from velkin.core.measures import measure_proof, measure_source
from velkin.core.path import path_of
from velkin.core.render import to_working
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.spaces.pictures import lab
from velkin.core.spaces.rgb import ROMM, SRGB
from velkin.core.stages.camera import built_in_stage
from velkin.sim.press import press_profile


def large_picture(frame: Path, out: Path) -> None:
    """A finished picture of 24 MP in ROMM RGB, 16 bits, tiled from a demo frame."""
    working = to_working(raw.decode(frame), path_of(built_in_stage(raw.read_facts(frame)), ROMM, SRGB))
    codes = np.round(np.clip(ROMM.encode(np.clip(working, 0, 1)), 0, 1) * 65535).astype(np.uint16)
    tiled = np.tile(codes, (3, 3, 1))[:4000, :6000]
    tifffile.imwrite(out, tiled, photometric="rgb", iccprofile=matrix_profile(ROMM), compression=None)


def _shown(window: Window) -> Rendered:
    found = window.flow.rendered
    assert found is not None
    return found


def _until(ready: Callable[[], bool], seconds: float = 60.0) -> None:
    """Wait as the program itself does: asleep until an event comes, so that the workers have the processor."""
    end = time.monotonic() + seconds
    tick = QTimer()
    tick.start(250)
    while not ready():
        if time.monotonic() > end:
            raise TimeoutError("the window did not get there")
        QApplication.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)


def _another(window: Window, old: Rendered | None) -> None:
    _until(lambda: window.flow.rendered is not old)


def _toggle(window: Window, key: Qt.Key, again: bool) -> float:
    """Milliseconds from a key to painted pixels; `again` keeps what was drawn before."""
    if not again:
        window.service._kept_drawn.clear()
        window.service._kept_pieces.clear()
    old = window.flow.rendered
    begun = time.perf_counter()
    QTest.keyClick(window.view, key)  # type: ignore[call-overload]  # a static one, which the stubs take for a method
    _another(window, old)
    window.view.repaint()
    taken = 1000 * (time.perf_counter() - begun)
    settle(window, 20)
    return taken


def _slower(times: list[float]) -> float:
    """The median of the slower direction of times that go on, off, on …"""
    return max(statistics.median(times[::2]), statistics.median(times[1::2]))


def bench_toggling(report: Report, folder: Path, frame: Path) -> None:
    """Proof and hatching from key to painted pixels, dragging a strength, on 24 MP."""
    application = make_application()  # kept, or it would be gone
    large_picture(frame, folder / "large.tif")
    shoot = Shoot.create(folder / "large.velkin", "large")
    press = space_of(press_profile(4))
    shoot.frames.add_frames([look_at(folder / "large.tif")])
    shoot.close()
    settings = QSettings(str(folder / "proof.ini"), QSettings.Format.IniFormat)
    settings.setValue("icc_folders", str(folder / "none"))
    window = Window(settings)
    window.resize(1280, 800)
    window.show()
    window.jobs.shoots.open(folder / "large.velkin")
    window.actions_.open_stop("proof")
    _until(lambda: window.flow.rendered is not None)
    settle(window, 120)
    window.activateWindow()
    window.view.setFocus()
    working = _shown(window).working
    height, width = working.shape[:2]
    visible = np.ascontiguousarray(np.round(np.clip(working, 0, 1) * 65535).astype(np.uint16))
    for name, space in (("sRGB", None), ("press", press)):
        window.jobs.proof.set_goal(space, window.model.state.goal.intent, True)
        settle(window, 180)
        base = _little_cms(visible, SRGB if space is None else press)
        for key, what in ((Qt.Key.Key_D, "proof"), (Qt.Key.Key_X, "hatching")):
            window.model.proof.show(False)
            window.model.show_hatching(False)
            settle(window, 20)
            fresh, again = (_slower([_toggle(window, key, kept) for _ in range(12)]) for kept in (False, True))
            report.line(
                f"{what} for {name} on or off, 24 MP, key to pixels",
                f"{fresh:.0f} ms = {fresh / base:.1f} x",
                f"again {again:.0f} ms; LittleCMS, {width} × {height}: {base:.0f} ms",
                at_most(fresh, 60, "ms"),
            )
    window.jobs.proof.set_goal(None, window.model.state.goal.intent, True)
    bench = window.benches.proof.easing
    bench.add_stage(KNEE)
    settle(window, 120)
    slider = bench.strength.slider
    slider.setSliderDown(True)
    begun, steps = time.perf_counter(), 60
    for n in range(steps):
        old = _shown(window)
        slider.setValue(99 - n)
        _another(window, old)
        window.view.repaint()
    rate = steps / (time.perf_counter() - begun)
    waits = []
    for n in range(5):
        begun = time.perf_counter()
        slider.setValue(30 + n)
        _until(lambda: window.flow.measured is not None and window.flow.measured.path == window.model.path())
        waits.append(time.perf_counter() - begun)
    assert window.flow.measured is not None
    pixels = window.flow.measured.there_outside.pixels
    report.line("dragging an easing's strength, 24 MP", f"{rate:.0f} updates/s", at_least(rate, 20))
    report.line(
        "  its share follows, from a sample of the full size",
        f"{1000 * statistics.median(waits):.0f} ms",
        f"{pixels} pixels",
        at_most(statistics.median(waits), 1, "s"),
    )
    begun = time.perf_counter()
    slider.setSliderDown(False)
    _until(
        lambda: (
            window.flow.measured is not None and window.flow.measured.exact and window.flow.measured.path == window.model.path()
        )
    )
    report.line("  exact share of all 24 MP after letting go", f"{time.perf_counter() - begun:.2f} s")
    leave(window)
    application.processEvents()


def _little_cms(visible: np.ndarray, space: object) -> float:
    """Milliseconds of LittleCMS's own proof of the visible pixels: to the destination and back to sRGB, 16 bits, optimised."""
    there, model = profile_of(space), space.model  # type: ignore[attr-defined,arg-type]
    romm, srgb = matrix_profile(ROMM), matrix_profile(SRGB)

    def work() -> None:
        device = imagecodecs.cms_transform(
            visible, romm, there, colorspace="rgb", outcolorspace=model, outdtype=np.uint16, intent=1
        )
        imagecodecs.cms_transform(device, there, srgb, colorspace=model, outcolorspace="rgb", outdtype=np.uint8, intent=1)

    work()
    times = []
    for _ in range(5):
        begun = time.perf_counter()
        work()
        times.append(time.perf_counter() - begun)
    return 1000 * statistics.median(times)


def bench_shares(report: Report, frames: Path) -> None:
    """Shares that are shown against every pixel of the full picture, computed one by one."""
    press = space_of(press_profile(4))
    assert isinstance(press, ICCSpace)
    worst = {"press, table": 0.0, "press, sample": 0.0}
    for name in ("north-0412", "north-0414", "lamp-0505"):
        file = frames / f"{name}.dng"
        path = path_of(built_in_stage(raw.read_facts(file)), ROMM, press)
        working = to_working(raw.decode(file), path)
        colours = lab(working, ROMM).reshape(-1, 3).astype(np.float64)
        exact = float(np.mean(beyond(colours, press) > 0.0))
        shown, _ = measure_proof(working, path)
        sampled = measure_source(raw.levels(file), path, shown).proofed
        worst["press, table"] = max(worst["press, table"], abs(shown.after.share - exact))
        worst["press, sample"] = max(worst["press, sample"], abs(sampled.after.share - exact))
    for what, off in worst.items():
        report.line(f"share outside against every pixel, {what}", f"{100 * off:.3f} points", at_most(100 * off, 0.1))
    big = np.tile(working, (3, 3, 1))[:4000, :6000]
    ease(big[:64], ROMM, SRGB, full_strength())
    begun = time.perf_counter()
    ease(big, ROMM, SRGB, full_strength())
    ours = time.perf_counter() - begun
    begun = time.perf_counter()
    np.cbrt(big)
    base = time.perf_counter() - begun
    report.line(
        "easing 24 MP by a knee", f"{ours:.2f} s = {ours / base:.2f} x", f"NumPy's cube root of the same array {base:.2f} s"
    )


def bench_solids(report: Report) -> None:
    """How often two solids with a picture's colours are drawn in a second while they turn."""
    application = make_application()
    plot = GamutPlot()
    plot.resize(727, 630)
    plot.set_view(SOLIDS)
    plot.show()
    rng = np.random.default_rng(1)
    colours = rng.random((2000, 3)) * [100, 80, 80] - [0, 40, 40]
    points = Points(colours, rng.integers(0, 255, (2000, 3)).astype(np.uint8), rng.random(2000) < 0.8)
    plot.set_shown((Shown("A", solid_of(space_of(press_profile(4))), FULL), Shown("B", solid_of(SRGB), GLASS)), points)
    QApplication.processEvents()
    plot.repaint()
    begun, drawn = time.perf_counter(), 0
    while time.perf_counter() - begun < 2.0:
        plot.turn(3, 0)
        plot.repaint()
        QApplication.processEvents()
        drawn += 1
    report.line("two solids turning, drawn in software", f"{drawn / 2.0:.0f} a second", at_least(drawn / 2.0, 60))
    plot.close()
    application.processEvents()
