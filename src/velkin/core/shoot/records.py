"""What a shoot file keeps as JSON: facts of a frame, chart readings, ledgers, pins, easings, spaces and rules."""

from __future__ import annotations

import base64
import json
from dataclasses import asdict, fields
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from velkin.core.charts.definition import Chart
from velkin.core.charts.judge import Judgement, Verdict
from velkin.core.charts.read import Choices, PatchReading, Reading
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.destinations.destination import ProofGoal
from velkin.core.files.dng_colour import DNGColour
from velkin.core.files.exif import ExifFacts
from velkin.core.files.raw import RawFacts
from velkin.core.gamut.easing import Easing, Place, Stroke
from velkin.core.icc.space import Space, space_of
from velkin.core.icc.transform import Intent
from velkin.core.shoot.light import Given
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.spaces.transfer import ByChannel, Sampled, Transfer
from velkin.core.tags.facts import PictureFacts
from velkin.core.tags.ledger import Entry, Verb
from velkin.core.tags.pins import Pin, Target
from velkin.core.tags.rules import IntakeRules, Rule
from velkin.core.tags.tag import Statement, Tag

_MATRICES = ("matrices", "forward", "calibrations")


def facts_to_json(facts: RawFacts) -> str:
    """A raw file's facts as text."""
    data: dict[str, Any] = {
        k: getattr(facts, k) for k in ("width", "height", "orientation", "bits", "make", "model", "unique", "is_dng")
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


def _colour_from_data(data: dict[str, Any]) -> DNGColour:
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
        colour=None if colour is None else _colour_from_data(colour),
        exif=ExifFacts(
            make=data["make"],
            model=data["model"],
            taken=datetime.fromisoformat(data["taken"]) if data["taken"] else None,
            **data["exif"],
        ),
        is_dng=data["is_dng"],
    )


def reading_to_json(kept: JudgedReading) -> str:
    """A judged reading as text; its chart is kept by its id."""
    judgements = [{**asdict(j), "verdict": j.verdict.name} for j in kept.judgements]
    return json.dumps({"reading": asdict(kept.reading), "judgements": judgements, "grid_error": kept.grid_error})


def reading_from_json(text: str, charts: dict[str, Chart]) -> JudgedReading:
    """The reading kept as text, with its chart from those that the shoot knows."""
    data = json.loads(text)
    r = data["reading"]
    patches = tuple(
        PatchReading(
            p["id"], (p["rgb"][0], p["rgb"][1], p["rgb"][2]), p["spread"], p["clipped"], p["buried"], p.get("slope", 0.0)
        )
        for p in r["patches"]
    )
    c = r.get("choices") or {"sample": r.get("sample", 0.5)}
    choices = Choices(
        c["sample"],
        tuple((str(i), float(x), float(y)) for i, x, y in c.get("moved", ())),
        tuple(c.get("left_out", ())),
        bool(c.get("even_light", False)),
    )
    corners = tuple((x, y) for x, y in r["corners"])
    reading = Reading(r["chart"], corners, patches, choices, r["patch_pixels"], r.get("edge_blur", 0.0))
    judgements = tuple(
        Judgement(j["about"], j["finding"], Verdict[j["verdict"]], tuple(j["patches"]), j["advice"]) for j in data["judgements"]
    )
    return JudgedReading(reading, judgements, charts[r["chart"]], data.get("grid_error"))


def _exif_to_data(exif: ExifFacts) -> dict[str, Any]:
    data: dict[str, Any] = {k: getattr(exif, k) for k in ("lens", "software", "shutter", "aperture", "iso", "interoperability")}
    return {**data, "colour_space": exif.colour_space, "taken": exif.taken.isoformat() if exif.taken else None}


def picture_to_json(facts: PictureFacts) -> str:
    """A finished picture's facts as text."""
    plain = "width height orientation bits make model unique format colour_model channels alpha said pages page"
    data: dict[str, Any] = {k: getattr(facts, k) for k in plain.split()}
    data["tag"] = asdict(facts.tag)
    data["statements"] = [asdict(s) for s in facts.statements]
    data["notes"] = list(facts.notes)
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
            "exif": ExifFacts(
                make=data["make"], model=data["model"], taken=datetime.fromisoformat(taken) if taken else None, **exif
            ),
        }
    )


def ledger_to_json(ledger: tuple[Entry, ...]) -> str:
    """A ledger as text."""
    return json.dumps([{**asdict(e), "intent": int(e.intent)} for e in ledger])


def ledger_from_json(text: str) -> tuple[Entry, ...]:
    """The ledger kept as text."""
    return tuple(Entry(**{**e, "verb": Verb(e["verb"]), "intent": Intent(e["intent"])}) for e in json.loads(text))


def pins_to_json(pins: tuple[Pin, ...]) -> str:
    """Pins as text."""
    return json.dumps([asdict(p) for p in pins])


def pins_from_json(text: str) -> tuple[Pin, ...]:
    """The pins kept as text."""

    def target(data: dict[str, Any] | None) -> Target | None:
        return None if data is None else Target(data["kind"], (data["lab"][0], data["lab"][1], data["lab"][2]))

    return tuple(Pin(p["x"], p["y"], target(p["target"])) for p in json.loads(text))


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


def rules_to_json(rules: IntakeRules) -> str:
    """Intake rules as text."""
    return json.dumps(asdict(rules))


def rules_from_json(text: str | None) -> IntakeRules:
    """The rules kept as text, or the defaults."""
    return IntakeRules() if text is None else IntakeRules(**{k: Rule(**v) for k, v in json.loads(text).items()})


def easings_to_json(easings: tuple[Easing, ...]) -> str:
    """Easings as text; a stroke's points are kept to a hundred-thousandth of the picture's side."""

    def stroke(s: Stroke) -> dict[str, Any]:
        points = [[round(x, 5), round(y, 5), round(p, 3)] for x, y, p in s.points]
        return {**{k: getattr(s, k) for k in ("size", "softness", "flow", "erase")}, "points": points}

    def one(e: Easing) -> dict[str, Any]:
        data = {k: getattr(e, k) for k in ("kind", "strength", "reach", "hue", "on", "destination")}
        place = {"kind": e.place.kind, "feather": e.place.feather, "painted_on": e.place.painted_on}
        return {**data, "place": {**place, "strokes": [stroke(s) for s in e.place.strokes]}}

    return json.dumps([one(e) for e in easings])


def easings_from_json(text: str) -> tuple[Easing, ...]:
    """The easings kept as text."""

    def stroke(data: dict[str, Any]) -> Stroke:
        points = tuple((float(x), float(y), float(p)) for x, y, p in data["points"])
        return Stroke(**{**data, "points": points})

    def place(data: dict[str, Any]) -> Place:
        on = data["painted_on"]
        strokes = tuple(stroke(s) for s in data["strokes"])
        return Place(data["kind"], data["feather"], strokes, None if on is None else (int(on[0]), int(on[1])))

    return tuple(Easing(**{**e, "place": place(e["place"])}) for e in json.loads(text))


def goal_to_json(goal: ProofGoal) -> str:
    """What is proofed for, as text."""
    return json.dumps({"space": goal.space, "intent": int(goal.intent), "black_point": goal.black_point})


def goal_from_json(text: str | None) -> ProofGoal:
    """The goal kept as text, or the default."""
    if text is None:
        return ProofGoal()
    data = json.loads(text)
    return ProofGoal(data["space"], Intent(data["intent"]), bool(data["black_point"]))


def balance_to_json(balance: tuple[float, ...] | None) -> str | None:
    """White balance multipliers as text."""
    return None if balance is None else json.dumps([float(v) for v in balance])


def balance_from_json(text: str | None) -> tuple[float, ...] | None:
    """The multipliers kept as text."""
    return None if text is None else tuple(float(v) for v in json.loads(text))


def given_to_json(given: Given) -> str:
    """What a light gives to newcomers, as text."""
    return json.dumps(asdict(given))


def given_from_json(text: str | None) -> Given | None:
    """What newcomers are given, kept as text."""
    if text is None:
        return None
    data = json.loads(text)
    balance = None if data["balance"] is None else tuple(float(v) for v in data["balance"])
    return Given(data["profile"], balance, data["balance_from"], data["exposure"])
