"""What the five stops of the colour path say of a frame: value, detail, bead, and the link to the next stop."""

from __future__ import annotations

from dataclasses import dataclass

from velkin.app.service import Measured
from velkin.app.words import count, share, temperature_words
from velkin.core.path import ColourPath
from velkin.core.shoot.state import State, WrittenFile

DOTTED, SOLID, HAIRLINE = "dotted", "solid", "hairline"

#: The links' meaning, in the words used everywhere.
LINK_WORDS = {
    DOTTED: "numbers stay, look changes",
    SOLID: "look stays, numbers change",
    HAIRLINE: "nothing happens",
}


@dataclass(frozen=True)
class Stop:
    """One stop of the path as drawn."""

    caption: str
    value: str
    detail: str
    bead: str
    link: str


def stops_of(
    state: State, frame_id: int, path: ColourPath, measured: Measured | None, written: list[WrittenFile]
) -> list[Stop]:
    """The five stops of a frame along `path` (which may be its *before*)."""
    frame = state.frames[frame_id]
    facts = frame.facts
    light = state.light_of(frame_id)
    source = Stop(
        "Source", f"raw, {facts.model or 'unknown camera'}", f"{facts.bits}-bit, {facts.width} × {facts.height}", "raw", DOTTED
    )
    if path.raw_stage.profile:
        value = light.name if frame.profile == light.profile else path.raw_stage.profile
        detail = f"ΔE {path.raw_stage.mean_error:.1f} mean" if path.raw_stage.mean_error is not None else "profile"
        kelvin = temperature_words(state.profiles[frame.profile]) if frame.profile is not None else ""
        detail += f", {kelvin}" if kelvin else ""
        camera = Stop("Camera", value, detail, "tagged-same", SOLID)
    else:
        balance = path.raw_stage.balance_from
        camera = Stop("Camera", "built-in profile", f"no chart profile, {balance}", "open", SOLID)
    working = path.working
    own = working == state.working
    moves = SOLID if path.destination != working else HAIRLINE
    work = Stop(
        "Working", working.name, "same as the shoot" if own else f"the shoot: {state.working.name}", "tagged-same", moves
    )
    destination = state.proof_destination()
    if measured is None or measured.path != path:
        lost = "measuring"
    else:
        lost = f"{share(measured.there_outside.share)} % outside"
    proof = Stop("Proof", destination.name, lost, "tagged-same" if path.destination == working else "tagged-other", SOLID)
    return [source, camera, work, proof, _handoff(state, frame_id, written)]


def _handoff(state: State, frame_id: int, written: list[WrittenFile]) -> Stop:
    ticked = state.ticked()
    value = count(len(ticked), "destination") if ticked else "no destination ticked"
    mine = [w for w in written if w.frame == frame_id]
    if not mine:
        return Stop("Hand-off", value, "nothing written", "open", HAIRLINE)
    last = mine[-1]
    destination = next((d for d in state.destinations if d.id == last.destination), None)
    if not last.ok:
        return Stop("Hand-off", value, "written, check failed", "damaged", HAIRLINE)
    if destination is None or last.state != state.fingerprint(frame_id, destination):
        return Stop("Hand-off", value, "changed since written", "tagged-other", HAIRLINE)
    return Stop("Hand-off", value, f"{last.path.name} checked", "tagged-same", HAIRLINE)


def edited_since_written(state: State, frame_id: int, written: list[WrittenFile]) -> bool:
    """Whether a frame was handed off and changed afterwards."""
    mine = [w for w in written if w.frame == frame_id]
    if not mine:
        return False
    destination = next((d for d in state.destinations if d.id == mine[-1].destination), None)
    return destination is None or mine[-1].state != state.fingerprint(frame_id, destination)
