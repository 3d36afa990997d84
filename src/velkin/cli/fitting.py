"""`velkin fit`: reading charts, fitting a camera profile, writing it in every format asked for."""

from __future__ import annotations

import argparse
import shlex
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velkin.cli.charts import read_chart
from velkin.cli.fields import evened_chart
from velkin.cli.moving import charted, files_in, moment_among, reading_at
from velkin.cli.saying import Wrong, print_json, say
from velkin.cli.spaces import rgb_space_named
from velkin.core.errors import FitRefused, NotSupported, OutputRefused, VelkinError

if TYPE_CHECKING:
    from velkin.core.cameraprofiles.export import ExportedProfile
    from velkin.core.cameraprofiles.fit import FitRequest
    from velkin.core.cameraprofiles.profile import CameraProfile
    from velkin.core.charts.definition import Chart
    from velkin.core.charts.read import Reading
    from velkin.core.charts.reading_job import JudgedReading
    from velkin.core.files.raw import RawFacts
    from velkin.core.spectra import Illuminant


def evened(kept: JudgedReading, wish: str) -> JudgedReading:
    """The reading with uneven light corrected as --even-light says; `auto` does so where it was judged uneven."""
    return kept.even_light(wish == "on" or (wish == "auto" and kept.is_uneven))


def fit(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    from velkin.core.cameraprofiles.export import FORMATS, ExportChoices, exported
    from velkin.core.cameraprofiles.fit import stamped
    from velkin.core.files.kinds import is_picture_name
    from velkin.core.files.safely import refuse_output, write_whole

    outs: list[Path] = arguments.out
    for out in outs:
        if out.suffix.lower() not in FORMATS:
            raise NotSupported(
                f"writing {out.suffix or 'a file without suffix'} is not supported; use {', '.join(FORMATS)}", out
            )
    suffixes = {out.suffix.lower() for out in outs}
    if len({o.absolute() for o in outs}) != len(outs):
        raise Wrong("--out names the same file twice")
    if arguments.second_light and not arguments.second:
        raise Wrong("--second-light goes with --second")
    if bool(arguments.also) != bool(arguments.at):
        raise Wrong("--also and --at go together: charts of a light that moves, and the time between them")
    if arguments.also and (arguments.second or arguments.corners):
        raise Wrong("--also goes without --second and --corners")
    for option, given, suffix in (
        ("--encoding", arguments.encoding, ".icc"),
        ("--icc-version", arguments.icc_version, ".icc"),
        ("--space", arguments.space, ".cube"),
        ("--cube-size", arguments.cube_size, ".cube"),
    ):
        if given is not None and suffix not in suffixes:
            raise Wrong(f"{option} goes with an {suffix}" if suffix == ".icc" else f"{option} goes with a {suffix}")
    space = rgb_space_named(arguments.space or "romm")
    also = files_in(arguments.also) if arguments.also else ()
    inputs = [arguments.file, *(p for p in (arguments.second, arguments.flat) if p), *also]
    for out in outs:
        refuse_output(out, inputs, arguments.replace)
    if is_picture_name(arguments.file):
        profile, words = _from_picture(arguments, suffixes)
        if words:
            say(f"{arguments.file.name}: {words}")
    else:
        profile = _from_raw(arguments)
    profile = replace(stamped(profile, datetime.now()), copyright=arguments.copyright)
    choices = ExportChoices(arguments.encoding or "linear", arguments.icc_version or 4, space, arguments.cube_size or 65)
    files: list[tuple[Path, ExportedProfile]] = []
    for out in outs:
        try:
            files.append((out, exported(profile, out.suffix.lower(), choices)))
        except NotSupported as error:
            raise OutputRefused(error.message, out) from error
    for out, file in files:
        write_whole(out, file.data, arguments.replace)
    _report(profile, [_written(out, file) for out, file in files], arguments.json)
    return 0


def _written(out: Path, file: ExportedProfile) -> dict[str, str]:
    row = {"path": str(out), "input": file.input, "output": file.output}
    if file.of_camera:
        row["command"] = f"velkin render RAW --camera-rgb --for {shlex.quote(str(out))} --out INPUT.tif"
    return row


def _light(text: str | None) -> Any:
    from velkin.core.spectra import parse_light

    return None if text in (None, "auto") else parse_light(str(text))


def _from_raw(arguments: argparse.Namespace) -> CameraProfile:
    from velkin.core.cameraprofiles.fit import fit as fit_profiles

    if arguments.also:
        request = _request_in_time(arguments)
    else:
        request = _request(arguments, arguments.file, arguments.light, arguments.corners)
    second = None
    if arguments.second:
        second = _request(arguments, arguments.second, arguments.second_light, None)
        from velkin.core.files.camera_names import same_camera

        if not same_camera(second.camera, request.camera):
            raise FitRefused(
                f"the two chart frames come from {request.camera} and {second.camera}; one profile is for one camera",
                arguments.second,
            )
    try:
        return fit_profiles(request, second).of(arguments.model)
    except VelkinError as error:
        error.file = error.file or arguments.file
        raise


def _request(arguments: argparse.Namespace, file: Path, light: str | None, corners: str | None) -> FitRequest:
    """What is to be fitted on a raw chart frame."""
    from velkin.core.charts.judge import refuse_unusable
    from velkin.core.files.raw import read_facts

    facts = read_facts(file)
    kept = evened_chart(read_chart(file, arguments.chart, arguments.grid, corners), facts, arguments.flat)
    try:
        refuse_unusable(kept.judgements)
    except VelkinError as error:
        error.file = error.file or file
        raise
    kept = evened(kept, arguments.even_light)
    return _asked(arguments, kept.for_fit(), kept.chart, facts, _light(light), file.name)


def _request_in_time(arguments: argparse.Namespace) -> FitRequest:
    """What is to be fitted on what the chart would have shown at a time between raw chart frames."""
    files = (arguments.file, *files_in(arguments.also))
    found = charted(files, arguments.chart, arguments.grid, arguments.flat, arguments.even_light)
    when = moment_among(found, arguments.at, None)
    first = next(c for c in found if c.anchor is when.first)
    name = when.first.name if when.first is when.second else f"{when.first.name} to {when.second.name}"
    return _asked(arguments, reading_at(found, when), first.kept.chart, first.facts, _light(arguments.light), name)


def _asked(
    arguments: argparse.Namespace, reading: Reading, chart: Chart, facts: RawFacts, light: Illuminant | None, name: str
) -> FitRequest:
    from velkin.core.cameraprofiles.fit import FitRequest
    from velkin.core.cameraprofiles.matrices import baseline_of, built_in

    return FitRequest(
        reading,
        chart,
        facts.unique,
        built_in(facts),
        light,
        arguments.name,
        name,
        arguments.model,
        arguments.keep_exposure == "yes",
        arguments.tone,
        baseline=baseline_of(facts),
    )


def _from_picture(arguments: argparse.Namespace, suffixes: set[str]) -> tuple[CameraProfile, str]:
    """The profile fitted on a finished picture of the chart, and what it visibly went through."""
    from velkin.core.cameraprofiles.picture_fit import fit_picture_file

    if ".dcp" in suffixes:
        raise OutputRefused(
            "a DNG camera profile takes a sensor's own numbers, and this is a finished picture; write .icc or .cube",
            arguments.file,
        )
    if arguments.also or arguments.flat:
        raise FitRefused("a light that moves and an even field are followed in raw files only", arguments.file)
    if arguments.second:
        raise FitRefused(
            "two lights in one profile need raw files: a finished picture has its white balance in it", arguments.file
        )
    kept = read_chart(arguments.file, arguments.chart, arguments.grid, arguments.corners)
    light, name = _light(arguments.light), arguments.name or arguments.file.stem
    try:
        fitted, words = fit_picture_file(
            arguments.file,
            evened(kept, arguments.even_light),
            name=name,
            light=light,
            model=arguments.model,
            tone=arguments.tone,
        )
    except VelkinError as error:
        error.file = error.file or arguments.file
        raise
    return fitted.of(arguments.model), words


def _report(profile: CameraProfile, written: list[dict[str, str]], as_json: bool) -> None:
    from velkin.core.cameraprofiles.models import WORDS

    f = profile.figures
    if as_json:
        print_json(
            {
                "model": profile.model,
                "reason": profile.reason,
                "exposure": profile.exposure,
                "mean": f.mean,
                "p95": f.p95,
                "worst": f.worst,
                "leave_one_out": f.leave_one_out,
                "neutral": f.neutral,
                "patches": [{"id": p.id, "before": p.before, "after": p.after} for p in profile.patches],
                "lights": [{"cct": fitted.cct, "duv": fitted.duv} for fitted in profile.fits],
                "written": written,
            }
        )
        return
    print(
        f"{profile.name}: {WORDS[profile.model]}, mean ΔE00 {f.mean:.2f} (before {f.before:.2f}), 95 % {f.p95:.2f}, "
        f"worst {f.worst:.2f}"
    )
    lights = " and ".join(f"{fitted.cct:.0f} K" for fitted in profile.fits)
    print(f"leave-one-out {f.leave_one_out:.2f}, neutrals {f.neutral:.2f}, light {lights}, exposure × {profile.exposure:.3f}")
    if profile.reason:
        print(profile.reason)
    for item in written:
        print(f"written {item['path']}: takes {item['input']}, gives {item['output']}")
        if "command" in item:
            print(f"  its input: {item['command']}")
