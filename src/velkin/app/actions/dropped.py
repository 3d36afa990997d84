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
        if len(drop.looks) > 1:
            self._model.report(f"A frame has one match or look; drop {drop.looks[0].name} or another one alone.")
        elif drop.looks:
            self._looks.take(drop.looks[0])
        if drop.profiles:
            self._jobs.shelf.bring(drop.profiles, self._on_shelf)
        if drop.files:
            self._jobs.importing.add_files(drop.files)

    def _on_shelf(self, came: list[Path]) -> None:
        if came:
            self._model.say(f"On the shelf now: {', '.join(p.name for p in came)}.")


def sorted_drop(paths: list[Path], in_a_shoot: bool) -> Drop:
    """Sort files, each looked at once; ICC profiles of screens, printers and spaces are kept as spaces where a shoot is open."""
    of: dict[str, list[Path]] = {kind: [] for kind in ("shoot", "space", "profile", "file", "destinations", "look")}
    for path in paths:
        of[_kind(path, in_a_shoot)].append(path)
    return Drop(next(iter(of["shoot"]), None), of["space"], of["profile"], of["file"], of["destinations"], of["look"])


def _kind(path: Path, in_a_shoot: bool) -> str:
    suffix = path.suffix.lower()
    if path.suffix == ".velkin":
        return "shoot"
    if suffix == ".cube":
        return "look"
    if suffix == ".json":
        if in_a_shoot and _says(path, b'"Velkin destinations"'):
            return "destinations"
        return "look" if _says(path, b'"Velkin match"') else "profile"
    if suffix in (".icc", ".icm"):
        of = _icc_class(path)
        return "look" if of == "abstract" else "space" if in_a_shoot and of in ("display", "output", "space") else "profile"
    return "profile" if suffix == ".dcp" else "file"


def _says(path: Path, words: bytes) -> bool:
    """Whether a JSON file begins with what it is."""
    try:
        with path.open("rb") as stream:
            return words in stream.read(400)
    except OSError:
        return False


def _icc_class(path: Path) -> str:
    """The class of an ICC file; empty where it is none that holds together."""
    try:
        return parse(path.read_bytes()).kind if path.stat().st_size <= LARGEST else ""
    except (BadProfile, OSError):
        return ""
