"""What a shoot file keeps as JSON: facts of a frame, chart readings, ledgers, pins, easings, spaces and rules."""

from __future__ import annotations

import base64
import json
import zlib
from dataclasses import asdict, fields
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from velkin.core.charts.definition import Chart
from velkin.core.charts.judge import Judgement
from velkin.core.charts.read import Reading
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.destinations.destination import ProofGoal
from velkin.core.files.dng_colour import DNGColour
from velkin.core.files.exif import ExifFacts
from velkin.core.files.layers.stack import LayerFacts
from velkin.core.files.raw import RawFacts
from velkin.core.gamut.easing import Easing, Place
from velkin.core.icc.space import Space, space_of
from velkin.core.looks.kept import KeptLook, LookKind
from velkin.core.shoot.even_fields import KeptField
from velkin.core.shoot.light import Given
from velkin.core.shoot.mapping import from_data, from_text, list_from_text, prepare, to_data, to_text
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.spaces.transfer import ByChannel, Sampled, Transfer
from velkin.core.tags.facts import PictureFacts
from velkin.core.tags.ledger import Entry
from velkin.core.tags.pins import Pin
from velkin.core.tags.rules import IntakeRules
from velkin.core.tags.tag import Statement, Tag

_MATRICES = ("matrices", "forward", "calibrations")


def prepare_records() -> None:
    """Have ready what records of a shoot are read and written with, for a worker while nobody waits."""
    prepare(
        Reading,
        tuple[Judgement, ...],
        tuple[Entry, ...],
        tuple[Pin, ...],
        tuple[Easing, ...],
        Place,
        IntakeRules,
        ProofGoal,
        KeptField,
        Given,
    )


def facts_to_json(facts: RawFacts) -> str:
    """A raw file's facts as text."""
    data: dict[str, Any] = {
        k: getattr(facts, k)
        for k in ("width", "height", "orientation", "bits", "make", "model", "unique", "is_dng", "also", "stamp")
    }
    data["as_shot"] = facts.as_shot.tolist()
    data["colour"] = None if facts.colour is None else _colour_to_data(facts.colour)
    exif = facts.exif
    data["exif"] = {k: getattr(exif, k) for k in ("lens", "software", "shutter", "aperture", "iso")}
    data["taken"] = exif.taken.isoformat() if exif.taken else None
    return json.dumps(data)


def _colour_to_data(colour: DNGColour) -> dict[str, Any]:
    return {
        f.name: [m.tolist() for m in value] if f.name in _MATRICES else value
        for f in fields(colour)
        if (value := getattr(colour, f.name)) or f.name in ("matrices", "illuminants")
    }


@lru_cache(maxsize=256)
def _colour_from_text(text: str) -> DNGColour:
    """One for all frames of a body, which are most of a shoot."""
    data = json.loads(text)
    kept = dict(data)
    for name in _MATRICES:
        kept[name] = tuple(np.array(m) for m in data.get(name, ()))
    for name in ("illuminants", "analog", "not_applied"):
        if name in data:
            kept[name] = tuple(data[name])
    kept["whites"] = tuple(None if w is None else (w[0], w[1]) for w in data.get("whites", ()))
    return DNGColour(**kept)


def facts_from_json(text: str, path: Path) -> RawFacts:
    """The facts kept as text; `path` is where the file lies now."""
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
        colour=None if colour is None else _colour_from_text(json.dumps(colour)),
        exif=ExifFacts(
            make=data["make"],
            model=data["model"],
            taken=datetime.fromisoformat(data["taken"]) if data["taken"] else None,
            **data["exif"],
        ),
        is_dng=data["is_dng"],
        also=data.get("also", ""),
        stamp=data.get("stamp", ""),
    )


def reading_to_json(kept: JudgedReading) -> str:
    """A judged reading as text; its chart is kept by its id."""
    reading, judgements = to_data(kept.reading), [to_data(j) for j in kept.judgements]
    return json.dumps({"reading": reading, "judgements": judgements, "grid_error": kept.grid_error})


def reading_from_json(text: str, charts: dict[str, Chart]) -> JudgedReading:
    """The reading kept as text, with its chart from those that the shoot knows."""
    data = json.loads(text)
    reading = from_data(data["reading"], Reading)
    judgements = from_data(data["judgements"], tuple[Judgement, ...])
    return JudgedReading(reading, judgements, charts[reading.chart], data.get("grid_error"))


def _exif_to_data(exif: ExifFacts) -> dict[str, Any]:
    data: dict[str, Any] = {k: getattr(exif, k) for k in ("lens", "software", "shutter", "aperture", "iso", "interoperability")}
    return {**data, "colour_space": exif.colour_space, "taken": exif.taken.isoformat() if exif.taken else None}


def picture_to_json(facts: PictureFacts) -> str:
    """A finished picture's facts as text."""
    plain = "width height orientation bits make model unique format colour_model channels alpha said pages page also stamp"
    data: dict[str, Any] = {k: getattr(facts, k) for k in plain.split()}
    data["tag"] = asdict(facts.tag)
    data["statements"] = [asdict(s) for s in facts.statements]
    data["notes"] = list(facts.notes)
    data["layers"] = [asdict(layer) for layer in facts.layers]
    data["exif"] = _exif_to_data(facts.exif)
    return json.dumps(data)


def picture_from_json(text: str, path: Path) -> PictureFacts:
    """The facts kept as text; `path` is where the file lies now."""
    data = json.loads(text)
    exif = data.pop("exif")
    taken = exif.pop("taken")
    return PictureFacts(
        **{
            **data,
            "path": path,
            "tag": Tag(**data["tag"]),
            "statements": tuple(Statement(**s) for s in data["statements"]),
            "notes": tuple(data["notes"]),
            "layers": tuple(LayerFacts(**layer) for layer in data.get("layers", ())),
            "exif": ExifFacts(
                make=data["make"], model=data["model"], taken=datetime.fromisoformat(taken) if taken else None, **exif
            ),
        }
    )


def space_to_json(space: Space) -> str:
    """A space as text: its profile where it has one, else what it is made of."""
    if space.icc is not None:
        return json.dumps({"icc": base64.b64encode(space.icc).decode()})
    assert isinstance(space, RGBSpace) and not isinstance(space.transfer, ByChannel)
    t = space.transfer
    transfer: Any = t.samples.tolist() if isinstance(t, Sampled) else [t.g, t.a, t.b, t.c, t.d]
    return json.dumps(
        {
            "id": space.id,
            "name": space.name,
            "primaries": space.primaries,
            "white": space.white,
            "sampled": isinstance(t, Sampled),
            "transfer": transfer,
        }
    )


def space_from_json(text: str) -> Space:
    """The space kept as text. Raises BadProfile for a profile that does not hold together."""
    data = json.loads(text)
    if "icc" in data:
        return space_of(base64.b64decode(data["icc"]))
    r, g, b = ((float(p[0]), float(p[1])) for p in data["primaries"])
    transfer = Sampled(np.array(data["transfer"])) if data["sampled"] else Transfer(*data["transfer"])
    return RGBSpace(data["id"], data["name"], "", (r, g, b), (data["white"][0], data["white"][1]), transfer)


def look_to_json(look: KeptLook) -> str:
    """A look as text."""
    packed = zlib.compress(look.content, 1)  # quickly: a table can be large, and a hand waits
    content = base64.b64encode(packed).decode()
    spaces = {k: None if s is None else space_to_json(s) for k, s in (("takes", look.takes), ("gives", look.gives))}
    return json.dumps({"name": look.name, "kind": look.kind.value, "content": content, **spaces})


def look_from_json(text: str) -> KeptLook:
    """The look kept as text."""
    data = json.loads(text)
    takes, gives = (None if data[k] is None else space_from_json(data[k]) for k in ("takes", "gives"))
    if not isinstance(takes, RGBSpace | None) or not isinstance(gives, RGBSpace | None):
        raise ValueError("a look takes numbers of a space that is not RGB")
    return KeptLook(data["name"], LookKind(data["kind"]), _unpacked(data["content"]), takes, gives)


def _unpacked(text: str) -> bytes:
    try:
        return zlib.decompress(base64.b64decode(text))
    except zlib.error as error:
        raise ValueError(f"a look's file is damaged ({error})") from error


def ledger_to_json(ledger: tuple[Entry, ...]) -> str:
    """A ledger as text."""
    return to_text(ledger, tuple[Entry, ...])


def ledger_from_json(text: str) -> tuple[Entry, ...]:
    """The ledger kept as text."""
    return list_from_text(text, Entry)


def pins_to_json(pins: tuple[Pin, ...]) -> str:
    """Pins as text."""
    return to_text(pins, tuple[Pin, ...])


def pins_from_json(text: str) -> tuple[Pin, ...]:
    """The pins kept as text."""
    return list_from_text(text, Pin)


def easings_to_json(easings: tuple[Easing, ...]) -> str:
    """Easings as text."""
    return to_text(easings, tuple[Easing, ...])


def easings_from_json(text: str) -> tuple[Easing, ...]:
    """The easings kept as text."""
    return list_from_text(text, Easing)


def place_to_json(place: Place) -> str:
    """Where the brush went as text."""
    return to_text(place, Place)


def place_from_json(text: str) -> Place:
    """Where the brush went, kept as text."""
    return from_text(text, Place)


def rules_from_json(text: str | None) -> IntakeRules:
    """The rules kept as text, or the defaults."""
    return IntakeRules() if text is None else from_text(text, IntakeRules)


def goal_from_json(text: str | None) -> ProofGoal:
    """The goal kept as text, or the default."""
    return ProofGoal() if text is None else from_text(text, ProofGoal)


def balance_to_json(balance: tuple[float, ...] | None) -> str | None:
    """White balance multipliers as text."""
    return None if balance is None else json.dumps([float(v) for v in balance])


def balance_from_json(text: str | None) -> tuple[float, ...] | None:
    """The multipliers kept as text."""
    return None if text is None else tuple(float(v) for v in json.loads(text))


def field_from_json(text: str) -> KeptField:
    """A flat frame's field kept as text."""
    return from_text(text, KeptField)


def given_from_json(text: str | None) -> Given | None:
    """What newcomers are given, kept as text."""
    return None if text is None else from_text(text, Given)
