"""A shoot as the program sees it: frames, lights, profiles, readings, destinations, and the commands that change them."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from velkin.core.cameraprofiles.builtin import built_in
from velkin.core.cameraprofiles.profile import CameraProfile, profile_from_json
from velkin.core.charts.judge import Judgement, Verdict
from velkin.core.charts.read import PatchReading, Reading
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.errors import ShootError, UnreadableFile
from velkin.core.files.metadata import ExifFacts
from velkin.core.files.raw import DNGColour, RawFacts, read_facts
from velkin.core.files.safely import is_text_name
from velkin.core.handoff.destination import Destination, web_srgb
from velkin.core.path import ColourPath, built_in_stage, profile_stage
from velkin.core.shoot.store import Store
from velkin.core.spaces.rgb import BUILT_IN, ROMM, RGBSpace

ROLES = ("subject", "chart", "neutral")


@dataclass(frozen=True)
class Frame:
    """One picture in a shoot."""

    id: int
    light: int
    name: str
    path: Path
    digest: str
    role: str
    facts: RawFacts
    balance: tuple[float, ...] | None
    balance_from: str
    exposure: float
    profile: int | None


@dataclass(frozen=True)
class Light:
    """One camera + lens + lighting set-up, with the ids of its frames in order."""

    id: int
    name: str
    profile: int | None
    frames: tuple[int, ...]


@dataclass(frozen=True)
class WrittenFile:
    """A file that was handed off, and what its check found."""

    frame: int
    destination: str
    path: Path
    at: str
    ok: bool
    finding: str
    state: str


@dataclass(frozen=True)
class State:
    """Everything in a shoot at one moment."""

    name: str
    working: RGBSpace
    lights: tuple[Light, ...]
    frames: dict[int, Frame]
    profiles: dict[int, CameraProfile]
    readings: dict[int, JudgedReading]
    destinations: tuple[Destination, ...]

    def order(self) -> list[int]:
        """Frame ids as shown: light by light."""
        return [f for light in self.lights for f in light.frames]

    def light_of(self, frame: int) -> Light:
        """The light a frame is under."""
        wanted = self.frames[frame].light
        return next(light for light in self.lights if light.id == wanted)

    def ticked(self) -> tuple[Destination, ...]:
        """The destinations that the next hand-off writes."""
        return tuple(d for d in self.destinations if d.ticked)

    def proof_destination(self) -> Destination:
        """The destination that Proof shows: the first ticked one, else the first."""
        ticked = self.ticked()
        return ticked[0] if ticked else self.destinations[0]

    def path(self, frame: int) -> ColourPath:
        """The colour path of a frame as it is now."""
        f = self.frames[frame]
        if f.profile is not None:
            camera = profile_stage(self.profiles[f.profile], None if f.balance is None else np.array(f.balance), f.balance_from)
        else:
            camera = built_in_stage(f.facts, None if f.balance is None else np.array(f.balance), f.balance_from)
        return ColourPath(camera, f.exposure, self.working, self.proof_destination().space)

    def before(self, frame: int) -> ColourPath:
        """The path of the camera's own rendering: built-in profile, as shot, same exposure."""
        f = self.frames[frame]
        return ColourPath(built_in_stage(f.facts), f.exposure, self.working, self.proof_destination().space)

    def fingerprint(self, frame: int, destination: Destination) -> str:
        """What a written file depends on, as a short hash: tells whether a frame was changed since it was written."""
        f = self.frames[frame]
        settings = replace(destination, ticked=True, name="", folder="", pattern="")
        text = repr((replace(self.path(frame), destination=destination.space), f.digest, settings))
        return hashlib.sha256(text.encode()).hexdigest()[:16]


def _facts_to_json(facts: RawFacts) -> str:
    data: dict[str, Any] = {
        k: getattr(facts, k) for k in ("width", "height", "orientation", "bits", "make", "model", "unique", "is_dng")
    }
    data["as_shot"] = facts.as_shot.tolist()
    data["colour"] = None
    if facts.colour is not None:
        data["colour"] = {
            "matrices": [m.tolist() for m in facts.colour.matrices],
            "illuminants": list(facts.colour.illuminants),
        }
    exif = facts.exif
    data["exif"] = {k: getattr(exif, k) for k in ("lens", "software", "shutter", "aperture", "iso")}
    data["taken"] = exif.taken.isoformat() if exif.taken else None
    return json.dumps(data)


def _facts_from_json(text: str, path: Path) -> RawFacts:
    data = json.loads(text)
    colour = data["colour"]
    return RawFacts(
        path=path,
        width=data["width"],
        height=data["height"],
        orientation=data["orientation"],
        bits=data["bits"],
        make=data["make"],
        model=data["model"],
        unique=data["unique"],
        as_shot=np.array(data["as_shot"]),
        colour=None
        if colour is None
        else DNGColour(tuple(np.array(m) for m in colour["matrices"]), tuple(colour["illuminants"])),
        exif=ExifFacts(
            make=data["make"],
            model=data["model"],
            taken=datetime.fromisoformat(data["taken"]) if data["taken"] else None,
            **data["exif"],
        ),
        is_dng=data["is_dng"],
    )


def _reading_to_json(kept: JudgedReading) -> str:
    judgements = [{**asdict(j), "verdict": j.verdict.name} for j in kept.judgements]
    return json.dumps({"reading": asdict(kept.reading), "judgements": judgements})


def _reading_from_json(text: str) -> JudgedReading:
    data = json.loads(text)
    r = data["reading"]
    patches = tuple(
        PatchReading(p["id"], (p["rgb"][0], p["rgb"][1], p["rgb"][2]), p["spread"], p["clipped"], p["buried"])
        for p in r["patches"]
    )
    reading = Reading(r["chart"], tuple((x, y) for x, y in r["corners"]), patches, r["sample"], r["patch_pixels"])
    judgements = tuple(
        Judgement(j["about"], j["finding"], Verdict[j["verdict"]], tuple(j["patches"]), j["advice"]) for j in data["judgements"]
    )
    return JudgedReading(reading, judgements)


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


@dataclass(frozen=True)
class Arrival:
    """A source file looked at and ready to become a frame."""

    facts: RawFacts
    digest: str


def look_at(path: Path) -> Arrival:
    """Facts and hash of an arriving raw file.

    Raises
    ------
    UnreadableFile
    """
    if not is_text_name(path):
        raise UnreadableFile("its name or folder is not valid text (UTF-8), which a shoot cannot keep; rename it", path)
    return Arrival(read_facts(path), digest_of(path))


class Shoot:
    """An open shoot and its commands. Each command is one undoable step; nothing else changes a shoot."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._state: State | None = None

    @classmethod
    def create(cls, path: Path, name: str) -> Shoot:
        """A new shoot with the starting destinations. Raises OutputRefused, ShootError."""
        shoot = cls(Store.create(path))
        with shoot._store.plain():
            shoot._store.run("INSERT INTO facts VALUES ('name', ?), ('working', ?)", name, ROMM.id)
            web = web_srgb()
            shoot._store.run("INSERT INTO destinations VALUES (?, 0, ?)", web.id, json.dumps(asdict(web)))
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
        frames: dict[int, Frame] = {}
        of_light: dict[int, list[int]] = {}
        for r in rows("SELECT * FROM frames ORDER BY light, position, id"):
            path = Path(r["path"])
            balance = None if r["balance"] is None else tuple(json.loads(r["balance"]))
            frames[r["id"]] = Frame(
                r["id"], r["light"], r["name"], path, r["digest"], r["role"], _facts_from_json(r["facts"], path),
                balance, r["balance_from"], r["exposure"], r["profile"],
            )  # fmt: skip
            of_light.setdefault(r["light"], []).append(r["id"])
        lights = tuple(
            Light(r["id"], r["name"], r["profile"], tuple(of_light.get(r["id"], ())))
            for r in rows("SELECT * FROM lights ORDER BY position, id")
        )
        return State(
            name=facts["name"],
            working=BUILT_IN[facts["working"]],
            lights=lights,
            frames=frames,
            profiles={r["id"]: profile_from_json(r["json"]) for r in rows("SELECT id, json FROM profiles")},
            readings={r["frame"]: _reading_from_json(r["json"]) for r in rows("SELECT * FROM readings")},
            destinations=tuple(
                Destination(**json.loads(r["json"])) for r in rows("SELECT json FROM destinations ORDER BY position, id")
            ),
        )

    def written(self, frame: int | None = None) -> list[WrittenFile]:
        """Files handed off, oldest first; of one frame or of all."""
        where = "" if frame is None else f" WHERE frame = {int(frame)}"
        return [
            WrittenFile(r["frame"], r["destination"], Path(r["path"]), r["at"], bool(r["ok"]), r["finding"], r["state"])
            for r in self._store.rows(f"SELECT * FROM written{where} ORDER BY id")
        ]

    def folder_of(self, destination: Destination) -> Path:
        """A destination's folder; a relative one lies next to the shoot file."""
        return (self.path.parent / Path(destination.folder).expanduser()).absolute()

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
        groups = [(light_name, fresh)] if light_name is not None else propose_lights(fresh)
        ids = []
        with self._step(f"add {_count(len(fresh), 'frame')}"):
            for name, members in groups:
                light = next((k.id for k in self.state.lights if k.name == name), None)
                if light is None:
                    light = self._store.run(
                        "INSERT INTO lights(position, name) VALUES ((SELECT coalesce(max(position), 0) + 1 FROM lights), ?)",
                        name,
                    )
                for a in members:
                    ids.append(
                        self._store.run(
                            "INSERT INTO frames(light, position, name, path, digest, facts)"
                            " VALUES (?1, (SELECT coalesce(max(position), 0) + 1 FROM frames WHERE light = ?1), ?2, ?3, ?4, ?5)",
                            light,
                            a.facts.path.stem,
                            str(a.facts.path.absolute()),
                            a.digest,
                            _facts_to_json(a.facts),
                        )
                    )
        return ids

    def remove_frames(self, frames: Iterable[int]) -> None:
        """Take frames out of the shoot; their files are not touched. A light left empty goes too."""
        chosen = list(frames)
        with self._step(f"remove {_count(len(chosen), 'frame')} from the shoot"):
            for frame in chosen:
                self._store.run("DELETE FROM readings WHERE frame = ?", frame)
                self._store.run("DELETE FROM frames WHERE id = ?", frame)
            self._store.run("DELETE FROM lights WHERE id NOT IN (SELECT light FROM frames)")

    def move_to_light(self, frames: Iterable[int], light: int | None, name: str = "New light") -> None:
        """Put frames under another light; None makes a new one. A light left empty goes."""
        chosen = list(frames)
        with self._step(f"move {_count(len(chosen), 'frame')} to another light"):
            if light is None:
                light = self._store.run(
                    "INSERT INTO lights(position, name) VALUES ((SELECT coalesce(max(position), 0) + 1 FROM lights), ?)",
                    name,
                )
            for frame in chosen:
                self._store.run(
                    "UPDATE frames SET light = ?1, position = (SELECT coalesce(max(position), 0) + 1 FROM frames WHERE light = ?1) WHERE id = ?2",
                    light,
                    frame,
                )
            self._store.run("DELETE FROM lights WHERE id NOT IN (SELECT light FROM frames)")

    def rename_light(self, light: int, name: str) -> None:
        """Give a light another name."""
        with self._step(f"rename a light to {name}"):
            self._store.run("UPDATE lights SET name = ? WHERE id = ?", name, light)

    def set_role(self, frames: Iterable[int], role: str) -> None:
        """Mark frames as chart, neutral or subject."""
        if role not in ROLES:
            raise ValueError(role)
        chosen = list(frames)
        with self._step(f"mark {_count(len(chosen), 'frame')} as {role}"):
            for frame in chosen:
                self._store.run("UPDATE frames SET role = ? WHERE id = ? AND role <> ?", role, frame, role)

    def keep_reading(self, frame: int, kept: JudgedReading) -> None:
        """Keep a chart reading of a frame, which makes it a chart frame."""
        with self._step(f"read the chart in {self.state.frames[frame].name}"):
            self._store.run("INSERT OR REPLACE INTO readings VALUES (?, ?)", frame, _reading_to_json(kept))
            self._store.run("UPDATE frames SET role = 'chart' WHERE id = ? AND role <> 'chart'", frame)

    def add_profile(self, profile: CameraProfile, give_to: Iterable[int], light: int | None = None) -> int:
        """Add a fitted profile and give it with its balance to frames, in one step; it becomes the light's profile too."""
        chosen = list(give_to)
        with self._step(f"fit {profile.name}" + (f" and give it to {_count(len(chosen), 'frame')}" if len(chosen) > 1 else "")):
            identifier = self._store.run(
                "INSERT INTO profiles(name, camera, json) VALUES (?, ?, ?)",
                profile.name,
                profile.camera,
                profile.to_json(),
            )
            self._give(identifier, chosen, light)
        return identifier

    def give_profile(self, profile: int, frames: Iterable[int], light: int | None = None) -> None:
        """Give a profile and the balance of its chart frame to frames; their exposure stays."""
        chosen = list(frames)
        with self._step(f"give {self.state.profiles[profile].name} to {_count(len(chosen), 'frame')}"):
            self._give(profile, chosen, light)

    def _give(self, profile: int, frames: list[int], light: int | None) -> None:
        if light is not None:
            self._store.run("UPDATE lights SET profile = ? WHERE id = ?", profile, light)
        for frame in frames:
            self._store.run(
                "UPDATE frames SET profile = ?, balance = NULL, balance_from = 'chart' WHERE id = ?", profile, frame
            )

    def use_built_in(self, frames: Iterable[int]) -> None:
        """Return frames to the camera's built-in profile and as-shot balance."""
        chosen = list(frames)
        with self._step(f"return {_count(len(chosen), 'frame')} to the built-in profile"):
            for frame in chosen:
                self._store.run(
                    "UPDATE frames SET profile = NULL, balance = NULL, balance_from = 'as shot' WHERE id = ?", frame
                )

    def set_balance(self, frames: Iterable[int], balance: tuple[float, ...] | None, source: str) -> None:
        """Set a white balance (multipliers, green 1) on frames; None is the profile's or the camera's own."""
        chosen = list(frames)
        text = None if balance is None else json.dumps([float(v) for v in balance])
        with self._step(f"white balance of {_count(len(chosen), 'frame')}: {source}"):
            for frame in chosen:
                self._store.run("UPDATE frames SET balance = ?, balance_from = ? WHERE id = ?", text, source, frame)

    def set_exposure(self, frames: Iterable[int], ev: float) -> None:
        """Set the exposure of frames, in EV."""
        chosen = list(frames)
        with self._step(f"exposure {ev:+.2f} EV on {_count(len(chosen), 'frame')}"):
            for frame in chosen:
                self._store.run("UPDATE frames SET exposure = ? WHERE id = ?", float(ev), frame)

    def set_working(self, space: RGBSpace) -> None:
        """Choose the shoot's working space."""
        with self._step(f"work in {space.name}"):
            self._store.run("UPDATE facts SET value = ? WHERE key = 'working' AND value <> ?", space.id, space.id)

    def set_destination(self, destination: Destination) -> None:
        """Change a destination. Raises NotSupported for values that cannot be written."""
        destination.check()
        text = json.dumps(asdict(destination))
        with self._step(f"change the destination {destination.name}"):
            self._store.run("UPDATE destinations SET json = ? WHERE id = ? AND json <> ?", text, destination.id, text)

    def record_written(self, file: WrittenFile) -> None:
        """Remember a file that was handed off; a fact about the disk, which undo does not take back."""
        with self._store.plain():
            self._store.run(
                "INSERT INTO written(frame, destination, path, at, ok, finding, state) VALUES (?, ?, ?, ?, ?, ?, ?)",
                file.frame, file.destination, str(file.path), file.at, int(file.ok), file.finding, file.state,
            )  # fmt: skip

    def relocate(self, frame: int, path: Path) -> None:
        """Say where a missing source lies now; refused when its bytes are not the frame's. Raises ShootError, UnreadableFile."""
        if digest_of(path) != self.state.frames[frame].digest:
            raise ShootError(f"this is not the file that {self.state.frames[frame].name} was made from", path)
        with self._step(f"find {self.state.frames[frame].name} again"):
            self._store.run("UPDATE frames SET path = ? WHERE id = ?", str(path.absolute()), frame)

    @contextmanager
    def _step(self, label: str) -> Iterator[None]:
        try:
            with self._store.step(label):
                yield
        finally:
            self._state = None


def _count(number: int, thing: str) -> str:
    return f"{number} {thing}" if number == 1 else f"{number} {thing}s"


def propose_lights(arrivals: list[Arrival]) -> list[tuple[str, list[Arrival]]]:
    """Group arrivals (in shooting order) into lights: a new one with another camera, lens, balance, or after 45 minutes."""
    groups: list[list[Arrival]] = []
    for arrival in arrivals:
        if not groups or _differs(groups[-1][-1].facts, arrival.facts):
            groups.append([])
        groups[-1].append(arrival)
    names: dict[str, int] = {}
    result = []
    for group in groups:
        first = group[0].facts
        kelvin, _ = built_in(first).temperature(first.as_shot)
        name = f"{first.model or 'Camera'}, {round(kelvin, -2):.0f} K"
        names[name] = names.get(name, 0) + 1
        result.append((name if names[name] == 1 else f"{name}, {names[name]}", group))
    return result


def _differs(a: RawFacts, b: RawFacts) -> bool:
    if (a.unique, a.exif.lens) != (b.unique, b.exif.lens):
        return True
    if a.exif.taken and b.exif.taken and (b.exif.taken - a.exif.taken).total_seconds() > 45 * 60:
        return True
    ratio = np.log2(a.as_shot[[0, 2]] / b.as_shot[[0, 2]])
    return bool(np.abs(ratio).max() > 0.35)
