"""A light that moves, for `fit` and `render`: several chart frames of it, and what lies between them at a time."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from velkin.cli.batches import once
from velkin.cli.charts import read_chart
from velkin.cli.fields import evened_chart
from velkin.cli.saying import Wrong, say

if TYPE_CHECKING:
    from velkin.core.charts.read import Reading
    from velkin.core.charts.reading_job import JudgedReading
    from velkin.core.files.raw import RawFacts
    from velkin.core.shoot.moving import Anchor, Moment


@dataclass(frozen=True)
class Charted:
    """A chart frame: its facts, its reading as it is used, and its place in time."""

    facts: RawFacts
    kept: JudgedReading
    anchor: Anchor


def files_in(text: str) -> tuple[Path, ...]:
    """The files that ``FILE,FILE…`` names: a file whose own name has commas is one."""
    whole = Path(text)
    return (whole,) if whole.exists() else tuple(Path(part) for part in text.split(",") if part)


@once
def any_chart(file: Path) -> JudgedReading:
    """The reading of whichever built-in chart lies in a frame. Raises ChartNotFound."""
    from velkin.core.charts.built_in import BUILT_IN
    from velkin.core.errors import ChartNotFound

    for name in BUILT_IN:
        try:
            return read_chart(file, name)
        except ChartNotFound:
            continue
    raise ChartNotFound("no chart found to take the white balance from", file)


@once
def charted(
    files: tuple[Path, ...],
    chart: str | None = None,
    grid: str | None = None,
    flat: Path | None = None,
    even_light: str = "off",
) -> tuple[Charted, ...]:
    """Chart frames in order of time, each with the chart that is named or whichever lies in it; of one camera.

    Raises
    ------
    VelkinError
        Which names the file: without a chart, without a capture time, of another camera.
    """
    from velkin.core.charts.greys import from_greys
    from velkin.core.charts.judge import refuse_unusable
    from velkin.core.errors import FitRefused, UnreadableFile, VelkinError
    from velkin.core.files import raw
    from velkin.core.files.camera_names import same_camera
    from velkin.core.shoot.moving import Anchor

    found: list[Charted] = []
    for number, file in enumerate(files):
        facts = raw.read_facts(file)
        if facts.exif.taken is None:
            raise UnreadableFile("it does not say when it was taken, so that it has no place in time", file)
        if found and not same_camera(facts.unique, found[0].facts.unique):
            raise FitRefused(
                f"it was shot with {facts.unique}, {files[0].name} with {found[0].facts.unique}; a light is followed with one camera",
                file,
            )
        kept = evened_chart(read_chart(file, chart, grid) if chart else any_chart(file), facts, flat)
        try:
            refuse_unusable(kept.judgements)
            kept = kept.even_light(even_light == "on" or (even_light == "auto" and kept.is_uneven))
            balance = from_greys(kept.for_fit(), kept.chart)
        except VelkinError as error:
            error.file = error.file or file
            raise
        found.append(Charted(facts, kept, Anchor.of(number, facts, balance, name=file.name, profile=number)))
    return tuple(sorted(found, key=lambda c: c.anchor.at))


def moment_among(found: tuple[Charted, ...], at: str | None, facts: RawFacts | None) -> Moment:
    """The moment that `at` names among chart frames, a time or a raw file, or that at which a file was taken; said where no two lie round it."""
    from datetime import datetime

    from velkin.core.files import raw
    from velkin.core.shoot.moving import moment_at

    if at is not None and Path(at).is_file():
        facts, at = raw.read_facts(Path(at)), None
    try:
        moment = datetime.fromisoformat(at) if at is not None else facts.exif.taken if facts is not None else None
    except ValueError:
        raise Wrong("--at takes a time such as 2026-05-04T10:25:00, or a raw file that was taken then") from None
    if moment is None:
        raise Wrong("the file does not say when it was taken; say it with --at")
    when = moment_at(tuple(c.anchor for c in found), moment.replace(tzinfo=None).timestamp())
    if not when.bracketed:
        name = facts.path.name if facts is not None else str(at)
        say(f"{name}: it lies before or after all charts; the balance of {when.first.name}, the nearest, is held")
    return when


def reading_at(found: tuple[Charted, ...], when: Moment) -> Reading:
    """What a chart would have shown at a moment. Raises VelkinError, which names the file, where they are different charts."""
    import numpy as np

    from velkin.core.cameraprofiles.matrices import built_in
    from velkin.core.charts.average import reading_between
    from velkin.core.errors import VelkinError
    from velkin.core.shoot.moving import white_at

    first, second = (next(c for c in found if c.anchor is anchor) for anchor in (when.first, when.second))
    if first is second:
        return first.kept.for_fit()
    whites = [np.array(c.anchor.balance) for c in (first, second)]
    try:
        return reading_between(
            (first.kept.for_fit(), whites[0]),
            (second.kept.for_fit(), whites[1]),
            when.share,
            white_at(when, built_in(first.facts)),
        )
    except VelkinError as error:
        error.file = error.file or second.facts.path
        raise
