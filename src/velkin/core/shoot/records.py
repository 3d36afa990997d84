"""What a shoot file keeps as JSON: camera facts of a frame, chart readings."""

from __future__ import annotations

import json
from dataclasses import asdict
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from velkin.core.charts.definition import Chart
from velkin.core.charts.judge import Judgement, Verdict
from velkin.core.charts.read import Choices, PatchReading, Reading
from velkin.core.charts.reading_job import JudgedReading
from velkin.core.files.metadata import ExifFacts
from velkin.core.files.raw import DNGColour, RawFacts


def facts_to_json(facts: RawFacts) -> str:
    """A raw file's facts as text."""
    data: dict[str, Any] = {
        k: getattr(facts, k) for k in ("width", "height", "orientation", "bits", "make", "model", "unique", "is_dng")
    }
    data["as_shot"] = facts.as_shot.tolist()
    data["colour"] = None
    if facts.colour is not None:
        data["colour"] = {
            "matrices": [m.tolist() for m in facts.colour.matrices],
            "illuminants": list(facts.colour.illuminants),
            "forward": [m.tolist() for m in facts.colour.forward],
        }
    exif = facts.exif
    data["exif"] = {k: getattr(exif, k) for k in ("lens", "software", "shutter", "aperture", "iso")}
    data["taken"] = exif.taken.isoformat() if exif.taken else None
    return json.dumps(data)


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
        colour=None
        if colour is None
        else DNGColour(
            tuple(np.array(m) for m in colour["matrices"]),
            tuple(colour["illuminants"]),
            tuple(np.array(m) for m in colour.get("forward", ())),
        ),
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
