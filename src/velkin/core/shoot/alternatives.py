"""Other renderings of a frame, to compare the present one with: same exposure, other camera settings, or the same seen another way."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np

from velkin.core.path import ColourPath
from velkin.core.shoot.state import State
from velkin.core.stages.camera import built_in_stage, profile_stage
from velkin.core.stages.stage import Place


class Rendering(Enum):
    """What an alternative shows, in the words of its menu.

    Finished pictures have no camera settings: of them those about cameras are as found.
    """

    NOW = "now"
    BUILT_IN = "built-in profile, as shot"
    AS_SHOT = "as-shot balance"
    PROFILE = "profile"
    AS_FOUND = "as found"
    WITHOUT_EASING = "without easing"
    WITHOUT_LOOK = "without its look"
    #: The path is the same, it is seen at the destination.
    THERE = "there"


@dataclass(frozen=True)
class Alternative:
    """A rendering to compare with; `profile` is the id of the kept one that `Rendering.PROFILE` means."""

    rendering: Rendering
    profile: int = 0

    def name(self, state: State) -> str:
        """In words."""
        if self.rendering is Rendering.PROFILE:
            profile = state.profiles.get(self.profile)
            return profile.name if profile is not None else "a profile that is gone"
        return f"at {state.proof_name()}" if self.rendering is Rendering.THERE else self.rendering.value

    def path(self, state: State, frame: int) -> ColourPath:
        """The path of a frame as this shows it."""
        f, now = state.frames[frame], state.path(frame)
        if self.rendering is Rendering.WITHOUT_EASING:
            return now.eased_by()
        if self.rendering is Rendering.WITHOUT_LOOK:
            return now.put(Place.LOOK)
        if self.rendering is Rendering.THERE:
            return now
        if not f.is_raw or self.rendering is Rendering.AS_FOUND:
            return now if self.rendering is Rendering.NOW else state.path_with(frame, ()).put(Place.LOOK)
        camera = now.camera
        given = None if f.profile is None else state.profiles[f.profile]
        if self.rendering is Rendering.BUILT_IN or (self.rendering is Rendering.AS_SHOT and given is None):
            camera = built_in_stage(f.raw)
        elif self.rendering is Rendering.AS_SHOT and given is not None:
            camera = profile_stage(given, f.raw, balance=f.raw.as_shot, balance_from="as shot")
        elif self.rendering is Rendering.PROFILE and self.profile in state.profiles:
            camera = profile_stage(
                state.profiles[self.profile], f.raw, balance=np.array(camera.balance), balance_from=camera.balance_from
            )
        return state.path_from(camera, frame, f.ledger)


BUILT_IN, AS_SHOT, WITHOUT_EASING = (Alternative(r) for r in (Rendering.BUILT_IN, Rendering.AS_SHOT, Rendering.WITHOUT_EASING))
WITHOUT_LOOK = Alternative(Rendering.WITHOUT_LOOK)
NOW, AS_FOUND, THERE = (Alternative(r) for r in (Rendering.NOW, Rendering.AS_FOUND, Rendering.THERE))


def alternatives(state: State) -> tuple[Alternative, ...]:
    """All that a shoot offers to compare with."""
    kept = (Alternative(Rendering.PROFILE, p) for p in state.profiles)
    looks = (WITHOUT_LOOK,) if state.looks else ()
    return (BUILT_IN, AS_SHOT, *looks, WITHOUT_EASING, THERE, *kept)
