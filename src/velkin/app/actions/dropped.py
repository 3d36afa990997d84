"""What happens to dropped and pasted files: a shoot is opened, profiles are kept, raw files, pictures and folders come into the shoot."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from velkin.app.actions.handoff import HandoffActions
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


class Dropped:
    """Takes files in."""

    def __init__(self, context: Context, spaces: SpaceActions, handoffs: HandoffActions) -> None:
        self._jobs = context.jobs
        self._model = context.model
        self._spaces = spaces
        self._handoffs = handoffs

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
    profiles = [p for p in paths if p.suffix.lower() in _PROFILES and p not in destinations]
    spaces = [p for p in profiles if in_a_shoot and _is_space(p)]
    return Drop(
        shoot,
        spaces,
        [p for p in profiles if p not in spaces],
        [p for p in paths if p not in profiles and p not in destinations and p.suffix != ".velkin"],
        destinations,
    )


def _is_destinations(path: Path) -> bool:
    """Whether a JSON file holds destinations rather than a camera profile."""
    if path.suffix.lower() != ".json":
        return False
    try:
        with path.open("rb") as stream:
            return b'"Velkin destinations"' in stream.read(400)
    except OSError:
        return False


def _is_space(path: Path) -> bool:
    """Whether an ICC file stands for a space rather than for a camera."""
    if path.suffix.lower() not in (".icc", ".icm"):
        return False
    try:
        return path.stat().st_size <= LARGEST and parse(path.read_bytes()).kind in ("display", "output", "space")
    except (BadProfile, OSError):
        return False
