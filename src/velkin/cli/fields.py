"""`velkin flat`: how the light falls off over a frame, and what evening by a flat frame leaves on others."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velkin.cli.batches import once
from velkin.cli.saying import print_json, say
from velkin.core.errors import NotSupported, VelkinError

if TYPE_CHECKING:
    from velkin.core.charts.reading_job import JudgedReading
    from velkin.core.fields import Field
    from velkin.core.files.raw import RawFacts
    from velkin.core.stages.even_field import EvenField


def flat(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    from velkin.core.fields import fit_field
    from velkin.core.files import raw
    from velkin.core.gamut.masks import Window

    field = field_in(arguments.file)
    documents: list[dict[str, Any]] = []
    failed = False
    for path in arguments.others:
        try:
            before = field_in(path)
            image = raw.decode(path, True)
            height, width = image.shape[:2]
            after = fit_field(image * field.gains(Window(width, height), height, width))
        except VelkinError as error:
            error.file = error.file or path
            failed = True
            say(str(error))
            documents.append({"path": str(path), "error": error.message, "file": str(path)})
            continue
        documents.append({"path": str(path), "before": _shares(before), "after": _shares(after)})
    if arguments.json:
        print_json({"path": str(arguments.file), "fall_off": _shares(field), "others": documents})
    else:
        print(f"{arguments.file}: {_words(field)}")
        for d in documents:
            if "error" not in d:
                print(
                    f"  {d['path']}: {100 * max(d['before'].values()):.1f} % before, {100 * max(d['after'].values()):.1f} % left"
                )
    return 1 if failed else 0


@once
def field_in(path: Path) -> Field:
    """The field that a raw frame shows. Raises VelkinError, which names it."""
    from velkin.core.fields import fit_field
    from velkin.core.files import raw
    from velkin.core.files.raw_names import is_raw_name

    if not is_raw_name(path):
        raise NotSupported("a flat frame is a raw file; a finished picture has lost what it would tell", path)
    try:
        return fit_field(raw.decode(path, True))
    except VelkinError as error:
        error.file = error.file or path
        raise


def evened_by(path: Path, facts: RawFacts) -> EvenField:
    """What evens a raw file by a flat frame; says so where that was shot otherwise. Raises VelkinError."""
    from velkin.core.files import raw
    from velkin.core.shoot.even_fields import does_not_suit
    from velkin.core.stages.even_field import EvenField

    why = does_not_suit(facts, raw.read_facts(path))
    if why:
        say(f"{facts.path.name} was shot with {why}; the field of {path.name} is another")
    return EvenField(field_in(path), 1.0, path.name)


def evened_chart(kept: JudgedReading, facts: RawFacts, flat: Path | None) -> JudgedReading:
    """The reading of a chart in a raw file, evened by a flat frame where there is one. Raises VelkinError."""
    from velkin.core.fields import evened_reading

    if flat is None:
        return kept
    even = evened_by(flat, facts)
    return evened_reading(kept, even.field, (facts.width, facts.height), even.strength)


def _shares(field: Field) -> dict[str, float]:
    return dict(zip("rgb", field.falloff, strict=True))


def _words(field: Field) -> str:
    red, green, blue = (f"{100 * v:.1f} %" for v in field.falloff)
    return f"the light falls off by {green} in green, {red} in red, {blue} in blue"
