"""What happens to dropped and pasted files: a shoot is opened, profiles are kept, raw files, pictures and folders come into the shoot."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from velkin.app.actions.handoff import HandoffActions
from velkin.app.actions.look import LookActions
from velkin.app.actions.space import SpaceActions
from velkin.app.context import Context
from velkin.app.model.places import Page
from velkin.core.errors import BadProfile
from velkin.core.icc.read import LARGEST, parse

_PROFILES = (".dcp", ".icc", ".icm", ".json")


@dataclass(frozen=True)
class Drop:
    """Files by what happens to them."""

    shoot: Path | None
    spaces: list[Path]
    profiles: list[Path]
    files: list[Path]
    destinations: list[Path]
    looks: list[Path]


class Dropped:
    """Takes files in."""

    def __init__(self, context: Context, spaces: SpaceActions, handoffs: HandoffActions, looks: LookActions) -> None:
        self._jobs = context.jobs
        self._model = context.model
        self._spaces = spaces
        self._handoffs = handoffs
        self._looks = looks

    def take(self, paths: list[Path]) -> None:
        """Take dropped or pasted files."""
        drop = sorted_drop(paths, self._model.shoot is not None)
        if drop.shoot is not None:
            self._jobs.shoots.open(drop.shoot)
            return
        for path in drop.spaces:
            if self._model.places.now.page is Page.TRY_ON:
                self._spaces.try_file(path)
            else:
                self._jobs.spaces.keep(path)
        for path in drop.destinations:
            self._handoffs.destinations(path)
        if drop.looks:  # a frame has one
            self._looks.take(drop.looks[0])
        if drop.profiles:
            self._jobs.shelf.bring(drop.profiles, self._on_shelf)
        if drop.files:
            self._jobs.importing.add_files(drop.files)

    def _on_shelf(self, came: list[Path]) -> None:
        if came:
            self._model.say(f"On the shelf now: {', '.join(p.name for p in came)}.")


def sorted_drop(paths: list[Path], in_a_shoot: bool) -> Drop:
    """Sort files; ICC profiles of screens, printers and spaces are kept as spaces where a shoot is open."""
    shoot = next((p for p in paths if p.suffix == ".velkin"), None)
    destinations = [p for p in paths if in_a_shoot and _is_destinations(p)]
    looks = [p for p in paths if _is_look(p)]
    profiles = [p for p in paths if p.suffix.lower() in _PROFILES and p not in destinations and p not in looks]
    spaces = [p for p in profiles if in_a_shoot and _is_space(p)]
    return Drop(
        shoot,
        spaces,
        [p for p in profiles if p not in spaces],
        [p for p in paths if p not in profiles and p not in destinations and p not in looks and p.suffix != ".velkin"],
        destinations,
        looks,
    )


def _is_destinations(path: Path) -> bool:
    """Whether a JSON file holds destinations rather than a camera profile."""
    return _says(path, b'"Velkin destinations"')


def _is_look(path: Path) -> bool:
    """Whether a file is a look: a table, a match of Velkin's, or an abstract profile."""
    return path.suffix.lower() == ".cube" or _says(path, b'"Velkin match"') or _icc_class(path) == "abstract"


def _says(path: Path, words: bytes) -> bool:
    """Whether a JSON file begins with what it is."""
    if path.suffix.lower() != ".json":
        return False
    try:
        with path.open("rb") as stream:
            return words in stream.read(400)
    except OSError:
        return False


def _is_space(path: Path) -> bool:
    """Whether an ICC file stands for a space rather than for a camera."""
    return _icc_class(path) in ("display", "output", "space")


def _icc_class(path: Path) -> str:
    """The class of an ICC file; empty where it is none that holds together."""
    if path.suffix.lower() not in (".icc", ".icm"):
        return ""
    try:
        return parse(path.read_bytes()).kind if path.stat().st_size <= LARGEST else ""
    except (BadProfile, OSError):
        return ""
