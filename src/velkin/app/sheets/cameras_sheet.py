"""Cameras that agree: the same chart from two cameras, how far it lies apart as built in and as given, and what differs."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QWidget

from velkin.app.widgets.parts import Facts, Figure, Heading, compact, labelled, soft
from velkin.app.widgets.sheet import Sheet
from velkin.app.words import localised
from velkin.core.shoot.agreeing import Agreement, Apart
from velkin.core.shoot.state import State


class CamerasSheet(Sheet):
    """Shows two chart frames of different cameras, of which there may be several; accepted to match the second to the first."""

    def __init__(self, state: State, found: tuple[Agreement, ...], parent: QWidget) -> None:
        super().__init__("Cameras side by side", parent, width=520)
        self._state, self._found = state, found
        self.pair = compact(QComboBox())
        for each in found:
            self.pair.addItem(_name(state, each))
        self.pair.currentIndexChanged.connect(lambda _: self._show())
        self.column.addWidget(labelled("Charts", self.pair, 64))
        self.figure = Figure()
        self.column.addWidget(self.figure)
        self.facts = Facts(150)
        self.column.addWidget(self.facts)
        self.column.addWidget(Heading("What differs most, as they are given now"))
        self.words = soft()
        self.column.addWidget(self.words)
        self.match, self.save = self.offer("Match…", "Save a report…")
        self._show()

    @property
    def chosen(self) -> Agreement:
        """The pair that is shown."""
        return self._found[self.pair.currentIndex()]

    def _show(self) -> None:
        found = self.chosen
        first, second = (self._state.frames[f] for f in (found.first, found.second))
        self.figure.show_value(
            localised(f"ΔE {found.now.mean:.1f}"), f"mean between {second.name} and {first.name}, as they are given now"
        )
        cameras = f"{second.facts.model} beside {first.facts.model}"
        self.facts.show_rows(
            [("Cameras", cameras), ("As built in", _figures(found.built_in)), ("As given now", _figures(found.now))]
        )
        self.words.setText(
            localised("; ".join(found.now.words[:4])) + f" in {second.name}." if found.now.words else "Nothing to speak of."
        )
        self.match.setText(f"Match {second.name} to {first.name}…")


def _figures(apart: Apart) -> str:
    text = (
        f"{apart.mean:.1f} mean, {apart.p95:.1f} at the 95th percentile, {apart.worst:.1f} at most (patch {apart.worst_patch})"
    )
    return localised(text)


def _name(state: State, found: Agreement) -> str:
    first, second = (state.frames[f] for f in (found.first, found.second))
    return f"{second.name} beside {first.name}"
