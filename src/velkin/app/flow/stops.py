"""What the five stops of the colour path say of a frame: value, detail, bead, and the link to the next stop."""

from __future__ import annotations

from dataclasses import dataclass, replace

from velkin.app.flow.drawing import Measured
from velkin.app.words import count, percent, temperature_words
from velkin.core.icc.space import same
from velkin.core.path import ColourPath
from velkin.core.shoot.frame import Frame
from velkin.core.shoot.moving import IN_TIME, moment
from velkin.core.shoot.state import State
from velkin.core.shoot.written import WrittenFile
from velkin.core.stages.stage import Alters, Place
from velkin.core.stages.steps import Assign, Convert

DOTTED, SOLID, DOUBLE, HAIRLINE = "dotted", "solid", "double", "hairline"

#: The links' meaning, in the words used everywhere.
LINK_WORDS = {
    DOTTED: Alters.LOOK.value,
    SOLID: Alters.NUMBERS.value,
    DOUBLE: Alters.BOTH.value,
    HAIRLINE: Alters.NOTHING.value,
}


@dataclass(frozen=True)
class Stop:
    """One stop of the path as drawn."""

    caption: str
    value: str
    detail: str
    bead: str
    link: str
    waits: bool = False


#: Said of the stops while a profile is only tried.
IF_GIVEN = "if given"
#: Said of the stops while a match is only tried.
IF_PUT_ON = "if put on"


def stops_of(
    state: State,
    frame_id: int,
    path: ColourPath,
    measured: Measured | None,
    written: list[WrittenFile],
    tried: str = "",
    goal: str = "",
) -> list[Stop]:
    """The five stops of a frame along `path` (which may be its *before*).

    `goal` is what is proofed for where that is not what the shoot says. `tried` is said of what a decision would make of it: ``if assigned``, ``if converted``, ``if given`` (a profile) or ``if put on`` (a match); `written` are the files handed off of the frame.
    """
    frame = state.frames[frame_id]
    source, camera = _raw_stops(state, frame, path, tried) if frame.is_raw else _picture_stops(state, frame, path, tried)
    name = goal or state.proof_name()
    if measured is None or measured.path != path:
        lost = "measuring"
    else:
        eased = ", eased" if path.easings else ""
        lost = f"{percent(measured.there_outside.share)} out of gamut{eased}" + (f", {tried}" if tried else "")
    stays = same(path.destination, path.here)  # what is proofed is converted once, when it is written
    link = DOUBLE if path.easings else HAIRLINE if stays else SOLID
    proof = Stop("Proof", name, lost, "tagged-same" if stays else "tagged-other", link)
    handoff = _handoff(state, frame_id, written)
    if not path.known:
        handoff = Stop("Hand-off", "waits for Source", "nothing written", "open", HAIRLINE)
    return [source, camera, _looked(_working(state, frame, path, tried), path, tried), proof, handoff]


def _looked(stop: Stop, path: ColourPath, tried: str) -> Stop:
    """The Working stop with the match or the look that the path has there."""
    lines = [line for stage in path.at(Place.LOOK) for line in stage.describe()]
    words = ", ".join(line.words for line in lines)
    return replace(stop, detail=f"{tried}: {words}" if tried == IF_PUT_ON else words, link=DOUBLE) if lines else stop


def _raw_stops(state: State, frame: Frame, path: ColourPath, tried: str) -> tuple[Stop, Stop]:
    facts = frame.facts
    light = state.light_of(frame.id)
    even = bool(path.at(Place.FIELD))
    evened = ", field evened" if even else ""
    link = DOUBLE if even else DOTTED
    source = Stop(
        "Source", f"raw, {facts.model or 'unknown camera'}", f"{facts.bits}-bit, {facts.width} × {facts.height}", "raw", link
    )
    stage = path.camera
    if not stage.profile:
        return source, Stop("Camera", "built-in profile", f"no chart profile, {stage.balance_from}{evened}", "open", SOLID)
    if tried == IF_GIVEN:
        return source, Stop("Camera", stage.profile, tried, "open", SOLID)
    value = light.name if frame.profile == light.profile else stage.profile
    detail = f"ΔE {stage.mean_error:.1f} mean" if stage.mean_error is not None else "profile"
    lean = frame.lean.words()
    said = [detail, _white_words(state, frame), *([lean] if lean else [])]
    return source, Stop("Camera", value, ", ".join(w for w in said if w) + evened, "tagged-same", SOLID)


def _white_words(state: State, frame: Frame) -> str:
    """The light of a frame's profile; of one that follows its light in time that, and whether two charts bracket it."""
    when = moment(state.anchors(frame.light), frame) if frame.balance_from == IN_TIME else None
    if when is not None:
        return "in time" if when.bracketed else "not bracketed in time"
    return temperature_words(state.profiles[frame.profile]) if frame.profile is not None else ""


#: The glyph of each tag state; `tagged` is split by the space.
_GLYPHS = {"untagged": "untagged", "claimed": "claimed", "damaged": "damaged"}


def tag_glyph(state: State, frame: Frame) -> str:
    """The glyph of a frame's tag state as it came."""
    if frame.is_raw:
        return "raw"
    facts = frame.picture
    if facts.tag.state != "tagged":
        return _GLYPHS[facts.tag.state]
    return "tagged-same" if facts.said and same(state.space(facts.said), state.working) else "tagged-other"


def tag_words(state: State, frame: Frame) -> tuple[str, str]:
    """A finished picture's tag state in two lines."""
    facts = frame.picture
    said = state.space(facts.said).name if facts.said else ""
    known = {
        "tagged": (f"tagged {said}", {"icc": "embedded profile", "cicp": "code points", "png-srgb": "sRGB chunk"}),
        "claimed": (f"untagged, claims {said}", {"exif": "Exif claims it", "png-gama": "gAMA and cHRM claim it"}),
        "untagged": ("untagged", {"none": "no profile, no claim"}),
        "damaged": ("tag not usable", {"icc": "damaged or for another model", "cicp": "code points not read"}),
    }
    words, where = known[facts.tag.state]
    return words, where.get(facts.tag.source, "by its format" if facts.layers else "by its colour model")


def _picture_stops(state: State, frame: Frame, path: ColourPath, tried: str) -> tuple[Stop, Stop]:
    words, where = tag_words(state, frame)
    if frame.held:
        words = f"{words.split(',')[0]}, decision waiting"
    first = path.steps[0] if path.steps else None
    given = isinstance(first, Assign)
    source = Stop("Source", words, where, tag_glyph(state, frame), DOTTED if given else HAIRLINE, frame.held)
    if given and first is not None:
        mark = f", {tried}" if tried and len(path.steps) <= 2 and not frame.ledger else ""
        value = f"{first.space.name}{mark}"
    else:
        value = path.start.name if path.known else f"shown as {path.start.name} for now"
    bead = "tagged-same" if path.known and not tried else "open"
    converts = bool(path.of(Convert))
    later = any(isinstance(s, Assign) for s in path.steps[1:])
    link = SOLID if converts else DOTTED if later else HAIRLINE
    return source, Stop("Camera", value, "already rendered, no camera", bead, link)


def _working(state: State, frame: Frame, path: ColourPath, tried: str) -> Stop:
    here = path.numbers_in
    bits = "" if frame.is_raw else f", {frame.facts.bits}-bit"
    own = same(here, state.working)
    if not path.known:
        return Stop("Working", f"not known{bits}", f"the shoot works in {state.working.name}", "open", HAIRLINE)
    detail = "same as the shoot" if own else f"the shoot works in {state.working.name}"
    if tried == "if converted" or (tried == "if assigned" and not frame.held):
        return Stop("Working", here.name, f"{tried}; {detail}", "tagged-same" if own else "tagged-other", HAIRLINE)
    if len(here.name) > 20:
        return Stop(
            "Working",
            here.name,
            f"{bits[2:]}; {detail}" if bits else detail,
            "tagged-same" if own else "tagged-other",
            HAIRLINE,
        )
    stays = "" if frame.is_raw or path.of(Convert) else "stays in "
    value = f"{stays}{here.name}{bits}"
    return Stop("Working", value, detail, "tagged-same" if own else "tagged-other", HAIRLINE)


def _handoff(state: State, frame_id: int, written: list[WrittenFile]) -> Stop:
    ticked = state.ticked()
    value = count(len(ticked), "destination") if ticked else "no destination ticked"
    latest = _latest(frame_id, written)
    if not latest:
        return Stop("Hand-off", value, "nothing written", "open", HAIRLINE)
    if any(not w.ok for w in latest):
        return Stop("Hand-off", value, "written, check failed", "damaged", HAIRLINE)
    if edited_since_written(state, frame_id, written):
        return Stop("Hand-off", value, "changed since written", "tagged-other", HAIRLINE)
    detail = f"{latest[0].path.name} checked" if len(latest) == 1 else f"{len(latest)} files checked"
    return Stop("Hand-off", value, detail, "tagged-same", HAIRLINE)


def _latest(frame_id: int, written: list[WrittenFile]) -> list[WrittenFile]:
    """The latest file of a frame at each destination."""
    return list({w.destination: w for w in written if w.frame == frame_id}.values())


def edited_since_written(state: State, frame_id: int, written: list[WrittenFile]) -> bool:
    """Whether a frame was handed off and changed afterwards, for any destination that is still there."""
    return state.changed_since(frame_id, {w.destination: w.state for w in written if w.frame == frame_id})
