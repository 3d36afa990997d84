"""What changed in the shoot, in parts, so that each page and panel looks only at what concerns it."""

from __future__ import annotations

from dataclasses import dataclass

from velkin.core.shoot.moving import IN_TIME
from velkin.core.shoot.state import State


@dataclass(frozen=True)
class Change:
    """The difference between two states of a shoot.

    Attributes
    ----------
    frames : frozenset of int
        Frames that came, or whose own decisions, reading or easings are others.
    gone : frozenset of int
    lights : bool
        Whether there are other lights, other names of them, or frames lie elsewhere among them.
    profiles, destinations, spaces, charts : bool
    aims : bool
        Whether the working space is another, or what is proofed for.
    paths : bool
        Whether the path of every frame may be another: the aims, a profile or a space changed.
    rules : bool
        Whether the shoot's name, rules or naming pattern changed.
    written : bool
        Whether files were written.
    whole : bool
        Whether it is another shoot, so that everything is new.
    """

    frames: frozenset[int] = frozenset()
    gone: frozenset[int] = frozenset()
    lights: bool = False
    profiles: bool = False
    destinations: bool = False
    spaces: bool = False
    charts: bool = False
    aims: bool = False
    paths: bool = False
    rules: bool = False
    written: bool = False
    whole: bool = False

    @property
    def of_all(self) -> bool:
        """Whether something changed that may concern every frame."""
        return (
            self.whole
            or self.lights
            or self.profiles
            or self.destinations
            or self.spaces
            or self.charts
            or self.paths
            or self.rules
        )

    @property
    def anything(self) -> bool:
        """Whether anything changed."""
        return self.of_all or self.written or bool(self.frames or self.gone)

    def concerns(self, frame: int | None) -> bool:
        """Whether what is said of a frame (or, with None, of the shoot) may be other than before."""
        return self.of_all or self.written or (frame is not None and frame in self.frames)

    def ends_trying(self, frame: int | None) -> bool:
        """Whether what is only tried on a frame stands no longer on what the shoot keeps of it."""
        return self.whole or self.aims or frame in self.frames or frame in self.gone


#: All is new.
WHOLE = Change(whole=True)


def difference(old: State, new: State, written: bool = False) -> Change:
    """What is different in `new`; states share what did not change, so that this costs little."""
    if old is new:
        return Change(written=written)
    frames: set[int] = set()
    parts = ("frames", "readings", "easings", "given_looks", "look_places", "fields")
    for before, after in ((getattr(old, part), getattr(new, part)) for part in parts):
        if before is not after:
            frames |= {f for f, value in after.items() if before.get(f) is not value}
            frames |= {f for f in before if f not in after}
    frames |= _moved_along(old, new, frames)
    gone = frozenset(f for f in frames if f not in new.frames)
    goal = old.proof_space() is not new.proof_space() or old.proof_way() != new.proof_way()
    aims = old.working is not new.working or goal
    return Change(
        frozenset(frames) - gone,
        gone,
        lights=old.lights is not new.lights,
        profiles=old.profiles is not new.profiles,
        destinations=old.destinations is not new.destinations,
        spaces=old.spaces is not new.spaces,
        charts=old.charts is not new.charts,
        aims=aims,
        paths=aims or old.profiles is not new.profiles or old.spaces is not new.spaces,
        rules=(old.name, old.rules, old.light_pattern, old.goal) != (new.name, new.rules, new.light_pattern, new.goal),
        written=written,
    )


def _moved_along(old: State, new: State, frames: set[int]) -> set[int]:
    """Frames whose path is another because another frame of their light changed: those that follow its white in time, or are evened by it."""
    lights = {state.frames[f].light for state in (old, new) for f in frames if f in state.frames}
    members = {light.id: light.frames for light in new.lights if light.id in lights}
    evened = new.fields or old.fields
    return {
        f
        for light, inside in members.items()
        for f in inside
        if f in old.frames
        and (evened or new.frames[f].balance_from == IN_TIME)
        and (old.path(f) is not new.path(f) and old.path(f) != new.path(f))
    }
