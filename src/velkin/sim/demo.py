"""The demo shoot as a shoot file: the Madderfold frames in their two lights, chart and neutral frames marked."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

from platformdirs import user_data_path

from velkin.core.errors import VelkinError
from velkin.core.handoff.starters import STARTERS
from velkin.core.shoot.arrivals import look_at
from velkin.core.shoot.shoot import Shoot
from velkin.sim import elsewhere, madderfold, screens
from velkin.sim.print_room import press_space, publish

#: The second destination of the demo: the shade card that Quill Lane prints.
_SHADE_CARD = replace(
    STARTERS["print room"],
    id="shade card",
    name="Shade card, Quill Lane",
    folder="quill lane",
    about="The printed shade card: Quill Lane's press by its own profile, two to a page.",
    size=replace(STARTERS["print room"].size, print_width=18.0, print_height=13.0),
    ticked=False,
)


def demo_folder() -> Path:
    """Where the demo lies: the XDG data folder. It can be deleted at any time and is made anew."""
    return user_data_path("velkin") / "demo"


def prepare_demo(folder: Path | None = None, progress: Callable[[int, int], None] = lambda done, total: None) -> Path:
    """Make what is missing of the demo; the path of its shoot file."""
    folder = folder or demo_folder()
    frames = folder / "frames"
    shoot_path = folder / f"{madderfold.TITLE}.velkin"
    fresh = not madderfold.is_made(frames) or not elsewhere.is_made(folder / "arrived")
    shot: list[int] = [0]

    def of_all(done: int, total: int) -> None:
        shot[0] = total
        progress(done, total + elsewhere.COUNT)

    madderfold.make(frames, of_all)
    if shoot_path.exists() and (fresh or not _is_sound(shoot_path)):
        for old in folder.glob(f"{madderfold.TITLE}*.velkin*"):
            old.unlink()
    screens.write(folder / "screens")
    publish(folder / "from Quill Lane")
    arrived = elsewhere.make(folder / "arrived", frames, lambda done: progress(shot[0] + done, shot[0] + elsewhere.COUNT))
    if not shoot_path.exists():
        write_demo_shoot(shoot_path, frames, arrived)
    return shoot_path


def screen_files() -> list[Path]:
    """The profiles of the stand-in screens, where the demo has been made."""
    return sorted((demo_folder() / "screens").glob("*.icc"))


def _is_sound(path: Path) -> bool:
    try:
        Shoot.open(path).close()
    except (VelkinError, sqlite3.Error):
        return False
    return True


def write_demo_shoot(path: Path, frames: Path, arrived: list[Path] | None = None) -> None:
    """A new shoot file on the demo's frames, and on finished files that arrived from elsewhere."""
    shoot = Shoot.create(path, madderfold.TITLE)
    try:
        with ThreadPoolExecutor() as pool:
            arrivals = {a.facts.path.stem: a for a in pool.map(look_at, madderfold.frame_files(frames))}
        for light, names in madderfold.lights().items():
            shoot.add_frames([arrivals[n] for n in names], light)
        by_name = {f.name: f.id for f in shoot.state.frames.values()}
        shoot.set_role([by_name["north-0401"], by_name["lamp-0501"]], "chart")
        shoot.set_role([by_name["north-0402"], by_name["lamp-0502"]], "neutral")
        if arrived:
            shoot.add_frames([look_at(p) for p in arrived])
        press = press_space()
        shoot.add_destinations([(replace(_SHADE_CARD, space_id=press.id), press)])
    finally:
        shoot.close()
