"""Where files go: each command is one undoable step."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from dataclasses import replace

from velkin.core.destinations.destination import Destination
from velkin.core.destinations.destination_file import destination_to_data
from velkin.core.errors import ShootError
from velkin.core.icc.space import Space
from velkin.core.shoot.document import Document
from velkin.core.spaces.rgb import SRGB

#: More destinations than this help nobody.
MOST_DESTINATIONS = 24


class DestinationCommands:
    """The part of a shoot about its destinations."""

    def __init__(self, document: Document) -> None:
        self._document = document

    def set_destination(self, destination: Destination, space: Space | None = None, joins: bool = False) -> None:
        """Change a destination; `space` is kept in the shoot where it is not built in.

        Raises
        ------
        NotSupported
            For values that cannot be written. One that has no space yet is kept as long as it is not ticked.
        """
        known = self._document.state.known_space(destination.space_id)
        if space is not None and space.id == destination.space_id:
            known = space
        if destination.ticked:
            destination.check(known)
        else:  # all else is looked at as if it were the commonest space
            replace(destination, space_id=destination.space_id or SRGB.id).check(known or SRGB)
        text = json.dumps(destination_to_data(destination))
        with self._document.step(f"change the destination {destination.name}", joins):
            if space is not None:
                self._document.remember(space)
            self._document.store.run("UPDATE destinations SET json = ? WHERE id = ? AND json <> ?", text, destination.id, text)

    def add_destinations(self, pairs: Iterable[tuple[Destination, Space | None]]) -> list[str]:
        """Add destinations, each with the space that it brings along; ids and names that are taken get a number. Their ids.

        Raises
        ------
        NotSupported
            For one that could not be written to.
        ShootError
            For too many.
        """
        added = list(pairs)
        if len(self._document.state.destinations) + len(added) > MOST_DESTINATIONS:
            raise ShootError(f"a shoot has up to {MOST_DESTINATIONS} destinations; take one away first")
        ids = {d.id for d in self._document.state.destinations}
        names = {d.name for d in self._document.state.destinations}
        made: list[str] = []
        label = f"add the destination {added[0][0].name}" if len(added) == 1 else f"add {len(added)} destinations"
        last = self._document.store.rows("SELECT max(position) AS last FROM destinations")[0]["last"]
        with self._document.step(label):
            for number, (d, space) in enumerate(added, start=1):
                fresh = replace(d, id=_free(d.id, ids, "-{}"), name=_free(d.name, names, " {}"))
                if fresh.space_id:
                    fresh.check(
                        space if space is not None and space.id == d.space_id else self._document.state.known_space(d.space_id)
                    )
                else:
                    fresh = replace(fresh, ticked=False)
                if space is not None:
                    self._document.remember(space)
                self._document.store.run(
                    "INSERT INTO destinations VALUES (?, ?, ?)",
                    fresh.id,
                    float(last or 0.0) + number,
                    json.dumps(destination_to_data(fresh)),
                )
                made.append(fresh.id)
        return made

    def remove_destination(self, identifier: str) -> None:
        """Take a destination away; what was written to it stays. Raises ShootError for the last one."""
        if len(self._document.state.destinations) == 1:
            raise ShootError("a shoot keeps at least one destination")
        name = next(d.name for d in self._document.state.destinations if d.id == identifier)
        with self._document.step(f"take the destination {name} away"):
            self._document.store.run("DELETE FROM destinations WHERE id = ?", identifier)


def _free(wanted: str, taken: set[str], tail: str) -> str:
    """A word that is not taken, by a number at its end; it is taken then."""
    base = re.sub(re.escape(tail.format("#")).replace(r"\#", r"\d+") + "$", "", wanted)
    found, number = wanted, 2
    while found in taken:
        found, number = base + tail.format(number), number + 1
    taken.add(found)
    return found
