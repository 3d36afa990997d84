"""Everything in a shoot at one moment: frames, lights, profiles, readings, charts, destinations; and what follows from them."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from velkin.core.cameraprofiles.anyprofile import AnyProfile, calibrated_for
from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.leaning import leaned
from velkin.core.cameraprofiles.matrices import ColourMatrices, built_in
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.charts.definition import Chart
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.destinations.destination import NUMBER, Destination, ProofGoal
from velkin.core.fields import evened_reading
from velkin.core.gamut.easing import Easing
from velkin.core.gamut.easing import Place as Painted
from velkin.core.icc.space import Space, built_in_space, shown_for_now
from velkin.core.icc.transform import Intent
from velkin.core.looks.kept import KeptLook
from velkin.core.path import ColourPath, path_of
from velkin.core.shoot.even_fields import KeptField, does_not_suit, flat_of
from velkin.core.shoot.frame import Frame, Role
from velkin.core.shoot.light import Light
from velkin.core.shoot.moving import IN_TIME, Anchor, Drift, anchors_of, drift_of, moment, stage_in_time, white_at
from velkin.core.spaces.rgb import SRGB, RGBSpace
from velkin.core.stages.camera import CameraStage, built_in_stage, profile_stage
from velkin.core.stages.even_field import EvenField
from velkin.core.stages.given_look import GivenLook
from velkin.core.stages.source import PictureSource
from velkin.core.stages.stage import Place
from velkin.core.stages.steps import steps_of
from velkin.core.tags.ledger import Entry
from velkin.core.tags.rules import IntakeRules

#: What fingerprints begin with; another beginning whenever they are taken of other things.
_FINGERPRINT = "2-"


@dataclass(frozen=True)
class State:
    """Everything in a shoot at one moment."""

    name: str
    working: RGBSpace
    lights: tuple[Light, ...]
    frames: dict[int, Frame]
    profiles: dict[int, AnyProfile]
    readings: dict[int, JudgedReading]
    destinations: tuple[Destination, ...]
    charts: dict[str, Chart]
    light_pattern: str
    spaces: dict[str, Space] = field(default_factory=dict)
    rules: IntakeRules = field(default_factory=IntakeRules)
    goal: ProofGoal = field(default_factory=ProofGoal)
    easings: dict[int, tuple[Easing, ...]] = field(default_factory=dict)
    looks: dict[int, KeptLook] = field(default_factory=dict)
    #: The look of a frame, and its strength.
    given_looks: dict[int, tuple[int, float]] = field(default_factory=dict)
    #: Where it acts, of frames on which it is brushed.
    look_places: dict[int, Painted] = field(default_factory=dict)
    #: What flat frames showed.
    fields: dict[int, KeptField] = field(default_factory=dict)
    #: Frames on which the white of a light was measured, by light, as they were asked for.
    _anchors: dict[int, tuple[Anchor, ...]] = field(default_factory=dict, init=False, repr=False, compare=False)
    _evened: dict[int, JudgedReading | None] = field(default_factory=dict, init=False, repr=False, compare=False)
    _flats: dict[int, Frame | None] = field(default_factory=dict, init=False, repr=False, compare=False)
    #: Paths that were asked for; a state never changes, and one of other values begins without any.
    _paths: dict[int, ColourPath] = field(default_factory=dict, init=False, repr=False, compare=False)
    #: Fingerprints that were asked for, by destination and frame.
    _prints: dict[str, dict[int, str]] = field(default_factory=dict, init=False, repr=False, compare=False)

    def take_paths_from(self, old: State) -> None:
        """Take over the paths that were asked of an older state and are the same now, with their fingerprints: of frames that did not
        change, where nothing that concerns all paths did."""
        common = ("working", "profiles", "destinations", "spaces", "goal", "looks", "fields")
        if all(getattr(self, part) is getattr(old, part) for part in common):
            changed = self._rows_other_than(old)
            for frame, path in old._paths.items():
                if frame not in changed and self._same_light(old, self.frames[frame]):
                    self._paths[frame] = path
            for destination, prints in old._prints.items():
                self._prints[destination] = {f: text for f, text in prints.items() if f in self._paths}

    def _rows_other_than(self, old: State) -> set[int]:
        """Frames of which something is kept that is not what it was, or that are only in one of the two; tables are mostly shared."""
        parts = ("frames", "easings", "given_looks", "look_places")
        tables = [(getattr(self, part), getattr(old, part)) for part in parts]
        return {f for now, then in tables if now is not then for f in now.keys() | then.keys() if now.get(f) is not then.get(f)}

    def _same_light(self, old: State, frame: Frame) -> bool:
        """Whether what other frames of its light give a frame is what it was: the whites that it follows, and the field that evens it."""
        if frame.balance_from == IN_TIME and self.anchors(frame.light) != old.anchors(frame.light):
            return False
        return not self.fields or self.flat(frame.light) is old.flat(frame.light)

    def anchors(self, light: int) -> tuple[Anchor, ...]:
        """The frames of a light on which its white was measured, in order of time."""
        if light not in self._anchors:
            members = (self.frames[f] for f in self.light(light).frames)
            self._anchors[light] = anchors_of(members, self.reading, self.profiles)
        return self._anchors[light]

    def flat(self, light: int) -> Frame | None:
        """The flat frame that stands for a light."""
        if light not in self._flats:
            self._flats[light] = flat_of((self.frames[f] for f in self.light(light).frames), self.fields)
        return self._flats[light]

    def field_of(self, frame: int) -> EvenField | None:
        """What evens a raw frame: the field of its light's flat frame, where that suits it or is to be used all the same."""
        f = self.frames[frame]
        flat = self.flat(f.light) if self.fields and f.is_raw else None
        if flat is None:
            return None
        kept = self.fields[flat.id]
        if not kept.strength or (does_not_suit(f.facts, flat.facts) and not kept.others_too):
            return None
        return EvenField(kept.field, kept.strength, flat.name)

    def evened(self, frame: int, kept: JudgedReading) -> JudgedReading:
        """A reading of a frame's chart as balance and fit use it: evened as the frame's picture is."""
        even = self.field_of(frame)
        if even is None:
            return kept
        facts = self.frames[frame].facts
        return evened_reading(kept, even.field, (facts.width, facts.height), even.strength)

    def reading(self, frame: int) -> JudgedReading | None:
        """The kept reading of a frame's chart as balance and fit use it; None without one."""
        if frame not in self._evened:
            kept = self.readings.get(frame)
            self._evened[frame] = None if kept is None else self.evened(frame, kept)
        return self._evened[frame]

    def drift(self, light: int) -> Drift | None:
        """How far a light moved between the frames on which its white was measured; None for fewer than two."""
        return drift_of(self.anchors(light), (self.frames[f] for f in self.light(light).frames))

    def order(self) -> list[int]:
        """Frame ids as shown: light by light."""
        return [f for light in self.lights for f in light.frames]

    def light(self, identifier: int) -> Light:
        """A light by its id."""
        return next(light for light in self.lights if light.id == identifier)

    def light_of(self, frame: int) -> Light:
        """The light a frame is under."""
        return self.light(self.frames[frame].light)

    def ticked(self) -> tuple[Destination, ...]:
        """The destinations that the next hand-off writes."""
        return tuple(d for d in self.destinations if d.ticked)

    def proof_destination(self) -> Destination:
        """The destination that Proof shows: the first ticked one, else the first."""
        ticked = self.ticked()
        return ticked[0] if ticked else self.destinations[0]

    def proof_space(self) -> Space:
        """The space that is proofed for."""
        if self.goal.space:
            return self.space(self.goal.space)
        return self.known_space(self.proof_destination().space_id) or SRGB

    def proof_way(self) -> tuple[Intent, bool]:
        """Intent and black point compensation of the proof: those of the destination that it follows, else its own."""
        if self.goal.space:
            return self.goal.intent, self.goal.black_point
        d = self.proof_destination()
        return d.intent, d.black_point

    def proof_name(self) -> str:
        """What is proofed for, in words: the destination's name where it is one, else the space's."""
        return self.proof_space().name if self.goal.space else self.proof_destination().name

    def easings_of(self, frame: int) -> tuple[Easing, ...]:
        """The easings of a frame in order, whatever destination they are for."""
        return self.easings.get(frame, ())

    def look_of(self, frame: int) -> GivenLook | None:
        """The look that a frame is given, as a stage."""
        given = self.given_looks.get(frame)
        return None if given is None else GivenLook(self.looks[given[0]], given[1], self.look_places.get(frame))

    def toward(
        self, path: ColourPath, frame: int, goal: Space, *, intent: Intent = Intent.RELATIVE, black_point: bool = True
    ) -> ColourPath:
        """A frame's path led to a destination, with those of its easings that act on the way to it."""
        acting = tuple(e for e in self.easings_of(frame) if e.acts(goal.id))
        return path.led_to(goal, intent, black_point, acting)

    def toward_destination(self, frame: int, d: Destination) -> ColourPath:
        """A frame's path as a destination's files are written. Raises KeyError for a destination whose space is not known."""
        return self.toward(self.path(frame), frame, self.space(d.space_id), intent=d.intent, black_point=d.black_point)

    def known_space(self, identifier: str) -> Space | None:
        """A space by its id, None where the shoot does not have it."""
        return self.spaces.get(identifier) or built_in_space(identifier)

    def space(self, identifier: str) -> Space:
        """A space by its id: built in, or kept in the shoot."""
        found = self.known_space(identifier)
        if found is None:
            raise KeyError(identifier)
        return found

    def subjects(self) -> list[int]:
        """Frames that show neither a chart nor a neutral, in the order shown."""
        return [f for f in self.order() if self.frames[f].role is Role.SUBJECT]

    def held(self) -> list[int]:
        """Frames that wait for a decision, in the order shown."""
        return [f for f in self.order() if self.frames[f].held]

    def like(self, frame: int) -> list[int]:
        """Held frames like a held one: of the same camera, from the same folder, in the same state and colour model."""
        f = self.frames[frame]

        def kind(g: Frame) -> tuple[object, ...]:
            p = g.picture
            return g.waits, p.colour_model, p.unique, p.path.parent, p.tag.state, p.said

        return [g for g in self.held() if kind(self.frames[g]) == kind(f)] if f.held else []

    def matrices_of(self, frame: int) -> ColourMatrices:
        """The matrices by which a frame's temperature and tint are told: its profile's own, else the camera's."""
        f = self.frames[frame]
        return _matrices(None if f.profile is None else self.profiles[f.profile], f)

    def picture_stage(self, frame: int) -> PictureSource:
        """What a finished picture's numbers mean as it came: by its tag, else what they are shown in for now."""
        facts = self.frames[frame].picture
        if facts.tag.state == "tagged" and facts.said:
            return PictureSource(self.space(facts.said), True, facts.page)
        claimed = facts.tag.state == "claimed" and facts.said
        return PictureSource(self.space(facts.said) if claimed else shown_for_now(facts.colour_model), False, facts.page)

    def path_from(
        self,
        start: CameraStage | PictureSource,
        frame: int,
        ledger: tuple[Entry, ...],
        others: Mapping[str, Space] | None = None,
    ) -> ColourPath:
        """The colour path of a frame were its beginning another, or its ledger; to what is proofed for."""
        known = others or {}
        steps = steps_of(ledger, lambda i: known.get(i) or self.space(i))
        goal = self.proof_space()
        path = path_of(start, self.working, goal, exposure=self.frames[frame].exposure, steps=steps)
        even = self.field_of(frame)
        if even is not None:
            path = path.put(Place.FIELD, even)
        look = self.look_of(frame)
        if look is not None:
            path = path.put(Place.LOOK, look)
        intent, black_point = self.proof_way()
        return self.toward(path, frame, goal, intent=intent, black_point=black_point)

    def path(self, frame: int) -> ColourPath:
        """The colour path of a frame as it is now."""
        found = self._paths.get(frame)
        if found is None:
            found = self._paths[frame] = self.path_with(frame, self.frames[frame].ledger)
        return found

    def path_with(
        self,
        frame: int,
        ledger: tuple[Entry, ...],
        others: Mapping[str, Space] | None = None,
        profile: AnyProfile | None = None,
    ) -> ColourPath:
        """The colour path of a frame were its ledger another, or its profile; `others` are spaces that the shoot does not keep (yet)."""
        start = self.camera_of(frame, profile) if self.frames[frame].is_raw else self.picture_stage(frame)
        return self.path_from(start, frame, ledger, others)

    def camera_of(
        self, frame: int, profile: AnyProfile | None = None, leaning: bool = True, balance: np.ndarray | None = None
    ) -> CameraStage:
        """How a raw frame's camera numbers become colours: by its profile, or another, at its balance, warmer or cooler by its steps; or at
        a balance (3,) that is given, without any.
        """
        f = self.frames[frame]
        given = profile if profile is not None else None if f.profile is None else self.profiles[f.profile]

        def at(white: np.ndarray | None, words: str) -> CameraStage:
            if given is None:
                return built_in_stage(f.raw, white, words)
            return profile_stage(given, f.raw, balance=white, balance_from=words)

        if balance is not None:
            return at(balance, "given")
        neutral = self._in_time(f, given, at) if f.balance_from == IN_TIME else None
        if neutral is None:
            neutral = at(None if f.balance is None else np.array(f.balance), f.balance_from)
        if not f.lean or not leaning:
            return neutral
        moved = leaned(np.array(neutral.balance), f.lean, _matrices(given, f))
        return at(moved, f"{neutral.balance_from}, {f.lean.words()}")

    def _in_time(
        self, frame: Frame, given: AnyProfile | None, at: Callable[[np.ndarray | None, str], CameraStage]
    ) -> CameraStage | None:
        """The stage of a frame that follows its light in time; None where that has no measured white."""
        when = moment(self.anchors(frame.light), frame)
        if when is None:
            return at(frame.raw.as_shot, "as shot, its light has no measured white")
        found = stage_in_time(when, frame.raw, given, self.profiles)
        return found or at(white_at(when, built_in(frame.raw)), when.words())

    def fingerprint(self, frame: int, destination: Destination) -> str:
        """What a written file depends on, as a short hash: tells whether a frame was changed since it was written."""
        if not any(destination is d for d in self.destinations):
            return self._fingerprint(frame, destination)
        prints = self._prints.setdefault(destination.id, {})
        if frame not in prints:
            prints[frame] = self._fingerprint(frame, destination)
        return prints[frame]

    def _fingerprint(self, frame: int, destination: Destination) -> str:
        if self.known_space(destination.space_id) is None:
            return ""
        text = f"({self.toward_destination(frame, destination)!r}, {self.frames[frame].digest!r}, {_settings(destination)})"
        return _FINGERPRINT + hashlib.sha256(text.encode()).hexdigest()[:16]

    def changed_since(self, frame: int, notes: Mapping[str, str]) -> bool:
        """Whether a frame was changed since a file of it was written for any destination that is still there.

        `notes` are the fingerprints that were taken then, by destination. Those of another kind, as earlier versions took them, tell nothing.
        """
        here = {d.id: d for d in self.destinations}
        known = ((here[d], note) for d, note in notes.items() if d in here and note.startswith(_FINGERPRINT))
        return any(self.fingerprint(frame, destination) != note for destination, note in known)

    def chart_frame(self, light: int) -> int | None:
        """The frame whose chart stands for a light: one that was read, else one that is marked."""
        members = self.light(light).frames
        charts = [f for f in members if self.frames[f].role is Role.CHART and self.frames[f].is_raw]
        return next((f for f in charts if f in self.readings), next(iter(charts), None))


@lru_cache(maxsize=16)
def _settings(destination: Destination) -> str:
    """What of a destination a written file depends on, beside its path."""
    return repr(replace(destination, ticked=True, name="", about="", folder="", pattern="", existing=NUMBER, outside_limit=0.0))


def _matrices(profile: AnyProfile | None, frame: Frame) -> ColourMatrices:
    """A profile's own matrices for the body that made a frame, else those of its camera."""
    if isinstance(profile, CameraProfile):
        return profile.matrices()
    found = None if profile is None else calibrated_for(profile, frame.raw.colour)
    return found.matrices if isinstance(found, DNGProfile) else built_in(frame.raw)
