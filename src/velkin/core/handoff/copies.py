"""Tagged copies of finished pictures: the numbers that a ledger of assignments and conversions leads to, written and named.

A copy without a conversion keeps every sample: in the same format only the tag is replaced, in TIFF and PNG the samples are
written as they were decoded.
"""

from __future__ import annotations

import os
import shutil
import struct
from dataclasses import dataclass
from pathlib import Path

from velkin.core.conversion.codes import Numbers, bits_of, in_bits
from velkin.core.conversion.outside import Outside
from velkin.core.errors import NotSupported, OutputFailed, UnreadableFile
from velkin.core.files.coding import Coding
from velkin.core.files.contents import left_behind
from velkin.core.files.encode import write_picture
from velkin.core.files.formats import format_at, format_named
from velkin.core.files.kinds import best_bits, check_format, format_of, holds_transparency, kind_named
from velkin.core.files.picture import Picture, decode_picture
from velkin.core.files.safely import refuse_output, write_whole
from velkin.core.files.transparency import held_by
from velkin.core.gamut.share import share_outside
from velkin.core.icc.space import Space, check_model, family, profile_of
from velkin.core.render import picture_through
from velkin.core.stages.source import PictureSource
from velkin.core.stages.steps import Assign, Convert, Step, after, convert_anything, read_as


@dataclass(frozen=True)
class CopyWish:
    """How a copy is written.

    Attributes
    ----------
    out : Path
    bits : int or None
        8 or 16; None keeps the source's (float too), as far as the format holds them.
    dither : bool
        When going to 8 bits.
    quality : int
        Of formats with loss.
    page : int
    replace : bool
        Whether an existing file may be replaced.
    """

    out: Path
    bits: int | None = None
    dither: bool = True
    quality: int = 95
    page: int = 0
    replace: bool = False


@dataclass(frozen=True)
class Copied:
    """A written copy: its space (None: without a tag), the share that the space could not hold, and the ends by channel; whether
    transparent parts were laid over white because the format holds none; what of the source was left behind, in words."""

    out: Path
    space: Space | None
    share_outside: float
    outside: Outside | None
    in_place: bool
    not_numbers: int = 0
    merged: bool = False
    left: str = ""


def write_copy(
    source: Path, start: Space | None, steps: tuple[Step, ...], wish: CopyWish, picture: Picture | None = None
) -> Copied:
    """Write a copy of a finished picture with its tag.

    Parameters
    ----------
    start : Space or None
        What the source's numbers mean; None where nothing says it and no step converts.
    steps : tuple of Step
        Assignments and conversions, in order.
    picture : Picture, optional
        The source, where it is decoded already.

    Raises
    ------
    NotSupported
        When the format cannot hold the picture, or cannot be given a tag without loss.
    OutputRefused, OutputFailed
        When the output is the source itself, is there already, or cannot be written.
    UnreadableFile, BadProfile
    """
    refuse_output(wish.out, [source], wish.replace)
    kind = format_of(wish.out)
    if start is None:
        start, steps = _settled(steps, source)
    space = after(start, steps) if start is not None else None
    converts = start is not None and convert_anything(start, steps)
    try:
        own_kind = format_at(source).kind.id
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror})", source) from error
    eight = kind in ("jpeg", "webp") and wish.bits == 8
    if not converts and own_kind == kind and format_named(kind).retags and (wish.bits is None or eight):
        return _same_samples(source, kind, space, wish)
    picture = picture or decode_picture(source, wish.page)
    own = bits_of(picture.numbers)
    if steps and isinstance(steps[-1], Convert) and (not kind_named(kind).lossless or wish.bits not in (None, own)):
        converts = True  # the numbers are right already; only bits or format are others
    if space is not None and not converts:
        check_model(space, picture.model, source)
    if not converts:
        return _as_decoded(picture, source, kind, own_kind, space, wish)
    assert space is not None and start is not None
    merged = picture.alpha is not None and not holds_transparency(kind) and picture.clear
    picture = held_by(picture, kind)
    check_model(read_as(start, steps), picture.model, source)
    bits = wish.bits or best_bits(kind, own)
    check_format(kind, bits, space.model, wish.out)
    done = picture_through(picture.numbers, (PictureSource(start), *steps), space, bits=bits, dither=wish.dither)
    first = read_as(start, steps)
    outside = done.outside.share if done.outside is not None else share_outside(picture.numbers, first, space)
    converted = Picture(done.numbers, alpha_in(picture, bits), space.model, clear=picture.clear)
    account = write_picture(
        wish.out,
        converted,
        kind,
        profile_of(space),
        family=family(space),
        source=source,
        page=wish.page,
        coding=Coding(wish.quality),
        replace=wish.replace,
    )
    return Copied(wish.out, space, outside, done.outside, False, picture.not_numbers, merged, left_behind(account))


def _settled(steps: tuple[Step, ...], source: Path) -> tuple[Space | None, tuple[Step, ...]]:
    """Of a picture of which nothing says what its numbers mean: the space first assigned, and the steps after it. Raises NotSupported."""
    if not steps:
        return None, ()
    first, *rest = steps
    if isinstance(first, Convert):
        raise NotSupported("nothing says what its numbers mean; assign a space first", source)
    return first.space, tuple(rest)


def alpha_in(picture: Picture, bits: int) -> Numbers | None:
    """The alpha channel in the bits of the result; carried, never converted."""
    return None if picture.alpha is None else in_bits(picture.alpha[..., None], bits)[..., 0]


def _same_samples(source: Path, kind: str, space: Space | None, wish: CopyWish) -> Copied:
    try:
        data = source.read_bytes()
        if space is not None:
            from velkin.core.tags.inspect import inspect

            check_model(space, inspect(source, wish.page).model, source)
            if space.id != "lab":
                data = format_named(kind).retagged(data, profile_of(space), family(space), wish.page)
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror})", source) from error
    except (struct.error, ValueError, IndexError, KeyError) as error:
        raise UnreadableFile(f"the picture is damaged ({error})", source) from error
    write_whole(wish.out, data, wish.replace)
    return Copied(wish.out, space, 0.0, None, True)


def _as_decoded(picture: Picture, source: Path, kind: str, own_kind: str, space: Space | None, wish: CopyWish) -> Copied:
    """The samples as they were decoded, in a format that keeps them."""
    target, own_format = kind_named(kind), kind_named(own_kind)
    if not target.lossless:
        raise NotSupported(
            f"assigning keeps every number, and {target.name} would change them; "
            + (
                f"write {own_format.name}, TIFF or PNG"
                if format_named(own_kind).retags and own_format.bits
                else "write TIFF or PNG"
            ),
            wish.out,
        )
    bits = bits_of(picture.numbers)
    if wish.bits not in (None, bits):
        raise NotSupported("assigning keeps every number, its bits too", wish.out)
    check_format(kind, bits, picture.model, wish.out)
    icc = None if space is None or space.id == "lab" else profile_of(space)
    account = write_picture(
        wish.out,
        picture,
        kind,
        icc,
        family=family(space) if space is not None else "",
        source=source,
        page=wish.page,
        coding=Coding(wish.quality),
        replace=wish.replace,
    )
    return Copied(wish.out, space, 0.0, None, False, picture.not_numbers, left=left_behind(account))


def retag_source(source: Path, space: Space, page: int = 0) -> None:
    """Give a source file itself another tag, which is done only when it was asked for by name.

    The new file is written next to it whole; the old bytes stay under a name of their own until the new file has been read
    back, and come back when that fails.

    Raises
    ------
    NotSupported
        When its format cannot be given a tag in place.
    UnreadableFile, OutputFailed
        When it cannot be read or written; the source is as it was.
    """
    source = source.resolve()  # a link stays a link; the file it leads to is tagged
    known = format_at(source)
    if not known.retags or not known.kind.bits:
        raise NotSupported(f"{known.kind.name} files cannot be given a tag without writing their pixels anew", source)
    fresh = source.with_name(f".{source.name[:80]}.velkin-new{source.suffix}")
    kept = source.with_name(f".{source.name[:80]}.velkin-before")
    try:
        write_copy(source, None, (Assign(space),), CopyWish(fresh, page=page, replace=True))
        from velkin.core.tags.inspect import inspect

        found = inspect(fresh, page)
        if found.tag.state != "tagged" or found.icc != profile_of(space):
            raise OutputFailed("the new tag could not be read back; the file is as it was", source)
        shutil.copystat(source, fresh)
        os.link(source, kept)
        os.replace(fresh, source)
        os.unlink(kept)
    except OSError as error:
        raise OutputFailed(
            f"the tag could not be written ({error.strerror or error}); the file is as it was", source
        ) from error
    finally:
        for leftover in (fresh, kept):
            if leftover.exists() and source.exists():
                leftover.unlink()
