"""Reading the shoot file into a `State`."""

from __future__ import annotations

import json
from pathlib import Path

from velkin.core.cameraprofiles.anyprofile import AnyProfile, from_text
from velkin.core.charts.built_in import iso24, velkin48
from velkin.core.charts.chart_file import chart_from_json
from velkin.core.charts.definition import Chart
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.files.raw import RawFacts
from velkin.core.gamut.easing import Easing
from velkin.core.handoff.destination import ProofGoal
from velkin.core.handoff.destination_file import destination_from_data
from velkin.core.icc.space import Space, built_in_space
from velkin.core.shoot.lights import PATTERN
from velkin.core.shoot.records import (
    balance_from_json,
    easings_from_json,
    facts_from_json,
    gift_from_json,
    goal_from_json,
    ledger_from_json,
    picture_from_json,
    pins_from_json,
    reading_from_json,
    rules_from_json,
    space_from_json,
)
from velkin.core.shoot.state import Frame, Light, State
from velkin.core.shoot.store import Store
from velkin.core.spaces.rgb import BUILT_IN, RGBSpace
from velkin.core.tags.facts import PictureFacts

#: What is read of a frame; its exposure as text, in all its digits.
_OF_A_FRAME = (
    "id", "light", "name", "path", "digest", "role", "facts", "balance", "balance_from", "exposure", "profile", "neutral",
    "kind", "held", "ledger", "pins",
)  # fmt: skip
_FRAMES = (
    f"SELECT {', '.join(c for c in _OF_A_FRAME if c != 'exposure')}, printf('%!.17g', exposure) AS exposure"
    " FROM frames ORDER BY light, position, id"
)


class StateReader:
    """Reads a shoot; what was read from text once is not read again while the text stays: there may be thousands of frames."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._facts: dict[tuple[str, str], RawFacts | PictureFacts] = {}
        self._spaces: dict[str, Space] = {}
        self._readings: dict[str, JudgedReading] = {}
        self._profiles: dict[str, AnyProfile] = {}
        self._easings: dict[str, tuple[Easing, ...]] = {}

    def read(self) -> State:
        """Everything in the shoot. Raises KeyError, ValueError, TypeError or IndexError where its contents are damaged."""
        rows = self._store.rows
        facts = {r["key"]: r["value"] for r in rows("SELECT * FROM facts")}
        charts = {c.id: c for c in (iso24(), velkin48())}
        for r in rows("SELECT json FROM charts ORDER BY id"):
            chart = chart_from_json(r["json"], self._store.path)
            charts[chart.id] = chart
        frames: dict[int, Frame] = {}
        of_light: dict[int, list[int]] = {}
        for row in self._store.rows_at_once(_OF_A_FRAME, _FRAMES):
            key = (row["facts"], row["path"])
            if key not in self._facts:
                read = facts_from_json if row["kind"] == "raw" else picture_from_json
                self._facts[key] = read(row["facts"], Path(row["path"]))
            known = self._facts[key]
            frames[row["id"]] = Frame(
                row["id"], row["light"], row["name"], known.path, row["digest"], row["role"], known, balance_from_json(row["balance"]),
                row["balance_from"], float(row["exposure"]), row["profile"], balance_from_json(row["neutral"]), row["held"],
                ledger_from_json(row["ledger"]), pins_from_json(row["pins"]),
            )  # fmt: skip
            of_light.setdefault(row["light"], []).append(row["id"])
        lights = tuple(
            Light(r["id"], r["name"], r["profile"], tuple(of_light.get(r["id"], ())), gift_from_json(r["gift"]))
            for r in rows("SELECT * FROM lights ORDER BY position, id")
        )
        spaces = {r["id"]: self._space(r["json"]) for r in rows("SELECT id, json FROM spaces")}
        working = spaces.get(facts["working"]) or BUILT_IN[facts["working"]]
        if not isinstance(working, RGBSpace):
            raise ValueError(f"the working space {working.name} is none of matrix and curves")
        return State(
            name=facts["name"],
            working=working,
            lights=lights,
            frames=frames,
            profiles={r["id"]: self._profile(r["json"]) for r in rows("SELECT id, json FROM profiles")},
            readings={r["frame"]: self._reading(r["json"], charts) for r in rows("SELECT * FROM readings")},
            destinations=tuple(
                destination_from_data(json.loads(r["json"]))
                for r in rows("SELECT json FROM destinations ORDER BY position, id")
            ),
            charts=charts,
            light_pattern=facts.get("light_pattern", PATTERN),
            spaces=spaces,
            rules=rules_from_json(facts.get("rules")),
            goal=self._goal(facts.get("proof"), spaces),
            easings={r["frame"]: self._easing(r["json"]) for r in rows("SELECT * FROM easings")},
        )

    def _space(self, text: str) -> Space:
        if text not in self._spaces:
            self._spaces[text] = space_from_json(text)
        return self._spaces[text]

    def _easing(self, text: str) -> tuple[Easing, ...]:
        if text not in self._easings:
            self._easings[text] = easings_from_json(text)
        return self._easings[text]

    @staticmethod
    def _goal(text: str | None, spaces: dict[str, Space]) -> ProofGoal:
        goal = goal_from_json(text)
        known = not goal.space or goal.space in spaces or built_in_space(goal.space) is not None
        return goal if known else ProofGoal()

    def _profile(self, text: str) -> AnyProfile:
        if text not in self._profiles:
            self._profiles[text] = from_text(text)
        return self._profiles[text]

    def _reading(self, text: str, charts: dict[str, Chart]) -> JudgedReading:
        kept = self._readings.get(text)
        if kept is None or kept.chart is not charts.get(kept.chart.id):
            kept = self._readings[text] = reading_from_json(text, charts)
        return kept
