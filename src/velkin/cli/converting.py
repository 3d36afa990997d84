"""`velkin assign` and `velkin convert`: numbers stay and the look changes, or the look stays and numbers change."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velkin.cli.batches import Told
from velkin.cli.saying import say
from velkin.cli.spaces import space_named
from velkin.core.errors import NotSupported, VelkinError

if TYPE_CHECKING:
    from velkin.core.icc.space import Space


def _said(space: Space | None) -> str | None:
    """A space in a document: its id where it is or equals a built-in one, else the profile's own words."""
    from velkin.core.icc.space import family

    return None if space is None else family(space) or space.name


def assign(arguments: argparse.Namespace) -> Told:
    """Assign a space to one file."""
    from velkin.core.files.raw_names import is_raw_name
    from velkin.core.handoff.copies import CopyWish, write_copy
    from velkin.core.stages.steps import Assign

    if is_raw_name(arguments.file):
        raise NotSupported("a raw file has no space to be given; use render", arguments.file)
    page = page_of(arguments)
    space = space_for(arguments.file, page, arguments.space)
    not_a_profile(arguments.out, arguments.space, arguments.replace)
    wish = CopyWish(arguments.out, page=page, replace=arguments.replace)
    done = write_copy(arguments.file, None, (Assign(space),), wish)
    say_left(arguments.file, done.left)
    return Told({"out": str(done.out), "space": _said(space)}, f"written {done.out}: {space.name} assigned, numbers stay")


def convert(arguments: argparse.Namespace) -> Told:
    """Convert one file."""
    from velkin.core.files.raw_names import is_raw_name
    from velkin.core.handoff.copies import CopyWish, write_copy
    from velkin.core.icc.transform import Intent
    from velkin.core.stages.steps import Convert

    if is_raw_name(arguments.file):
        raise NotSupported("a raw file is not converted; use render", arguments.file)
    to = destination_of(arguments)
    page = page_of(arguments)
    start = start_of(arguments, page)
    not_a_profile(arguments.out, arguments.to, arguments.replace)
    not_a_profile(arguments.out, arguments.source, arguments.replace)
    intent = Intent[arguments.intent.upper()]
    step = Convert(to, intent, not arguments.no_bpc)
    wish = CopyWish(arguments.out, arguments.bits, not arguments.no_dither, arguments.quality, page, arguments.replace)
    done = write_copy(arguments.file, start, (step,), wish)
    if done.not_numbers:
        say(f"{arguments.file.name}: {done.not_numbers} samples were no numbers, or beyond 65504, and were set to 0 or 1")
    say_left(arguments.file, done.left)
    if done.merged:
        say(f"{arguments.file.name}: its transparent parts were laid over white, because {arguments.out.suffix} holds none")
    clipped: dict[str, Any] = {}
    if done.outside is not None:
        clipped = {c: {"low": low, "high": high} for c, (low, high) in zip("rgb", done.outside.shares(), strict=True)}
    return Told(
        {"out": str(done.out), "space": _said(to), "outside": done.share_outside, "clipped": clipped},
        f"written {done.out} in {to.name}; {100 * done.share_outside:.2f} % of the picture was out of its gamut",
    )


def destination_of(arguments: argparse.Namespace) -> Space:
    """The space that ``--to`` names. Raises NotSupported, BadProfile when nothing can be converted to it."""
    from velkin.core.conversion.conversion import is_destination
    from velkin.core.errors import BadProfile

    to = space_named(arguments.to)
    if not is_destination(to):
        raise BadProfile(
            "the profile has no way from colours to device values, so that nothing can be converted to it", arguments.to
        )
    return to


def start_of(arguments: argparse.Namespace, page: int) -> Space:
    """What a finished picture's numbers mean: ``--from``, else what the file says. Raises VelkinError where nothing does."""
    from velkin.core.icc.space import for_model, same
    from velkin.core.tags.inspect import inspect

    found = inspect(arguments.file, page)
    say_pages(arguments.file, found.pages, page)
    if arguments.source is not None:
        start = for_model(space_named(arguments.source), found.model)
        if found.said is not None and not same(found.said, start):
            say(f"{arguments.file.name}: its tag says {found.said.name}; read as {start.name}, as --from asks")
        return start
    if found.said is not None:
        if found.tag.state == "claimed":
            say(f"{arguments.file.name}: only its metadata claims {found.said.name}; it is believed")
        return found.said
    why = "its profile is damaged" if found.tag.state == "damaged" else "it is untagged"
    raise VelkinError(f"{why}, so that nothing says what its numbers mean; say it with --from", arguments.file)


def space_for(file: Path, page: int, text: str) -> Space:
    """The space that a word names, as it is meant for a picture: ``srgb``, for a gray one, is gray with sRGB's curve. Raises VelkinError."""
    from velkin.core.icc.space import for_model
    from velkin.core.tags.inspect import inspect

    space = space_named(text)
    found = inspect(file, page)
    say_pages(file, found.pages, page)
    return for_model(space, found.model)


def say_pages(file: Path, pages: int, page: int) -> None:
    """Say it where one of several pictures is taken."""
    if pages > 1:
        say(f"{file.name}: it holds {pages} pictures; number {page + 1} is taken (--page)")


def say_left(file: Path, left: str) -> None:
    """Say what of a source is not in the new file."""
    if left:
        say(f"{file.name}: left behind: {left} (inspect --contents says why)")


def page_of(arguments: argparse.Namespace) -> int:
    """The chosen picture of a file that holds several, from 0."""
    return int(arguments.page) - 1


def not_a_profile(out: Path, text: str | None, replace: bool) -> None:
    """The output must not be a profile that was given."""
    from velkin.core.files.safely import refuse_output

    if text is not None and Path(text).exists():
        refuse_output(out, [Path(text)], replace)
