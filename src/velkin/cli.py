"""The command line: the same core without a window. One JSON document with ``--json``, a short report without.

Exit status: 0 done; 1 the work was refused or something failed; 2 wrong use. Never a traceback for bad input.
"""

from __future__ import annotations

import argparse
import io
import json
import os
import sys
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

from velkin import __version__
from velkin.core.errors import BadProfile, NotSupported, VelkinError

if TYPE_CHECKING:
    from velkin.core.charts.reading_job import JudgedReading


class _Wrong(Exception):
    """Wrong use of the command line."""


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise _Wrong(f"{self.prog}: {message}")


def _say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def _build() -> _Parser:
    parser = _Parser(prog="velkin", description="Camera profiles, tags and checked hand-off.")
    parser.add_argument("--version", action="version", version=f"velkin {__version__}")
    verbs = parser.add_subparsers(dest="verb", required=True, parser_class=_Parser)

    def verb(name: str, help_text: str, run: Callable[[argparse.Namespace], int]) -> argparse.ArgumentParser:
        sub = verbs.add_parser(name, help=help_text, description=help_text)
        sub.add_argument("--json", action="store_true", help="print one JSON document (anywhere after the verb)")
        sub.set_defaults(run=run)
        return sub

    p = verb("inspect", "what each file is and says of its colour", _inspect)
    p.add_argument("files", nargs="+", type=Path)

    p = verb("chart", "find and read a chart", _chart)
    p.add_argument("file", type=Path)
    p.add_argument("--chart", required=True)
    p.add_argument("--grid")
    p.add_argument("--corners")

    p = verb("fit", "read a chart, fit a camera profile, write it", _fit)
    p.add_argument("file", type=Path)
    p.add_argument("--chart", required=True)
    p.add_argument("--corners")
    p.add_argument("--grid")
    p.add_argument("--second", type=Path)
    p.add_argument("--light", default="auto")
    p.add_argument("--second-light")
    p.add_argument("--model", default="auto", choices=["auto", "matrix", "rootpoly", "table"])
    p.add_argument("--name", default="")
    p.add_argument("--keep-exposure", default="yes", choices=["yes", "no"])
    p.add_argument("--even-light", default="auto", choices=["auto", "on", "off"])
    p.add_argument("--tone", default="none", choices=["none", "standard"])
    p.add_argument("--encoding", choices=["linear", "srgb"])
    p.add_argument("--space")
    p.add_argument("--out", type=Path, nargs="+", required=True)
    p.add_argument("--replace", action="store_true")

    p = verb("render", "a raw file through a camera profile to a tagged picture", _render)
    p.add_argument("file", type=Path)
    p.add_argument("--profile", type=Path)
    p.add_argument("--camera-rgb", action="store_true")
    p.add_argument("--encoding", choices=["linear", "srgb"])
    p.add_argument("--space", default="romm")
    p.add_argument("--bits", type=int, default=None, choices=[8, 16])
    p.add_argument("--balance", default=None)
    p.add_argument("--exposure", type=float, default=0.0)
    p.add_argument("--tone", default="none", choices=["none", "profile"])
    p.add_argument("--out", type=Path, required=True)
    p.add_argument("--replace", action="store_true")

    p = verb("handoff", "write and check a shoot's destination", _handoff)
    p.add_argument("shoot", type=Path)
    p.add_argument("--to", required=True, metavar="DESTINATION")
    p.add_argument("--out", type=Path)
    p.add_argument("--replace", action="store_true")
    return parser


_NOT_YET = ("assign", "convert", "proof", "ease", "match")
_VERBS = ("inspect", "chart", "fit", "render", "handoff")


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line; the exit status."""
    words = list(sys.argv[1:] if argv is None else argv)
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(errors="backslashreplace")  # names that are no UTF-8 are printed escaped
    if not words or (
        words[0] not in _VERBS and not words[0].startswith(("-h", "--help", "--version")) and words[0] not in _NOT_YET
    ):
        return _window(words)
    as_json = "--json" in words
    try:
        if words[0] in _NOT_YET:
            raise NotSupported(f"the verb {words[0]!r} is not supported by this version")
        arguments = _build().parse_args([w for w in words if w != "--json"])
        arguments.json = as_json
        return int(arguments.run(arguments))
    except (_Wrong, NotSupported) as error:
        _fail(error, as_json)
        return 2
    except VelkinError as error:
        _fail(error, as_json)
        return 1
    except BrokenPipeError:  # whoever read the output has seen enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 1
    except (OSError, MemoryError) as error:
        _fail(error, as_json)
        return 1


def _fail(error: Exception, as_json: bool) -> None:
    file = getattr(error, "file", None) or getattr(error, "filename", None)
    if as_json:
        _print_json({"error": getattr(error, "message", str(error)), "file": str(file) if file else None})
    _say(str(error))


def _print_json(document: Any) -> None:
    text = json.dumps(document, ensure_ascii=False, indent=1, allow_nan=False)
    try:
        data = text.encode()
    except UnicodeEncodeError:  # a file name that is no UTF-8: escaped, so that the document stays UTF-8
        data = json.dumps(document, indent=1, allow_nan=False).encode()
    sys.stdout.buffer.write(data + b"\n")
    sys.stdout.buffer.flush()


def _window(words: list[str]) -> int:
    parser = _Parser(prog="velkin", description="Open the window. Verbs: " + ", ".join(_VERBS) + ".")
    parser.add_argument("shoot", nargs="?", type=Path)
    parser.add_argument("--demo", action="store_true", help="open the demo shoot, made on first use")
    parser.add_argument("--screenshot", type=Path, help="write a picture of the window and exit")
    try:
        arguments = parser.parse_args(words)
    except _Wrong as error:
        _say(str(error))
        return 2
    from velkin.app.main import start

    try:
        return start(arguments.shoot, arguments.demo, arguments.screenshot)
    except VelkinError as error:
        _say(str(error))
        return 1


# ---- verbs --------------------------------------------------------------------------------------------------------


def _inspect(arguments: argparse.Namespace) -> int:
    from velkin.core.tags.inspect import inspect

    documents: list[dict[str, Any]] = []
    failed = False
    for path in arguments.files:
        try:
            i = inspect(path)
        except VelkinError as error:
            failed = True
            _say(str(error))
            documents.append({"path": str(path), "error": error.message, "file": str(path)})
            continue
        documents.append(
            {
                "path": str(path),
                "kind": i.kind,
                "format": i.format,
                "width": i.width,
                "height": i.height,
                "channels": i.channels,
                "bits": i.bits,
                "model": i.model,
                "tag": {
                    "state": i.tag.state,
                    "source": i.tag.source,
                    "description": i.tag.description,
                    "space": i.tag.space,
                },
                "camera": {"make": i.make, "model": i.camera, "unique": i.unique},
                "notes": list(i.notes),
            }
        )
        if not arguments.json:
            where = f" ({i.tag.source})" if i.tag.source != "none" else ""
            print(
                f"{path}: {i.format}, {i.width} × {i.height}, {i.bits}-bit {i.model}; {i.tag.state}{where} {i.tag.description}".rstrip()
            )
            for note in i.notes:
                print(f"  {note}")
    if arguments.json:
        _print_json(documents)
    return 1 if failed else 0


def _parse_corners(text: str) -> Any:
    import numpy as np

    try:
        values = [float(v) for v in text.split(",")]
    except ValueError:
        values = []
    if len(values) != 8:
        raise _Wrong("--corners takes eight numbers: X,Y of the four corners, from the first patch's clockwise")
    return np.array(values).reshape(4, 2)


def _parse_grid(text: str | None) -> tuple[int, int] | None:
    """Columns and rows of ``6x4``."""
    if text is None:
        return None
    parts = text.lower().replace("×", "x").split("x")
    if len(parts) != 2 or not all(p.isdigit() and 1 < int(p) <= 200 for p in parts):
        raise _Wrong("--grid takes columns x rows, such as 6x4")
    return int(parts[0]), int(parts[1])


def _read_chart(file: Path, chart_name: str, grid: str | None = None, corners_text: str | None = None) -> JudgedReading:
    """The judged reading of a chart frame; where several charts lie in it, of the surest, which is said."""
    from velkin.core.charts.built_in import chart_named
    from velkin.core.charts.reading_job import charts_in, pixels_of, read_at, read_found

    corners = _parse_corners(corners_text) if corners_text else None
    chart = chart_named(chart_name, _parse_grid(grid))
    try:
        image, scale = pixels_of(file)
        if corners is not None:
            return read_at(image, corners, chart, scale)
        found = charts_in(image, chart, scale)
        if len(found) > 1:
            _say(f"{file.name}: {len(found)} charts found; the surest is read. Others are read with --corners:")
            for other in found[1:]:
                _say("  --corners " + ",".join(f"{v:.1f}" for v in other.corners.ravel()))
        return read_found(image, found[0], scale)
    except VelkinError as error:
        error.file = error.file or file
        raise


def _chart(arguments: argparse.Namespace) -> int:
    from velkin.core.errors import ChartNotFound

    try:
        kept = _read_chart(arguments.file, arguments.chart, arguments.grid, arguments.corners)
    except ChartNotFound as error:
        if arguments.json:
            _print_json({"found": False, "error": error.message, "file": str(arguments.file)})
        _say(str(error))
        return 1
    flags: dict[str, list[str]] = {p.id: [] for p in kept.reading.patches}
    for judgement in kept.judgements:
        for patch in judgement.patches:
            flags[patch].append(judgement.about.lower())
    if arguments.json:
        _print_json(
            {
                "found": True,
                "chart": kept.chart.id,
                "grid": f"{kept.chart.columns}x{kept.chart.rows}",
                "corners": [list(c) for c in kept.reading.corners],
                "patches": [
                    {"id": p.id, "rgb": list(p.rgb), "spread": p.spread, "clipped": p.clipped, "flags": flags[p.id]}
                    for p in kept.reading.patches
                ],
                "judgements": [
                    {
                        "about": j.about,
                        "finding": j.finding,
                        "verdict": j.verdict.value,
                        "patches": list(j.patches),
                        "advice": j.advice,
                    }
                    for j in kept.judgements
                ],
            }
        )
    else:
        print("corners  " + "  ".join(f"{x:.1f},{y:.1f}" for x, y in kept.reading.corners))
        for j in kept.judgements:
            print(f"{j.about:10s} {j.finding} ({j.verdict.value}) {j.advice}".rstrip())
        for p in kept.reading.patches:
            print(
                f"{p.id:4s} {p.rgb[0]:.5f} {p.rgb[1]:.5f} {p.rgb[2]:.5f}  spread {p.spread:.3f}  {' '.join(flags[p.id])}".rstrip()
            )
    return 0


def _evened(kept: JudgedReading, wish: str) -> JudgedReading:
    """The reading with uneven light corrected as --even-light says; `auto` does so where it was judged uneven."""
    from velkin.core.charts.judge import Verdict

    uneven = any(j.about == "Light" and j.verdict is Verdict.NOTE for j in kept.judgements)
    return kept.even_light(wish == "on" or (wish == "auto" and uneven))


def _fit(arguments: argparse.Namespace) -> int:
    from velkin.core.cameraprofiles.builtin import built_in
    from velkin.core.cameraprofiles.fit import FitRequest, fit, stamped
    from velkin.core.charts.judge import refuse_unusable
    from velkin.core.files.raw import read_facts
    from velkin.core.files.safely import refuse_output, write_whole
    from velkin.core.spectra import parse_light

    unsupported = {
        "--second": arguments.second,
        "--second-light": arguments.second_light,
        "--encoding": arguments.encoding,
        "--space": arguments.space,
        f"--model {arguments.model}": arguments.model not in ("auto", "matrix"),
        "--keep-exposure no": arguments.keep_exposure == "no",
        "--tone standard": arguments.tone == "standard",
    }
    for option, given in unsupported.items():
        if given:
            raise NotSupported(f"{option} is not supported by this version, which fits matrix profiles")
    for out in arguments.out:
        if out.suffix.lower() != ".json":
            raise NotSupported(
                f"writing {out.suffix or 'a file without suffix'} is not supported by this version; use .json", out
            )
    if len({o.absolute() for o in arguments.out}) != len(arguments.out):
        raise _Wrong("--out names the same file twice")
    light = None if arguments.light == "auto" else parse_light(arguments.light)
    for out in arguments.out:
        refuse_output(out, [arguments.file], arguments.replace)
    facts = read_facts(arguments.file)
    kept = _read_chart(arguments.file, arguments.chart, arguments.grid, arguments.corners)
    try:
        refuse_unusable(kept.judgements)
        kept = _evened(kept, arguments.even_light)
        request = FitRequest(
            kept.for_fit(), kept.chart, facts.unique, built_in(facts), light, arguments.name, arguments.file.name
        )
        profile = stamped(fit(request), datetime.now())
    except VelkinError as error:
        error.file = error.file or arguments.file
        raise
    written = []
    for out in arguments.out:
        write_whole(out, profile.to_json().encode(), arguments.replace)
        written.append({"path": str(out), "input": "balanced camera RGB, linear", "output": "XYZ D50"})
    f = profile.figures
    if arguments.json:
        _print_json(
            {
                "model": profile.model,
                "exposure": profile.exposure,
                "mean": f.mean,
                "p95": f.p95,
                "worst": f.worst,
                "leave_one_out": f.leave_one_out,
                "neutral": f.neutral,
                "patches": [{"id": p.id, "before": p.before, "after": p.after} for p in profile.patches],
                "lights": [{"cct": profile.cct, "duv": profile.duv}],
                "written": written,
            }
        )
    else:
        print(
            f"{profile.name}: matrix, mean ΔE00 {f.mean:.2f} (built-in {f.before:.2f}), 95 % {f.p95:.2f}, worst {f.worst:.2f}"
        )
        print(
            f"leave-one-out {f.leave_one_out:.2f}, neutrals {f.neutral:.2f}, light {profile.cct:.0f} K, exposure × {profile.exposure:.3f}"
        )
        for item in written:
            print(f"written {item['path']}")
    return 0


def _balance_from_chart(file: Path) -> Any:
    """The balance of the greys of whichever built-in chart lies in a frame."""
    from velkin.core.charts.built_in import BUILT_IN
    from velkin.core.errors import ChartNotFound
    from velkin.core.whitebalance import from_greys

    for name in BUILT_IN:
        try:
            kept = _read_chart(file, name)
        except ChartNotFound:
            continue
        return from_greys(kept.for_fit(), kept.chart)
    raise ChartNotFound("no chart found to take the white balance from", file)


def _balance_of(text: str | None, facts: Any, profile: Any) -> tuple[Any, str]:
    """The white balance asked for, or None for the profile's own or the camera's."""
    import numpy as np

    if text is None:
        return None, "chart" if profile is not None else "as shot"
    if text == "camera":
        return facts.as_shot, "as shot"
    if text.startswith("chart:"):
        return _balance_from_chart(Path(text[6:])), "chart"
    try:
        values = np.array([float(v) for v in text.split(",")])
    except ValueError:
        values = np.zeros(0)
    if values.shape != (3,) or not np.all(np.isfinite(values)) or values.min() <= 0:
        raise _Wrong("--balance takes camera, chart:FILE or three positive multipliers R,G,B")
    return values / values[1], "given"


def _render(arguments: argparse.Namespace) -> int:
    import numpy as np  # fmt: skip

    from velkin.core.cameraprofiles.profile import load_profile
    from velkin.core.files import raw
    from velkin.core.files.encode import FORMATS, encode_picture
    from velkin.core.files.safely import refuse_output, write_whole
    from velkin.core.path import ColourPath, built_in_stage, profile_stage
    from velkin.core.render import balanced, measure_outside, to_working
    from velkin.core.spaces.rgb import BUILT_IN, ROMM_LINEAR, SRGB

    out: Path = arguments.out
    if arguments.space not in BUILT_IN:
        raise NotSupported(f"the space {arguments.space!r} is not supported by this version; it knows {', '.join(BUILT_IN)}")
    if out.suffix.lower() not in FORMATS:
        raise NotSupported(f"writing {out.suffix or 'a file without suffix'} is not supported; use {', '.join(FORMATS)}", out)
    if not np.isfinite(arguments.exposure) or abs(arguments.exposure) > 20:
        raise _Wrong("--exposure takes EV within -20 to 20")
    bits = arguments.bits or (8 if FORMATS[out.suffix.lower()] == "jpeg" else 16)
    if FORMATS[out.suffix.lower()] == "jpeg" and bits == 16:
        raise NotSupported("JPEG holds 8 bits", out)
    if arguments.camera_rgb and FORMATS[out.suffix.lower()] != "tiff":
        raise NotSupported("--camera-rgb writes TIFF", out)
    if arguments.camera_rgb and bits != 16:
        raise NotSupported("--camera-rgb writes 16 bits", out)
    if arguments.camera_rgb and (arguments.profile or arguments.tone == "profile"):
        raise _Wrong("--camera-rgb goes without a profile")
    if arguments.encoding and not arguments.camera_rgb:
        raise _Wrong("--encoding goes with --camera-rgb")
    if arguments.tone == "profile":
        raise NotSupported("--tone profile is not supported by this version")
    if arguments.profile and arguments.profile.suffix.lower() != ".json":
        raise NotSupported(
            f"{arguments.profile.suffix or 'such'} profiles are not supported by this version; use .json",
            arguments.profile,
        )
    inputs = [arguments.file, *([arguments.profile] if arguments.profile else [])]
    if (arguments.balance or "").startswith("chart:"):
        inputs.append(Path(arguments.balance[6:]))
    refuse_output(out, inputs, arguments.replace)
    facts = raw.read_facts(arguments.file)
    profile = load_profile(arguments.profile) if arguments.profile else None
    if profile is not None and profile.camera != facts.unique:
        raise BadProfile(
            f"the profile was made for {profile.camera}, and the frame was shot with {facts.unique}", arguments.profile
        )
    balance, source = _balance_of(arguments.balance, facts, profile)
    stage = profile_stage(profile, balance, source) if profile is not None else built_in_stage(facts, balance, source)
    pixels = raw.decode(arguments.file)
    document: dict[str, Any]
    if arguments.camera_rgb:
        encoding = arguments.encoding or "linear"
        numbers = balanced(pixels, stage.balance) * np.float32(2.0**arguments.exposure)
        data = encode_picture(numbers, SRGB if encoding == "srgb" else ROMM_LINEAR, "tiff", 16, arguments.file, tag=False)
        document = {"out": str(out), "encoding": encoding}
    else:
        space = BUILT_IN[arguments.space]
        linear = to_working(pixels, ColourPath(stage, arguments.exposure, space, space))
        outside = measure_outside(linear, space)
        data = encode_picture(linear, space, FORMATS[out.suffix.lower()], bits, arguments.file)
        channels = {c: {"low": low, "high": high} for c, (low, high) in zip("rgb", outside.shares(), strict=True)}
        document = {"out": str(out), "space": space.id, "clipped": channels}
    write_whole(out, data, arguments.replace)
    if arguments.json:
        _print_json(document)
    else:
        print(f"written {out}" + (f" in {BUILT_IN[arguments.space].name}" if not arguments.camera_rgb else ", camera numbers"))
    return 0


def _handoff(arguments: argparse.Namespace) -> int:
    from velkin.core.handoff.jobs import jobs_for, record
    from velkin.core.handoff.run import run
    from velkin.core.shoot.shoot import Shoot

    shoot = Shoot.open(arguments.shoot)
    try:
        state = shoot.state
        destination = next((d for d in state.destinations if arguments.to in (d.id, d.name)), None)
        if destination is None:
            known = ", ".join(f"{d.id} ({d.name})" for d in state.destinations)
            raise NotSupported(f"the shoot has no destination {arguments.to!r}; it has {known}", arguments.shoot)
        if arguments.out is not None:
            destination = replace(destination, folder=str(arguments.out.absolute()))
        jobs = jobs_for(shoot, state.order(), (destination,), number_taken=False)
        results = []
        for number, done in enumerate(run(jobs, arguments.replace), start=1):
            _say(f"{number} of {len(jobs)}: {done.job.out.name}: {done.finding}")
            record(shoot, done)
            results.append(done)
    finally:
        shoot.close()
    results.sort(key=lambda d: jobs.index(d.job))
    failed = [d for d in results if not d.ok]
    if arguments.json:
        written = [
            {
                "path": str(d.job.out),
                "space": destination.space.id,
                "check": "ok" if d.ok else "failed",
                "reason": "" if d.ok else d.finding,
                "frame": d.job.name,
            }
            for d in results
        ]
        _print_json({"written": written, "destination": destination.name, "failed": len(failed)})
    else:
        print(
            f"{len(results) - len(failed)} of {len(jobs)} files written to {shoot.folder_of(destination)}, tag and colours checked"
        )
    return 1 if failed else 0
