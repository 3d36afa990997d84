"""Frames come in and go out, and are kept in lights; each command is one undoable step."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from datetime import datetime
from itertools import groupby
from pathlib import Path

from velkin.core.errors import ShootError
from velkin.core.files.camera_names import is_shot_with
from velkin.core.files.digest import digest_of
from velkin.core.files.raw import RawFacts
from velkin.core.shoot.arrivals import Arrival, Recognised
from velkin.core.shoot.document import Document, count_words
from velkin.core.shoot.frame import Role
from velkin.core.shoot.light import Given, Light
from velkin.core.shoot.lights import check_pattern, light_name, propose_lights, under_one_light
from velkin.core.shoot.records import balance_to_json, facts_to_json, ledger_to_json, picture_to_json, reading_to_json
from velkin.core.tags.facts import PictureFacts

#: A part of frames that come in is at least one in so many of those that are there.
_SHARE = 20


class FrameCommands:
    """The part of a shoot about which frames there are, under which light, and as what."""

    def __init__(self, document: Document) -> None:
        self._document = document

    # ---- coming and going -------------------------------------------------------------------------------------

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
        return [frame for part in self.add_in_parts(arrivals, len(arrivals), light_name) for frame in part]

    def add_in_parts(self, arrivals: list[Arrival], least: int, light_name: str | None = None) -> Iterator[list[int]]:
        """As `add_frames`, some frames at a time: what comes between may see to other things. Together they are one step, unless another
        came between.

        A part is of `least` frames, and larger where there are many already: whoever follows the shoot looks at all of them after each.
        """
        known = self._digests()
        fresh: list[Arrival] = []
        for arrival in arrivals:
            if arrival.digest not in known:
                known.add(arrival.digest)
                fresh.append(arrival)
        fresh.sort(key=lambda a: (a.facts.exif.taken or datetime.max, a.facts.path.name))
        groups = propose_lights(fresh) if light_name is None else [fresh]
        coming = [(number, arrival) for number, members in enumerate(groups) for arrival in members]
        homes: dict[int, int] = {}
        first = 0
        while first < len(coming):
            known = self._digests()
            size = max(least, len(known) // _SHARE)
            part = [(number, arrival) for number, arrival in coming[first : first + size] if arrival.digest not in known]
            ids: list[int] = []
            with self._document.step(f"add {count_words(len(coming), 'frame')}", joins=first > 0):
                for number, members in groupby(part, key=lambda p: p[0]):
                    ids += self._take_home([arrival for _, arrival in members], number, homes, light_name)
            yield ids
            first += size

    def _digests(self) -> set[str]:
        return {f.digest for f in self._document.state.frames.values()}

    def _take_home(self, members: list[Arrival], group: int, homes: dict[int, int], light_name: str | None) -> list[int]:
        """Put arrivals of a group under the light that is its home, which is found, or made, when its first come."""
        lights = self._document.state.lights
        if group in homes:
            light = next((k for k in lights if k.id == homes[group]), None)
        elif light_name is not None:
            light = next((k for k in lights if k.name == light_name), None)
        else:
            light = self._light_for(members[0])
        name = light_name or self._name_for(members[0].facts)
        homes[group] = light.id if light is not None else self._new_light(_free_name(name, {k.name for k in lights}))
        return self._place(members, homes[group], light)

    def _light_for(self, arrival: Arrival) -> Light | None:
        """The light that an arrival seems to be under already."""
        state = self._document.state
        for light in reversed(state.lights):
            if any(under_one_light(state.frames[f].facts, arrival.facts) for f in light.frames):
                return light
        return None

    def _name_for(self, facts: RawFacts | PictureFacts) -> str:
        return light_name(self._document.state.light_pattern, facts)

    def _place(self, members: list[Arrival], light_id: int, light: Light | None) -> list[int]:
        """Put arrivals under a light, with what it gives to newcomers where it was there before."""
        first = self._document.store.rows("SELECT coalesce(max(position), 0) AS last FROM frames WHERE light = ?", light_id)[0][
            "last"
        ]
        ids = []
        look = self._look_of_all(light)
        for number, arrival in enumerate(members, start=1):
            given = self._given_by(light, arrival.facts)
            if isinstance(arrival.facts, PictureFacts):
                ids.append(self._place_picture(arrival, arrival.facts, light_id, first + number))
                continue
            ids.append(
                self._document.store.run(
                    "INSERT INTO frames(light, position, name, path, digest, facts, profile, balance, balance_from, exposure, warmer, pinker)"
                    " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                    light_id,
                    first + number,
                    arrival.facts.path.stem,
                    str(arrival.facts.path.absolute()),
                    arrival.digest,
                    facts_to_json(arrival.facts),
                    given.profile,
                    balance_to_json(given.balance),
                    given.balance_from,
                    given.exposure or 0.0,
                    given.lean.warmer,
                    given.lean.pinker,
                )
            )
            if look is not None:
                self._document.store.run("INSERT INTO given_looks(frame, look, strength) VALUES (?, ?, ?)", ids[-1], *look)
        return ids

    def _look_of_all(self, light: Light | None) -> tuple[int, float] | None:
        """The look, and its strength, that all raw frames of a light have, so that newcomers have it too."""
        state = self._document.state
        raw = [] if light is None else [f for f in light.frames if state.frames[f].is_raw]
        found = {state.given_looks.get(f) for f in raw}
        return found.pop() if len(found) == 1 else None

    def _place_picture(self, arrival: Arrival, facts: PictureFacts, light: int, position: float) -> int:
        """A finished picture's frame, with what the intake rules make of it."""
        made = self._document.ruled(arrival, facts)
        return self._document.store.run(
            "INSERT INTO frames(light, position, name, path, digest, facts, kind, held, ledger)"
            " VALUES (?, ?, ?, ?, ?, ?, 'picture', ?, ?)",
            light,
            position,
            facts.path.stem,
            str(facts.path.absolute()),
            arrival.digest,
            picture_to_json(facts),
            made.case if made.held else "",
            ledger_to_json(made.entries),
        )

    def _given_by(self, light: Light | None, facts: RawFacts | PictureFacts) -> Given:
        """What a newcomer under a light starts with: the light's given where it suits the camera, else nothing."""
        nothing = Given(None, None, "as shot")
        if light is None or light.given is None or not isinstance(facts, RawFacts):
            return nothing
        profile = light.given.profile
        camera = "" if profile is None else self._document.state.profiles[profile].camera
        if camera and not is_shot_with(facts, camera):
            return nothing
        return light.given

    def _new_light(self, name: str) -> int:
        return self._document.store.run(
            "INSERT INTO lights(position, name) VALUES ((SELECT coalesce(max(position), 0) + 1 FROM lights), ?)", name
        )

    def remove_frames(self, frames: Iterable[int]) -> None:
        """Take frames out of the shoot; their files are not touched. A light left empty goes too."""
        chosen = list(frames)
        with self._document.step(f"remove {count_words(len(chosen), 'frame')} from the shoot"):
            for frame in chosen:
                self._document.store.run("DELETE FROM readings WHERE frame = ?", frame)
                self._document.store.run("DELETE FROM frames WHERE id = ?", frame)
            self._document.store.run("DELETE FROM lights WHERE id NOT IN (SELECT light FROM frames)")

    def relocate(self, frame: int, path: Path) -> None:
        """Say where a missing source lies now; refused when its bytes are not the frame's. Raises ShootError, UnreadableFile."""
        if digest_of(path) != self._document.state.frames[frame].digest:
            raise ShootError(f"this is not the file that {self._document.state.frames[frame].name} was made from", path)
        with self._document.step(f"find {self._document.state.frames[frame].name} again"):
            self._document.store.run("UPDATE frames SET path = ? WHERE id = ?", str(path.absolute()), frame)

    def relocate_all(self, found: Mapping[int, Path]) -> None:
        """Say where several missing sources lie now, in one step; their bytes were compared already, by `missing_in`."""
        if found:
            with self._document.step(f"find {count_words(len(found), 'source')} again"):
                for frame, path in found.items():
                    self._document.store.run("UPDATE frames SET path = ? WHERE id = ?", str(path.absolute()), frame)

    # ---- lights -----------------------------------------------------------------------------------------------

    def move_to_light(self, frames: Iterable[int], light: int | None, name: str = "") -> None:
        """Put frames under another light; None makes a new one, right after theirs. A light left empty goes."""
        chosen = list(frames)
        if not chosen:
            return
        with self._document.step(f"move {count_words(len(chosen), 'frame')} to another light"):
            if light is None:
                light = self._split_off(chosen[0], name)
            for frame in chosen:
                self._document.store.run(
                    "UPDATE frames SET light = ?1, position = (SELECT coalesce(max(position), 0) + 1 FROM frames WHERE light = ?1) WHERE id = ?2",
                    light,
                    frame,
                )
            self._document.store.run("DELETE FROM lights WHERE id NOT IN (SELECT light FROM frames)")

    def split_light(self, frame: int) -> None:
        """Begin a new light with a frame: it and the frames after it in its light move there."""
        members = self._document.state.light_of(frame).frames
        after = members[members.index(frame) :]
        if len(after) == len(members):
            return
        with self._document.step(f"begin a new light with {self._document.state.frames[frame].name}"):
            light = self._split_off(frame, "")
            for position, member in enumerate(after, start=1):
                self._document.store.run("UPDATE frames SET light = ?, position = ? WHERE id = ?", light, position, member)

    def _split_off(self, frame: int, name: str) -> int:
        """A new light after the frame's own; named like it, with a number."""
        old = self._document.state.light_of(frame)
        name = name or _free_name(old.name, {k.name for k in self._document.state.lights})
        spots = [r["position"] for r in self._document.store.rows("SELECT position FROM lights ORDER BY position")]
        here = self._document.store.rows("SELECT position FROM lights WHERE id = ?", old.id)[0]["position"]
        following = [p for p in spots if p > here]
        light = self._new_light(name)
        if following:
            self._document.store.run("UPDATE lights SET position = ? WHERE id = ?", (here + following[0]) / 2, light)
        return light

    def merge_lights(self, lights: Iterable[int]) -> None:
        """Make one light of several: their frames join the first, in shooting order."""
        chosen = [k for k in self._document.state.lights if k.id in set(lights)]
        if len(chosen) < 2:
            return
        first = chosen[0]
        members = [self._document.state.frames[f] for k in chosen for f in k.frames]
        members.sort(key=lambda f: (f.facts.exif.taken or datetime.max, f.id))
        with self._document.step(f"merge {len(chosen)} lights into {first.name}"):
            for position, frame in enumerate(members, start=1):
                self._document.store.run("UPDATE frames SET light = ?, position = ? WHERE id = ?", first.id, position, frame.id)
            self._document.store.run("DELETE FROM lights WHERE id NOT IN (SELECT light FROM frames)")

    def rename_light(self, light: int, name: str) -> None:
        """Give a light another name."""
        with self._document.step(f"rename a light to {name}"):
            self._document.store.run("UPDATE lights SET name = ? WHERE id = ?", name, light)

    def name_lights(self, pattern: str, words: dict[int, str]) -> None:
        """Name lights by a pattern, which new ones follow too; `words` are the photographer's words for the lighting.

        Raises
        ------
        NotSupported
            For a pattern with unknown fields.
        """
        check_pattern(pattern)
        state = self._document.state
        with self._document.step(f"name lights as {pattern}"):
            self._document.store.run("INSERT OR REPLACE INTO facts VALUES ('light_pattern', ?)", pattern)
            taken: set[str] = set()
            for light in state.lights:
                if not light.frames:
                    continue
                name = light_name(pattern, state.frames[light.frames[0]].facts, words.get(light.id, ""))
                self._document.store.run("UPDATE lights SET name = ? WHERE id = ?", _free_name(name, taken), light.id)

    # ---- roles ------------------------------------------------------------------------------------------------

    def set_role(self, frames: Iterable[int], role: Role) -> None:
        """Mark frames as chart, neutral or subject; a frame that is no flat frame any more evens none."""
        chosen = list(frames)
        with self._document.step(f"mark {count_words(len(chosen), 'frame')} as {role}"):
            for frame in chosen:
                self._document.store.run("UPDATE frames SET role = ? WHERE id = ? AND role <> ?", role, frame, role)
                if role is not Role.FLAT:
                    self._document.store.run("DELETE FROM fields WHERE frame = ?", frame)

    def mark_recognised(self, recognised: dict[int, Recognised]) -> None:
        """Mark the chart and neutral frames that were recognised, keeping the readings; frames marked otherwise stay so."""
        frames = self._document.state.frames
        chosen = {
            f: s for f, s in recognised.items() if f in frames and frames[f].role is Role.SUBJECT and s.role is not Role.SUBJECT
        }
        if not chosen:
            return
        charts = sum(s.role is Role.CHART for s in chosen.values())
        parts = [count_words(n, f"{kind} frame") for n, kind in ((charts, "chart"), (len(chosen) - charts, "neutral")) if n]
        with self._document.step("mark " + " and ".join(parts)):
            for frame, s in chosen.items():
                self._document.store.run(
                    "UPDATE frames SET role = ?, neutral = ? WHERE id = ?", s.role, balance_to_json(s.neutral), frame
                )
                if s.reading is not None:
                    self._document.store.run("INSERT OR REPLACE INTO readings VALUES (?, ?)", frame, reading_to_json(s.reading))


def _free_name(name: str, taken: set[str]) -> str:
    """A name that is not taken, by a number after it; it is taken then."""
    chosen, number = name, 2
    while chosen in taken:
        chosen, number = f"{name}, {number}", number + 1
    taken.add(chosen)
    return chosen
