"""Chart readings, camera profiles, white balance and exposure; each command is one undoable step."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.anyprofile import to_text as profile_to_text
from velkin.core.cameraprofiles.leaning import Lean
from velkin.core.charts.chart_file import chart_to_json
from velkin.core.charts.definition import Chart
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.shoot.document import Document, count_words
from velkin.core.shoot.even_fields import KeptField
from velkin.core.shoot.giving import GivingPlan
from velkin.core.shoot.light import Given
from velkin.core.shoot.mapping import to_text
from velkin.core.shoot.moving import IN_TIME, Anchor
from velkin.core.shoot.records import balance_to_json, reading_to_json


class CameraCommands:
    """The part of a shoot about what raw frames pass through before they have colours."""

    def __init__(self, document: Document) -> None:
        self._document = document

    # ---- charts and neutrals ----------------------------------------------------------------------------------

    def keep_reading(self, frame: int, kept: JudgedReading) -> None:
        """Keep a chart reading of a frame, which makes it a chart frame."""
        with self._document.step(f"read the chart in {self._document.state.frames[frame].name}"):
            self._document.store.run("INSERT OR REPLACE INTO readings VALUES (?, ?)", frame, reading_to_json(kept))
            self._document.store.run("UPDATE frames SET role = 'chart' WHERE id = ? AND role <> 'chart'", frame)

    def keep_neutral(self, frame: int, balance: tuple[float, ...]) -> None:
        """Keep the balance measured on a neutral frame, which marks it as one."""
        with self._document.step(f"measure the neutral in {self._document.state.frames[frame].name}"):
            self._document.store.run(
                "UPDATE frames SET role = 'neutral', neutral = ? WHERE id = ?", balance_to_json(balance), frame
            )

    def keep_chart(self, chart: Chart) -> None:
        """Keep a chart definition in the shoot, in place of one of the same id."""
        with self._document.step(f"keep the chart {chart.name}"):
            self._document.store.run("INSERT OR REPLACE INTO charts VALUES (?, ?)", chart.id, chart_to_json(chart))

    # ---- profiles ---------------------------------------------------------------------------------------------

    def add_profile(self, profile: AnyProfile, give_to: Iterable[int], light: int | None = None) -> int:
        """Add a fitted profile and give it with its balance to frames, in one step; it becomes the light's profile too."""
        chosen = self._document.raw_among(give_to)
        with self._document.step(
            f"fit {profile.name}" + (f" and give it to {count_words(len(chosen), 'frame')}" if len(chosen) > 1 else "")
        ):
            identifier = self._document.store.run(
                "INSERT INTO profiles(name, camera, json) VALUES (?, ?, ?)",
                profile.name,
                profile.camera,
                profile_to_text(profile),
            )
            self._give(identifier, chosen, light)
        return identifier

    def give_profile(self, profile: int, frames: Iterable[int], light: int | None = None) -> None:
        """Give a profile and the balance of its chart frame to frames; their exposure stays."""
        chosen = self._document.raw_among(frames)
        with self._document.step(f"give {self._document.state.profiles[profile].name} to {count_words(len(chosen), 'frame')}"):
            self._give(profile, chosen, light)

    def _give(self, profile: int, frames: list[int], light: int | None) -> None:
        if light is not None:
            self._document.store.run("UPDATE lights SET profile = ? WHERE id = ?", profile, light)
        self._document.store.many(
            "UPDATE frames SET profile = ?, balance = NULL, balance_from = 'chart' WHERE id = ?", [(profile, f) for f in frames]
        )

    def give(self, plan: GivingPlan) -> None:
        """Carry out what a giving plan says, in one step."""
        with self._document.step(plan.label()):
            self._document.store.many(
                "UPDATE frames SET profile = ?, balance = ?, balance_from = ?, exposure = ?, warmer = ?, pinker = ? WHERE id = ?",
                [
                    (c.profile, balance_to_json(c.balance), c.balance_from, c.exposure, c.lean.warmer, c.lean.pinker, c.frame)
                    for c in plan.changes
                ],
            )
            if plan.light is not None and plan.giving.profile:
                profile = self._document.state.frames[plan.source].profile
                self._document.store.run(
                    "UPDATE lights SET profile = ? WHERE id = ? AND profile IS NOT ?", profile, plan.light, profile
                )
            if plan.light is not None:
                given = None if plan.for_newcomers is None else to_text(plan.for_newcomers)
                self._document.store.run("UPDATE lights SET gift = ? WHERE id = ? AND gift IS NOT ?", given, plan.light, given)

    def use_built_in(self, frames: Iterable[int]) -> None:
        """Return frames to the camera's built-in profile and as-shot balance."""
        chosen = self._document.raw_among(frames)
        with self._document.step(f"return {count_words(len(chosen), 'frame')} to the built-in profile"):
            self._document.store.many(
                "UPDATE frames SET profile = NULL, balance = NULL, balance_from = 'as shot', warmer = 0, pinker = 0 WHERE id = ?",
                [(f,) for f in chosen],
            )

    # ---- balance and exposure ---------------------------------------------------------------------------------

    def set_balance(
        self,
        frames: Iterable[int],
        balance: tuple[float, ...] | None,
        source: str,
        joins: bool = False,
        lean: Lean | None = None,
    ) -> None:
        """Set a white balance (multipliers, green 1) on frames; None is the profile's or the camera's own.

        `joins` makes one step of it with the step before, when that was of the same kind: the moments of one drag. With `lean` they are
        so many steps from it; without, as many as they were.
        """
        chosen = self._document.raw_among(frames)
        with self._document.step(f"white balance of {count_words(len(chosen), 'frame')}: {source}", joins):
            self._document.store.many(
                "UPDATE frames SET balance = ?, balance_from = ? WHERE id = ?",
                [(balance_to_json(balance), source, f) for f in chosen],
            )
            if lean is not None:
                self._lean(dict.fromkeys(chosen, lean))

    def lean(self, leans: Mapping[int, Lean], joins: bool = False) -> None:
        """Show frames so many steps warmer and pinker than their balance, each by its own; finished pictures are left as they are."""
        chosen = self._document.raw_among(leans)
        kinds = {leans[f].words() or "the neutral" for f in chosen}
        words = kinds.pop() if len(kinds) == 1 else "warmer or cooler"
        with self._document.step(f"{words} on {count_words(len(chosen), 'frame')}", joins):
            self._lean({f: leans[f] for f in chosen})

    def _lean(self, leans: Mapping[int, Lean]) -> None:
        self._document.store.many(
            "UPDATE frames SET warmer = ?, pinker = ? WHERE id = ?", [(n.warmer, n.pinker, f) for f, n in leans.items()]
        )

    def set_as_shot(self, frames: Iterable[int]) -> None:
        """Return frames to the balance that their camera measured, each to its own."""
        chosen = [self._document.state.frames[f] for f in frames if self._document.state.frames[f].is_raw]
        with self._document.step(f"white balance of {count_words(len(chosen), 'frame')}: as shot"):
            self._document.store.many(
                "UPDATE frames SET balance = ?, balance_from = 'as shot' WHERE id = ?",
                [(None if f.profile is None else balance_to_json(tuple(f.raw.as_shot)), f.id) for f in chosen],
            )

    def follow_in_time(self, frames: Iterable[int], light: int | None = None) -> None:
        """Have the balance, and the profiles that were fitted on its charts, of frames follow the time between the measured frames of their light.

        With `light` frames that arrive in it later do so too.
        """
        chosen = self._document.raw_among(frames)
        with self._document.step(f"follow the light in time on {count_words(len(chosen), 'frame')}"):
            self._document.store.many(
                "UPDATE frames SET balance = NULL, balance_from = ? WHERE id = ?", [(IN_TIME, f) for f in chosen]
            )
            if light is not None:
                given = to_text(Given(None, None, IN_TIME))
                self._document.store.run("UPDATE lights SET gift = ? WHERE id = ? AND gift IS NOT ?", given, light, given)

    def hold_one(self, frames: Iterable[int], anchor: Anchor, light: int | None = None) -> None:
        """Hold one measured frame's balance, and the profile that was fitted on it, on frames instead of following the time."""
        chosen = self._document.raw_among(frames)
        source = "chart" if anchor.level is not None else "card"
        with self._document.step(f"hold the white of {anchor.name} on {count_words(len(chosen), 'frame')}"):
            self._document.store.many(
                "UPDATE frames SET balance = ?, balance_from = ?, profile = coalesce(?, profile) WHERE id = ?",
                [(balance_to_json(anchor.balance), source, anchor.profile, f) for f in chosen],
            )
            if light is not None:
                self._document.store.run("UPDATE lights SET gift = NULL WHERE id = ? AND gift IS NOT NULL", light)

    def keep_fields(self, fields: Mapping[int, KeptField], joins: bool = False) -> None:
        """Keep what flat frames show, which marks them as such; also how much of it is taken out. `joins` as in `set_balance`."""
        names = ", ".join(self._document.state.frames[f].name for f in fields)
        with self._document.step(f"even the field by {names}", joins):
            for frame, kept in fields.items():
                self._document.store.run("UPDATE frames SET role = 'flat' WHERE id = ? AND role <> 'flat'", frame)
                self._document.store.run("INSERT OR REPLACE INTO fields VALUES (?, ?)", frame, to_text(kept))

    def set_exposure(self, frames: Iterable[int], ev: float) -> None:
        """Set the exposure of frames, in EV."""
        chosen = self._document.raw_among(frames)
        with self._document.step(f"exposure {ev:+.2f} EV on {count_words(len(chosen), 'frame')}"):
            self._document.store.many("UPDATE frames SET exposure = ? WHERE id = ?", [(float(ev), f) for f in chosen])
