"""`velkin render`: a raw file through a camera profile to a tagged picture, or to balanced camera numbers."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from velkin.cli.charts import read_chart
from velkin.cli.fields import evened_by
from velkin.cli.saying import Wrong, print_json, say
from velkin.cli.spaces import rgb_space_named
from velkin.core.errors import NotSupported


def _balance_from_chart(file: Path) -> Any:
    """The balance of the greys of whichever built-in chart lies in a frame."""
    from velkin.core.charts.built_in import BUILT_IN
    from velkin.core.charts.greys import from_greys
    from velkin.core.errors import ChartNotFound

    for name in BUILT_IN:
        try:
            kept = read_chart(file, name)
        except ChartNotFound:
            continue
        return from_greys(kept.for_fit(), kept.chart)
    raise ChartNotFound("no chart found to take the white balance from", file)


def charts_in_time(text: str) -> list[Path]:
    """The chart frames that ``chart:FILE,FILE…`` names: a file whose own name has commas is one."""
    whole = Path(text[6:])
    return [whole] if whole.exists() else [Path(part) for part in text[6:].split(",") if part]


def _balance_in_time(files: list[Path], facts: Any, at: str | None) -> tuple[Any, str]:
    """The balance between several chart frames at a file's capture time, or another; nothing beyond them. Says whose white it is."""
    from datetime import datetime

    from velkin.core.cameraprofiles.matrices import built_in
    from velkin.core.errors import UnreadableFile
    from velkin.core.files import raw
    from velkin.core.shoot.moving import Anchor, moment_at, white_at

    camera, found = built_in(facts), []
    for number, file in enumerate(files):
        taken = raw.read_facts(file).exif.taken
        if taken is None:
            raise UnreadableFile("it does not say when it was taken, so that it has no place in time", file)
        balance = _balance_from_chart(file)
        found.append(Anchor(number, file.name, taken.timestamp(), tuple(balance), *camera.temperature(balance)))
    try:
        moment = facts.exif.taken if at is None else datetime.fromisoformat(at)
    except ValueError:
        raise Wrong("--at takes a time such as 2026-05-04T10:25:00") from None
    if moment is None:
        raise Wrong("the file does not say when it was taken; say it with --at")
    when = moment_at(tuple(sorted(found, key=lambda a: a.at)), moment.replace(tzinfo=None).timestamp())
    if not when.bracketed:
        say(f"{facts.path.name}: it lies before or after all charts; the balance of {when.first.name}, the nearest, is held")
    return white_at(when, camera), when.words()


def _balance_of(text: str, facts: Any, profile: Any, at: str | None) -> tuple[Any, str]:
    """The white balance asked for: the multipliers, and where they come from."""
    import numpy as np

    if text == "camera":
        return facts.as_shot, "as shot"
    if text == "chart":
        if profile is None or profile.balance is None:
            raise Wrong("--balance chart needs a --profile that knows its chart's balance; else use chart:FILE")
        return np.array(profile.balance), "chart"
    if text.startswith("chart:"):
        files = charts_in_time(text)
        return (_balance_from_chart(files[0]), "chart") if len(files) == 1 else _balance_in_time(files, facts, at)
    try:
        values = np.array([float(v) for v in text.split(",")])
    except ValueError:
        values = np.zeros(0)
    if values.shape != (3,) or not np.all(np.isfinite(values)) or values.min() <= 0:
        raise Wrong("--balance takes camera, chart, chart:FILE or three positive multipliers R,G,B")
    return values / values[1], "given"


def _check(arguments: argparse.Namespace) -> int:
    """Refuse what does not go together; the bits to write."""
    import math

    from velkin.core.files.formats import best_bits, check_format, format_of

    kind = format_of(arguments.out)
    if not math.isfinite(arguments.exposure) or abs(arguments.exposure) > 20:
        raise Wrong("--exposure takes EV within -20 to 20")
    bits = int(arguments.bits or best_bits(kind, 16))
    check_format(kind, bits, "rgb", arguments.out)
    if arguments.camera_rgb and kind != "tiff":
        raise NotSupported("--camera-rgb writes TIFF", arguments.out)
    if arguments.camera_rgb and bits != 16:
        raise NotSupported("--camera-rgb writes 16 bits", arguments.out)
    if arguments.camera_rgb and (arguments.profile or arguments.tone == "profile"):
        raise Wrong("--camera-rgb goes without a profile")
    if arguments.camera_rgb and arguments.space:
        raise Wrong("--camera-rgb writes camera numbers, which are in no SPACE")
    if (arguments.encoding or arguments.input_of) and not arguments.camera_rgb:
        raise Wrong("--encoding and --for go with --camera-rgb")
    if arguments.encoding and arguments.input_of:
        raise Wrong("--for takes the encoding from the profile; leave --encoding out")
    if arguments.tone == "profile" and not arguments.profile:
        raise Wrong("--tone profile needs a --profile that has a tone curve")
    if arguments.at and not (arguments.balance.startswith("chart:") and len(charts_in_time(arguments.balance)) > 1):
        raise Wrong("--at goes with --balance chart:FILE,FILE…, several charts of a light that moves")
    if arguments.camera_rgb and arguments.flat:
        raise Wrong("--camera-rgb writes camera numbers as they are; leave --flat out")
    if arguments.force and not arguments.profile:
        raise Wrong("--force goes with --profile")
    return bits


def render(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    from velkin.core.cameraprofiles.anyprofile import check_camera, load_any
    from velkin.core.cameraprofiles.takes import encoding_taken
    from velkin.core.errors import VelkinError
    from velkin.core.files import raw
    from velkin.core.files.encode import encode_numbers
    from velkin.core.files.formats import format_of
    from velkin.core.files.picture import Picture
    from velkin.core.files.safely import refuse_output, write_whole
    from velkin.core.gamut.membership import count_outside
    from velkin.core.handoff.profile_input import camera_tiff
    from velkin.core.icc.space import profile_of
    from velkin.core.path import path_of
    from velkin.core.render import codes_there, to_working
    from velkin.core.spaces.rgb import ROMM
    from velkin.core.stages.camera import built_in_stage, profile_stage
    from velkin.core.stages.stage import Place

    bits = _check(arguments)
    out: Path = arguments.out
    space = rgb_space_named(arguments.space or "romm")
    inputs = [arguments.file, *(p for p in (arguments.profile, arguments.input_of, arguments.flat) if p)]
    if arguments.balance.startswith("chart:"):
        inputs += charts_in_time(arguments.balance)
    refuse_output(out, inputs, arguments.replace)
    facts = raw.read_facts(arguments.file)
    profile = load_any(arguments.profile) if arguments.profile else None
    if profile is not None:
        try:
            check_camera(profile, facts.unique, arguments.force)
        except VelkinError as error:
            error.file = arguments.profile
            raise
    balance, source = _balance_of(arguments.balance, facts, profile, arguments.at)
    if profile is None:
        stage = built_in_stage(facts, balance, source)
    else:
        stage = profile_stage(profile, facts, balance=balance, balance_from=source, tone=arguments.tone == "profile")
    document: dict[str, Any]
    if arguments.camera_rgb:
        encoding = encoding_taken(arguments.input_of) if arguments.input_of else arguments.encoding or "linear"
        data = camera_tiff(arguments.file, stage.balance, encoding, arguments.exposure)
        document = {"out": str(out), "encoding": encoding}
    else:
        path = path_of(stage, ROMM, space, exposure=arguments.exposure)  # as in the window, by way of the widest working space
        if arguments.flat is not None:
            path = path.put(Place.FIELD, evened_by(arguments.flat, facts))
        linear = to_working(raw.decode(arguments.file), path)
        outside = count_outside(linear, path.proof)
        picture = Picture(codes_there(linear, path, bits, dither=True), None, "rgb")
        data = encode_numbers(picture, format_of(out), profile_of(space), family=space.id, source=arguments.file).data
        channels = {c: {"low": low, "high": high} for c, (low, high) in zip("rgb", outside.shares(), strict=True)}
        document = {"out": str(out), "space": space.id, "clipped": channels}
    write_whole(out, data, arguments.replace)
    if arguments.json:
        print_json(document)
    else:
        print(f"written {out}" + (f" in {space.name}" if not arguments.camera_rgb else ", camera numbers"))
    return 0
