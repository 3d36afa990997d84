"""`make screenshots`: one current picture of each main view, from the demo data, into docs/screenshots/."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from progress import tell
from PyQt6.QtCore import QEventLoop, QPointF, QSettings, QTimer
from PyQt6.QtWidgets import QScrollArea

from velkin.app.main import leave, make_application, settle
from velkin.app.model.places import Page
from velkin.app.window import Window
from velkin.core.cameraprofiles.dng_export import dng_profile
from velkin.core.cameraprofiles.dng_file import dng_to_bytes
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.gamut.easing import HUE
from velkin.sim.demo import demo_folder, prepare_demo, write_demo_shoot
from velkin.sim.madderfold import TITLE
from velkin.sim.sittings import YARD

OUT = Path(__file__).parent.parent / "docs" / "screenshots"


def wait_for(ready: Callable[[], bool], seconds: float = 60) -> None:
    """Let the window work until something is so."""
    end = time.monotonic() + seconds
    while not ready():
        if time.monotonic() > end:
            raise TimeoutError("the window did not get there")
        loop = QEventLoop()
        QTimer.singleShot(20, loop.quit)
        loop.exec()


def foreign(folder: Path, profile: CameraProfile) -> Path:
    """A DNG profile as it comes from elsewhere."""
    path = folder / "rental-house.dcp"
    path.write_bytes(dng_to_bytes(replace(dng_profile(profile), name="Studio One, from the rental house")))
    return path


def proof(window: Window, picture: Callable[[str], None]) -> None:
    """Easing, the gamut room and intents side by side, for the stand-in press."""
    bench = window.benches.proof
    bench.easing.add_stage(HUE)
    window.model.pick("")
    frame = window.model.frame
    assert frame is not None
    teal = window.actions_.picking.hue_at(0.72 * frame.facts.width, 0.4 * frame.facts.height)
    assert teal is not None
    bench.easing.hue_picked(teal)
    settle(window, 60)
    scroll = bench.findChild(QScrollArea)
    assert scroll is not None
    bar = scroll.verticalScrollBar()
    assert bar is not None
    bar.setValue(bar.maximum())
    picture("bench-easing")
    bar.setValue(0)
    window.jobs.proof.set_easings(frame.id, (), "remove the easings")
    window.jobs.spaces.keep(next((demo_folder() / "arrived").glob("*.icc")))
    ink = next(s for s in window.jobs.spaces.destinations() if s.model == "cmyk")
    bench.choose(ink.id)
    settle(window, 60)
    window.actions_.proof.gamut()
    room = window.navigator.made(Page.GAMUT)
    assert room is not None
    wait_for(lambda: bool(room.plot.shown))
    room.show_view("solids")
    room.plot.turn(20, 0)
    picture("gamut-room")
    room.leave()
    window.actions_.proof.intents()
    sheet = window.navigator.made(Page.INTENTS)
    assert sheet is not None
    wait_for(lambda: bool(sheet.sheet.images))
    picture("intents")
    sheet.leave()
    bench.choose("")
    settle(window, 60)


def tags(window: Window, picture: Callable[[str], None]) -> None:
    """Finished files from elsewhere: held, tried on, converted."""
    window.jobs.importing.add_files([demo_folder() / "arrived"])
    wait_for(lambda: any(f.name == "shade-card" for f in window.model.state.frames.values()))
    settle(window, 60)
    frames = window.model.state.frames
    ids = {f.name: f.id for f in frames.values()}

    def show(name: str, stop: str) -> None:
        window.model.open_stop(stop)
        window.model.select(ids[name])
        settle(window, 60)

    show("weave-card-1", "source")
    for x, y in ((0.2, 0.4), (0.74, 0.5)):
        window.jobs.colour.add_pin(ids["weave-card-1"], x, y)
    window.benches.source.given.choose("oprgb")
    settle(window, 60)
    first = window.benches.source.choices.button(0)
    assert first is not None
    first.click()
    picture("source-held")
    window.actions_.space.try_on()
    wait_for(lambda: bool(window.navigator.made(Page.TRY_ON).sheet.tiles))
    picture("try-on")
    window.navigator.made(Page.TRY_ON).leave()
    show("telephone", "working")
    window.jobs.colour.add_pin(ids["telephone"], 0.4, 0.5)
    window.jobs.spaces.keep(next((demo_folder() / "arrived").glob("*.icc")))
    ink = next(s for s in window.jobs.spaces.destinations() if s.model == "cmyk")
    window.benches.working.choose(2, ink.id)
    wait_for(lambda: "least" in window.benches.working._effect.text())
    picture("working-convert")
    window.model.try_entries(())
    show("poster", "source")
    window.actions_.space.layers()
    wait_for(lambda: bool(window.navigator.made(Page.LAYERS).figure.number.text()))
    picture("room-layers")
    window.model.places.back()


def handed_off(window: Window, picture: Callable[[str], None]) -> None:
    """Destinations, a run to two of them, and what receivers see of a wide file."""
    window.model.open_stop("handoff")
    state = window.model.state
    for d in state.destinations:
        window.jobs.handoff.set_destination(replace(d, ticked=True))
    window.actions_.handoff.destinations("shade card")
    room = window.navigator.made(Page.DESTINATIONS)
    assert room is not None
    picture("destinations")
    room.leave()
    window.actions_.handoff.start()
    wait_for(lambda: not window.jobs.handoff.running, 240)
    picture("bench-handoff")
    web = state.destinations[0]
    third = window.benches.handoff._which.button(2)
    assert third is not None
    third.setChecked(True)
    for d in (replace(web, space_id="oprgb"), replace(state.destinations[1], ticked=False)):
        window.jobs.handoff.set_destination(d)
    window.actions_.handoff.start()
    wait_for(lambda: not window.jobs.handoff.running, 240)
    window.actions_.handoff.receivers()
    sheet = window.navigator.made(Page.RECEIVERS)
    assert sheet is not None
    wait_for(lambda: bool(sheet.views))
    picture("receivers")
    sheet.leave()
    window.jobs.handoff.set_destination(web)


def matched(window: Window, picture: Callable[[str], None]) -> None:
    """The second camera made to look like the first, by their charts and by two pins."""
    window.jobs.importing.add_files([demo_folder() / "second camera"])
    wait_for(lambda: any(f.name == "field-0203" for f in window.model.state.frames.values()))
    settle(window, 60)
    ids = {f.name: f.id for f in window.model.state.frames.values()}
    for name in ("field-0203", "north-0412"):
        for x, y in ((0.42, 0.33), (0.735, 0.55)):
            window.jobs.colour.add_pin(ids[name], x, y)
    window.model.select(ids["field-0203"], (ids["field-0203"], ids["north-0412"]))
    settle(window, 60)
    window.actions_.look.match()
    room = window.navigator.made(Page.MATCH)
    wait_for(lambda: not room.view.reference.isNull() and room.learnt is not None)
    room.add_from_charts()
    wait_for(lambda: len(room.pairs.rows) > 20 and not room.making.learning and "Even:" in room.bench.price.text())
    room.pairs.selectRow(0)
    picture("room-match")
    window.model.places.end()


def fit_and_give(window: Window, frame: int, room: Any) -> None:
    """Read the chart in a frame, fit on it in the chart room, and give it to the light."""
    window.model.places.go(Page.CHART, frame)
    wait_for(lambda: room.kept is not None and room.view.has_picture)
    room.fit()
    wait_for(lambda: room.profile is not None)
    room._give(True)
    wait_for(lambda: window.model.places.at_picture)


def looked_into(window: Window, picture: Callable[[str], None]) -> None:
    """What the chart vouches for, and two cameras' frames on each other."""
    ids = {f.name: f.id for f in window.model.state.frames.values()}
    window.model.select(ids["north-0414"])
    settle(window, 60)
    window.actions_.camera.support()
    wait_for(lambda: "Most" in [name.text() for name, *_ in window.navigator.made(Page.SUPPORT).facts._rows])
    picture("room-support")
    window.model.places.end()
    window.model.select(ids["field-0203"], (ids["field-0203"], ids["north-0412"]))
    settle(window, 60)
    window.actions_.frame.compare()
    wait_for(lambda: window.navigator.made(Page.COMPARE).found is not None)
    picture("room-compare")
    window.model.places.end()


def moving(window: Window, picture: Callable[[str], None], room: Any) -> None:
    """A light that moves, followed in time, in the Dim room theme."""
    window.jobs.importing.add_files([demo_folder() / "dye yard"])
    wait_for(lambda: any(f.name == "yard-0612" for f in window.model.state.frames.values()))
    wait_for(lambda: not window.lanes.shown())
    ids = {f.name: f.id for f in window.model.state.frames.values()}
    light = window.model.state.frames[ids["yard-0601"]].light
    window.jobs.command(lambda s: s.frames.rename_light(light, YARD.name))
    for chart in ("yard-0601", "yard-0604", "yard-0610"):
        fit_and_give(window, ids[chart], room)
    window.model.select(ids["yard-0607"])
    window.model.open_stop("camera")
    settle(window, 60)
    window.benches.camera.moving.follow.click()
    window.appearance.set_theme("Dim room")
    picture("moving-light")


def main() -> None:
    """Go through the job and take the pictures on the way."""
    app = make_application()
    prepare_demo(progress=lambda done, total: tell(f"making the demo: {done} of {total}"))
    OUT.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        shoot = folder / f"{TITLE}.velkin"
        write_demo_shoot(shoot, demo_folder() / "frames")
        settings = QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat)
        settings.setValue("shelf", str(folder / "profiles"))
        settings.setValue("icc_folders", str(folder / "icc"))
        window = Window(settings)
        window.resize(1280, 800)
        window.show()
        window.jobs.shoots.open(shoot)
        settle(window, 60)
        ids = {f.name: f.id for f in window.model.state.frames.values()}
        room = window.navigator.made(Page.CHART)

        def picture(of: str) -> None:
            settle(window, 60)
            window.model.messages.clear()
            app.processEvents()
            window.grab().save(str(OUT / f"{of}.png"))
            print(OUT / f"{of}.png")

        settle(window, 60)
        fit_and_give(window, ids["lamp-0501"], room)
        window.model.places.go(Page.CHART, ids["north-0401"])
        wait_for(lambda: room.kept is not None and room.view.has_picture)
        room.fit()
        wait_for(lambda: room.profile is not None)
        room._choose_patch(14)
        picture("chart-fitted")
        room._give(True)
        wait_for(lambda: window.model.places.at_picture)
        window.model.select(ids["north-0401"])
        window.actions_.profile.report()
        wait_for(lambda: window.navigator.made(Page.FIT).report is not None)
        window.navigator.made(Page.FIT)._choose_patch(14)
        picture("fit-report")
        fitted = window.navigator.made(Page.FIT).report.fitted
        window.navigator.made(Page.FIT).second.setCurrentIndex(1)
        window.navigator.made(Page.FIT).second.activated.emit(1)
        wait_for(lambda: window.navigator.made(Page.FIT).report.wish.second is not None)
        window.jobs.shelf.add(window.navigator.made(Page.FIT).named())
        window.jobs.shelf.bring([foreign(folder, fitted.of("table"))])
        window.navigator.made(Page.FIT).leave()
        window.actions_.profile.open_shelf()
        picture("shelf")
        window.navigator.made(Page.SHELF).leave()
        window.model.select(ids["north-0412"])
        window.flow.point_at((900.0, 700.0))
        window.model.open_stop("camera")
        picture("bench-camera")
        window.model.open_stop("proof")
        window.model.show_hatching(True)
        settle(window, 60)
        at = window.view.to_widget(1060, 800)
        window.flow.point_at((window.view.to_picture(QPointF(at)).x(), 800.0))
        picture("bench-proof")
        proof(window, picture)
        window.model.show_hatching(False)
        handed_off(window, picture)
        tags(window, picture)
        matched(window, picture)
        looked_into(window, picture)
        moving(window, picture, room)
        leave(window)


if __name__ == "__main__":
    main()
