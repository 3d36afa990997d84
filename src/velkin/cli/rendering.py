"""`velkin render`: a raw file through a camera profile to a tagged picture, or to balanced camera numbers."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velkin.cli.batches import Told
from velkin.cli.fields import evened_by, evened_chart
from velkin.cli.moving import any_chart, charted, files_in, moment_among
from velkin.cli.saying import Wrong
from velkin.cli.spaces import rgb_space_named
from velkin.core.errors import NotSupported

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from velkin.core.cameraprofiles.anyprofile import AnyProfile
    from velkin.core.files.raw import RawFacts
    from velkin.core.stages.camera import CameraStage

    Floats = NDArray[np.float64]


def charts_named(balance: str) -> tuple[Path, ...]:
    """The chart frames that ``chart:FILE,FILE…`` names; none of another balance."""
    return files_in(balance[6:]) if balance.startswith("chart:") else ()


def _balance_of(text: str, facts: RawFacts, profile: AnyProfile | None, flat: Path | None) -> tuple[Floats, str]:
    """The white balance asked for: the multipliers, and where they come from."""
    import numpy as np

    from velkin.core.charts.greys import from_greys
    from velkin.core.files import raw

    if text == "camera":
        return facts.as_shot, "as shot"
    if text == "chart":
        if profile is None or profile.balance is None:
            raise Wrong("--balance chart needs a --profile that knows its chart's balance; else use chart:FILE")
        return np.array(profile.balance), "chart"
    if charts := charts_named(text):
        kept = evened_chart(any_chart(charts[0]), raw.read_facts(charts[0]), flat)
        return from_greys(kept.for_fit(), kept.chart), "chart"
    try:
        values = np.array([float(v) for v in text.split(",")])
    except ValueError:
        values = np.zeros(0)
    if values.shape != (3,) or not np.all(np.isfinite(values)) or values.min() <= 0:
        raise Wrong("--balance takes camera, chart, chart:FILE or three positive multipliers R,G,B")
    return values / values[1], "given"


def _profiles(arguments: argparse.Namespace, facts: RawFacts) -> list[AnyProfile]:
    """The profiles asked for, each of the file's camera."""
    from velkin.core.cameraprofiles.anyprofile import check_camera, load_any
    from velkin.core.errors import VelkinError

    found = []
    for path in arguments.profiles:
        profile = load_any(path)
        try:
            check_camera(profile, facts.unique, arguments.force)
        except VelkinError as error:
            error.file = path
            raise
        found.append(profile)
    return found


def _stage(arguments: argparse.Namespace, facts: RawFacts) -> CameraStage:
    """How the file's numbers become colours: by one profile and balance, or by those of several charts in time."""
    from velkin.core.cameraprofiles.matrices import built_in
    from velkin.core.shoot.moving import stage_in_time, white_at
    from velkin.core.stages.camera import built_in_stage, profile_stage

    profiles, charts = _profiles(arguments, facts), charts_named(arguments.balance)
    if len(charts) > 1:
        found = charted(charts, flat=arguments.flat)
        when = moment_among(found, arguments.at, facts)
        own = profiles[0] if profiles else None
        stage = stage_in_time(when, facts, own, dict(enumerate(profiles)) if len(profiles) > 1 else {})
        return stage or built_in_stage(facts, white_at(when, built_in(facts)), when.words())
    profile = profiles[0] if profiles else None
    balance, source = _balance_of(arguments.balance, facts, profile, arguments.flat)
    if profile is None:
        return built_in_stage(facts, balance, source)
    return profile_stage(profile, facts, balance=balance, balance_from=source, tone=arguments.tone == "profile")


def _check(arguments: argparse.Namespace) -> int:
    """Refuse what does not go together; the bits to write."""
    import math

    from velkin.core.files.kinds import best_bits, check_format, format_of

    kind = format_of(arguments.out)
    if not math.isfinite(arguments.exposure) or abs(arguments.exposure) > 20:
        raise Wrong("--exposure takes EV within -20 to 20")
    bits = int(arguments.bits or best_bits(kind, 16))
    check_format(kind, bits, "rgb", arguments.out)
    if arguments.camera_rgb and kind != "tiff":
        raise NotSupported("--camera-rgb writes TIFF", arguments.out)
    if arguments.camera_rgb and bits != 16:
        raise NotSupported("--camera-rgb writes 16 bits", arguments.out)
    charts = charts_named(arguments.balance)
    if arguments.camera_rgb and (arguments.profiles or arguments.tone == "profile"):
        raise Wrong("--camera-rgb goes without a profile")
    if arguments.camera_rgb and arguments.space:
        raise Wrong("--camera-rgb writes camera numbers, which are in no SPACE")
    if (arguments.encoding or arguments.input_of) and not arguments.camera_rgb:
        raise Wrong("--encoding and --for go with --camera-rgb")
    if arguments.encoding and arguments.input_of:
        raise Wrong("--for takes the encoding from the profile; leave --encoding out")
    if arguments.tone == "profile" and len(arguments.profiles) != 1:
        raise Wrong("--tone profile needs a --profile that has a tone curve")
    if arguments.tone == "profile" and len(charts) > 1:
        raise Wrong("--tone profile goes with one chart; what is mixed in time has no curve of its own")
    if len(arguments.profiles) > 1 and len(arguments.profiles) != len(charts):
        raise Wrong("--profile takes one, or one for each of the charts in --balance chart:FILE,FILE…, in their order")
    if arguments.at and len(charts) < 2:
        raise Wrong("--at goes with --balance chart:FILE,FILE…, several charts of a light that moves")
    if arguments.camera_rgb and arguments.flat:
        raise Wrong("--camera-rgb writes camera numbers as they are; leave --flat out")
    if arguments.force and not arguments.profiles:
        raise Wrong("--force goes with --profile")
    return bits


def render(arguments: argparse.Namespace) -> Told:
    """Render one raw file."""
    from velkin.core.cameraprofiles.takes import encoding_taken
    from velkin.core.files import raw
    from velkin.core.files.encode import write_picture
    from velkin.core.files.kinds import format_of
    from velkin.core.files.picture import Picture
    from velkin.core.files.safely import refuse_output, write_whole
    from velkin.core.handoff.profile_input import camera_tiff
    from velkin.core.icc.space import profile_of
    from velkin.core.path import path_of
    from velkin.core.render import picture_through
    from velkin.core.spaces.rgb import ROMM
    from velkin.core.stages.stage import Place

    arguments.profiles = () if arguments.profile is None else files_in(arguments.profile)
    bits = _check(arguments)
    out: Path = arguments.out
    space = rgb_space_named(arguments.space or "romm")
    others = [p for p in (arguments.input_of, arguments.flat) if p]
    inputs = [arguments.file, *arguments.profiles, *others, *charts_named(arguments.balance)]
    refuse_output(out, inputs, arguments.replace)
    facts = raw.read_facts(arguments.file)
    stage = _stage(arguments, facts)
    document: dict[str, Any]
    if arguments.camera_rgb:
        encoding = encoding_taken(arguments.input_of) if arguments.input_of else arguments.encoding or "linear"
        write_whole(out, camera_tiff(arguments.file, stage.balance, encoding, arguments.exposure), arguments.replace)
        document = {"out": str(out), "encoding": encoding}
    else:
        path = path_of(stage, ROMM, space, exposure=arguments.exposure)  # as in the window, by way of the widest working space
        if arguments.flat is not None:
            path = path.put(Place.FIELD, evened_by(arguments.flat, facts))
        done = picture_through(raw.levels(arguments.file), path.before(Place.DESTINATION), space, bits=bits)
        assert done.outside is not None
        channels = {c: {"low": low, "high": high} for c, (low, high) in zip("rgb", done.outside.shares(), strict=True)}
        document = {"out": str(out), "space": space.id, "clipped": channels}
        picture, kind, replace = Picture(done.numbers, None, "rgb"), format_of(out), arguments.replace
        write_picture(out, picture, kind, profile_of(space), family=space.id, source=arguments.file, replace=replace)
    return Told(document, f"written {out}" + (f" in {space.name}" if not arguments.camera_rgb else ", camera numbers"))
