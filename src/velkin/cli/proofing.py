"""`velkin proof` and `velkin ease`: what a destination would lose, and bringing it in."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from velkin.cli.batches import Told
from velkin.cli.converting import destination_of, not_a_profile, page_of, say_left, start_of
from velkin.cli.saying import Wrong, say
from velkin.core.errors import NotSupported

if TYPE_CHECKING:
    from velkin.core.icc.space import Space
    from velkin.core.path import ColourPath

_LETTERS = {"rgb": "rgb", "cmyk": "cmyk", "gray": "k"}


def _path(arguments: argparse.Namespace, to: Space) -> ColourPath:
    from velkin.core.files.raw import read_facts
    from velkin.core.files.raw_names import is_raw_name
    from velkin.core.path import path_of
    from velkin.core.spaces.rgb import ROMM
    from velkin.core.stages.camera import built_in_stage
    from velkin.core.stages.source import PictureSource

    if is_raw_name(arguments.file):
        return path_of(built_in_stage(read_facts(arguments.file)), ROMM, to)
    page = page_of(arguments)
    return path_of(PictureSource(start_of(arguments, page), True, page), ROMM, to)


def proof(arguments: argparse.Namespace) -> Told:
    """Tell what a destination would lose of one file."""
    import numpy as np

    from velkin.core.icc.transform import Intent
    from velkin.core.measures import loss_of
    from velkin.core.sources import decode_source
    from velkin.core.spaces.rgb import RGBSpace

    to = destination_of(arguments)
    path = _path(arguments, to).led_to(to, Intent[arguments.intent.upper()], not arguments.no_bpc)
    outside, lost = loss_of(decode_source(arguments.file, path.source), path)
    mean, largest = float(lost.mean(dtype=np.float64)), float(lost.max())
    p95 = float(np.percentile(lost, 95, overwrite_input=True))
    letters = _LETTERS[to.model]
    channels = {c: {"low": low, "high": high} for c, (low, high) in zip(letters, outside.shares(), strict=True)}
    judged_by = "channels" if isinstance(to, RGBSpace) else "hull" if outside.by_hull else "round trip"
    document: dict[str, Any] = {
        "outside": outside.share,
        "tone": outside.tone / max(outside.pixels, 1),
        "largest_patch": outside.largest / max(outside.pixels, 1),
        "judged_by": judged_by,
        "channels": channels,
        "delta_e": {"mean": mean, "p95": p95, "max": largest},
    }
    words = [f"{100 * outside.share:.2f} % of {arguments.file.name} is out of gamut for {to.name}"]
    if outside.by_hull:
        words.append("  told by the hull of its colours: its tables lead back to other colours")
    for letter, ends in channels.items():
        words.append(f"  {letter.upper()}  at the bottom {100 * ends['low']:.2f} %, at the top {100 * ends['high']:.2f} %")
    words.append(f"what is lost: ΔE00 {mean:.2f} mean, {p95:.2f} at the 95th percentile, {largest:.2f} at most")
    return Told(document, "\n".join(words))


def ease(arguments: argparse.Namespace) -> Told:
    """Ease one file."""
    from velkin.core.files.raw_names import is_raw_name
    from velkin.core.gamut.easing import full_strength
    from velkin.core.handoff.copies import CopyWish
    from velkin.core.handoff.eased import write_eased

    if not 0.0 <= arguments.strength <= 1.0:
        raise Wrong(f"--strength {arguments.strength:g} is not within 0 to 1")
    if is_raw_name(arguments.file):
        raise NotSupported("a raw file has no space of its own to stay in; render it first", arguments.file)
    to = destination_of(arguments)
    page = page_of(arguments)
    start = start_of(arguments, page)
    for profile in (arguments.to, arguments.source):
        not_a_profile(arguments.out, profile, arguments.replace)
    wish = CopyWish(arguments.out, page=page, quality=arguments.quality, replace=arguments.replace)
    done = write_eased(arguments.file, start, to, easings=full_strength(arguments.strength), wish=wish)
    say_left(arguments.file, done.left)
    if done.not_numbers:
        say(f"{arguments.file.name}: {done.not_numbers} samples were no numbers, or beyond 65504, and were set to 0 or 1")
    before, after = done.before.share, done.after.share
    return Told(
        {"before": before, "after": after, "delta_e": {"mean": done.mean_change}, "out": str(done.out)},
        f"written {done.out} in {start.name}: {100 * before:.2f} % out of gamut for {to.name} before, {100 * after:.2f} % after; "
        f"changed by ΔE00 {done.mean_change:.2f} mean",
    )
