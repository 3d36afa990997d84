"""Everything in a shoot at one moment: frames, lights, profiles, readings, charts, destinations; and what follows from them."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.anyprofile import AnyProfile, calibrated_for
from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.matrices import ColourMatrices, built_in
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.charts.definition import Chart
from velkin.core.charts.greys import from_greys
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.destinations.destination import Destination, ProofGoal
from velkin.core.errors import FitRefused, NotSupported
from velkin.core.files.raw import RawFacts
from velkin.core.gamut.easing import Easing
from velkin.core.icc.space import Space, built_in_space, shown_for_now
from velkin.core.icc.transform import Intent
from velkin.core.path import ColourPath, path_of
from velkin.core.spaces.rgb import SRGB, RGBSpace
from velkin.core.stages.camera import CameraStage, built_in_stage, profile_stage
from velkin.core.stages.source import PictureSource
from velkin.core.stages.steps import steps_of
from velkin.core.tags.facts import PictureFacts
from velkin.core.tags.ledger import Entry
from velkin.core.tags.pins import Pin
from velkin.core.tags.rules import IntakeRules

Floats = NDArray[np.float64]

ROLES = ("subject", "chart", "neutral")
#: How far (log2 of a channel ratio) the camera's own balance may wander from the chart frame's before it is said.
DRIFT = 0.12


@dataclass(frozen=True)
class Frame:
    """One picture in a shoot.

    Attributes
    ----------
    facts : RawFacts or PictureFacts
    neutral : tuple or None
        The balance measured on it where it is a frame of a neutral card.
    waits : str
        The intake rules' case for which a decision was due on arrival; empty where there was none.
    ledger : tuple of Entry
    pins : tuple of Pin
    """

    id: int
    light: int
    name: str
    path: Path
    digest: str
    role: str
    facts: RawFacts | PictureFacts
    balance: tuple[float, ...] | None
    balance_from: str
    exposure: float
    profile: int | None
    neutral: tuple[float, ...] | None = None
    waits: str = ""
    ledger: tuple[Entry, ...] = ()
    pins: tuple[Pin, ...] = ()

    @property
    def is_raw(self) -> bool:
        """Whether it is a raw frame rather than a finished picture."""
        return isinstance(self.facts, RawFacts)

    @property
    def raw(self) -> RawFacts:
        """The facts of a raw frame. Raises NotSupported for finished pictures."""
        if not isinstance(self.facts, RawFacts):
            raise NotSupported("it is a finished picture; chart, balance and camera profile are for raw frames", self.path)
        return self.facts

    @property
    def picture(self) -> PictureFacts:
        """The facts of a finished picture."""
        assert isinstance(self.facts, PictureFacts)
        return self.facts

    @property
    def held(self) -> bool:
        """Whether a decision waits."""
        return bool(self.waits) and not self.ledger


@dataclass(frozen=True)
class Gift:
    """What frames that arrive later under a light are given."""

    profile: int | None
    balance: tuple[float, ...] | None
    balance_from: str
    exposure: float | None = None


@dataclass(frozen=True)
class Light:
    """One camera + lens + lighting set-up, with the ids of its frames in order."""

    id: int
    name: str
    profile: int | None
    frames: tuple[int, ...]
    gift: Gift | None = None


@dataclass(frozen=True)
class LightWhite:
    """The neutral of a light: its balance, temperature in kelvin, Duv, and the frame it was measured on."""

    balance: tuple[float, float, float]
    kelvin: float
    duv: float
    frame: int


@dataclass(frozen=True)
class WrittenDetails:
    """How a file was written and checked, as it was then.

    Attributes
    ----------
    space, file, size, intent, metadata : str
        In words: the space embedded, the format, the size rule, the intent, what of the metadata was kept.
    width, height, bytes : int
    before, after : float
        Share outside without easings, and with them.
    light, profile : str
    checks : tuple of (about, ok, finding)
    kept : bool
        Whether the source's own numbers were kept.
    """

    space: str
    file: str
    size: str
    intent: str
    metadata: str
    width: int
    height: int
    bytes: int
    before: float
    after: float
    light: str
    profile: str
    checks: tuple[tuple[str, bool, str], ...]
    kept: bool


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
    run: int | None = None
    details: WrittenDetails | None = None


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
    #: Paths and measured whites that were asked for; a state never changes, and one of other values begins without any.
    _paths: dict[int, ColourPath] = field(default_factory=dict, init=False, repr=False, compare=False)
    _whites: dict[int, LightWhite | None] = field(default_factory=dict, init=False, repr=False, compare=False)

    def take_paths_from(self, old: State) -> None:
        """Take over the paths that were asked of an older state and are the same now: of frames that did not change, where
        nothing that concerns all paths did."""
        common = ("working", "profiles", "destinations", "spaces", "goal")
        if all(getattr(self, part) is getattr(old, part) for part in common):
            for frame, path in old._paths.items():
                same = self.frames.get(frame) is old.frames.get(frame) and self.easings.get(frame) is old.easings.get(frame)
                if same:
                    self._paths[frame] = path

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

    def toward(
        self, path: ColourPath, frame: int, goal: Space, intent: Intent = Intent.RELATIVE, point: bool = True
    ) -> ColourPath:
        """A frame's path led to a destination, with those of its easings that act on the way to it."""
        acting = tuple(e for e in self.easings_of(frame) if e.acts(goal.id))
        return path.led_to(goal, intent, point, acting)

    def toward_destination(self, frame: int, d: Destination) -> ColourPath:
        """A frame's path as a destination's files are written. Raises KeyError for a destination whose space is not known."""
        return self.toward(self.path(frame), frame, self.space(d.space_id), d.intent, d.black_point)

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
        return [f for f in self.order() if self.frames[f].role == "subject"]

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
        profile = None if f.profile is None else self.profiles[f.profile]
        if isinstance(profile, CameraProfile):
            return profile.matrices()
        found = None if profile is None else calibrated_for(profile, f.raw.colour)
        return found.matrices if isinstance(found, DNGProfile) else built_in(f.raw)

    def picture_stage(self, frame: int) -> PictureSource:
        """What a finished picture's numbers mean as it came: by its tag, else what they are shown in for now."""
        facts = self.frames[frame].picture
        if facts.tag.state == "tagged" and facts.said:
            return PictureSource(self.space(facts.said), True, facts.page)
        claimed = facts.tag.state == "claimed" and facts.said
        return PictureSource(self.space(facts.said) if claimed else shown_for_now(facts.colour_model), False, facts.page)

    def _path(
        self,
        camera: CameraStage | PictureSource,
        frame: Frame,
        ledger: tuple[Entry, ...],
        others: Mapping[str, Space] | None = None,
    ) -> ColourPath:
        known = others or {}
        steps = steps_of(ledger, lambda i: known.get(i) or self.space(i))
        goal = self.proof_space()
        path = path_of(camera, self.working, goal, exposure=frame.exposure, steps=steps)
        return self.toward(path, frame.id, goal, *self.proof_way())

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
        f = self.frames[frame]
        given = profile if profile is not None else None if f.profile is None else self.profiles[f.profile]
        camera: CameraStage | PictureSource
        if not f.is_raw:
            camera = self.picture_stage(frame)
        elif given is not None:
            balance = None if f.balance is None else np.array(f.balance)
            camera = profile_stage(given, f.raw, balance, f.balance_from)
        else:
            camera = built_in_stage(f.raw, None if f.balance is None else np.array(f.balance), f.balance_from)
        return self._path(camera, f, ledger, others)

    def path_as(self, frame: int, look: str) -> ColourPath:
        """The path of a frame under another look, to compare with: same exposure, other camera settings.

        `look` is ``built-in`` (the camera's own rendering, as shot), ``as shot`` (the frame's profile with the camera's own
        balance), ``profile N`` (another kept profile at the present balance), ``as found`` (without the ledger), ``without
        easing``, ``there`` (at the destination: the path is the same, it is seen another way) or ``now``. Finished pictures
        have no camera settings: of them the looks about cameras are as found.
        """
        f = self.frames[frame]
        if look in ("without easing", "there"):
            own = self.path(frame)
            return own.eased_by() if look == "without easing" else own
        if not f.is_raw or look == "as found":
            return self.path(frame) if look == "now" else self.path_with(frame, ())
        camera = self.path(frame).camera
        if look == "built-in":
            camera = built_in_stage(f.raw)
        elif look == "as shot":
            camera = (
                profile_stage(self.profiles[f.profile], f.raw, f.raw.as_shot, "as shot")
                if f.profile is not None
                else built_in_stage(f.raw)
            )
        elif look.startswith("profile ") and int(look.split()[1]) in self.profiles:
            now = np.array(camera.balance)
            camera = profile_stage(self.profiles[int(look.split()[1])], f.raw, now, camera.balance_from)
        return self._path(camera, f, f.ledger)

    def look_name(self, look: str) -> str:
        """A look in words."""
        if look.startswith("profile "):
            profile = self.profiles.get(int(look.split()[1]))
            return profile.name if profile is not None else "a profile that is gone"
        names = {"built-in": "built-in profile, as shot", "as shot": "as-shot balance", "there": f"at {self.proof_name()}"}
        return names.get(look, look)

    def fingerprint(self, frame: int, destination: Destination) -> str:
        """What a written file depends on, as a short hash: tells whether a frame was changed since it was written."""
        f = self.frames[frame]
        settings = replace(destination, ticked=True, name="", about="", folder="", pattern="", existing="", outside_limit=0.0)
        if self.known_space(destination.space_id) is None:
            return ""
        text = repr((self.toward_destination(frame, destination), f.digest, settings))
        return hashlib.sha256(text.encode()).hexdigest()[:16]

    def chart_frame(self, light: int) -> int | None:
        """The frame whose chart stands for a light: one that was read, else one that is marked."""
        members = next(k.frames for k in self.lights if k.id == light)
        charts = [f for f in members if self.frames[f].role == "chart" and self.frames[f].is_raw]
        return next((f for f in charts if f in self.readings), next(iter(charts), None))

    def white_of(self, light: int) -> LightWhite | None:
        """The white of a light as it was measured: on its chart's greys, else on its neutral frame; None without either."""
        if light not in self._whites:
            self._whites[light] = self._white_measured(light)
        return self._whites[light]

    def _white_measured(self, light: int) -> LightWhite | None:
        members = next(k.frames for k in self.lights if k.id == light)
        for frame in members:
            if frame in self.readings:
                kept = self.readings[frame]
                try:
                    return self._white(frame, from_greys(kept.for_fit(), kept.chart))
                except FitRefused:
                    continue
        for frame in members:
            neutral = self.frames[frame].neutral
            if neutral is not None and self.frames[frame].role == "neutral":
                return self._white(frame, np.array(neutral))
        return None

    def _white(self, frame: int, balance: Floats) -> LightWhite:
        kelvin, duv = built_in(self.frames[frame].raw).temperature(balance)
        return LightWhite((float(balance[0]), 1.0, float(balance[2])), kelvin, duv, frame)

    def drifting(self, light: int) -> tuple[int, ...]:
        """Frames of a light whose own balance, as the camera measured it, lies far from that of the light's chart or neutral
        frame: the light may have changed since."""
        members = [f for f in next(k.frames for k in self.lights if k.id == light) if self.frames[f].is_raw]
        anchor = self.chart_frame(light)
        if anchor is None:
            anchor = next((f for f in members if self.frames[f].role == "neutral"), None)
        if anchor is None:
            return ()
        shot = self.frames[anchor].raw.as_shot
        off = {f: np.abs(np.log2(self.frames[f].raw.as_shot[[0, 2]] / shot[[0, 2]])).max() for f in members}
        return tuple(f for f in members if off[f] > DRIFT)
