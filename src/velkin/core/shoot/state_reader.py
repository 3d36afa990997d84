"""Reading the shoot file into a `State`."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TypeVar

from velkin.core.cameraprofiles.anyprofile import AnyProfile, from_text
from velkin.core.cameraprofiles.leaning import Lean
from velkin.core.charts.built_in import iso24, velkin48
from velkin.core.charts.chart_file import chart_from_json
from velkin.core.charts.definition import Chart
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.destinations.destination import Destination, ProofGoal
from velkin.core.destinations.destination_file import destination_from_data
from velkin.core.files.raw import RawFacts
from velkin.core.gamut.easing import Easing, Place
from velkin.core.icc.space import Space, built_in_space
from velkin.core.looks.kept import KeptLook
from velkin.core.shoot.even_fields import KeptField
from velkin.core.shoot.frame import Frame, Role
from velkin.core.shoot.light import Light
from velkin.core.shoot.lights import PATTERN
from velkin.core.shoot.records import (
    balance_from_json,
    easings_from_json,
    facts_from_json,
    field_from_json,
    given_from_json,
    goal_from_json,
    ledger_from_json,
    look_from_json,
    picture_from_json,
    pins_from_json,
    place_from_json,
    reading_from_json,
    rules_from_json,
    space_from_json,
)
from velkin.core.shoot.state import State
from velkin.core.shoot.store import Store
from velkin.core.spaces.rgb import BUILT_IN, RGBSpace
from velkin.core.tags.facts import PictureFacts

T = TypeVar("T")

#: What is read of a frame; its exposure as text, in all its digits.
_OF_A_FRAME = (
    "id", "light", "name", "path", "digest", "role", "facts", "balance", "balance_from", "exposure", "profile", "neutral",
    "kind", "held", "ledger", "pins", "warmer", "pinker",
)  # fmt: skip
_FRAMES = f"SELECT {', '.join(c for c in _OF_A_FRAME if c != 'exposure')}, printf('%!.17g', exposure) AS exposure FROM frames"


class StateReader:
    """Reads a shoot. What no change touched is not read again: there may be thousands of frames."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._facts: dict[tuple[str, str], RawFacts | PictureFacts] = {}
        self._spaces: dict[str, Space] = {}
        self._readings: dict[str, JudgedReading] = {}
        self._profiles: dict[str, AnyProfile] = {}
        self._easings: dict[str, tuple[Easing, ...]] = {}
        self._looks: dict[str, KeptLook] = {}
        self._last: State | None = None
        self._place: dict[int, tuple[int, str]] = {}  # light and position of each frame

    def read(self) -> State:
        """Everything in the shoot. Raises KeyError, ValueError, TypeError or IndexError where its contents are damaged."""
        touched = self._store.touched()
        old = self._last
        if old is None or touched is None:
            self._last = self._read_all()
        elif touched:
            self._last = self._read_again(old, touched)
        assert self._last is not None
        return self._last

    def _read_all(self) -> State:
        charts = self._charts()
        spaces = self._all_spaces()
        facts = self._facts_table()
        return State(
            name=facts["name"],
            working=self._working(facts, spaces),
            lights=self._lights(self._members()),
            frames=self._frames(""),
            profiles=self._all_profiles(),
            readings=self._all_readings(charts),
            destinations=self._destinations(),
            charts=charts,
            light_pattern=facts.get("light_pattern", PATTERN),
            spaces=spaces,
            rules=rules_from_json(facts.get("rules")),
            goal=self._goal(facts.get("proof"), spaces),
            easings=self._all_easings(""),
            looks=self._all_looks(),
            given_looks=self._all_given_looks(""),
            look_places=self._all_look_places(""),
            fields=self._all_fields(),
        )

    def _read_again(self, old: State, touched: dict[str, set[int]]) -> State:
        """The state after changes of some rows."""
        charts = self._charts() if "charts" in touched else old.charts
        spaces = self._all_spaces() if "spaces" in touched else old.spaces
        facts = self._facts_table() if touched.keys() & {"facts", "spaces"} else None
        frames, lights = old.frames, old.lights
        if "frames" in touched:
            ids = touched["frames"]
            fresh = self._frames(f" WHERE id IN ({','.join(map(str, ids))})")
            frames = _with(old.frames, ids, fresh)
        if touched.keys() & {"frames", "lights"}:
            ids = touched.get("frames", set())
            moved = any(f not in frames for f in ids) or any(
                f not in old.frames or self._place[f] != place for f, place in self._places_of(ids).items()
            )
            if moved:
                lights = self._lights(self._members())
            elif "lights" in touched:
                lights = self._lights({light.id: light.frames for light in old.lights})
        readings = old.readings
        if touched.keys() & {"readings", "charts"}:
            readings = self._all_readings(charts)
        easings = old.easings
        if "easings" in touched:
            ids = touched["easings"]
            some = self._all_easings(f" WHERE frame IN ({','.join(map(str, ids))})")
            easings = _with(old.easings, ids, some)
        given_looks, look_places = old.given_looks, old.look_places
        if "given_looks" in touched:
            ids = touched["given_looks"]
            some_looks = f" WHERE frame IN ({','.join(map(str, ids))})"
            given_looks = _with(old.given_looks, ids, self._all_given_looks(some_looks))
            look_places = _with(old.look_places, ids, self._all_look_places(some_looks))
        new = State(
            name=facts["name"] if facts else old.name,
            working=self._working(facts, spaces) if facts else old.working,
            lights=lights,
            frames=frames,
            profiles=self._all_profiles() if "profiles" in touched else old.profiles,
            readings=readings,
            destinations=self._destinations() if "destinations" in touched else old.destinations,
            charts=charts,
            light_pattern=facts.get("light_pattern", PATTERN) if facts else old.light_pattern,
            spaces=spaces,
            rules=rules_from_json(facts.get("rules")) if facts else old.rules,
            goal=self._goal(facts.get("proof"), spaces) if facts else old.goal,
            easings=easings,
            looks=self._all_looks() if "looks" in touched else old.looks,
            given_looks=given_looks,
            look_places=look_places,
            fields=self._all_fields() if "fields" in touched else old.fields,
        )
        new.take_paths_from(old)
        return new

    # ---- the parts --------------------------------------------------------------------------------------------

    def _facts_table(self) -> dict[str, str]:
        return {r["key"]: r["value"] for r in self._store.rows("SELECT * FROM facts")}

    def _charts(self) -> dict[str, Chart]:
        charts = {c.id: c for c in (iso24(), velkin48())}
        for r in self._store.rows("SELECT json FROM charts ORDER BY id"):
            chart = chart_from_json(r["json"], self._store.path)
            charts[chart.id] = chart
        return charts

    def _all_spaces(self) -> dict[str, Space]:
        return {r["id"]: self._space(r["json"]) for r in self._store.rows("SELECT id, json FROM spaces")}

    @staticmethod
    def _working(facts: dict[str, str], spaces: dict[str, Space]) -> RGBSpace:
        working = spaces.get(facts["working"]) or BUILT_IN[facts["working"]]
        if not isinstance(working, RGBSpace):
            raise ValueError(f"the working space {working.name} is none of matrix and curves")
        return working

    def _frames(self, where: str) -> dict[int, Frame]:
        frames: dict[int, Frame] = {}
        for row in self._store.rows_at_once(_OF_A_FRAME, _FRAMES + where + " ORDER BY frames.id"):
            key = (row["facts"], row["path"])
            if key not in self._facts:
                read = facts_from_json if row["kind"] == "raw" else picture_from_json
                self._facts[key] = read(row["facts"], Path(row["path"]))
            known = self._facts[key]
            frames[row["id"]] = Frame(
                row["id"], row["light"], row["name"], known.path, row["digest"], Role(row["role"]), known, balance_from_json(row["balance"]),
                row["balance_from"], float(row["exposure"]), row["profile"], balance_from_json(row["neutral"]),
                Lean(row["warmer"], row["pinker"]), row["held"],
                ledger_from_json(row["ledger"]), pins_from_json(row["pins"]),
            )  # fmt: skip
        return frames

    def _places_of(self, frames: set[int]) -> dict[int, tuple[int, str]]:
        """Light and position of some frames."""
        if not frames:
            return {}
        rows = self._store.rows_at_once(
            ("id", "light", "position"),
            f"SELECT id, light, printf('%!.17g', position) AS position FROM frames WHERE id IN ({','.join(map(str, frames))})",
        )
        return {r["id"]: (r["light"], r["position"]) for r in rows}

    def _members(self) -> Mapping[int, Sequence[int]]:
        """Frames of each light in order; where each lies is remembered."""
        self._place = {}
        of_light: dict[int, list[int]] = {}
        for r in self._store.rows_at_once(
            ("id", "light", "position"),
            "SELECT id, light, printf('%!.17g', position) AS position FROM frames ORDER BY frames.light, frames.position, frames.id",
        ):
            of_light.setdefault(r["light"], []).append(r["id"])
            self._place[r["id"]] = (r["light"], r["position"])
        return of_light

    def _lights(self, of_light: Mapping[int, Sequence[int]]) -> tuple[Light, ...]:
        return tuple(
            Light(r["id"], r["name"], r["profile"], tuple(of_light.get(r["id"], ())), given_from_json(r["gift"]))
            for r in self._store.rows("SELECT * FROM lights ORDER BY position, id")
        )

    def _all_profiles(self) -> dict[int, AnyProfile]:
        return {r["id"]: self._profile(r["json"]) for r in self._store.rows("SELECT id, json FROM profiles")}

    def _all_fields(self) -> dict[int, KeptField]:
        return {r["frame"]: field_from_json(r["json"]) for r in self._store.rows("SELECT * FROM fields ORDER BY frame")}

    def _all_readings(self, charts: dict[str, Chart]) -> dict[int, JudgedReading]:
        return {r["frame"]: self._reading(r["json"], charts) for r in self._store.rows("SELECT * FROM readings ORDER BY frame")}

    def _destinations(self) -> tuple[Destination, ...]:
        rows = self._store.rows("SELECT json FROM destinations ORDER BY position, id")
        return tuple(destination_from_data(json.loads(r["json"])) for r in rows)

    def _all_easings(self, where: str) -> dict[int, tuple[Easing, ...]]:
        return {r["frame"]: self._easing(r["json"]) for r in self._store.rows(f"SELECT * FROM easings{where} ORDER BY frame")}

    def _all_looks(self) -> dict[int, KeptLook]:
        return {r["id"]: self._look(r["json"]) for r in self._store.rows("SELECT id, json FROM looks ORDER BY id")}

    def _all_given_looks(self, where: str) -> dict[int, tuple[int, float]]:
        rows = self._store.rows(f"SELECT * FROM given_looks{where} ORDER BY frame")
        return {r["frame"]: (r["look"], r["strength"]) for r in rows}

    def _all_look_places(self, where: str) -> dict[int, Place]:
        rows = self._store.rows(f"SELECT frame, place FROM given_looks{where} ORDER BY frame")
        return {r["frame"]: place_from_json(r["place"]) for r in rows if r["place"] is not None}

    def _look(self, text: str) -> KeptLook:
        if text not in self._looks:
            self._looks[text] = look_from_json(text)
        return self._looks[text]

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


def _with(old: dict[int, T], touched: set[int], fresh: dict[int, T]) -> dict[int, T]:
    """A table after some of its rows were read again, in the order of their ids."""
    new = {k: fresh.get(k, v) for k, v in old.items() if k not in touched or k in fresh}
    came = {k: v for k, v in fresh.items() if k not in new}
    return dict(sorted({**new, **came}.items())) if came else new
