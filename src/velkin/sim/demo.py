"""The demo shoot as a shoot file: the Madderfold frames in their lights, chart and neutral frames marked.

It is made in parts, so that the first frames can be looked at while the simulator makes the others. Each part makes its files, which
may take a while and can be stopped, and is then added to the shoot as one import would be. A demo that was left half made goes on
with the part it was at.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

from platformdirs import user_data_path

from velkin.core.destinations.starters import STARTERS
from velkin.core.errors import OutputFailed, VelkinError
from velkin.core.shoot.arrivals import Arrival, look_at
from velkin.core.shoot.frame import Role
from velkin.core.shoot.shoot import Shoot
from velkin.sim import elsewhere, journal, madderfold, screens, sittings
from velkin.sim.print_room import press_space, publish
from velkin.sim.sittings import FIRST, Sitting

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

Progress = Callable[[int, int], None]
Stopped = Callable[[], bool]


@dataclass(frozen=True)
class Part:
    """A part of the demo.

    Attributes
    ----------
    name : str
        By which it is remembered that the part is in the shoot.
    words : str
        What is being made, for whoever waits.
    make : callable
        ``make(folder, progress, stopped)`` makes what is missing of its files and returns those that are to become frames.
    add : callable
        ``add(shoot, arrivals)`` adds it to the shoot.
    """

    name: str
    words: str
    make: Callable[[Path, Progress, Stopped], list[Path]]
    add: Callable[[Shoot, list[Arrival]], None]


def _frames(
    sitting: Sitting, chosen: Callable[[str], bool] = lambda name: True
) -> Callable[[Path, Progress, Stopped], list[Path]]:
    """Makes a sitting's frames, or those of chosen names."""

    def make(folder: Path, progress: Progress, stopped: Stopped) -> list[Path]:
        files = [p for p in madderfold.files_of(sitting, folder / FIRST) if chosen(p.stem)]
        madderfold.make(folder / FIRST, progress, [p.stem for p in files], stopped)
        return [p for p in files if p.is_file()]

    return make


def _journal(folder: Path, progress: Progress, stopped: Stopped) -> list[Path]:
    return journal.make(folder / "journal", folder / FIRST, lambda done: progress(done, journal.COUNT), stopped)


def _in_light(light: str) -> Callable[[Shoot, list[Arrival]], None]:
    def add(shoot: Shoot, arrivals: list[Arrival]) -> None:
        shoot.frames.add_frames(arrivals, light)

    return add


def _as_shot(sitting: Sitting) -> Callable[[Shoot, list[Arrival]], None]:
    """Adds a sitting's frames in its light, its chart and neutral frames marked."""

    def add(shoot: Shoot, arrivals: list[Arrival]) -> None:
        shoot.frames.add_frames(arrivals, sitting.name)
        arrived = {a.facts.path.stem for a in arrivals}
        names = {f.name: f.id for f in shoot.state.frames.values()}
        for role in (Role.CHART, Role.NEUTRAL):
            here = [names[f.name] for f in sitting.frames if f.role is role and f.name in arrived and f.name in names]
            if here:
                shoot.frames.set_role(here, role)

    return add


def _arrived(folder: Path, progress: Progress, stopped: Stopped) -> list[Path]:
    return elsewhere.make(folder / "arrived", folder / FIRST, lambda done: progress(done, elsewhere.COUNT), stopped)


def _papers(folder: Path, progress: Progress, stopped: Stopped) -> list[Path]:
    """Profiles of screens and print room, and the chart frames gone wrong, which lie beside the shoot."""
    screens.write(folder / "screens")
    publish(folder / "from Quill Lane")
    madderfold.make(folder / FIRST, progress, stopped=stopped)
    return []


def _add_shade_card(shoot: Shoot, arrivals: list[Arrival]) -> None:
    press = press_space()
    if all(d.id != _SHADE_CARD.id for d in shoot.state.destinations):
        shoot.destinations.add_destinations([(replace(_SHADE_CARD, space_id=press.id), press)])


#: As long as the names of lights are that a pattern of camera, lens and light makes.
_SENT = "Velkin Field Two · Stand-in 35 mm reportage · sent by mill, visitor and print room"


_AT_FIRST = ("north-0401", "north-0402", "north-0412")


def _part_of(sitting: Sitting, words: str) -> Part:
    return Part(sitting.folder, words, _frames(sitting), _as_shot(sitting))


def _parts() -> tuple[Part, ...]:
    north, lamp = sittings.NORTH, sittings.LAMP
    return (
        Part("north, first", "the first pictures", _frames(north, lambda name: name in _AT_FIRST), _as_shot(north)),
        Part(
            "north, rest", f"pictures under {north.name}", _frames(north, lambda name: name not in _AT_FIRST), _as_shot(north)
        ),
        Part("lamp", f"pictures under {lamp.name}", _frames(lamp), _as_shot(lamp)),
        _part_of(sittings.SECOND, "pictures of the second camera"),
        Part("arrived", "files that arrived from elsewhere", _arrived, _add),
        Part("journal", "pictures from a journal", _journal, _in_light(journal.NAME)),
        _part_of(sittings.YARD, "pictures of the dye yard"),
        _part_of(sittings.COPYING, "pictures of the copying table"),
        Part("papers", "profiles of screens and print room", _papers, _add_shade_card),
    )


def _add(shoot: Shoot, arrivals: list[Arrival]) -> None:
    added = shoot.frames.add_frames(arrivals)
    if added:
        shoot.frames.rename_light(shoot.state.light_of(added[0]).id, _SENT)


def demo_folder() -> Path:
    """Where the demo lies: the XDG data folder. It can be deleted at any time and is made anew."""
    return user_data_path("velkin") / "demo"


class Demo:
    """The demo in a folder: its shoot file, and the parts that are not in it yet."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or demo_folder()
        self.shoot_path = self.folder / f"{madderfold.TITLE}.velkin"
        self._mark = self.folder / "in the shoot.txt"

    def parts_left(self) -> list[Part]:
        """The parts that are still to be made and added; all of them where the shoot is missing, damaged, or of an earlier recipe."""
        parts = _parts()
        if not (self._is_current() and self.shoot_path.exists() and _is_sound(self.shoot_path)):
            return list(parts)
        added = self._mark.read_text(encoding="utf-8").splitlines()[1:]
        return [p for p in parts if p.name not in added]

    def is_begun(self) -> bool:
        """Whether there is a shoot to look at."""
        return _first() not in [p.name for p in self.parts_left()]

    def make(
        self, part: Part, progress: Progress = lambda done, total: None, stopped: Stopped = lambda: False
    ) -> list[Arrival]:
        """Make a part's files and look at them. For a worker thread.

        Raises
        ------
        OutputFailed
            When the folder cannot be written to.
        VelkinError
        """
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            files = part.make(self.folder, progress, stopped)
        except OSError as error:
            raise OutputFailed(
                f"the demo's pictures cannot be made in {self.folder} ({error.strerror}); "
                "make room there, or set XDG_DATA_HOME to another folder",
                self.folder,
            ) from error
        if stopped():
            return []
        with ThreadPoolExecutor() as pool:
            return list(pool.map(look_at, files))

    def begin(self) -> None:
        """A new, empty shoot file; an older demo's is removed, with its notes. Raises VelkinError."""
        for old in self.folder.glob(f"{madderfold.TITLE}*.velkin*"):
            old.unlink()
        Shoot.create(self.shoot_path, madderfold.TITLE).close()
        self._mark.write_text(_recipe() + "\n", encoding="utf-8")

    def add(self, shoot: Shoot, part: Part, arrivals: list[Arrival]) -> None:
        """Add a part that was made to the open shoot, and remember it. Raises VelkinError."""
        part.add(shoot, arrivals)
        with self._mark.open("a", encoding="utf-8") as notes:
            notes.write(part.name + "\n")

    def _is_current(self) -> bool:
        return self._mark.is_file() and self._mark.read_text(encoding="utf-8").split("\n")[0] == _recipe()


def _first() -> str:
    return _parts()[0].name


def _recipe() -> str:
    return f"recipe {madderfold.RECIPE}-{elsewhere.RECIPE}-{journal.RECIPE}"


def prepare_demo(folder: Path | None = None, progress: Progress = lambda done, total: None) -> Path:
    """Make all that is missing of the demo, at once; the path of its shoot file. Raises VelkinError."""
    demo = Demo(folder)
    left = demo.parts_left()
    if not demo.is_begun():
        demo.folder.mkdir(parents=True, exist_ok=True)
        demo.begin()
    for number, part in enumerate(left):
        arrivals = demo.make(part, lambda done, total, n=number: progress(n * total + done, len(left) * total))  # type: ignore[misc]
        shoot = Shoot.open(demo.shoot_path)
        try:
            demo.add(shoot, part, arrivals)
        finally:
            shoot.close()
    return demo.shoot_path


def screen_files() -> list[Path]:
    """The profiles of the stand-in screens, where the demo has been made."""
    return sorted((demo_folder() / "screens").glob("*.icc"))


def _is_sound(path: Path) -> bool:
    try:
        Shoot.open(path).close()
    except (VelkinError, sqlite3.Error):
        return False
    return True


def write_demo_shoot(path: Path, frames: Path) -> None:
    """A new shoot file on the demo's raw frames, which lie in `frames`, with its two destinations. Raises VelkinError."""
    shoot = Shoot.create(path, madderfold.TITLE)
    try:
        with ThreadPoolExecutor() as pool:
            arrivals = {a.facts.path.stem: a for a in pool.map(look_at, madderfold.frame_files(frames))}
        for sitting in (sittings.NORTH, sittings.LAMP):
            _as_shot(sitting)(shoot, [arrivals[f.name] for f in sitting.frames])
        _add_shade_card(shoot, [])
    finally:
        shoot.close()
