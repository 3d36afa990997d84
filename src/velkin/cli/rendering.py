"""`velkin render`: a raw file through a camera profile to a tagged picture, or to balanced camera numbers."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from velkin.cli.charts import read_chart
from velkin.cli.saying import Wrong, print_json
from velkin.cli.spaces import rgb_space_named
from velkin.core.errors import NotSupported


def _balance_from_chart(file: Path) -> Any:
    """The balance of the greys of whichever built-in chart lies in a frame."""
    from velkin.core.charts.built_in import BUILT_IN
    from velkin.core.errors import ChartNotFound
    from velkin.core.whitebalance import from_greys

    for name in BUILT_IN:
        try:
            kept = read_chart(file, name)
        except ChartNotFound:
            continue
        return from_greys(kept.for_fit(), kept.chart)
    raise ChartNotFound("no chart found to take the white balance from", file)


def _balance_of(text: str | None, facts: Any) -> tuple[Any, str]:
    """The white balance asked for, or None for the profile's own or the camera's."""
    import numpy as np

    if text is None:
        return None, "chart"
    if text == "camera":
        return facts.as_shot, "as shot"
    if text.startswith("chart:"):
        return _balance_from_chart(Path(text[6:])), "chart"
    try:
        values = np.array([float(v) for v in text.split(",")])
    except ValueError:
        values = np.zeros(0)
    if values.shape != (3,) or not np.all(np.isfinite(values)) or values.min() <= 0:
        raise Wrong("--balance takes camera, chart:FILE or three positive multipliers R,G,B")
    return values / values[1], "given"


def _check(arguments: argparse.Namespace) -> int:
    """Refuse what does not go together; the bits to write."""
    import math

    from velkin.core.files.formats import FORMATS

    out: Path = arguments.out
    if out.suffix.lower() not in FORMATS:
        raise NotSupported(f"writing {out.suffix or 'a file without suffix'} is not supported; use {', '.join(FORMATS)}", out)
    if not math.isfinite(arguments.exposure) or abs(arguments.exposure) > 20:
        raise Wrong("--exposure takes EV within -20 to 20")
    kind = FORMATS[out.suffix.lower()]
    bits = int(arguments.bits or (8 if kind == "jpeg" else 16))
    if kind == "jpeg" and bits == 16:
        raise NotSupported("JPEG holds 8 bits", out)
    if arguments.camera_rgb and kind != "tiff":
        raise NotSupported("--camera-rgb writes TIFF", out)
    if arguments.camera_rgb and bits != 16:
        raise NotSupported("--camera-rgb writes 16 bits", out)
    if arguments.camera_rgb and (arguments.profile or arguments.tone == "profile"):
        raise Wrong("--camera-rgb goes without a profile")
    if arguments.encoding and not arguments.camera_rgb:
        raise Wrong("--encoding goes with --camera-rgb")
    if arguments.tone == "profile" and not arguments.profile:
        raise Wrong("--tone profile needs a --profile that has a tone curve")
    return bits


def render(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    import numpy as np

    from velkin.core.cameraprofiles.anyprofile import check_camera, load_any
    from velkin.core.errors import VelkinError
    from velkin.core.files import raw
    from velkin.core.files.encode import encode_picture
    from velkin.core.files.formats import FORMATS
    from velkin.core.files.safely import refuse_output, write_whole
    from velkin.core.gamut.outside import measure_outside
    from velkin.core.path import ColourPath, built_in_stage, profile_stage
    from velkin.core.render import balanced, to_working
    from velkin.core.spaces.rgb import ROMM_LINEAR, SRGB

    bits = _check(arguments)
    out: Path = arguments.out
    space = rgb_space_named(arguments.space)
    inputs = [arguments.file, *([arguments.profile] if arguments.profile else [])]
    if (arguments.balance or "").startswith("chart:"):
        inputs.append(Path(arguments.balance[6:]))
    refuse_output(out, inputs, arguments.replace)
    facts = raw.read_facts(arguments.file)
    profile = load_any(arguments.profile) if arguments.profile else None
    if profile is not None:
        try:
            check_camera(profile, facts.unique, arguments.force)
        except VelkinError as error:
            error.file = arguments.profile
            raise
    balance, source = _balance_of(arguments.balance, facts)
    if profile is None:
        stage = built_in_stage(facts, balance, source if balance is not None else "as shot")
    else:
        stage = profile_stage(profile, facts, balance, source, arguments.tone == "profile")
    pixels = raw.decode(arguments.file)
    document: dict[str, Any]
    if arguments.camera_rgb:
        encoding = arguments.encoding or "linear"
        numbers = balanced(pixels, stage.balance) * np.float32(2.0**arguments.exposure)
        data = encode_picture(numbers, SRGB if encoding == "srgb" else ROMM_LINEAR, "tiff", 16, arguments.file, tag=False)
        document = {"out": str(out), "encoding": encoding}
    else:
        linear = to_working(pixels, ColourPath(stage, arguments.exposure, space, space))
        outside = measure_outside(linear, space)
        data = encode_picture(linear, space, FORMATS[out.suffix.lower()], bits, arguments.file)
        channels = {c: {"low": low, "high": high} for c, (low, high) in zip("rgb", outside.shares(), strict=True)}
        document = {"out": str(out), "space": space.id, "clipped": channels}
    write_whole(out, data, arguments.replace)
    if arguments.json:
        print_json(document)
    else:
        print(f"written {out}" + (f" in {space.name}" if not arguments.camera_rgb else ", camera numbers"))
    return 0
