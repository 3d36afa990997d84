"""A finished picture through stages that change its look, written in its own space with its own tag."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from velkin.core.conversion.codes import bits_of
from velkin.core.conversion.outside import Outside
from velkin.core.files.coding import Coding
from velkin.core.files.contents import left_behind
from velkin.core.files.encode import write_picture
from velkin.core.files.kinds import best_bits, check_format, format_of, holds_transparency
from velkin.core.files.picture import Picture, decode_picture
from velkin.core.files.safely import refuse_output
from velkin.core.files.transparency import held_by
from velkin.core.handoff.copies import CopyWish, alpha_in
from velkin.core.icc.space import Space, check_model, family, profile_of
from velkin.core.path import ColourPath, path_of
from velkin.core.render import picture_through
from velkin.core.spaces.rgb import ROMM
from velkin.core.stages.source import PictureSource
from velkin.core.stages.stage import Place, Stage


@dataclass(frozen=True)
class Looked:
    """A written picture: what its space could not hold of the new look, whether transparent parts were laid
    over white, and what of the source was left behind."""

    out: Path
    outside: Outside | None
    not_numbers: int
    merged: bool
    left: str = ""


def write_looked(source: Path, path: ColourPath, wish: CopyWish) -> Looked:
    """Write a finished picture through its path, whose destination is the space in which it stays.

    Raises
    ------
    NotSupported
        When the format cannot hold the picture.
    OutputRefused, OutputFailed, UnreadableFile, BadProfile
    """
    refuse_output(wish.out, [source], wish.replace)
    kind, to = format_of(wish.out), path.destination
    whole = decode_picture(source, wish.page)
    picture = held_by(whole, kind)
    check_model(path.start, picture.model, source)
    bits = wish.bits or best_bits(kind, bits_of(picture.numbers))
    check_format(kind, bits, to.model, wish.out)
    done = picture_through(picture.numbers, path.stages, to, bits=bits, dither=wish.dither)
    result = Picture(done.numbers, alpha_in(picture, bits), to.model, clear=picture.clear)
    coding, replace = Coding(wish.quality), wish.replace
    account = write_picture(
        wish.out, result, kind, profile_of(to), family=family(to), source=source, page=wish.page, coding=coding, replace=replace
    )
    merged = whole.alpha is not None and whole.clear and not holds_transparency(kind)
    return Looked(wish.out, done.outside, picture.not_numbers, merged, left_behind(account))


def looked_path(start: Space, *looks: Stage) -> ColourPath:
    """The path of a finished picture through looks, back into its own space."""
    return path_of(PictureSource(start), ROMM, start).put(Place.LOOK, *looks)
