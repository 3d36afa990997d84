"""`velkin merge`: the layers of a picture put together, and what converting them one by one would have moved."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from velkin.cli.converting import destination_of, not_a_profile, say_left, start_of
from velkin.cli.saying import Wrong, print_json, say
from velkin.core.errors import NotSupported

if TYPE_CHECKING:
    from velkin.core.layered import Shift


def merge(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    from velkin.core.files.formats import format_at
    from velkin.core.files.kinds import format_of
    from velkin.core.files.layers.picture import opened
    from velkin.core.files.layers.stack import listed
    from velkin.core.files.picture import decode_picture
    from velkin.core.files.safely import refuse_output
    from velkin.core.handoff.copies import CopyWish, write_copy
    from velkin.core.icc.space import family
    from velkin.core.layered import shift_of
    from velkin.core.stages.steps import Convert

    if arguments.shift and arguments.to is None:
        raise Wrong("velkin merge: --shift needs --to, the space that layers would be converted to")
    known = _known(arguments)
    if known != "ora":
        raise NotSupported(
            f"it has no layers that Velkin reads (it is {format_at(arguments.file).kind.name}); use convert", arguments.file
        )
    refuse_output(arguments.out, [arguments.file], arguments.replace)
    format_of(arguments.out)
    arguments.source = None
    start = start_of(arguments, 0)
    to = destination_of(arguments) if arguments.to is not None else start
    not_a_profile(arguments.out, arguments.to, arguments.replace)
    shift = shift_of(arguments.file, start, to) if arguments.shift else None
    picture = decode_picture(arguments.file)
    with opened(arguments.file) as layered:
        count, unknown = len(layered.stack.layers()), list(layered.stack.unknown)
        seen = len([layer for layer in listed(layered.stack) if layer.visible and not layer.group])
        code = layered.against_merged(picture.numbers, picture.alpha)
    wish = CopyWish(arguments.out, arguments.bits, to != start, arguments.quality, 0, arguments.replace)
    done = write_copy(arguments.file, start, (Convert(to),), wish, picture)
    for what in unknown:
        say(f"{arguments.file.name}: not known: {what}")
    if code is not None and code > 1:
        say(f"{arguments.file.name}: the merged picture in the file is another, by up to {code} codes of 8 bits")
    if done.merged:
        say(f"{arguments.file.name}: its transparent parts were laid over white, because {arguments.out.suffix} holds none")
    say_left(arguments.file, done.left)
    if arguments.json:
        document: dict[str, Any] = {
            "out": str(done.out),
            "space": family(to) or to.name,
            "layers": count,
            "against_merged": None if code is None else {"max_code": code},
            "unknown": unknown,
            "shift": None if shift is None else _document(shift),
        }
        print_json(document)
        return 0
    print(f"written {done.out} in {to.name}: {seen} of {count} layers merged{', then converted' if to != start else ''}")
    if shift is not None:
        print(f"  {shift.words()} (mean {shift.mean:.2f}, 95th percentile {shift.p95:.2f}, largest {shift.largest:.2f})")
    return 0


def _known(arguments: argparse.Namespace) -> str:
    from velkin.core.errors import UnreadableFile
    from velkin.core.files.formats import format_at
    from velkin.core.files.raw_names import is_raw_name

    if is_raw_name(arguments.file):
        raise NotSupported("a raw file has no layers; use render", arguments.file)
    try:
        return format_at(arguments.file).kind.id
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror})", arguments.file) from error


def _document(shift: Shift) -> dict[str, Any]:
    return {
        "mean": shift.mean,
        "p95": shift.p95,
        "max": shift.largest,
        "share": shift.share,
        "causes": [{"layer": c.name, "operator": c.operator, "share": c.share} for c in shift.causes],
    }
