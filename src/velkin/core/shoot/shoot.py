"""A shoot as the program sees it: frames, lights, profiles, readings, destinations, and the commands that change them."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import datetime
from pathlib import Path

from velkin.core.cameraprofiles.anyprofile import AnyProfile, from_text, to_text
from velkin.core.charts.built_in import iso24, velkin48
from velkin.core.charts.chart_file import chart_from_json, chart_to_json
from velkin.core.charts.definition import Chart
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.errors import ShootError, UnreadableFile
from velkin.core.files.raw import RawFacts, is_raw_name, read_facts
from velkin.core.files.safely import is_text_name
from velkin.core.gamut.easing import Easing
from velkin.core.handoff.destination import Destination, ProofGoal
from velkin.core.handoff.destination_file import destination_from_data, destination_to_data
from velkin.core.handoff.starters import web_srgb
from velkin.core.icc.space import Space, built_in_space
from velkin.core.shoot.colour_commands import ColourCommands, count_words
from velkin.core.shoot.easing_commands import EasingCommands
from velkin.core.shoot.giving import GivingPlan
from velkin.core.shoot.handoff_commands import HandoffCommands
from velkin.core.shoot.lights import PATTERN, Arrival, check_pattern, light_name, propose_lights, under_one_light
from velkin.core.shoot.records import (
    easings_from_json,
    facts_from_json,
    facts_to_json,
    goal_from_json,
    ledger_from_json,
    picture_from_json,
    pins_from_json,
    reading_from_json,
    reading_to_json,
    rules_from_json,
    space_from_json,
)
from velkin.core.shoot.state import ROLES, Frame, Gift, Light, State
from velkin.core.shoot.store import Store
from velkin.core.spaces.rgb import BUILT_IN, ROMM, RGBSpace
from velkin.core.tags.facts import PictureFacts, facts_of


@dataclass(frozen=True)
class Spotted:
    """What was recognised in a frame on arrival: its role, the chart's reading, the neutral's balance."""

    role: str
    reading: JudgedReading | None = None
    neutral: tuple[float, float, float] | None = None


def digest_of(path: Path) -> str:
    """BLAKE2 hash of a file's bytes, by which a moved source is known again."""
    total = hashlib.blake2b(digest_size=16)
    try:
        with path.open("rb") as stream:
            while block := stream.read(1 << 20):
                total.update(block)
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror})", path) from error
    return total.hexdigest()


def look_at(path: Path, page: int = 0) -> Arrival:
    """Facts and hash of an arriving file, raw or finished; `page` is the picture of a file that holds several.

    Raises
    ------
    UnreadableFile
    """
    if not is_text_name(path):
        raise UnreadableFile("its name or folder is not valid text (UTF-8), which a shoot cannot keep; rename it", path)
    if is_raw_name(path):
        return Arrival(read_facts(path), digest_of(path))
    from velkin.core.tags.inspect import inspect  # the libraries that read pictures load when one arrives

    found = inspect(path, page)
    return Arrival(facts_of(found), digest_of(path), found.said)


class Shoot(ColourCommands, EasingCommands, HandoffCommands):
    """An open shoot and its commands. Each command is one undoable step; nothing else changes a shoot."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._state: State | None = None
        # what was read from text once is not read again while the text stays: a shoot may hold thousands of frames
        self._facts: dict[tuple[str, str], RawFacts | PictureFacts] = {}
        self._spaces: dict[str, Space] = {}
        self._readings: dict[str, JudgedReading] = {}
        self._profiles: dict[str, AnyProfile] = {}
        self._easings: dict[str, tuple[Easing, ...]] = {}

    @classmethod
    def create(cls, path: Path, name: str) -> Shoot:
        """A new shoot with the starting destinations. Raises OutputRefused, ShootError."""
        shoot = cls(Store.create(path))
        with shoot._store.plain():
            shoot._store.run("INSERT INTO facts VALUES ('name', ?), ('working', ?)", name, ROMM.id)
            web = web_srgb()
            shoot._store.run("INSERT INTO destinations VALUES (?, 0, ?)", web.id, json.dumps(destination_to_data(web)))
        return shoot

    @classmethod
    def open(cls, path: Path) -> Shoot:
        """An existing shoot. Raises ShootError."""
        shoot = cls(Store.open(path))
        try:
            shoot.state  # noqa: B018  a shoot whose contents cannot be read must fail here, not later
        except (KeyError, ValueError, TypeError, IndexError) as error:
            shoot.close()
            raise ShootError(f"the shoot's contents are damaged ({error})", path) from error
        return shoot

    @property
    def path(self) -> Path:
        """The shoot file."""
        return self._store.path

    def close(self) -> None:
        """Close the file."""
        self._store.close()

    def backup(self) -> None:
        """Write the backup copy next to the shoot. Raises ShootError."""
        self._store.backup()

    # ---- what is there ----------------------------------------------------------------------------------------

    @property
    def state(self) -> State:
        """Everything in the shoot, read once after each change."""
        if self._state is None:
            self._state = self._read()
        return self._state

    def _read(self) -> State:
        rows = self._store.rows
        facts = {r["key"]: r["value"] for r in rows("SELECT * FROM facts")}
        charts = {c.id: c for c in (iso24(), velkin48())}
        for r in rows("SELECT json FROM charts ORDER BY id"):
            chart = chart_from_json(r["json"], self.path)
            charts[chart.id] = chart
        frames: dict[int, Frame] = {}
        of_light: dict[int, list[int]] = {}
        for r in rows("SELECT * FROM frames ORDER BY light, position, id"):
            key = (r["facts"], r["path"])
            if key not in self._facts:
                read = facts_from_json if r["kind"] == "raw" else picture_from_json
                self._facts[key] = read(r["facts"], Path(r["path"]))
            known = self._facts[key]
            frames[r["id"]] = Frame(
                r["id"], r["light"], r["name"], known.path, r["digest"], r["role"], known, _floats(r["balance"]),
                r["balance_from"], r["exposure"], r["profile"], _floats(r["neutral"]), r["held"],
                ledger_from_json(r["ledger"]), pins_from_json(r["pins"]),
            )  # fmt: skip
            of_light.setdefault(r["light"], []).append(r["id"])
        lights = tuple(
            Light(r["id"], r["name"], r["profile"], tuple(of_light.get(r["id"], ())), _gift(r["gift"]))
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
        self._state = None
        return self._store.undo()

    def redo(self) -> str | None:
        """Redo the step undone last; its label."""
        self._state = None
        return self._store.redo()

    # ---- commands ---------------------------------------------------------------------------------------------

    def add_frames(self, arrivals: list[Arrival], light_name: str | None = None) -> list[int]:
        """Take files in, into lights proposed from camera, lens, balance and time; files already there are passed over.

        Parameters
        ----------
        light_name : str, optional
            Put all of them into one light of this name instead.

        Returns
        -------
        list of int
            Ids of the new frames.
        """
        known = {f.digest for f in self.state.frames.values()}
        fresh: list[Arrival] = []
        for arrival in arrivals:
            if arrival.digest not in known:
                known.add(arrival.digest)
                fresh.append(arrival)
        if not fresh:
            return []
        fresh.sort(key=lambda a: (a.facts.exif.taken or datetime.max, a.facts.path.name))
        groups = [fresh] if light_name is not None else propose_lights(fresh)
        ids: list[int] = []
        with self._step(f"add {count_words(len(fresh), 'frame')}"):
            taken = {k.name for k in self.state.lights}
            for members in groups:
                if light_name is not None:
                    light = next((k for k in self.state.lights if k.name == light_name), None)
                else:
                    light = self._light_for(members[0])
                name = _free_name(light_name or self._name_for(members[0].facts), taken) if light is None else ""
                ids += self._place(members, light, name)
        return ids

    def _light_for(self, arrival: Arrival) -> Light | None:
        """The light that an arrival seems to be under already."""
        state = self.state
        for light in reversed(state.lights):
            if any(under_one_light(state.frames[f].facts, arrival.facts) for f in light.frames):
                return light
        return None

    def _name_for(self, facts: RawFacts | PictureFacts) -> str:
        return light_name(self.state.light_pattern, facts)

    def _place(self, members: list[Arrival], light: Light | None, name: str) -> list[int]:
        """Put arrivals under a light (a new one of a name where it is None), with what the light gives to newcomers."""
        light_id = light.id if light is not None else self._new_light(name)
        first = self._store.rows("SELECT coalesce(max(position), 0) AS last FROM frames WHERE light = ?", light_id)[0]["last"]
        ids = []
        for number, arrival in enumerate(members, start=1):
            gift = self._gift_for(light, arrival.facts)
            if isinstance(arrival.facts, PictureFacts):
                ids.append(self._place_picture(arrival, arrival.facts, light_id, first + number))
                continue
            ids.append(
                self._store.run(
                    "INSERT INTO frames(light, position, name, path, digest, facts, profile, balance, balance_from, exposure)"
                    " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                    light_id,
                    first + number,
                    arrival.facts.path.stem,
                    str(arrival.facts.path.absolute()),
                    arrival.digest,
                    facts_to_json(arrival.facts),
                    gift.profile,
                    _text(gift.balance),
                    gift.balance_from,
                    gift.exposure or 0.0,
                )
            )
        return ids

    def _gift_for(self, light: Light | None, facts: RawFacts | PictureFacts) -> Gift:
        """What a newcomer under a light starts with: the light's gift where it suits the camera, else nothing."""
        nothing = Gift(None, None, "as shot")
        if light is None or light.gift is None or not isinstance(facts, RawFacts):
            return nothing
        profile = light.gift.profile
        if profile is not None and self.state.profiles[profile].camera not in ("", facts.unique):
            return nothing
        return light.gift

    def _new_light(self, name: str) -> int:
        return self._store.run(
            "INSERT INTO lights(position, name) VALUES ((SELECT coalesce(max(position), 0) + 1 FROM lights), ?)", name
        )

    def remove_frames(self, frames: Iterable[int]) -> None:
        """Take frames out of the shoot; their files are not touched. A light left empty goes too."""
        chosen = list(frames)
        with self._step(f"remove {count_words(len(chosen), 'frame')} from the shoot"):
            for frame in chosen:
                self._store.run("DELETE FROM readings WHERE frame = ?", frame)
                self._store.run("DELETE FROM frames WHERE id = ?", frame)
            self._store.run("DELETE FROM lights WHERE id NOT IN (SELECT light FROM frames)")

    def move_to_light(self, frames: Iterable[int], light: int | None, name: str = "") -> None:
        """Put frames under another light; None makes a new one, right after theirs. A light left empty goes."""
        chosen = list(frames)
        if not chosen:
            return
        with self._step(f"move {count_words(len(chosen), 'frame')} to another light"):
            if light is None:
                light = self._split_off(chosen[0], name)
            for frame in chosen:
                self._store.run(
                    "UPDATE frames SET light = ?1, position = (SELECT coalesce(max(position), 0) + 1 FROM frames WHERE light = ?1) WHERE id = ?2",
                    light,
                    frame,
                )
            self._store.run("DELETE FROM lights WHERE id NOT IN (SELECT light FROM frames)")

    def split_light(self, frame: int) -> None:
        """Begin a new light with a frame: it and the frames after it in its light move there."""
        members = self.state.light_of(frame).frames
        after = members[members.index(frame) :]
        if len(after) == len(members):
            return
        with self._step(f"begin a new light with {self.state.frames[frame].name}"):
            light = self._split_off(frame, "")
            for position, member in enumerate(after, start=1):
                self._store.run("UPDATE frames SET light = ?, position = ? WHERE id = ?", light, position, member)

    def _split_off(self, frame: int, name: str) -> int:
        """A new light after the frame's own; named like it, with a number."""
        old = self.state.light_of(frame)
        name = name or _free_name(old.name, {k.name for k in self.state.lights})
        spots = [r["position"] for r in self._store.rows("SELECT position FROM lights ORDER BY position")]
        here = self._store.rows("SELECT position FROM lights WHERE id = ?", old.id)[0]["position"]
        following = [p for p in spots if p > here]
        light = self._new_light(name)
        if following:
            self._store.run("UPDATE lights SET position = ? WHERE id = ?", (here + following[0]) / 2, light)
        return light

    def merge_lights(self, lights: Iterable[int]) -> None:
        """Make one light of several: their frames join the first, in shooting order."""
        chosen = [k for k in self.state.lights if k.id in set(lights)]
        if len(chosen) < 2:
            return
        first = chosen[0]
        members = [self.state.frames[f] for k in chosen for f in k.frames]
        members.sort(key=lambda f: (f.facts.exif.taken or datetime.max, f.id))
        with self._step(f"merge {len(chosen)} lights into {first.name}"):
            for position, frame in enumerate(members, start=1):
                self._store.run("UPDATE frames SET light = ?, position = ? WHERE id = ?", first.id, position, frame.id)
            self._store.run("DELETE FROM lights WHERE id NOT IN (SELECT light FROM frames)")

    def rename_light(self, light: int, name: str) -> None:
        """Give a light another name."""
        with self._step(f"rename a light to {name}"):
            self._store.run("UPDATE lights SET name = ? WHERE id = ?", name, light)

    def name_lights(self, pattern: str, words: dict[int, str]) -> None:
        """Name lights by a pattern, which new ones follow too; `words` are the photographer's words for the lighting.

        Raises
        ------
        NotSupported
            For a pattern with unknown fields.
        """
        check_pattern(pattern)
        state = self.state
        with self._step(f"name lights as {pattern}"):
            self._store.run("INSERT OR REPLACE INTO facts VALUES ('light_pattern', ?)", pattern)
            taken: set[str] = set()
            for light in state.lights:
                if not light.frames:
                    continue
                name = light_name(pattern, state.frames[light.frames[0]].facts, words.get(light.id, ""))
                self._store.run("UPDATE lights SET name = ? WHERE id = ?", _free_name(name, taken), light.id)

    def set_role(self, frames: Iterable[int], role: str) -> None:
        """Mark frames as chart, neutral or subject."""
        if role not in ROLES:
            raise ValueError(role)
        chosen = list(frames)
        with self._step(f"mark {count_words(len(chosen), 'frame')} as {role}"):
            for frame in chosen:
                self._store.run("UPDATE frames SET role = ? WHERE id = ? AND role <> ?", role, frame, role)

    def keep_reading(self, frame: int, kept: JudgedReading) -> None:
        """Keep a chart reading of a frame, which makes it a chart frame."""
        with self._step(f"read the chart in {self.state.frames[frame].name}"):
            self._store.run("INSERT OR REPLACE INTO readings VALUES (?, ?)", frame, reading_to_json(kept))
            self._store.run("UPDATE frames SET role = 'chart' WHERE id = ? AND role <> 'chart'", frame)

    def add_profile(self, profile: AnyProfile, give_to: Iterable[int], light: int | None = None) -> int:
        """Add a fitted profile and give it with its balance to frames, in one step; it becomes the light's profile too."""
        chosen = self._raw_among(give_to)
        with self._step(
            f"fit {profile.name}" + (f" and give it to {count_words(len(chosen), 'frame')}" if len(chosen) > 1 else "")
        ):
            identifier = self._store.run(
                "INSERT INTO profiles(name, camera, json) VALUES (?, ?, ?)",
                profile.name,
                profile.camera,
                to_text(profile),
            )
            self._give(identifier, chosen, light)
        return identifier

    def give_profile(self, profile: int, frames: Iterable[int], light: int | None = None) -> None:
        """Give a profile and the balance of its chart frame to frames; their exposure stays."""
        chosen = self._raw_among(frames)
        with self._step(f"give {self.state.profiles[profile].name} to {count_words(len(chosen), 'frame')}"):
            self._give(profile, chosen, light)

    def _give(self, profile: int, frames: list[int], light: int | None) -> None:
        if light is not None:
            self._store.run("UPDATE lights SET profile = ? WHERE id = ?", profile, light)
        self._store.many(
            "UPDATE frames SET profile = ?, balance = NULL, balance_from = 'chart' WHERE id = ?", [(profile, f) for f in frames]
        )

    def give(self, plan: GivingPlan) -> None:
        """Carry out what a giving plan says, in one step."""
        with self._step(plan.label()):
            self._store.many(
                "UPDATE frames SET profile = ?, balance = ?, balance_from = ?, exposure = ? WHERE id = ?",
                [(c.profile, _text(c.balance), c.balance_from, c.exposure, c.frame) for c in plan.changes],
            )
            if plan.light is not None and plan.giving.profile:
                profile = self.state.frames[plan.source].profile
                self._store.run("UPDATE lights SET profile = ? WHERE id = ? AND profile IS NOT ?", profile, plan.light, profile)
            if plan.light is not None:
                gift = None if plan.gift is None else json.dumps(asdict(plan.gift))
                self._store.run("UPDATE lights SET gift = ? WHERE id = ? AND gift IS NOT ?", gift, plan.light, gift)

    def mark_spotted(self, spotted: dict[int, Spotted]) -> None:
        """Mark the chart and neutral frames that were recognised, keeping the readings; frames marked otherwise stay so."""
        frames = self.state.frames
        chosen = {f: s for f, s in spotted.items() if f in frames and frames[f].role == "subject" and s.role != "subject"}
        if not chosen:
            return
        charts = sum(s.role == "chart" for s in chosen.values())
        parts = [count_words(n, f"{kind} frame") for n, kind in ((charts, "chart"), (len(chosen) - charts, "neutral")) if n]
        with self._step("mark " + " and ".join(parts)):
            for frame, s in chosen.items():
                self._store.run("UPDATE frames SET role = ?, neutral = ? WHERE id = ?", s.role, _text(s.neutral), frame)
                if s.reading is not None:
                    self._store.run("INSERT OR REPLACE INTO readings VALUES (?, ?)", frame, reading_to_json(s.reading))

    def keep_neutral(self, frame: int, balance: tuple[float, ...]) -> None:
        """Keep the balance measured on a neutral frame, which marks it as one."""
        with self._step(f"measure the neutral in {self.state.frames[frame].name}"):
            self._store.run("UPDATE frames SET role = 'neutral', neutral = ? WHERE id = ?", _text(balance), frame)

    def keep_chart(self, chart: Chart) -> None:
        """Keep a chart definition in the shoot, in place of one of the same id."""
        with self._step(f"keep the chart {chart.name}"):
            self._store.run("INSERT OR REPLACE INTO charts VALUES (?, ?)", chart.id, chart_to_json(chart))

    def use_built_in(self, frames: Iterable[int]) -> None:
        """Return frames to the camera's built-in profile and as-shot balance."""
        chosen = self._raw_among(frames)
        with self._step(f"return {count_words(len(chosen), 'frame')} to the built-in profile"):
            self._store.many(
                "UPDATE frames SET profile = NULL, balance = NULL, balance_from = 'as shot' WHERE id = ?",
                [(f,) for f in chosen],
            )

    def set_balance(self, frames: Iterable[int], balance: tuple[float, ...] | None, source: str, joins: bool = False) -> None:
        """Set a white balance (multipliers, green 1) on frames; None is the profile's or the camera's own.

        `joins` makes one step of it with the step before, when that was of the same kind: the moments of one drag.
        """
        chosen = self._raw_among(frames)
        with self._step(f"white balance of {count_words(len(chosen), 'frame')}: {source}", joins):
            self._store.many(
                "UPDATE frames SET balance = ?, balance_from = ? WHERE id = ?", [(_text(balance), source, f) for f in chosen]
            )

    def set_as_shot(self, frames: Iterable[int]) -> None:
        """Return frames to the balance that their camera measured, each to its own."""
        chosen = [self.state.frames[f] for f in frames if self.state.frames[f].is_raw]
        with self._step(f"white balance of {count_words(len(chosen), 'frame')}: as shot"):
            self._store.many(
                "UPDATE frames SET balance = ?, balance_from = 'as shot' WHERE id = ?",
                [(None if f.profile is None else _text(tuple(f.raw.as_shot)), f.id) for f in chosen],
            )

    def set_exposure(self, frames: Iterable[int], ev: float) -> None:
        """Set the exposure of frames, in EV."""
        chosen = self._raw_among(frames)
        with self._step(f"exposure {ev:+.2f} EV on {count_words(len(chosen), 'frame')}"):
            self._store.many("UPDATE frames SET exposure = ? WHERE id = ?", [(float(ev), f) for f in chosen])

    def _raw_among(self, frames: Iterable[int]) -> list[int]:
        return [f for f in frames if self.state.frames[f].is_raw]

    def relocate(self, frame: int, path: Path) -> None:
        """Say where a missing source lies now; refused when its bytes are not the frame's. Raises ShootError, UnreadableFile."""
        if digest_of(path) != self.state.frames[frame].digest:
            raise ShootError(f"this is not the file that {self.state.frames[frame].name} was made from", path)
        with self._step(f"find {self.state.frames[frame].name} again"):
            self._store.run("UPDATE frames SET path = ? WHERE id = ?", str(path.absolute()), frame)

    @contextmanager
    def _step(self, label: str, joins: bool = False) -> Iterator[None]:
        try:
            with self._store.step(label, joins):
                yield
        finally:
            self._state = None


def _free_name(name: str, taken: set[str]) -> str:
    """A name that is not taken, by a number after it; it is taken then."""
    chosen, number = name, 2
    while chosen in taken:
        chosen, number = f"{name}, {number}", number + 1
    taken.add(chosen)
    return chosen


def _floats(text: str | None) -> tuple[float, ...] | None:
    return None if text is None else tuple(float(v) for v in json.loads(text))


def _text(balance: tuple[float, ...] | None) -> str | None:
    return None if balance is None else json.dumps([float(v) for v in balance])


def _gift(text: str | None) -> Gift | None:
    if text is None:
        return None
    data = json.loads(text)
    balance = None if data["balance"] is None else tuple(float(v) for v in data["balance"])
    return Gift(data["profile"], balance, data["balance_from"], data["exposure"])
