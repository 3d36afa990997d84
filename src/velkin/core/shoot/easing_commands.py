"""What a shoot's commands about proof and easing change; each command is one undoable step."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import replace

from velkin.core.conversion.conversion import is_destination
from velkin.core.destinations.destination import ProofGoal
from velkin.core.destinations.destination_file import destination_to_data
from velkin.core.errors import BadProfile, ShootError
from velkin.core.gamut.easing import BRUSHED, Easing, Place, Stroke
from velkin.core.icc.space import Space
from velkin.core.icc.transform import Intent
from velkin.core.shoot.document import Document
from velkin.core.shoot.mapping import to_text
from velkin.core.shoot.records import easings_to_json

#: More stages than this help nobody.
MOST_EASINGS = 12


class EasingCommands:
    """The part of a shoot that decides about proof and easing."""

    def __init__(self, document: Document) -> None:
        self._document = document

    def set_goal(self, space: Space | None, intent: Intent = Intent.RELATIVE, black_point: bool = True) -> None:
        """Choose what is proofed for; None follows the first destination that is ticked, whose intent it then is.

        Raises
        ------
        BadProfile
            When pictures cannot be converted to the space.
        """
        if space is not None and not is_destination(space):
            raise BadProfile(f"{space.name} has no way from colours to device values; nothing can be proofed for it")
        goal = ProofGoal(space.id if space is not None else "", intent, black_point)
        followed = self._document.state.proof_destination()
        changed = replace(followed, intent=intent, black_point=black_point) if space is None else followed
        if goal == self._document.state.goal and changed == followed:
            return
        with self._document.step(f"proof for {space.name if space is not None else followed.name}"):
            if space is not None:
                self._document.remember(space)
            if changed != followed:  # what is proofed is what is written
                text = json.dumps(destination_to_data(changed))
                self._document.store.run("UPDATE destinations SET json = ? WHERE id = ?", text, changed.id)
            self._document.store.run("INSERT OR REPLACE INTO facts VALUES ('proof', ?)", to_text(goal))

    def set_easings(self, frame: int, easings: tuple[Easing, ...], what: str = "ease", joins: bool = False) -> None:
        """Set the easings of a frame; `joins` makes one step of it with the same step before, as in a drag.

        Raises
        ------
        ShootError
            For more than twelve.
        NotSupported
            For one that makes no sense.
        """
        if len(easings) > MOST_EASINGS:
            raise ShootError(f"a frame has up to {MOST_EASINGS} easings; take one away first")
        for easing in easings:
            easing.check()
        with self._document.step(f"{what} in {self._document.state.frames[frame].name}", joins):
            self._keep(frame, easings)

    def _keep(self, frame: int, easings: tuple[Easing, ...]) -> None:
        if easings == self._document.state.easings_of(frame):
            return
        if easings:
            self._document.store.run("INSERT OR REPLACE INTO easings VALUES (?, ?)", frame, easings_to_json(easings))
        else:
            self._document.store.run("DELETE FROM easings WHERE frame = ?", frame)

    def add_stroke(self, frame: int, index: int, stroke: Stroke) -> None:
        """Paint a stroke of the easing brush; the first one makes the easing act only where it is brushed."""
        easings, facts = list(self._document.state.easings_of(frame)), self._document.state.frames[frame].facts
        place = easings[index].place
        size = (facts.width, facts.height)
        fits = place.painted_on == size and place.kind == BRUSHED
        strokes = (*place.strokes, stroke) if fits else (stroke,)
        easings[index] = replace(easings[index], place=Place(BRUSHED, place.feather, strokes, size))
        self.set_easings(frame, tuple(easings), "erase a stroke" if stroke.erase else "paint a stroke")

    def copy_easings(self, source: int, frames: Iterable[int]) -> list[int]:
        """Give a frame's easings to others; brushed places only to pictures of the same shape. The frames that took them."""
        state = self._document.state
        easings, taking = state.easings_of(source), [f for f in frames if f != source]
        label = f"copy the easings of {state.frames[source].name} to {len(taking)} frame{'' if len(taking) == 1 else 's'}"
        with self._document.step(label):
            for f in taking:
                facts = state.frames[f].facts
                self._keep(f, tuple(e for e in easings if e.place.fits(facts.width, facts.height)))
        return taking
