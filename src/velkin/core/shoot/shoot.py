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
from velkin.core.shoot.easing_commands import EasingCommands
from velkin.core.shoot.frame_commands import FrameCommands
from velkin.core.shoot.handoff_commands import HandoffCommands
from velkin.core.shoot.store import Store
from velkin.core.spaces.rgb import ROMM


class Shoot(FrameCommands, CameraCommands, ColourCommands, EasingCommands, HandoffCommands):
    """An open shoot and its commands. Each command is one undoable step; nothing else changes a shoot."""

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

    def backup(self) -> None:
        """Write the backup copy next to the shoot. Raises ShootError."""
        self._store.backup()

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
        self._state = None
        return label

    def redo(self) -> str | None:
        """Redo the step undone last; its label."""
        label = self._store.redo()
        self._state = None
        return label
