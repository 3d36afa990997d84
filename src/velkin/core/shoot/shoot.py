"""A shoot as the program sees it: frames, lights, profiles, readings, destinations, and the commands that change them."""

from __future__ import annotations

import json
import sqlite3
from pathlib import Path

from velkin.core.destinations.destination import Destination
from velkin.core.destinations.destination_file import destination_to_data
from velkin.core.destinations.starters import web_srgb
from velkin.core.errors import ShootError
from velkin.core.shoot.camera_commands import CameraCommands
from velkin.core.shoot.colour_commands import ColourCommands
from velkin.core.shoot.destination_commands import DestinationCommands
from velkin.core.shoot.document import Document
from velkin.core.shoot.easing_commands import EasingCommands
from velkin.core.shoot.frame_commands import FrameCommands
from velkin.core.shoot.handoffs import Handoffs
from velkin.core.shoot.look_commands import LookCommands
from velkin.core.shoot.state import State
from velkin.core.shoot.store import Store
from velkin.core.spaces.rgb import ROMM


class Shoot:
    """An open shoot: what is in it, and its commands by what they concern. Each command is one undoable step; nothing else changes a shoot.

    Attributes
    ----------
    frames : FrameCommands
    camera : CameraCommands
    colour : ColourCommands
    easing : EasingCommands
    looks : LookCommands
    destinations : DestinationCommands
    handoffs : Handoffs
    """

    def __init__(self, store: Store) -> None:
        self._store = store
        self._document = Document(store)
        self.frames = FrameCommands(self._document)
        self.camera = CameraCommands(self._document)
        self.colour = ColourCommands(self._document)
        self.easing = EasingCommands(self._document)
        self.looks = LookCommands(self._document)
        self.destinations = DestinationCommands(self._document)
        self.handoffs = Handoffs(self._document)

    @property
    def state(self) -> State:
        """Everything in the shoot, read once after each change."""
        return self._document.state

    @property
    def store(self) -> Store:
        """The file itself, for who keeps a journal in it."""
        return self._store

    @classmethod
    def create(cls, path: Path, name: str) -> Shoot:
        """A new shoot with the starting destinations. Raises OutputRefused, ShootError."""
        web = web_srgb()
        contents = (
            ("INSERT INTO facts VALUES ('name', ?), ('working', ?)", (name, ROMM.id)),
            ("INSERT INTO destinations VALUES (?, 0, ?)", (web.id, json.dumps(destination_to_data(web)))),
        )
        return cls(Store.create(path, contents))

    @classmethod
    def open(cls, path: Path) -> Shoot:
        """An existing shoot. Raises ShootError."""
        shoot = cls(Store.open(path))
        try:
            shoot.state  # noqa: B018  a shoot whose contents cannot be read must fail here, not later
        except ShootError as error:
            shoot.close()
            raise ShootError(f"the shoot's contents are damaged ({error.message})", path) from error
        except (KeyError, ValueError, TypeError, IndexError, sqlite3.Error) as error:
            shoot.close()
            raise ShootError(f"the shoot's contents are damaged ({error})", path) from error
        return shoot

    @property
    def path(self) -> Path:
        """The shoot file."""
        return self._store.path

    @property
    def look_only(self) -> str:
        """Why the shoot can be looked at only; empty where it can be changed."""
        return self._store.look_only

    def allow_looking_only(self, why: str) -> None:
        """Refuse every change from now on, saying why."""
        self._store.look_only = why

    def settle(self) -> None:
        """Bring all changes onto the disk itself; from any thread. Raises ShootError."""
        self._store.settle()

    def close(self) -> None:
        """Close the file."""
        self._store.close()

    def folder_of(self, destination: Destination) -> Path:
        """A destination's folder; a relative one lies next to the shoot file."""
        return destination.folder_beside(self.path.parent)

    # ---- undo -------------------------------------------------------------------------------------------------

    def undo_label(self) -> str | None:
        """What would be undone."""
        return self._store.undo_label()

    def redo_label(self) -> str | None:
        """What would be done again."""
        return self._store.redo_label()

    def undo(self) -> str | None:
        """Undo the last step; its label."""
        label = self._store.undo()
        self._document.read_anew()
        return label

    def redo(self) -> str | None:
        """Redo the step undone last; its label."""
        label = self._store.redo()
        self._document.read_anew()
        return label
